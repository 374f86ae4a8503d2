"""Batches: the same bytes as single runs, nothing lost and nothing twice, and what to look at told."""

from __future__ import annotations

import csv
import json
import random
import shutil
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dustpan.core.batch.batch import Pause, prepare, run_batch
from dustpan.core.batch.doers import DOERS, WorkerDied, doer_for
from dustpan.core.batch.here import Here, together_for
from dustpan.core.batch.journal import NAME, Journal, unfinished
from dustpan.core.batch.order import Order, Taken, check_pattern, named, planned
from dustpan.core.batch.processes import Processes
from dustpan.core.batch.report import rows_of
from dustpan.core.batch.watch import Watcher, watch_folders
from dustpan.core.cancel import Cancel
from dustpan.core.defects.stripes import STRIPES_STEP
from dustpan.core.errors import FileProblem, WrongUse
from dustpan.core.files import open_picture, save_picture
from dustpan.core.grammar import parse_step
from dustpan.core.jobs.one import Outcome, State, Task, run
from dustpan.core.picture import from_array
from dustpan.core.sweep import Sweep, save_sweep, sweep_from_json
from tests.core.batch.many import STEPS, Quiet, contents, done, ordered


@pytest.mark.slow
def test_a_batch_gives_the_bytes_of_single_runs_and_lists_what_failed(shots: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    summary = done(ordered(shots, out))
    assert (summary.done, summary.failed, summary.left) == (4, 1, 0)
    for n in range(4):
        single = tmp_path / "single.png"
        assert run(Task(str(shots / f"shot {n}.png"), str(single), STEPS)).state is State.DONE
        assert single.read_bytes() == (out / f"shot {n}.png").read_bytes()
    rows = list(csv.DictReader((out / "dustpan-batch.csv").read_text().splitlines()))
    assert [r["state"] for r in rows] == ["done"] * 4 + ["failed"]
    assert "cut off" in rows[-1]["notice"]


@pytest.mark.slow
def test_called_off_and_gone_on_with_it_ends_like_an_undisturbed_one(shots: Path, tmp_path: Path) -> None:
    whole, torn = tmp_path / "whole", tmp_path / "torn"
    done(ordered(shots, whole))
    cancel = Cancel()
    first = Quiet(lambda n, o: cancel.set() if n == 1 else None)
    assert done(ordered(shots, torn), first, cancel=cancel).left == 3
    assert unfinished(torn) == (3, 5)
    second = Quiet()
    done(ordered(shots, torn), second, resume=True)
    assert set(first.over) | set(second.over) == set(range(5))
    assert not set(first.over) & set(second.over)
    assert contents(torn) == contents(whole)
    assert unfinished(torn) is None


@pytest.mark.slow
def test_a_torn_line_of_the_journal_is_passed_over(shots: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    done(ordered(shots, out))
    journal = out / NAME
    lines = journal.read_bytes().splitlines(keepends=True)
    journal.write_bytes(b"".join(lines[:3]) + lines[3][: len(lines[3]) // 2])
    again = Quiet()
    done(ordered(shots, out), again, resume=True)
    assert again.over == [2, 3, 4]
    first, *rest = journal.read_bytes().splitlines(keepends=True)
    journal.write_bytes(first + b"{}\n" + b"".join(rest))
    with pytest.raises(WrongUse, match="damaged"):
        Journal(out)


def test_changed_sources_results_and_recipes_are_noticed(shots: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    done(ordered(shots, out))
    save_picture(from_array(np.full((40, 40, 3), 0.5, np.float32)), shots / "shot 1.png")
    (out / "shot 2.png").unlink()
    with Journal(out) as journal:
        (notice,) = prepare(journal, None, True)
        assert "shot 1.png" in notice
        assert "shot 2.png" in notice
        assert journal.left == [1, 2, 4]
        other = ordered(shots, out).model_copy(update={"sweep": Sweep((parse_step("noise"),)).as_json()})
        assert "changed since" in prepare(journal, other, True)[0]
        assert len(journal.left) == 5


def test_an_unfinished_batch_is_not_forgotten_by_accident(shots: Path, tmp_path: Path) -> None:
    out, cancel = tmp_path / "out", Cancel()
    done(ordered(shots, out), Quiet(lambda n, o: cancel.set()), cancel=cancel)
    with Journal(out) as journal:
        with pytest.raises(WrongUse, match="--resume"):
            prepare(journal, ordered(shots, out), False)
        prepare(journal, ordered(shots, out), False, anew=True)
    with Journal(tmp_path / "empty") as journal, pytest.raises(WrongUse, match="no batch"):
        prepare(journal, None, True)


def test_a_second_batch_into_the_folder_says_so(shots: Path, tmp_path: Path) -> None:
    with Journal(tmp_path / "out"), pytest.raises(FileProblem, match="another batch"):
        Journal(tmp_path / "out")


@pytest.mark.slow
def test_a_pause_begins_nothing_new(shots: Path, tmp_path: Path) -> None:
    pause, out = Pause(), tmp_path / "out"
    told = Quiet(lambda n, o: setattr(pause, "wanted", True))
    doer = Here()
    with Journal(out) as journal:
        prepare(journal, ordered(shots, out), False)
        thread = threading.Thread(target=run_batch, args=(journal, doer, told, None, pause))
        thread.start()
        time.sleep(1.5)
        assert told.over == [0]
        told.then = lambda n, o: None
        pause.wanted = False
        thread.join(60)
    doer.close()
    assert told.over == [0, 1, 2, 3, 4]


class Dying(Here):
    """Loses its worker now and then."""

    def __init__(self, deaths: dict[str, int]) -> None:
        super().__init__()
        self.deaths = deaths

    def submit(self, task: Task, progress: Callable) -> object:  # type: ignore[override]
        name = Path(task.source).name
        if self.deaths.get(name, 0) > 0:
            self.deaths[name] -= 1
            return self._pool.submit(_die)
        return super().submit(task, progress)


def _die() -> None:
    raise WorkerDied("gone")


def test_a_worker_that_dies_loses_nothing_and_one_picture_cannot_kill_for_ever(shots: Path, tmp_path: Path) -> None:
    out, doer = tmp_path / "out", Dying({"shot 0.png": 2, "shot 1.png": 99})
    with Journal(out) as journal:
        prepare(journal, ordered(shots, out), False)
        summary = run_batch(journal, doer, Quiet())
        assert "its worker ended 3 times" in journal.outcomes[1].error
    doer.close()
    assert (summary.done, summary.failed) == (3, 2)


@pytest.mark.slow
def test_processes_give_the_same_bytes_also_after_one_was_killed(shots: Path, tmp_path: Path) -> None:
    done(ordered(shots, tmp_path / "here"))
    out, doer = tmp_path / "beside", Processes(2)
    killed = []

    def kill(number: int, outcome: Outcome) -> None:
        if not killed:
            process = next(iter(doer._pool._processes.values()))
            killed.append(process.pid)
            process.kill()

    with Journal(out) as journal:
        prepare(journal, ordered(shots, out), False)
        summary = run_batch(journal, doer, Quiet(kill))
    doer.close()
    assert killed
    assert (summary.done, summary.failed) == (4, 1)
    assert contents(out) == contents(tmp_path / "here")


def test_what_would_ask_is_left_and_listed(shots: Path, tmp_path: Path) -> None:
    asking = STRIPES_STEP.hits
    assert asking is not None
    object.__setattr__(STRIPES_STEP, "hits", lambda f, p: replace(asking(f, p), asks="likely lamps: look first"))
    try:
        out = tmp_path / "out"
        order = ordered(shots, out, sweep=Sweep((parse_step("stripes"), parse_step("noise"))).as_json())
        summary = done(order)
    finally:
        object.__setattr__(STRIPES_STEP, "hits", asking)
    assert (summary.done, summary.skipped) == (0, 4)
    assert "Stripes would ask" in (out / "dustpan-batch.csv").read_text()
    assert not list(out.glob("*.png"))


def test_names_follow_the_pattern_and_the_rule_for_taken_ones(shots: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    out.mkdir()
    (out / "shot 0.png").write_bytes(b"mine")
    targets = {t: [Path(b).name for _, b in planned(ordered(shots, out, taken=t))] for t in Taken}
    assert targets[Taken.NUMBER][0] == "shot 0-2.png"
    assert targets[Taken.SKIP][0] == ""
    assert targets[Taken.REPLACE][0] == "shot 0.png"
    pattern = ordered(shots, out, name="{recipe} {number:03} of {folder}", recipe="a/b", ending=".jpg")
    assert [Path(b).name for _, b in planned(pattern)][:2] == ["a-b 001 of evening.jpg", "a-b 002 of evening.jpg"]
    same = ordered(shots, out, name="x")
    assert len({b for _, b in planned(same)}) == 5
    for bad in ("{name", "{camera}", "a/b", " ", "{name!r}", "{number:>9}", "{name.stem}"):
        with pytest.raises(WrongUse):
            check_pattern(bad)


def test_results_in_the_folder_of_the_pictures_are_no_sources_and_write_over_none(shots: Path) -> None:
    found = planned(ordered(shots, shots, taken=Taken.REPLACE))
    assert all(a != b for a, b in found)
    inside = planned(ordered(shots, shots / "cleaned"))
    (shots / "cleaned").mkdir()
    (shots / "cleaned" / "shot 0.png").write_bytes((shots / "shot 0.png").read_bytes())
    assert len(planned(ordered(shots, shots / "cleaned"))) == len(inside)


@settings(max_examples=80, deadline=None)
@given(st.text(min_size=1, max_size=40).filter(lambda t: "/" not in t and "\0" not in t and t not in (".", "..")))
def test_any_legal_name_becomes_a_legal_name(name: str) -> None:
    order = Order(sources=("x",), out="/tmp")
    made = named(order, Path("/somewhere") / f"{name}.png", 1)
    assert "/" not in made
    assert "\0" not in made
    assert made not in ("", ".", "..")


def test_outliers_stand_first_and_say_why() -> None:
    def outcome(n: int, **figures: float) -> Outcome:
        usual = {"noise_left": 18.0, "texture_kept": 95.0, "halo_height": 1.0, "edge_width_after": 2.0}
        return Outcome(f"/p/{n}.tif", f"/o/{n}.tif", State.DONE, verdict={**usual, **figures})

    told = {n: outcome(n, noise_left=18 + n % 3) for n in range(10)} | {4: outcome(4, texture_kept=60.0)}
    told[7] = Outcome("/p/7.tif", "", State.FAILED, error="7.tif: it is torn.")
    rows = rows_of(told)
    assert [r.number for r in rows[:2]] == [7, 4]
    assert "texture kept: 60.0" in rows[1].why
    assert all(not r.why for r in rows[2:])


@pytest.mark.slow
def test_the_page_needs_nothing_from_outside_and_escapes_names(shots: Path, tmp_path: Path) -> None:
    (shots / "shot 3.png").rename(shots / "<b>&amp; 3.png")
    out = tmp_path / "out"
    done(ordered(shots, out, reported=True, recipe="<script>"))
    page = (out / "dustpan-batch.html").read_text()
    assert "<script" not in page
    assert "<b>&amp; 3" not in page
    assert "&lt;b&gt;&amp;amp; 3" in page
    assert "http" not in page
    assert page.count("data:image/jpeg;base64,") == 8
    assert page.index("torn.png") < page.index("shot 0.png")


@pytest.mark.slow
def test_a_full_disk_ends_in_sentences_and_goes_on_later(
    shots: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    out = tmp_path / "out"

    def full(*_: object) -> None:
        raise FileProblem(out, "the disk is full")

    with monkeypatch.context() as m:
        m.setattr("dustpan.core.jobs.one.save_picture", full)
        summary = done(ordered(shots, out))
    assert summary.failed == 5
    assert done(ordered(shots, out), resume=True).done == 4


def test_a_source_that_is_gone_meanwhile_is_a_failure_of_its_own(shots: Path, tmp_path: Path) -> None:
    told = Quiet(lambda n, o: (shots / "shot 1.png").unlink(missing_ok=True))
    summary = done(ordered(shots, tmp_path / "out"), told)
    assert (summary.done, summary.failed) == (3, 2)


def test_a_picture_is_taken_once_it_is_complete(shots: Path, tmp_path: Path) -> None:
    folder = tmp_path / "card"
    folder.mkdir()
    whole = (shots / "shot 0.png").read_bytes()
    watcher, path = Watcher([str(folder)], tmp_path / "out", set()), folder / "a.png"
    for part in range(4):
        path.write_bytes(whole[: len(whole) * part // 4])
        assert watcher.look(part) == []
    for k in range(6):  # it stands still, but is torn
        assert watcher.look(4 + k) == []
    path.write_bytes(whole)
    looks = [watcher.look(20 + k) for k in range(6)]
    assert [path] in looks
    assert sum(len(found) for found in looks) == 1


@pytest.mark.slow
def test_a_watched_folder_is_done_as_it_fills(shots: Path, tmp_path: Path) -> None:
    card, out, cancel, doer = tmp_path / "card", tmp_path / "out", Cancel(), Here()
    card.mkdir()
    told = Quiet(lambda n, o: cancel.set() if n == 1 else None)

    def camera() -> None:
        for n in range(2):
            whole = (shots / f"shot {n}.png").read_bytes()
            with open(card / f"shot {n}.png", "wb") as file:
                for at in range(0, len(whole), len(whole) // 4):
                    file.write(whole[at : at + len(whole) // 4])
                    file.flush()
                    time.sleep(0.05)

    writer = threading.Thread(target=camera)
    writer.start()
    with Journal(out) as journal:
        watch_folders(journal, ordered(card, out), doer, told, cancel, every=0.05)
    writer.join()
    doer.close()
    assert sorted(contents(out)) == ["shot 0.png", "shot 1.png"]
    assert open_picture(out / "shot 1.png").size == (96, 128)
    assert json.loads((out / NAME).read_text().splitlines()[0])["items"] == []


@pytest.mark.parametrize(
    ("taken", "there"),
    [(Taken.NUMBER, ["shot 0-2.png", "shot 0.png"]), (Taken.SKIP, ["shot 0.png"]), (Taken.REPLACE, ["shot 0.png"])],
)
def test_a_watched_folder_keeps_the_rule_for_taken_names(
    shots: Path, tmp_path: Path, taken: Taken, there: list[str]
) -> None:
    card, out, cancel, doer = tmp_path / "card", tmp_path / "out", Cancel(), Here()
    card.mkdir()
    out.mkdir()
    (out / "shot 0.png").write_bytes(b"somebody's")
    shutil.copy(shots / "shot 0.png", card)
    told = Quiet(lambda n, o: cancel.set())
    with Journal(out) as journal:
        watch_folders(journal, ordered(card, out, taken=taken), doer, told, cancel, every=0.02)
    doer.close()
    assert sorted(contents(out)) == there
    kept = (out / "shot 0.png").read_bytes() == b"somebody's"
    assert kept == (taken is not Taken.REPLACE)


def test_only_small_pictures_are_done_two_at_a_time(
    shots: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("os.cpu_count", lambda: 8)
    assert together_for([shots / "shot 0.png", shots / "shot 1.png"]) == 2
    save_picture(from_array(np.zeros((1200, 1200, 3), np.uint8)), tmp_path / "large.png")
    assert together_for([shots / "shot 0.png", tmp_path / "large.png"]) == 1
    assert together_for([shots]) == 2
    (shots / "note.txt").write_text("no picture, and does not say")
    assert together_for([shots]) == 1
    assert together_for([]) == 1
    monkeypatch.setattr("os.cpu_count", lambda: 1)
    assert together_for([shots / "shot 0.png"]) == 1


@pytest.mark.slow
def test_killed_five_times_and_gone_on_with_nothing_is_missing_and_nothing_twice(shots: Path, tmp_path: Path) -> None:
    for n in range(4, 24):
        plane = np.random.default_rng(n).normal(0.4, 0.05, (96, 128, 3)).clip(0, 1)
        save_picture(from_array((255 * plane).astype(np.uint8)), shots / f"shot {n}.png")
    whole, torn, kills, rng = tmp_path / "whole", tmp_path / "torn", 0, random.Random(3)
    done(ordered(shots, whole))
    recipe = tmp_path / "r.sweep.json"
    save_sweep(sweep_from_json(STEPS), recipe)
    command = [sys.executable, "-m", "dustpan", "batch", str(shots), "--out", str(torn), "--recipe", str(recipe)]
    while kills < 5:
        extra = ["--resume"] if (torn / NAME).exists() and (torn / NAME).stat().st_size else ["--anew"]
        process = subprocess.Popen([*command, *extra], stderr=subprocess.DEVNULL)
        while process.poll() is None and not ((torn / NAME).exists() and (torn / NAME).stat().st_size):
            time.sleep(0.02)  # however long the machine takes to begin
        try:
            process.wait(rng.uniform(0.2, 3.5))
            for victim in list(torn.glob("*.png"))[:8]:
                victim.unlink()
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()
            kills += 1
    ended = subprocess.run([*command, "--resume", "--json"], capture_output=True, text=True, timeout=120)
    assert ended.stdout, ended.stderr
    assert json.loads(ended.stdout)["failed"] == 1
    assert contents(torn) == contents(whole)
    assert not [p for p in torn.iterdir() if p.name.startswith(".")]
    assert len(json.loads(ended.stdout)["results"]) == 25


class Instant(Here):
    """Says of everything that it is done, and writes a byte."""

    def submit(self, task: Task, progress: Callable) -> Future:  # type: ignore[override]
        Path(task.target).write_bytes(b"x")
        found: Future = Future()
        found.set_result(Outcome(task.source, task.target, State.DONE))
        return found


@pytest.mark.slow
@pytest.mark.timeout(120)
def test_a_thousand_files_are_planned_noted_and_reported(tmp_path: Path) -> None:
    folder, out, doer = tmp_path / "many", tmp_path / "out", Instant()
    folder.mkdir()
    for n in range(1000):
        (folder / f"{n:04}.png").write_bytes(b"y")
    with Journal(out) as journal:
        prepare(journal, ordered(folder, out), False)
        assert run_batch(journal, doer, Quiet()).done == 1000
        assert journal.left == []
    doer.close()
    assert len((out / "dustpan-batch.csv").read_text().splitlines()) == 1001


@pytest.mark.slow
def test_names_with_every_legal_character_are_done(shots: Path, tmp_path: Path) -> None:
    whole, folder, out = (shots / "shot 0.png").read_bytes(), tmp_path / "odd", tmp_path / "out"
    folder.mkdir()
    names = ["a\nb.png", "-rf.png", "{name}.png", "'$(x)`\".png", "Größe ☂.png", "%s %d.png", "=1+1.png", " .png"]
    for name in names:
        (folder / name).write_bytes(whole)
    (folder / "\udcff.png").write_bytes(whole)  # no UTF-8 at all
    assert done(ordered(folder, out, reported=True)).done == len(names) + 1
    assert len(list(out.glob("*.png"))) == len(names) + 1
    cells = [row[0] for row in csv.reader((out / "dustpan-batch.csv").read_text(errors="replace").splitlines()[1:])]
    assert not [c for c in cells if c.startswith(("=", "+", "@"))]


@pytest.mark.slow
def test_a_folder_of_results_that_is_gone_ends_in_sentences(shots: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    told = Quiet(lambda n, o: shutil.rmtree(out, ignore_errors=True))
    with pytest.raises(FileProblem):
        done(ordered(shots, out), told)
    assert (shots / "shot 0.png").exists()
    (tmp_path / "file").write_text("no folder")
    with pytest.raises(FileProblem):
        Journal(tmp_path / "file")


# ---------------------------------------------------------------- who does it


def test_a_doer_is_a_row_and_one_is_chosen_by_its_setting(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("dustpan.core.batch.cluster.PATIENCE", 0.5)
    assert [kind.id for kind in DOERS] == ["here", "workers", "scheduler"]
    usual = {kind.id: kind.usual for kind in DOERS if kind.usual is not None}
    for asked, expected in ((None, Here), (usual, Here), ({**usual, "workers": 2}, Processes)):
        doer = doer_for([tmp_path], asked)  # type: ignore[arg-type]
        assert type(doer) is expected
        doer.close()
    with pytest.raises(WrongUse, match="either --workers or --scheduler"):
        doer_for([tmp_path], {"workers": 2, "scheduler": "tcp://127.0.0.1:9"})
    with pytest.raises(WrongUse, match="no scheduler at"):
        doer_for([tmp_path], {"workers": 0, "scheduler": "tcp://127.0.0.1:9"})
