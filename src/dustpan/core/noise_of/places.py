"""Places: where the noise of a picture itself differs from what its brightness says."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dustpan.core.between import between
from dustpan.core.language import say
from dustpan.core.region import Region, flipped


@dataclass(frozen=True, eq=False)
class Grid:
    """A figure that is known all over a picture, on a grid.

    Attributes
    ----------
    grid : (rows, columns) figure in the middle of every cell of ``cell`` px, of the picture of (height, width) ``size``
        turned upside down and left to right as ``flips`` say.
    """

    grid: NDArray[np.float32]
    cell: int
    size: tuple[int, int]
    flips: tuple[bool, bool] = (False, False)

    @property
    def span(self) -> tuple[float, float]:
        """The least and the most."""
        return float(self.grid.min()), float(self.grid.max())

    def at(self, region: Region) -> NDArray[np.float32]:
        """(h, w) at every pixel of a region."""
        turned = region.flipped(self.size, self.flips)
        ends = (turned.y0, turned.y1), (turned.x0, turned.x1)
        y, x = ((np.arange(a, b) + 0.5) / self.cell - 0.5 for a, b in ends)
        return np.ascontiguousarray(flipped(between(self.grid, y, x)[None], self.flips)[0])

    def on(self, region: Region, size: tuple[int, int]) -> NDArray[np.float32]:
        """As `at`, of a region of the picture reduced to another (height, width)."""
        if size == self.size:
            return self.at(region)
        ends = (region.y0, region.y1, self.size[0] / size[0]), (region.x0, region.x1, self.size[1] / size[1])
        y, x = ((np.arange(a, b) + 0.5) * step for a, b, step in ends)
        whole = flipped(self.grid[None], self.flips)[0]
        moved = (n % self.cell if f else 0 for n, f in zip(self.size, self.flips, strict=True))
        y, x = ((at + (-m % self.cell)) / self.cell - 0.5 for at, m in zip((y, x), moved, strict=True))
        return between(np.ascontiguousarray(whole), y, x)

    def of_cells(self, step: int) -> NDArray[np.float32]:
        """In the middle of every whole cell of ``step`` px of the turned picture."""
        y, x = ((np.arange(n // step) + 0.5) * step / self.cell - 0.5 for n in self.size)
        return between(self.grid, y, x)


@dataclass(frozen=True, eq=False)
class Places(Grid):
    """A factor on the print that is known on a grid.

    Attributes
    ----------
    words, times : why it is believed, with a place for the figure ``times``.
    """

    words: str = ""
    times: float = 1.0

    def sentence(self) -> str:
        """In words, for people."""
        return say(self.words, self.times)

    def of(self, region: Region) -> NDArray[np.float32]:
        """(2, h, w) at every pixel of a region; luminance and colour are alike."""
        found = self.at(region)
        return np.stack([found, found])
