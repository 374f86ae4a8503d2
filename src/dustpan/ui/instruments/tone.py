"""The instrument of Tone and of *Brighten for viewing*: the histogram with both ends and the middle as handles."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from dustpan.core.finish.levels import bent
from dustpan.core.finish.tone import ToneParams, contrasty
from dustpan.core.noise.noise_print import NAMES
from dustpan.ui.instruments.chart import Chart, Charted, Handle, Need
from dustpan.ui.look.theme import colours

BINS = 160
MOST_SEEN = 400_000  # samples that are counted
LEAST_APART = 0.2  # percent between black and white
FURTHEST = 0.5  # beyond an end, that is shown
ROOM = 0.04  # of the range beyond the outermost handle


class ToneInstrument(Chart):
    """How often each value occurs, what becomes of it, and black end, middle and white end along the bottom."""

    cursor_of_handles = Qt.CursorShape.SizeHorCursor
    offers = ("automatic", "linked", "apply")
    needs = frozenset({Need.SAMPLE})

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Histogram with black end, middle and white end"), parent)
        self.params = ToneParams()
        self.span = (0.0, 1.0)
        self.counts: list[NDArray[np.float64]] = []
        self._sample: NDArray | None = None
        self._counted_for = self.params

    def show_state(self, charted: Charted) -> None:
        assert isinstance(charted.params, ToneParams)
        self.params = charted.params
        sample = charted.sample
        held = getattr(self, "_held", None)
        if sample is not self._sample or (not held and self.params != self._counted_for):
            self._sample, self._counted_for = sample, self.params
            self._count(sample)
        self.update()

    def _count(self, sample: NDArray) -> None:
        if sample.size == 0:
            self.counts = []
            return
        every = max(1, int(np.sqrt(sample.shape[0] * sample.shape[1] / MOST_SEEN)))
        seen = sample[::every, ::every].reshape(-1, sample.shape[2])
        p, (least, most) = self.params, np.percentile(seen, (0.05, 99.95))
        low, high = min(p.black / 100, float(least)), max(p.white / 100, float(most))
        low, high = max(low, p.black / 100 - FURTHEST), min(high, p.white / 100 + FURTHEST)
        room = ROOM * max(high - low, 1e-3)
        self.span = (low - room, high + room)
        self.counts = [np.histogram(seen[:, c], BINS, self.span)[0].astype(float) for c in range(seen.shape[1])]

    def _x(self, percent: float) -> float:
        share = (percent / 100 - self.span[0]) / (self.span[1] - self.span[0])
        return self.area.left() + share * self.area.width()

    def handles(self) -> Sequence[Handle]:
        p, bottom = self.params, self.area.bottom()
        middle = p.black + p.middle / 100 * (p.white - p.black)
        return [
            Handle("black", QPointF(self._x(p.black), bottom), self.tr("Black end: {0:.1f} %").format(p.black)),
            Handle("white", QPointF(self._x(p.white), bottom), self.tr("White end: {0:.1f} %").format(p.white)),
            Handle("middle", QPointF(self._x(middle), bottom - 14), self.tr("Middle: {0:.1f} %").format(p.middle)),
        ]

    def values_at(self, name: str, at: QPointF) -> dict[str, float]:
        p, share = self.params, (at.x() - self.area.left()) / self.area.width()
        value = 100 * (self.span[0] + share * (self.span[1] - self.span[0]))
        control = ToneParams.control(name)
        if name == "black":
            value = min(value, p.white - LEAST_APART)
        elif name == "white":
            value = max(value, p.black + LEAST_APART)
        else:
            value = 100 * (value - p.black) / max(p.white - p.black, LEAST_APART)
        return {name: float(np.clip(value, control.low, control.high))}  # type: ignore[attr-defined]

    def _after(self, values: NDArray[np.float64]) -> NDArray[np.float64]:
        """What becomes of grey values."""
        p = self.params
        inside = (values - p.black / 100) / max((p.white - p.black) / 100, 1e-4)
        return np.clip(contrasty(bent(inside.astype(np.float32), p.middle / 100), p.contrast / 100), 0, 1)

    def hover_words(self, x: float) -> str:
        value = self.span[0] + x * (self.span[1] - self.span[0])
        after = float(self._after(np.array([value]))[0])
        return self.tr("{0:.1f} % becomes {1:.0f} %").format(100 * value, 100 * after)

    def as_text(self) -> str:
        names = NAMES if len(self.counts) == 3 else ("grey",)
        edges = np.linspace(*self.span, BINS + 1)
        rows = ["\t".join(["from", *names[: len(self.counts)]])]
        rows += ["\t".join([f"{edges[k]:.5f}", *(f"{c[k]:.0f}" for c in self.counts)]) for k in range(BINS)]
        return "\n".join(rows)

    def draw(self, painter: QPainter) -> None:
        c = colours()
        low, high = (f"{100 * v:.0f} %" for v in self.span)
        self.words(painter, low, high, self.tr("value"), "")
        x = (np.arange(BINS) + 0.5) / BINS
        names = NAMES if len(self.counts) == 3 else ("luminance",)[: len(self.counts)]
        for name, count in zip(names, self.counts, strict=True):
            root = np.sqrt(count / max(float(np.sort(count)[-3:].mean()), 1.0))
            self.curve(painter, x, np.minimum(root, 1.0), c.curves.get(name, c.faint), 1.2)
        grid = np.linspace(0, 1, 96)
        self.curve(painter, grid, self._after(self.span[0] + grid * (self.span[1] - self.span[0])), c.accent, 1.6)
        painter.setPen(QPen(QColor(c.faint), 1, Qt.PenStyle.DashLine))
        for handle in self.handles()[:2]:
            painter.drawLine(QPointF(handle.at.x(), self.area.top()), handle.at)
