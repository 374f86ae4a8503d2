"""The palette of views to inspect a picture with: on one held key, or from its button."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QFrame, QGridLayout, QLabel, QPushButton, QWidget

from dustpan.core.inspect import Mode
from dustpan.core.language import mark

HELP = {
    Mode.NONE: mark("The picture as it is"),
    Mode.LUMINANCE: mark("Brightness alone, without colour"),
    Mode.COLOUR: mark("Colour alone, on grey"),
    Mode.RED: mark("The red channel as grey"),
    Mode.GREEN: mark("The green channel as grey"),
    Mode.BLUE: mark("The blue channel as grey"),
    Mode.SHADOWS: mark("Shadows brightened; Alt and the wheel change by how much"),
    Mode.REMOVED: mark("What was taken away, amplified; Alt and the wheel change the factor"),
    Mode.LOST: mark("Where what was removed has structure: texture that was lost"),
    Mode.HALOS: mark("Rims that rise above (amber) or fall below (blue) the local range"),
}


class InspectPalette(QFrame):
    """Shows the modes; ``chosen`` carries a mode's value. A digit chooses as well."""

    chosen = pyqtSignal(str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("popup")
        self.group = QButtonGroup(self)
        grid = QGridLayout(self)
        grid.setContentsMargins(10, 8, 10, 10)
        title = QLabel(self.tr("Inspect. The picture and what is exported stay as they are."))
        title.setObjectName("faint")
        grid.addWidget(title, 0, 0, 1, 3)
        self.buttons: dict[Mode, QPushButton] = {}
        for n, mode in enumerate(Mode):
            button = QPushButton(f"{n}  {self.tr(mode.value)}")
            button.setCheckable(True)
            button.setToolTip(self.tr(HELP[mode]))
            button.setAccessibleName(self.tr(mode.value))
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(lambda _=False, m=mode: self.chosen.emit(m.value))
            self.group.addButton(button)
            self.buttons[mode] = button
            grid.addWidget(button, 1 + n // 3, n % 3)
        self.hide()

    def show_mode(self, mode: Mode) -> None:
        self.buttons[mode].setChecked(True)

    def mode_of_digit(self, key: int) -> Mode | None:
        """The mode that a digit key chooses."""
        n = key - Qt.Key.Key_0
        modes = list(Mode)
        return modes[n] if 0 <= n < len(modes) else None

    def open_at_middle(self) -> None:
        parent = self.parentWidget()
        assert parent is not None
        self.adjustSize()
        self.move((parent.width() - self.width()) // 2, (parent.height() - self.height()) // 2)
        self.show()
        self.raise_()
