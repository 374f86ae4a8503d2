"""What a step has found, as small crops, the doubtful ones first. Pointing shows one repaired, a click goes there."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QEnterEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QGridLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from dustpan.ui.look.plain import Label
from dustpan.ui.look.theme import colours

CROP, SHOWN = 23, 46  # px of the picture, and of the screen
ROWS, COLUMNS = 2, 7
Crops = tuple[NDArray[np.uint32], NDArray[np.uint32]]


class Crop(QWidget):
    """One hit: before, and after while it is pointed at. ``clicked`` carries its number."""

    clicked = pyqtSignal(int)

    def __init__(self, number: int, parent: QWidget) -> None:
        super().__init__(parent)
        self.number, self.chosen, self._pointed = number, False, False
        self._crops: Crops | None = None
        self.setFixedSize(QSize(SHOWN, SHOWN))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def show_crops(self, crops: Crops | None, words: str, chosen: bool) -> None:
        self._crops, self.chosen = crops, chosen
        self.setVisible(crops is not None)
        self.setToolTip(words)
        self.setAccessibleName(words)
        self.update()

    def enterEvent(self, event: QEnterEvent | None) -> None:
        self._pointed = True
        self.update()

    def leaveEvent(self, event: QEvent | None) -> None:
        self._pointed = False
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.clicked.emit(self.number)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.clicked.emit(self.number)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._crops is None:
            return
        words = np.ascontiguousarray(self._crops[self._pointed])
        h, w = words.shape
        image = QImage(words.tobytes(), w, h, 4 * w, QImage.Format.Format_RGB32)
        painter = QPainter(self)
        painter.drawImage(QRectF(self.rect()), image)
        if self.chosen or self.hasFocus():
            painter.setPen(QPen(QColor(colours().accent), 3))
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))


class Findings(QWidget):
    """The crops with a line above them. ``go_wanted`` carries the number of a hit."""

    go_wanted = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.words: QLabel = Label()
        self.words.setObjectName("faint")
        self.crops = [Crop(n, self) for n in range(ROWS * COLUMNS)]
        grid = QGridLayout()
        grid.setSpacing(3)
        for n, crop in enumerate(self.crops):
            grid.addWidget(crop, n // COLUMNS, n % COLUMNS)
            crop.clicked.connect(self._clicked)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        box.addWidget(self.words)
        box.addLayout(grid)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self._first = 0

    def show_hits(self, words: str, crops: Sequence[tuple[Crops, str]], first: int, current: int) -> None:
        """Show these, of which the first is number ``first``; ``current`` is the one that is looked at."""
        self._first = first
        self.words.setText(words)
        for n, crop in enumerate(self.crops):
            pair, why = crops[n] if n < len(crops) else (None, "")
            crop.show_crops(pair, why, first + n == current)

    def _clicked(self, number: int) -> None:
        self.go_wanted.emit(self._first + number)


def crop_of(words: NDArray[np.uint32], y: int, x: int) -> NDArray[np.uint32]:
    """A square around a place; the edge is repeated beyond the picture."""
    h, w = words.shape
    half = CROP // 2
    ys, xs = (np.clip(np.arange(c - half, c + half + 1), 0, n - 1) for c, n in ((y, h), (x, w)))
    return words[np.ix_(ys, xs)]
