"""The bench: probes, instruments, inspecting, comparing, several pictures, preferences, safety."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from dustpan.cli import main as cli
from dustpan.core.files import open_picture, save_picture
from dustpan.core.jobs.events import Drafted, ProbeSeen, Seen
from dustpan.core.judge.probes import Probe, Role
from dustpan.core.judge.worst import FigureName
from dustpan.core.look import LookKind, look_at
from dustpan.core.looks.all import LOOKS
from dustpan.core.looks.channels import GREEN, PICTURE, RED
from dustpan.core.looks.shadows import SHADOWS
from dustpan.core.picture import Depth, from_array, to_samples
from dustpan.core.region import Region
from dustpan.core.screen import packed
from dustpan.core.sweep import Sweep, beside, make_step
from dustpan.ui import safety
from dustpan.ui.app import NOT_RETURNED, run
from dustpan.ui.bench.panes import Arrangement
from dustpan.ui.dialogs.preferences import load_preferences
from dustpan.ui.instruments.noise import STRENGTH
from dustpan.ui.look.theme import THEMES, Colours
from dustpan.ui.window import Window
from tests.core.files.make import jpeg, write
from tests.ui.conftest import LEFT, Bench
from tests.ui.test_window import CTRL, SHIFT, rendered, shown

pytestmark = pytest.mark.slow

NOISE = Sweep((make_step("noise"),))


def side(bench: Bench, other: bool = False) -> np.ndarray:
    """A side of the display, (h, w, 3) bytes."""
    words = (bench.window.document.before if other else bench.window.document.after).levels[0]
    return np.stack([(words >> np.uint32(s)) & np.uint32(255) for s in (16, 8, 0)], -1).astype(np.uint8)


def eight(pixels: np.ndarray) -> np.ndarray:
    return to_samples(pixels, Depth.EIGHT)


# ---------------------------------------------------------------- probes


def test_probes_place_themselves_and_show_both_sides(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    panel, document = bench.window.bench.probes, bench.window.document
    assert [r.isVisible() for r in panel.rows] == [n < len(document.probes) for n in range(5)]
    first = panel.views[0]
    part = document.probes[0].region(document.picture.size, 128).slices()
    assert np.array_equal((first.before >> np.uint32(8)) & np.uint32(255), eight(document.picture.pixels[part])[..., 1])
    assert np.array_equal((first.after >> np.uint32(8)) & np.uint32(255), eight(rendered(lamp, NOISE)[part])[..., 1])
    assert panel.rows[0].figure.text().startswith("noise left ")


def test_a_probe_follows_a_control(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    figure = bench.window.bench.probes.views[0].figures[0].value
    bench.type_value("luminance", "0.2")
    bench.type_value("colour", "0.2")
    bench.wait()
    assert bench.window.bench.probes.views[0].figures[0].value > figure + 30


def test_a_click_on_a_probe_brings_the_picture_there(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.key(Qt.Key.Key_4)
    row, probe = bench.window.bench.probes.rows[2], bench.window.document.probes[2]
    bench.click(row)
    v = bench.window.bench.canvas.visible_region()
    assert v.y0 <= probe.y < v.y1
    assert v.x0 <= probe.x < v.x1
    row.setFocus()
    bench.bot.keyClick(row, Qt.Key.Key_Return)
    assert bench.window.bench.canvas.zoom == 4.0


def test_probes_are_dragged_added_removed_and_kept_with_the_sweep(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    w, canvas = bench.window, bench.window.bench.canvas
    bench.key(Qt.Key.Key_1)
    count = len(w.document.probes)
    probe = w.document.probes[1]
    ox, oy = canvas.origin()
    region = probe.region(w.document.picture.size)
    corner = QPoint(ox + region.x0, oy + region.y0 + 40)
    bench.drag(canvas, corner, QPoint(ox + 200, oy + 150))
    bench.wait()
    assert w.document.probes[1] == Probe(probe.role, 150, 200)
    row = w.bench.probes.rows[0]
    row.setFocus()
    bench.bot.keyClick(row, Qt.Key.Key_Delete)
    bench.wait()
    assert len(w.document.probes) == count - 1
    bench.click(w.bench.probes.add_button)
    bench.wait()
    assert w.document.probes[-1].role is Role.OWN
    kept = w.document.probes
    bench.key(Qt.Key.Key_S, CTRL)
    assert len(json.loads(beside(lamp).read_text())["probes"]) == len(kept)
    bench.key(Qt.Key.Key_W, CTRL)
    bench.open(lamp)
    assert w.document.probes == kept
    assert not w.menus.undo.isEnabled()  # moving a probe is no change of the picture


def test_pointing_at_a_probe_enlarges_it_and_buttons_zoom_it(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    panel = bench.window.bench.probes
    panel.rows[1].entered.emit(1)
    assert panel.enlarged.isVisible()
    assert [p.width() for p in panel.enlarged.sides] == [256, 256]
    panel.rows[1].left.emit()
    assert not panel.enlarged.isVisible()
    bench.click(panel.zoom_group.button(4))
    assert panel.rows[0].patches[0].zoom == 4.0


# ---------------------------------------------------------------- sweep line and instruments


def test_duplicate_and_the_where_half(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    w = bench.window
    bench.key(Qt.Key.Key_D, CTRL)
    bench.wait()
    assert bench.names() == ["Noise", "Noise"]
    assert w.menus.undo.text() == "Undo duplicate Noise"
    bench.click(w.bench.sweep_line.chips[0].where)
    assert w.bench.tray.where.title.text() == "Noise · where"
    assert w.bench.tray.where.offers.isVisible()
    bench.click(w.bench.sweep_line.chips[0])
    assert "luminance" in w.bench.tray.rows


def test_what_was_measured_is_a_chip_of_its_own(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    w = bench.window
    bench.click(w.bench.sweep_line.measured)
    assert w.bench.tray.title.text() == "Measured"
    assert not w.bench.tray.histogram.isHidden()
    assert "fine (2–4 px)" in w.bench.tray.scales.text()
    assert w.bench.tray.charts["noise"].handles() == ()
    bench.click(w.bench.tray.copy)
    text = QApplication.clipboard().text()
    assert text.splitlines()[0].split("\t") == ["level", "red", "green", "blue", "left"]


def test_dragging_the_curve_sets_the_share_by_brightness(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    chart = bench.window.bench.tray.charts["noise"]
    handle = next(h for h in chart.handles() if h.name == "middle")
    start = handle.at.toPoint()
    bench.drag(chart, start, QPoint(start.x(), round((start.y() + chart.area.bottom()) / 2)))
    bench.wait()
    value = bench.window.document.sweep.steps[0].params.middle
    assert value == pytest.approx(50, abs=4)
    assert bench.window.menus.undo.text() == "Undo Noise: Middle"
    assert bench.window.bench.tray.rows["middle"].box.value() == value
    assert chart.left_curve().max() > 0
    sweep = Sweep((make_step("noise", {"middle": value}),))
    assert np.array_equal(shown(bench), eight(rendered(lamp, sweep)))


def test_dragging_the_strength_handle_sets_both_strengths(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    chart = bench.window.bench.tray.charts["noise"]
    start = next(h for h in chart.handles() if h.name == STRENGTH).at.toPoint()
    bench.drag(chart, start, QPoint(start.x(), round(chart.area.bottom() - chart.area.height() / 4)))
    params = bench.window.document.sweep.steps[0].params
    assert params.luminance == params.colour == pytest.approx(0.5, abs=0.06)
    bench.key(Qt.Key.Key_Z, CTRL)
    assert bench.window.document.sweep == NOISE


def test_the_edge_profile_has_the_halo_limits_as_handles(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.window.bench.editing.add_step("edge-sharpen")
    bench.wait()
    chart = bench.window.bench.tray.charts["edge"]
    assert len(chart.before) > 20
    assert chart.before.max() - chart.before.min() > 0.1
    light = next(h for h in chart.handles() if h.name == "halo_light")
    start = light.at.toPoint()
    bench.drag(chart, start, start - QPoint(0, 12))
    assert bench.window.document.sweep.steps[1].params.halo_light > 3
    assert chart.as_text().splitlines()[0] == "px\tbefore\tafter"


def test_the_profile_follows_the_view_and_is_there_at_fit(bench: Bench, tmp_path: Path) -> None:
    y, x = np.mgrid[0:1100, 0:1300]
    steps = np.where(x < 400, 0.2, np.where(y < 700, 0.5, 0.8)) + 0.01 * np.random.default_rng(1).normal(size=x.shape)
    path = tmp_path / "steps.tif"
    save_picture(from_array(np.rint(255 * steps).astype(np.uint8)), path)
    bench.window.open_files([path])
    bench.bot.waitUntil(lambda: bench.window.document is not None, timeout=20_000)
    bench.window.bench.editing.add_step("edge-sharpen")
    bench.wait()
    chart = bench.window.bench.tray.charts["edge"]
    bench.window.bench.editing.choose(1)
    bench.wait()
    assert chart.before.max() - chart.before.min() > 0.2  # at fit it is that of the probe
    bench.window.bench.canvas.go_to(200, 400, 4.0)
    bench.bot.waitUntil(lambda: abs(float(np.ptp(chart.before)) - 0.3) < 0.04, timeout=20_000)
    bench.window.bench.canvas.go_to(700, 1000, 4.0)
    bench.bot.waitUntil(lambda: abs(float(chart.before.min()) - 0.5) < 0.04, timeout=20_000)
    bench.wait()


def test_a_line_drawn_by_the_person_is_the_profile(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.window.bench.editing.add_step("edge-sharpen")
    bench.wait()
    bench.key(Qt.Key.Key_1)
    canvas = bench.window.bench.canvas
    ox, oy = canvas.origin()
    a, b = QPoint(ox + 130, oy + 40), QPoint(ox + 170, oy + 40)  # from the wall into the dark
    bench.bot.mousePress(canvas, LEFT, Qt.KeyboardModifier.ShiftModifier, a)
    bench.bot.mouseMove(canvas, b)
    bench.bot.mouseRelease(canvas, LEFT, Qt.KeyboardModifier.ShiftModifier, b)
    bench.wait()
    chart = bench.window.bench.tray.charts["edge"]
    assert chart.place[-1] == pytest.approx(20, abs=1)
    assert chart.before[5] > chart.before[-5] + 0.1


def test_a_step_that_makes_the_verdict_worse_says_so(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.window.bench.editing.add_step("edge-sharpen")
    for name, text in (("amount", "6"), ("threshold", "0"), ("halo_light", "100"), ("halo_dark", "100")):
        bench.type_value(name, text)
    bench.wait()
    bench.bot.waitUntil(lambda: bool(bench.window.state.warnings), timeout=30_000)
    chip = bench.window.bench.sweep_line.chips[1]
    assert "→" in chip.summary.text()
    bench.key(Qt.Key.Key_O)
    bench.wait()
    assert 1 not in bench.window.state.warnings


def test_hovering_a_chip_shows_what_it_removed(bench: Bench, lamp: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    bench.open(lamp)
    chip = bench.window.bench.sweep_line.chips[0]
    monkeypatch.setattr(chip, "underMouse", lambda: True)
    chip.entered.emit(0)
    bench.bot.waitUntil(lambda: bench.window.bench.thumbnail.isVisible(), timeout=20_000)
    assert bench.window.bench.thumbnail.pixmap().width() > 100
    chip.left.emit()
    assert not bench.window.bench.thumbnail.isVisible()


# ---------------------------------------------------------------- inspecting and comparing


@pytest.mark.parametrize("kind", [k for k in LOOKS if k is not PICTURE], ids=lambda k: k.id)
def test_inspecting_changes_the_view_and_never_the_export(
    bench: Bench, lamp: Path, tmp_path: Path, kind: LookKind, monkeypatch: pytest.MonkeyPatch
) -> None:
    bench.open(lamp)
    bench.window.bench.looking.inspect(kind)
    bench.wait()
    before, after = open_picture(lamp).pixels, rendered(lamp, NOISE)
    noise, look = bench.window.document.noise_print, bench.window.state.look
    assert look.kind is kind
    assert np.array_equal(side(bench), eight(look.view(before, after, noise)))
    assert np.array_equal(side(bench, other=True), eight(look.view(before, before, noise)))
    assert "Export unaffected" in bench.window.bench.canvas.badge
    assert bench.window.document.sweep == NOISE
    bench.window.bench.looking.inspect(PICTURE)
    bench.wait()
    assert np.array_equal(side(bench), eight(after))
    assert bench.window.bench.canvas.badge == ""


def test_the_palette_opens_while_its_key_is_held_and_a_digit_chooses(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    palette = bench.window.bench.palette_
    bench.bot.keyPress(bench.window, Qt.Key.Key_I)
    assert palette.isVisible()
    bench.bot.keyClick(bench.window, Qt.Key.Key_6)
    bench.bot.keyRelease(bench.window, Qt.Key.Key_I)
    assert not palette.isVisible()
    assert bench.window.state.look.kind is SHADOWS
    bench.key(Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert bench.window.state.look.setting == 2.5
    assert "+2.5 EV" in bench.window.bench.canvas.badge
    bench.click(bench.window.bench.top.inspect)
    assert palette.isVisible()
    bench.click(palette.buttons["picture"])
    assert bench.window.state.look.plain


def test_the_other_side_is_complete_however_fast_wishes_follow(bench: Bench, lamp: Path) -> None:
    """Tiles of an overtaken request are dropped; the other side must not count as shown because of them."""
    bench.open(lamp)
    w = bench.window
    for kind, strength in ((RED, 0.9), (GREEN, 0.8)):
        w.bench.looking.inspect(kind)
        w.jobs.wait_for_showing()  # it ran to its end, and nothing of it is painted yet
        w.bench.editing.set_values({"luminance": strength}, False)
    bench.wait()
    assert np.array_equal(side(bench, other=True), eight(look_at(GREEN).view(*2 * [open_picture(lamp).pixels])))


def test_comparing_with_kept_states(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    w = bench.window
    bench.click(w.bench.top.keep)
    bench.type_value("luminance", "0.3")
    bench.wait()
    assert w.state.compared == 2
    assert np.array_equal(side(bench, other=True), eight(rendered(lamp, NOISE)))
    weak = Sweep((make_step("noise", {"luminance": 0.3}),))
    assert np.array_equal(side(bench), eight(rendered(lamp, weak)))
    bench.key(Qt.Key.Key_K)
    bench.wait()
    assert len(w.document.kept) == 2
    bench.key(Qt.Key.Key_N)
    assert w.state.compared == 0
    bench.key(Qt.Key.Key_N)
    assert w.state.compared == 2
    bench.click(w.bench.top.back)
    bench.wait()
    assert w.document.sweep == NOISE
    assert w.menus.undo.text().startswith("Undo return to 1: ")


def test_comparing_with_the_state_before_a_step(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.window.bench.editing.add_step("edge-sharpen")
    bench.wait()
    bench.key(Qt.Key.Key_2, CTRL)
    bench.wait()
    assert bench.window.bench.top.other.currentText() == "Before Edge sharpen"
    assert np.array_equal(side(bench, other=True), eight(rendered(lamp, NOISE)))
    bench.click(bench.window.bench.sweep_line.chips[0])
    bench.wait()
    assert np.array_equal(side(bench, other=True), eight(open_picture(lamp).pixels))


def test_a_pair_is_panned_and_zoomed_together(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.key(Qt.Key.Key_A)
    bench.key(Qt.Key.Key_2)
    canvas = bench.window.bench.canvas
    assert canvas.view is Arrangement.PAIR
    left, right = canvas.panes()
    start = QPoint(left.clip.center().x(), left.clip.center().y())
    bench.drag(canvas, start, start - QPoint(30, 20))
    pixels = bench.canvas_pixels()
    for pane, expected in ((left, eight(open_picture(lamp).pixels)), (right, shown(bench))):
        ox, oy = canvas.origin(pane)
        for py, px in ((140, 200), (100, 150)):
            y, x = oy + 2 * py, ox + 2 * px
            if pane.clip.contains(x, y):
                assert np.array_equal(pixels[y, x], expected[py, px])


# ---------------------------------------------------------------- several pictures


@pytest.fixture
def card(tmp_path: Path, noisy: np.ndarray) -> Path:
    return write(tmp_path, "card.jpg", jpeg(np.rint(255 * noisy[:200, :240]).astype(np.uint8), icc_profile=b""))


def test_the_popup_gives_a_sweep_to_other_pictures(bench: Bench, lamp: Path, card: Path) -> None:
    bench.open(lamp, card)
    bench.bot.waitUntil(lambda: len(bench.window.files.documents) == 2, timeout=20_000)
    bench.type_value("luminance", "0.5")
    bench.wait()
    bench.click(bench.window.bench.top.pictures)
    popup = bench.window.popup
    assert popup.isVisible()
    assert popup.list.item(0).text().startswith("• lamp.tif")
    assert not popup.list.item(0).icon().isNull()
    popup.list.item(1).setCheckState(Qt.CheckState.Checked)
    bench.click(popup.give)
    other = bench.window.files.documents[1]
    assert other.sweep.steps[0].params.luminance == 0.5
    assert other.history.undo_name == "sweep of lamp.tif"


def test_export_and_next_walks_on(bench: Bench, lamp: Path, card: Path) -> None:
    bench.open(lamp, card)
    bench.bot.waitUntil(lambda: len(bench.window.files.documents) == 2, timeout=20_000)
    bench.wait()
    bench.click(bench.window.bench.top.next)
    bench.bot.waitUntil(lambda: bench.window.document.name == "card.jpg", timeout=30_000)
    assert np.array_equal(
        to_samples(open_picture(lamp.with_name("lamp-clean.tif")).pixels, Depth.SIXTEEN),
        to_samples(rendered(lamp, NOISE), Depth.SIXTEEN),
    )
    bench.wait()


def test_recent_files_and_pixel_values(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    assert bench.window.menus.recent_menu.actions()[0].text() == "lamp.tif"
    bench.key(Qt.Key.Key_1)
    ox, oy = bench.window.bench.canvas.origin()
    bench.bot.mouseMove(bench.window.bench.canvas, QPoint(ox + 70, oy + 50))
    words = bench.window.bench.bottom.pixel.text()
    before, after = (eight(p[50:51, 70:71])[0, 0] for p in (open_picture(lamp).pixels, rendered(lamp, NOISE)))
    assert words.startswith("70, 50   R G B " + " ".join(map(str, before)) + " → " + " ".join(map(str, after)))
    assert "L a b" in words


# ---------------------------------------------------------------- verdict, hand-back


@pytest.mark.parametrize("figure", [FigureName.NOISE_LEFT, FigureName.TEXTURE_KEPT, FigureName.EDGE_WIDTH])
def test_a_click_on_a_figure_goes_to_its_worst_places_in_turn(bench: Bench, lamp: Path, figure: FigureName) -> None:
    bench.open(lamp)
    bench.key(Qt.Key.Key_4)
    button = bench.window.bench.bottom.figures[figure]
    bench.click(button)
    bench.bot.waitUntil(lambda: bench.window.bench.bottom.state.text().startswith("worst place 1 of "), timeout=20_000)
    _, places, _ = bench.window.state.worst
    v = bench.window.bench.canvas.visible_region()
    assert v.y0 <= places[0][0] < v.y1
    assert v.x0 <= places[0][1] < v.x1
    if len(places) > 1:
        bench.click(button)
        assert bench.window.bench.bottom.state.text().startswith("worst place 2 of ")
        assert places[0] != places[1]


def test_hand_back_writes_the_result_and_closes(qtbot: QtBot, qapp: QApplication, lamp: Path, tmp_path: Path) -> None:
    bench = Bench(qtbot, tmp_path / "back.tif")
    bench.open(lamp)
    bench.click(bench.window.bench.top.hand_back)
    qtbot.waitUntil(lambda: bench.window.handed_back, timeout=30_000)
    assert not bench.window.isVisible()
    expected = to_samples(rendered(lamp, NOISE), Depth.SIXTEEN)
    assert np.array_equal(to_samples(open_picture(tmp_path / "back.tif").pixels, Depth.SIXTEEN), expected)


@pytest.mark.parametrize(("returned", "code"), [(True, 0), (False, NOT_RETURNED)])
def test_the_exit_code_says_whether_it_was_handed_back(
    qapp: QApplication, lamp: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, returned: bool, code: int
) -> None:
    from PyQt6.QtCore import QTimer

    def act() -> None:
        (window,) = (w for w in qapp.topLevelWidgets() if isinstance(w, Window) and w.isVisible())
        if window.busy or window.document is None:
            QTimer.singleShot(100, act)
        elif returned:
            window.bench.top.hand_back.click()
        else:
            window.close()

    QTimer.singleShot(100, act)
    assert run([lamp], hand_back=tmp_path / "out.png") == code
    assert (tmp_path / "out.png").exists() is returned


def test_several_are_handed_back_into_a_folder(qtbot: QtBot, qapp: QApplication, lamp: Path, tmp_path: Path) -> None:
    second, back = tmp_path / "second.tif", tmp_path / "back"
    second.write_bytes(lamp.read_bytes())
    back.mkdir()
    bench = Bench(qtbot, back)
    bench.window.open_files([lamp, second], handed_over=True)
    qtbot.waitUntil(lambda: len(bench.window.files.documents) == 2, timeout=30_000)
    bench.wait()
    bench.click(bench.window.bench.top.hand_back)
    qtbot.waitUntil(lambda: bench.window.handed_back, timeout=60_000)
    assert not bench.window.isVisible()
    assert (back / "lamp.tif").read_bytes() == (back / "second.tif").read_bytes()


def test_hand_back_needs_other_files_and_a_known_format(monkeypatch: pytest.MonkeyPatch, lamp: Path) -> None:
    for words in ([str(lamp), str(lamp), "--return", str(lamp.parent)], [str(lamp), "--return", "o.xyz"]):
        monkeypatch.setattr("sys.argv", ["dustpan", "open", *words])
        with pytest.raises(SystemExit) as end:
            cli.main()
        assert end.value.code in (1, 2)


# ---------------------------------------------------------------- comfort and safety


def contrast(a: str, b: str) -> float:
    """Contrast ratio of two colours (WCAG 2.2)."""
    from dustpan.core.colour import decode

    def brightness(c: str) -> float:
        rgb = decode(np.array([int(c[i : i + 2], 16) for i in (1, 3, 5)]) / 255)
        return float(rgb @ [0.2126, 0.7152, 0.0722])

    low, high = sorted((brightness(a), brightness(b)))
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("theme", THEMES.values(), ids=list(THEMES))
def test_text_has_enough_contrast_in_both_themes(theme: Colours) -> None:
    for ground in (theme.ground, theme.surface, theme.raised):
        for text in (theme.text, theme.faint, theme.disabled) if ground != theme.raised else (theme.text, theme.faint):
            assert contrast(text, ground) >= 4.5, (text, ground)
    assert contrast(theme.on_accent, theme.accent) >= 4.5
    assert contrast(theme.accent, theme.ground) >= 3
    assert contrast(theme.warn, theme.raised) >= 3
    for grey in (theme.ground, theme.surface, theme.raised):
        assert len({grey[1:3], grey[3:5], grey[5:7]}) == 1  # neutral


def test_preferences_are_kept_and_take_effect(bench: Bench, lamp: Path, qapp: QApplication) -> None:
    bench.key(Qt.Key.Key_Comma, CTRL)
    dialog = bench.window.preferences_dialog
    dialog.theme.setCurrentIndex(dialog.theme.findData("light"))
    dialog.opening.setCurrentIndex(dialog.opening.findData("nothing"))
    dialog.memory.setValue(900)
    dialog.accept()
    assert THEMES["light"].surface in qapp.styleSheet()
    assert bench.window.jobs.cache.limit == 900_000_000
    assert load_preferences().on_opening == "nothing"
    bench.open(lamp)
    assert bench.window.document.sweep == Sweep()
    assert not bench.window.document.history.dirty
    from dustpan.ui.look.theme import apply_theme

    apply_theme(qapp, "dark")


def test_damaged_preferences_are_the_defaults(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("DUSTPAN_CONFIG", str(tmp_path))
    for text in ("{", '{"memory_mb": "much"}', "[]", '{"theme": "plaid"}'):
        (tmp_path / "preferences.json").write_text(text)
        assert load_preferences().memory_mb == 1500


def test_the_window_state_is_remembered(bench: Bench, qtbot: QtBot) -> None:
    bench.window.bench.fold_tray()
    bench.window.resize(1111, 777)
    bench.window.close()
    again = Window()
    qtbot.addWidget(again)
    assert again.bench.tray.isHidden()
    assert (again.width(), again.height()) == (1111, 777)
    again.close()


def test_the_key_sheet_lists_every_key(bench: Bench) -> None:
    bench.key(Qt.Key.Key_F2)
    text = bench.window.key_sheet.browser.toPlainText()
    for _, action in bench.window.menus.actions:
        if not action.shortcut().isEmpty():
            assert action.shortcut().toString() in text
    bench.window.key_sheet.reject()


def test_unsaved_work_is_kept_and_offered_back_after_a_crash(
    bench: Bench, lamp: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    bench.open(lamp)
    bench.type_value("luminance", "0.35")
    bench.window.files.keep_safe()
    kept = list(safety.safety_folder().glob("*.sweep.json"))
    assert len(kept) == 1
    assert not beside(lamp).exists()
    assert safety.left_by_crashes() == []  # this process still runs
    dead = kept[0].with_name(kept[0].name.replace(safety.SESSION.name, "0123456789abcdef"))
    kept[0].rename(dead)
    safety._picture_file(kept[0]).rename(safety._picture_file(dead))
    bench.window.document.history.mark_saved()
    bench.key(Qt.Key.Key_W, CTRL)

    bench.window.offer_left_work()
    assert "lamp.tif" in bench.window.bench.notice.text.text()
    bench.click(bench.window.bench.notice.action)
    bench.bot.waitUntil(lambda: bench.window.document is not None, timeout=20_000)
    bench.wait()
    assert bench.window.document.sweep.steps[0].params.luminance == 0.35
    assert bench.window.document.history.dirty
    assert not dead.exists()


def test_saving_and_closing_forget_what_was_kept_for_a_crash(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.type_value("luminance", "0.35")
    bench.window.files.keep_safe()
    bench.key(Qt.Key.Key_S, CTRL)
    assert list(safety.safety_folder().glob("*.sweep.json")) == []


def test_stopping_keeps_what_is_shown_and_says_so(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.type_value("luminance", "1.9")
    bench.click(bench.window.bench.bottom.stop)
    assert not bench.window.busy
    assert "stopped" in bench.window.bench.bottom.state.text()


def test_copy_details_holds_the_message(bench: Bench, tmp_path: Path) -> None:
    bench.open(write(tmp_path, "cut.jpg", jpeg()[:300]))
    copy = next(
        b
        for b in bench.window.bench.notice.findChildren(type(bench.window.bench.notice.dismiss))
        if b.text() == "Copy details"
    )
    bench.click(copy)
    assert "cut.jpg: " in QApplication.clipboard().text()


def test_holding_does_not_get_stuck_in_a_dialog(bench: Bench, lamp: Path, answer: Callable) -> None:
    bench.open(lamp)
    bench.window.export()
    dialog = bench.window.export_dialog
    dialog.path.selectAll()
    bench.bot.keyClicks(dialog.path, "/tmp/ic.png")
    assert dialog.path.text() == "/tmp/ic.png"
    assert not bench.window.bench.canvas.holding
    assert not bench.window.bench.palette_.isVisible()
    dialog.reject()


def test_the_overview_shows_while_panning_at_high_zoom(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    canvas = bench.window.bench.canvas
    canvas.set_zoom(8.0, QPointF(200, 200))
    assert not canvas._overview.isActive()
    canvas.go_to(100, 100)
    corner = (slice(-160, -12), slice(-160, -12))
    assert canvas._overview.isActive()
    seen = bench.canvas_pixels()
    bench.bot.waitUntil(lambda: not canvas._overview.isActive(), timeout=3000)
    after = bench.canvas_pixels()
    assert not np.array_equal(seen[corner], after[corner])
    assert np.array_equal(seen[40:-200], after[40:-200])  # and nothing else has changed


def test_undo_is_named_after_shift_redo(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.type_value("colour", "0.4")
    bench.key(Qt.Key.Key_Z, CTRL)
    assert bench.window.menus.redo.text() == "Redo Noise: Colour"
    bench.key(Qt.Key.Key_Z, CTRL | SHIFT)
    assert bench.window.menus.undo.text() == "Undo Noise: Colour"


def test_a_large_view_is_drafted_on_the_reduced_picture(bench: Bench, tmp_path: Path) -> None:
    rng = np.random.default_rng(5)
    grey = np.linspace(0.2, 0.7, 1500)[None, :, None] + 0.06 * rng.standard_normal((1100, 1500, 3))
    path = tmp_path / "large.tif"
    save_picture(from_array(np.rint(np.clip(grey, 0, 1) * 255).astype(np.uint8)), path)
    bench.open(path)
    w = bench.window
    d = w.document
    assert d is not None
    level, drafts = w.bench.canvas.level, []
    assert level >= 1

    def note(event: Drafted) -> None:
        drafts.append(d.after.levels[level].copy())

    w.jobs.hear(Drafted, note)
    before = d.after.levels[level].copy()
    bench.type_value("luminance", "3")
    bench.wait()
    exact = d.after.levels[level]

    def apart(a: np.ndarray, b: np.ndarray) -> float:
        channels = [(x.view(np.uint8).reshape(*x.shape, 4)[..., :3].astype(float)) for x in (a, b)]
        return float(np.sqrt(np.mean((channels[0] - channels[1]) ** 2)))

    assert len(drafts) == 1
    assert apart(drafts[0], before) > 0
    assert apart(drafts[0], exact) < 4


def test_a_mix_before_sharpening_is_exact_at_once_and_the_probes_wait_for_it(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.window.bench.editing.add_step("edge-sharpen")
    bench.wait()
    bench.click(bench.window.bench.sweep_line.chips[0])
    told: list[str] = []
    bench.window.jobs.hear(Drafted, lambda _: told.append("drafted"))
    bench.window.jobs.hear(Seen, lambda _: told.append("exact"))
    bench.window.jobs.hear(ProbeSeen, lambda _: told.append("probe"))
    for value, first in (("0.5", ["exact", "probe"]), ("1.5", ["drafted", "probe"])):
        told.clear()
        bench.type_value("luminance", value)
        bench.wait()
        assert told[: len(first)] == first


def test_what_is_seen_is_exact_before_the_rest_and_says_so(bench: Bench, tmp_path: Path) -> None:
    rng = np.random.default_rng(6)
    path = tmp_path / "wide.tif"
    save_picture(from_array(rng.integers(60, 160, (500, 1800, 3)).astype(np.uint8)), path)
    bench.open(path)
    w = bench.window
    w.bench.canvas.go_to(250, 500, 1.0)
    d = w.document
    assert d is not None
    seen: list[tuple[str, bool]] = []
    w.jobs.hear(Seen, lambda _: seen.append((w.bench.canvas.badge, d.renderer.peek(d.sweep, far) is None)))
    far = Region(400, 1600, 450, 1700)
    bench.type_value("luminance", "2.5")
    bench.wait()
    assert seen[0] == ("", True)
    assert seen[-1] == ("", False)
    shown = w.bench.canvas.visible_region().within(d.picture.size)
    exact = packed(d.renderer.render(d.sweep, shown), None)
    assert np.array_equal(d.after.levels[0][shown.slices()], exact)
