from __future__ import annotations

import os
import signal
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from dustpan.core.errors import Cancelled, FileProblem, WrongUse
from dustpan.core.files import ExportOptions, open_picture, save_picture
from dustpan.core.jobs.one import export, same_file
from dustpan.core.judge.verdict import Verdict
from dustpan.core.judge.whole import noise_print
from dustpan.core.picture import Depth, Picture, from_array, to_samples
from dustpan.core.region import Region
from dustpan.core.render.cache import Cancel
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


def test_cancel_ends_the_work_long_before_it_is_done(noisy: np.ndarray) -> None:
    """Times must not decide a test; what is shown here is that most of the tiles were never begun."""
    import threading

    large = np.tile(noisy, (4, 4, 1))
    cancel = Cancel()
    with Renderer(from_array(large)) as r:
        noise_print(r)
        timer = threading.Timer(0.5, cancel.set)
        timer.start()
        with pytest.raises(Cancelled):
            r.render(NOISE, cancel=cancel)
        whole = Region(0, 0, *r.size)
        assert sum(r.peek(NOISE, tile_region(p, r.size)) is None for p in tiles_of(whole, r.size)) > 20


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
