"""The canvas: draws the picture, before and after, at any zoom; pans, zooms, moves the divider."""

from __future__ import annotations

import math
from enum import StrEnum

from PyQt6.QtCore import QPointF, QRect, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from dustpan.core.region import Region
from dustpan.ui.display import Display
from dustpan.ui.theme import ACCENT, GROUND, TEXT

LARGEST, SMALLEST = 8.0, 0.02
STEPS = (0.05, 0.1, 0.167, 0.25, 0.333, 0.5, 0.667, 1.0, 2.0, 3.0, 4.0, 6.0, 8.0)
GRIP = 7  # px around the divider that take hold of it


class View(StrEnum):
    SINGLE = "single"
    DIVIDER = "divider"


class Canvas(QWidget):
    """Zoom 1 is one picture pixel to one device pixel. All places inside are in device pixels."""

    zoomed = pyqtSignal(float)
    view_moved = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(240, 160)
        self.setAccessibleName(self.tr("Picture"))
        self.before: Display | None = None
        self.after: Display | None = None
        self.size_px = (1, 1)
        self.zoom = 1.0
        self.fitting = True
        self.centre = QPointF(0, 0)  # picture place in the middle of the canvas
        self.view = View.SINGLE
        self.divider = 0.5
        self.holding = False
        self.badge = ""
        self._drag: QPointF | None = None
        self._moving_divider = False
        self._idle_smooth = True

    # -------------------------------------------------------------- what is shown

    def show_displays(self, before: Display | None, after: Display | None, size: tuple[int, int]) -> None:
        """Show another picture, fitted."""
        self.before, self.after, self.size_px = before, after, size
        self.fit()

    def set_view(self, view: View) -> None:
        self.view = view
        self.update()

    def hold(self, on: bool) -> None:
        """Show the original while on."""
        if self.holding != on:
            self.holding = on
            self.update()

    def set_badge(self, text: str) -> None:
        if text != self.badge:
            self.badge = text
            self.update()

    # -------------------------------------------------------------- zoom

    def _device(self) -> tuple[int, int]:
        r = self.devicePixelRatioF()
        return max(1, round(self.width() * r)), max(1, round(self.height() * r))

    def fit_zoom(self) -> float:
        w, h = self._device()
        return min(w / self.size_px[1], h / self.size_px[0], LARGEST)

    def fit(self) -> None:
        self.fitting = True
        self.zoom = self.fit_zoom()
        self.centre = QPointF(self.size_px[1] / 2, self.size_px[0] / 2)
        self._changed()

    def set_zoom(self, zoom: float, around: QPointF | None = None) -> None:
        """Zoom about a place on the canvas (logical px), its middle when left out."""
        zoom = min(max(zoom, min(SMALLEST, self.fit_zoom())), LARGEST)
        at = around or QPointF(self.width() / 2, self.height() / 2)
        kept = self.to_picture(at)
        self.zoom, self.fitting = zoom, False
        moved = self.to_picture(at)
        self.centre += kept - moved
        self._changed()

    def step_zoom(self, way: int, around: QPointF | None = None) -> None:
        if way > 0:
            self.set_zoom(next((z for z in STEPS if z > self.zoom * 1.01), LARGEST), around)
        else:
            self.set_zoom(next((z for z in reversed(STEPS) if z < self.zoom * 0.99), STEPS[0]), around)

    def _changed(self) -> None:
        self._keep_inside()
        self.zoomed.emit(self.zoom)
        self.view_moved.emit()
        self.update()

    def _keep_inside(self) -> None:
        w, h = self._device()
        x, y = self.centre.x(), self.centre.y()
        half_w, half_h = w / self.zoom / 2, h / self.zoom / 2
        pw, ph = self.size_px[1], self.size_px[0]
        x = pw / 2 if 2 * half_w >= pw else min(max(x, half_w), pw - half_w)
        y = ph / 2 if 2 * half_h >= ph else min(max(y, half_h), ph - half_h)
        self.centre = QPointF(x, y)

    def origin(self) -> tuple[int, int]:
        """Device place of the picture's top left corner; whole, so that 100 % is pixel for pixel."""
        w, h = self._device()
        return round(w / 2 - self.centre.x() * self.zoom), round(h / 2 - self.centre.y() * self.zoom)

    def to_picture(self, at: QPointF) -> QPointF:
        """Canvas place (logical px) to picture place."""
        r = self.devicePixelRatioF()
        x, y = self.origin()
        return QPointF((at.x() * r - x) / self.zoom, (at.y() * r - y) / self.zoom)

    def visible_region(self) -> Region:
        a, b = self.to_picture(QPointF(0, 0)), self.to_picture(QPointF(self.width(), self.height()))
        region = Region(math.floor(a.y()), math.floor(a.x()), math.ceil(b.y()), math.ceil(b.x()))
        return region.within(self.size_px)

    # -------------------------------------------------------------- painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(GROUND))
        if self.before is None or self.after is None:
            return
        r = self.devicePixelRatioF()
        painter.scale(1 / r, 1 / r)
        w, h = self._device()
        whole = QRect(0, 0, w, h)
        if self.holding:
            self._draw(painter, self.before, whole)
        elif self.view is View.DIVIDER:
            cut = round(self.divider * w)
            self._draw(painter, self.before, QRect(0, 0, cut, h))
            self._draw(painter, self.after, QRect(cut, 0, w - cut, h))
            painter.setPen(QPen(QColor(ACCENT), max(1, round(1.5 * r))))
            painter.drawLine(cut, 0, cut, h)
        else:
            self._draw(painter, self.after, whole)
        painter.resetTransform()
        self._draw_labels(painter)

    def _draw(self, painter: QPainter, display: Display, clip: QRect) -> None:
        ox, oy = self.origin()
        pw, ph = self.size_px[1], self.size_px[0]
        level = min(max(0, math.floor(-math.log2(self.zoom) + 1e-9)), len(display.images) - 1) if self.zoom < 1 else 0
        image = display.images[level]
        scale = self.zoom * 2**level  # device px per px of this level
        painter.save()
        painter.setClipRect(clip)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, scale < 1 and self._idle_smooth)
        x0 = max(0, math.floor((clip.left() - ox) / scale) - 1)
        y0 = max(0, math.floor((clip.top() - oy) / scale) - 1)
        x1 = min(image.width(), math.ceil((clip.right() + 1 - ox) / scale) + 1)
        y1 = min(image.height(), math.ceil((clip.bottom() + 1 - oy) / scale) + 1)
        if x1 > x0 and y1 > y0:
            source = QRectF(x0, y0, x1 - x0, y1 - y0)
            target = QRectF(ox + x0 * scale, oy + y0 * scale, (x1 - x0) * scale, (y1 - y0) * scale)
            painter.setClipRect(clip.intersected(QRect(ox, oy, math.ceil(pw * self.zoom), math.ceil(ph * self.zoom))))
            painter.drawImage(target, image, source)
        painter.restore()

    def _draw_labels(self, painter: QPainter) -> None:
        labels = [(self.badge, 8.0, False)] if self.badge else []
        if self.holding:
            labels = [(self.tr("Original"), 8.0, False)]
        elif self.view is View.DIVIDER:
            cut = self.divider * self.width()
            labels += [(self.tr("Original"), cut - 8, True), (self.tr("Result"), cut + 8, False)]
        for text, x, right in labels:
            at = 36 if text != self.badge and self.badge and not self.holding else 8
            box = painter.fontMetrics().boundingRect(text).adjusted(-6, -3, 6, 3)
            box.moveTo(round(x - box.width() if right else x), at)
            painter.fillRect(box, QColor(30, 30, 30, 210))
            painter.setPen(QColor(TEXT))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    # -------------------------------------------------------------- mouse and keys

    def _near_divider(self, at: QPointF) -> bool:
        return self.view is View.DIVIDER and abs(at.x() - self.divider * self.width()) <= GRIP

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            self._moving_divider = self._near_divider(event.position())
            self._drag = event.position()
            self._idle_smooth = self._moving_divider
        elif event.button() == Qt.MouseButton.MiddleButton:
            self.hold(True)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._drag is None:
            shape = Qt.CursorShape.SplitHCursor if self._near_divider(event.position()) else Qt.CursorShape.ArrowCursor
            self.setCursor(shape)
            return
        if self._moving_divider:
            self.divider = min(max(event.position().x() / max(1, self.width()), 0.0), 1.0)
            self.update()
            return
        moved = (event.position() - self._drag) * self.devicePixelRatioF() / self.zoom
        self._drag = event.position()
        self.centre -= moved
        self.fitting = False
        self._keep_inside()
        self.view_moved.emit()
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.MiddleButton:
            self.hold(False)
            return
        self._drag, self._moving_divider, self._idle_smooth = None, False, True
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.fitting:
            self.set_zoom(1.0, event.position())
        else:
            self.fit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if event.angleDelta().y():
            self.step_zoom(1 if event.angleDelta().y() > 0 else -1, event.position())

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
        self._changed()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        if self.fitting:
            self.fit()
        else:
            self._changed()
