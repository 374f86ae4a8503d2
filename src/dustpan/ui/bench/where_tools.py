"""Canvas tools of masks: the brush, the handles of an ellipse and of a gradient, and picking colours."""

from __future__ import annotations

from dataclasses import dataclass
from math import atan2, cos, degrees, hypot, radians, sin

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from dustpan.core.params import Params, Stroke
from dustpan.ui.bench.panes import Pane
from dustpan.ui.bench.tools import Surface, Tool
from dustpan.ui.look.theme import OVERLAY

GRIP = 9.0  # logical px around a handle
HANDLE = 4.5  # px, radius of one
CLOSEST = 0.35  # px of the picture between two points of a stroke, and of a brush's radius
WET = 90  # of 255: how strongly a stroke shows while it is painted
Point = tuple[float, float, float]


@dataclass
class BrushSettings:
    """How the next stroke is painted: size in px of the picture, the others from 0 to 1."""

    size: float = 120.0
    soft: float = 0.5
    opacity: float = 1.0
    flow: float = 1.0
    erase: bool = False
    pressure_to: str = "size"  # what a pen's pressure changes: size, opacity, or nothing

    def stroke(self, points: list[Point]) -> Stroke:
        """The stroke of these points (y, x, pressure)."""
        pressed = max(p for _, _, p in points)
        opacity = self.opacity * (pressed if self.pressure_to == "opacity" else 1)
        if self.pressure_to != "size":
            points = [(y, x, 1.0) for y, x, _ in points]
        return Stroke(
            size=self.size, soft=self.soft, opacity=opacity, flow=self.flow, erase=self.erase, points=tuple(points)
        )


def place_of(canvas: Surface, pane: Pane, y: float, x: float) -> QPointF:
    """Where a place of the picture is drawn, in device px."""
    ox, oy = canvas.origin(pane)
    return QPointF(ox + x * canvas.zoom, oy + y * canvas.zoom)


def _twice(painter: QPainter, r: float, draw: object) -> None:
    """Draw dark below and bright above, so that it is seen on any ground."""
    for colour, width in (("#000000", 2.6), (OVERLAY, 1.2)):
        painter.setPen(QPen(QColor(colour), width * r))
        draw()  # type: ignore[operator]


class PartTool(Tool):
    """Sets one part of a mask on the picture. ``changed`` carries parameters with their values, and whether the drag
    goes on; ``picked`` a place (y, x) whose colour is wanted.
    """

    changed = pyqtSignal(object, bool)
    picked = pyqtSignal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self.params: Params | None = None
        self.size = (100, 100)

    @property
    def armed(self) -> bool:
        """Whether there is a part to set."""
        return self.params is not None

    def show_params(self, params: Params | None, size: tuple[int, int]) -> None:
        """Set the part that has these parameters, of a picture of (height, width); nothing with None."""
        self.params, self.size = params, size


class BrushTool(PartTool):
    """Paints while it is armed. ``painting`` carries a stroke that goes on, ``painted`` one that has ended."""

    cursor = Qt.CursorShape.BlankCursor
    painting = pyqtSignal(object)
    painted = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.settings = BrushSettings()
        self.points: list[Point] = []
        self._last: Point | None = None  # where the stroke before ended, for straight lines
        self._at: QPointF | None = None

    def grips(self, canvas: Surface, at: QPointF, keys: Qt.KeyboardModifier) -> bool:
        self._straight = bool(keys & Qt.KeyboardModifier.ShiftModifier)
        return self.armed and not canvas.pane_at(at).other

    def _point(self, canvas: Surface, at: QPointF) -> Point:
        place = canvas.to_picture(at)
        return round(place.y(), 2), round(place.x(), 2), round(canvas.pressure, 3)

    def press(self, canvas: Surface, at: QPointF) -> None:
        first = self._point(canvas, at)
        self.points = [self._last, first] if self._straight and self._last else [first]
        self.painting.emit(self.settings.stroke(self.points))
        canvas.update()

    def move(self, canvas: Surface, at: QPointF) -> None:
        self._at = at
        y, x, p = self._point(canvas, at)
        ly, lx, _ = self.points[-1]
        if hypot(y - ly, x - lx) >= max(CLOSEST, CLOSEST * self.settings.size / 20, 0.7 / canvas.zoom):
            self.points.append((y, x, p))
            self.painting.emit(self.settings.stroke(self.points))
        canvas.update()

    def release(self, canvas: Surface, at: QPointF) -> None:
        if not self.points:
            return
        stroke = self.settings.stroke(self.points)
        self._last, self.points = self.points[-1], []
        self.painted.emit(stroke)

    def hover(self, canvas: Surface, at: QPointF | None) -> None:
        if at != self._at and self.armed:
            canvas.update()
        self._at = at

    def paint(self, canvas: Surface, painter: QPainter, pane: Pane) -> None:
        if not self.armed or pane.other:
            return
        r, s = canvas.devicePixelRatioF(), self.settings
        painter.setClipRect(pane.clip)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.points:
            colour = QColor("#202020" if s.erase else OVERLAY)
            colour.setAlpha(WET)
            join = Qt.PenJoinStyle.RoundJoin
            painter.setPen(QPen(colour, s.size * canvas.zoom, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, join))
            line = QPolygonF([place_of(canvas, pane, y, x) for y, x, _ in self.points])
            if len(self.points) == 1:
                painter.drawPoint(line[0])
            else:
                painter.drawPolyline(line)
        if self._at is not None:
            middle, radius = self._at * r, s.size / 2 * canvas.zoom
            painter.setBrush(Qt.BrushStyle.NoBrush)

            def rings() -> None:
                painter.drawEllipse(middle, radius, radius)
                if s.soft > 0:
                    painter.drawEllipse(middle, radius * (1 - s.soft), radius * (1 - s.soft))
                if s.erase:
                    painter.drawLine(middle - QPointF(4 * r, 0), middle + QPointF(4 * r, 0))

            _twice(painter, r, rings)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        painter.setClipping(False)


class HandlesTool(PartTool):
    """Handles of a shape."""

    cursor = Qt.CursorShape.SizeAllCursor

    def __init__(self) -> None:
        super().__init__()
        self._held = ""
        self._begun = (0.0, 0.0)

    def handles(self) -> dict[str, tuple[float, float]]:
        """Places (y, x) of the picture by name."""
        return {}

    def moved(self, name: str, y: float, x: float) -> dict[str, object]:
        """Parameters with their values when a handle is at a place of the picture."""
        return {}

    def outline(self, canvas: Surface, painter: QPainter, pane: Pane) -> None:
        """Draw the shape."""

    def _at(self, canvas: Surface, at: QPointF) -> str:
        if self.params is None or canvas.pane_at(at).other:
            return ""
        place, reach = canvas.to_picture(at), GRIP * canvas.devicePixelRatioF() / canvas.zoom
        near = [(hypot(y - place.y(), x - place.x()), name) for name, (y, x) in self.handles().items()]
        far, name = min(near, default=(1e9, ""))
        return name if far <= reach else ""

    def grips(self, canvas: Surface, at: QPointF, keys: Qt.KeyboardModifier) -> bool:
        return bool(self._at(canvas, at))

    def press(self, canvas: Surface, at: QPointF) -> None:
        self._held = self._at(canvas, at)

    def move(self, canvas: Surface, at: QPointF) -> None:
        place = canvas.to_picture(at)
        self.changed.emit(self.moved(self._held, place.y(), place.x()), True)

    def release(self, canvas: Surface, at: QPointF) -> None:
        place = canvas.to_picture(at)
        self.changed.emit(self.moved(self._held, place.y(), place.x()), False)

    def paint(self, canvas: Surface, painter: QPainter, pane: Pane) -> None:
        if self.params is None or pane.other:
            return
        r = canvas.devicePixelRatioF()
        painter.setClipRect(pane.clip)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        _twice(painter, r, lambda: self.outline(canvas, painter, pane))
        painter.setPen(QPen(QColor("#000000"), r))
        painter.setBrush(QColor(OVERLAY))
        for y, x in self.handles().values():
            painter.drawEllipse(place_of(canvas, pane, y, x), HANDLE * r, HANDLE * r)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        painter.setClipping(False)


class EllipseTool(HandlesTool):
    """The middle, the two half axes and how far in it is full. Turned by the side's handle."""

    def _axes(self) -> tuple[float, float, float, float, float]:
        p = self.params
        assert p is not None
        x, y, across, down, angle = (float(getattr(p, n)) for n in ("x", "y", "across", "down", "angle"))
        return y, x, across, down, radians(angle)

    def handles(self) -> dict[str, tuple[float, float]]:
        if self.params is None:
            return {}
        y, x, across, down, turn = self._axes()
        inner = float(self.params.inner) / 100  # type: ignore[attr-defined]
        return {
            "inner": (y + across * inner * -sin(turn), x - across * inner * cos(turn)),
            "across": (y + across * sin(turn), x + across * cos(turn)),
            "down": (y + down * cos(turn), x - down * sin(turn)),
            "middle": (y, x),
        }

    def moved(self, name: str, y: float, x: float) -> dict[str, object]:
        cy, cx, across, _, turn = self._axes()
        dy, dx = y - cy, x - cx
        if name == "middle":
            return {"y": y, "x": x}
        if name == "across":
            return {"across": max(1.0, hypot(dy, dx)), "angle": degrees(atan2(dy, dx))}
        if name == "down":
            return {"down": max(1.0, abs(dy * cos(turn) - dx * sin(turn)))}
        return {"inner": min(100.0, 100 * max(0.0, -(dx * cos(turn) + dy * sin(turn))) / across)}

    def outline(self, canvas: Surface, painter: QPainter, pane: Pane) -> None:
        y, x, across, down, turn = self._axes()
        inner = float(self.params.inner) / 100  # type: ignore[union-attr]
        painter.save()
        painter.translate(place_of(canvas, pane, y, x))
        painter.rotate(degrees(turn))
        for share in (1.0, inner):
            painter.drawEllipse(QPointF(0, 0), across * share * canvas.zoom, down * share * canvas.zoom)
        painter.restore()


class GradientTool(HandlesTool):
    """Two lines, and a handle on each."""

    def handles(self) -> dict[str, tuple[float, float]]:
        if self.params is None:
            return {}
        h, w = self.size
        ends = self.params.ends or ((h * 0.35, w / 2), (h * 0.65, w / 2))  # type: ignore[attr-defined]
        return {"first": ends[0], "second": ends[1]}

    def moved(self, name: str, y: float, x: float) -> dict[str, object]:
        places = {**self.handles(), name: (round(y, 2), round(x, 2))}
        return {"ends": (places["first"], places["second"])}

    def outline(self, canvas: Surface, painter: QPainter, pane: Pane) -> None:
        (y0, x0), (y1, x1) = self.handles().values()
        long, reach = hypot(y1 - y0, x1 - x0) or 1.0, 2.0 * max(self.size)
        across = reach * (y1 - y0) / long, reach * (x1 - x0) / long
        for y, x in ((y0, x0), (y1, x1)):
            a, b = (place_of(canvas, pane, y - s * across[1], x + s * across[0]) for s in (1, -1))
            painter.drawLine(a, b)
        painter.drawLine(place_of(canvas, pane, y0, x0), place_of(canvas, pane, y1, x1))


class ColourTool(PartTool):
    """Picks colours with clicks while it is armed."""

    cursor = Qt.CursorShape.CrossCursor

    def grips(self, canvas: Surface, at: QPointF, keys: Qt.KeyboardModifier) -> bool:
        return self.armed and not canvas.pane_at(at).other

    def release(self, canvas: Surface, at: QPointF) -> None:
        place, (h, w) = canvas.to_picture(at), canvas.size_px
        if 0 <= place.y() < h and 0 <= place.x() < w:
            self.picked.emit(place.y(), place.x())


PART_TOOLS: dict[str, type[PartTool]] = {  # by the name that a part gives (`PartKind.tool`); the first grips first
    "brush": BrushTool, "colour": ColourTool, "ellipse": EllipseTool, "gradient": GradientTool,
}  # fmt: skip
