"""Demosaicing: three colours in every place from a mosaic that has one.

`linear` takes weighted means of the nearest samples of each colour, for any pattern. It decides nothing, so noise goes
through it as through any filter and stays what it was known to be. `by_edges` interpolates along edges; where noise is
stronger than they are it would draw mazes.

References
----------
[1] D. Menon, S. Andriani, G. Calvagno, "Demosaicing with directional filtering and a posteriori decision", IEEE TIP
    16(1), 2007.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numba import njit
from numpy.typing import NDArray

from dustpan.core.region import Region

Pattern = tuple[tuple[int, ...], ...]
GREEN = 1
LINEAR_REACH = {2: 1}  # px, by the period of the pattern; of others it is WIDE_REACH
WIDE_REACH = 2
EDGE_REACH = 8  # px that `by_edges` reads beyond what it gives
# where a colour difference is compared with the one two places on, and how much that counts there [1]
DECISION = ((-2, 0, 1), (-2, 2, 1), (-1, 1, 1), (0, 0, 3), (0, 2, 3), (1, 1, 1), (2, 0, 1), (2, 2, 1))


def linear_reach(pattern: Pattern) -> int:
    """How far `linear` reads, in px."""
    return LINEAR_REACH.get(max(len(pattern), len(pattern[0])), WIDE_REACH)


@lru_cache(maxsize=32)
def _neighbours(pattern: Pattern) -> tuple[NDArray[np.int64], NDArray[np.float32], NDArray[np.int64]]:
    """For each site of the pattern and colour: how many samples count, their weights, and where they lie."""
    p, reach = np.asarray(pattern), linear_reach(pattern)
    rows, columns = p.shape
    most = (2 * reach + 1) ** 2
    count = np.zeros((rows, columns, 3), np.int64)
    weight = np.zeros((rows, columns, 3, most), np.float32)
    at = np.zeros((rows, columns, 3, most, 2), np.int64)
    for y in range(rows):
        for x in range(columns):
            own = int(p[y, x])
            for dy in range(-reach, reach + 1):
                for dx in range(-reach, reach + 1):
                    c = int(p[(y + dy) % rows, (x + dx) % columns])
                    if c == own and (dy, dx) != (0, 0):
                        continue
                    n = count[y, x, c]
                    weight[y, x, c, n] = (reach + 1 - abs(dy)) * (reach + 1 - abs(dx))
                    at[y, x, c, n] = dy, dx
                    count[y, x, c] += 1
    return count, weight, at


def linear(mosaic: NDArray[np.float32], have: Region, want: Region, pattern: Pattern) -> NDArray[np.float32]:
    """Three colours by linear interpolation.

    Parameters
    ----------
    mosaic : (h, w) light that covers ``have``: ``want`` grown by `linear_reach`, as far as there is a picture.
    pattern : of the whole picture, beginning at its first sample.

    Returns
    -------
    (h, w, 3) light of ``want``; samples that were there are kept as they are.
    """
    out = np.empty((want.height, want.width, 3), np.float32)
    _linear(mosaic, *_neighbours(pattern), (have.y0, have.x0), (want.y0, want.x0), out)
    return out


@njit(nogil=True, cache=True, error_model="numpy")
def _linear(mosaic, count, weight, at, have, want, out):
    h, w, _ = out.shape
    rows, columns, _ = count.shape
    height, width = mosaic.shape
    for y in range(h):
        my = y + want[0] - have[0]
        py = (y + want[0]) % rows
        for x in range(w):
            mx = x + want[1] - have[1]
            px = (x + want[1]) % columns
            for c in range(3):
                total = weights = np.float32(0)
                for n in range(count[py, px, c]):
                    i, j = my + at[py, px, c, n, 0], mx + at[py, px, c, n, 1]
                    if 0 <= i < height and 0 <= j < width:
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
    across, down = np.empty((h, w), np.float32), np.empty((h, w), np.float32)
    along = np.empty((h, w), np.bool_)
    out = np.empty((h, w, 3), np.float32)
    offsets = np.array(DECISION)
    _both_greens(mosaic, colours, across, down)
    _decide(mosaic, colours, across, down, offsets, along)
    _colours(mosaic, colours, across, down, along, out)
    e = EDGE_REACH
    return np.ascontiguousarray(out[e : h - e, e : w - e])


@njit(nogil=True, cache=True, error_model="numpy")
def _both_greens(mosaic, colours, across, down):
    """Green along rows and along columns, at 2 px and more from the sides."""
    h, w = mosaic.shape
    across[:], down[:] = mosaic, mosaic
    half, quarter = np.float32(0.5), np.float32(0.25)
    for y in range(2, h - 2):
        for x in range(2, w - 2):
            if colours[y % 2, x % 2] != GREEN:
                own = 2 * mosaic[y, x]
                bend = own - mosaic[y, x - 2] - mosaic[y, x + 2]
                across[y, x] = half * (mosaic[y, x - 1] + mosaic[y, x + 1]) + quarter * bend
                bend = own - mosaic[y - 2, x] - mosaic[y + 2, x]
                down[y, x] = half * (mosaic[y - 1, x] + mosaic[y + 1, x]) + quarter * bend


@njit(nogil=True, cache=True, error_model="numpy")
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


@njit(nogil=True, cache=True, error_model="numpy")
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
