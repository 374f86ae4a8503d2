"""The instrument of Colour fringes: the colours of rims on a wheel, as far out as they leave what is beside them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QConicalGradient, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from dustpan.core.defects.fringes import SURELY, FringesParams, Rims
from dustpan.ui.instruments.chart import Chart, Charted, Handle
from dustpan.ui.look.theme import colours

MOST, SHOWN = 64.0, 1500  # of 255, at the rim of the wheel; dots
BAND = 7.0  # px of the ring of colours


class WheelInstrument(Chart):
    """Hues around, excess outwards; the picked hue is a handle on the ring, which can be dragged around."""

    offers: ClassVar[tuple[str, ...]] = ("pick",)
    cursor_of_handles = Qt.CursorShape.CrossCursor

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Colours of rims"), parent)
        self.params: object = None
        self.hue: NDArray = np.zeros(0)
        self.excess: NDArray = np.zeros(0)
        self.found: tuple[float, ...] = ()

    def show_state(self, charted: Charted) -> None:
        self.params, self.found = charted.params, charted.hits.peaks
        hue, excess = charted.hits.curve or (np.zeros(0), np.zeros(0))
        strongest = np.argsort(-excess)
        self.hue, self.excess = hue[strongest], excess[strongest]
        self.update()

    @property
    def wheel(self) -> QRectF:
        """Where the wheel is drawn."""
        side = self.height() - 12.0
        return QRectF(10, 6, side, side)

    def place(self, hue: float, share: float) -> QPointF:
        """Where a hue stands at a share of the radius."""
        r, centre, angle = share * (self.wheel.width() / 2 - BAND), self.wheel.center(), math.radians(hue)
        return QPointF(centre.x() + r * math.cos(angle), centre.y() - r * math.sin(angle))

    @property
    def _shown_hue(self) -> float | None:
        """Where the handle stands: the picked hue, or the first that was found."""
        if not isinstance(self.params, FringesParams):
            return None
        return self.params.hue if self.params.colour is Rims.PICKED or not self.found else self.found[0]

    def handles(self) -> Sequence[Handle]:
        hue = self._shown_hue
        if hue is None:
            return ()
        words = self.tr("Rims of {0:.0f}°: drag to another colour").format(hue)
        return [Handle("hue", self.place(hue, 1 + BAND / 2 / (self.wheel.width() / 2 - BAND)), words)]

    def values_at(self, name: str, at: QPointF) -> dict[str, float]:
        off = at - self.wheel.center()
        hue = round(math.degrees(math.atan2(-off.y(), off.x()))) % 360
        return {"colour": Rims.PICKED, "hue": float(hue)}  # type: ignore[dict-item]

    def hover_words(self, x: float) -> str:
        return self.tr("{0} rims, up to {1:.0f} of 255").format(len(self.hue), self.excess.max(initial=0))

    def as_text(self) -> str:
        rows = (f"{h:.0f}\t{e:.1f}" for h, e in zip(self.hue, self.excess, strict=True))
        return "\n".join([self.tr("hue, degrees") + "\t" + self.tr("excess of 255"), *rows])

    def draw(self, painter: QPainter) -> None:
        c, wheel = colours(), self.wheel
        painter.fillRect(self.rect(), QColor(c.ground))
        ring = QConicalGradient(wheel.center(), 0)
        for degrees in range(0, 361, 30):
            ring.setColorAt(degrees / 360, QColor.fromHsvF(degrees % 360 / 360, 0.55, 0.85))
        painter.setPen(QPen(ring, BAND))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        half = BAND / 2
        painter.drawEllipse(wheel.adjusted(half, half, -half, -half))
        painter.setPen(QPen(QColor(c.line), 1))
        inner = wheel.adjusted(BAND, BAND, -BAND, -BAND)
        painter.drawEllipse(QRectF(inner.center() - QPointF(inner.width() / 4, inner.height() / 4), inner.size() / 2))
        tint = QColor(c.accent)
        tint.setAlpha(46)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(tint)
        for hue in self.found:
            painter.drawPie(inner, round(16 * (hue - SURELY)), round(16 * 2 * SURELY))
        for hue, excess in zip(self.hue[:SHOWN], self.excess[:SHOWN], strict=True):
            painter.setBrush(QColor.fromHsvF(float(hue) % 360 / 360, 0.7, 0.9))
            painter.drawEllipse(self.place(float(hue), min(1.0, float(excess) / MOST)), 1.6, 1.6)
        self._draw_words(painter)

    def _draw_words(self, painter: QPainter) -> None:
        left = self.wheel.right() + 10
        room = QRectF(left, self.wheel.top(), self.width() - left - 6, self.wheel.height())
        said = [self.tr("{0} rims").format(len(self.hue))]
        if isinstance(self.params, FringesParams):
            said.append({
                Rims.PICKED: self.tr("picked: {0:.0f}°").format(self.params.hue), Rims.ANY: self.tr("of any colour"),
                Rims.FOUND: ", ".join(f"{h:.0f}°" for h in self.found) or self.tr("no colour stands out"),
            }[self.params.colour])  # fmt: skip
        painter.setPen(QColor(colours().faint))
        flags = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
        painter.drawText(room, int(flags), "\n".join(said))
