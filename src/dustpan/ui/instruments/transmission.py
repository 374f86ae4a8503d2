"""The instrument of Haze: how much light comes through the air, as a histogram and a small map, with the strength."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import QWidget

from dustpan.core.params import Number
from dustpan.ui.instruments.chart import Chart, Charted, Handle
from dustpan.ui.look.theme import colours

GAP = 8.0  # px between histogram and map


class TransmissionInstrument(Chart):
    """The share of the picture over its transmission, and what of it is held; the handle sets the strength."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Transmission of the air"), parent)
        self.params: object = None
        self.at: NDArray = np.zeros(0)
        self.share: NDArray = np.zeros(0)
        self.map: NDArray | None = None
        self.image = QImage()

    def show_state(self, charted: Charted) -> None:
        self.params = charted.params
        self.at, self.share = charted.hits.curve or (np.zeros(0), np.zeros(0))
        if charted.hits.map is not self.map:
            self.map = charted.hits.map
            self.image = _image_of(self.map)
        self.update()

    @property
    def strength(self) -> float:
        """0 to 1."""
        return float(getattr(self.params, "strength", 0.0)) / 100

    @property
    def area(self) -> QRectF:
        """What the map leaves of it."""
        whole = super().area
        return QRectF(whole.left(), whole.top(), whole.width() - self._map_width(whole), whole.height())

    def _map_width(self, whole: QRectF) -> float:
        if self.image.isNull():
            return 0.0
        return min(whole.width() / 2, whole.height() * self.image.width() / self.image.height()) + GAP

    def handles(self) -> Sequence[Handle]:
        if self.params is None:
            return ()
        words = self.tr("{0:.0f} % of the veil is lifted").format(100 * self.strength)
        return [Handle("strength", QPointF(self.area.left(), self.to_y(1 - self.strength)), words)]

    def values_for(self, name: str, y: float) -> dict[str, float]:
        control = type(self.params).control(name)  # type: ignore[attr-defined]
        assert isinstance(control, Number)
        return {name: float(np.clip(100 * (1 - self.from_y(y)), control.low, control.high))}

    def hover_words(self, x: float) -> str:
        if not len(self.share):
            return ""
        below = 100 * float(self.share[self.at <= x].sum())
        return self.tr("{0:.0f} % of the picture lets less than {1:.0f} % of the light through").format(below, 100 * x)

    def as_text(self) -> str:
        head = self.tr("transmission") + "\t" + self.tr("share")
        return "\n".join([head, *(f"{t:.3f}\t{s:.5f}" for t, s in zip(self.at, self.share, strict=True))])

    def draw(self, painter: QPainter) -> None:
        c = colours()
        self.words(painter, "0 %", "100 %", self.tr("light let through"), "1")
        if len(self.share):
            self.curve(painter, self.at, self.share / max(float(self.share.max()), 1e-9), c.faint, 1.4)
            self.curve(painter, self.at, 1 - self.strength * (1 - self.at), c.accent, 1.8)
        if not self.image.isNull():
            room = super().area
            width = self._map_width(room) - GAP
            tall = width * self.image.height() / self.image.width()
            at = QRectF(room.right() - width, room.top() + (room.height() - tall) / 2, width, tall)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(at, self.image)


def _image_of(figure: NDArray | None) -> QImage:
    if figure is None or min(figure.shape) < 2:
        return QImage()
    grey = np.ascontiguousarray(np.clip(255 * figure, 0, 255), np.uint8)
    h, w = grey.shape
    return QImage(grey.tobytes(), w, h, w, QImage.Format.Format_Grayscale8).copy()
