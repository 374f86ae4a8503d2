"""On or off."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox, QGridLayout, QWidget

from dustpan.core.params import Switch
from dustpan.ui.controls.row import Changed, Row


class SwitchRow(Row):
    """A box to tick with its label."""

    def __init__(self, control: Switch, changed: Changed, parent: QWidget) -> None:
        super().__init__(control, changed, parent)
        self.box = QCheckBox(parent)
        self.describe(parent, self.box)
        self.box.toggled.connect(lambda on: changed(control.name, on, False))

    def place(self, grid: QGridLayout, row: int, column: int) -> None:
        grid.addWidget(self.label, row, column)
        grid.addWidget(self.box, row, column + 1)

    def show_value(self, value: bool) -> None:
        self.box.blockSignals(True)
        self.box.setChecked(value)
        self.box.blockSignals(False)
