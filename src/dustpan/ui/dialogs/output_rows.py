"""How large a result is and what it is made for: rows of the export dialog, with a preview at its size."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QComboBox, QDoubleSpinBox, QFormLayout, QHBoxLayout, QSpinBox, QVBoxLayout, QWidget

from dustpan.core.finish.output import SMALLEST, Output, Use
from dustpan.core.jobs.events import OutputSeen
from dustpan.core.jobs.questions import output_preview
from dustpan.core.language import capital
from dustpan.core.open.document import Document
from dustpan.ui.jobs import Jobs
from dustpan.ui.look.plain import Label
from dustpan.ui.pixels import image_of

SEEN = 150, 232  # px of the output that a preview shows, down and across


class OutputRows(QWidget):
    """``changed`` tells that another output is wished."""

    changed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.longest = QSpinBox()
        self.longest.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.longest.setRange(0, 100_000)
        self.longest.setSingleStep(64)
        self.longest.setSpecialValueText(self.tr("as it is"))
        self.longest.setSuffix(" px")
        self.longest.setToolTip(self.tr("Of the longest side; a picture is never made larger"))
        self.use = QComboBox()
        for use in Use:
            self.use.addItem(capital(self.tr(use.value)), use)
        self.use.setToolTip(self.tr("Sharpens by what the smaller size, or ink, takes away; held within halo limits"))
        self.per_mm = self._number(12, 1, 100, 1, self.tr("px/mm"), self.tr("Pixels on a millimetre of the print"))
        self.spread = self._number(0.04, 0, 1, 3, self.tr("mm"), self.tr("How far ink or dots spread on this paper"))
        form = QFormLayout(self)
        form.setContentsMargins(0, 0, 0, 0)
        names = {
            self.longest: self.tr("Longest side"), self.use: self.tr("Sharpened for"),
            self.per_mm: self.tr("Print"), self.spread: self.tr("Ink spreads"),
        }  # fmt: skip
        for widget, name in names.items():
            widget.setAccessibleName(name)
        prints = QHBoxLayout()
        prints.addWidget(self.per_mm)
        prints.addWidget(Label(names[self.spread]))
        prints.addWidget(self.spread)
        form.addRow(names[self.longest], self.longest)
        form.addRow(names[self.use], self.use)
        form.addRow(names[self.per_mm], prints)
        self.longest.valueChanged.connect(self._changed)
        self.use.currentIndexChanged.connect(self._changed)
        for number in (self.per_mm, self.spread):
            number.valueChanged.connect(self._changed)
        self._changed()

    @staticmethod
    def _number(value: float, low: float, high: float, digits: int, unit: str, tip: str) -> QDoubleSpinBox:
        box = QDoubleSpinBox()
        box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        box.setRange(low, high)
        box.setDecimals(digits)
        box.setSingleStep(10**-digits)
        box.setSuffix(f" {unit}")
        box.setValue(value)
        box.setToolTip(tip)
        return box

    def output(self) -> Output:
        """What is wished."""
        longest = self.longest.value()
        return Output(
            max(longest, SMALLEST) if longest else 0, self.use.currentData(), self.per_mm.value(), self.spread.value()
        )

    def show_output(self, output: Output) -> None:
        self.longest.setValue(output.longest)
        self.use.setCurrentIndex(self.use.findData(output.use))
        self.per_mm.setValue(output.per_mm)
        self.spread.setValue(output.spread)

    def _changed(self) -> None:
        for number in (self.per_mm, self.spread):
            number.setEnabled(self.use.currentData() is Use.PRINT)
        self.changed.emit()


class OutputPreview(QWidget):
    """The middle of the view at the output's size: made smaller alone, and sharpened for its use."""

    def __init__(self, document: Document, rows: OutputRows, middle: tuple[int, int], jobs: Jobs, parent: QWidget):
        super().__init__(parent)
        self.document, self.rows, self.middle, self.jobs = document, rows, middle, jobs
        self.sides: list[Label] = []
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        for words in (self.tr("not sharpened"), self.tr("sharpened for it")):
            column, side, name = QVBoxLayout(), Label(), Label(words)
            name.setObjectName("faint")
            side.setFixedSize(SEEN[1], SEEN[0])
            side.setAlignment(Qt.AlignmentFlag.AlignCenter)
            side.setAccessibleName(words)
            column.addWidget(side)
            column.addWidget(name)
            row.addLayout(column)
            self.sides.append(side)
        jobs.hear(OutputSeen, self._ready)
        rows.changed.connect(self.ask)
        self.ask()

    def ask(self) -> None:
        """Have it made for what is wished now; hidden where nothing is."""
        output = self.rows.output()
        self.setVisible(output.changes)
        if output.changes:
            scale = self.devicePixelRatioF()
            side = round(SEEN[0] * scale), round(SEEN[1] * scale)
            self.jobs.ask("preview", self.document, partial(output_preview, self.document, output, self.middle, side))

    def _ready(self, event: OutputSeen) -> None:
        if event.document is not self.document:
            return
        for side, words in zip(self.sides, (event.smaller, event.sharpened), strict=True):
            shown = QPixmap.fromImage(image_of(words))
            shown.setDevicePixelRatio(self.devicePixelRatioF())  # one pixel of the output to one of the screen
            side.setPixmap(shown)
