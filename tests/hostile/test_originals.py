"""Originals and other people's files are never written over."""

from __future__ import annotations

import ast
import json
import os
import re
from dataclasses import replace
from pathlib import Path

import pytest

from dustpan.core.batch.batch import prepare, run_batch
from dustpan.core.batch.here import Here
from dustpan.core.batch.journal import NAME, Journal, unfinished
from dustpan.core.batch.order import Order, Taken, planned
from dustpan.core.errors import FileProblem, WrongUse
from dustpan.core.files.atomic import TargetTaken, write_atomically
from dustpan.core.files.guard import GUARD
from dustpan.core.files.reading import fingerprint
from dustpan.core.grammar import parse_step
from dustpan.core.jobs.one import State
from dustpan.core.recipes.recipe import recipe_of
from dustpan.core.recipes.shelf import ChangedMeanwhile, Shelf
from dustpan.core.sweep import Sweep, beside, save_sweep
from tests.core.batch.many import Quiet, done
from tests.hostile.conftest import Run, held, picture

SOURCE = Path(__file__).resolve().parents[2] / "src" / "dustpan"
SOFTEN = Sweep((parse_step("soften"),))


def changed(path: Path, seed: int) -> None:
    """Another program puts another picture in the place of one."""
    os.replace(picture(path.parent.parent / "made" / "new.tif", seed), path)


def order(folder: Path, out: Path, **more: object) -> Order:
    return Order(sources=(str(folder),), out=str(out), sweep=SOFTEN.as_json(), reported=False, **more)  # type: ignore[arg-type]


# ---------------------------------------------------------------- the one door


def test_a_mask_a_map_or_a_recipe_is_not_written_over_what_it_is_made_of(run: Run, shot: Path, tmp_path: Path) -> None:
    save_sweep(SOFTEN, beside(shot))
    before = held(tmp_path)
    link, hard = tmp_path / "link.tif", tmp_path / "hard.tif"
    link.symlink_to(shot)
    os.link(shot, hard)
    spelled = tmp_path / "x" / ".." / "a.tif"
    (tmp_path / "x").mkdir()
    for target in (shot, hard, spelled):
        for words in (
            ("mask", shot, "@edges", "--out", target),
            ("find", shot, "--step", "hot-pixels", "--map", target),
            ("recipes", "--keep", shot, "--out", target),
            ("clean", shot, "--step", "soften", "--out", target),
        ):
            code, said = run(*words)
            assert code in (1, 2), words
            assert "written over" in said or "the picture itself" in said or "would" in said
    assert {n: b for n, b in held(tmp_path).items() if n in before} == before


def test_in_place_is_still_allowed_when_it_is_said(run: Run, shot: Path) -> None:
    before = shot.read_bytes()
    assert run("clean", shot, "--step", "soften", "--in-place")[0] == 0
    assert shot.read_bytes() != before


def test_a_sweep_or_a_map_that_is_used_is_not_written_over(run: Run, shot: Path, tmp_path: Path) -> None:
    sweep = tmp_path / "my.sweep.tif"
    save_sweep(SOFTEN, tmp_path / "my.json")
    (tmp_path / "my.json").rename(sweep)
    code, _ = run("clean", shot, "--recipe", sweep, "--out", sweep)
    assert code == 1
    assert json.loads(sweep.read_text())["steps"]


def test_what_is_handed_back_is_not_the_picture_itself(run: Run, shot: Path) -> None:
    code, said = run("open", shot, "--return", shot)
    assert code == 1
    assert "the picture itself" in said


def test_what_is_open_is_held_until_it_is_closed(shot: Path) -> None:
    from dustpan.core.open.document import Document
    from dustpan.core.render.cache import Cache

    document = Document(shot, Cache())
    try:
        with pytest.raises(FileProblem, match="not written over"):
            write_atomically(shot, lambda file: file.write(b"gone"))
    finally:
        document.close()
    write_atomically(shot, lambda file: file.write(b"new"))
    assert shot.read_bytes() == b"new"


def test_two_holds_of_one_file_are_let_go_apart(shot: Path) -> None:
    first, second = GUARD.hold(shot), GUARD.hold(shot)
    first()
    first()
    assert GUARD.holds(shot)
    second()
    assert not GUARD.holds(shot)


WRITES = re.compile(r"\b(write_text|write_bytes|os\.open|os\.rename|shutil\.\w+)\(|\bopen\([^)]*[\"'][rb]*[wax]")
MAY = {  # what writes without the door, and why that is no path that somebody typed
    "core/files/atomic.py", "core/files/reading.py",  # the doors themselves
    "core/batch/journal.py",  # of its own name, opened without following links
    "core/files/exr.py",  # a temporary file for a library that reads paths only
    "core/kernel_cache.py", "ui/safety.py",  # folders and locks of our own
    "cli/prepare.py",  # the simulated camera: new files only
    "cli/install.py",  # looks for programs
    "core/open/saved.py",  # gives an unreadable sweep beside a picture another name
}  # fmt: skip


@pytest.mark.slow
def test_no_module_writes_but_through_the_door() -> None:
    found = set()
    for path in SOURCE.rglob("*.py"):
        name = path.relative_to(SOURCE).as_posix()
        if name.startswith("demo/"):
            continue
        code = ast.unparse(ast.parse(path.read_text("utf-8")))
        if WRITES.search(code) or re.search(r"\.save\((str|path|self\.path)", code):
            found.add(name)
    assert found <= MAY


# ---------------------------------------------------------------- batches


def test_sources_of_a_batch_are_never_its_targets(tmp_path: Path) -> None:
    folder = tmp_path / "in"
    for n in (1, 2, 10):
        picture(folder / f"img{n}.tif", n)
    before = held(folder)
    for given in ({"taken": Taken.REPLACE}, {"taken": Taken.REPLACE, "name": "img{number}"}, {"name": "img{number}"}):
        items = planned(order(folder, folder, **given))
        assert not {Path(t).name for _, t in items} & set(before)
    done(order(folder, folder, taken=Taken.REPLACE, name="img{number}"))
    assert {n: b for n, b in held(folder).items() if n in before} == before


@pytest.mark.parametrize("way", ["soft", "hard", "text"])
def test_a_journal_that_is_not_ours_is_left_alone(tmp_path: Path, way: str) -> None:
    out, victim = tmp_path / "out", tmp_path / "diary.txt"
    out.mkdir()
    victim.write_text("dear diary")
    {"soft": lambda: (out / NAME).symlink_to(victim), "hard": lambda: os.link(victim, out / NAME),
     "text": lambda: (out / NAME).write_text("dear diary")}[way]()  # fmt: skip
    picture(tmp_path / "in" / "a.tif")
    for look in (lambda: unfinished(out), lambda: Journal(out), lambda: Journal(out, anew=True)):
        with pytest.raises(FileProblem, match="left as it is"):
            look()
    assert victim.read_text() == (out / NAME).read_text() == "dear diary"


@pytest.mark.parametrize("target", ["{out}/../victim.tif", "/tmp/victim.tif", "{out}/..", "{out}/sub/x.tif"])
def test_a_journal_writes_nowhere_but_in_its_folder(tmp_path: Path, target: str) -> None:
    out = tmp_path / "out"
    source = picture(tmp_path / "in" / "a.tif")
    with Journal(out) as journal:
        prepare(journal, order(source.parent, out), False)
    first = json.loads((out / NAME).read_text().splitlines()[0])
    first["items"] = [[str(source), target.format(out=out)]]
    (out / NAME).write_text(json.dumps(first).replace('{"dustpan_batch": ', '{"dustpan_batch": ') + "\n")
    with pytest.raises(WrongUse, match="outside"):
        Journal(out)


def test_what_somebody_made_of_a_result_is_kept(tmp_path: Path) -> None:
    folder, out = tmp_path / "in", tmp_path / "out"
    for n in "ab":
        picture(folder / f"{n}.tif", ord(n))
    done(order(folder, out))
    (out / "a.tif").write_bytes(b"retouched by hand")
    done(order(folder, out), resume=True)
    assert (out / "a.tif").read_bytes() == b"retouched by hand"
    assert (out / "a-2.tif").exists()
    again = Quiet()
    done(order(folder, out), again, resume=True)
    assert again.over == []


def test_a_file_that_came_to_a_name_still_to_be_done_is_kept(tmp_path: Path) -> None:
    folder, out = tmp_path / "in", tmp_path / "out"
    for n in "ab":
        picture(folder / f"{n}.tif", ord(n))
    with Journal(out) as journal:
        prepare(journal, order(folder, out), False)
        (out / "b.tif").write_bytes(b"somebody's own")
        run_batch(journal, Here(), Quiet())
    assert (out / "b.tif").read_bytes() == b"somebody's own"
    assert (out / "a.tif").exists()
    assert (out / "b-2.tif").exists()


def test_a_result_of_a_killed_run_is_its_own(tmp_path: Path) -> None:
    """It stands there before the journal could say so; done again, it is found to be the same."""
    folder, out = tmp_path / "in", tmp_path / "out"
    picture(folder / "a.tif")
    done(order(folder, out))
    lines = (out / NAME).read_bytes().splitlines(keepends=True)
    (out / NAME).write_bytes(lines[0])
    done(order(folder, out), resume=True)
    assert sorted(p.name for p in out.glob("*.tif")) == ["a.tif"]


def test_a_source_that_changes_while_it_is_worked_on_is_done_anew(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from dustpan.core.batch import here

    folder, out = tmp_path / "in", tmp_path / "out"
    source = picture(folder / "a.tif")
    runs, original = [], here.run

    def changing(task: object, *more: object) -> object:
        found = original(task, *more)  # type: ignore[arg-type]
        if not runs:
            changed(source, 2)
        runs.append(1)
        return found

    monkeypatch.setattr(here, "run", changing)
    done(order(folder, out))
    assert len(runs) == 2
    fresh = tmp_path / "fresh"
    done(order(folder, fresh))
    assert (out / "a.tif").read_bytes() == (fresh / "a.tif").read_bytes()
    assert sorted(p.name for p in out.glob("*.tif")) == ["a.tif"]


def test_one_that_never_stands_still_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from dustpan.core.batch import here

    folder, out = tmp_path / "in", tmp_path / "out"
    source, seeds, original = picture(folder / "a.tif"), iter(range(5, 99)), here.run

    def changing(task: object, *more: object) -> object:
        found = original(task, *more)  # type: ignore[arg-type]
        changed(source, next(seeds))
        return found

    monkeypatch.setattr(here, "run", changing)
    with Journal(out) as journal:
        prepare(journal, order(folder, out), False)
        run_batch(journal, Here(), Quiet())
        assert journal.outcomes[0].state is State.FAILED
        assert "changed" in journal.outcomes[0].error


def test_only_what_is_expected_is_written_over(tmp_path: Path) -> None:
    path = tmp_path / "x"
    write_atomically(path, lambda file: file.write(b"one"), expects="")
    write_atomically(path, lambda file: file.write(b"one"), expects="")  # the same is no loss
    with pytest.raises(TargetTaken):
        write_atomically(path, lambda file: file.write(b"two"), expects="")
    write_atomically(path, lambda file: file.write(b"two"), expects=fingerprint(path))
    assert path.read_bytes() == b"two"
    (tmp_path / "link").symlink_to(path)
    with pytest.raises(TargetTaken):
        write_atomically(tmp_path / "link", lambda file: file.write(b"two"), expects=fingerprint(path))


# ---------------------------------------------------------------- recipes


def test_undoing_a_removal_does_not_write_over_another_recipe(tmp_path: Path) -> None:
    shelf = Shelf(tmp_path)
    first = shelf.keep(recipe_of(SOFTEN, "Calm", about="the first"))
    undo = shelf.remove(first)
    shelf.keep(recipe_of(SOFTEN, "Calm", about="the second"))
    undo()
    assert sorted(s.recipe.about for s in shelf.all() if not s.shipped) == ["the first", "the second"]


def test_a_change_by_another_window_is_not_lost(tmp_path: Path) -> None:
    one, other = Shelf(tmp_path), Shelf(tmp_path)
    shelved = one.keep(recipe_of(SOFTEN, "Calm"))
    other.change(replace(shelved), about="theirs")
    with pytest.raises(ChangedMeanwhile, match="another window"):
        one.change(shelved, about="mine")
    assert next(s for s in one.all() if not s.shipped).recipe.about == "theirs"
