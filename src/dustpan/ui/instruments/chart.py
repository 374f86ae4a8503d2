"""Charts that are their step's control: axes, handles and values on hover. Handles are dragged on what was measured."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from enum import Enum, auto
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QApplication, QSizePolicy, QToolTip, QWidget

from dustpan.core.hits import Hits, in_order
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.open.profile import Profile
from dustpan.core.params import Params
from dustpan.ui.look.theme import colours

WIDTH, NARROWEST, HEIGHT = 300, 96, 118
GRIP = 9.0  # px
NO_HITS = in_order(np.zeros((0, 2)), np.zeros(0))


@dataclass(frozen=True)
class Handle:
    """A place on a chart that sets parameters when dragged up and down."""

    name: str
    at: QPointF
    words: str


class Need(Enum):
    """What an instrument shows that has to be looked for in the picture."""

    SAMPLE = auto()
    LIGHT = auto()
    PROFILE = auto()


@dataclass(frozen=True)
class Charted:
    """What an instrument is shown: the parameters of its step, and what was measured.

    Attributes
    ----------
    noise : the picture's print; None while it is not known. levels : the probes' brightness, 0 to 1.
    sample : encoded values (h, w, C) of the picture before it is changed, empty while they are not known.
    light : for each colour of a sensor, light of its samples; ``floor`` is the sigma of their noise in the dark.
    hits : what the step has found; what it had last while it looks anew.
    profile : the luma across an edge, before and after.
    """

    params: Params
    noise: NoisePrint | None = None
    levels: Sequence[float] = ()
    profile: Profile = field(default_factory=Profile)
    sample: NDArray = field(default_factory=lambda: np.zeros((0, 0, 1), np.float32))
    light: Sequence[NDArray] = ()
    floor: float = 0.0
    hits: Hits = field(default_factory=lambda: NO_HITS)


class Chart(QWidget):
    """Axes, a grid, handles, and values on hover.

    ``changed`` carries parameters with their values, and whether the drag goes on. ``offers`` names what stands beside
    the chart as buttons: ``suggest``, ``strip``, ``pick``, ``automatic``, ``linked`` and ``apply``. ``needs`` names
    what it shows of the picture.
    """

    changed = pyqtSignal(object, bool)
    offers: ClassVar[tuple[str, ...]] = ()
    needs: ClassVar[frozenset[Need]] = frozenset()
    cursor_of_handles: ClassVar[Qt.CursorShape] = Qt.CursorShape.SizeVerCursor

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(HEIGHT)
        self.setMinimumWidth(NARROWEST)
        self.setMaximumWidth(WIDTH)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)
        self.top = 1.0
        self.locked = False  # whether it only shows
        self._held: str | None = None

    @property
    def area(self) -> QRectF:
        """Where the curves are drawn."""
        return QRectF(30, 8, self.width() - 40, HEIGHT - 26)

    def handles(self) -> Sequence[Handle]:
        return ()

    def show_state(self, charted: Charted) -> None:
        """Show a step with these parameters."""

    def values_for(self, name: str, y: float) -> dict[str, float]:
        """Parameters with their values when this handle is at this height of the widget."""
        return {}

    def values_at(self, name: str, at: QPointF) -> dict[str, float]:
        """Parameters with their values when this handle is at this place of the widget."""
        return self.values_for(name, at.y())

    def hover_words(self, x: float) -> str:
        """What is said about a place 0..1 along the chart."""
        return ""

    def as_text(self) -> str:
        """The chart's figures as a table that can be pasted."""
        return ""

    def copy(self) -> None:
        if board := QApplication.clipboard():
            board.setText(self.as_text())

    def to_y(self, value: Any) -> Any:
        """Height in the widget of a value, or of an array of them."""
        return self.area.bottom() - value / self.top * self.area.height()

    def from_y(self, y: float) -> float:
        return (self.area.bottom() - y) / self.area.height() * self.top

    def _handle_at(self, place: QPointF) -> Handle | None:
        near = [(abs(h.at.x() - place.x()) + abs(h.at.y() - place.y()), n) for n, h in enumerate(self.handles())]
        best = min(near, default=(1e9, -1))
        return self.handles()[best[1]] if best[0] <= 2 * GRIP else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        handle = None if self.locked else self._handle_at(event.position())
        self._held = handle.name if handle and event.button() == Qt.MouseButton.LeftButton else None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._held:
            self.changed.emit(self.values_at(self._held, event.position()), True)
            return
        handle = self._handle_at(event.position())
        self.setCursor(self.cursor_of_handles if handle else Qt.CursorShape.ArrowCursor)
        share = (event.position().x() - self.area.left()) / self.area.width()
        words = handle.words if handle else self.hover_words(share) if 0 <= share <= 1 else ""
        QToolTip.showText(event.globalPosition().toPoint(), words, self)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._held:
            self.changed.emit(self.values_at(self._held, event.position()), False)
        self._held = None

    # -------------------------------------------------------------- painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        c = colours()
        painter.fillRect(self.rect(), QColor(c.ground))
        painter.setPen(QPen(QColor(c.line), 1))
        for share in (0.0, 0.5, 1.0):
            y = self.area.top() + share * self.area.height()
            painter.drawLine(QPointF(self.area.left(), y), QPointF(self.area.right(), y))
        self.draw(painter)
        for handle in self.handles():
            painter.setPen(QPen(QColor(c.ground), 2))
            painter.setBrush(QColor(c.accent))
            painter.drawEllipse(handle.at, 5.5, 5.5)

    def draw(self, painter: QPainter) -> None:
        """The curves."""

    def curve(
        self, painter: QPainter, x: NDArray, y: NDArray, colour: str, width: float = 1.5, dash: bool = False
    ) -> None:
        """Draw values ``y`` over places ``x`` (0..1)."""
        pen = QPen(QColor(colour), width)
        if dash:
            pen.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        across = self.area.left() + np.asarray(x, float) * self.area.width()
        painter.drawPolyline(QPolygonF(list(map(QPointF, across.tolist(), self.to_y(np.asarray(y, float)).tolist()))))

    def words(
        self, painter: QPainter, left: str, right: str, unit: str, top: str, low: str = "0", below_top: float = 0.0
    ) -> None:
        """Words along the bottom and figures up the side; that of the top can stand some pixels below it."""
        painter.setPen(QColor(colours().faint))
        below = QRectF(self.area.left(), self.area.bottom() + 2, self.area.width(), 15)
        painter.drawText(below, Qt.AlignmentFlag.AlignLeft, left)
        painter.drawText(below, Qt.AlignmentFlag.AlignRight, right)
        metrics = painter.fontMetrics()
        ends = 2 * max(metrics.horizontalAdvance(left), metrics.horizontalAdvance(right))
        if ends + metrics.horizontalAdvance(unit) + 12 <= below.width():
            painter.drawText(below, Qt.AlignmentFlag.AlignHCenter, unit)
        flag = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(0, self.area.top() - 7 + below_top, 26, 14), flag, top)
        painter.drawText(QRectF(0, self.area.bottom() - 8, 26, 14), flag, low)
