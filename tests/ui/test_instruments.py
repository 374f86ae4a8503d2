from __future__ import annotations

import itertools
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from dustpan.core.noise.measure import measure
from dustpan.core.noise.step import NoiseParams
from dustpan.core.open.profile import Profile
from dustpan.core.open.pyramid import Pyramid
from dustpan.core.picture import from_array
from dustpan.core.sharpen.edge import EdgeSharpenParams
from dustpan.ui.instruments.chart import Charted
from dustpan.ui.instruments.edge import EdgeInstrument
from dustpan.ui.instruments.histogram import HistogramInstrument
from dustpan.ui.instruments.noise import NoiseInstrument
from tests.ui.conftest import Bench


@pytest.fixture
def noise_chart(qtbot: QtBot, noisy: np.ndarray) -> NoiseInstrument:
    chart = NoiseInstrument()
    qtbot.addWidget(chart)
    chart.show_state(Charted(NoiseParams(), measure(noisy), [0.2, 0.4]))
    return chart


@pytest.mark.parametrize("share", [0.0, 40.0, 100.0])
@pytest.mark.parametrize("name", NoiseInstrument.SHARES)
def test_a_handle_lies_where_its_value_is(noise_chart: NoiseInstrument, name: str, share: float) -> None:
    noise_chart.show_state(Charted(NoiseParams(**{name: share}), noise_chart.print))
    handle = next(h for h in noise_chart.handles() if h.name == name)
    assert noise_chart.values_for(name, handle.at.y()) == {name: pytest.approx(share, abs=0.5)}
    assert f"{share:.0f} %" in handle.words


def test_what_is_left_follows_the_strength(noise_chart: NoiseInstrument) -> None:
    found = noise_chart.print
    assert noise_chart.left_curve().max() == 0
    noise_chart.show_state(Charted(NoiseParams(luminance=0.25), found))
    whole = 255 * found.channel_sigma(noise_chart.GRID).mean(0)
    assert noise_chart.left_curve() == pytest.approx(0.75 * whole, abs=1e-6)
    noise_chart.show_state(Charted(NoiseParams(shadows=0), found))
    left = noise_chart.left_curve() / whole
    assert left[0] == pytest.approx(1)
    assert left[-1] == pytest.approx(0)


def test_hovering_says_the_values(noise_chart: NoiseInstrument) -> None:
    words = noise_chart.hover_words(0.3)
    sigma = 255 * noise_chart.print.channel_sigma(np.array([0.3]))[:, 0]
    assert words.startswith("at 76 of 255: σ ")
    assert f"{sigma[1]:.1f}" in words


def test_edge_limits_are_read_off_the_profile(qtbot: QtBot) -> None:
    chart = EdgeInstrument()
    qtbot.addWidget(chart)
    place = np.linspace(-12, 12, 49)
    before = 0.2 + 0.5 / (1 + np.exp(-place))
    for light, dark in ((0.0, 0.0), (10.0, 5.0), (25.0, 30.0)):
        params = EdgeSharpenParams(halo_light=light, halo_dark=dark)
        chart.show_state(Charted(params, profile=Profile(place, before, before)))
        handles = {h.name: h for h in chart.handles()}
        for name, value in (("halo_light", light), ("halo_dark", dark)):
            assert chart.values_for(name, handles[name].at.y())[name] == pytest.approx(value, abs=0.3)
    assert "+0.0 px: 115 → 115 of 255" in chart.hover_words(0.5)
    assert len(chart.as_text().splitlines()) == 50


def test_the_histogram_counts_and_knows_what_is_clipped(qtbot: QtBot) -> None:
    chart = HistogramInstrument()
    qtbot.addWidget(chart)
    words = np.full((10, 10), 0xFF404040, np.uint32)
    words[0] = 0xFF000000
    words[1, :5] = 0xFFFFFFFF
    chart.show_pixels(words)
    assert chart.clipped == pytest.approx((0.1, 0.05))
    assert all(count.sum() == pytest.approx(1) for _, count in chart.curves)
    assert "85.00 %" in chart.hover_words(0x40 / 256)


@pytest.mark.parametrize("size", [(1, 1), (700, 1300), (513, 3)])
def test_a_display_holds_every_level(size: tuple) -> None:
    display = Pyramid(size)
    display.fill(from_array(np.random.default_rng(1).random((*size, 3)).astype(np.float32)))
    assert display.levels[0].shape == size
    for larger, smaller in zip(display.levels, display.levels[1:], strict=False):
        assert smaller.shape == (-(-larger.shape[0] // 2), -(-larger.shape[1] // 2))
    mean = [float(((level >> np.uint32(8)) & np.uint32(255)).mean()) for level in display.levels]
    assert mean == pytest.approx([mean[0]] * len(mean), abs=2.5)


@pytest.mark.slow
def test_suggested_strengths_are_taken_over_and_explained(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    w = bench.window
    bench.key(Qt.Key.Key_G)
    bench.bot.waitUntil(lambda: not w.bench.notice.isHidden(), timeout=30_000)
    bench.wait()
    assert "lowest strengths" in w.bench.notice.text.text()
    params = w.document.sweep.active[0].params
    assert 0.5 < params.luminance < 1
    assert w.document.verdict.noise_left == pytest.approx(20, abs=5)
    bench.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert w.document.sweep.active[0].params.luminance == 1.0


@pytest.mark.slow
def test_the_test_strip_shows_strengths_and_a_click_takes_one(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    w = bench.window
    bench.click(w.bench.tray.strip)
    cells = w.bench.suggesting.strip.cells
    bench.bot.waitUntil(lambda: all(c.isEnabled() for c in cells), timeout=30_000)
    assert all(min(c.height(), c.width()) > c.iconSize().height() for c in cells)
    left = [int(c.text().split("noise left ")[1].split(" %")[0]) for c in cells[:4]]
    assert left == sorted(left, reverse=True)
    pictures = [c.icon().pixmap(64).toImage() for c in cells]
    assert all(a != b for a, b in itertools.pairwise(pictures))
    bench.click(cells[1])
    bench.wait()
    assert w.document.sweep.active[0].params.luminance == 0.5
    assert w.document.history.undo_name == "strength from the test strip"


@pytest.mark.slow
def test_quality_is_chosen_in_the_tray(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    w = bench.window
    w.bench.tray.more.setChecked(True)
    box = w.bench.tray.rows["quality"].box
    bench.bot.waitUntil(lambda: all(" · " in box.itemText(n) for n in range(box.count())), timeout=30_000)
    assert box.itemText(box.findData("finest")).startswith("finest · ")
    assert sorted(w.document.costs) == ["exact", "finest", "quick"]
    assert min(w.document.costs.values()) > 0
    box.setCurrentIndex(box.findData("quick"))
    box.activated.emit(box.currentIndex())
    bench.wait()
    assert w.document.sweep.active[0].params.quality == "quick"
    bench.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert box.currentData() == "exact"
    w.bench.tray.more.setChecked(False)
