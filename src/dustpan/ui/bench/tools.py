"""Canvas tools: what the mouse does on the picture, and what is drawn over it.

The canvas asks its tools in turn who takes hold of the place under the pointer. A tool is a subclass of `Tool` that is
put into ``canvas.tools``; the one that pans comes last and takes whatever is left. Probes, a profile's line and the
divider are all of this kind. All places are in the canvas's logical px.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

import numpy as np
from PyQt6.QtCore import QObject, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen

from dustpan.core.hits import Hits
from dustpan.core.judge.probes import Probe
from dustpan.ui.bench.panes import Arrangement, Pane
from dustpan.ui.look.theme import OVERLAY

GRIP = 7  # px around the divider, or a probe's frame, that take hold of it
LEAST_LINE = 3.0  # px of the picture: a shorter line is a click, which takes it away


class Surface(Protocol):
    """What tools see of the canvas."""

    centre: QPointF
    zoom: float
    fitting: bool
    smooth: bool
    view: Arrangement
    divider: float
    holding: bool
    size_px: tuple[int, int]
    pressure: float

    def width(self) -> int: ...
    def update(self) -> None: ...
    def devicePixelRatioF(self) -> float: ...
    def panned(self) -> None: ...
    def panes(self) -> list[Pane]: ...
    def pane_at(self, at: QPointF) -> Pane: ...
    def origin(self, pane: Pane | None = None) -> tuple[int, int]: ...
    def to_picture(self, at: QPointF) -> QPointF: ...


class Tool(QObject):
    """Does nothing and takes hold of nothing."""

    cursor = Qt.CursorShape.ArrowCursor

    def grips(self, canvas: Surface, at: QPointF, keys: Qt.KeyboardModifier) -> bool:
        """Whether it takes hold here."""
        return False

    def press(self, canvas: Surface, at: QPointF) -> None:
        """The button went down where it takes hold."""

    def move(self, canvas: Surface, at: QPointF) -> None:
        """The pointer moved while it holds."""

    def release(self, canvas: Surface, at: QPointF) -> None:
        """The button went up."""

    def hover(self, canvas: Surface, at: QPointF | None) -> None:
        """The pointer is where it would take hold; None where it is not."""

    def paint(self, canvas: Surface, painter: QPainter, pane: Pane) -> None:
        """Draw over a pane, in device px."""


class PanTool(Tool):
    """Moves the picture; takes hold everywhere."""

    def __init__(self) -> None:
        super().__init__()
        self._last = QPointF()

    def grips(self, canvas: Surface, at: QPointF, keys: Qt.KeyboardModifier) -> bool:
        return True

    def press(self, canvas: Surface, at: QPointF) -> None:
        self._last, canvas.smooth = at, False

    def move(self, canvas: Surface, at: QPointF) -> None:
        moved = (at - self._last) * canvas.devicePixelRatioF() / canvas.zoom
        self._last = at
        canvas.centre -= moved
        canvas.fitting = False
        canvas.panned()

    def release(self, canvas: Surface, at: QPointF) -> None:
        canvas.smooth = True


class DividerTool(Tool):
    """Moves the line between the two sides."""

    cursor = Qt.CursorShape.SplitHCursor

    def grips(self, canvas: Surface, at: QPointF, keys: Qt.KeyboardModifier) -> bool:
        return canvas.view is Arrangement.DIVIDER and abs(at.x() - canvas.divider * canvas.width()) <= GRIP

    def move(self, canvas: Surface, at: QPointF) -> None:
        canvas.divider = min(max(at.x() / max(1, canvas.width()), 0.0), 1.0)
        canvas.update()

    def paint(self, canvas: Surface, painter: QPainter, pane: Pane) -> None:
        if canvas.view is not Arrangement.DIVIDER or canvas.holding or pane.other:
            return
        painter.setPen(QPen(QColor(OVERLAY), max(1, round(1.5 * canvas.devicePixelRatioF()))))
        painter.drawLine(pane.clip.left(), 0, pane.clip.left(), pane.clip.height())


class PickTool(Tool):
    """Picks a place with one click, once it is armed. ``picked`` carries the place (y, x) in px."""

    cursor = Qt.CursorShape.CrossCursor
    picked = pyqtSignal(int, int)

    def __init__(self) -> None:
        super().__init__()
        self.armed = False

    def grips(self, canvas: Surface, at: QPointF, keys: Qt.KeyboardModifier) -> bool:
        return self.armed

    def release(self, canvas: Surface, at: QPointF) -> None:
        place, (h, w) = canvas.to_picture(at), canvas.size_px
        if 0 <= place.y() < h and 0 <= place.x() < w:
            self.armed = False
            self.picked.emit(int(place.y()), int(place.x()))


class LineTool(Tool):
    """Draws a line across an edge, with Shift held. ``drawn`` is told when it ends; ``line`` holds picture places."""

    cursor = Qt.CursorShape.CrossCursor
    drawn = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.line: tuple[QPointF, QPointF] | None = None
        self._from: QPointF | None = None

    def grips(self, canvas: Surface, at: QPointF, keys: Qt.KeyboardModifier) -> bool:
        return bool(keys & Qt.KeyboardModifier.ShiftModifier)

    def press(self, canvas: Surface, at: QPointF) -> None:
        self._from = canvas.to_picture(at)

    def move(self, canvas: Surface, at: QPointF) -> None:
        assert self._from is not None
        self.line = (self._from, canvas.to_picture(at))
        canvas.update()

    def release(self, canvas: Surface, at: QPointF) -> None:
        self._from = None
        if self.line is not None:
            across = self.line[1] - self.line[0]
            if across.x() ** 2 + across.y() ** 2 < LEAST_LINE**2:
                self.line = None
            self.drawn.emit()

    def paint(self, canvas: Surface, painter: QPainter, pane: Pane) -> None:
        if self.line is None or self._from is not None or pane != canvas.panes()[-1]:
            return
        ox, oy = canvas.origin(pane)
        a, b = (QPointF(ox + p.x() * canvas.zoom, oy + p.y() * canvas.zoom) for p in self.line)
        for colour, width in (("#000000", 3.0), (OVERLAY, 1.4)):
            painter.setPen(QPen(QColor(colour), width))
            painter.drawLine(a, b)


class ProbesTool(Tool):
    """Shows the probes' frames and moves them. ``moved`` carries a probe's number and its new place (y, x) in px."""

    cursor = Qt.CursorShape.SizeAllCursor
    moved = pyqtSignal(int, int, int)

    def __init__(self) -> None:
        super().__init__()
        self.probes: Sequence[Probe] = ()
        self.shown = True
        self._number = -1

    def frame(self, canvas: Surface, probe: Probe, pane: Pane) -> QRectF:
        """Where a probe's patch lies on the canvas, in device px."""
        region, (ox, oy), zoom = probe.region(canvas.size_px), canvas.origin(pane), canvas.zoom
        return QRectF(ox + region.x0 * zoom, oy + region.y0 * zoom, region.width * zoom, region.height * zoom)

    def _at(self, canvas: Surface, at: QPointF) -> int:
        """The probe whose frame is taken hold of here; -1 for none."""
        pane, r = canvas.pane_at(at), canvas.devicePixelRatioF()
        if pane.other or not self.shown:
            return -1
        place, grip = at * r, GRIP * r
        for n, probe in enumerate(self.probes):
            frame = self.frame(canvas, probe, pane)
            inner = frame.adjusted(grip, grip, -grip, -grip)
            outside = not (inner.isValid() and inner.contains(place))
            if outside and frame.adjusted(-grip, -grip, grip, grip).contains(place):
                return n
        return -1

    def grips(self, canvas: Surface, at: QPointF, keys: Qt.KeyboardModifier) -> bool:
        return self._at(canvas, at) >= 0

    def press(self, canvas: Surface, at: QPointF) -> None:
        self._number = self._at(canvas, at)

    def move(self, canvas: Surface, at: QPointF) -> None:
        place, (h, w) = canvas.to_picture(at), canvas.size_px
        self.moved.emit(self._number, min(max(round(place.y()), 0), h - 1), min(max(round(place.x()), 0), w - 1))

    def paint(self, canvas: Surface, painter: QPainter, pane: Pane) -> None:
        if not self.shown or pane.other:
            return
        r = canvas.devicePixelRatioF()
        painter.setClipRect(pane.clip)
        for n, probe in enumerate(self.probes):
            frame = self.frame(canvas, probe, pane)
            for colour, width in (("#000000", 3.0), (OVERLAY, 1.2)):
                painter.setPen(QPen(QColor(colour), width * r))
                _draw_corners(painter, frame, min(9 * r, frame.width() / 3))
            if frame.width() > 20:
                box = QRectF(frame.left() + 3 * r, frame.top() + 3 * r, 13 * r, 14 * r)
                painter.fillRect(box, QColor(0, 0, 0, 170))
                painter.setPen(QColor(OVERLAY))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(n + 1))
        painter.setClipping(False)


class HitsTool(Tool):
    """Rings what the chosen step has found. ``clicked`` carries the place (y, x) of a hit, or of one to be added."""

    cursor = Qt.CursorShape.PointingHandCursor
    clicked = pyqtSignal(int, int)
    GRIP, FAINTEST, SURELY, LEAST_ZOOM = 9.0, 70, 30.0, 0.4

    def __init__(self) -> None:
        super().__init__()
        self.hits: Hits | None = None
        self.spared: Sequence[tuple[float, float]] = ()
        self.current = -1

    def _near(self, canvas: Surface, at: QPointF) -> tuple[float, float] | None:
        """The hit, or the one that was put back, under the pointer."""
        if self.hits is None or canvas.pane_at(at).other:
            return None
        place, reach = canvas.to_picture(at), self.GRIP * canvas.devicePixelRatioF() / canvas.zoom
        known = np.concatenate([self.hits.at, np.array(self.spared, float).reshape(-1, 2)])
        if not len(known) or canvas.zoom < self.LEAST_ZOOM:
            return None
        far = np.hypot(known[:, 0] + 0.5 - place.y(), known[:, 1] + 0.5 - place.x())
        n = int(np.argmin(far))
        return (float(known[n, 0]), float(known[n, 1])) if far[n] <= reach else None

    def grips(self, canvas: Surface, at: QPointF, keys: Qt.KeyboardModifier) -> bool:
        adding = bool(keys & Qt.KeyboardModifier.ControlModifier) and self.hits is not None
        return adding or self._near(canvas, at) is not None

    def release(self, canvas: Surface, at: QPointF) -> None:
        near, place = self._near(canvas, at), canvas.to_picture(at)
        y, x = near or (place.y(), place.x())
        self.clicked.emit(int(y), int(x))

    def paint(self, canvas: Surface, painter: QPainter, pane: Pane) -> None:
        if self.hits is None or pane.other or not canvas.smooth:  # none while panning
            return
        (ox, oy), zoom, r = canvas.origin(pane), canvas.zoom, canvas.devicePixelRatioF()
        radius = max(5.0 * r, 2.2 * zoom)
        painter.setClipRect(pane.clip)
        painter.setBrush(Qt.BrushStyle.NoBrush)

        def ring(y: float, x: float, colour: QColor, width: float, style: Qt.PenStyle = Qt.PenStyle.SolidLine) -> None:
            centre = QPointF(ox + (x + 0.5) * zoom, oy + (y + 0.5) * zoom)
            if pane.clip.contains(centre.toPoint()):
                painter.setPen(QPen(colour, width * r, style))
                painter.drawEllipse(centre, radius, radius)

        for n, ((y, x), score) in enumerate(zip(self.hits.at.tolist(), self.hits.score.tolist(), strict=True)):
            colour = QColor(OVERLAY)  # fainter when surer
            colour.setAlpha(int(max(self.FAINTEST, 255 - 185 * min(score / self.SURELY, 1.0))))
            ring(y, x, QColor("#ffffff") if n == self.current else colour, 2.2 if n == self.current else 1.2)
        for y, x in self.spared:
            ring(y, x, QColor(OVERLAY), 1.0, Qt.PenStyle.DotLine)
        painter.setClipping(False)


def _draw_corners(painter: QPainter, frame: QRectF, reach: float) -> None:
    for sx, x in ((1, frame.left()), (-1, frame.right())):
        for sy, y in ((1, frame.top()), (-1, frame.bottom())):
            painter.drawLine(QPointF(x, y), QPointF(x + sx * reach, y))
            painter.drawLine(QPointF(x, y), QPointF(x, y + sy * reach))
