"""The palette of looks to inspect a picture with: on one held key, or from its button."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QFrame, QGridLayout, QPushButton, QWidget

from dustpan.core.look import LookKind
from dustpan.core.looks.all import LOOKS
from dustpan.ui.actions import palette_key
from dustpan.ui.look.plain import Label

ACROSS = 3


class InspectPalette(QFrame):
    """Shows the looks; ``chosen`` carries the kind. While it is open a key chooses as well."""

    chosen = pyqtSignal(object)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("popup")
        self.group = QButtonGroup(self)
        grid = QGridLayout(self)
        grid.setContentsMargins(10, 8, 10, 10)
        title = Label(self.tr("Inspect. The picture and what is exported stay as they are."))
        title.setObjectName("faint")
        grid.addWidget(title, 0, 0, 1, ACROSS)
        self.buttons: dict[str, QPushButton] = {}
        for n, kind in enumerate(LOOKS):
            button = QPushButton(f"{palette_key(n)}  {self.tr(kind.name)}")
            button.setCheckable(True)
            button.setToolTip(self.tr(kind.help))
            button.setAccessibleName(self.tr(kind.name))
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(lambda _=False, k=kind: self.chosen.emit(k))
            self.group.addButton(button)
            self.buttons[kind.id] = button
            grid.addWidget(button, 1 + n // ACROSS, n % ACROSS)
        self.hide()

    def show_look(self, kind: LookKind) -> None:
        self.buttons[kind.id].setChecked(True)

    def look_of_key(self, key: int) -> LookKind | None:
        """The look that a key chooses."""
        keys = {ord(palette_key(n)): kind for n, kind in enumerate(LOOKS)}
        return keys.get(key)

    def open_at_middle(self) -> None:
        parent = self.parentWidget()
        assert parent is not None
        self.adjustSize()
        self.move((parent.width() - self.width()) // 2, (parent.height() - self.height()) // 2)
        self.show()
        self.raise_()
