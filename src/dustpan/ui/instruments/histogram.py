"""The histogram of a picture."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QWidget

from dustpan.core.noise.noise_print import NAMES
from dustpan.ui.instruments.chart import Chart
from dustpan.ui.look.theme import colours


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
