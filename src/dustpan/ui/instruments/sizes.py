"""The instrument of Specks: each find by its width and its contrast, with both limits as lines that are dragged."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QResizeEvent
from PyQt6.QtWidgets import QWidget

from dustpan.core.params import Number
from dustpan.ui.instruments.chart import Chart, Charted, Handle
from dustpan.ui.look.theme import colours

WIDEST = 16.0  # px
FAINTEST, STRONGEST = 1.0, 100.0  # σ
SHOWN = 3000  # dots
LIMITS = ("width", "contrast")


class SizesInstrument(Chart):
    """Width in px to the right, contrast on a logarithmic scale upwards; what is to the left and above is taken."""

    cursor_of_handles = Qt.CursorShape.SizeAllCursor

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Finds by width and contrast"), parent)
        self.params: object = None
        self.widths: NDArray[np.floating] = np.zeros(0)
        self.contrasts: NDArray[np.floating] = np.zeros(0)
        self.dots: list[tuple[QPointF, bool]] = []  # where, and whether it is taken

    def show_state(self, charted: Charted) -> None:
        self.params = charted.params
        self.widths, self.contrasts = charted.hits.curve or (np.zeros(0), np.zeros(0))
        self._place_dots()
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._place_dots()

    def _place_dots(self) -> None:
        some = slice(None, None, max(1, len(self.widths) // SHOWN))
        widths, contrasts, taken = self.widths[some], self.contrasts[some], self.taken()[some]
        apart = np.random.default_rng(0).uniform(-0.4, 0.4, len(widths))  # widths are whole px
        at = map(self.place, (widths + apart).tolist(), contrasts.tolist())
        self.dots = list(zip(at, taken.tolist(), strict=True))

    @property
    def limits(self) -> tuple[float, float]:
        """Largest width and least contrast."""
        width, contrast = (float(getattr(self.params, name, 0.0)) for name in LIMITS)
        return width, contrast

    def taken(self) -> NDArray[np.bool_]:
        """(n,) which of them are within both limits."""
        width, contrast = self.limits
        return (self.widths <= width) & (self.contrasts >= contrast)

    def counts(self) -> tuple[int, int]:
        """How many are taken, and how many there are."""
        return int(self.taken().sum()), len(self.widths)

    def place(self, width: float, contrast: float) -> QPointF:
        """Where a find of this width and contrast stands."""
        up = np.log(np.clip(contrast, FAINTEST, STRONGEST) / FAINTEST) / np.log(STRONGEST / FAINTEST)
        across = min(width / WIDEST, 1.0) * self.area.width()
        return QPointF(self.area.left() + across, self.area.bottom() - float(up) * self.area.height())

    def handles(self) -> Sequence[Handle]:
        if self.params is None:
            return ()
        width, contrast = self.limits
        taken, of = self.counts()
        words = self.tr("Up to {0:.0f} px and from {1:.1f} σ: {2} of {3}").format(width, contrast, taken, of)
        return [Handle("both", self.place(width, contrast), words)]

    def values_at(self, name: str, at: QPointF) -> dict[str, float]:
        share = (self.area.bottom() - at.y()) / self.area.height()
        values = (
            round((at.x() - self.area.left()) / self.area.width() * WIDEST),
            round(FAINTEST * (STRONGEST / FAINTEST) ** share, 1),
        )
        controls = [type(self.params).control(n) for n in LIMITS]  # type: ignore[attr-defined]
        assert all(isinstance(c, Number) for c in controls)
        return {n: float(np.clip(v, c.low, c.high)) for n, v, c in zip(LIMITS, values, controls, strict=True)}

    def hover_words(self, x: float) -> str:
        width = x * WIDEST
        return self.tr("{0} of up to {1:.0f} px").format(int((self.widths <= width).sum()), width)

    def as_text(self) -> str:
        rows = (f"{w:.0f}\t{c:.1f}" for w, c in zip(self.widths, self.contrasts, strict=True))
        return "\n".join([self.tr("width, px") + "\t" + self.tr("contrast, σ"), *rows])

    def draw(self, painter: QPainter) -> None:
        c, area = colours(), self.area
        width, contrast = self.limits
        corner = self.place(width, contrast)
        tint = QColor(c.accent)
        tint.setAlpha(30)
        painter.fillRect(
            int(area.left()), int(area.top()), int(corner.x() - area.left()), int(corner.y() - area.top()), tint
        )
        taken, of = self.counts()
        self.words(painter, "0", f"{WIDEST:.0f} px", self.tr("{0} of {1}").format(taken, of), f"{STRONGEST:.0f}", "1σ")
        painter.setPen(Qt.PenStyle.NoPen)
        for at, taken_too in self.dots:
            painter.setBrush(QColor(c.accent if taken_too else c.faint))
            painter.drawEllipse(at, 1.5, 1.5)
        painter.setPen(QPen(QColor(c.faint), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(corner.x(), area.top()), QPointF(corner.x(), area.bottom()))
        painter.drawLine(QPointF(area.left(), corner.y()), QPointF(area.right(), corner.y()))
