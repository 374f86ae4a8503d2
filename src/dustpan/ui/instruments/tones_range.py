"""The instrument of the part Tones: the histogram with the ends of the range as handles."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QWidget

from dustpan.core.params import Params
from dustpan.core.where.tones import TonesParams
from dustpan.ui.instruments.chart import Handle
from dustpan.ui.instruments.histogram import HistogramInstrument
from dustpan.ui.look.theme import colours

LOW = 86  # px, of the chart


class PartInstrument(HistogramInstrument):
    """The instrument of a part of a mask, over the histogram of the picture."""

    def show_params(self, params: Params) -> None:
        """Show the part that has these parameters."""


class TonesInstrument(PartInstrument):
    """Dragging a handle moves an end of the range."""

    cursor_of_handles = Qt.CursorShape.SizeHorCursor

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(self.tr("Range of tones"))
        self.params = TonesParams()
        self.setFixedHeight(LOW)

    @property
    def area(self) -> QRectF:
        return QRectF(30, 6, self.width() - 40, LOW - 22)

    def show_params(self, params: Params) -> None:
        assert isinstance(params, TonesParams)
        self.params = params
        self.update()

    def handles(self) -> Sequence[Handle]:
        a = self.area
        ends = (("low", self.params.low, self.tr("From {0:.2f}")), ("high", self.params.high, self.tr("To {0:.2f}")))
        return [Handle(n, QPointF(a.left() + v * a.width(), a.bottom()), words.format(v)) for n, v, words in ends]

    def values_at(self, name: str, at: QPointF) -> dict[str, float]:
        share = float(np.clip((at.x() - self.area.left()) / self.area.width(), 0, 1))
        other = self.params.high if name == "low" else self.params.low
        return {name: round(min(share, other) if name == "low" else max(share, other), 3)}

    def draw(self, painter: QPainter) -> None:
        a, shade = self.area, QColor(colours().accent)
        shade.setAlpha(46)
        low, high = a.left() + self.params.low * a.width(), a.left() + self.params.high * a.width()
        painter.fillRect(QRectF(low, a.top(), high - low, a.height()), shade)
        super().draw(painter)
