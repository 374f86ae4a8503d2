"""Places, colours or strokes: how many there are, and a button that takes them away. They are set on the canvas."""

from __future__ import annotations

from PyQt6.QtWidgets import QGridLayout, QToolButton, QWidget

from dustpan.core.params import Control
from dustpan.ui.controls.row import Changed, Row
from dustpan.ui.look.icons import show_icon
from dustpan.ui.look.plain import Label


class PlacesRow(Row):
    """A count and a way back to none."""

    def __init__(self, control: Control, changed: Changed, parent: QWidget) -> None:
        super().__init__(control, changed, parent)
        self.count = Label("", parent)
        self.clear = QToolButton(parent)
        self.clear.setObjectName("bare")
        show_icon(self.clear, "reset")
        self.describe(parent, self.count)
        self.clear.setToolTip(parent.tr("Take all of them away"))
        self.clear.setAccessibleName(parent.tr("Reset {0}").format(parent.tr(control.label)))
        self.clear.clicked.connect(lambda: changed(control.name, (), False))

    def place(self, grid: QGridLayout, row: int, column: int) -> None:
        grid.addWidget(self.label, row, column)
        grid.addWidget(self.count, row, column + 1)
        grid.addWidget(self.clear, row, column + 3)

    def show_value(self, value: tuple) -> None:
        self.count.setText(str(len(value)))
        self.clear.setEnabled(bool(value))
