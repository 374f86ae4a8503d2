"""Instruments: charts that are their step's control. Handles are dragged on what was measured."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QApplication, QSizePolicy, QToolTip, QWidget

from dustpan.core.noise.mixing import TONES
from dustpan.core.noise.noise_print import NAMES, NoisePrint
from dustpan.core.noise.step import NoiseParams
from dustpan.core.sharpen.edge import EdgeSharpenParams
from dustpan.ui.theme import colours

WIDTH, NARROWEST, HEIGHT = 300, 96, 118
GRIP = 9.0  # px


@dataclass(frozen=True)
class Handle:
    """A place on a chart that sets a parameter when dragged up and down."""

    name: str
    at: QPointF
    words: str


class Chart(QWidget):
    """Axes, a grid, handles, and values on hover. ``changed`` carries a parameter, its value, and if it goes on."""

    changed = pyqtSignal(str, float, bool)

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

    def value_for(self, name: str, y: float) -> float:
        """The parameter's value when its handle is at this height of the widget."""
        return 0.0

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
            self.changed.emit(self._held, self.value_for(self._held, event.position().y()), True)
            return
        handle = self._handle_at(event.position())
        self.setCursor(Qt.CursorShape.SizeVerCursor if handle else Qt.CursorShape.ArrowCursor)
        share = (event.position().x() - self.area.left()) / self.area.width()
        words = handle.words if handle else self.hover_words(share) if 0 <= share <= 1 else ""
        QToolTip.showText(event.globalPosition().toPoint(), words, self)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._held:
            self.changed.emit(self._held, self.value_for(self._held, event.position().y()), False)
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

    def words(self, painter: QPainter, left: str, right: str, unit: str, top: str, low: str = "0") -> None:
        """Words along the bottom and figures up the side."""
        painter.setPen(QColor(colours().faint))
        below = QRectF(self.area.left(), self.area.bottom() + 2, self.area.width(), 15)
        painter.drawText(below, Qt.AlignmentFlag.AlignLeft, left)
        painter.drawText(below, Qt.AlignmentFlag.AlignRight, right)
        metrics = painter.fontMetrics()
        ends = 2 * max(metrics.horizontalAdvance(left), metrics.horizontalAdvance(right))
        if ends + metrics.horizontalAdvance(unit) + 12 <= below.width():
            painter.drawText(below, Qt.AlignmentFlag.AlignHCenter, unit)
        flag = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(0, self.area.top() - 7, 26, 14), flag, top)
        painter.drawText(QRectF(0, self.area.bottom() - 8, 26, 14), flag, low)


class NoiseInstrument(Chart):
    """Noise against brightness, what will be left of it, and the shares by brightness as handles.

    The handle on the left sets both strengths; three handles on the curve set the shares of dark, middle and bright.
    """

    GRID = np.linspace(0.004, 0.996, 90)
    SHARES = ("shadows", "middle", "highlights")

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Noise against brightness"), parent)
        self.print: NoisePrint | None = None
        self.params = NoiseParams()
        self.levels: Sequence[float] = ()
        self._sigma = np.zeros((1, len(self.GRID)))

    def show_state(self, found: NoisePrint | None, params: NoiseParams, levels: Sequence[float]) -> None:
        """Show a print with these parameters; ``levels`` are the probes' brightness."""
        if found is not self.print:
            self.print = found
            self._sigma = 255 * found.channel_sigma(self.GRID) if found else np.zeros((1, len(self.GRID)))
            self.top = max(4.0, float(np.ceil(self._sigma.max() * 1.1 / 4) * 4))
        self.params, self.levels = params, levels
        self.update()

    def left_curve(self) -> NDArray[np.float64]:
        """Mean sigma of the channels that these strengths are set to leave, in 1/255."""
        shares = [getattr(self.params, n) for n in self.SHARES]
        weight = np.interp(self.GRID, TONES, shares) / 100
        strength = min(1.0, self.params.luminance)
        return np.asarray(self._sigma.mean(0) * np.maximum(1 - weight * strength, 0.0))

    def handles(self) -> Sequence[Handle]:
        if self.print is None or self.locked:
            return ()
        words = {"shadows": self.tr("Shadows"), "middle": self.tr("Middle"), "highlights": self.tr("Highlights")}
        found = []
        curve = self._sigma.mean(0)
        for name, tone in zip(self.SHARES, TONES, strict=True):
            share = getattr(self.params, name)
            at = QPointF(
                self.area.left() + tone * self.area.width(),
                self.to_y(float(np.interp(tone, self.GRID, curve)) * share / 100),
            )
            found.append(Handle(name, at, self.tr("{0}: {1:.0f} % of the strength").format(words[name], share)))
        strength = self.params.luminance
        at = QPointF(self.area.left() - 6, self.area.bottom() - min(strength, 2.0) / 2 * self.area.height())
        return [*found, Handle("strength", at, self.tr("Both strengths: {0:.2f} ×noise").format(strength))]

    def value_for(self, name: str, y: float) -> float:
        if name == "strength":
            return float(np.clip((self.area.bottom() - y) / self.area.height() * 2, 0, 2))
        full = float(np.interp(TONES[self.SHARES.index(name)], self.GRID, self._sigma.mean(0)))
        return float(np.clip(100 * self.from_y(y) / max(full, 1e-6), 0, 100))

    def hover_words(self, x: float) -> str:
        if self.print is None:
            return ""
        now = [float(np.interp(x, self.GRID, s)) for s in self._sigma]
        left = float(np.interp(x, self.GRID, self.left_curve()))
        return self.tr("at {0:.0f} of 255: σ {1}, set to leave {2:.1f}").format(
            255 * x, " / ".join(f"{s:.1f}" for s in now), left
        )

    def as_text(self) -> str:
        names = NAMES if len(self._sigma) == 3 else ("luminance",)
        rows = ["\t".join(["level", *names, "left"])]
        for k in range(0, len(self.GRID), 6):
            values = [255 * self.GRID[k], *self._sigma[:, k], self.left_curve()[k]]
            rows.append("\t".join(f"{v:.2f}" for v in values))
        return "\n".join(rows)

    def draw(self, painter: QPainter) -> None:
        c = colours()
        self.words(painter, self.tr("dark"), self.tr("bright"), self.tr("σ of 255"), f"{self.top:.0f}")
        if self.print is None:
            return
        painter.setPen(QPen(QColor(c.line), 1, Qt.PenStyle.DotLine))
        for level in self.levels:
            x = self.area.left() + level * self.area.width()
            painter.drawLine(QPointF(x, self.area.top()), QPointF(x, self.area.bottom()))
        names = NAMES if len(self._sigma) == 3 else ("luminance",)
        for name, sigma in zip(names, self._sigma, strict=True):
            self.curve(painter, self.GRID, sigma, c.curves[name], 1.2)
        self.curve(painter, self.GRID, self.left_curve(), c.accent, 2.0)


class EdgeInstrument(Chart):
    """The luma across an edge before and after, with the halo limits as handles."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Profile across an edge"), parent)
        self.params = EdgeSharpenParams()
        self.place = np.zeros(0)
        self.before = np.zeros(0)
        self.after = np.zeros(0)
        self.low = self.high = 0.0

    def show_state(self, place: NDArray, before: NDArray, after: NDArray, params: EdgeSharpenParams) -> None:
        """Show profiles over ``place`` (px along the line) with these limits."""
        self.place, self.before, self.after, self.params = place, before, after, params
        if len(before):
            self.low, self.high = (float(v) for v in np.quantile(before, [0.02, 0.98]))
        self.update()

    @property
    def span(self) -> float:
        return max(self.high - self.low, 1e-3)

    def to_y(self, value: Any) -> Any:
        room = 0.35 * self.span
        share = (value - self.low + room) / (self.span + 2 * room)
        return self.area.bottom() - share * self.area.height()

    def from_y(self, y: float) -> float:
        room = 0.35 * self.span
        return (self.area.bottom() - y) / self.area.height() * (self.span + 2 * room) + self.low - room

    def handles(self) -> Sequence[Handle]:
        if not len(self.before):
            return ()
        light, dark = self.params.halo_light, self.params.halo_dark
        top = max(self.to_y(self.high + light / 100 * self.span), self.area.top())
        bottom = min(self.to_y(self.low - dark / 100 * self.span), self.area.bottom())
        return [
            Handle("halo_light", QPointF(self.area.right() - 8, top), self.tr("Light side: {0:.1f} %").format(light)),
            Handle("halo_dark", QPointF(self.area.left() + 8, bottom), self.tr("Dark side: {0:.1f} %").format(dark)),
        ]

    def value_for(self, name: str, y: float) -> float:
        value = self.from_y(y)
        beyond = value - self.high if name == "halo_light" else self.low - value
        return float(np.clip(100 * beyond / self.span, 0, 100))

    def hover_words(self, x: float) -> str:
        if not len(self.before):
            return ""
        k = round(x * (len(self.place) - 1))
        return self.tr("{0:+.1f} px: {1:.0f} → {2:.0f} of 255").format(
            self.place[k], 255 * self.before[k], 255 * self.after[k]
        )

    def as_text(self) -> str:
        rows = ["px\tbefore\tafter"]
        rows += [f"{p:.1f}\t{b:.4f}\t{a:.4f}" for p, b, a in zip(self.place, self.before, self.after, strict=True)]
        return "\n".join(rows)

    def draw(self, painter: QPainter) -> None:
        c = colours()
        if not len(self.before):
            painter.setPen(QColor(c.faint))
            painter.drawText(
                self.area, Qt.AlignmentFlag.AlignCenter, self.tr("No edge in view. Shift-drag a line across one.")
            )
            return
        reach = f"{self.place[-1]:.0f} px"
        self.words(
            painter, f"−{reach}", f"+{reach}", self.tr("luma"), f"{255 * self.high:.0f}", f"{255 * self.low:.0f}"
        )
        x = np.linspace(0, 1, len(self.place))
        for value in (
            self.high + self.params.halo_light / 100 * self.span, self.low - self.params.halo_dark / 100 * self.span,
        ):  # fmt: skip
            if self.area.top() <= self.to_y(value) <= self.area.bottom():
                self.curve(painter, np.array([0, 1]), np.array([value, value]), c.warn, 1.0, dash=True)
        self.curve(painter, x, self.before, c.faint, 1.3)
        self.curve(painter, x, self.after, c.accent, 2.0)


class HistogramInstrument(Chart):
    """How often each brightness occurs, before and after, with the clipped ends as figures."""

    BINS = 128

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Histogram"), parent)
        self.curves: list[tuple[str, NDArray]] = []
        self.clipped = (0.0, 0.0)

    def show_pixels(self, words: NDArray[np.uint32] | None) -> None:
        """Count the packed pixels of a display level."""
        self.curves = []
        if words is not None and words.size:
            for name, shift in zip(NAMES, (16, 8, 0), strict=True):
                values = (words >> np.uint32(shift)) & np.uint32(255)
                count = np.bincount(values.ravel(), minlength=256).astype(float)
                self.curves.append((name, count.reshape(self.BINS, 2).sum(1) / values.size))
            ends = [((words >> np.uint32(s)) & np.uint32(255)) for s in (16, 8, 0)]
            dark, bright = (float(np.mean([np.mean(e == v) for e in ends])) for v in (0, 255))
            self.clipped = (dark, bright)
        self.update()

    def as_text(self) -> str:
        rows = ["\t".join(["level", *(n for n, _ in self.curves)])]
        rows += ["\t".join([str(2 * k), *(f"{c[k]:.5f}" for _, c in self.curves)]) for k in range(self.BINS)]
        return "\n".join(rows)

    def hover_words(self, x: float) -> str:
        k = min(int(x * self.BINS), self.BINS - 1)
        return " · ".join(f"{self.tr(n)} {100 * c[k]:.2f} %" for n, c in self.curves)

    def draw(self, painter: QPainter) -> None:
        ends = (f"{100 * v:.1f} %" for v in self.clipped)
        dark, bright = (self.tr("clipped {0}").format(v) for v in ends)
        self.words(painter, dark, bright, "", "")
        self.top = 1.0
        for name, count in self.curves:
            inner = np.sort(count[1:-1])[-3:].mean() or 1.0
            self.curve(
                painter, np.linspace(0, 1, self.BINS), np.minimum(count / inner, 1.0), colours().curves[name], 1.2
            )
