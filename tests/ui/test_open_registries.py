"""What is added later finds its place by itself: controls, instruments, looks, canvas tools, actions and keys."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtWidgets import QGridLayout, QWidget
from pytestqt.qtbot import QtBot

from dustpan.core.params import Control, Number, Params, Places, Switch, number
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.steps import STEPS
from dustpan.core.sweep import Step, Sweep
from dustpan.ui.actions import numbered, palette_key
from dustpan.ui.bench.canvas import Canvas
from dustpan.ui.bench.tools import Tool
from dustpan.ui.controls.all import CONTROLS
from dustpan.ui.controls.places import PlacesRow
from dustpan.ui.controls.switch import SwitchRow
from dustpan.ui.instruments.all import INSTRUMENTS
from tests.core.made import PEAK
from tests.ui.conftest import LEFT, Bench


def test_every_type_of_parameter_has_its_row() -> None:
    def all_of(kind: type) -> set[type]:
        return {kind} | {t for sub in kind.__subclasses__() for t in all_of(sub)}

    assert all_of(Control) - {Control} == set(CONTROLS)


def test_every_instrument_that_a_step_names_is_there(qtbot: QtBot) -> None:
    assert {k.instrument for k in STEPS} - {""} <= set(INSTRUMENTS)
    for make in INSTRUMENTS.values():
        chart = make()
        qtbot.addWidget(chart)
        assert chart.accessibleName()


def test_switches_and_places_are_shown_and_changed(qtbot: QtBot) -> None:
    told: list[tuple] = []
    holder = QWidget()
    qtbot.addWidget(holder)
    grid = QGridLayout(holder)
    params: type[Params] = PEAK.params
    for row, name in enumerate(("dark", "spared", "least")):
        control = params.control(name)
        made = CONTROLS[type(control)](control, lambda *given: told.append(given), holder)
        made.place(grid, row, 0)
        made.show_value({"dark": True, "spared": ((1, 2), (3, 4)), "least": 0.25}[name])
        assert told == []  # showing tells nobody
        if isinstance(made, SwitchRow):
            assert isinstance(control, Switch)
            assert made.box.isChecked()
            made.box.click()
            assert told.pop() == ("dark", False, False)
        elif isinstance(made, PlacesRow):
            assert isinstance(control, Places)
            assert made.count.text() == "2"
            made.clear.click()
            assert told.pop() == ("spared", (), False)
        else:
            assert isinstance(control, Number)
    holder.show()
    assert grid.count() == 2 + 3 + 4


class Stamp(Tool):
    """Takes hold of the upper left corner of the canvas and remembers what happened."""

    cursor = Qt.CursorShape.CrossCursor

    def __init__(self) -> None:
        super().__init__()
        self.said: list[str] = []

    def grips(self, canvas: object, at: QPointF, keys: Qt.KeyboardModifier) -> bool:
        return at.x() < 50 and at.y() < 50

    def press(self, canvas: object, at: QPointF) -> None:
        self.said.append("press")

    def move(self, canvas: object, at: QPointF) -> None:
        self.said.append("move")

    def release(self, canvas: object, at: QPointF) -> None:
        self.said.append("release")

    def paint(self, canvas: object, painter: object, pane: object) -> None:
        self.said.append("paint")


@pytest.mark.slow
def test_a_canvas_tool_takes_hold_before_panning_and_nowhere_else(bench: Bench, lamp: Path) -> None:
    bench.open(lamp)
    canvas: Canvas = bench.window.bench.canvas
    stamp = Stamp()
    canvas.tools.insert(0, stamp)
    canvas.set_zoom(4.0)
    middle = QPointF(canvas.centre)
    canvas.repaint()
    assert "paint" in stamp.said
    stamp.said.clear()
    canvas.setUpdatesEnabled(False)
    bench.drag(canvas, QPoint(10, 10), QPoint(40, 40))
    assert stamp.said == ["press", *["move"] * 5, "release"]
    assert canvas.centre == middle
    bench.bot.mouseMove(canvas, QPoint(20, 20))
    assert canvas.cursor().shape() is Qt.CursorShape.CrossCursor
    bench.bot.mousePress(canvas, LEFT, pos=QPoint(200, 200))
    bench.bot.mouseMove(canvas, QPoint(240, 220))
    bench.bot.mouseRelease(canvas, LEFT, pos=QPoint(240, 220))
    assert canvas.centre != middle
    canvas.setUpdatesEnabled(True)


def test_an_eleventh_look_and_step_have_keys_of_their_own() -> None:
    for prefix in ("Alt", "Ctrl+Alt"):
        keys = [numbered(prefix, n) for n in range(20)]
        assert len(set(keys)) == 20
        assert keys[10] == f"{prefix}+Shift+0"
    with pytest.raises(ValueError, match="twenty"):
        numbered("Alt", 20)
    letters = [palette_key(n) for n in range(30)]
    assert len(set(letters)) == 30
    assert not {"C", "I"} & set(letters)


def test_two_actions_of_one_name_are_noticed(bench: Bench) -> None:
    actions = bench.window._all_actions()
    ids, keys = [a.id for a in actions], [a.keys for a in actions]
    assert len(set(ids)) == len(ids)
    assert len(set(keys)) == len(keys)
    assert all(a.text and a.menu for a in actions)
    with pytest.raises(ValueError, match="two actions"):
        bench.window.menus._add(actions[0])


class Namesakes(Params):
    strength: float = number(1, 0, 2, label="Strength", unit="×", help="Its own.")
    opacity: float = number(30, 0, 100, label="Opacity", unit="%", help="Its own as well.")


@pytest.mark.slow
def test_a_parameter_may_have_any_name(bench: Bench, lamp: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Even that of what all steps have, or of a handle on another step's chart."""
    kind = replace(PEAK, id="namesakes", params=Namesakes, hits=None, stages=(Stage("same", _same),), facts=_no_facts)
    bench.open(lamp)
    editing = bench.window.bench.editing
    editing.change("add", Sweep((Step(kind, Namesakes()),)))
    bench.wait()
    tray = bench.window.bench.tray
    for row, text in ((tray.rows["strength"], "1.5"), (tray.rows["opacity"], "80"), (tray.opacity, "40")):
        row.box.setFocus()
        row.box.selectAll()
        bench.bot.keyClicks(row.box, text)
        bench.bot.keyClick(row.box, Qt.Key.Key_Return)
    step = bench.window.state.step()
    assert (step.params.strength, step.params.opacity, step.opacity) == (1.5, 80, 0.4)
    assert bench.window.menus.undo.text() == "Undo Peaks: Opacity"
    bench.wait()


def _same(context: Context) -> np.ndarray:
    return context.get(INPUT)[0].copy()


def _no_facts(params: Params) -> frozenset:
    return frozenset()
