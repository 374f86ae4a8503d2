"""The noise of a render in a chart: how often it is how strong, relative to the light, and where, as a small map."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QImage, QPainter

from dustpan.core.looks.noise_map import LEAST, MOST
from dustpan.core.noise.noise_print import NoisePrint

BINS = 60
MAP_HEIGHT = 84  # px
SAMPLES = 200_000


class RelativeNoise:
    """What a chart shows of such a print. ``share`` : of the places, by the logarithm of their sigma; 1 at the most."""

    def __init__(self, found: NoisePrint) -> None:
        assert found.places is not None
        sigma = found.relative * found.places.grid
        few = sigma.ravel()[:: max(1, sigma.size // SAMPLES)]
        self.sigma = np.sort(few)
        self.grid = np.geomspace(LEAST, MOST, BINS)
        count, _ = np.histogram(np.clip(few, LEAST, MOST * 0.999), np.geomspace(LEAST, MOST, BINS + 1))
        self.share: NDArray[np.float64] = count / max(count.max(), 1)
        self.total: NDArray[np.float64] = count / max(count.sum(), 1)
        down, across = (-1 if f else 1 for f in found.places.flips)
        grey = np.log(np.clip(sigma[::down, ::across], LEAST, MOST) / LEAST) / np.log(MOST / LEAST)
        step = max(1, sigma.shape[0] // (2 * MAP_HEIGHT))
        self._pixels = np.ascontiguousarray(255 * grey[::step, ::step], np.uint8)
        h, w = self._pixels.shape
        self.image = QImage(self._pixels.tobytes(), w, h, w, QImage.Format.Format_Grayscale8)

    def words(self, x: float) -> tuple[float, float]:
        """Sigma in percent of the light at a place 0..1 along the chart, and the percent of places up to it."""
        sigma = LEAST * (MOST / LEAST) ** x
        return 100 * sigma, 100 * float(np.searchsorted(self.sigma, sigma)) / len(self.sigma)

    def room(self, area: QRectF) -> QRectF:
        """What the map leaves of a chart's area."""
        return QRectF(area.left(), area.top(), area.width() - self.map_in(area).width() - 8, area.height())

    def map_in(self, area: QRectF) -> QRectF:
        """Where the map is drawn, at most half as wide as the area."""
        h, w = self._pixels.shape
        scale = min(area.height() / h, area.width() / 2 / w)
        return QRectF(area.right() - scale * w, area.top() + (area.height() - scale * h) / 2, scale * w, scale * h)

    def draw_map(self, painter: QPainter, area: QRectF) -> None:
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(self.map_in(area), self.image)
