"""Which parts of what is on screen are exact pixels of what is wished."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from dustpan.core.region import Region

CELL = 16  # px


class Exact:
    """A map of cells over a picture of (height, width), for one wish at a time.

    Parameters
    ----------
    size : of the picture. side : of a cell, in px; what is shown has to begin at multiples of it.

    Examples
    --------
    >>> exact = Exact((100, 100))
    >>> exact.begin("a wish")
    >>> exact.mark(Region(0, 0, 48, 100))
    >>> exact.missing(Region(0, 0, 80, 80))
    Region(y0=48, x0=0, y1=80, x1=80)
    """

    def __init__(self, size: tuple[int, int], side: int = CELL) -> None:
        self.size, self.side = size, side
        self.what: Any = None
        self._cells = np.zeros((math.ceil(size[0] / side), math.ceil(size[1] / side)), bool)

    def begin(self, what: Any) -> None:
        """Start anew unless this is what is on screen already."""
        if what != self.what:
            self.what = what
            self._cells[:] = False

    def fill(self, what: Any) -> None:
        """All of the picture is exact."""
        self.what = what
        self._cells[:] = True

    def copy(self) -> Exact:
        other = Exact(self.size, self.side)
        other.what = self.what
        other._cells[:] = self._cells
        return other

    def mark(self, region: Region) -> None:
        """These pixels are exact; a cell counts once all of it is."""
        h, w = self.size
        r = region.within(self.size)
        y1 = math.ceil(r.y1 / self.side) if r.y1 == h else r.y1 // self.side
        x1 = math.ceil(r.x1 / self.side) if r.x1 == w else r.x1 // self.side
        self._cells[math.ceil(r.y0 / self.side) : y1, math.ceil(r.x0 / self.side) : x1] = True

    def forget(self, region: Region) -> None:
        """Something else was painted over these pixels."""
        r = region.within(self.size)
        rows = slice(r.y0 // self.side, math.ceil(r.y1 / self.side))
        self._cells[rows, r.x0 // self.side : math.ceil(r.x1 / self.side)] = False

    def missing(self, region: Region) -> Region | None:
        """The smallest region of whole cells around all that is not exact yet; None when all is."""
        r = region.within(self.size)
        if r.height <= 0 or r.width <= 0:
            return None
        y0, x0 = r.y0 // self.side, r.x0 // self.side
        part = ~self._cells[y0 : math.ceil(r.y1 / self.side), x0 : math.ceil(r.x1 / self.side)]
        if not part.any():
            return None
        ys, xs = np.flatnonzero(part.any(1)), np.flatnonzero(part.any(0))
        found = Region(y0 + ys[0], x0 + xs[0], y0 + ys[-1] + 1, x0 + xs[-1] + 1)
        return Region(*(int(v) * self.side for v in found)).within(self.size)

    @property
    def complete(self) -> bool:
        return bool(self._cells.all())
