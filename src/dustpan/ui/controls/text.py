"""A text: typed, chosen among names that are known, or a file that is asked for."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QFileDialog, QGridLayout, QLineEdit, QToolButton, QWidget

from dustpan.core.params import Text
from dustpan.ui.controls.row import Changed, Row
from dustpan.ui.look.icons import show_icon

FILE = "file"  # the name of parameters that hold one


class TextRow(Row):
    """A line to type in, with a list of known names where there are any, or a button that asks for a file."""

    def __init__(self, control: Text, changed: Changed, parent: QWidget) -> None:
        super().__init__(control, changed, parent)
        self.line, self.names = QLineEdit(parent), QComboBox(parent)
        self.names.hide()
        self.ask = QToolButton(parent)
        show_icon(self.ask, "open")
        self.ask.setToolTip(parent.tr("Choose a file"))
        self.describe(parent, self.line, self.names)
        self.line.editingFinished.connect(self._typed)
        self.names.activated.connect(lambda _: changed(control.name, self.names.currentText(), False))
        self.ask.clicked.connect(lambda: self._ask(parent))
        self._value = ""

    def place(self, grid: QGridLayout, row: int, column: int) -> None:
        grid.addWidget(self.label, row, column)
        grid.addWidget(self.line, row, column + 1, 1, 2)
        grid.addWidget(self.names, row, column + 1, 1, 2)
        grid.addWidget(self.ask, row, column + 3)
        self.ask.setVisible(self.control.name == FILE)

    def offer(self, names: list[str]) -> None:
        """Let one of these be chosen instead of typing."""
        self.names.clear()
        self.names.addItems(names)
        self.names.setVisible(True)
        self.line.hide()
        self.show_value(self._value)

    def show_value(self, value: str) -> None:
        self._value = value
        self.line.setText(value)
        self.names.setCurrentIndex(self.names.findText(value))

    def _typed(self) -> None:
        if self.line.text() != self._value:
            self.changed(self.control.name, self.line.text(), False)

    def _ask(self, parent: QWidget) -> None:
        path, _ = QFileDialog.getOpenFileName(
            parent, parent.tr("A grey picture"), self._value, "PNG, TIFF (*.png *.tif)"
        )
        if path:
            self.changed(self.control.name, path, False)
