"""The instrument of Noise."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QWidget

from dustpan.core.noise.mixing import TONES
from dustpan.core.noise.noise_print import NAMES, NoisePrint
from dustpan.core.noise.step import NoiseParams
from dustpan.ui.instruments.chart import Chart, Charted, Handle
from dustpan.ui.instruments.relative import RelativeNoise
from dustpan.ui.look.theme import colours

STRENGTH = "both strengths"  # the handle beside the chart


class NoiseInstrument(Chart):
    """Noise against brightness, what will be left of it, and the shares by brightness as handles.

    The handle on the left sets both strengths; three handles on the curve set the shares of dark, middle and bright.
    Of a render, whose noise does not go by brightness: how often it is how strong, and a map of where.
    """

    offers = ("suggest", "strip")
    GRID = np.linspace(0.004, 0.996, 90)
    SHARES = ("shadows", "middle", "highlights")

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Noise against brightness"), parent)
        self.print: NoisePrint | None = None
        self.params = NoiseParams()
        self.levels: Sequence[float] = ()
        self._sigma = np.zeros((1, len(self.GRID)))
        self.relative: RelativeNoise | None = None

    @property
    def area(self) -> QRectF:
        whole = super().area
        return whole if self.relative is None else self.relative.room(whole)

    def show_state(self, charted: Charted) -> None:
        found = charted.noise
        if found is not self.print:
            self.print = found
            self._sigma = 255 * found.channel_sigma(self.GRID) if found else np.zeros((1, len(self.GRID)))
            self.relative = RelativeNoise(found) if found and found.in_proportion and found.places else None
            self.top = 1.0 if self.relative else max(4.0, float(np.ceil(self._sigma.max() * 1.1 / 4) * 4))
        assert isinstance(charted.params, NoiseParams)
        self.params, self.levels = charted.params, charted.levels
        self.update()

    def left_curve(self) -> NDArray[np.float64]:
        """Mean sigma of the channels that these strengths are set to leave, in 1/255."""
        shares = [getattr(self.params, n) for n in self.SHARES]
        weight = np.interp(self.GRID, TONES, shares) / 100
        strength = min(1.0, self.params.luminance)
        return np.asarray(self._sigma.mean(0) * np.maximum(1 - weight * strength, 0.0))

    def handles(self) -> Sequence[Handle]:
        if self.print is None or self.locked:
            return ()
        words = {"shadows": self.tr("Shadows"), "middle": self.tr("Middle"), "highlights": self.tr("Highlights")}
        found = []
        curve = self._sigma.mean(0)
        for name, tone in zip(self.SHARES, TONES, strict=True) if self.relative is None else ():
            share = getattr(self.params, name)
            at = QPointF(
                self.area.left() + tone * self.area.width(),
                self.to_y(float(np.interp(tone, self.GRID, curve)) * share / 100),
            )
            found.append(Handle(name, at, self.tr("{0}: {1:.0f} % of the strength").format(words[name], share)))
        strength = self.params.luminance
        at = QPointF(self.area.left() - 6, self.area.bottom() - min(strength, 2.0) / 2 * self.area.height())
        return [*found, Handle(STRENGTH, at, self.tr("Both strengths: {0:.2f} ×noise").format(strength))]

    def values_for(self, name: str, y: float) -> dict[str, float]:
        if name == STRENGTH:
            strength = float(np.clip((self.area.bottom() - y) / self.area.height() * 2, 0, 2))
            return {"luminance": strength, "colour": strength}
        full = float(np.interp(TONES[self.SHARES.index(name)], self.GRID, self._sigma.mean(0)))
        return {name: float(np.clip(100 * self.from_y(y) / max(full, 1e-6), 0, 100))}

    def hover_words(self, x: float) -> str:
        if self.print is None:
            return ""
        if self.relative is not None:
            return self.tr("σ {0:.0f} % of the light or less in {1:.0f} % of the picture").format(
                *self.relative.words(x)
            )
        now = [float(np.interp(x, self.GRID, s)) for s in self._sigma]
        left = float(np.interp(x, self.GRID, self.left_curve()))
        return self.tr("at {0:.0f} of 255: σ {1}, set to leave {2:.1f}").format(
            255 * x, " / ".join(f"{s:.1f}" for s in now), left
        )

    def as_text(self) -> str:
        if self.relative is not None:
            shares = zip(self.relative.grid, self.relative.total, strict=True)
            return "\n".join(["sigma\tshare", *(f"{s:.4f}\t{n:.5f}" for s, n in shares)])
        names = NAMES if len(self._sigma) == 3 else ("luminance",)
        rows = ["\t".join(["level", *names, "left"])]
        for k in range(0, len(self.GRID), 6):
            values = [255 * self.GRID[k], *self._sigma[:, k], self.left_curve()[k]]
            rows.append("\t".join(f"{v:.2f}" for v in values))
        return "\n".join(rows)

    def draw(self, painter: QPainter) -> None:
        c = colours()
        if self.relative is not None:
            self.words(painter, "1 %", "100 %", self.tr("σ of the light"), "")
            self.curve(painter, np.linspace(0, 1, len(self.relative.grid)), self.relative.share, c.accent, 1.8)
            self.relative.draw_map(painter, super().area)
            return
        self.words(painter, self.tr("dark"), self.tr("bright"), self.tr("σ of 255"), f"{self.top:.0f}")
        if self.print is None:
            return
        painter.setPen(QPen(QColor(c.line), 1, Qt.PenStyle.DotLine))
        for level in self.levels:
            x = self.area.left() + level * self.area.width()
            painter.drawLine(QPointF(x, self.area.top()), QPointF(x, self.area.bottom()))
        names = NAMES if len(self._sigma) == 3 else ("luminance",)
        for name, sigma in zip(names, self._sigma, strict=True):
            self.curve(painter, self.GRID, sigma, c.curves[name], 1.2)
        self.curve(painter, self.GRID, self.left_curve(), c.accent, 2.0)
