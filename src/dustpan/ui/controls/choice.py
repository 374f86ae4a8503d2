"""One of several ways, from a list."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QGridLayout, QWidget

from dustpan.core.params import Choice
from dustpan.ui.controls.row import Changed, Row


class ChoiceRow(Row):
    """Label and a list of the ways to choose from."""

    def __init__(self, control: Choice, changed: Changed, parent: QWidget) -> None:
        super().__init__(control, changed, parent)
        self.box = QComboBox(parent)
        self._names = [parent.tr(option) for option in control.options]
        for name, option in zip(self._names, control.options, strict=True):
            self.box.addItem(name, option)
        self.describe(parent, self.box)
        self.box.activated.connect(lambda _: changed(control.name, self.box.currentData(), False))

    def place(self, grid: QGridLayout, row: int, column: int) -> None:
        grid.addWidget(self.label, row, column)
        grid.addWidget(self.box, row, column + 1, 1, 2)

    def note(self, words: dict[str, str]) -> None:
        """Say something about each option beside its name."""
        for n, option in enumerate(self.control.options):
            name = self._names[n]
            self.box.setItemText(n, f"{name} · {words[option]}" if option in words else name)

    def show_value(self, value: str) -> None:
        self.box.setCurrentIndex(self.box.findData(str(value)))
