"""The where half: parts are added, painted, dragged, joined, shown over the picture, kept, and undone by name."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QPointingDevice, QTabletEvent
from PyQt6.QtWidgets import QApplication

from dustpan.core.files import save_picture
from dustpan.core.jobs.one import Task, run
from dustpan.core.parts import PARTS
from dustpan.core.picture import from_array
from dustpan.core.region import Region
from dustpan.core.sweep import beside, load_sweep
from dustpan.ui.bench.canvas import Canvas
from dustpan.ui.bench.where_panel import Shown
from dustpan.ui.bench.where_tools import PART_TOOLS
from dustpan.ui.instruments.all import PART_INSTRUMENTS
from tests.ui.conftest import Bench

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def at(canvas: Canvas, y: float, x: float) -> QPoint:
    """Where a place of the picture lies on the canvas."""
    (ox, oy), r = canvas.origin(), canvas.devicePixelRatioF()
    return QPointF((ox + x * canvas.zoom) / r, (oy + y * canvas.zoom) / r).toPoint()


@pytest.fixture
def where(bench: Bench, lamp: Path) -> Bench:
    """The where half of Noise."""
    bench.open(lamp)
    bench.click(bench.window.bench.sweep_line.chips[0].where)
    return bench


def mask_of(bench: Bench, index: int = 0) -> np.ndarray:
    d = bench.window.document
    assert d is not None
    return d.renderer.mask(d.sweep, index)


def offer(bench: Bench, words: str) -> None:
    bench.click(next(b for b in bench.window.bench.tray.where.first if b.text() == words))
    bench.wait()


def stroke(bench: Bench, *places: tuple[float, float]) -> None:
    canvas = bench.window.bench.canvas
    start, *rest = [at(canvas, y, x) for y, x in places]
    bench.bot.mousePress(canvas, Qt.MouseButton.LeftButton, pos=start)
    for place in rest:
        bench.bot.mouseMove(canvas, place)
    bench.bot.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=rest[-1] if rest else start)
    bench.wait()


@pytest.mark.slow
def test_the_step_is_painted_away_in_three_actions(where: Bench) -> None:
    w = where.window
    cleaned = where.canvas_pixels()
    offer(where, "Everywhere except brush")
    assert np.array_equal(where.canvas_pixels(), cleaned)
    w.bench.tray.where.brush.size = 60
    stroke(where, (140, 150), (140, 200))
    mask = mask_of(where)
    assert mask[140, 175] == 0
    assert mask[20, 20] == 1
    d = w.document
    after = d.renderer.render(d.sweep)
    assert np.array_equal(after[mask == 0], d.picture.pixels[mask == 0])
    assert not np.array_equal(where.canvas_pixels(), cleaned)
    assert "brush stroke 1" in w.menus.undo.text()


@pytest.mark.slow
def test_noise_in_three_strengths_is_painted_in_seven_actions(bench: Bench, lamp: Path) -> None:
    """Half of it everywhere, all of it where it is painted, none on what is painted away."""
    bench.open(lamp)
    w = bench.window
    for name in ("luminance", "colour"):
        bench.type_value(name, "0.5")  # 1, 2
    bench.wait()
    d = w.document
    weak = d.renderer.render(d.sweep)
    w.bench.tray.where.brush.size = 60
    w.bench.editing.add_step("noise")  # 3: + Step, Noise
    bench.wait()
    bench.click(w.bench.sweep_line.chips[1].where)  # 4
    offer(bench, "Brush")  # 5
    assert np.array_equal(d.renderer.render(d.sweep), weak)
    stroke(bench, (60, 60), (60, 160))  # 6
    mask = mask_of(bench, 1)
    once = d.picture.pixels + 2 * (weak - d.picture.pixels)
    after = d.renderer.render(d.sweep)
    assert np.array_equal(after[mask == 0], weak[mask == 0])
    assert after[mask == 1] == pytest.approx(once[mask == 1], abs=1e-4)
    bench.click(w.bench.sweep_line.chips[0].where)
    offer(bench, "Everywhere except brush")
    stroke(bench, (200, 200), (200, 260))
    away = mask_of(bench, 0) == 0
    assert away.any()
    assert np.array_equal(d.renderer.render(d.sweep)[away], d.picture.pixels[away])


@pytest.mark.slow
def test_a_second_noise_after_a_whole_one_says_that_nothing_is_left(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    w = bench.window
    w.bench.editing.add_step("noise")
    bench.wait()
    bench.bot.waitUntil(lambda: 1 in w.bench.state.warnings, timeout=30_000)
    assert w.bench.state.warnings[1] == "no noise is left for it"
    assert 0 not in w.bench.state.warnings


@pytest.mark.slow
def test_only_the_smooth_parts_in_two_actions(where: Bench) -> None:
    offer(where, "Smooth parts")
    part = where.window.document.sweep.steps[0].where.parts[0]
    assert (part.kind.id, part.inverted) == ("texture", True)
    assert 0.05 < mask_of(where).mean() < 0.99


@pytest.mark.slow
def test_strokes_erase_go_straight_and_are_undone_one_by_one(where: Bench) -> None:
    w = where.window
    offer(where, "Brush")
    assert not mask_of(where).any()
    w.bench.tray.where.brush.size = 40
    stroke(where, (60, 60), (60, 160))
    full = mask_of(where)
    assert full[60, 110] == 1
    where.key(Qt.Key.Key_E)
    w.bench.tray.where.brush.size = 20
    stroke(where, (60, 100), (60, 120))
    assert mask_of(where)[60, 110] == 0
    assert "erase 2" in w.menus.undo.text()
    where.key(Qt.Key.Key_E)
    canvas = w.bench.canvas
    where.bot.mouseClick(canvas, Qt.MouseButton.LeftButton, SHIFT, at(canvas, 200, 120))
    where.wait()
    assert mask_of(where)[130, 120] > 0.5  # a straight line from where the last stroke ended
    where.key(Qt.Key.Key_Z, CTRL)
    where.key(Qt.Key.Key_Z, CTRL)
    where.wait()
    assert np.array_equal(mask_of(where), full)
    assert len(w.document.sweep.steps[0].where.parts[0].params.strokes) == 1


@pytest.mark.slow
def test_the_brush_follows_keys_and_its_controls(where: Bench) -> None:
    w = where.window
    offer(where, "Brush")
    brush, rows = w.bench.tray.where.brush, w.bench.tray.where.rows
    rows["size"].box.setValue(80)
    assert brush.size == 80
    where.key(Qt.Key.Key_BracketRight)
    assert brush.size == 92
    assert rows["size"].box.value() == 92
    where.key(Qt.Key.Key_BracketLeft)
    where.key(Qt.Key.Key_BracketLeft)
    assert brush.size < 75
    rows["opacity"].box.setValue(50)
    stroke(where, (100, 100), (100, 200))
    stroke(where, (100, 100), (100, 200))
    assert mask_of(where).max() == pytest.approx(0.5, abs=0.01)


@pytest.mark.slow
def test_the_pressure_of_a_pen_makes_the_brush_narrower(where: Bench) -> None:
    w = where.window
    offer(where, "Brush")
    w.bench.tray.where.brush.size = 60
    canvas = w.bench.canvas

    def pen(kind: QEvent.Type, pressure: float) -> None:
        place, left = QPointF(at(canvas, 100, 100)), Qt.MouseButton.LeftButton
        device = QPointingDevice.primaryPointingDevice()
        no_keys = Qt.KeyboardModifier.NoModifier
        QApplication.sendEvent(
            canvas, QTabletEvent(kind, device, place, place, pressure, 0, 0, 0, 0, 0, no_keys, left, left)
        )

    pen(QEvent.Type.TabletPress, 0.3)
    stroke(where, (100, 100), (100, 200))
    light = (mask_of(where) > 0.5).sum()
    pen(QEvent.Type.TabletRelease, 0.0)
    where.key(Qt.Key.Key_Z, CTRL)
    stroke(where, (100, 100), (100, 200))
    assert light < 0.5 * (mask_of(where) > 0.5).sum()


@pytest.mark.slow
def test_an_ellipse_is_dragged_by_its_handles_and_typed(where: Bench) -> None:
    w = where.window
    offer(where, "Ellipse")
    canvas, tool = w.bench.canvas, w.bench.part_tools["ellipse"]
    before = w.document.sweep.steps[0].where.parts[0].params
    y, x = tool.handles()["middle"]
    where.drag(canvas, at(canvas, y, x), at(canvas, y + 40, x - 60))
    where.wait()
    moved = w.document.sweep.steps[0].where.parts[0].params
    assert (moved.y - before.y, moved.x - before.x) == (pytest.approx(40, abs=2), pytest.approx(-60, abs=2))
    y, x = tool.handles()["across"]
    where.drag(canvas, at(canvas, y, x), at(canvas, y + 20, x + 20))
    where.wait()
    turned = w.document.sweep.steps[0].where.parts[0].params
    assert turned.angle > 5
    w.bench.tray.where.rows["down"].box.setValue(25)
    where.wait()
    assert w.document.sweep.steps[0].where.parts[0].params.down == 25
    assert mask_of(where)[round(turned.y), round(turned.x)] == 1


@pytest.mark.slow
def test_a_gradient_has_two_lines(where: Bench) -> None:
    w = where.window
    offer(where, "Gradient")
    canvas, tool = w.bench.canvas, w.bench.part_tools["gradient"]
    y, x = tool.handles()["second"]
    where.drag(canvas, at(canvas, y, x), at(canvas, 260, x))
    where.wait()
    assert w.document.sweep.steps[0].where.parts[0].params.ends[1][0] == pytest.approx(260, abs=2)
    mask = mask_of(where)
    assert mask[2].min() == 1
    assert mask[-2].max() == 0


@pytest.mark.slow
def test_parts_are_joined_in_a_sentence_that_can_be_changed(where: Bench) -> None:
    w, panel = where.window, where.window.bench.tray.where
    offer(where, "Tones")
    where.key(Qt.Key.Key_2, CTRL | SHIFT)  # an ellipse
    where.wait()
    assert [c.name.text() for c in panel.chips] == ["tones", "ellipse"]
    where.click(panel.chips[1].how)
    where.wait()
    assert panel.chips[1].how.text() == "only where"
    only = mask_of(where)
    where.click(panel.chips[1].how)
    where.wait()
    assert panel.chips[1].how.text() == "except"
    tones = mask_of(where) + only
    where.click(panel.remove)
    where.wait()
    assert np.allclose(mask_of(where), tones, atol=1e-5)
    panel.rows["low"].box.setValue(0.3)
    where.click(panel.inverted)
    where.wait()
    part = w.document.sweep.steps[0].where.parts[0]
    assert (part.inverted, part.params.low) == (True, 0.3)
    chart = panel.charts["tones"]
    handle = chart.handles()[1].at.toPoint()
    where.drag(chart, handle, handle - QPoint(60, 0))
    where.wait()
    assert w.document.sweep.steps[0].where.parts[0].params.high < 0.9
    panel.rows["feather"].box.setValue(12)
    panel.rows["faded"].box.setValue(40)
    where.click(panel.double)
    where.wait()
    assert [(p.feather, p.faded) for p in w.document.sweep.steps[0].where.parts] == [(12, 40), (12, 40)]


@pytest.mark.slow
def test_colours_are_picked_with_clicks(where: Bench) -> None:
    w = where.window
    offer(where, "Colour")
    canvas = w.bench.canvas
    for n, (y, x) in enumerate(((30, 30), (200, 300)), 1):
        where.bot.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=at(canvas, y, x))
        where.bot.waitUntil(lambda n=n: len(w.document.sweep.steps[0].where.parts[0].params.colours) == n)
        where.wait()
    assert mask_of(where)[30, 30] > 0.5


@pytest.mark.slow
def test_the_mask_shows_itself_while_a_control_is_held_and_when_asked(where: Bench) -> None:
    w, panel = where.window, where.window.bench.tray.where
    offer(where, "Tones")
    canvas = w.bench.canvas
    assert canvas.overlay is None
    row = panel.rows["low"]
    row.slider.setSliderDown(True)
    row.slider.setValue(300)
    where.bot.waitUntil(lambda: canvas.overlay is not None, timeout=5000)
    row.slider.setSliderDown(False)
    where.bot.waitUntil(lambda: canvas.overlay is None, timeout=5000)
    where.bot.keyPress(w, Qt.Key.Key_V)
    where.bot.waitUntil(lambda: canvas.overlay is not None, timeout=5000)
    where.bot.keyRelease(w, Qt.Key.Key_V)
    assert canvas.overlay is None
    for n in range(1, 1 + len(Shown)):
        panel.shown.setCurrentIndex(n)
        panel.shown.activated.emit(n)
        where.bot.waitUntil(lambda: canvas.overlay is not None, timeout=5000)
    panel.shown.activated.emit(0)
    assert canvas.overlay is None
    where.key(Qt.Key.Key_2, Qt.KeyboardModifier.AltModifier | SHIFT)  # the look “mask”
    where.bot.waitUntil(lambda: canvas.overlay is not None, timeout=5000)


@pytest.mark.slow
def test_the_chip_says_how_much_is_covered_and_a_key_goes_to_and_fro(where: Bench) -> None:
    w = where.window
    chip = w.bench.sweep_line.chips[0]
    assert chip.where.text() == "all"
    offer(where, "Gradient")
    where.bot.waitUntil(lambda: chip.where.text().endswith("%"), timeout=10_000)
    assert 30 <= int(chip.where.text().split()[0]) <= 70
    assert w.bench.tray.pages.currentIndex() == 1
    where.key(Qt.Key.Key_H)
    assert w.bench.tray.pages.currentIndex() == 0
    where.key(Qt.Key.Key_H)
    assert w.bench.tray.pages.currentIndex() == 1


@pytest.mark.slow
def test_the_same_step_twice_with_different_masks_and_a_kept_one(where: Bench) -> None:
    w = where.window
    offer(where, "Gradient")
    where.key(Qt.Key.Key_D, CTRL)
    where.wait()
    first, second = w.document.sweep.steps
    assert first.where == second.where
    w.bench.masking.next_how(0)
    where.wait()
    assert w.document.sweep.steps[0].where != w.document.sweep.steps[1].where
    where.click(w.bench.tray.where.keep)
    where.wait()
    name = w.document.sweep.masks[0][0]
    before = mask_of(where, 1)
    assert [p.kind.id for p in w.document.sweep.steps[1].where.parts] == ["kept"]
    w.bench.masking.copy_to(0)
    where.wait()
    assert np.array_equal(mask_of(where, 0), before)
    assert w.bench.tray.where.rows["name"].names.currentText() == name


@pytest.mark.slow
def test_what_is_saved_opens_the_same_and_the_command_line_gives_the_same(where: Bench, tmp_path: Path) -> None:
    w, lamp = where.window, where.window.document.path
    offer(where, "Brush")
    stroke(where, (60, 60), (120, 200))
    w.bench.masking.set_fields({"feather": 8})
    w.bench.masking.choose(-1)
    w.bench.tray.where.rows["grow"].box.setValue(3)
    where.wait()
    shown = w.document.renderer.render(w.document.sweep)
    w.files.save()
    kept = load_sweep(beside(lamp))
    assert kept.steps == w.document.sweep.steps
    path = tmp_path / "result.tif"
    run(Task(str(lamp), str(path), kept.as_json()))
    from dustpan.core.files import open_picture

    assert np.allclose(open_picture(path).pixels, np.rint(shown * 65535) / 65535, atol=1e-6)
    assert beside(lamp).stat().st_size < 20_000


@pytest.mark.slow
def test_parts_are_reached_and_changed_by_keys_alone(where: Bench) -> None:
    w = where.window
    where.key(Qt.Key.Key_4, CTRL | SHIFT)
    where.wait()
    where.key(Qt.Key.Key_6, CTRL | SHIFT)
    where.wait()
    assert [p.kind.id for p in w.document.sweep.steps[0].where.parts] == ["tones", "edges"]
    where.key(Qt.Key.Key_Up, CTRL)
    assert w.state.part == 0
    where.key(Qt.Key.Key_J, SHIFT)
    where.key(Qt.Key.Key_J)
    where.wait()
    part = w.document.sweep.steps[0].where.parts[0]
    assert part.inverted
    assert part.how.value == "except"
    where.key(Qt.Key.Key_Backspace, SHIFT)
    where.wait()
    assert [p.kind.id for p in w.document.sweep.steps[0].where.parts] == ["edges"]


@pytest.mark.slow
def test_a_step_that_makes_another_kind_cannot_be_limited(bench: Bench, striped: Path) -> None:
    bench.open(striped)
    w = bench.window
    assert bench.names()[0] == "Develop"
    w.bench.editing.choose(0)
    w.bench.masking.add("edges")
    assert "can be limited" in w.bench.notice.text.text()
    assert not any(s.where.parts for s in w.document.sweep.steps)


@pytest.mark.slow
def test_a_storm_of_strokes_leaves_memory_where_it_was(where: Bench) -> None:
    import resource

    w = where.window
    offer(where, "Brush")
    rng = np.random.default_rng(1)

    def storm(times: int) -> None:
        for _ in range(times):
            y, x = rng.integers(20, 260), rng.integers(20, 380)
            canvas = w.bench.canvas
            where.drag(canvas, at(canvas, y, x), at(canvas, y + 10, x + 10))
            where.key(Qt.Key.Key_Z, CTRL)
        where.wait()

    storm(15)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    storm(60)
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 60_000  # kB
    assert not w.document.sweep.steps[0].where.parts[0].params.strokes


@pytest.mark.slow
def test_another_file_can_be_chosen_as_a_mask_and_a_bad_one_is_told(where: Bench, tmp_path: Path) -> None:
    for name, value in (("left", 0), ("right", 200)):
        plane = np.full((288, 400), 200 - value, np.uint8)
        plane[:, 200:] = value
        save_picture(from_array(plane), tmp_path / f"{name}.png")
    masking = where.window.bench.masking
    masking.add("picture")
    for name, side in (("left", 50), ("right", 350)):
        masking.set_values({"file": str(tmp_path / f"{name}.png")})
        where.wait()
        mask = mask_of(where)
        assert mask[100, side] > 0.7
        assert mask[100, 400 - side] == 0
    before = where.window.document.sweep
    masking.set_values({"file": str(tmp_path / "gone.png")})
    where.wait()
    assert "gone.png" in where.window.bench.notice.text.text()
    assert where.window.document.sweep == before


def test_every_tool_and_instrument_that_a_part_names_is_there() -> None:
    for kind in PARTS:
        assert not kind.tool or kind.tool in PART_TOOLS
        assert not kind.instrument or kind.instrument in PART_INSTRUMENTS
        for offer in kind.first_offers():
            kind.make(offer.values)
        kind.make(kind.begin(Region(0, 0, 100, 200), ["one"]))
