"""Places: where the noise of a picture itself differs from what its brightness says."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dustpan.core.between import between
from dustpan.core.language import say
from dustpan.core.region import Region, flipped


@dataclass(frozen=True, eq=False)
class Places:
    """A factor on the print that is known on a grid.

    Attributes
    ----------
    grid : (rows, columns) factor in the middle of every cell of ``cell`` px, of the picture of (height, width) ``size``
        turned upside down and left to right as ``flips`` say.
    words, times : why it is believed, with a place for the figure ``times``.
    """

    grid: NDArray[np.float32]
    cell: int
    words: str
    times: float
    size: tuple[int, int]
    flips: tuple[bool, bool] = (False, False)

    def sentence(self) -> str:
        """In words, for people."""
        return say(self.words, self.times)

    @property
    def span(self) -> tuple[float, float]:
        """The least and the most."""
        return float(self.grid.min()), float(self.grid.max())

    def of(self, region: Region) -> NDArray[np.float32]:
        """(2, h, w) at every pixel of a region; luminance and colour are alike."""
        turned = region.flipped(self.size, self.flips)
        ends = (turned.y0, turned.y1), (turned.x0, turned.x1)
        y, x = ((np.arange(a, b) + 0.5) / self.cell - 0.5 for a, b in ends)
        found = between(self.grid, y, x)
        return flipped(np.stack([found, found]), self.flips)

    def of_cells(self, step: int) -> NDArray[np.float32]:
        """In the middle of every whole cell of ``step`` px of the turned picture."""
        y, x = ((np.arange(n // step) + 0.5) * step / self.cell - 0.5 for n in self.size)
        return between(self.grid, y, x)
