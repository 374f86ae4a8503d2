"""The tray's other half: where a step applies. It reads as a sentence of parts, from left to right."""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QSignalBlocker, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QKeyEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.language import capital, mark
from dustpan.core.params import PX, Control, Number
from dustpan.core.parts import PARTS
from dustpan.core.where.clean_up import Finish
from dustpan.core.where.mask import WIDEST, How, Mask, Part
from dustpan.ui.actions import connect
from dustpan.ui.bench.where_tools import BrushSettings
from dustpan.ui.controls.all import CONTROLS
from dustpan.ui.controls.number import NumberRow
from dustpan.ui.controls.row import COLUMNS, Row
from dustpan.ui.controls.text import TextRow
from dustpan.ui.instruments.all import PART_INSTRUMENTS
from dustpan.ui.look.elided import ElidedLabel
from dustpan.ui.look.icons import show_icon
from dustpan.ui.look.plain import Label

ROWS, ACROSS = 3, 4
WHOLE = -1  # the number of what is done to all parts together
FADED = Number(label=mark("Faded"), help=mark("How much weaker this part counts."), unit="%", name="faded", default=0,
               high=100, digits=0)  # fmt: skip
FEATHER = Number(label=mark("Feather"), help=mark("Over how many px this part is softened."), unit=PX, name="feather",
                 default=0, high=WIDEST, digits=0)  # fmt: skip
BRUSH_CONTROLS = (
    Number(label=mark("Size"), help=mark("Of the brush; [ and ] change it."), unit=PX, name="size", default=120, low=1,
           high=1000, digits=0),
    Number(label=mark("Softness"), help=mark("How far in from its rim the brush fades."), unit="%", name="soft",
           default=50, high=100, digits=0),
    Number(label=mark("Opacity"), help=mark("The most that a stroke reaches, however often it goes over a place."),
           unit="%", name="opacity", default=100, low=1, high=100, digits=0),
    Number(label=mark("Flow"), help=mark("How quickly a stroke gets there."), unit="%", name="flow", default=100, low=1,
           high=100, digits=0),
)  # fmt: skip
PRESSURE = (mark("size"), mark("opacity"), mark("nothing"))


class Shown(StrEnum):
    """How a mask is shown over the picture."""

    SPOTLIGHT = mark("spotlight")
    TINT = mark("tint")
    BLACK_AND_WHITE = mark("black and white")


class PartChip(QFrame):
    """A part in the sentence: how it is joined, and its name."""

    chosen = pyqtSignal(int)
    how_wanted = pyqtSignal(int)

    def __init__(self, index: int, parent: QWidget) -> None:
        super().__init__(parent)
        self.index = index
        self.setObjectName("chip")
        self.setFixedHeight(24)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.how, self.name = QToolButton(self), QToolButton(self)
        self.how.setObjectName("bare")
        self.how.setToolTip(self.tr("Add, only where, or except: click for the next"))
        self.name.setObjectName("bare")
        self.how.clicked.connect(lambda: self.how_wanted.emit(self.index))
        self.name.clicked.connect(lambda: self.chosen.emit(self.index))
        row = QHBoxLayout(self)
        row.setContentsMargins(2, 0, 2, 0)
        row.setSpacing(0)
        row.addWidget(self.how)
        row.addWidget(self.name)

    def show_part(self, part: Part, first: bool, chosen: bool) -> None:
        words = self.tr(part.how.value)
        if first and part.how is How.ADD:
            words = ""
        elif first and part.how is How.EXCEPT:
            words = self.tr("everywhere except")
        self.how.setText(words)
        self.how.setVisible(bool(words))
        name = part.title or self.tr(part.kind.name)
        if part.inverted:
            name = self.tr(part.kind.not_it) if part.kind.not_it else self.tr("not {0}").format(name)
        strokes = getattr(part.params, "strokes", ())
        if strokes:
            name += f" ({len(strokes)})"
        self.name.setText(name if part.on else self.tr("{0}, off").format(name))
        self.setAccessibleName(f"{words} {name}".strip())
        self.setProperty("chosen", chosen)
        for w in (self, self.name):
            style = w.style()
            if style is not None:
                style.unpolish(w)
                style.polish(w)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.chosen.emit(self.index)
        else:
            super().keyPressEvent(event)


class WherePanel(QWidget):
    """``changed`` carries parameters of the chosen part or of the whole, with their values, and whether a drag goes on.

    ``part_changed`` carries fields of the part itself. ``add_wanted`` carries the id of a kind, how it is joined,
    whether it is inverted, and parameters that are not its usual ones.
    """

    changed = pyqtSignal(object, bool)
    part_changed = pyqtSignal(object, bool)
    add_wanted = pyqtSignal(str, str, bool, object)
    chosen = pyqtSignal(int)
    how_wanted = pyqtSignal(int)
    remove_wanted = pyqtSignal()
    duplicate_wanted = pyqtSignal()
    move_wanted = pyqtSignal(int)
    shown_changed = pyqtSignal(object)
    copy_wanted = pyqtSignal(int)
    keep_wanted = pyqtSignal()
    brush_changed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.brush = BrushSettings()
        self.rows: dict[str, Row] = {}
        self.chips: list[PartChip] = []
        self.charts = {name: make() for name, make in PART_INSTRUMENTS.items()}
        for chart in self.charts.values():
            chart.changed.connect(self.changed)
        self._key: str | None = None
        self.title, self.covered = Label(), Label()
        self.title.setObjectName("heading")
        self.covered.setObjectName("faint")
        self._build()

    def _button(self, text: str, tip: str, drawing: str = "") -> QToolButton:
        button = QToolButton(self)
        button.setText(text)
        button.setToolTip(tip)
        button.setAccessibleName(text or tip)
        if drawing:
            show_icon(button, drawing)
            if text:
                button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        return button

    def _build(self) -> None:
        self._build_own()
        self._build_sentence()
        self.paints = self._list(
            [self.tr("Paint"), self.tr("Erase")], self.tr("Whether the brush adds or takes away (E)")
        )
        words = [self.tr("Pressure: {0}").format(self.tr(p)) for p in PRESSURE]
        self.pressure = self._list(words, self.tr("What the pressure of a pen changes"))
        for choice in (self.paints, self.pressure):
            choice.activated.connect(self._brush_told)
            choice.hide()
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(5)
        self.grid.setVerticalSpacing(2)
        side = QVBoxLayout()
        side.addLayout(self.grid)
        side.addStretch(1)
        body = QHBoxLayout()
        body.setSpacing(12)
        for chart in self.charts.values():
            body.addWidget(chart, 2, Qt.AlignmentFlag.AlignTop)
            chart.hide()
        body.addLayout(side, 7)
        self.offers = self._offered()
        head = QHBoxLayout()
        head.setSpacing(6)
        head.addWidget(self.title)
        head.addWidget(self.covered, 1)
        for w in (*self.own, self.shown, self.copy, self.keep):
            head.addWidget(w)
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 3, 10, 3)
        box.setSpacing(3)
        box.addLayout(head)
        box.addWidget(self.offers)
        box.addWidget(self.sentence_area)
        box.addLayout(body, 1)
        self.show_mask("", Mask(), 0, "", (), ())

    def _list(self, words: list[str], tip: str) -> QComboBox:
        box = QComboBox(self)
        box.addItems(words)
        box.setToolTip(tip)
        box.setAccessibleName(tip)
        return box

    def _build_own(self) -> None:
        """What stands in the first line: of the chosen part, and of the mask."""
        self.on, self.inverted = QCheckBox(self.tr("On")), QCheckBox(self.tr("Inverted"))
        self.on.setToolTip(self.tr("Whether this part counts"))
        self.inverted.setToolTip(self.tr("Where this part counts, it does not, and the other way round"))
        self.on.toggled.connect(lambda on: self.part_changed.emit({"on": on}, False))
        self.inverted.toggled.connect(lambda on: self.part_changed.emit({"inverted": on}, False))
        self.name = QLineEdit()
        self.name.setPlaceholderText(self.tr("Name"))
        self.name.setToolTip(self.tr("A name of its own for this part"))
        self.name.setAccessibleName(self.tr("Name"))
        self.name.setFixedWidth(80)
        self.name.editingFinished.connect(self._named)
        self.earlier = self._button("◂", self.tr("Earlier in the sentence"))
        self.later = self._button("▸", self.tr("Later in the sentence"))
        self.double = self._button("", self.tr("Duplicate this part"), "copy")
        self.remove = self._button("", self.tr("Take this part out"), "remove")
        connect([
            (self.earlier.clicked, lambda: self.move_wanted.emit(-1)),
            (self.later.clicked, lambda: self.move_wanted.emit(1)),
            (self.double.clicked, lambda: self.duplicate_wanted.emit()),
            (self.remove.clicked, lambda: self.remove_wanted.emit()),
        ])  # fmt: skip
        self.own = (self.on, self.inverted, self.name, self.earlier, self.later, self.double, self.remove)
        words = [self.tr("Mask not shown"), *(capital(self.tr(way.value)) for way in Shown)]
        self.shown = self._list(words, self.tr("Show the mask over the picture (hold V)"))
        self.shown.activated.connect(lambda n: self.shown_changed.emit(list(Shown)[n - 1] if n else None))
        self.copy = self._button("", self.tr("Give another step this mask"), "next")
        self.copy.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.copy_menu = QMenu(self.copy)
        self.copy.setMenu(self.copy_menu)
        tip = self.tr("Keep this mask under a name: other steps can use it, and changing it changes all")
        self.keep = self._button("", tip, "keep")
        self.keep.clicked.connect(self.keep_wanted)

    def _named(self) -> None:
        if self.name.isVisible():
            self.part_changed.emit({"title": self.name.text().strip()}, False)

    def _build_sentence(self) -> None:
        line = QWidget()
        self.sentence = QHBoxLayout(line)
        self.sentence.setContentsMargins(0, 0, 0, 0)
        self.sentence.setSpacing(4)
        self.add = self._button(self.tr("Part"), self.tr("Add a part to this mask"), "add")
        self.add.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.add)
        menu.setToolTipsVisible(True)
        for kind in PARTS:
            action = QAction(capital(self.tr(kind.name)), menu)
            action.setToolTip(self.tr(kind.help))
            action.triggered.connect(lambda _=False, k=kind.id: self.add_wanted.emit(k, How.ADD.value, False, {}))
            menu.addAction(action)
        self.add.setMenu(menu)
        self.whole = self._button(self.tr("Whole"), self.tr("What is done to the mask as a whole"), "more")
        self.whole.setCheckable(True)
        self.whole.clicked.connect(lambda: self.chosen.emit(WHOLE))
        self.sentence.addWidget(self.add)
        self.sentence.addWidget(self.whole)
        self.sentence.addStretch(1)
        self.sentence_area = QScrollArea()
        self.sentence_area.setWidget(line)
        self.sentence_area.setWidgetResizable(True)
        self.sentence_area.setFrameShape(QFrame.Shape.NoFrame)
        self.sentence_area.setFixedHeight(28)
        for policy in (self.sentence_area.setHorizontalScrollBarPolicy, self.sentence_area.setVerticalScrollBarPolicy):
            policy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def _offered(self) -> QWidget:
        """The kinds of part, one click away, with what they mean."""
        whole = QWidget()
        grid = QGridLayout(whole)
        grid.setContentsMargins(0, 2, 0, 0)
        grid.setVerticalSpacing(4)
        self.first: list[QToolButton] = []
        offers = [(kind, offer) for kind in PARTS for offer in kind.first_offers()]
        for n, (kind, offer) in enumerate(offers):
            tip = self.tr(offer.help)
            button = self._button(capital(self.tr(offer.words)), tip)
            wanted = kind.id, offer.how.value, offer.inverted, offer.values
            button.clicked.connect(lambda _=False, a=wanted: self.add_wanted.emit(*a))
            self.first.append(button)
            told = ElidedLabel()
            told.setObjectName("faint")
            told.setText(tip)
            cell = QHBoxLayout()
            cell.setSpacing(6)
            cell.addWidget(button)
            cell.addWidget(told, 1)
            grid.addLayout(cell, n // ACROSS, n % ACROSS)
        for column in range(ACROSS):
            grid.setColumnStretch(column, 1)
        return whole

    # -------------------------------------------------------------- what is shown

    def show_mask(
        self, step: str, mask: Mask, chosen: int, covered: str, kept: Sequence[str], others: Sequence[tuple[int, str]]
    ) -> None:
        """Show a step's mask with one of its parts chosen.

        Parameters
        ----------
        covered : in words. kept : names of masks that are kept. others : numbers and names of steps to copy it to.
        """
        self.title.setText(self.tr("{0} · where").format(step))
        self.covered.setText(covered if mask.parts else self.tr("everywhere; choose where:"))
        self.offers.setVisible(not mask.parts)
        for w in (self.sentence_area, *self.own, self.copy, self.keep, self.shown):
            w.setVisible(bool(mask.parts))
        self._show_chips(mask, chosen)
        self.copy_menu.clear()
        for number, name in others:
            action = QAction(name, self.copy_menu)
            action.triggered.connect(lambda _=False, n=number: self.copy_wanted.emit(n))
            self.copy_menu.addAction(action)
        self.copy.setEnabled(bool(others))
        part = mask.parts[chosen] if 0 <= chosen < len(mask.parts) else None
        self.whole.setChecked(part is None)
        for w in self.own:
            w.setVisible(part is not None)
        key = part.kind.id if part else "whole" if mask.parts else ""
        if key != self._key:
            self._key = key
            self._rebuild(part, bool(mask.parts))
        self._show_values(part, mask.finish, kept)
        if part is not None:
            self.earlier.setEnabled(chosen > 0)
            self.later.setEnabled(chosen < len(mask.parts) - 1)

    def _show_chips(self, mask: Mask, chosen: int) -> None:
        while len(self.chips) > len(mask.parts):
            chip = self.chips.pop()
            self.sentence.removeWidget(chip)
            chip.hide()
            chip.deleteLater()
        for n, part in enumerate(mask.parts):
            if n == len(self.chips):
                chip = PartChip(n, self)
                chip.chosen.connect(self.chosen)
                chip.how_wanted.connect(self.how_wanted)
                self.chips.append(chip)
                self.sentence.insertWidget(self.sentence.indexOf(self.add), chip)
                chip.show()
            self.chips[n].show_part(part, n == 0, n == chosen)
        if 0 <= chosen < len(self.chips):
            self.sentence_area.ensureWidgetVisible(self.chips[chosen], 40, 0)

    def show_pixels(self, words: NDArray[np.uint32]) -> None:
        """Show the chart of the chosen part the packed pixels of the picture, reduced."""
        for chart in self.charts.values():
            if not chart.isHidden():
                chart.show_pixels(words)

    def show_shown(self, way: Shown | None) -> None:
        self.shown.setCurrentIndex(0 if way is None else list(Shown).index(way) + 1)

    def _rebuild(self, part: Part | None, any_part: bool) -> None:
        while self.grid.count():
            item = self.grid.takeAt(0)
            widget = item.widget() if item else None
            if widget in (self.paints, self.pressure):
                widget.hide()
            elif widget is not None:
                widget.hide()
                widget.deleteLater()
        self.rows = {}
        for name, chart in self.charts.items():
            chart.setVisible(part is not None and part.kind.instrument == name)
        if not any_part:
            return
        columns: list[list[Row | QWidget]] = [[]]
        for row in self._rows_of(part):
            if len(columns[-1]) == ROWS:
                columns.append([])
            columns[-1].append(row)
        for c, column in enumerate(columns):
            for r, row in enumerate(column):
                if isinstance(row, Row):
                    row.place(self.grid, r, COLUMNS * c)
                else:
                    self.grid.addWidget(row, r, COLUMNS * c, 1, 3)
                    row.show()
            self.grid.setColumnStretch(COLUMNS * c + 1, 1)
            self.grid.setColumnMinimumWidth(COLUMNS * c + COLUMNS - 1, 8)

    def _rows_of(self, part: Part | None) -> list[Row | QWidget]:
        if part is None:
            return [self._row(c, self.changed.emit) for c in Finish.controls()]
        found: list[Row | QWidget] = []
        if part.kind.tool == "brush":
            found += [self._row(c, self._brush_set) for c in BRUSH_CONTROLS]
            found += [self.paints, self.pressure]
        found += [self._row(c, self.changed.emit) for c in part.kind.params.controls() if not c.deeper]
        return [*found, *(self._row(c, self.part_changed.emit) for c in (FADED, FEATHER))]

    def _row(self, control: Control, tell: object) -> Row:
        row = CONTROLS[type(control)](control, lambda name, v, ongoing: tell({name: v}, ongoing), self)  # type: ignore[operator]
        self.rows[control.name] = row
        return row

    def _show_values(self, part: Part | None, finish: Finish, kept: Sequence[str]) -> None:
        values = dict(part.params) if part else dict(finish)
        if part is not None:
            values |= {"faded": part.faded, "feather": part.feather}
            for box, on in ((self.inverted, part.inverted), (self.on, part.on)):
                with QSignalBlocker(box):
                    box.setChecked(on)
            with QSignalBlocker(self.name):
                self.name.setText(part.title)
            if chart := self.charts.get(part.kind.instrument):
                chart.show_params(part.params)
            if part.kind.tool == "brush":
                values |= self._brush_values()
                self.paints.setCurrentIndex(int(self.brush.erase))
                self.pressure.setCurrentIndex(PRESSURE.index(self.brush.pressure_to))
            if part.kind.stands_for and isinstance(row := self.rows.get("name"), TextRow):
                row.offer(list(kept))
        for name, row in self.rows.items():
            if name in values:
                row.show_value(values[name])

    # -------------------------------------------------------------- the brush

    def _brush_set(self, values: dict[str, float], ongoing: bool) -> None:
        for name, value in values.items():
            setattr(self.brush, name, value if name == "size" else value / 100)
        self.brush_changed.emit()

    def _brush_told(self) -> None:
        self.brush.erase = self.paints.currentIndex() == 1
        self.brush.pressure_to = PRESSURE[self.pressure.currentIndex()]
        self.brush_changed.emit()

    def show_brush(self) -> None:
        """Show the brush as it is."""
        for name, value in self._brush_values().items():
            if isinstance(row := self.rows.get(name), NumberRow):
                row.show_value(value)
        self.paints.setCurrentIndex(int(self.brush.erase))

    def _brush_values(self) -> dict[str, float]:
        b = self.brush
        return {"size": b.size, "soft": 100 * b.soft, "opacity": 100 * b.opacity, "flow": 100 * b.flow}
