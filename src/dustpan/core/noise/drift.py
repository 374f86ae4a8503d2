"""Take the drift out of clipped shadows.

Where noise is clipped its distribution is skewed, and patches that were clipped more look more alike: averages over
such patches drift below the true mean there, a little darker and in another colour. What averages over a window of
fixed shape have lost against the noisy picture is given back in part, where values are clipped, pooled over such
places. Pools are wide, so they are reckoned on cells of 4 x 4 px and drawn out again between their middles.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import PLANE, PLANES, ROW, f4, kernel, part

SHARE = np.float32(0.8)  # that is given back; all of it would bring back noise as well
CELL = 4  # px
_FIVE = np.full(5, 0.2)
POOL = np.convolve(np.convolve(_FIVE, _FIVE), _FIVE).astype(np.float32)  # weights of a cell and its neighbours
AROUND = (len(POOL) // 2 + 1) * CELL  # px around the wanted region that are looked at
REACH = AROUND + CELL - 1  # the same where the region may begin within a cell
CLIPPED_FROM, CLIPPED_FULL = np.float32(0.95), np.float32(0.7)  # noise scale from which, and at which in full
LEAST = np.float32(0.02)  # weight of the surroundings


def without_drift(
    noisy: NDArray[np.float32],
    cleaned: NDArray[np.float32],
    mix: NDArray[np.float32],
    scale: NDArray[np.float32],
    scale_step: float,
) -> NDArray[np.float32]:
    """Cleaned planes whose mean in clipped parts is that of the noisy ones.

    Parameters
    ----------
    noisy, cleaned : (C, h, w) stabilised opponent planes of whole cells, with `AROUND` px more on every side than is
        wanted.
    mix : (C, C) from channels to the planes.
    scale, scale_step : noise scale against the stabilised level, see `Stabiliser`.

    Returns
    -------
    (C, h - 2 AROUND, w - 2 AROUND).
    """
    noisy, cleaned = np.ascontiguousarray(noisy), np.ascontiguousarray(cleaned)
    _, h, w = cleaned.shape
    out = np.ascontiguousarray(cleaned[:, AROUND : h - AROUND, AROUND : w - AROUND])
    weight = np.empty((h, w), np.float32)
    for c in range(len(mix)):
        own = np.ascontiguousarray(mix[:, c])
        cells = np.zeros((2, h // CELL, w // CELL), np.float32)
        if _loss(noisy, cleaned, own, scale[c], np.float32(scale_step), weight, cells):
            lost, weights = (_pooled(p, POOL) for p in cells)
            ratio = SHARE * lost / np.maximum(weights, LEAST)
            _give_back(weight[AROUND : h - AROUND, AROUND : w - AROUND], ratio, own, out)
    return out


# sums in one order, not in the compiler's: a part is as the whole, to the bit
@kernel(PLANES, PLANES, ROW, ROW, f4, PLANE, PLANES)
def _loss(noisy, cleaned, mix, scale, scale_step, weight, cells):
    """Of one channel, what cleaning took where it is clipped, and how much each pixel counts as that; whether any does.

    weight : (h, w) by pixel. cells : (2, h / CELL, w / CELL) zeros; means of what was taken, and of the weight.
    """
    n, h, w = cleaned.shape
    last = len(scale) - 1
    level, change = np.empty(w, np.float32), np.empty(w, np.float32)
    most = np.float32(0)
    for y in range(h):
        level[:] = 0
        change[:] = 0
        for k in range(n):
            a, b, f = noisy[k, y], cleaned[k, y], mix[k]
            for x in range(w):
                level[x] += f * b[x]
                change[x] += f * (a[x] - b[x])
        line = weight[y]
        for x in range(w):
            s = scale[min(max(int(level[x] * scale_step), 0), last)]
            s = min(max((CLIPPED_FROM - s) / (CLIPPED_FROM - CLIPPED_FULL), np.float32(0)), np.float32(1))
            most = max(most, s)
            line[x] = s
            change[x] *= s
        lost, weights = cells[0, y // CELL], cells[1, y // CELL]
        for i in range(w // CELL):
            x = CELL * i
            lost[i] += ((change[x] + change[x + 1]) + (change[x + 2] + change[x + 3])) * np.float32(1 / CELL**2)
            weights[i] += ((line[x] + line[x + 1]) + (line[x + 2] + line[x + 3])) * np.float32(1 / CELL**2)
    return most > 0


@kernel(PLANE, ROW)
def _pooled(cells, pool):
    """Weighted means of cells and their neighbours: (h, w) to (h - 12, w - 12)."""
    less = len(pool) - 1
    h, w = cells.shape[0] - less, cells.shape[1] - less
    down, out = np.zeros(cells.shape[1], np.float32), np.zeros((h, w), np.float32)
    for y in range(h):
        down[:] = 0
        for t in range(len(pool)):
            source, f = cells[y + t], pool[t]
            for x in range(len(down)):
                down[x] += f * source[x]
        target = out[y]
        for t in range(len(pool)):
            f = pool[t]
            for x in range(w):
                target[x] += f * down[x + t]
    return out


@kernel(f4[:, :], PLANE, ROW, PLANES)
def _give_back(own, ratio, mix, out):
    """Add ``ratio`` of the weight ``own`` to the planes; it is known in the middle of cells, one more on every side."""
    n, h, w = out.shape
    between, line = np.empty(ratio.shape[1], np.float32), np.empty(w, np.float32)
    for y in range(h):
        j, f = _place(y)
        for i in range(len(between)):
            between[i] = ratio[j, i] + f * (ratio[j + 1, i] - ratio[j, i])
        for p in range(CELL):
            i, f = _place(p)
            for x in range(p, w, CELL):
                k = i + x // CELL
                line[x] = between[k] + f * (between[k + 1] - between[k])
        weight = own[y]
        for x in range(w):
            line[x] *= weight[x]
        for k in range(n):
            target, f = out[k, y], mix[k]
            for x in range(w):
                target[x] += f * line[x]


@part(inline=True)
def _place(x):
    """The cell whose middle comes before a px, counted from the one before the first, and how far on it lies."""
    half = CELL // 2
    return (x + half) // CELL, (np.float32((x + half) % CELL) + np.float32(0.5)) / np.float32(CELL)
