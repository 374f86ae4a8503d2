"""The instrument of Deblur: what the blur leaves of each frequency, and what is brought back."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QWidget

from dustpan.core.sharpen.deblur import DeblurParams, Kind
from dustpan.ui.instruments.chart import Chart, Charted, Handle
from dustpan.ui.look.theme import colours

HIGHEST = 0.5  # cycles per px
TOP = 1.15


class BlurInstrument(Chart):
    """Two curves of the blur and one of the result; how far is a handle on it, and so is the size of a typed blur."""

    offers = ("suggest",)
    cursor_of_handles = Qt.CursorShape.SizeAllCursor

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("What the blur leaves of each frequency"), parent)
        self.params = DeblurParams()
        self.frequency: NDArray = np.zeros(0)
        self.left: NDArray = np.zeros((3, 0))
        self.of = 100.0  # the amount that the curves were told for
        self.top = TOP

    def show_state(self, charted: Charted) -> None:
        assert isinstance(charted.params, DeblurParams)
        self.params = charted.params
        if charted.hits.curve is not None:  # those of before stay until it is told anew
            self.frequency, self.left = charted.hits.curve
            self.of = charted.params.amount
        self.update()

    @property
    def _half(self) -> int:
        """Where the blur leaves half."""
        return int(np.argmax(self.left[0] < 0.5)) or len(self.frequency) - 1

    def _at(self, k: int, value: float) -> QPointF:
        across = self.area.left() + self.frequency[k] / HIGHEST * self.area.width()
        return QPointF(across, float(self.to_y(min(value, self.top))))

    def handles(self) -> Sequence[Handle]:
        if not len(self.frequency):
            return ()
        k = self._half
        found = [
            Handle("amount", self._at(k, self.left[2, k]), self.tr("{0:.0f} % taken out").format(self.params.amount))
        ]
        if self.params.kind is not Kind.MEASURED:
            found.append(Handle("size", self._at(k, self.left[0, k]), self.tr("{0:.2f} px").format(self.params.size)))
        return found

    def values_at(self, name: str, at: QPointF) -> dict[str, float]:
        k = self._half
        if name == "size":
            place = np.clip((at.x() - self.area.left()) / self.area.width() * HIGHEST, 0.02, HIGHEST)
            return {name: float(np.clip(self.params.size * self.frequency[k] / place, 0.3, 6))}
        least = self.left[0, k]
        most = least + max(self.left[2, k] - least, 1e-3) / (self.of / 100) if self.of >= 1 else 1.0
        return {name: float(np.clip(100 * (self.from_y(at.y()) - least) / max(most - least, 1e-3), 0, 100))}

    def hover_words(self, x: float) -> str:
        if not len(self.frequency):
            return ""
        k = round(x * (len(self.frequency) - 1))
        words = self.tr("{0:.2f} cycles/px: the blur leaves {1:.0f} %, the result has {2:.0f} %")
        return words.format(self.frequency[k], 100 * self.left[0, k], 100 * self.left[2, k])

    def as_text(self) -> str:
        rows = ["cycles/px\talong\tacross\tresult"]
        rows += [
            f"{f:.4f}\t{a:.4f}\t{b:.4f}\t{r:.4f}" for f, (a, b, r) in zip(self.frequency, self.left.T, strict=True)
        ]
        return "\n".join(rows)

    def draw(self, painter: QPainter) -> None:
        c = colours()
        self.words(painter, "0", "0.5", self.tr("cycles per px"), "1", "0", float(self.to_y(1.0)) - self.area.top())
        if not len(self.frequency):
            painter.setPen(QColor(c.faint))
            painter.drawText(self.area, Qt.AlignmentFlag.AlignCenter, self.tr("Measuring the blur …"))
            return
        x = self.frequency / HIGHEST
        along, across, result = np.clip(self.left, 0, self.top)
        if np.abs(along - across).max() > 0.03:
            self.curve(painter, x, across, c.faint, 1.0, dash=True)
        self.curve(painter, x, along, c.faint, 1.3)
        self.curve(painter, x, result, c.accent, 2.0)
