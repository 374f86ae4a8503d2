"""Coloured rims and haze in the window: offered, shown, picked, and the transmission looked at."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from dustpan.core.files import save_picture
from dustpan.core.picture import from_array
from dustpan.ui.instruments.transmission import TransmissionInstrument
from dustpan.ui.instruments.wheel import WheelInstrument
from tests.outdoors import harbour, in_mist, rigging, through_lens
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
