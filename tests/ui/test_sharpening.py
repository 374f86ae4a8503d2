"""Sharpening in the window: each step, what it works with, the blur's chart, and sharpening for the output."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from benchmarks.common import photograph
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QStyle, QStyleOptionSlider
from scipy import ndimage as ndi

from dustpan.core.files import open_picture, save_picture
from dustpan.core.finish.output import Use
from dustpan.core.picture import from_array
from dustpan.ui.instruments.blur import BlurInstrument
from tests.ui.conftest import LEFT, Bench

SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def soft(tmp_path: Path) -> Path:
    """A photograph through a blur of 1.3 px, with a little noise."""
    path, sharp = tmp_path / "soft.tif", photograph("coffee")[:288, :400]
    blurred = ndi.gaussian_filter(sharp, (1.3, 1.3, 0)) + np.random.default_rng(3).normal(0, 2 / 255, sharp.shape)
    save_picture(from_array(np.rint(np.clip(blurred, 0, 1) * 65535).astype(np.uint16)), path)
    return path


def handle(bench: Bench, name: str) -> QPoint:
    """Where the handle of a slider in the tray is."""
    slider = bench.window.bench.tray.rows[name].slider
    option = QStyleOptionSlider()
    slider.initStyleOption(option)
    style = slider.style()
    assert style is not None
    part = QStyle.SubControl.SC_SliderHandle
    return style.subControlRect(QStyle.ComplexControl.CC_Slider, option, part, slider).center()


@pytest.mark.slow
@pytest.mark.parametrize("id", ["deblur", "edge-sharpen", "fine-detail", "local-contrast", "soften"])
def test_each_step_is_added_and_changes_what_is_seen(bench: Bench, soft: Path, id: str) -> None:
    bench.open(soft)
    w = bench.window
    before = bench.canvas_pixels()
    w.bench.editing.add_step(id)
    bench.wait()
    step = w.bench.state.step()
    assert step is not None
    assert step.kind.id == id
    assert (bench.canvas_pixels() != before).any()
    bench.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    bench.wait()
    assert (bench.canvas_pixels() == before).all()


@pytest.mark.slow
@pytest.mark.parametrize(("id", "control"), [("fine-detail", "radius"), ("edge-sharpen", "threshold")])
def test_what_a_step_works_with_is_seen_while_a_control_is_held(
    bench: Bench, soft: Path, id: str, control: str
) -> None:
    bench.open(soft)
    w = bench.window
    w.bench.editing.add_step(id)
    bench.wait()
    result = bench.canvas_pixels()
    slider, at = w.bench.tray.rows[control].slider, handle(bench, control)
    bench.bot.mousePress(slider, LEFT, pos=at)
    bench.bot.mouseMove(slider, at + QPoint(3, 0))
    bench.bot.mouseMove(slider, at + QPoint(6, 0))
    assert w.bench.state.aside
    bench.bot.waitUntil(lambda: not w.busy, timeout=30_000)
    held = bench.canvas_pixels()
    middle = held[held.shape[0] // 4 : held.shape[0] // 2, held.shape[1] // 4 : held.shape[1] // 2].astype(int)
    assert np.ptp(middle, axis=2).max() <= 2  # grey: the layer, or where it acts
    bench.bot.mouseRelease(slider, LEFT, pos=at + QPoint(6, 0))
    bench.bot.waitUntil(lambda: not w.bench.state.aside, timeout=5_000)
    bench.wait()
    assert np.abs(bench.canvas_pixels().astype(int) - result).mean() < np.abs(held.astype(int) - result).mean() / 4


@pytest.mark.slow
def test_a_key_shows_the_layer_and_lets_it_go(bench: Bench, soft: Path) -> None:
    bench.open(soft)
    w = bench.window
    w.bench.editing.add_step("fine-detail")
    bench.wait()
    result = bench.canvas_pixels()
    verdict = w.document.verdict
    bench.bot.keyPress(w, Qt.Key.Key_V)
    bench.wait()
    assert "its layer" in w.bench.canvas.badge
    held = bench.canvas_pixels()
    bench.bot.keyRelease(w, Qt.Key.Key_V)
    bench.wait()
    assert (bench.canvas_pixels() == result).all()
    assert (held != result).any()
    assert w.document.verdict == verdict


@pytest.mark.slow
def test_the_blur_is_charted_and_its_handle_says_how_far(bench: Bench, soft: Path) -> None:
    bench.open(soft)
    w = bench.window
    w.bench.editing.add_step("deblur")
    bench.wait()
    chart = w.bench.tray.charts["blur"]
    assert isinstance(chart, BlurInstrument)
    assert chart.isVisible()
    assert "px" in w.bench.tray.help.text()
    assert "% sure" in w.bench.tray.help.text()
    half = int(np.argmax(chart.left[0] < 0.5))
    assert chart.left[2, half] > chart.left[0, half] + 0.1
    (grip,) = chart.handles()
    end = chart._at(half, (chart.left[0, half] + chart.left[2, half]) / 2).toPoint()
    bench.drag(chart, grip.at.toPoint(), end)
    bench.wait()
    assert w.document.sweep.steps[-1].params.amount == pytest.approx(50, abs=12)
    w.bench.editing.set_values({"kind": "round"}, False)
    bench.wait()
    assert [h.name for h in chart.handles()] == ["amount", "size"]
    assert w.bench.tray.rows["size"].slider.isEnabled()


@pytest.mark.slow
def test_sharpening_is_suggested_and_explained(bench: Bench, soft: Path) -> None:
    bench.open(soft)
    w = bench.window
    bench.key(Qt.Key.Key_G, SHIFT)
    bench.bot.waitUntil(lambda: not w.bench.notice.isHidden(), timeout=60_000)
    bench.wait()
    assert "% sure" in w.bench.notice.text.text()
    assert "Deblur" in [s.name for s in w.document.sweep.active]
    assert w.document.verdict.halo_height <= 8
    assert w.document.history.undo_name == "suggested sharpening"


@pytest.mark.slow
def test_tones_squared_are_one_click_away(bench: Bench, soft: Path) -> None:
    bench.open(soft)
    w = bench.window
    w.bench.editing.add_step("fine-detail")
    bench.key(Qt.Key.Key_H)
    panel = w.bench.tray.where
    bench.click(next(b for b in panel.first if b.text() == "Tones, squared"))
    bench.wait()
    (part,) = w.document.sweep.steps[-1].where.parts
    assert part.kind.id == "tones"
    assert part.params.squared


@pytest.mark.slow
def test_an_export_is_made_smaller_sharpened_and_previewed(bench: Bench, soft: Path, tmp_path: Path) -> None:
    bench.open(soft)
    w = bench.window
    w.export()
    dialog = w.export_dialog
    assert not dialog.preview.isVisible()
    dialog.output.longest.setValue(200)
    dialog.output.use.setCurrentIndex(dialog.output.use.findData(Use.SCREEN))
    bench.bot.waitUntil(lambda: all(not s.pixmap().isNull() for s in dialog.preview.sides), timeout=30_000)
    plain, sharp = (s.pixmap().toImage() for s in dialog.preview.sides)
    assert plain.size() == sharp.size()
    assert plain != sharp
    assert "200 ×" in dialog.note.text()
    assert not dialog.output.spread.isEnabled()
    dialog.path.setText(str(tmp_path / "small.png"))
    bench.click(dialog.start_button)
    bench.bot.waitUntil(lambda: not dialog.working, timeout=60_000)
    assert max(open_picture(tmp_path / "small.png").size) == 200
