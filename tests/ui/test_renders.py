"""A render in the window: fireflies found, ringed and put back, passes looked at, and written back untouched."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt

from dustpan.core.colour import luma
from dustpan.core.looks.file_pass import FILE_PASS
from dustpan.core.looks.noise_map import NOISE_MAP
from tests.core.files.make import exr, write
from tests.core.files.test_exr import channels_of
from tests.renders import made, with_flies
from tests.ui.conftest import Bench

ALT = Qt.KeyboardModifier.AltModifier
pytestmark = pytest.mark.slow


@pytest.fixture
def render(tmp_path: Path) -> Path:
    scene = made(0.2)
    light, _ = with_flies(scene.draw(1))
    passes = {f"albedo_{c}": scene.albedo[..., n].astype(np.float32) for n, c in enumerate("RGB")}
    passes |= {f"normal_{c}": scene.normal[..., n].astype(np.float32) for n, c in enumerate("XYZ")}
    return write(tmp_path, "lens.exr", exr(light, np.float32, **passes))


def summary(bench: Bench, name: str) -> str:
    return next(c.summary.text() for c in bench.window.bench.sweep_line.chips if c.name.text() == name)


def test_fireflies_are_offered_found_ringed_and_put_back_and_passes_stay(bench: Bench, render: Path) -> None:
    bench.open(render)
    w = bench.window
    notice = w.bench.notice
    bench.bot.waitUntil(lambda: "Fireflies" in notice.text.text(), timeout=20_000)
    bench.click(notice.action)
    bench.wait()
    assert bench.names()[0] == "Fireflies"
    found = int(summary(bench, "Fireflies").split()[0])
    assert found >= 55
    bench.click(next(c for c in w.bench.sweep_line.chips if c.name.text() == "Fireflies"))
    bench.wait()
    assert w.bench.hits_tool.hits is not None
    assert w.bench.tray.findings.isVisible()
    bench.key(Qt.Key.Key_Period)
    y, x = (int(v) for v in w.state.hits[w.state.chosen].at[0])
    canvas = w.bench.canvas
    (oy, ox), r = canvas.origin()[::-1], canvas.devicePixelRatioF()
    bench.click(canvas, QPointF((ox + (x + 0.5) * canvas.zoom) / r, (oy + (y + 0.5) * canvas.zoom) / r).toPoint())
    bench.wait()
    assert summary(bench, "Fireflies") == f"{found - 1} found"
    assert w.document.sweep.steps[0].params.spared == ((y, x),)

    w.bench.finding.save_map(render.with_name("map.json"))  # fireflies are no defects of a sensor
    assert not render.with_name("map.json").exists()
    assert "Hot pixels first" in notice.text.text()

    bench.window.bench.looking.inspect(FILE_PASS)
    bench.wait()
    assert "pass: albedo" in canvas.badge
    bench.key(Qt.Key.Key_Up, ALT)
    bench.wait()
    assert "pass: normal" in canvas.badge
    bench.window.bench.looking.inspect(NOISE_MAP)
    bench.wait()
    assert bench.canvas_pixels().std() > 5

    bench.key(Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
    written = render.with_name("lens-clean.exr")
    bench.bot.waitUntil(written.exists, timeout=60_000)
    bench.wait()
    before, after = channels_of(render), channels_of(written)
    assert all(np.array_equal(before[n], after[n]) for n in before if "." in n)
    light = [luma(np.stack([c[n] for n in "RGB"], -1)) for c in (before, after)]
    assert light[1].max() < light[0].max()


def test_the_instrument_of_noise_shows_how_often_and_where(bench: Bench, render: Path) -> None:
    bench.open(render)
    w = bench.window
    bench.click(next(c for c in w.bench.sweep_line.chips if c.name.text() == "Noise"))
    bench.wait()
    chart = w.bench.tray.charts["noise"]
    assert chart.relative is not None
    assert chart.relative.total.sum() == pytest.approx(1)
    assert "σ" in chart.hover_words(0.5)
    assert chart.as_text().startswith("sigma\tshare")
    assert [h.name for h in chart.handles()] == ["both strengths"]
    image = chart.grab().toImage()
    bright = [image.pixelColor(x, 40).lightness() for x in range(chart.width() // 2, chart.width() - 12)]
    assert max(bright) - min(bright) > 60  # the map


def test_the_lowest_strength_that_does_it_in_few_actions(bench: Bench, render: Path) -> None:
    bench.open(render)
    bench.key(Qt.Key.Key_G)
    bench.wait()
    steps = bench.window.document.sweep.active
    assert [s.name for s in steps] == ["Fireflies", "Noise"]
    assert 0.3 < steps[1].params.luminance < 1
