"""One sentence for what makes no sense, and never a traceback; the rest goes on."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from dataclasses import asdict
from pathlib import Path

import pytest

from dustpan.core.batch.batch import prepare
from dustpan.core.batch.journal import NAME, Journal
from dustpan.core.batch.order import Order, named, planned
from dustpan.core.errors import DustpanError, WrongUse
from dustpan.core.jobs.one import State, Task, outcome_from_json, task_from_json
from dustpan.core.jobs.one import run as run_task
from tests.core.batch.many import Quiet, done
from tests.hostile.conftest import Run, child, picture
from tests.hostile.test_originals import SOFTEN, order


@pytest.mark.parametrize(
    "step",
    [
        "soften @tones:faded=1..2", "soften:opacity=1.2.3", "soften @gradient:ends=0/0;1e200/0",
        "soften @tones:faded=.", "soften @brush:strokes=9@0/0>1e300/0", "soften:opacity=",
        "soften @gradient:ends=a/b", "noise:luminance=1e999",
    ],
)  # fmt: skip
def test_numbers_that_are_none(run: Run, shot: Path, tmp_path: Path, step: str) -> None:
    code, said = run("clean", shot, "--step", step, "--out", tmp_path / "b.tif")
    assert code == 2
    assert 0 < len(said.strip().splitlines()) <= 2


@pytest.mark.parametrize(
    "pattern", ["{number:²}", "{number:999999999}", "{number:{number}}", "{name!r}", "{name.real}", "{"]
)
def test_patterns_that_are_none(run: Run, shot: Path, tmp_path: Path, pattern: str) -> None:
    code, said = run("batch", shot, "--out", tmp_path / "out", "--step", "soften", "--name", pattern)
    assert code == 2
    assert said.strip()


def test_names_that_are_too_long_are_cut(tmp_path: Path) -> None:
    source = picture(tmp_path / ("é" * 120 + ".tif"))
    asked = Order(sources=(str(source),), out=str(tmp_path / "out"), name="{name} {name} {number}")
    name = named(asked, source, 1)
    assert len(os.fsencode(name)) <= 255 - len("-99999")
    assert name.endswith(".tif")
    assert "é" in name


def test_a_time_at_the_end_of_all_calendars(tmp_path: Path) -> None:
    source = picture(tmp_path / "a.tif")
    try:
        os.utime(source, (1e12, 1e12))
    except (OSError, OverflowError):
        pytest.skip("this file system knows no such time")
    asked = Order(sources=(str(source),), out=str(tmp_path / "out"), name="{date} {name}")
    assert planned(asked)[0][1].endswith("a.tif")


def test_an_opening_that_is_no_opening(shot: Path, tmp_path: Path) -> None:
    sweep = {**SOFTEN.as_json(), "opening": 5}
    assert run_task(Task(str(shot), str(tmp_path / "b.tif"), sweep)).state is State.DONE


@pytest.mark.parametrize(
    "change",
    [
        {"seconds": "x"}, {"notices": [1]}, {"crops": 5}, {"source": 7}, {"sweep": []}, {"verdict": {"a": "b"}},
        {"state": "asleep"},
    ],
)  # fmt: skip
def test_an_outcome_that_makes_no_sense(change: dict) -> None:
    told = {"source": "a", "target": "b", "state": "done"}
    assert outcome_from_json(told).state is State.DONE
    with pytest.raises(ValueError):
        outcome_from_json(told | change)
    with pytest.raises(ValueError):
        outcome_from_json(None)


@pytest.mark.parametrize(
    "change",
    [
        {"quality": "92"},
        {"threads": 1.5},
        {"sweep": [1]},
        {"opening": 5},
        {"expects": 7},
        {"source": None},
        {"more": 1},
    ],
)
def test_a_task_that_makes_no_sense(change: dict) -> None:
    told = asdict(Task("a", "b", SOFTEN.as_json()))
    assert task_from_json(told) == Task("a", "b", SOFTEN.as_json())
    with pytest.raises(ValueError):
        task_from_json(told | change)


@pytest.fixture
def begun(tmp_path: Path) -> Path:
    """A folder with a journal of two pictures, done."""
    for n in "ab":
        picture(tmp_path / "in" / f"{n}.tif", ord(n))
    done(order(tmp_path / "in", tmp_path / "out"))
    return tmp_path / "out"


@pytest.mark.parametrize(
    "line",
    [
        b'{"item": 0, "outcome": {"state": "done", "seconds": "x"}, "source": "", "target": ""}', b"[" * 100_000,
        b'{"item": 99, "outcome": {"state": "done"}, "source": "", "target": ""}', b"\xff\xfe", b'{"item": 1e400}',
        b'{"more": [["a\\u0000", "b"]]}', b'{"more": [["\\ud800", ""]]}', b'{"more": 5}', b"null",
    ],
)  # fmt: skip
def test_a_damaged_line_of_a_journal_is_told_and_there_is_a_way_out(begun: Path, line: bytes) -> None:
    path = begun / NAME
    whole = path.read_bytes() + line + b"\n"
    path.write_bytes(whole)
    with pytest.raises(DustpanError, match=r"damaged|outside"):
        Journal(begun)
    assert path.read_bytes() == whole
    with Journal(begun, anew=True) as journal:
        assert journal.order is None
    assert (begun / f"{NAME}.damaged-1").read_bytes() == whole


@pytest.mark.parametrize("change", [{"ending": ".jpg"}, {"name": "{name} 2"}, {"sources": ("/elsewhere",)}])
def test_what_does_not_fit_what_was_begun_is_refused(begun: Path, change: dict) -> None:
    asked = order(begun.parent / "in", begun).model_copy(update=change)
    with Journal(begun, resume=True) as journal, pytest.raises(WrongUse, match="begun with"):
        prepare(journal, asked, resume=True)


def test_another_recipe_does_all_anew_in_place(begun: Path) -> None:
    from dustpan.core.batch.batch import run_batch
    from dustpan.core.batch.here import Here
    from dustpan.core.grammar import parse_step
    from dustpan.core.sweep import Sweep

    before = {p.name: p.read_bytes() for p in begun.glob("*.tif")}
    sweep = Sweep((parse_step("soften:radius=5"),)).as_json()
    with Journal(begun, resume=True) as journal:
        prepare(journal, order(begun.parent / "in", begun).model_copy(update={"sweep": sweep}), resume=True)
        told = Quiet()
        run_batch(journal, Here(), told)
    assert told.over == [0, 1]
    after = {p.name: p.read_bytes() for p in begun.glob("*.tif")}
    assert set(after) == set(before)
    assert all(after[n] != before[n] for n in before)


def test_going_on_where_nothing_was_begun_leaves_nothing(run: Run, tmp_path: Path) -> None:
    code, said = run("batch", "--resume", "--out", tmp_path / "nowhere")
    assert code == 2
    assert "no batch" in said
    assert not (tmp_path / "nowhere").exists()


def test_a_scheduler_that_is_none(run: Run, shot: Path, tmp_path: Path) -> None:
    code, said = run("batch", shot, "--out", tmp_path / "out", "--step", "soften", "--scheduler", "foo")
    assert code == 2
    assert "scheduler" in said


@pytest.mark.slow
def test_one_json_object_whatever_libraries_print(shot: Path, tmp_path: Path) -> None:
    script = (
        "import sys, os\nsys.argv = ['dustpan', 'mask', sys.argv[1], '@edges', '--out', sys.argv[2], '--json']\n"
        "from dustpan.core import files\noriginal = files.open_picture\n"
        "def loud(*a):\n    os.write(1, b'libtiff: warning\\n'); print('noise'); return original(*a)\n"
        "files.open_picture = loud\nfrom dustpan.cli.main import main\nmain()\n"
    )
    command = [sys.executable, "-c", script, str(shot), str(tmp_path / "m.png")]
    found = subprocess.run(command, capture_output=True, text=True, timeout=60)
    assert json.loads(found.stdout)["covered"] >= 0
    assert "libtiff: warning" in found.stderr


@pytest.mark.slow
def test_workers_notice_that_whoever_began_them_is_gone(tmp_path: Path) -> None:
    script = (
        "import os, time\nfrom dustpan.core.batch.processes import Processes\nfrom dustpan.core.jobs.one import Task\n"
        "if __name__ == '__main__':\n"
        "    p = Processes(2)\n"
        "    [p.submit(Task('/nowhere', '/nowhere.tif'), lambda a, b: None).result() for _ in range(4)]\n"
        "    print(*[w.pid for w in p._pool._processes.values()], flush=True)\n    time.sleep(60)\n"
    )
    path = tmp_path / "begin.py"
    path.write_text(script)
    with subprocess.Popen([sys.executable, str(path)], stdout=subprocess.PIPE, text=True) as began:
        assert began.stdout is not None
        workers = [int(w) for w in began.stdout.readline().split()]
        assert workers
        began.kill()
    until = time.monotonic() + 5
    while time.monotonic() < until and any(Path(f"/proc/{w}").exists() for w in workers):
        time.sleep(0.1)
    assert not any(_runs(w) for w in workers)


def _runs(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().split(")")[-1].split()[0] != "Z"
    except OSError:
        return False


def test_deep_preferences_are_the_defaults(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from dustpan.ui.dialogs.preferences import Preferences, load_preferences

    monkeypatch.setenv("DUSTPAN_CONFIG", str(tmp_path))
    (tmp_path / "preferences.json").write_text("[" * 100_000)
    assert load_preferences() == Preferences()


@pytest.mark.slow
def test_a_recipe_of_nested_lists_ends_in_a_sentence(shot: Path, tmp_path: Path) -> None:
    recipe = tmp_path / "deep.recipe.json"
    recipe.write_text('{"dustpan_recipe": 1, "name": "x", "sweep": ' + "[" * 300 + "]" * 300 + "}")
    found = child("batch", shot, "--recipe", recipe, "--out", tmp_path / "out")
    assert found.returncode in (1, 2)
    assert "Traceback" not in found.stderr
