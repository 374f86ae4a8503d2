"""The luma along a line of the picture, before and after."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF
from scipy import ndimage as ndi

from dustpan.core.region import Region

Line = tuple[QPointF, QPointF]
Reader = Callable[[Region], NDArray[np.float32]]


def edge_profiles(
    before: Reader, after: Reader, line: Line | None
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Distance from the middle of the line in px, and both lumas there, averaged over 5 px across it.

    ``before`` and ``after`` give the luma (h, w) of a region within the picture.
    """
    nothing = np.zeros(0)
    if line is None:
        return nothing, nothing, nothing
    (x0, y0), (x1, y1) = ((p.x(), p.y()) for p in line)
    length = float(np.hypot(x1 - x0, y1 - y0))
    if length < 3:
        return nothing, nothing, nothing
    dx, dy = (x1 - x0) / length, (y1 - y0) / length
    t = np.linspace(0, length, int(2 * length) + 1)
    across = np.arange(-2, 3)[:, None]
    x, y = x0 - 0.5 + t * dx - across * dy, y0 - 0.5 + t * dy + across * dx
    region = Region(int(y.min()) - 1, int(x.min()) - 1, int(y.max()) + 3, int(x.max()) + 3)
    sides = []
    for read in (before, after):
        plane, have = read(region), region
        if plane.size == 0:
            return nothing, nothing, nothing
        at = [y - max(have.y0, 0), x - max(have.x0, 0)]
        sides.append(ndi.map_coordinates(plane, at, order=1, mode="nearest").mean(0))
    return t - length / 2, np.asarray(sides[0], float), np.asarray(sides[1], float)
