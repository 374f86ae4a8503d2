"""Places: where the noise of a picture itself differs from what its brightness says."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dustpan.core.between import between
from dustpan.core.region import Region


@dataclass(frozen=True, eq=False)
class Places:
    """A factor on the print that is known on a grid.

    Attributes
    ----------
    grid : (rows, columns) factor in the middle of every cell of ``cell`` px. words : why it is believed.
    """

    grid: NDArray[np.float32]
    cell: int
    words: str = ""

    @property
    def span(self) -> tuple[float, float]:
        """The least and the most."""
        return float(self.grid.min()), float(self.grid.max())

    def of(self, region: Region) -> NDArray[np.float32]:
        """(2, h, w) at every pixel of a region; luminance and colour are alike."""
        y, x = (np.arange(a, b) / self.cell - 0.5 for a, b in ((region.y0, region.y1), (region.x0, region.x1)))
        found = between(self.grid, y, x)
        return np.stack([found, found])
