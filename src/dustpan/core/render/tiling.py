"""How a picture is cut: tiles on a lattice fixed in picture coordinates, bands for threads, and runs of tiles."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise

from dustpan.core.region import Region

TILE = 128  # px
Place = tuple[int, int]


def tile_region(place: Place, size: tuple[int, int]) -> Region:
    return Region(place[0] * TILE, place[1] * TILE, (place[0] + 1) * TILE, (place[1] + 1) * TILE).within(size)


def bounds(parts: Iterable[Region]) -> Region:
    """The smallest region around these."""
    y0, x0, y1, x1 = zip(*parts, strict=True)
    return Region(min(y0), min(x0), max(y1), max(x1))


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
    ys, xs = [y for y, _ in wanted], [x for _, x in wanted]
    tall, wide = ys[-1] + 1 - ys[0], max(xs) + 1 - min(xs)
    around = bounds(tile_region(p, size) for p in wanted)
    if len(wanted) == 1 or (len(wanted) == tall * wide and around.area <= largest):
        return [wanted]
    down = (tall > 1 and around.height >= around.width) or wide == 1
    axis, first, last = (0, ys[0], ys[-1] + 1) if down else (1, min(xs), max(xs) + 1)
    middle = (around.y0 + around.height / 2) if down else (around.x0 + around.width / 2)
    cut = min(max(round(middle / TILE), first + 1), last - 1)
    halves = [p for p in wanted if p[axis] < cut], [p for p in wanted if p[axis] >= cut]
    return [group for half in halves for group in run_groups(half, size, largest)]
