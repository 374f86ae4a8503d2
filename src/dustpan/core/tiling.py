"""How a picture is cut: tiles on a lattice fixed in picture coordinates, bands for threads, and runs of tiles."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise

from dustpan.core.region import Region

TILE = 128  # px
Place = tuple[int, int]


def tile_region(place: Place, size: tuple[int, int]) -> Region:
    return Region(place[0] * TILE, place[1] * TILE, (place[0] + 1) * TILE, (place[1] + 1) * TILE).within(size)


def tiles_of(region: Region, size: tuple[int, int]) -> list[Place]:
    """The tiles that meet a region, in reading order."""
    r = region.within(size)
    if r.height <= 0 or r.width <= 0:
        return []
    ys = range(r.y0 // TILE, -(-r.y1 // TILE))
    xs = range(r.x0 // TILE, -(-r.x1 // TILE))
    return [(y, x) for y in ys for x in xs]


def bands(region: Region, count: int) -> list[Region]:
    """A region cut into at most ``count`` parts along its longer side."""
    tall = region.height >= region.width
    length = region.height if tall else region.width
    count = max(1, min(count, length // 16))
    cuts = [length * k // count for k in range(count + 1)]
    if tall:
        return [Region(region.y0 + a, region.x0, region.y0 + b, region.x1) for a, b in pairwise(cuts)]
    return [Region(region.y0, region.x0 + a, region.y1, region.x0 + b) for a, b in pairwise(cuts)]


def run_groups(places: Iterable[Place], size: tuple[int, int], largest: int) -> list[list[Place]]:
    """Tiles in full rectangles of at most ``largest`` px, in reading order; a rectangle with holes is split.

    Parameters
    ----------
    places : tiles, in any order. size : the picture's (height, width).
    """
    wanted = sorted(set(places))
    if not wanted:
        return []
    y0, y1 = wanted[0][0], wanted[-1][0] + 1
    x0, x1 = min(x for _, x in wanted), max(x for _, x in wanted) + 1
    parts = [tile_region(p, size) for p in ((y0, x0), (y1 - 1, x1 - 1))]
    height, width = parts[1].y1 - parts[0].y0, parts[1].x1 - parts[0].x0
    full = len(wanted) == (y1 - y0) * (x1 - x0)
    if len(wanted) == 1 or (full and height * width <= largest):
        return [wanted]
    axis, middle = (0, parts[0].y0 + height / 2) if (y1 - y0 > 1 and height >= width) or x1 - x0 == 1 else (
        1, parts[0].x0 + width / 2)  # fmt: skip
    first, last = (y0, y1) if axis == 0 else (x0, x1)
    cut = min(max(round(middle / TILE), first + 1), last - 1)
    halves = [p for p in wanted if p[axis] < cut], [p for p in wanted if p[axis] >= cut]
    return [group for half in halves for group in run_groups(half, size, largest)]
