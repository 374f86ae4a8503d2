"""The window opens what the work comes in: raws get their white and a push, frames are brightened for viewing."""

from __future__ import annotations

import contextlib
import io
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import tifffile
from astropy.io import fits as astropy_fits
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtWidgets import QDialogButtonBox

from dustpan.cli import main as cli
from dustpan.core.colour import decode
from dustpan.core.files import open_picture
from dustpan.core.picture import Depth, Kind, to_samples
from dustpan.core.sweep import beside, load_sweep
from dustpan.demo.raw_camera import Exposure, counts, seen, shot
from tests.core.files.make import exr, fits, mosaic_dng, write
from tests.scenes import desk
from tests.ui.conftest import Bench
from tests.ui.test_window import shown

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def stair(tmp_path: Path) -> Path:
    """A raw, 2 EV too dark, with a preview."""
    light, taken = decode(desk()), Exposure(3000, 2)
    preview = np.uint8(255 * desk()[::1, ::1] ** 1.6)
    about = replace(shot(taken), preview=preview)
    return write(tmp_path, "stair.dng", mosaic_dng(counts(seen(light, taken), taken, 2), about))


@pytest.fixture
def sky(tmp_path: Path) -> Path:
    rng = np.random.default_rng(4)
    values = rng.normal(900, 20, (200, 260))
    values[::31, ::37] += 4000
    return write(tmp_path, "sky.fits", fits(values.astype(np.uint16), OBJECT="Star field"))


def picture_point(bench: Bench, y: int, x: int) -> QPoint:
    """Where a px of the picture lies on the canvas."""
    canvas = bench.window.bench.canvas
    ox, oy = canvas.origin()
    r = canvas.devicePixelRatioF()
    return QPointF((ox + (x + 0.5) * canvas.zoom) / r, (oy + (y + 0.5) * canvas.zoom) / r).toPoint()


@pytest.mark.slow
def test_a_raw_is_pushed_cleaned_and_exported_as_the_command_line_does(bench: Bench, stair: Path) -> None:
    bench.open(stair)
    w = bench.window
    assert bench.names() == ["Develop", "Noise"]
    assert w.document.picture.kind is Kind.MOSAIC
    assert w.bench.sweep_line.chips[0].name.text() == "Develop"
    bench.click(w.bench.sweep_line.chips[0])
    bench.type_value("push", "2")
    bench.wait()
    assert w.bench.sweep_line.chips[0].summary.text().startswith("+2.0 EV")
    bench.click(w.bench.sweep_line.chips[1])
    assert w.bench.tray.help.text().startswith("Measured on the sensor: ")
    bench.key(Qt.Key.Key_E, CTRL | SHIFT)
    out = stair.with_name("stair-clean.tif")
    bench.bot.waitUntil(out.exists, timeout=60_000)
    bench.wait()
    w.document.save()
    again = stair.with_name("again.tif")
    words = ["dustpan", "clean", str(stair), "--recipe", str(beside(stair)), "--out", str(again)]
    with pytest.MonkeyPatch.context() as patch, contextlib.suppress(SystemExit):
        patch.setattr("sys.argv", words)
        cli.main()
    assert again.read_bytes() == out.read_bytes()
    assert np.array_equal(shown(bench), to_samples(open_picture(out).pixels, Depth.EIGHT))


@pytest.mark.slow
def test_white_is_picked_on_the_picture_and_can_be_taken_back(bench: Bench, stair: Path) -> None:
    bench.open(stair)
    w = bench.window
    bench.click(w.bench.sweep_line.chips[0])
    bench.click(w.bench.tray.pick)
    assert w.bench.pick_tool.armed
    bench.click(w.bench.canvas, picture_point(bench, 40, 60))  # the wall, which is warm
    bench.wait()
    params = w.document.sweep.steps[0].params
    assert params.white == "set"
    y, x = 40, 60
    seen_there = w.document.after.levels[0][y - 3 : y + 4, x - 3 : x + 4]
    rgb = np.stack([(seen_there >> np.uint32(s)) & np.uint32(255) for s in (16, 8, 0)], -1).reshape(-1, 3).mean(0)
    assert np.ptp(rgb) < 6
    assert not w.bench.pick_tool.armed
    bench.key(Qt.Key.Key_Z, CTRL)
    assert w.document.sweep.steps[0].params.white == "as shot"
    bench.type_value("temperature", "3000")  # moving it sets the white
    assert w.document.sweep.steps[0].params.white == "set"


@pytest.mark.slow
def test_something_too_dark_for_a_colour_is_told(bench: Bench, tmp_path: Path) -> None:
    taken = Exposure(3000)
    dark = write(tmp_path, "dark.dng", mosaic_dng(counts(seen(np.zeros((120, 160, 3)), taken), taken, 2), shot(taken)))
    bench.open(dark)
    before = bench.window.document.sweep
    bench.key(Qt.Key.Key_W)
    bench.click(bench.window.bench.canvas, picture_point(bench, 40, 60))
    bench.wait()
    assert "too dark or too bright" in bench.window.bench.notice.text.text()
    assert bench.window.document.sweep == before


def test_a_preview_is_there_before_anything_is_developed(bench: Bench, stair: Path) -> None:
    bench.window.jobs.show = lambda *args: None  # nothing is computed
    bench.window.open_files([stair])
    bench.bot.waitUntil(lambda: bench.window.document is not None, timeout=30_000)
    preview = 255 * desk() ** 1.6
    assert np.abs(shown(bench).astype(float) - preview).mean() < 12


@pytest.mark.slow
def test_an_order_that_cannot_work_is_told_and_nothing_is_lost(bench: Bench, stair: Path) -> None:
    bench.open(stair)
    bench.window.bench.editing.move_step(1, 0)
    bench.wait()
    assert "Noise does not work on a picture of this kind (mosaic)" in bench.window.bench.notice.text.text()
    bench.key(Qt.Key.Key_Z, CTRL)
    bench.wait()
    assert bench.names() == ["Develop", "Noise"]


@pytest.mark.slow
def test_controls_that_can_do_nothing_say_why(bench: Bench, tmp_path: Path, sky: Path) -> None:
    bare = write(tmp_path, "bare.dng", mosaic_dng(None, replace(shot(Exposure()), pattern=((0,),), matrix=None)))
    bench.open(bare)
    bench.click(bench.window.bench.sweep_line.chips[0])
    row = bench.window.bench.tray.rows["temperature"]
    assert not row.box.isEnabled()
    assert "no colour filter" in row.box.toolTip()
    assert bench.window.bench.tray.rows["push"].box.isEnabled()
    bench.open(sky)
    bench.window.files.show_number(1)
    bench.wait()
    assert not bench.window.bench.tray.rows["colour"].box.isEnabled()


@pytest.mark.slow
def test_controls_of_a_typed_blur_wait_until_one_is_typed(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.window.bench.editing.add_step("deblur")
    bench.wait()
    rows = bench.window.bench.tray.rows
    assert "measured" in rows["size"].box.toolTip()
    usable = {}
    for kind in ("measured", "disc", "directional"):
        bench.window.bench.editing.set_values({"kind": kind}, False)
        bench.wait()
        usable[kind] = [rows[name].box.isEnabled() for name in ("size", "angle")]
    assert usable == {"measured": [False, False], "disc": [True, False], "directional": [True, True]}


@pytest.mark.slow
def test_a_frame_opens_brightened_and_is_judged_applied_and_saved(bench: Bench, sky: Path) -> None:
    bench.open(sky)
    w = bench.window
    assert w.state.look.kind.id == "brightened"
    middle = float(np.median(shown(bench)))
    assert 30 < middle < 80  # the sky, dark grey
    bench.key(Qt.Key.Key_L)
    assert w.bench.tray.viewing
    assert w.bench.tray.apply.isVisible()
    chart = w.bench.tray.charts["tone"]
    handle = next(h for h in chart.handles() if h.name == "middle")
    bench.drag(chart, handle.at.toPoint(), handle.at.toPoint() - QPoint(6, 0))
    bench.wait()
    assert float(np.median(shown(bench))) > middle  # a lower middle is brighter
    assert not w.document.history.dirty  # only looked at
    bench.click(w.bench.tray.automatic)
    bench.wait()
    bench.click(w.bench.tray.apply)
    bench.wait()
    assert bench.names() == ["Noise", "Tone"]
    assert w.state.look.plain
    assert abs(float(np.median(shown(bench))) - middle) < 6
    w.document.save()
    assert load_sweep(beside(sky)).steps[1].name == "Tone"


@pytest.mark.slow
def test_how_a_picture_is_looked_at_is_remembered_with_it(bench: Bench, sky: Path) -> None:
    bench.open(sky)
    w = bench.window
    bench.key(Qt.Key.Key_L)
    bench.type_value("black", "30")
    levels = w.state.look.levels
    w.files.save()
    w.files.close_current()
    bench.open(sky)
    assert w.state.look.levels == levels
    assert levels.black[0] == pytest.approx(0.30, abs=1e-3)


def test_a_render_opens_with_an_exposure_for_viewing(bench: Bench, tmp_path: Path, sky: Path) -> None:
    light = (0.02 + decode(desk()[:120, :160]) * 4).astype(np.float32)
    path = write(tmp_path, "room.exr", exr(light, np.float32))
    bench.open(path)
    w = bench.window
    assert w.state.look.kind.id == "exposure"
    bright = shown(bench).mean()
    for _ in range(6):
        bench.key(Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    bench.wait()
    assert shown(bench).mean() < bright - 30
    assert "exposure -3 EV" in w.bench.canvas.badge
    bench.open(sky)
    w.files.show_number(1)
    assert w.state.look.kind.id == "brightened"
    w.files.show_number(0)
    assert w.state.look.setting == -3


@pytest.mark.slow
def test_of_several_images_one_is_asked_for_once(bench: Bench, tmp_path: Path) -> None:
    held = io.BytesIO()
    rng = np.random.default_rng(1)
    images = [astropy_fits.ImageHDU(rng.normal(900, 9, size).astype(np.float32), name=name)
              for name, size in (("LIGHT", (90, 110)), ("WEIGHT", (70, 80)))]  # fmt: skip
    astropy_fits.HDUList([astropy_fits.PrimaryHDU(), *images]).writeto(held)
    path = write(tmp_path, "two.fits", held.getvalue())
    bench.open(path)
    w = bench.window
    dialog = w.files.opened_as
    assert dialog.isVisible()
    assert [dialog.parts.itemText(n) for n in range(2)] == ["LIGHT, 110 × 90", "WEIGHT, 80 × 70"]
    dialog.parts.setCurrentIndex(1)
    bench.click(dialog.buttons.button(QDialogButtonBox.StandardButton.Open))
    bench.wait()
    assert w.document.picture.size == (70, 80)
    w.files.save()
    assert load_sweep(beside(path)).extra["opening"] == {"part": 2}
    w.files.close_current()
    bench.open(path)
    assert w.document.picture.size == (70, 80)
    assert w.files.opened_as is dialog  # not asked again


@pytest.mark.slow
def test_a_frame_can_be_opened_as_a_mosaic(bench: Bench, sky: Path) -> None:
    bench.open(sky)
    w = bench.window
    bench.key(Qt.Key.Key_O, CTRL | Qt.KeyboardModifier.AltModifier)
    dialog = w.files.opened_as
    dialog.patterns.setCurrentIndex(dialog.patterns.findData("GRBG"))
    bench.click(dialog.buttons.button(QDialogButtonBox.StandardButton.Open))
    bench.wait()
    assert w.document.picture.kind is Kind.MOSAIC
    assert bench.names() == ["Develop", "Noise"]


@pytest.mark.slow
def test_a_file_dropped_on_the_window_is_known_by_its_content(bench: Bench, stair: Path) -> None:
    renamed = stair.with_name("renamed.jpg")
    renamed.write_bytes(stair.read_bytes())
    bench.open(renamed)
    assert bench.window.document.picture.source.format == "camera raw"


def test_counts_are_exported_as_light_or_as_shown(bench: Bench, sky: Path) -> None:
    bench.open(sky)
    found = []
    for seen_alike in (False, True):
        bench.window.export()
        dialog = bench.window.export_dialog
        out = sky.with_name(f"shown-{seen_alike}.tif")
        dialog.path.selectAll()
        bench.bot.keyClicks(dialog.path, str(out))
        assert dialog.as_shown.isVisible()
        assert dialog.as_shown.isEnabled()
        if seen_alike:
            bench.bot.mouseClick(
                dialog.as_shown, Qt.MouseButton.LeftButton, pos=QPoint(8, dialog.as_shown.height() // 2)
            )
        bench.click(dialog.start_button)
        bench.bot.waitUntil(out.exists, timeout=60_000)
        found.append(tifffile.imread(out))
    assert np.median(found[0]) == pytest.approx(900, abs=10)  # its own counts
    assert np.median(found[1]) > 2 * np.median(found[0])
    bench.window.export()
    dialog = bench.window.export_dialog
    dialog.path.selectAll()
    bench.bot.keyClicks(dialog.path, str(sky.with_name("a.jpg")))
    assert not dialog.as_shown.isEnabled()  # a JPEG is always as shown
    dialog.reject()
