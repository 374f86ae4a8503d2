"""The instrument of steps that find: how many hits there are at each threshold, with the threshold as a handle."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from dustpan.core.params import Number
from dustpan.ui.instruments.chart import Chart, Charted, Handle
from dustpan.ui.look.theme import colours

LEAST, MOST = 3.0, 200.0  # σ


class HitsInstrument(Chart):
    """The number of hits over how sure they are, both on a logarithmic scale."""

    cursor_of_handles = Qt.CursorShape.SizeHorCursor

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Number of hits over how sure they are"), parent)
        self.params: object = None
        self.scores: NDArray[np.floating] = np.zeros(0)

    def show_state(self, charted: Charted) -> None:
        self.params, self.scores = charted.params, np.sort(charted.hits.score)
        self.update()

    @property
    def sure(self) -> float:
        return float(getattr(self.params, "sure", LEAST))

    def _x(self, score: float) -> float:
        share = np.log(np.clip(score, LEAST, MOST) / LEAST) / np.log(MOST / LEAST)
        return self.area.left() + float(share) * self.area.width()

    def _score(self, x: float) -> float:
        return float(LEAST * (MOST / LEAST) ** ((x - self.area.left()) / self.area.width()))

    def count(self, score: float) -> int:
        """How many are at least so sure."""
        return int(len(self.scores) - np.searchsorted(self.scores, score))

    def handles(self) -> Sequence[Handle]:
        words = self.tr("From {0:.1f} σ: {1}").format(self.sure, self.count(self.sure))
        return [Handle("sure", QPointF(self._x(self.sure), self.area.bottom()), words)] if self.params else ()

    def values_at(self, name: str, at: QPointF) -> dict[str, float]:
        control = type(self.params).control(name)  # type: ignore[attr-defined]
        assert isinstance(control, Number)
        return {name: float(np.clip(self._score(at.x()), control.low, control.high))}

    def hover_words(self, x: float) -> str:
        score = float(LEAST * (MOST / LEAST) ** x)
        return self.tr("{0} of at least {1:.1f} σ").format(self.count(score), score)

    def as_text(self) -> str:
        return "\n".join(["σ", *(f"{s:.2f}" for s in self.scores)])

    def draw(self, painter: QPainter) -> None:
        c = colours()
        most = max(len(self.scores), 1)
        self.words(painter, f"{LEAST:g} σ", f"{MOST:g} σ", self.tr("how sure"), str(len(self.scores)))
        if len(self.scores):
            grid = np.geomspace(LEAST, MOST, 120)
            counts = np.array([self.count(g) for g in grid])
            self.curve(painter, np.linspace(0, 1, 120), np.log1p(counts) / np.log1p(most), c.accent, 1.8)
        painter.setPen(QPen(QColor(c.faint), 1, Qt.PenStyle.DashLine))
        at = self._x(self.sure)
        painter.drawLine(QPointF(at, self.area.top()), QPointF(at, self.area.bottom()))
