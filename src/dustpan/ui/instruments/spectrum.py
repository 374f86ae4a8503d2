"""Instruments of what a picture is repaired by: a curve along frequency, with the limit that it has to pass."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QWidget

from dustpan.core.params import Number, Params
from dustpan.ui.instruments.chart import Chart, Charted, Handle
from dustpan.ui.look.theme import colours


class FrequencyInstrument(Chart):
    """A curve on a logarithmic axis against frequency; the parameter that is its limit is a handle to drag."""

    NAME = ""  # of the parameter
    LEAST, MOST = 0.1, 1000.0

    def __init__(
        self, title: str, limit_words: str, axes: tuple[str, str, str, str, str], parent: QWidget | None = None
    ) -> None:
        """``limit_words`` : of the handle, with {0} for the limit. ``axes`` : see `Chart.words`."""
        super().__init__(title, parent)
        self.limit_words, self.axes = limit_words, axes
        self.params: Params | None = None
        self.frequency: NDArray = np.zeros(0)
        self.power: NDArray = np.zeros(0)
        self.looked = False

    @property
    def limit(self) -> float:
        """What the curve has to pass."""
        return 1.0 if self.params is None else float(getattr(self.params, self.NAME))

    def show_state(self, charted: Charted) -> None:
        self.params = charted.params
        self.looked = charted.hits.curve is not None
        self.frequency, self.power = charted.hits.curve or (np.zeros(0), np.zeros(0))
        self.update()

    def _share(self, power: NDArray | float) -> NDArray:
        return np.asarray(np.log(np.clip(power, self.LEAST, self.MOST) / self.LEAST) / np.log(self.MOST / self.LEAST))

    def nothing_words(self) -> str:
        """What is said instead of a curve."""
        return self.tr("Looking …")

    def handles(self) -> Sequence[Handle]:
        at = QPointF(self.area.right() - 8, float(self.to_y(self._share(self.limit))))
        return [Handle(self.NAME, at, self.limit_words.format(self.limit))]

    def values_for(self, name: str, y: float) -> dict[str, float]:
        value = self.LEAST * (self.MOST / self.LEAST) ** float(np.clip(self.from_y(y), 0, 1))
        control = next((c for c in self.params.controls() if c.name == name), None) if self.params else None
        assert isinstance(control, Number)
        return {name: float(np.clip(value, control.low, control.high))}

    def as_text(self) -> str:
        rows = ["cycles/px\tpower"]
        return "\n".join([*rows, *(f"{f:.5f}\t{p:.3f}" for f, p in zip(self.frequency, self.power, strict=True))])

    def draw(self, painter: QPainter) -> None:
        c = colours()
        self.words(painter, *self.axes)
        level = float(self._share(self.limit))
        self.curve(painter, np.array([0, 1]), np.array([level, level]), c.warn, 1.0, dash=True)
        if len(self.power):
            most = 2 * max(1, int(self.area.width()))  # as many as can be seen; of each group the highest
            parts = np.array_split(self.power, min(most, len(self.power)))
            tops = np.array([p.max() for p in parts])
            self.curve(painter, np.linspace(0, 1, len(tops)), self._share(tops), c.accent, 1.2)
        else:
            painter.setPen(QColor(c.faint))
            painter.drawText(self.area, 0x84, self.nothing_words())


class SpectrumInstrument(FrequencyInstrument):
    """Of Stripes: power along the picture over the floor, with how far a line has to stand out."""

    NAME = "sure"

    def __init__(self, parent: QWidget | None = None) -> None:
        axes = "64 px", "2 px", self.tr("period"), "10³", "0.1"
        title = self.tr("Spectrum along the picture, over its floor")
        super().__init__(title, self.tr("From {0:.0f} × the floor"), axes, parent)

    def hover_words(self, x: float) -> str:
        if not len(self.power):
            return ""
        k = round(x * (len(self.power) - 1))
        return self.tr("every {0:.1f} px: {1:.1f} × the floor").format(1 / self.frequency[k], self.power[k])


class StepsInstrument(FrequencyInstrument):
    """Of Compression marks: the steps that the file was stored with, and from which on it is cleaned."""

    NAME = "coarser"
    LEAST, MOST = 1.0, 256.0

    def __init__(self, parent: QWidget | None = None) -> None:
        axes = self.tr("coarse"), self.tr("fine"), self.tr("step size"), "256", "1"
        title = self.tr("Steps of the JPEG's brightness, by fineness")
        super().__init__(title, self.tr("Cleaned from a step of {0:.1f} of 255"), axes, parent)

    def nothing_words(self) -> str:
        return self.tr("No JPEG's steps are proven") if self.looked else super().nothing_words()

    def hover_words(self, x: float) -> str:
        if not len(self.power):
            return ""
        return self.tr("steps of {0:.0f} of 255").format(self.power[round(x * (len(self.power) - 1))])
