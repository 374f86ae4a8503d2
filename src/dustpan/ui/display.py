"""What is drawn: 8-bit screen pixels of a whole picture with a pyramid of half sizes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QImage

from dustpan.core.colour_profile import to_screen
from dustpan.core.region import Region

SMALLEST = 512  # px: no further level once the longer side is below this


def packed(pixels: NDArray[np.float32], icc: bytes | None) -> NDArray[np.uint32]:
    """Encoded pixels to packed opaque RGB32 words (h, w), the layout that Qt paints fastest."""
    rgb = to_screen(pixels, icc)
    out = np.full(rgb.shape[:2], 0xFF000000, np.uint32)
    for c, shift in enumerate((16, 8, 0)):
        out |= rgb[..., c].astype(np.uint32) << np.uint32(shift)
    return out


def _halved(words: NDArray[np.uint32]) -> NDArray[np.uint32]:
    """Area average of 2 x 2; an odd last row or column stands for itself."""
    h, w = words.shape
    if h % 2 or w % 2:
        words = np.pad(words, ((0, h % 2), (0, w % 2)), mode="edge")
    out = np.full((words.shape[0] // 2, words.shape[1] // 2), 0xFF000000, np.uint32)
    for shift in (16, 8, 0):
        c = (words >> np.uint32(shift)) & np.uint32(255)
        mean = (c[::2, ::2] + c[1::2, ::2] + c[::2, 1::2] + c[1::2, 1::2] + np.uint32(2)) >> np.uint32(2)
        out |= mean << np.uint32(shift)
    return out


class Display:
    """The pyramid of one side of a picture. Written and painted on the GUI thread only.

    Parameters
    ----------
    size : (height, width) in px.
    """

    def __init__(self, size: tuple[int, int]) -> None:
        self.levels: list[NDArray[np.uint32]] = []
        h, w = size
        while True:
            self.levels.append(np.full((h, w), 0xFF202020, np.uint32))
            if max(h, w) <= SMALLEST or min(h, w) < 2:
                break
            h, w = -(-h // 2), -(-w // 2)
        self._wrap()

    def _wrap(self) -> None:
        self.images = [
            QImage(a.data, a.shape[1], a.shape[0], a.strides[0], QImage.Format.Format_RGB32)  # type: ignore[call-overload]
            for a in self.levels
        ]

    def copy(self) -> Display:
        other = Display.__new__(Display)
        other.levels = [a.copy() for a in self.levels]
        other._wrap()
        return other

    def fill(self, pixels: NDArray[np.float32], icc: bytes | None) -> None:
        """Show a whole picture, in bands that keep memory low."""
        h, w = pixels.shape[:2]
        for y in range(0, h, 512):
            region = Region(y, 0, min(h, y + 512), w)
            self.put(region, packed(pixels[region.slices()], icc))

    def put(self, region: Region, words: NDArray[np.uint32]) -> None:
        """Show new pixels on a region whose corner lies on even places of every level."""
        for number, level in enumerate(self.levels):
            level[region.slices()] = words
            if number + 1 < len(self.levels):
                words = _halved(words)
                y0, x0 = region.y0 // 2, region.x0 // 2
                region = Region(y0, x0, y0 + words.shape[0], x0 + words.shape[1])
