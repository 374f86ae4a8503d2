"""Demosaicing: three colours in every place from a mosaic that has one.

`linear` takes weighted means of the nearest samples of each colour, for any pattern. It decides nothing, so noise goes
through it as through any filter and stays what it was known to be. `by_edges` interpolates along edges; where noise is
stronger than they are it would draw mazes.

References
----------
[1] D. Menon, S. Andriani, G. Calvagno, "Demosaicing with directional filtering and a posteriori decision", IEEE TIP
    16(1), 2007.
[2] H. Malvar, L. He, R. Cutler, "High-quality linear interpolation for demosaicing of Bayer-patterned color images",
    ICASSP 2004.
"""

from __future__ import annotations

from functools import lru_cache
from itertools import product
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import PLANE, PLANES, b1, f4, i8, kernel, seen, types
from dustpan.core.region import Region

Pattern = tuple[tuple[int, ...], ...]
GREEN = 1
LINEAR_REACH = 2  # px that `linear` reads beyond what it gives
MEAN_REACH, WIDE_REACH = {2: 1}, 2  # px of the means, by the period of the pattern, and of others
EDGE_REACH = 8  # px that `by_edges` reads beyond what it gives
# where a colour difference is compared with the one two places on, and how much that counts there [1]
DECISION = ((-2, 0, 1), (-2, 2, 1), (-1, 1, 1), (0, 0, 3), (0, 2, 3), (1, 1, 1), (2, 0, 1), (2, 2, 1))


class Neighbours(NamedTuple):
    """For each site of a pattern and each colour: how many samples count, their weights, and where they lie."""

    samples: NDArray[np.int64]
    weight: NDArray[np.float32]
    at: NDArray[np.int64]


def _listed(found: dict[tuple[int, int, int], list[tuple[int, int, float]]], rows: int, columns: int) -> Neighbours:
    most = max(len(f) for f in found.values())
    count, weight = np.zeros((rows, columns, 3), np.int64), np.zeros((rows, columns, 3, most), np.float32)
    at = np.zeros((rows, columns, 3, most, 2), np.int64)
    for place, samples in found.items():
        count[place] = len(samples)
        for n, (dy, dx, w) in enumerate(samples):
            weight[*place, n], at[*place, n] = w, (dy, dx)
    return Neighbours(count, weight, at)


@lru_cache(maxsize=32)
def _means(pattern: Pattern) -> Neighbours:
    """The nearest samples of each colour, the nearer the more."""
    p, reach = np.asarray(pattern), MEAN_REACH.get(max(len(pattern), len(pattern[0])), WIDE_REACH)
    (rows, columns), around, found = p.shape, range(-reach, reach + 1), {}
    for y, x, c in product(range(rows), range(columns), range(3)):
        if c == p[y, x]:
            found[y, x, c] = [(0, 0, 1.0)]
            continue
        same = [(dy, dx) for dy, dx in product(around, around) if p[(y + dy) % rows, (x + dx) % columns] == c]
        found[y, x, c] = [(dy, dx, (reach + 1.0 - abs(dy)) * (reach + 1 - abs(dx))) for dy, dx in same]
    return _listed(found, rows, columns)


@lru_cache(maxsize=8)
def _corrected(pattern: Pattern) -> Neighbours:
    """Means corrected by how the colour that is there bends [2]; for patterns of 2 x 2."""
    cross = [(0, 1), (0, -1), (1, 0), (-1, 0)]
    far = [(2 * dy, 2 * dx) for dy, dx in cross]
    corners = [(1, 1), (1, -1), (-1, 1), (-1, -1)]
    found: dict[tuple[int, int, int], list[tuple[int, int, float]]] = {}
    for y, x, c in product(range(2), range(2), range(3)):
        own = pattern[y][x]
        if c == own:
            found[y, x, c] = [(0, 0, 1.0)]
        elif c == GREEN:
            found[y, x, c] = [(0, 0, 4.0), *((*d, 2.0) for d in cross), *((*d, -1.0) for d in far)]
        elif own == GREEN:
            along = cross[:2] if pattern[y][1 - x] == c else cross[2:]
            beside = [(2 * dy, 2 * dx, -1.0 if (dy, dx) in along else 0.5) for dy, dx in cross]
            found[y, x, c] = [(0, 0, 5.0), *((*d, 4.0) for d in along), *beside, *((*d, -1.0) for d in corners)]
        else:
            found[y, x, c] = [(0, 0, 6.0), *((*d, 2.0) for d in corners), *((*d, -1.5) for d in far)]
    return _listed(found, 2, 2)


def linear(
    mosaic: NDArray[np.float32], have: Region, want: Region, pattern: Pattern, smooth: bool = False
) -> NDArray[np.float32]:
    """Three colours by linear interpolation: of 2 x 2 patterns corrected by the bends [2], unless ``smooth``.

    Parameters
    ----------
    mosaic : (h, w) balanced light that covers ``have``: ``want`` grown by `LINEAR_REACH`, as far as there is a picture.
    pattern : of the whole picture, beginning at its first sample.

    Returns
    -------
    (h, w, 3) light of ``want``; samples that were there are kept as they are.
    """
    out = np.empty((want.height, want.width, 3), np.float32)
    two = (len(pattern), len(pattern[0])) == (2, 2)
    found = _means(pattern) if smooth or not two else _corrected(pattern)
    _linear(mosaic, *found, two and min(mosaic.shape) > 2, (have.y0, have.x0), (want.y0, want.x0), out)
    return out


@kernel(
    seen(PLANE),
    i8[:, :, ::1],
    f4[:, :, :, ::1],
    i8[:, :, :, :, ::1],
    b1,
    types.UniTuple(i8, 2),
    types.UniTuple(i8, 2),
    PLANES,
)
def _linear(mosaic, count, weight, at, mirrored, have, want, out):
    h, w, _ = out.shape
    rows, columns, _ = count.shape
    height, width = mosaic.shape
    for y in range(h):
        my = y + want[0] - have[0]
        py = (y + want[0]) % rows
        for x in range(w):
            mx = x + want[1] - have[1]
            px = (x + want[1]) % columns
            inside = 2 <= my < height - 2 and 2 <= mx < width - 2
            for c in range(3):
                total = weights = np.float32(0)
                for n in range(count[py, px, c]):
                    i, j = my + at[py, px, c, n, 0], mx + at[py, px, c, n, 1]
                    if mirrored and not inside:  # about the last sample, so that colours stay in their places
                        i, j = height - 1 - abs(height - 1 - abs(i)), width - 1 - abs(width - 1 - abs(j))
                    if inside or (0 <= i < height and 0 <= j < width):
                        total += weight[py, px, c, n] * mosaic[i, j]
                        weights += weight[py, px, c, n]
                out[y, x, c] = total / weights if weights > 0 else mosaic[my, mx]


def by_edges(mosaic: NDArray[np.float32], have: Region, want: Region, pattern: Pattern) -> NDArray[np.float32]:
    """Three colours of a 2 x 2 mosaic, interpolated along edges [1]; other patterns by differences to green.

    ``mosaic`` : as for `linear`, covering ``want`` grown by `EDGE_REACH`; best with colours in balance.
    """
    if (len(pattern), len(pattern[0])) != (2, 2):
        return _by_differences(mosaic, have, want, pattern)
    grown = want.grown(EDGE_REACH)
    beyond = (have.y0 - grown.y0, grown.y1 - have.y1), (have.x0 - grown.x0, grown.x1 - have.x1)
    if max(*beyond[0], *beyond[1]) > 0:  # about the last sample, so that colours stay in their places
        mode = "reflect" if min(mosaic.shape) > 1 else "edge"
        mosaic = np.pad(mosaic, [tuple(max(b, 0) for b in side) for side in beyond], mode=mode)  # type: ignore[call-overload]
    colours = np.asarray(pattern)
    colours = np.roll(colours, (-(grown.y0 % 2), -(grown.x0 % 2)), (0, 1))
    h, w = mosaic.shape
    across, down = mosaic.copy(), mosaic.copy()
    along = np.empty((h, w), np.bool_)
    out = np.empty((h, w, 3), np.float32)
    offsets = np.array(DECISION)
    _both_greens(mosaic, colours, across, down)
    _decide(mosaic, colours, across, down, offsets, along)
    _colours(mosaic, colours, across, down, along, out)
    e = EDGE_REACH
    return np.ascontiguousarray(out[e : h - e, e : w - e])


@kernel(PLANE, i8[:, ::1], PLANE, PLANE)
def _both_greens(mosaic, colours, across, down):
    """Green along rows and along columns, at 2 px and more from the sides; there, what is in them already stays."""
    h, w = mosaic.shape
    half, quarter = np.float32(0.5), np.float32(0.25)
    for y in range(2, h - 2):
        for x in range(2, w - 2):
            if colours[y % 2, x % 2] != GREEN:
                own = 2 * mosaic[y, x]
                bend = own - mosaic[y, x - 2] - mosaic[y, x + 2]
                across[y, x] = half * (mosaic[y, x - 1] + mosaic[y, x + 1]) + quarter * bend
                bend = own - mosaic[y - 2, x] - mosaic[y + 2, x]
                down[y, x] = half * (mosaic[y - 1, x] + mosaic[y + 1, x]) + quarter * bend


@kernel(PLANE, i8[:, ::1], PLANE, PLANE, i8[:, ::1], b1[:, ::1])
def _decide(mosaic, colours, across, down, offsets, along):
    """Whether colour differences change less along the row than along the column; at 6 px and more from the sides."""
    h, w = mosaic.shape
    along[:] = True
    for y in range(4, h - 6):
        for x in range(4, w - 6):
            if colours[y % 2, x % 2] == GREEN:
                continue
            first = second = np.float32(0)
            for k in range(len(offsets)):
                a, b, weight = offsets[k]
                i, j = y + a, x + b
                if colours[i % 2, j % 2] != GREEN:
                    d = (mosaic[i, j] - across[i, j]) - (mosaic[i, j - 2] - across[i, j - 2])
                    first += weight * abs(d)
                i, j = y + b, x + a
                if colours[i % 2, j % 2] != GREEN:
                    d = (mosaic[i, j] - down[i, j]) - (mosaic[i - 2, j] - down[i - 2, j])
                    second += weight * abs(d)
            along[y, x] = second >= first


@kernel(PLANE, i8[:, ::1], PLANE, PLANE, b1[:, ::1], PLANES)
def _colours(mosaic, colours, across, down, along, out):
    """Green as decided, then red and blue by their differences to it; at `EDGE_REACH` px and more from the sides."""
    h, w = mosaic.shape
    half = np.float32(0.5)
    for y in range(h):
        for x in range(w):
            out[y, x, GREEN] = across[y, x] if along[y, x] else down[y, x]
    for y in range(1, h - 1):  # at green: one colour lies left and right, the other above and below
        for x in range(1, w - 1):
            c = colours[y % 2, x % 2]
            if c == GREEN:
                g = out[y, x, GREEN]
                one, other = colours[y % 2, (x + 1) % 2], colours[(y + 1) % 2, x % 2]
                left, right = mosaic[y, x - 1] - out[y, x - 1, GREEN], mosaic[y, x + 1] - out[y, x + 1, GREEN]
                out[y, x, one] = g + half * (left + right)
                over, under = mosaic[y - 1, x] - out[y - 1, x, GREEN], mosaic[y + 1, x] - out[y + 1, x, GREEN]
                out[y, x, other] = g + half * (over + under)
            else:
                out[y, x, c] = mosaic[y, x]
    for y in range(2, h - 2):  # at red the blue, at blue the red: from the greens beside, along the edge
        for x in range(2, w - 2):
            c = colours[y % 2, x % 2]
            if c != GREEN:
                o = 2 - c
                if along[y, x]:
                    d = out[y, x - 1, o] - out[y, x - 1, c] + out[y, x + 1, o] - out[y, x + 1, c]
                else:
                    d = out[y - 1, x, o] - out[y - 1, x, c] + out[y + 1, x, o] - out[y + 1, x, c]
                out[y, x, o] = mosaic[y, x] + half * d


def _by_differences(mosaic: NDArray[np.float32], have: Region, want: Region, pattern: Pattern) -> NDArray[np.float32]:
    """Green by linear interpolation, and the others by interpolating their differences to it."""
    around = want.grown(WIDE_REACH)
    around = Region(
        max(around.y0, have.y0), max(around.x0, have.x0), min(around.y1, have.y1), min(around.x1, have.x1)
    )  # fmt: skip
    green = linear(mosaic, have, around, pattern)[..., GREEN]
    inner = around.slices(have)
    apart = linear(mosaic[inner] - green, around, want, pattern)
    out = apart + green[want.slices(around)][..., None]
    out[..., GREEN] = green[want.slices(around)]
    return np.ascontiguousarray(out)
