"""The instrument of Stripes: the spectrum along the picture over its floor, with how far a line has to stand out."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QWidget

from dustpan.core.defects.stripes import StripesParams
from dustpan.ui.instruments.chart import Chart, Charted, Handle
from dustpan.ui.look.theme import colours

LEAST, MOST = 0.1, 1000.0  # × floor


class SpectrumInstrument(Chart):
    """Power over the floor, logarithmic, against frequency; the threshold is a handle that is dragged up and down."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Spectrum along the picture, over its floor"), parent)
        self.params = StripesParams()
        self.frequency: NDArray = np.zeros(0)
        self.power: NDArray = np.zeros(0)

    def show_state(self, charted: Charted) -> None:
        assert isinstance(charted.params, StripesParams)
        self.params = charted.params
        if charted.curve is not None:
            self.frequency, self.power = charted.curve
        self.update()

    def _share(self, power: NDArray | float) -> NDArray:
        return np.asarray(np.log(np.clip(power, LEAST, MOST) / LEAST) / np.log(MOST / LEAST))

    def handles(self) -> Sequence[Handle]:
        at = QPointF(self.area.right() - 8, float(self.to_y(self._share(self.params.sure))))
        return [Handle("sure", at, self.tr("From {0:.0f} × the floor").format(self.params.sure))]

    def values_for(self, name: str, y: float) -> dict[str, float]:
        value = LEAST * (MOST / LEAST) ** float(np.clip(self.from_y(y), 0, 1))
        return {name: float(np.clip(value, 10, 400))}

    def hover_words(self, x: float) -> str:
        if not len(self.power):
            return ""
        k = round(x * (len(self.power) - 1))
        return self.tr("every {0:.1f} px: {1:.1f} × the floor").format(1 / self.frequency[k], self.power[k])

    def as_text(self) -> str:
        rows = ["cycles/px\tpower"]
        return "\n".join([*rows, *(f"{f:.5f}\t{p:.3f}" for f, p in zip(self.frequency, self.power, strict=True))])

    def draw(self, painter: QPainter) -> None:
        c = colours()
        self.words(painter, "64 px", "3 px", self.tr("period"), "10³", "0.1")
        level = float(self._share(self.params.sure))
        self.curve(painter, np.array([0, 1]), np.array([level, level]), c.warn, 1.0, dash=True)
        if len(self.power):
            most = 2 * max(1, int(self.area.width()))  # as many as can be seen; of each group the highest
            parts = np.array_split(self.power, min(most, len(self.power)))
            tops = np.array([p.max() for p in parts])
            self.curve(painter, np.linspace(0, 1, len(tops)), self._share(tops), c.accent, 1.2)
        else:
            painter.setPen(QColor(c.faint))
            painter.drawText(self.area, 0x84, self.tr("Looking …"))
