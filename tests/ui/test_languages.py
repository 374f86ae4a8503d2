"""The window in every language: a switch without a restart, and nothing clipped."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDialogButtonBox,
    QLabel,
    QSlider,
    QWidget,
)

from dustpan.core.judge.probes import Probe, Role
from dustpan.core.language import ENGLISH, catalogue, languages
from dustpan.ui.dialogs.preferences import load_preferences
from dustpan.ui.look.icons import FOLDER, icon
from dustpan.ui.translator import apply_language
from tests.ui.conftest import Bench

pytestmark = pytest.mark.slow


@pytest.fixture(autouse=True)
def english_again(qapp: QApplication) -> Iterator[None]:
    yield
    apply_language(qapp, ENGLISH)


def choose_language(bench: Bench, code: str) -> None:
    """As a person does: in the preferences."""
    bench.key(Qt.Key.Key_Comma, Qt.KeyboardModifier.ControlModifier)
    dialog = bench.window.preferences_dialog
    dialog.language.setCurrentIndex(dialog.language.findData(code))
    box = dialog.findChild(QDialogButtonBox)
    assert box is not None
    bench.click(box.button(QDialogButtonBox.StandardButton.Ok))  # type: ignore[arg-type]
    bench.window.activateWindow()  # as a window manager does when a dialog closes
    bench.wait()


def shown_texts(window: QWidget) -> set[str]:
    """All that is written, said on hover, or read aloud anywhere in the window."""
    found: list[str] = []
    for w in window.findChildren(QWidget):
        found += [w.toolTip(), w.accessibleName()]
        if isinstance(w, QLabel | QAbstractButton):
            found.append(w.text())
        if isinstance(w, QComboBox):
            found += [w.itemText(i) for i in range(w.count())]
    found += [a.text() for _, a in window.menus.actions]  # type: ignore[attr-defined]
    return {t for t in found if t}


def test_a_switch_leaves_no_english_and_the_work_as_it_is(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    w = bench.window
    w.bench.editing.add_step("edge-sharpen")
    bench.type_value("radius", "1.7")
    w.bench.canvas.set_zoom(2.0)
    bench.wait()
    sweep = w.document.sweep if w.document else None
    choose_language(bench, "de")
    german = catalogue("de")
    english = {source for source, text in german.items() if source != text} - set(german.values())
    left = shown_texts(w) & english
    assert left == set()
    assert bench.names() == ["Rauschen", "Kanten schärfen"]
    assert w.bench.bottom.sentence().startswith("Restrauschen ")
    assert w.document is not None
    assert w.document.sweep == sweep
    assert w.bench.canvas.zoom == 2.0
    assert w.bench.tray.rows["radius"].box.value() == pytest.approx(1.7)
    assert load_preferences().language == "de"


def test_after_a_switch_keys_and_controls_work_once_each(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    choose_language(bench, "de")
    w = bench.window
    assert w.document is not None
    bench.type_value("luminance", "0,5")  # a comma is taken as well
    assert w.document.sweep.active[0].params.luminance == 0.5
    assert w.document.history.undo_name == "Rauschen: Helligkeit"
    bench.key(Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert w.document.sweep.active[0].params.luminance == 1.0
    bench.key(Qt.Key.Key_K)
    assert len(w.document.kept) == 1
    bench.click(w.bench.top.keep)
    assert len(w.document.kept) == 2
    bench.wait()
    choose_language(bench, ENGLISH)
    assert bench.names() == ["Noise"]


def test_a_theme_is_changed_with_its_icons(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    before = bench.window.bench.top.export.icon().pixmap(16).toImage()
    bench.key(Qt.Key.Key_Comma, Qt.KeyboardModifier.ControlModifier)
    dialog = bench.window.preferences_dialog
    dialog.theme.setCurrentIndex(dialog.theme.findData("light"))
    dialog.accept()
    bench.window.activateWindow()
    bench.wait()
    assert bench.window.bench.top.export.icon().pixmap(16).toImage() != before
    bench.key(Qt.Key.Key_Comma, Qt.KeyboardModifier.ControlModifier)
    bench.window.preferences_dialog.theme.setCurrentIndex(0)
    bench.window.preferences_dialog.accept()
    bench.wait()


def test_standard_buttons_and_questions_are_translated(
    bench: Bench, lamp: Path, answer: Callable[[str], list[str]]
) -> None:
    bench.open(lamp)
    choose_language(bench, "de")
    bench.key(Qt.Key.Key_Comma, Qt.KeyboardModifier.ControlModifier)
    box = bench.window.preferences_dialog.findChild(QDialogButtonBox)
    assert box is not None
    texts = {b.text().replace("&", "") for b in box.buttons()}
    assert texts == {"OK", "Abbrechen"}
    bench.window.preferences_dialog.reject()
    bench.type_value("luminance", "2")
    asked = answer("Nicht speichern")
    bench.key(Qt.Key.Key_W, Qt.KeyboardModifier.ControlModifier)
    assert asked == ["Der Durchgang von lamp.tif ist nicht gespeichert."]
    assert bench.window.document is None


@pytest.mark.parametrize("code", languages())
@pytest.mark.parametrize(("width", "height"), [(1280, 736), (1024, 680)])
def test_nothing_is_clipped(bench: Bench, lamp: Path, code: str, width: int, height: int) -> None:
    bench.open(lamp)
    w = bench.window
    w.bench.watching.set_probes(tuple(Probe(role, 60, 60 * n + 60) for n, role in enumerate([*Role][:5])))
    w.bench.editing.add_step("edge-sharpen")
    choose_language(bench, code)
    w.resize(width, height)
    bench.wait()
    for step in (-1, 0, 1):
        w.bench.editing.choose(step)
        w.bench.tray.more.setChecked(False)
        bench.bot.wait(10)
        assert (w.width(), w.height()) == (width, height)
        check_room(w)
    w.bench.editing.choose(0)
    w.bench.tray.more.setChecked(True)
    bench.bot.wait(10)
    check_room(w)
    w.bench.tray.more.setChecked(False)


def check_room(window: QWidget) -> None:
    """Every text has room, or is shortened and said in full on hover; every widget lies within the window."""
    for widget in window.findChildren(QWidget):
        if not widget.isVisible():
            continue
        if isinstance(widget, QLabel) and widget.text() and not widget.wordWrap() and "<" not in widget.text():
            needed = widget.fontMetrics().horizontalAdvance(widget.text())
            assert needed <= widget.width() + 1 or widget.text() in widget.toolTip(), widget.text()
        if isinstance(widget, QAbstractButton) and widget.text():
            drawing = 0 if widget.icon().isNull() else widget.iconSize().width() + 4
            assert widget.fontMetrics().horizontalAdvance(widget.text()) + drawing + 4 <= widget.width(), widget.text()
        if widget.window() is window.window():
            corner = widget.mapTo(window, widget.rect().bottomRight())
            assert corner.x() <= window.width(), widget
            assert corner.y() <= window.height(), widget


def test_every_control_says_what_it_does(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    bench.window.bench.editing.add_step("edge-sharpen")
    bench.wait()
    controls = (QAbstractButton, QComboBox, QAbstractSpinBox, QSlider)
    found = [c for kind in controls for c in bench.window.findChildren(kind) if c.isVisible()]
    assert len(found) > 30
    for c in found:
        if c.parent() and isinstance(c.parent(), QAbstractSpinBox | QComboBox):
            continue
        name = c.accessibleName() or (c.text() if isinstance(c, QAbstractButton) else "")
        assert name, c
        assert c.toolTip(), (c, name)


def test_icons_are_drawn_in_the_colours_of_their_state(bench: Bench) -> None:
    names = [p.stem for p in FOLDER.glob("*.svg")]
    assert len(names) > 20
    for name in names:
        states = [icon(name).pixmap(QSize(16, 16), mode).toImage() for mode in (QIcon.Mode.Normal, QIcon.Mode.Disabled)]
        assert states[0] != states[1], name
        large = icon(name).pixmap(QSize(16, 16), 2.0)
        assert (large.width(), large.height()) == (32, 32)
    source = "".join(p.read_text("utf-8") for p in FOLDER.parents[1].rglob("*.py"))
    assert all(f'"{name}"' in source for name in set(names) - {"single", "divider", "pair"})
