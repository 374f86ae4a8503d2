"""Edge width: how many px the strongest isolated edges take to rise."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.sharpen.halo_guard import largest

EDGES = 50
REACH = 12  # px on each side of an edge that its profile covers
Check = Callable[[], None]


@dataclass(frozen=True)
class Edge:
    """An isolated edge: its place, the unit normal (dy, dx) pointing to the bright side, its height."""

    y: float
    x: float
    dy: float
    dx: float
    height: float


def find_edges(cleaned: NDArray, count: int = EDGES, check: Check = lambda: None) -> list[Edge]:
    """The strongest isolated straight edges of a (H, W) luma plane: steps between two quiet sides.

    Examples
    --------
    >>> plane = np.where(np.arange(80) < 40, 0.2, 0.8)[None].repeat(60, 0)
    >>> edge = find_edges(plane, 1)[0]
    >>> round(edge.height, 2), abs(edge.x - 39.5) < 2
    (0.6, True)
    """
    h, w = cleaned.shape
    margin = REACH + 6
    if min(h, w) < 2 * margin + 4:
        return []
    smooth: NDArray = np.asarray(cleaned, np.float64)
    for axis in (0, 1):
        check()
        smooth = ndi.gaussian_filter1d(smooth, 1.0, axis)
    check()
    gy, gx = np.gradient(smooth)
    check()
    slope = np.hypot(gy, gx)
    check()
    peak = (slope == largest(slope, 7)) & (slope > 0.01)
    peak[:margin] = peak[-margin:] = False
    peak[:, :margin] = peak[:, -margin:] = False
    ys, xs = np.nonzero(peak)
    order = np.argsort(-slope[ys, xs], kind="stable")[:4000]
    found: list[Edge] = []
    for y, x in zip(ys[order], xs[order], strict=True):
        check()
        if any((y - e.y) ** 2 + (x - e.x) ** 2 < 16**2 for e in found):
            continue
        edge = Edge(float(y), float(x), gy[y, x] / slope[y, x], gx[y, x] / slope[y, x], 0.0)
        profile = edge_profile(smooth, edge)
        dark, bright = profile[: 2 * REACH - 6], profile[2 * REACH + 7 :]
        height = float(np.median(bright) - np.median(dark))
        if height > 0.06 and np.ptp(dark) < 0.25 * height and np.ptp(bright) < 0.25 * height:
            found.append(Edge(edge.y, edge.x, edge.dy, edge.dx, height))
            if len(found) == count:
                break
    return found


def edge_profile(plane: NDArray, edge: Edge) -> NDArray[np.float64]:
    """Values across an edge every half px from -REACH to REACH, averaged over 9 px along it."""
    t = np.arange(-2 * REACH, 2 * REACH + 1) / 2
    s = np.arange(-4, 5)[:, None]
    y = edge.y + t * edge.dy + s * edge.dx
    x = edge.x + t * edge.dx - s * edge.dy
    lines = ndi.map_coordinates(plane, [y, x], order=1, mode="nearest")
    return lines.mean(0)


def edge_width(plane: NDArray, edges: list[Edge]) -> float | None:
    """Median 10 to 90 % rise of these edges, in px."""
    if len(edges) < 5:
        return None
    widths = [w for w in (rise(edge_profile(plane, e)) for e in edges) if w is not None]
    return float(np.median(widths)) if len(widths) >= 5 else None


def rise(profile: NDArray) -> float | None:
    """10 to 90 % rise in px of a profile of `edge_profile`; None when it hardly rises."""
    low = float(np.median(profile[: 2 * REACH - 6]))
    high = float(np.median(profile[2 * REACH + 7 :]))
    if high - low < 0.02:
        return None
    v = (profile - low) / (high - low)
    middle = int(np.argmin(np.abs(v - 0.5)[REACH : 3 * REACH + 1])) + REACH
    return _crossing(v, middle, 0.9, 1) + _crossing(v, middle, 0.1, -1)


def _crossing(v: NDArray, start: int, level: float, way: int) -> float:
    """Distance in px from ``start`` to where the profile crosses the level, walking up or down."""
    i = start
    while 0 < i < len(v) - 1 and (v[i] < level if way > 0 else v[i] > level):
        i += way
    if i == start:
        return 0.0
    a, b = v[i - way], v[i]
    part = (level - a) / (b - a) if b != a else 0.0
    return (abs(i - way - start) + float(np.clip(part, 0, 1))) / 2
