"""Recipes and batches in the window: kept, previewed, used, and done to many while the bench is used."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent

from dustpan.core.batch.journal import unfinished
from dustpan.core.files import save_picture
from dustpan.core.jobs.one import State
from dustpan.core.picture import from_array
from dustpan.core.recipes.recipe import load_recipe
from dustpan.ui.dialogs.preferences import Rule
from dustpan.ui.many.batch import BatchView
from dustpan.ui.many.recipes import RecipesView
from tests.core.batch.many import pictures
from tests.ui.conftest import Bench

CTRL = Qt.KeyboardModifier.ControlModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def evening(tmp_path: Path) -> Path:
    return pictures(tmp_path / "evening", 3, (120, 160))


def recipes(bench: Bench) -> RecipesView:
    view = bench.window.area.made["recipes"]
    assert isinstance(view, RecipesView)
    return view


def choose(view: RecipesView, name: str) -> None:
    view.list.setCurrentRow([s.name for s in view.shelved].index(name))


@pytest.mark.slow
def test_a_sweep_is_kept_named_and_used_on_another_picture(bench: Bench, lamp: Path, evening: Path) -> None:
    bench.open(lamp)
    bench.type_value("luminance", "0.6")
    bench.wait()
    bench.key(Qt.Key.Key_R, SHIFT)
    view = recipes(bench)
    assert view.isVisible()
    bench.bot.keyClicks(view.name, "Lamps")
    bench.bot.keyClick(view.name, Qt.Key.Key_Return)
    assert view.chosen is not None
    assert view.chosen.name == "Lamps"
    recipe = load_recipe(view.chosen.path)
    assert recipe.did.verdict["noise_left"] is not None
    assert recipe.did.before
    assert not view.list.item(view.list.currentRow()).icon().isNull()
    bench.open(evening / "shot 0.png")
    bench.window.files.show_number(1)
    bench.wait()
    view.fill()
    choose(view, "Lamps")
    bench.click(view.batch)
    many = bench.window.area.made["batch"]
    assert isinstance(many, BatchView)
    assert many.isVisible()
    assert many.form.recipe.currentText() == "Lamps"
    assert many.form.order().recipe == "Lamps"
    bench.key(Qt.Key.Key_R)
    choose(view, "Lamps")
    bench.bot.waitUntil(lambda: "noise left" in view.figures.text(), timeout=30_000)
    assert all(not side.pixmap().isNull() for side in view.places[0])
    bench.click(view.replace)
    bench.wait()
    assert bench.window.document.sweep.steps[0].params.luminance == 0.6
    assert bench.window.document.history.undo_name == "recipe Lamps"
    assert bench.window.bench.isVisible()
    bench.key(Qt.Key.Key_Z, CTRL)
    bench.wait()
    assert bench.window.document.sweep.steps[0].params.luminance == 1.0


@pytest.mark.slow
def test_recipes_are_searched_doubled_described_deleted_and_put_back(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.key(Qt.Key.Key_R)
    view = recipes(bench)
    shipped = view.list.count()
    bench.bot.keyClicks(view.search, "stars")
    assert [s.name for s in view.shelved] == ["Deep-sky frame"]
    assert view.name.isReadOnly()
    assert not view.drop.isEnabled()
    bench.click(view.double)
    view.search.clear()
    choose(view, "Deep-sky frame 2")
    view.about.setPlainText("Mine.")
    bench.bot.waitUntil(lambda: load_recipe(view.chosen.path).about == "Mine.", timeout=5_000)
    bench.click(view.drop)
    assert view.list.count() == shipped
    bench.click(view.back)
    assert view.list.count() == shipped + 1


@pytest.mark.slow
def test_a_chain_is_one_entry_opened_when_wanted(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.key(Qt.Key.Key_R)
    view = recipes(bench)
    choose(view, "Detail in the lights")
    bench.click(view.add)
    bench.wait()
    w, line = bench.window, bench.window.bench.sweep_line
    assert len(w.document.sweep.steps) == 3
    assert bench.names() == ["Noise", "Detail in the lights"]
    chip = line.chips[1]
    chip.switch.click()
    bench.wait()
    assert [s.on for s in w.document.sweep.steps] == [True, False, False]
    bench.click(chip.where)
    assert bench.names() == ["Noise", "Fine detail", "Fine detail"]
    w.bench.editing.choose(1)
    bench.key(Qt.Key.Key_O, SHIFT)
    assert bench.names() == ["Noise", "Detail in the lights"]
    w.bench.editing.move_step(1, 0)
    assert [s.name for s in w.document.sweep.steps] == ["Fine detail", "Fine detail", "Noise"]
    w.bench.editing.move_step(0, 2)
    assert [s.name for s in w.document.sweep.steps] == ["Noise", "Fine detail", "Fine detail"]
    w.bench.editing.remove_step(1)
    assert bench.names() == ["Noise"]


def batch(bench: Bench, evening: Path, out: Path) -> BatchView:
    bench.key(Qt.Key.Key_B, CTRL)
    view = bench.window.area.made["batch"]
    assert isinstance(view, BatchView)
    view.form.sources.clear()
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(evening))])
    where = QPointF(view.rect().center())
    buttons, keys = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    view.dropEvent(QDropEvent(where, Qt.DropAction.CopyAction, mime, buttons, keys))
    view.form.out.setText(str(out))
    plan(bench, view)
    return view


def plan(bench: Bench, view: BatchView) -> None:
    with bench.bot.waitSignal(view.run.planning.ready, timeout=10_000):
        view.show_plan()


@pytest.mark.slow
def test_many_are_done_while_the_bench_is_used(bench: Bench, lamp: Path, evening: Path, tmp_path: Path) -> None:
    bench.open(lamp)
    out = tmp_path / "out"
    view = batch(bench, evening, out)
    assert "shot 0.png → shot 0.png" in view.form.becomes.text()
    view.form.pattern.setText("{number:02} {name}")
    plan(bench, view)
    assert "01 shot 0.png" in view.form.becomes.text()
    titles = []
    view.run.progressed.connect(lambda *_: titles.append(bench.window.windowTitle()))
    bench.click(view.begin)
    bench.key(Qt.Key.Key_Escape)
    bench.type_value("luminance", "0.8")
    bench.bot.waitUntil(lambda: not view.run.running and not view.begin.isHidden(), timeout=60_000)
    assert sorted(p.name for p in out.glob("*.png")) == [f"0{n + 1} shot {n}.png" for n in range(3)]
    assert any(t.startswith("1/3 · ") for t in titles)
    assert "3 done" in view.note.text()
    assert view.report.isEnabled()
    assert view.table.item(0, 3).text() != ""
    bench.wait()
    assert bench.window.document.sweep.steps[0].params.luminance == 0.8


@pytest.mark.slow
def test_the_bytes_are_those_of_the_window(bench: Bench, lamp: Path, tmp_path: Path) -> None:
    bench.open(lamp)
    view = batch(bench, lamp, tmp_path / "out")
    view.form.recipe.setCurrentIndex(view.form.recipe.findData("bench"))
    bench.click(view.begin)
    bench.bot.waitUntil(lambda: not view.run.running and not view.begin.isHidden(), timeout=60_000)
    bench.window.export()
    dialog = bench.window.export_dialog
    dialog.path.setText(str(tmp_path / "window.tif"))
    bench.click(dialog.start_button)
    bench.bot.waitUntil(lambda: not dialog.working, timeout=60_000)
    assert (tmp_path / "out" / "lamp.tif").read_bytes() == (tmp_path / "window.tif").read_bytes()


@pytest.mark.slow
def test_failures_are_listed_first_and_retried_alone(bench: Bench, lamp: Path, evening: Path, tmp_path: Path) -> None:
    whole = (evening / "shot 1.png").read_bytes()
    (evening / "shot 1.png").write_bytes(whole[:1000])
    bench.open(lamp)
    view = batch(bench, evening, tmp_path / "out")
    bench.click(view.begin)
    bench.bot.waitUntil(lambda: not view.again.isHidden(), timeout=60_000)
    assert view.table.item(0, 0).text() == "shot 1.png"
    assert "cut off" in view.table.item(0, 7).text()
    (evening / "shot 1.png").write_bytes(whole)
    done = []
    view.run.runner.ended.connect(lambda number, outcome: done.append((number, outcome.state)))
    bench.click(view.again)
    bench.bot.waitUntil(lambda: not view.run.running and not view.begin.isHidden(), timeout=60_000)
    assert done == [(1, State.DONE)]
    assert view.again.isHidden()


@pytest.mark.slow
def test_a_batch_is_cancelled_and_gone_on_with(
    bench: Bench, lamp: Path, evening: Path, tmp_path: Path, answer: Callable
) -> None:
    bench.open(lamp)
    out = tmp_path / "out"
    for n in range(3, 12):  # so many that it is called off before they are all done
        (evening / f"shot {n}.png").write_bytes((evening / "shot 0.png").read_bytes())
    view = batch(bench, evening, out)
    view.run.runner.ended.connect(lambda *_: view.call_off() if len(view.run.outcomes) == 1 else None)
    bench.click(view.begin)
    bench.bot.waitUntil(lambda: len(view.run.outcomes) >= 1, timeout=60_000)
    bench.bot.waitUntil(lambda: not view.run.running and not view.begin.isHidden(), timeout=10_000)
    left = unfinished(out)
    assert left is not None
    assert left[0] > 0
    assert left[1] == 12
    view.run.runner.ended.disconnect()
    view.run.runner.ended.connect(view.run._end)
    plan(bench, view)
    assert not view.resume.isHidden()
    assert "was not finished" in view.note.text()
    bench.click(view.resume)
    bench.bot.waitUntil(lambda: not view.run.running and not view.begin.isHidden(), timeout=60_000)
    assert len(list(out.glob("*.png"))) == 12
    assert unfinished(out) is None


@pytest.mark.slow
def test_a_folder_is_watched_until_it_is_cancelled(bench: Bench, lamp: Path, evening: Path, tmp_path: Path) -> None:
    bench.open(lamp)
    card, out = tmp_path / "card", tmp_path / "out"
    card.mkdir()
    view = batch(bench, card, out)
    assert not view.begin.isEnabled()
    view.form.watch.setChecked(True)
    bench.bot.waitUntil(view.begin.isEnabled, timeout=5_000)
    bench.click(view.begin)
    bench.bot.waitUntil(lambda: "Watching" in view.note.text(), timeout=10_000)
    (card / "a.png").write_bytes((evening / "shot 0.png").read_bytes())
    bench.bot.waitUntil(lambda: (out / "a.png").exists() and view.table.rowCount() == 1, timeout=30_000)
    bench.click(view.cancel)
    bench.bot.waitUntil(lambda: not view.run.running and not view.begin.isHidden(), timeout=5_000)


@pytest.mark.slow
def test_three_hundred_pictures_are_shown_at_once(bench: Bench, lamp: Path, tmp_path: Path) -> None:
    folder = tmp_path / "many"
    folder.mkdir()
    plane = np.full((16, 16, 3), 90, np.uint8)
    for n in range(300):
        save_picture(from_array(plane), folder / f"{n:03}.png")
    bench.open(lamp)
    view = batch(bench, folder, tmp_path / "out")
    assert view.table.rowCount() == 300
    assert view.table.item(299, 0).text() == "299.png"


@pytest.mark.slow
def test_pictures_begin_with_a_recipe_by_rule(bench: Bench, lamp: Path, evening: Path) -> None:
    w = bench.window
    paths = {s.name: str(s.path) for s in w.shelf.found()}
    w.preferences.on_opening = "nothing"
    w.preferences.rules = [Rule(ending=".tif", recipe=paths["Somebody else's JPEG"])]
    bench.open(lamp)
    assert bench.names() == ["Compression marks", "Noise", "Edge sharpen"]
    bench.open(evening / "shot 0.png")
    w.files.show_number(1)
    assert bench.names() == []
    fits = Rule(iso_from=1600, iso_to=6400)
    assert fits.fits(lamp, 3200)
    assert not fits.fits(lamp, 800)
    assert not fits.fits(lamp, None)
