"""What is drawn: 8-bit screen pixels of a whole picture with a pyramid of half sizes."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.picture import Picture
from dustpan.core.region import Region
from dustpan.core.screen import halved, packed

SMALLEST = 512  # px: no further level once the longer side is below this
UNKNOWN = 0xFF202020  # of what was never filled
ROWS = 512  # filled at a time, to keep memory low


class Pyramid:
    """The pyramid of one side of a picture. Written and painted on the GUI thread only, once it is filled.

    Parameters
    ----------
    size : (height, width) in px.
    """

    def __init__(self, size: tuple[int, int]) -> None:
        self.levels: list[NDArray[np.uint32]] = []
        h, w = size
        while True:
            self.levels.append(np.full((h, w), UNKNOWN, np.uint32))
            if max(h, w) <= SMALLEST or min(h, w) < 2:
                break
            h, w = -(-h // 2), -(-w // 2)

    @property
    def step(self) -> int:
        """Regions that are shown begin at multiples of this, so that they fit every level."""
        return 1 << (len(self.levels) - 1)

    def copy(self) -> Pyramid:
        other = Pyramid.__new__(Pyramid)
        other.levels = [a.copy() for a in self.levels]
        return other

    def fill(self, picture: Picture) -> None:
        """Show a whole picture."""
        h, w = picture.size
        for y in range(0, h, ROWS):
            region = Region(y, 0, min(h, y + ROWS), w)
            self.put(region, packed(picture.for_screen(picture.pixels[region.slices()]), picture.metadata.icc))

    def put(self, region: Region, words: NDArray[np.uint32]) -> None:
        """Show new pixels on a region whose corner lies on multiples of `step`."""
        for number, level in enumerate(self.levels):
            level[region.slices()] = words
            if number + 1 < len(self.levels):
                words = halved(words)
                y0, x0 = region.y0 // 2, region.x0 // 2
                region = Region(y0, x0, y0 + words.shape[0], x0 + words.shape[1])

    def put_reduced(self, level: int, region: Region, words: NDArray[np.uint32], finest: int) -> None:
        """Show pixels of a reduced level, on it, on coarser ones, and enlarged on finer ones down to ``finest``."""
        for finer in range(level - 1, finest - 1, -1):
            factor = 2 ** (level - finer)
            area = Region(*(v * factor for v in region)).within(self.levels[finer].shape)
            size = (region.width * factor, region.height * factor)
            large = cv2.resize(words.view(np.uint8).reshape(*words.shape, 4), size, interpolation=cv2.INTER_LINEAR)
            self.levels[finer][area.slices()] = large.view(np.uint32)[: area.height, : area.width, 0]
        for coarser in self.levels[level:]:
            area = region.within(coarser.shape)
            coarser[area.slices()] = words[: area.height, : area.width]
            words = halved(words)
            region = Region(
                region.y0 // 2, region.x0 // 2, region.y0 // 2 + words.shape[0], region.x0 // 2 + words.shape[1]
            )
