"""The instrument of Develop: the sensor's light in stops below white, with what becomes white as a handle."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from dustpan.core.develop.step import DevelopParams
from dustpan.core.noise.noise_print import NAMES
from dustpan.ui.instruments.chart import Chart, Charted, Handle, Need
from dustpan.ui.look.theme import colours

LOWEST, HIGHEST = -13.0, 2.0  # EV from the sensor's white
BINS = 120
FULL = 0.985  # of the sensor's white


class DevelopInstrument(Chart):
    """How much light each colour of the sensor got, where its noise begins, and where the picture's white lies."""

    cursor_of_handles = Qt.CursorShape.SizeHorCursor
    offers = ("pick",)
    needs = frozenset({Need.LIGHT})

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Light on the sensor, in stops below white"), parent)
        self.params = DevelopParams()
        self.counts: list[NDArray[np.float64]] = []
        self.full = 0.0
        self.floor = 0.0
        self._light: Sequence[NDArray] = ()

    def show_state(self, charted: Charted) -> None:
        assert isinstance(charted.params, DevelopParams)
        self.params, self.floor = charted.params, charted.floor
        light = charted.light
        if light is not self._light:
            self._light = light
            stops = [np.log2(np.maximum(v, 2.0**LOWEST)) for v in light]
            self.counts = [np.histogram(s, BINS, (LOWEST, HIGHEST))[0] / max(s.size, 1) for s in stops]
            self.full = float(np.mean(np.concatenate([v.ravel() for v in light]) >= FULL)) if light else 0.0
        self.update()

    def _x(self, stops: float) -> float:
        share = (min(max(stops, LOWEST), HIGHEST) - LOWEST) / (HIGHEST - LOWEST)
        return self.area.left() + share * self.area.width()

    def handles(self) -> Sequence[Handle]:
        at = QPointF(self._x(-self.params.push), self.area.bottom())
        words = self.tr("Push {0:+.2f} EV: light from here on becomes white")
        return [Handle("push", at, words.format(self.params.push))]

    def values_at(self, name: str, at: QPointF) -> dict[str, float]:
        stops = LOWEST + (at.x() - self.area.left()) / self.area.width() * (HIGHEST - LOWEST)
        control = DevelopParams.control(name)
        return {name: float(np.clip(round(-stops, 2), control.low, control.high))}  # type: ignore[attr-defined]

    def hover_words(self, x: float) -> str:
        stops = LOWEST + x * (HIGHEST - LOWEST)
        words = self.tr("{0:+.1f} EV from the sensor's white").format(stops)
        if self.floor > 0:
            words += self.tr("; noise in the dark is as strong as light at {0:+.1f} EV").format(np.log2(self.floor))
        return words

    def as_text(self) -> str:
        edges = np.linspace(LOWEST, HIGHEST, BINS + 1)
        names = NAMES if len(self.counts) == 3 else ("grey",)
        rows = ["\t".join(["EV", *names[: len(self.counts)]])]
        rows += ["\t".join([f"{edges[k]:.2f}", *(f"{c[k]:.5f}" for c in self.counts)]) for k in range(BINS)]
        return "\n".join(rows)

    def draw(self, painter: QPainter) -> None:
        c = colours()
        self.words(painter, f"{LOWEST:.0f} EV", self.tr("full {0:.1f} %").format(100 * self.full), self.tr("light"), "")
        if self.floor > 0:
            shade, area = QColor(c.line), self.area
            shade.setAlpha(110)
            painter.fillRect(QRectF(area.topLeft(), QPointF(self._x(float(np.log2(self.floor))), area.bottom())), shade)
        x = (np.arange(BINS) + 0.5) / BINS
        names = NAMES if len(self.counts) == 3 else ("luminance",)[: len(self.counts)]
        top = max((float(np.sort(n[1:])[-3:].mean()) for n in self.counts), default=1.0) or 1.0
        for name, count in zip(names, self.counts, strict=True):
            self.curve(painter, x, np.minimum(np.sqrt(count / top), 1.0), c.curves.get(name, c.faint), 1.3)
        marks = ((0.0, c.faint, Qt.PenStyle.DotLine), (-self.params.push, c.accent, Qt.PenStyle.DashLine))
        for stops, colour, style in marks:
            painter.setPen(QPen(QColor(colour), 1.2, style))
            at = self._x(stops)
            painter.drawLine(QPointF(at, self.area.top()), QPointF(at, self.area.bottom()))
