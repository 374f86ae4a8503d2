from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
from collections.abc import Callable
from dataclasses import asdict, replace
from pathlib import Path

import numpy as np
import pytest

from dustpan.core.cancel import Cancel
from dustpan.core.errors import Cancelled, FileProblem, WrongUse
from dustpan.core.files import ExportOptions, open_picture, save_picture
from dustpan.core.jobs.one import State, Task, export, run, same_file
from dustpan.core.judge.verdict import Verdict
from dustpan.core.picture import Depth, Picture, from_array, to_samples
from dustpan.core.region import Region
from dustpan.core.render.cache import Cache
from dustpan.core.render.renderer import Renderer
from dustpan.core.render.tiling import tile_region, tiles_of
from dustpan.core.sweep import Sweep, make_step

NOISE = Sweep((make_step("noise"),))

SLOW_WRITE = """
import sys, time
from pathlib import Path
from dustpan.core.files.atomic import write_atomically
def write(file):
    file.write(b"half of it")
    file.flush()
    print("half", flush=True)
    time.sleep(60)
write_atomically(Path(sys.argv[1]), write)
"""


@pytest.mark.slow
def test_killed_half_way_the_old_file_is_whole(tmp_path: Path) -> None:
    target = tmp_path / "old.tif"
    target.write_bytes(b"precious")
    program = subprocess.Popen([sys.executable, "-c", SLOW_WRITE, str(target)], stdout=subprocess.PIPE, text=True)
    assert program.stdout is not None
    assert program.stdout.readline() == "half\n"
    program.send_signal(signal.SIGKILL)
    program.communicate()
    assert target.read_bytes() == b"precious"


def test_export_refuses_the_picture_itself_unless_asked(tmp_path: Path, noisy: np.ndarray) -> None:
    path = tmp_path / "a.tif"
    save_picture(from_array(np.rint(noisy * 65535).astype(np.uint16)), path)
    before = path.read_bytes()
    hard = tmp_path / "hard.tif"
    os.link(path, hard)
    with Renderer(open_picture(path)) as r:
        for target in (path, hard):
            with pytest.raises(FileProblem, match="it is the picture itself"):
                export(r, NOISE, target)
        assert path.read_bytes() == before
        export(r, NOISE, path, replace_source=True)
    assert path.read_bytes() != before
    assert same_file(path, path)
    assert not same_file(path, tmp_path / "gone")


def test_cancelling_an_export_leaves_the_target_as_it_was(
    tmp_path: Path, picture: Picture, left_behind: Callable[[], list[str]]
) -> None:
    target = tmp_path / "out.tif"
    target.write_bytes(b"precious")
    cancel = Cancel()
    with Renderer(picture) as r, pytest.raises(Cancelled):
        export(r, NOISE, target, cancel=cancel, progress=lambda done, total: cancel.set())
    assert target.read_bytes() == b"precious"
    assert left_behind() == []


@pytest.mark.slow
def test_cancel_ends_the_work_long_before_it_is_done(noisy: np.ndarray) -> None:
    """Called off when the first group of tiles is done: those of the others were never begun."""
    large = np.tile(noisy, (4, 4, 1))
    cancel = Cancel()
    quick = Sweep((make_step("grain"),))
    with Renderer(from_array(large), cache=Cache(4_000_000_000)) as r:
        whole = Region(0, 0, *r.size)
        monkeyed: list[int] = []

        def progress(done: int, total: int) -> None:
            monkeyed.append(done)
            cancel.set()

        import dustpan.core.render.renderer as module

        at_once, module.AT_ONCE = module.AT_ONCE, 0
        runs, module.tiles.LARGEST_RUN = module.tiles.LARGEST_RUN, 256 * 256
        try:
            with pytest.raises(Cancelled):
                r.render(quick, cancel=cancel, progress=progress)
        finally:
            module.AT_ONCE, module.tiles.LARGEST_RUN = at_once, runs
        assert len(monkeyed) == 1
        places = tiles_of(whole, r.size)
        done = sum(r.peek(quick, tile_region(p, r.size)) is not None for p in places)
        assert monkeyed[0] <= done < len(places) / 2


def test_export_options_are_checked(tmp_path: Path) -> None:
    picture = from_array(np.full((9, 9, 3), 0.5, np.float32))
    for quality in (0, 101):
        with pytest.raises(WrongUse, match="1 to 100"):
            save_picture(picture, tmp_path / "a.jpg", ExportOptions(quality=quality))
    save_picture(picture, tmp_path / "a.tif", ExportOptions(Depth.EIGHT))
    assert open_picture(tmp_path / "a.tif").depth is Depth.EIGHT


@pytest.mark.parametrize("depth", list(Depth))
def test_a_sweep_that_does_nothing_exports_the_input(tmp_path: Path, depth: Depth) -> None:
    values = np.random.default_rng(5).random((40, 50, 3)).astype(np.float32)
    picture = from_array(to_samples(values, depth))
    path = tmp_path / "in.tif"
    save_picture(picture, path)
    with Renderer(open_picture(path)) as r:
        export(r, Sweep(), tmp_path / "out.tif")
    assert np.array_equal(open_picture(tmp_path / "out.tif").pixels, open_picture(path).pixels)


@pytest.mark.parametrize(
    ("with_step", "words"),
    [
        (Verdict(20, 90, 9, 2, 2), "halos 1 → 9 %"), (Verdict(60, 90, 1, 2, 2), "noise 20 → 60 %"),
        (Verdict(20, 40, 1, 2, 2), "texture 90 → 40 %"), (Verdict(24, 80, 2, 2, 1.5), ""),
        (Verdict(None, None, None, None, None), ""),
    ],
)  # fmt: skip
def test_what_a_step_makes_worse(with_step: Verdict, words: str) -> None:
    assert with_step.worsens(Verdict(20, 90, 1, 2, 2)) == words


# ---------------------------------------------------------------- tasks


@pytest.fixture
def lamp(tmp_path: Path, noisy: np.ndarray) -> Path:
    path = tmp_path / "lamp.tif"
    save_picture(from_array(np.rint(noisy * 65535).astype(np.uint16)), path)
    return path


@pytest.mark.slow
def test_a_task_is_plain_values_and_gives_the_same_bytes_with_and_without_a_renderer(
    tmp_path: Path, lamp: Path
) -> None:
    sweep = json.loads(json.dumps(NOISE.as_json()))
    task = Task(str(lamp), str(tmp_path / "a.tif"), sweep)
    again = Task(**json.loads(json.dumps(asdict(task))))
    assert again == task
    found = run(again)
    assert (found.state, found.error) == (State.DONE, "")
    assert found.as_json()["out"] == str(tmp_path / "a.tif")
    with Renderer(open_picture(lamp)) as r:
        run(replace(task, target=str(tmp_path / "b.tif")), renderer=r)
    assert (tmp_path / "a.tif").read_bytes() == (tmp_path / "b.tif").read_bytes()


@pytest.mark.slow
def test_a_task_without_a_sweep_says_why_it_did_what(tmp_path: Path, lamp: Path) -> None:
    said: list[str] = []
    found = run(Task(str(lamp), str(tmp_path / "a.tif")), tell=said.append)
    assert found.state is State.DONE
    assert found.why in said[0]
    assert found.as_json()["steps"][0]["step"] == "noise"


@pytest.mark.parametrize(
    ("source", "target", "sweep", "words"),
    [
        ("gone.tif", "a.tif", NOISE.as_json(), "gone.tif: there is no such file"),
        ("cut.tif", "a.tif", NOISE.as_json(), "cut.tif: "), ("lamp.tif", "a.xyz", NOISE.as_json(), "a.xyz: its ending"),
        ("lamp.tif", "lamp.tif", NOISE.as_json(), "it is the picture itself"),
        ("lamp.tif", "no/a.tif", NOISE.as_json(), "no such file"), ("lamp.tif", "a.tif", {"steps": 3}, "not a sweep"),
    ],
)  # fmt: skip
def test_whatever_goes_wrong_with_a_file_ends_in_its_outcome(
    tmp_path: Path, lamp: Path, source: str, target: str, sweep: dict, words: str
) -> None:
    (tmp_path / "cut.tif").write_bytes(lamp.read_bytes()[:999])
    found = run(Task(str(tmp_path / source), str(tmp_path / target), sweep))
    assert found.state is State.FAILED
    assert words in found.error
    assert set(found.as_json()) == {"file", "error"}
    assert not (tmp_path / "a.tif").exists()


def test_a_fault_of_our_own_ends_in_the_outcome_too(
    tmp_path: Path, lamp: Path, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    monkeypatch.setattr(Renderer, "render", lambda *a: 1 / 0)
    found = run(Task(str(lamp), str(tmp_path / "a.tif"), NOISE.as_json()))
    assert found.state is State.FAILED
    assert "lamp.tif: something went wrong inside Dustpan (ZeroDivisionError)" in found.error
    assert "ZeroDivisionError" in caplog.text


def test_a_task_that_is_called_off_says_so(tmp_path: Path, lamp: Path) -> None:
    cancel = Cancel()
    cancel.set()
    found = run(Task(str(lamp), str(tmp_path / "a.tif"), NOISE.as_json()), cancel)
    assert found.state is State.CANCELLED
    assert not (tmp_path / "a.tif").exists()
