"""The whole way through the window: open, look, clean, sharpen, compare, undo, save, export, close."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import tifffile
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QApplication

from dustpan.cli import main as cli
from dustpan.core.files import open_picture
from dustpan.core.paths import demo_folder
from dustpan.core.picture import Depth, to_samples
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, beside, load_sweep, make_step
from dustpan.demo import PICTURES, ensure_demo_data
from dustpan.ui.bench.panes import Arrangement
from dustpan.ui.dialogs.export import ExportDialog
from dustpan.ui.translator import apply_language
from dustpan.ui.views.all import VIEWS
from tests.core.files.make import jpeg, write
from tests.ui.conftest import Bench

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def rendered(path: Path, sweep: Sweep) -> np.ndarray:
    with Renderer(open_picture(path)) as r:
        return r.render(sweep)


def shown(bench: Bench) -> np.ndarray:
    """The result side of the display, (h, w, 3) bytes."""
    words = bench.window.document.after.levels[0]
    return np.stack([(words >> np.uint32(s)) & np.uint32(255) for s in (16, 8, 0)], -1).astype(np.uint8)


# ---------------------------------------------------------------- opening


def test_the_empty_bench_offers_what_to_do(bench: Bench) -> None:
    w = bench.window
    assert w.bench.pages.currentIndex() == 0
    assert w.bench.empty_open.isVisible()
    assert w.bench.empty_demo.isVisible()
    assert not w.bench.top.export.isEnabled()


@pytest.mark.slow
def test_the_demo_opens_from_the_empty_bench_with_its_sweep(
    bench: Bench, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, small_demo: None
) -> None:
    monkeypatch.setenv("DUSTPAN_CACHE", str(tmp_path))
    ensure_demo_data(demo_folder())  # small ones, which are found
    bench.click(bench.window.bench.empty_demo)
    bench.wait()
    bench.bot.waitUntil(lambda: len(bench.window.files.documents) == len(PICTURES), timeout=60_000)
    bench.wait()
    assert bench.window.document.name == "keepers-desk.tif"
    assert bench.names() == ["Noise", "Edge sharpen"]
    assert not bench.window.document.history.dirty
    assert "ISO 12800" in bench.window.bench.bottom.facts.text()
    bench.type_value("luminance", "0.6")
    bench.wait()
    sweep = bench.window.document.sweep
    assert sweep.steps[0].params.luminance == 0.6
    path = bench.window.document.path
    assert np.array_equal(shown(bench), to_samples(rendered(path, sweep), Depth.EIGHT))


@pytest.mark.slow
def test_opening_measures_cleans_and_judges(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    w = bench.window
    assert "noise" in w.bench.tray.help.text()
    assert w.bench.sweep_line.measured.text().startswith("σ ")
    assert bench.names() == ["Noise"]
    assert w.bench.bottom.sentence().startswith("noise left ")
    assert "lamp.tif" in w.windowTitle()
    assert np.array_equal(shown(bench), to_samples(rendered(lamp, Sweep((make_step("noise"),))), Depth.EIGHT))


@pytest.mark.slow
def test_open_by_drop_and_switch_between_pictures(bench: Bench, lamp: Path, tmp_path: Path) -> None:
    card = write(tmp_path, "card.jpg", jpeg())
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in (lamp, card)])
    copy, button = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton
    bench.window.dropEvent(QDropEvent(QPointF(9, 9), copy, data, button, Qt.KeyboardModifier.NoModifier))
    bench.wait()
    assert [d.name for d in bench.window.files.documents] == ["lamp.tif", "card.jpg"]
    bench.key(Qt.Key.Key_PageDown)
    bench.wait()
    assert bench.window.document.name == "card.jpg"
    bench.window.open_files([lamp])
    assert bench.window.document.name == "lamp.tif"
    assert len(bench.window.files.documents) == 2


@pytest.mark.slow
def test_a_damaged_file_is_one_sentence_and_the_rest_goes_on(bench: Bench, lamp: Path, tmp_path: Path) -> None:
    bench.open(write(tmp_path, "cut.jpg", jpeg()[:300]))
    w = bench.window
    assert w.bench.notice.isVisible()
    assert w.bench.notice.text.text().startswith("cut.jpg: ")
    assert w.files.documents == []
    bench.click(w.bench.notice.dismiss)
    assert not w.bench.notice.isVisible()
    bench.open(lamp)
    assert w.document.name == "lamp.tif"


@pytest.mark.slow
def test_a_damaged_sweep_beside_the_picture_is_told_and_left_as_it_is(bench: Bench, lamp: Path) -> None:
    beside(lamp).write_text('{"dustpan_sweep": 1, "steps": 3}')
    bench.open(lamp)
    assert "lamp.tif.sweep.json" in bench.window.bench.notice.text.text()
    assert bench.names() == ["Noise"]
    assert beside(lamp).read_text() == '{"dustpan_sweep": 1, "steps": 3}'


@pytest.mark.slow
def test_an_unknown_step_is_shown_off_with_its_reason_and_kept_on_saving(bench: Bench, lamp: Path) -> None:
    raw = {"step": "moon-dust", "version": 7, "craters": [1]}
    beside(lamp).write_text(json.dumps({"dustpan_sweep": 1, "steps": [raw, make_step("noise").as_json()]}))
    bench.open(lamp)
    chip = bench.window.bench.sweep_line.chips[0]
    assert not chip.switch.isEnabled()
    assert "does not know it" in chip.toolTip()
    bench.click(chip)
    assert "does not know it" in bench.window.bench.tray.help.text()
    bench.key(Qt.Key.Key_S, CTRL)
    assert json.loads(beside(lamp).read_text())["steps"][0] == raw


# ---------------------------------------------------------------- changing


@pytest.mark.slow
def test_a_typed_strength_gives_what_the_core_computes(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.type_value("luminance", "0.4")
    bench.wait()
    sweep = Sweep((make_step("noise", {"luminance": 0.4}),))
    assert bench.window.document.sweep == sweep
    assert np.array_equal(shown(bench), to_samples(rendered(lamp, sweep), Depth.EIGHT))


@pytest.mark.slow
def test_a_dragged_slider_renders_the_newest_value_and_is_one_undo(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    row = bench.window.bench.tray.rows["luminance"]
    groove = row.slider.rect()
    at = round(8 + (groove.width() - 16) * 0.25)
    bench.drag(row.slider, QPoint(at, groove.center().y()), QPoint(groove.width() - 20, groove.center().y()))
    bench.wait()
    value = bench.window.document.sweep.steps[0].params.luminance
    assert value > 2
    assert row.box.value() == pytest.approx(value, abs=0.01)
    assert bench.window.menus.undo.text() == "Undo Noise: Luminance"
    sweep = Sweep((make_step("noise", {"luminance": value}),))
    assert np.array_equal(shown(bench), to_samples(rendered(lamp, sweep), Depth.EIGHT))
    bench.key(Qt.Key.Key_Z, CTRL)
    bench.wait()
    assert bench.window.document.sweep.steps[0].params.luminance == 1.0
    bench.key(Qt.Key.Key_Z, CTRL | SHIFT)
    bench.wait()
    assert bench.window.document.sweep == sweep


@pytest.mark.slow
def test_reset_returns_to_the_default(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    row = bench.window.bench.tray.rows["give_back"]
    assert not row.reset.isEnabled()
    bench.type_value("give_back", "35")
    assert row.reset.isEnabled()
    bench.click(row.reset)
    assert bench.window.document.sweep.steps[0].params.give_back == 0


@pytest.mark.slow
def test_add_switch_off_reorder_and_remove_steps(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    w = bench.window
    next(a for a in w.bench.sweep_line.add_menu.actions() if a.text() == "Edge sharpen").trigger()
    bench.wait()
    assert bench.names() == ["Noise", "Edge sharpen"]
    assert "radius" in w.bench.tray.rows
    both = Sweep((make_step("noise"), make_step("edge-sharpen")))
    assert np.array_equal(shown(bench), to_samples(rendered(lamp, both), Depth.EIGHT))

    bench.click(w.bench.sweep_line.chips[0].switch)
    bench.wait()
    assert not w.document.sweep.steps[0].on
    assert w.menus.undo.text() == "Undo Noise off"

    first, second = w.bench.sweep_line.chips
    start = second.rect().center()
    bench.drag(second, start, start - QPoint(second.x() - first.x() + 40, 0))
    bench.wait()
    assert bench.names() == ["Edge sharpen", "Noise"]
    w.bench.sweep_line.chips[0].setFocus()
    bench.bot.keyClick(w.bench.sweep_line.chips[0], Qt.Key.Key_Right, CTRL)
    assert bench.names() == ["Noise", "Edge sharpen"]

    bench.click(w.bench.sweep_line.chips[1])
    bench.click(w.bench.tray.remove)
    bench.wait()
    assert bench.names() == ["Noise"]
    for _ in range(5):
        bench.key(Qt.Key.Key_Z, CTRL)
    bench.wait()
    assert bench.names() == ["Noise"]
    assert w.document.sweep == Sweep((make_step("noise"),))
    assert not w.menus.undo.isEnabled()


@pytest.mark.slow
def test_opacity_and_blend(bench: Bench, lamp: Path) -> None:
    from dataclasses import replace

    from dustpan.core.blend import Blend

    bench.open(lamp)
    bench.type_value("opacity", "40")
    box = bench.window.bench.tray.blend
    box.setFocus()
    for _ in range(2):
        bench.bot.keyClick(box, Qt.Key.Key_Down)
    assert box.currentText() == "Soft light"
    bench.wait()
    step = replace(make_step("noise"), opacity=0.4, blend=Blend.SOFT_LIGHT)
    assert bench.window.document.sweep == Sweep((step,))
    assert np.array_equal(shown(bench), to_samples(rendered(lamp, Sweep((step,))), Depth.EIGHT))


# ---------------------------------------------------------------- looking


@pytest.mark.slow
def test_at_100_percent_the_canvas_equals_an_8_bit_export(bench: Bench, lamp: Path, tmp_path: Path) -> None:
    bench.open(lamp)
    bench.key(Qt.Key.Key_1)
    assert bench.window.bench.canvas.zoom == 1.0
    bench.window.export()
    export(bench, tmp_path / "out.png", "8 bit")
    written = to_samples(open_picture(tmp_path / "out.png").pixels, Depth.EIGHT)
    x, y = bench.window.bench.canvas.origin()
    assert np.array_equal(bench.canvas_pixels()[y : y + 288, x : x + 400], written)


@pytest.mark.slow
def test_holding_shows_the_original_and_letting_go_the_result(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.key(Qt.Key.Key_1)
    result = bench.canvas_pixels()
    original = to_samples(open_picture(lamp).pixels, Depth.EIGHT)
    x, y = bench.window.bench.canvas.origin()
    inner = (slice(y + 40, y + 288), slice(x, x + 400))
    bench.bot.keyPress(bench.window, Qt.Key.Key_C)
    assert np.array_equal(bench.canvas_pixels()[inner], original[40:])
    bench.bot.keyRelease(bench.window, Qt.Key.Key_C)
    assert np.array_equal(bench.canvas_pixels(), result)
    bench.key(Qt.Key.Key_B)
    assert np.array_equal(bench.canvas_pixels()[inner], original[40:])
    bench.key(Qt.Key.Key_B)
    assert np.array_equal(bench.canvas_pixels(), result)


@pytest.mark.slow
def test_the_divider_can_be_dragged(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.key(Qt.Key.Key_1)
    bench.key(Qt.Key.Key_D)
    canvas = bench.window.bench.canvas
    assert canvas.view is Arrangement.DIVIDER
    assert bench.window.bench.top.views[Arrangement.DIVIDER].isChecked()
    middle = QPoint(canvas.width() // 2, canvas.height() // 2)
    bench.drag(canvas, middle, middle + QPoint(90, 0))
    assert canvas.divider == pytest.approx((canvas.width() / 2 + 90) / canvas.width(), abs=0.01)
    pixels, (x, y) = bench.canvas_pixels(), canvas.origin()
    cut = round(canvas.divider * canvas.width())
    original = to_samples(open_picture(lamp).pixels, Depth.EIGHT)
    assert np.array_equal(pixels[y + 60 : y + 288, x : cut - 4], original[60:, : cut - 4 - x])
    assert np.array_equal(pixels[y + 60 : y + 288, cut + 4 : x + 400], shown(bench)[60:, cut + 4 - x :])
    bench.click(bench.window.bench.top.views[Arrangement.SINGLE])
    assert canvas.view is Arrangement.SINGLE


@pytest.mark.slow
def test_zoom_and_pan(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    canvas = bench.window.bench.canvas
    assert canvas.fitting
    bench.key(Qt.Key.Key_4)
    assert canvas.zoom == 4.0
    at = QPoint(300, 200)
    before = canvas.to_picture(QPointF(at))
    bench.drag(canvas, at, at + QPoint(40, -24))
    after = canvas.to_picture(QPointF(at + QPoint(40, -24)))
    assert (after.x(), after.y()) == pytest.approx((before.x(), before.y()), abs=0.3)
    for _ in range(20):
        bench.key(Qt.Key.Key_Plus)
    assert canvas.zoom == 8.0
    pixels = bench.canvas_pixels()
    assert (pixels[16:24, 16:24] == pixels[18, 18]).all(-1).mean() > 0.2  # whole pixels, not blurred
    for _ in range(40):
        bench.key(Qt.Key.Key_Minus)
    assert 0 < canvas.zoom <= 0.1
    bench.key(Qt.Key.Key_F)
    assert canvas.fitting
    assert bench.window.bench.top.zoom.currentText().startswith("Fit")


def test_wide_gamut_colours_are_converted_on_screen_only(bench: Bench, tmp_path: Path) -> None:
    path = write(tmp_path, "wide.jpg", jpeg())
    bench.open(path)
    picture = open_picture(path)
    words = bench.window.document.before.levels[0]
    own = to_samples(picture.pixels, Depth.EIGHT)
    assert not np.array_equal((words >> np.uint32(16)) & np.uint32(255), own[..., 0])
    assert np.array_equal(bench.window.document.picture.pixels, picture.pixels)


# ---------------------------------------------------------------- keeping


def export(bench: Bench, path: Path, depth: str = "") -> None:
    """Type a name into the open export dialog, choose a depth, start and wait for its end."""
    dialog = bench.window.export_dialog
    dialog.path.selectAll()
    bench.bot.keyClicks(dialog.path, str(path))
    if depth:
        dialog.depths.setCurrentText(depth)
    bench.click(dialog.start_button)
    bench.bot.waitUntil(lambda: not dialog.working, timeout=60_000)


@pytest.mark.slow
def test_save_and_re_open_beside_the_picture(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.type_value("colour", "0.7")
    assert bench.window.windowTitle().startswith("• ")
    bench.key(Qt.Key.Key_S, CTRL)
    assert not bench.window.windowTitle().startswith("• ")
    assert load_sweep(beside(lamp)) == bench.window.document.sweep
    bench.key(Qt.Key.Key_W, CTRL)
    assert bench.window.bench.pages.currentIndex() == 0
    bench.open(lamp)
    assert bench.window.document.sweep.steps[0].params.colour == 0.7


@pytest.mark.slow
def test_the_window_exports_the_bytes_that_clean_writes(
    bench: Bench, lamp: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    bench.open(lamp)
    bench.type_value("luminance", "1.3")
    bench.wait()
    bench.key(Qt.Key.Key_E, CTRL)
    export(bench, tmp_path / "window.tif")
    assert not bench.window.export_dialog.isVisible()
    step = "noise:luminance=1.3"
    monkeypatch.setattr(
        "sys.argv", ["dustpan", "clean", str(lamp), "--out", str(tmp_path / "line.tif"), "--step", step]
    )
    cli.app(standalone_mode=False)
    assert (tmp_path / "window.tif").read_bytes() == (tmp_path / "line.tif").read_bytes()
    assert tifffile.imread(tmp_path / "window.tif").dtype == np.uint16


@pytest.mark.slow
def test_the_export_dialog_knows_its_formats(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.window.export()
    dialog = bench.window.export_dialog
    assert dialog.path.text().endswith("lamp-clean.tif")
    assert dialog.depths.currentText() == "16 bit"
    assert not dialog.quality.isEnabled()
    dialog.formats.setCurrentText("JPEG")
    assert dialog.path.text().endswith("lamp-clean.jpg")
    assert [dialog.depths.itemText(i) for i in range(dialog.depths.count())] == ["8 bit"]
    assert dialog.quality.isEnabled()
    bench.bot.keyClick(dialog, Qt.Key.Key_Escape)
    assert not dialog.isVisible()


@pytest.mark.slow
def test_a_failed_export_says_why_and_can_be_tried_again(
    bench: Bench, lamp: Path, tmp_path: Path, full_disk: Callable[[], None], answer: Callable[[str], list[str]]
) -> None:
    bench.open(lamp)
    bench.window.export()
    full_disk()
    export(bench, tmp_path / "out.tif")
    dialog = bench.window.export_dialog
    assert dialog.isVisible()
    assert "the disk is full" in dialog.note.text()
    assert dialog.start_button.isEnabled()
    assert not (tmp_path / "out.tif").exists()
    asked = answer("Back")
    export(bench, lamp)
    assert "the file of an open picture" in asked[0]


def begin_export(bench: Bench, lamp: Path, target: Path) -> ExportDialog:
    """Open a picture, change something, and begin to export it."""
    bench.open(lamp)
    bench.type_value("luminance", "1.7")
    bench.window.export()
    dialog = bench.window.export_dialog
    dialog.path.setText(str(target))
    bench.click(dialog.start_button)
    return dialog


@pytest.mark.slow
def test_a_folder_is_no_file_to_export_to(bench: Bench, lamp: Path, tmp_path: Path) -> None:
    (tmp_path / "out.tif").mkdir()
    dialog = begin_export(bench, lamp, tmp_path / "out.tif")
    bench.bot.waitUntil(lambda: not dialog.working, timeout=60_000)
    assert "it is a folder" in dialog.note.text()


@pytest.mark.slow
def test_cancelling_an_export_writes_nothing(bench: Bench, lamp: Path, tmp_path: Path, left_behind: Callable) -> None:
    dialog = begin_export(bench, lamp, tmp_path / "out.tif")
    bench.click(dialog.cancel_button)
    bench.bot.waitUntil(lambda: not dialog.working, timeout=30_000)
    assert "nothing was written" in dialog.note.text()
    assert dialog.isVisible()
    assert not (tmp_path / "out.tif").exists()
    assert left_behind() == []


@pytest.mark.slow
@pytest.mark.parametrize(
    ("button", "stays", "saved"), [("Cancel", True, False), ("Save", False, True), ("Do not save", False, False)]
)
def test_closing_with_unsaved_work_asks(
    bench: Bench, lamp: Path, answer: Callable, button: str, stays: bool, saved: bool
) -> None:
    bench.open(lamp)
    bench.type_value("luminance", "0.2")
    asked = answer(button)
    assert bench.window.close() is not stays
    assert asked == ["The sweep of lamp.tif has not been saved."]
    assert beside(lamp).exists() is saved


def test_closing_without_unsaved_work_does_not_ask_even_while_it_renders(bench: Bench, lamp: Path) -> None:
    bench.window.open_files([lamp])
    bench.bot.waitUntil(lambda: bench.window.document is not None, timeout=30_000)
    assert bench.window.close()


# ---------------------------------------------------------------- for everyone


@pytest.mark.slow
def test_every_control_has_a_name_and_a_tooltip_and_every_action_a_menu_entry(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    for row in bench.window.bench.tray.rows.values():
        assert row.box.accessibleName()
        assert row.box.toolTip().endswith(".")
        assert row.slider.toolTip() == row.box.toolTip()
    actions = [a for _, a in bench.window.menus.actions]
    keys = [a.shortcut().toString() for a in actions]
    assert "" not in keys
    assert len(keys) == len(set(keys))
    assert {"Ctrl+O", "Ctrl+S", "Ctrl+E", "Ctrl+Z", "Ctrl+Shift+Z", "F", "1", "D"} <= set(keys)


# ---------------------------------------------------------------- views


@pytest.mark.slow
def test_views_share_the_window_and_esc_leads_back(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    w = bench.window
    for key, modifier, id in (
        (Qt.Key.Key_R, Qt.KeyboardModifier.NoModifier, "recipes"),
        (Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier, "batch"),
    ):
        bench.key(key, modifier)
        assert w.area.current == id
        assert w.area.made[id].widget.isVisible()
        assert not w.bench.isVisible()
        assert w.area.title.text() == w.area.made[id].title
        bench.key(Qt.Key.Key_F)  # of the bench, and not to be done unseen
        assert not w.menus.by_id["fit"].isEnabled()
        bench.key(Qt.Key.Key_Escape)
        assert w.bench.isVisible()
        assert w.menus.by_id["fit"].isEnabled()
    bench.key(Qt.Key.Key_R)
    bench.click(w.area.back)
    assert w.area.current == "bench"


@pytest.mark.slow
def test_pictures_that_are_opened_lead_to_the_bench(bench: Bench, lamp: Path) -> None:
    bench.key(Qt.Key.Key_R)
    assert bench.window.area.current == "recipes"
    bench.open(lamp)
    assert bench.window.area.current == "bench"
    bench.key(Qt.Key.Key_R)
    bench.window.show_number(0)
    assert bench.window.area.current == "bench"


@pytest.mark.slow
def test_another_language_or_theme_makes_every_view_anew_with_what_it_holds(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    w = bench.window
    w.show_view("batch")
    w.show_view("recipes")
    recipes, batch = w.area.made["recipes"], w.area.made["batch"]
    recipes.search.setText("deep-sky")  # type: ignore[attr-defined]
    batch.form.pattern.setText("{name} clean")  # type: ignore[attr-defined]
    batch.form.doer.setCurrentIndex(2)  # type: ignore[attr-defined]
    batch.form.settings.currentWidget().setText("tcp://elsewhere:1")  # type: ignore[attr-defined]
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    apply_language(app, "de")
    try:
        w.rebuild()
        assert w.area.current == "recipes"
        fresh, many = w.area.made["recipes"], w.area.made["batch"]
        assert fresh is not recipes
        assert fresh.title == w.area.title.text() == "Rezepte"
        assert [s.name for s in fresh.shelved] == ["Deep-Sky-Aufnahme"]  # type: ignore[attr-defined]
        assert many.form.order().name == "{name} clean"  # type: ignore[attr-defined]
        assert many.form.doer_asked() == {"scheduler": "tcp://elsewhere:1"}  # type: ignore[attr-defined]
        assert many.run is batch.run  # type: ignore[attr-defined]
        bench.key(Qt.Key.Key_Escape)
        assert w.bench.isVisible()
    finally:
        apply_language(app, "en")
        w.rebuild()
    bench.wait()


@pytest.mark.slow
def test_every_view_of_the_list_can_be_shown_made_anew_and_left(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    w = bench.window
    for kind in VIEWS:
        w.show_view(kind.id)
        view = w.area.made[kind.id]
        assert view.widget.isVisible()
        assert view.may_leave()
    w.rebuild()
    for kind in VIEWS:
        assert w.area.made[kind.id].widget is not None
    bench.wait()
