"""The instrument of steps that sharpen: the profile across an edge."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QWidget

from dustpan.core.sharpen.edge import EdgeSharpenParams
from dustpan.ui.instruments.chart import Chart, Charted, Handle, Need
from dustpan.ui.look.theme import colours


class EdgeInstrument(Chart):
    """The luma across an edge before and after, with the halo limits as handles."""

    offers = ("suggest",)
    needs = frozenset({Need.PROFILE})

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Profile across an edge"), parent)
        self.params = EdgeSharpenParams()
        self.place = np.zeros(0)
        self.before = np.zeros(0)
        self.after = np.zeros(0)
        self.low = self.high = 0.0

    def show_state(self, charted: Charted) -> None:
        assert isinstance(charted.params, EdgeSharpenParams)
        self.params = charted.params
        self.place, self.before, self.after = charted.profile.at, charted.profile.before, charted.profile.after
        if len(self.before):
            self.low, self.high = (float(v) for v in np.quantile(self.before, [0.02, 0.98]))
        self.update()

    @property
    def span(self) -> float:
        return max(self.high - self.low, 1e-3)

    def to_y(self, value: Any) -> Any:
        room = 0.35 * self.span
        share = (value - self.low + room) / (self.span + 2 * room)
        return self.area.bottom() - share * self.area.height()

    def from_y(self, y: float) -> float:
        room = 0.35 * self.span
        return (self.area.bottom() - y) / self.area.height() * (self.span + 2 * room) + self.low - room

    def handles(self) -> Sequence[Handle]:
        if not len(self.before):
            return ()
        light, dark = self.params.halo_light, self.params.halo_dark
        top = max(self.to_y(self.high + light / 100 * self.span), self.area.top())
        bottom = min(self.to_y(self.low - dark / 100 * self.span), self.area.bottom())
        return [
            Handle("halo_light", QPointF(self.area.right() - 8, top), self.tr("Light side: {0:.1f} %").format(light)),
            Handle("halo_dark", QPointF(self.area.left() + 8, bottom), self.tr("Dark side: {0:.1f} %").format(dark)),
        ]

    def values_for(self, name: str, y: float) -> dict[str, float]:
        value = self.from_y(y)
        beyond = value - self.high if name == "halo_light" else self.low - value
        return {name: float(np.clip(100 * beyond / self.span, 0, 100))}

    def hover_words(self, x: float) -> str:
        if not len(self.before):
            return ""
        k = round(x * (len(self.place) - 1))
        return self.tr("{0:+.1f} px: {1:.0f} → {2:.0f} of 255").format(
            self.place[k], 255 * self.before[k], 255 * self.after[k]
        )

    def as_text(self) -> str:
        rows = ["px\tbefore\tafter"]
        rows += [f"{p:.1f}\t{b:.4f}\t{a:.4f}" for p, b, a in zip(self.place, self.before, self.after, strict=True)]
        return "\n".join(rows)

    def draw(self, painter: QPainter) -> None:
        c = colours()
        if not len(self.before):
            painter.setPen(QColor(c.faint))
            painter.drawText(
                self.area, Qt.AlignmentFlag.AlignCenter, self.tr("No edge in view. Shift-drag a line across one.")
            )
            return
        reach = f"{self.place[-1]:.0f} px"
        self.words(
            painter, f"−{reach}", f"+{reach}", self.tr("luma"), f"{255 * self.high:.0f}", f"{255 * self.low:.0f}"
        )
        x = np.linspace(0, 1, len(self.place))
        for value in (
            self.high + self.params.halo_light / 100 * self.span, self.low - self.params.halo_dark / 100 * self.span,
        ):  # fmt: skip
            if self.area.top() <= self.to_y(value) <= self.area.bottom():
                self.curve(painter, np.array([0, 1]), np.array([value, value]), c.warn, 1.0, dash=True)
        self.curve(painter, x, self.before, c.faint, 1.3)
        self.curve(painter, x, self.after, c.accent, 2.0)
