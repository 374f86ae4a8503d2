"""The luma along a line across an edge, before and after; and where such a line lies."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.colour import luma
from dustpan.core.judge.edges import REACH, find_edges
from dustpan.core.region import Region

SHORTEST = 3.0  # px of a line
LEAST = 8  # px: side of what an edge is looked for in
FAINTEST = 2 / 255  # slope per px
Point = tuple[float, float]  # (x, y), as lines are drawn
Line = tuple[Point, Point]
Reader = Callable[[Region], NDArray[np.float32]]


@dataclass(frozen=True, eq=False)
class Profile:
    """Distance from the middle of a line in px, and both lumas there; all (n,), and empty without a line."""

    at: NDArray[np.float64] = field(default_factory=lambda: np.zeros(0))
    before: NDArray[np.float64] = field(default_factory=lambda: np.zeros(0))
    after: NDArray[np.float64] = field(default_factory=lambda: np.zeros(0))


def profile_along(before: Reader, after: Reader, line: Line | None) -> Profile:
    """The profile along a line, averaged over 5 px across it.

    Parameters
    ----------
    before, after : give the luma (h, w) of a region within the picture.

    Examples
    --------
    >>> plane = np.where(np.arange(80) < 40, 0.2, 0.8)[None].repeat(60, 0).astype(np.float32)
    >>> found = profile_along(lambda r: plane[r.slices()], lambda r: plane[r.slices()], ((30, 30), (50, 30)))
    >>> float(found.at[0]), float(found.before[0].round(2)), float(found.before[-1].round(2))
    (-10.0, 0.2, 0.8)
    """
    if line is None:
        return Profile()
    (x0, y0), (x1, y1) = line
    length = float(np.hypot(x1 - x0, y1 - y0))
    if length < SHORTEST:
        return Profile()
    dx, dy = (x1 - x0) / length, (y1 - y0) / length
    t = np.linspace(0, length, int(2 * length) + 1)
    across = np.arange(-2, 3)[:, None]
    x, y = x0 - 0.5 + t * dx - across * dy, y0 - 0.5 + t * dy + across * dx
    region = Region(int(y.min()) - 1, int(x.min()) - 1, int(y.max()) + 3, int(x.max()) + 3)
    sides = []
    for read in (before, after):
        plane = read(region)
        if plane.size == 0:
            return Profile()
        at = [y - max(region.y0, 0), x - max(region.x0, 0)]
        sides.append(ndi.map_coordinates(plane, at, order=1, mode="nearest").mean(0))
    return Profile(t - length / 2, np.asarray(sides[0], float), np.asarray(sides[1], float))


def line_across_edge(pixels: NDArray[np.float32], part: Region) -> Line | None:
    """A line across the hardest edge of a part of a picture; None where there is none.

    Parameters
    ----------
    pixels : (h, w, C) encoded values of ``part``.
    """
    if min(part.height, part.width) < LEAST:
        return None
    plane = ndi.gaussian_filter(luma(pixels), 1.5)
    edges = sorted(find_edges(plane, 20), key=lambda e: -e.height)
    if edges:
        y, x, dy, dx = edges[0].y, edges[0].x, edges[0].dy, edges[0].dx
    else:
        gy, gx = np.gradient(plane)
        slope = np.hypot(gy, gx)
        k = np.unravel_index(int(np.argmax(slope)), slope.shape)
        steepest = float(slope[k])
        if steepest < FAINTEST:
            return None
        y, x, dy, dx = float(k[0]), float(k[1]), float(gy[k]) / steepest, float(gx[k]) / steepest
    y, x = part.y0 + y + 0.5, part.x0 + x + 0.5
    return (x - REACH * dx, y - REACH * dy), (x + REACH * dx, y + REACH * dy)
