"""The canvas: draws one or two sides of a picture at any zoom; pans, zooms, moves the divider, points at places."""

from __future__ import annotations

import math

from PyQt6.QtCore import QEvent, QPointF, QRect, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QTabletEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from dustpan.core.open.pyramid import Pyramid
from dustpan.core.region import Region
from dustpan.ui.bench.panes import Arrangement, Pane
from dustpan.ui.bench.tools import PanTool, Tool
from dustpan.ui.look.theme import OVERLAY, colours
from dustpan.ui.pixels import image_of

LARGEST, SMALLEST = 8.0, 0.02
ZOOM_STEPS = (0.05, 0.1, 0.167, 0.25, 0.333, 0.5, 0.667, 1.0, 2.0, 3.0, 4.0, 6.0, 8.0)
OVERVIEW = 150  # px: longer side of the overview
OVERVIEW_MS = 900  # how long the overview stays after panning


class Canvas(QWidget):
    """Zoom 1 is one picture pixel to one device pixel. All places inside are in device pixels."""

    zoomed = pyqtSignal(float)
    view_moved = pyqtSignal()
    pointed = pyqtSignal(int, int)  # y, x of the picture pixel under the pointer; -1, -1 outside
    wheel_wanted = pyqtSignal(int)
    hold_wanted = pyqtSignal(bool)  # whether the other side is to be shown

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(240, 160)
        self.before: Pyramid | None = None
        self.after: Pyramid | None = None
        self.size_px = (1, 1)
        self.zoom = 1.0
        self.fitting = True
        self.centre = QPointF(0, 0)  # picture place in the middle of the canvas
        self.view = Arrangement.SINGLE
        self.divider = 0.5
        self.holding = False
        self.badge = ""
        self.other_name = self.tr("Original")
        self.pan = PanTool()
        self.tools: list[Tool] = [self.pan]  # asked in turn who takes hold; those on top are painted last
        self._held: Tool | None = None
        self.overlay: tuple[QImage, Region] | None = None  # drawn over the result, and where it lies in the picture
        self.pressure = 1.0  # of a pen
        self.panning = False  # whether every drag moves the picture
        self.smooth = True  # not while panning
        self._overview = QTimer(self)
        self._overview.setSingleShot(True)
        self._overview.timeout.connect(self.update)

    # -------------------------------------------------------------- what is shown

    def show_displays(self, before: Pyramid | None, after: Pyramid | None, size: tuple[int, int]) -> None:
        """Show another picture, fitted."""
        self.before, self.after, self.size_px = before, after, size
        self.fit()

    def set_view(self, view: Arrangement) -> None:
        self.view = view
        if self.fitting:
            self.fit()
        else:
            self._changed()

    def hold(self, on: bool) -> None:
        """Show the other side while on."""
        if self.holding != on:
            self.holding = on
            self.update()

    def set_badge(self, text: str) -> None:
        if text != self.badge:
            self.badge = text
            self.update()

    def panes(self) -> list[Pane]:
        """From left to right; in the divider view both have the geometry of the whole canvas."""
        w, h = self._device()
        whole = QRect(0, 0, w, h)
        if self.view is Arrangement.PAIR:
            half = w // 2
            left, right = QRect(0, 0, half - 1, h), QRect(half + 1, 0, w - half - 1, h)
            return [Pane(left, left, True), Pane(right, right, self.holding)]
        if self.view is Arrangement.DIVIDER and not self.holding:
            cut = round(self.divider * w)
            return [Pane(QRect(0, 0, cut, h), whole, True), Pane(QRect(cut, 0, w - cut, h), whole, False)]
        return [Pane(whole, whole, self.holding)]

    # -------------------------------------------------------------- geometry

    def _device(self) -> tuple[int, int]:
        r = self.devicePixelRatioF()
        return max(1, round(self.width() * r)), max(1, round(self.height() * r))

    def fit_zoom(self) -> float:
        frame = self.panes()[-1].frame
        return min(frame.width() / self.size_px[1], frame.height() / self.size_px[0], LARGEST)

    def fit(self) -> None:
        self.fitting = True
        self.zoom = self.fit_zoom()
        self.centre = QPointF(self.size_px[1] / 2, self.size_px[0] / 2)
        self._changed()

    def set_zoom(self, zoom: float, around: QPointF | None = None) -> None:
        """Zoom about a place on the canvas (logical px), the picture's middle on it when left out."""
        zoom = min(max(zoom, min(SMALLEST, self.fit_zoom())), LARGEST)
        if around is None:
            self.zoom, self.fitting = zoom, False
        else:
            kept = self.to_picture(around)
            self.zoom, self.fitting = zoom, False
            self.centre += kept - self.to_picture(around)
        self._changed()

    def step_zoom(self, way: int, around: QPointF | None = None) -> None:
        if way > 0:
            self.set_zoom(next((z for z in ZOOM_STEPS if z > self.zoom * 1.01), LARGEST), around)
        else:
            self.set_zoom(next((z for z in reversed(ZOOM_STEPS) if z < self.zoom * 0.99), ZOOM_STEPS[0]), around)

    def go_to(self, y: float, x: float, zoom: float | None = None) -> None:
        """Bring a place of the picture to the middle; when fitted, at 100 %."""
        self.zoom = zoom or (1.0 if self.fitting else self.zoom)
        self.fitting = False
        self.centre = QPointF(x, y)
        self.panned()

    def panned(self) -> None:
        if not self.fitting and self.zoom > 1.5 * self.fit_zoom():
            self._overview.start(OVERVIEW_MS)
        self._changed()

    def _changed(self) -> None:
        self._keep_inside()
        self.zoomed.emit(self.zoom)
        self.view_moved.emit()
        self.update()

    def _keep_inside(self) -> None:
        frame = self.panes()[-1].frame
        x, y = self.centre.x(), self.centre.y()
        half_w, half_h = frame.width() / self.zoom / 2, frame.height() / self.zoom / 2
        pw, ph = self.size_px[1], self.size_px[0]
        x = pw / 2 if 2 * half_w >= pw else min(max(x, half_w), pw - half_w)
        y = ph / 2 if 2 * half_h >= ph else min(max(y, half_h), ph - half_h)
        self.centre = QPointF(x, y)

    def origin(self, pane: Pane | None = None) -> tuple[int, int]:
        """Device place of the picture's top left corner; whole, so that 100 % is pixel for pixel."""
        frame = (pane or self.panes()[-1]).frame
        x = frame.left() + round(frame.width() / 2 - self.centre.x() * self.zoom)
        return x, frame.top() + round(frame.height() / 2 - self.centre.y() * self.zoom)

    def pane_at(self, at: QPointF) -> Pane:
        x = at.x() * self.devicePixelRatioF()
        return next((p for p in self.panes() if x <= p.clip.right() + 1), self.panes()[-1])

    def to_picture(self, at: QPointF) -> QPointF:
        """Canvas place (logical px) to picture place."""
        r = self.devicePixelRatioF()
        x, y = self.origin(self.pane_at(at))
        return QPointF((at.x() * r - x) / self.zoom, (at.y() * r - y) / self.zoom)

    def visible_region(self) -> Region:
        """What of the picture can be seen, in whole px."""
        pane = self.panes()[-1]
        x, y = self.origin(pane)
        f = pane.frame
        a, b = (f.left() - x) / self.zoom, (f.top() - y) / self.zoom
        region = Region(
            math.floor(b), math.floor(a), math.ceil(b + f.height() / self.zoom), math.ceil(a + f.width() / self.zoom)
        )
        return region.within(self.size_px)

    # -------------------------------------------------------------- painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        c = colours()
        painter.fillRect(self.rect(), QColor(c.ground))
        if self.before is None or self.after is None:
            return
        r = self.devicePixelRatioF()
        painter.scale(1 / r, 1 / r)
        panes = self.panes()
        for pane in panes:
            display = self.before if pane.other else self.after
            self._draw(painter, display, pane)
            if self.overlay and not pane.other:
                self._draw_overlay(painter, *self.overlay, pane)
        for tool in reversed(self.tools):
            for pane in panes:
                tool.paint(self, painter, pane)
        if self._overview.isActive() or self._held is self.pan:
            self._draw_overview(painter, panes[-1])
        painter.resetTransform()
        self._draw_labels(painter, panes)

    @property
    def level(self) -> int:
        """The level of the displays that is drawn at this zoom."""
        level = max(0, math.floor(-math.log2(self.zoom) + 1e-9)) if self.zoom < 1 else 0
        return min(level, len(self.after.levels) - 1) if self.after else 0

    def _draw(self, painter: QPainter, display: Pyramid, pane: Pane) -> None:
        ox, oy = self.origin(pane)
        pw, ph = self.size_px[1], self.size_px[0]
        level = self.level
        image, clip = image_of(display.levels[level]), pane.clip
        scale = self.zoom * 2**level  # device px per level px
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, scale < 1 and self.smooth)
        x0 = max(0, math.floor((clip.left() - ox) / scale) - 1)
        y0 = max(0, math.floor((clip.top() - oy) / scale) - 1)
        x1 = min(image.width(), math.ceil((clip.right() + 1 - ox) / scale) + 1)
        y1 = min(image.height(), math.ceil((clip.bottom() + 1 - oy) / scale) + 1)
        if x1 > x0 and y1 > y0:
            source = QRectF(x0, y0, x1 - x0, y1 - y0)
            target = QRectF(ox + x0 * scale, oy + y0 * scale, (x1 - x0) * scale, (y1 - y0) * scale)
            inside = QRect(ox, oy, math.ceil(pw * self.zoom), math.ceil(ph * self.zoom))
            painter.setClipRect(clip.intersected(inside))
            painter.drawImage(target, image, source)
        painter.restore()

    def _draw_overlay(self, painter: QPainter, image: QImage, region: Region, pane: Pane) -> None:
        ox, oy = self.origin(pane)
        z = self.zoom
        painter.save()
        painter.setClipRect(pane.clip)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, z < 1 and self.smooth)
        box = QRectF(ox + region.x0 * z, oy + region.y0 * z, region.width * z, region.height * z)
        painter.drawImage(box, image, QRectF(image.rect()))
        painter.restore()

    def _draw_overview(self, painter: QPainter, pane: Pane) -> None:
        """The whole picture in a corner with a frame around what is seen."""
        if self.fitting or self.zoom <= 1.5 * self.fit_zoom() or self.after is None:
            return
        h, w = self.size_px
        scale = OVERVIEW * self.devicePixelRatioF() / max(h, w)
        box = QRectF(0, 0, w * scale, h * scale)
        box.moveBottomRight(QPointF(pane.clip.right() - 10, pane.clip.bottom() - 10))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(box, image_of(self.after.levels[-1]))
        seen = self.visible_region()
        painter.setPen(QPen(QColor("#000000"), 1))
        painter.drawRect(box)
        painter.setPen(QPen(QColor(OVERLAY), 2))
        painter.drawRect(
            QRectF(box.left() + seen.x0 * scale, box.top() + seen.y0 * scale, seen.width * scale, seen.height * scale)
        )

    def _draw_labels(self, painter: QPainter, panes: list[Pane]) -> None:
        r = self.devicePixelRatioF()
        labels: list[tuple[str, float, bool, float]] = [(self.badge, 8.0, False, 8.0)] if self.badge else []
        top = 36.0 if self.badge else 8.0
        if self.view is Arrangement.PAIR or len(panes) == 2:
            left, right = panes[0].clip, panes[1].clip
            at_cut = self.view is Arrangement.DIVIDER
            edge = right.left() / r
            labels.append((self.other_name, edge - 8 if at_cut else left.left() / r + 8, at_cut, top))
            labels.append((self.other_name if panes[1].other else self.tr("Result"), edge + 8, False, top))
        elif self.holding:
            labels.append((self.other_name, 8.0, False, top))
        for text, x, to_left, y in labels:
            box = QRectF(painter.fontMetrics().boundingRect(text)).adjusted(-6, -3, 6, 3)
            box.moveTopLeft(QPointF(x - box.width() if to_left else x, y))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(0, 0, 0, 170))
            painter.drawRoundedRect(box, 3, 3)
            painter.setPen(QColor("#ececec"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    # -------------------------------------------------------------- mouse and keys

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            at = event.position()
            self._held = self._tool_at(at, event.modifiers())
            if self._held:
                self._held.press(self, at)
        elif event.button() == Qt.MouseButton.MiddleButton:
            self.hold_wanted.emit(True)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position()
        if self._held:
            self._held.move(self, at)
        else:
            self._hover(at, event.modifiers())

    def tabletEvent(self, event: QTabletEvent | None) -> None:
        """A pen's pressure is noted; the mouse events that follow do the rest."""
        assert event is not None
        pressed = event.type() != QEvent.Type.TabletRelease
        self.pressure = max(event.pressure(), 0.01) if pressed else 1.0
        event.ignore()

    def _tool_at(self, at: QPointF, keys: Qt.KeyboardModifier) -> Tool | None:
        if self.panning:
            return self.pan
        return next((t for t in self.tools if t.grips(self, at, keys)), None)

    def _hover(self, at: QPointF, keys: Qt.KeyboardModifier) -> None:
        tool = self._tool_at(at, keys)
        for known in self.tools:
            known.hover(self, at if known is tool else None)
        self.setCursor(tool.cursor if tool else Qt.CursorShape.ArrowCursor)
        place = self.to_picture(at)
        y, x = math.floor(place.y()), math.floor(place.x())
        inside = 0 <= y < self.size_px[0] and 0 <= x < self.size_px[1] and self.after is not None
        self.pointed.emit(y if inside else -1, x if inside else -1)

    def leaveEvent(self, event: QEvent | None) -> None:
        for tool in self.tools:
            tool.hover(self, None)
        self.pointed.emit(-1, -1)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.MiddleButton:
            self.hold_wanted.emit(False)
            return
        held, self._held = self._held, None
        if held:
            held.release(self, event.position())
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.fitting:
            self.set_zoom(1.0, event.position())
        else:
            self.fit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        turned = event.angleDelta().y()
        if not turned:
            return
        way = 1 if turned > 0 else -1
        if event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self.wheel_wanted.emit(way)
        else:
            self.step_zoom(way, event.position())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        way = {
            Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1),
        }.get(Qt.Key(event.key()))  # fmt: skip
        if way is None:
            super().keyPressEvent(event)
            return
        self.centre += QPointF(*way) * (80 * self.devicePixelRatioF() / self.zoom)
        self.fitting = False
        self.panned()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        if self.fitting:
            self.fit()
        else:
            self._changed()
