"""Coloured rims and haze in the window: offered, shown, picked, and the transmission looked at."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt

from dustpan.core.files import save_picture
from dustpan.core.judge.probes import Role
from dustpan.core.picture import from_array
from dustpan.demo.marks import marked
from dustpan.demo.outdoors import harbour, in_mist, rigging, through_lens
from dustpan.ui.instruments.sizes import SizesInstrument
from dustpan.ui.instruments.transmission import TransmissionInstrument
from dustpan.ui.instruments.wheel import WheelInstrument
from dustpan.ui.window import Window
from tests.ui.conftest import Bench
from tests.ui.test_sources import picture_point


def saved(folder: Path, pixels: np.ndarray) -> Path:
    path = folder / "seen.png"
    save_picture(from_array(np.rint(255 * pixels).astype(np.uint8)), path)
    return path


@pytest.mark.slow
def test_a_lens_is_offered_and_a_rims_colour_is_picked(bench: Bench, tmp_path: Path) -> None:
    bench.open(saved(tmp_path, through_lens(rigging())))
    w = bench.window
    bench.bot.waitUntil(lambda: "red +1.2" in w.bench.notice.text.text(), timeout=20_000)
    bench.click(w.bench.notice.action)
    bench.wait()
    names = [s.name for s in w.document.sweep.steps]
    assert "Colour fringes" in names
    at = names.index("Colour fringes")
    bench.click(w.bench.sweep_line.chips[at])
    bench.wait()
    wheel = w.bench.tray.chart_of(w.document.sweep.steps[at])
    assert isinstance(wheel, WheelInstrument)
    assert wheel.handles()
    assert len(wheel.hue)
    bench.click(w.bench.tray.pick)
    assert w.bench.pick_tool.armed
    bench.click(w.bench.canvas, picture_point(bench, 100, 150))
    bench.wait()
    assert w.document.sweep.steps[at].params.colour == "picked"


@pytest.mark.slow
def test_the_transmission_is_seen_and_its_handle_sets_the_strength(bench: Bench, tmp_path: Path) -> None:
    bench.open(saved(tmp_path, in_mist(*harbour())[0]))
    w = bench.window
    w.bench.editing.add_step("haze")
    bench.wait()
    at = next(n for n, s in enumerate(w.document.sweep.steps) if s.name == "Haze")
    chart = w.bench.tray.chart_of(w.document.sweep.steps[at])
    assert isinstance(chart, TransmissionInstrument)
    assert not chart.image.isNull()
    assert abs(float(chart.share.sum()) - 1) < 1e-6
    assert chart.values_for("strength", chart.to_y(0.4))["strength"] == pytest.approx(60)
    assert "%" in chart.hover_words(0.5)


@pytest.fixture
def dusty(tmp_path: Path) -> Path:
    """An old print with dust, hairs and scratches."""
    y, x = np.mgrid[:300, :400].astype(np.float32)
    grey = (0.6 + 0.15 * np.sin(x / 110) * np.cos(y / 90))[..., None] * np.array([1, 0.95, 0.88])
    rng = np.random.default_rng(2)
    return saved(tmp_path, marked(np.clip(grey + rng.normal(0, 2 / 255, grey.shape), 0, 1), rng, 18)[0])


def with_specks(bench: Bench, path: Path) -> tuple[Window, int]:
    """The window with a picture and the step, and its number."""
    bench.open(path)
    bench.window.bench.editing.add_step("specks")
    bench.wait()
    return bench.window, bench.window.state.chosen


@pytest.mark.slow
def test_a_speck_is_put_back_by_a_click_and_another_taken(bench: Bench, dusty: Path) -> None:
    w, at = with_specks(bench, dusty)
    hits = w.state.hits[at]
    assert 12 <= len(hits) <= 40
    assert any(p.role is Role.FOUND for p in w.document.probes)
    y, x = (int(v) for v in hits.at[-1])
    assert not np.array_equal(pixel(bench, y, x, True), pixel(bench, y, x, False))
    bench.click(w.bench.canvas, picture_point(bench, y, x))
    bench.wait()
    assert w.document.sweep.steps[at].params.spared == ((y, x),)
    assert len(w.state.hits[at]) == len(hits) - 1
    assert np.array_equal(pixel(bench, y, x, True), pixel(bench, y, x, False))
    bench.click(w.bench.canvas, picture_point(bench, y, x))
    bench.wait()
    assert len(w.state.hits[at]) == len(hits)
    ctrl = Qt.KeyboardModifier.ControlModifier
    bench.bot.mouseClick(w.bench.canvas, Qt.MouseButton.LeftButton, ctrl, picture_point(bench, 150, 12))
    bench.wait()
    assert len(w.state.hits[at]) == len(hits) + 1


def pixel(bench: Bench, y: int, x: int, before: bool) -> np.ndarray:
    d = bench.window.document
    side = d.before if before else d.after
    return side.levels[0][y, x]


@pytest.mark.slow
def test_both_limits_of_specks_are_dragged_on_their_chart(bench: Bench, dusty: Path) -> None:
    w, at = with_specks(bench, dusty)
    many = len(w.state.hits[at])
    chart = w.bench.tray.chart_of(w.document.sweep.steps[at])
    assert isinstance(chart, SizesInstrument)
    assert len(chart.widths) >= many
    assert "of" in chart.hover_words(0.5)
    assert len(chart.as_text().splitlines()) == len(chart.widths) + 1
    corner = chart.handles()[0].at.toPoint()
    bench.drag(chart, corner, QPoint(corner.x() - 60, corner.y() - 15))
    bench.wait()
    params = w.document.sweep.steps[at].params
    assert params.width < 12
    assert params.contrast > 3
    assert len(w.state.hits[at]) < many


@pytest.mark.slow
def test_everything_of_a_size_is_a_switch(bench: Bench, dusty: Path) -> None:
    w, at = with_specks(bench, dusty)
    few = (w.document.after.levels[0] != w.document.before.levels[0]).mean()
    box = w.bench.tray.rows["every"].box
    bench.click(box, QPoint(8, box.height() // 2))
    bench.type_value("contrast", "2")
    bench.wait()
    assert w.document.sweep.steps[at].params.every
    assert not w.bench.tray.rows["sure"].box.isEnabled()
    assert (w.document.after.levels[0] != w.document.before.levels[0]).mean() > few
