"""The probes: patches before and after with their figures, down the left side."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QContextMenuEvent, QEnterEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QMenu, QToolButton, QVBoxLayout, QWidget

from dustpan.core.jobs.events import ProbeView
from dustpan.core.judge.probes import MOST, Probe
from dustpan.ui.look.icons import show_icon
from dustpan.ui.look.plain import Label
from dustpan.ui.look.theme import colours
from dustpan.ui.pixels import image_of

WIDTH = 196
PATCH = 76  # px on screen
ENLARGED = 256


class Patch(QWidget):
    """Pixels of one side of a probe, enlarged without smoothing."""

    def __init__(self, side: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedSize(side, side)
        self.words: NDArray[np.uint32] | None = None
        self.overlay: QImage | None = None  # of the same size, drawn over them
        self.zoom = 1.0

    def show_words(self, words: NDArray[np.uint32] | None, zoom: float) -> None:
        self.words, self.zoom = words, zoom
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(colours().ground))
        if self.words is None:
            return
        r = self.devicePixelRatioF()
        painter.scale(1 / r, 1 / r)
        h, w = self.words.shape
        side = round(self.width() * r)
        # the middle of what was sent, one picture pixel to ``zoom`` device px
        painter.translate(side / 2 - round(w * self.zoom / 2), side / 2 - round(h * self.zoom / 2))
        painter.scale(self.zoom, self.zoom)
        painter.drawImage(0, 0, image_of(self.words))
        if self.overlay is not None:
            painter.drawImage(0, 0, self.overlay)


class Enlarged(QFrame):
    """Two large patches beside the pointer."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.ToolTip)
        self.setObjectName("popup")
        self.sides = [Patch(ENLARGED), Patch(ENLARGED)]
        row = QHBoxLayout(self)
        row.setContentsMargins(6, 6, 6, 6)
        for p in self.sides:
            row.addWidget(p)

    def show_view(self, view: ProbeView, at: QPoint) -> None:
        for patch, words in zip(self.sides, (view.before, view.after), strict=True):
            patch.show_words(words, ENLARGED * self.devicePixelRatioF() / max(words.shape))
        self.adjustSize()
        self.move(at)
        self.show()


class ProbeRow(QFrame):
    """One probe: two patches and two lines of words."""

    clicked = pyqtSignal(int)
    remove_wanted = pyqtSignal(int)
    entered = pyqtSignal(int)
    left = pyqtSignal()

    def __init__(self, number: int, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.number = number
        self.setObjectName("probe")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.patches = [Patch(PATCH), Patch(PATCH)]
        self.role, self.figure = Label(), Label()
        self.figure.setObjectName("faint")
        patches = QHBoxLayout()
        patches.setSpacing(4)
        for p in self.patches:
            patches.addWidget(p)
        patches.addStretch(1)
        box = QVBoxLayout(self)
        box.setContentsMargins(6, 1, 6, 0)
        box.setSpacing(0)
        box.addLayout(patches)
        box.addWidget(self.role)
        box.addWidget(self.figure)

    def show_probe(self, probe: Probe, role: str) -> None:
        self.role.setText(f"{self.number + 1} {role}")
        self.setAccessibleName(self.tr("Probe {0}: {1}").format(self.number + 1, role))
        self.setToolTip(self.tr("Before and after at this place. Click to bring the picture there; Delete removes it."))

    def show_view(self, view: ProbeView | None, zoom: float) -> None:
        for patch, words in zip(self.patches, (view.before, view.after) if view else (None, None), strict=True):
            patch.show_words(words, zoom)
        self.figure.setText(view.figures[0].text() if view and view.figures else "…")

    def show_overlay(self, image: QImage | None) -> None:
        """Lay a picture over the side after."""
        self.patches[1].overlay = image
        self.patches[1].update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            self.clicked.emit(self.number)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.clicked.emit(self.number)
        elif event.key() == Qt.Key.Key_Delete:
            self.remove_wanted.emit(self.number)
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        menu = QMenu(self)
        menu.addAction(self.tr("Go there"), lambda: self.clicked.emit(self.number))
        menu.addAction(self.tr("Remove this probe"), lambda: self.remove_wanted.emit(self.number))
        menu.popup(event.globalPos())

    def enterEvent(self, event: QEnterEvent | None) -> None:
        self.entered.emit(self.number)

    def leaveEvent(self, event: QEvent | None) -> None:
        self.left.emit()


class ProbePanel(QWidget):
    """The column of probes. It shows what it is told and says what is wanted; it changes nothing itself."""

    go_wanted = pyqtSignal(int)
    remove_wanted = pyqtSignal(int)
    add_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedWidth(WIDTH)
        self.views: dict[int, ProbeView] = {}
        self.zoom = 1.0
        self.rows = [ProbeRow(n) for n in range(MOST)]
        self.enlarged = Enlarged(self)
        self.zoom_group = QButtonGroup(self)
        head = QHBoxLayout()
        head.setSpacing(3)
        title = Label(self.tr("Probes"))
        title.setObjectName("heading")
        head.addWidget(title)
        head.addStretch(1)
        for zoom in (1, 2, 4):
            button = QToolButton()
            button.setText(f"{zoom}×")
            button.setFixedSize(28, 24)
            button.setCheckable(True)
            button.setChecked(zoom == 1)
            button.setToolTip(self.tr("Show the probes at {0} %").format(100 * zoom))
            button.setAccessibleName(button.toolTip())
            self.zoom_group.addButton(button, zoom)
            head.addWidget(button)
        self.zoom_group.idClicked.connect(self._set_zoom)
        self.add_button = QToolButton()
        self.add_button.setFixedSize(28, 24)
        self.add_button.setToolTip(self.tr("Add a probe in the middle of what is seen"))
        show_icon(self.add_button, "add")
        self.add_button.clicked.connect(self.add_wanted)
        head.addWidget(self.add_button)
        box = QVBoxLayout(self)
        box.setContentsMargins(8, 4, 6, 2)
        box.setSpacing(1)
        box.addLayout(head)
        for row in self.rows:
            row.hide()
            row.clicked.connect(self.go_wanted)
            row.remove_wanted.connect(self.remove_wanted)
            row.entered.connect(self._enlarge)
            row.left.connect(self.enlarged.hide)
            box.addWidget(row)
        self.none = Label()
        self.none.setObjectName("faint")
        self.none.setWordWrap(True)
        box.addWidget(self.none)
        box.addStretch(1)
        self.show_probes((), busy=False, picture=False)

    def show_probes(self, probes: Sequence[Probe], busy: bool = True, picture: bool = True) -> None:
        """Show these probes; what was measured of others is forgotten."""
        self.views = {n: v for n, v in self.views.items() if n < len(probes) and v.probe == probes[n]}
        for n, row in enumerate(self.rows):
            row.setVisible(n < len(probes))
            if n < len(probes):
                row.show_probe(probes[n], self.tr(probes[n].role.value))
                row.show_view(self.views.get(n), self.zoom)
        self.add_button.setEnabled(picture and not busy and len(probes) < MOST)
        self.none.setVisible(not probes)
        self.none.setText(
            self.tr("Looking for places worth watching …") if busy else self.tr("Probes watch places of the picture.")
        )

    def show_view(self, number: int, view: ProbeView) -> None:
        """What a probe shows now."""
        self.views[number] = view
        if number < len(self.rows):
            self.rows[number].show_view(view, self.zoom)
        if self.enlarged.isVisible() and self.rows[number].underMouse():
            self._enlarge(number)

    def _set_zoom(self, zoom: int) -> None:
        self.zoom = float(zoom)
        for n, row in enumerate(self.rows):
            row.show_view(self.views.get(n), self.zoom)

    def _enlarge(self, number: int) -> None:
        if view := self.views.get(number):
            corner = self.rows[number].mapToGlobal(QPoint(WIDTH - 4, 0))
            self.enlarged.show_view(view, corner)
