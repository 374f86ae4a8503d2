"""What steps find: counted on the chip, ringed, listed with the doubtful ones first, put back, added."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from PyQt6.QtCore import QPoint, QPointF, Qt

from dustpan.core.jobs.one import Task
from dustpan.core.sweep import beside, load_sweep
from tests.core.files.make import fits, write
from tests.scenes import desk
from tests.ui.conftest import Bench

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def frame(tmp_path: Path) -> Path:
    """A star field with twelve hot pixels."""
    rng = np.random.default_rng(4)
    values = rng.normal(900, 20, (220, 280))
    y, x = np.mgrid[0:220, 0:280]
    for cy, cx in rng.uniform(20, 200, (40, 2)):
        values += 4000 * np.exp(-((y - cy) ** 2 + (x - cx) ** 2) / 2.4)
    for n in range(12):
        values[12 + 17 * n, 250] += 160 + 200 * n
    return write(tmp_path, "frame.fits", fits(np.clip(values, 0, 65535).astype(np.uint16)))


def chip(bench: Bench, name: str) -> str:
    return next(c.summary.text() for c in bench.window.bench.sweep_line.chips if c.name.text() == name)


@pytest.mark.slow
def test_hits_are_counted_listed_and_stepped_through(bench: Bench, frame: Path) -> None:
    bench.open(frame)
    w = bench.window
    w.bench.editing.add_step("hot-pixels")
    bench.wait()
    assert chip(bench, "Hot pixels") == "12 found"
    findings = w.bench.tray.findings
    assert findings.isVisible()
    assert findings.words.text() == "12 found, the doubtful ones first"
    assert sum(c.isVisible() for c in findings.crops) == 12
    bench.key(Qt.Key.Key_Period)
    assert w.bench.canvas.zoom == 4
    assert w.state.hit == 0
    scores = w.state.hits[w.state.chosen].score
    assert scores[0] == scores.min()
    assert "narrower" in w.bench.bottom.state.text()
    bench.key(Qt.Key.Key_Period)
    bench.key(Qt.Key.Key_Comma)
    bench.key(Qt.Key.Key_Comma)
    assert w.state.hit == 11  # round to the surest
    bench.click(findings.crops[3])
    assert w.state.hit == 3


@pytest.mark.slow
def test_one_is_put_back_taken_again_and_one_is_added_by_click(bench: Bench, frame: Path) -> None:
    bench.open(frame)
    w = bench.window
    w.bench.editing.add_step("hot-pixels")
    bench.wait()
    bench.key(Qt.Key.Key_Period)
    y, x = (int(v) for v in w.state.hits[w.state.chosen].at[0])
    bench.key(Qt.Key.Key_X)
    bench.wait()
    assert chip(bench, "Hot pixels") == "11 found"
    assert w.document.sweep.steps[0].params.spared == ((y, x),)
    canvas = w.bench.canvas

    def at(py: float, px: float):
        ox, oy = canvas.origin()
        r = canvas.devicePixelRatioF()
        return QPointF((ox + (px + 0.5) * canvas.zoom) / r, (oy + (py + 0.5) * canvas.zoom) / r).toPoint()

    bench.click(canvas, at(y, x))  # the dotted ring
    bench.wait()
    assert chip(bench, "Hot pixels") == "12 found"
    bench.bot.mouseClick(canvas, Qt.MouseButton.LeftButton, CTRL, at(y + 12, x - 20))
    bench.wait()
    assert chip(bench, "Hot pixels") == "13 found"
    bench.key(Qt.Key.Key_Z, CTRL)
    bench.wait()
    assert chip(bench, "Hot pixels") == "12 found"


@pytest.mark.slow
def test_the_threshold_is_a_handle_and_is_kept_with_the_sweep(bench: Bench, frame: Path) -> None:
    bench.open(frame)
    w = bench.window
    w.bench.editing.add_step("hot-pixels")
    bench.wait()
    chart = w.bench.tray.charts["hits"]
    handle = chart.handles()[0].at.toPoint()
    bench.drag(chart, handle, handle + (handle - handle) + QPointF(60, 0).toPoint())
    bench.wait()
    assert w.document.sweep.steps[0].params.sure > 10
    few = int(chip(bench, "Hot pixels").split()[0])
    assert few < 12
    w.files.save()
    assert load_sweep(beside(frame)).steps[0].params == w.document.sweep.steps[0].params


@pytest.mark.slow
def test_nothing_found_is_an_answer(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.window.bench.editing.add_step("hot-pixels")
    bench.wait()
    assert chip(bench, "Hot pixels") == "0 found"
    assert bench.window.bench.tray.findings.words.text() == "Nothing found; nothing is changed."
    bench.window.bench.editing.add_step("stripes")
    bench.wait()
    assert chip(bench, "Stripes") == "nothing proven"


@pytest.mark.slow
def test_a_raw_is_repaired_before_it_is_developed(bench: Bench, striped: Path) -> None:
    bench.open(striped)
    w = bench.window
    for step in ("stripes", "hot-pixels"):
        w.bench.editing.add_step(step)
        bench.wait()
    assert bench.names() == ["Hot pixels", "Stripes", "Develop", "Noise"]
    assert int(chip(bench, "Hot pixels").split()[0]) > 20
    assert chip(bench, "Stripes") == "proven"
    bench.click(w.bench.sweep_line.chips[1])
    assert w.bench.tray.charts["spectrum"].power.max() > 25
    assert [s.name for s in w.document.reference.steps] == ["Develop"]


@pytest.mark.slow
def test_a_coarse_jpeg_is_cleaned_and_a_good_one_is_told(bench: Bench, tmp_path: Path) -> None:
    path = tmp_path / "card.jpg"
    Image.fromarray(np.rint(desk()[:200, :240] * 255).astype(np.uint8)).save(path, quality=40)
    bench.open(path)
    w = bench.window
    bench.wait()
    before = bench.canvas_pixels()
    w.bench.editing.add_step("compression-marks")
    bench.wait()
    assert bench.names()[0] == "Compression marks"
    marks = w.bench.sweep_line.chips[0]
    assert marks.summary.text() == "proven"
    assert not np.array_equal(bench.canvas_pixels(), before)
    chart = w.bench.tray.charts["steps"]
    assert chart.power.min() > chart.limit
    at = chart.handles()[0].at
    bench.drag(chart, at.toPoint(), at.toPoint() - QPoint(0, 50))
    bench.wait()
    assert w.document.sweep.steps[0].params.coarser > 20
    assert w.bench.sweep_line.chips[0].summary.text() == "left alone"
    assert np.array_equal(bench.canvas_pixels(), before)


@pytest.mark.slow
@pytest.mark.parametrize("name", ["own.json", "own.fits"])
def test_a_defect_map_is_saved_and_used_on_another_picture(bench: Bench, frame: Path, name: str) -> None:
    bench.open(frame)
    w = bench.window
    w.bench.finding.save_map(frame.with_name(name))
    assert "Choose Hot pixels first" in w.bench.notice.text.text()
    w.bench.editing.add_step("hot-pixels")
    bench.wait()
    w.bench.finding.save_map(frame.with_name(name))
    assert "12 pixels were saved" in w.bench.bottom.state.text()
    rng = np.random.default_rng(9)
    dim = rng.normal(900, 20, (220, 280))
    bench.open(write(frame.parent, "dim.fits", fits(dim.astype(np.uint16))))
    w.files.show(w.files.documents[-1])
    bench.wait()
    assert bench.names() == ["Noise"]
    w.bench.finding.use_map(frame.with_name(name))
    bench.wait()
    assert bench.names()[0] == "Hot pixels"
    assert chip(bench, "Hot pixels") == "12 found"
    bench.open(write(frame.parent, "small.fits", fits(dim[:100, :100].astype(np.uint16))))
    w.files.show(w.files.documents[-1])
    bench.wait()
    w.bench.finding.use_map(frame.with_name(name))
    assert "280 × 220 px" in w.bench.notice.text.text()


def told(bench: Bench) -> str:
    """What is said once repairs were looked for in the background."""
    d = bench.window.document
    bench.bot.waitUntil(lambda: d.looked, timeout=60_000)
    notice = bench.window.bench.notice
    return notice.text.text() if notice.isVisible() else ""


@pytest.mark.slow
def test_what_could_be_repaired_is_said_on_opening_and_done_when_asked(bench: Bench, frame: Path) -> None:
    bench.open(frame)
    w = bench.window
    assert told(bench) == "Found: Hot pixels (12)."
    assert bench.names() == ["Noise"]  # nothing was done
    bench.click(w.bench.notice.action)
    bench.wait()
    assert bench.names() == ["Hot pixels", "Noise"]
    assert chip(bench, "Hot pixels") == "12 found"
    assert not w.bench.notice.isVisible()
    bench.key(Qt.Key.Key_Z, CTRL)
    bench.wait()
    assert bench.names() == ["Noise"]
    w.files.save()
    bench.open(frame)
    w.files.show(w.files.documents[-1])
    bench.wait()
    assert told(bench) == ""  # its own sweep says what is wanted


@pytest.mark.slow
def test_a_good_picture_is_opened_without_a_word(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    assert told(bench) == ""


@pytest.mark.slow
def test_a_change_goes_before_looking_for_repairs(bench: Bench, frame: Path) -> None:
    bench.window.open_files([frame])
    bench.bot.waitUntil(lambda: bench.window.document is not None, timeout=20_000)
    bench.wait()
    w = bench.window
    for strength in (0.4, 0.8, 1.2):
        w.bench.editing.set_values({"luminance": strength}, False)
    bench.wait()
    assert told(bench).startswith("Found: Hot pixels")
    assert w.document.sweep.steps[0].params.luminance == 1.2


@pytest.mark.slow
def test_the_stair_is_repaired_looked_through_exported_and_opened_again(
    bench: Bench, striped: Path, tmp_path: Path
) -> None:
    bench.open(striped)
    w = bench.window
    words = told(bench)
    assert "Hot pixels (" in words
    assert "Stripes (" in words
    assert "dB over chance" in words
    bench.click(w.bench.notice.action)
    bench.wait()
    assert bench.names() == ["Hot pixels", "Stripes", "Develop", "Noise"]
    assert chip(bench, "Stripes") == "proven"
    clean = bench.canvas_pixels()
    switch = w.bench.sweep_line.chips[1].switch
    bench.click(switch)
    bench.wait()
    assert chip(bench, "Stripes") == "off"
    assert not np.array_equal(bench.canvas_pixels(), clean)
    bench.click(switch)
    bench.wait()
    assert np.array_equal(bench.canvas_pixels(), clean)
    bench.click(w.bench.sweep_line.chips[0])
    found = int(chip(bench, "Hot pixels").split()[0])
    bench.key(Qt.Key.Key_Period)
    bench.key(Qt.Key.Key_X)
    bench.wait()
    assert chip(bench, "Hot pixels") == f"{found - 1} found"
    result = tmp_path / "stair.tif"
    w.jobs.export(w.document, Task(striped, result, w.document.sweep.as_json()), 1)
    bench.bot.waitUntil(result.exists, timeout=60_000)
    bench.wait()
    w.files.save()
    bench.open(result)
    w.files.show(w.files.documents[-1])
    bench.wait()
    assert told(bench) == ""
    assert load_sweep(beside(striped)).steps[0].params.spared
