"""Find the patches that look most alike.

For a grid of reference patches the squared differences to every patch within a square window are computed one
displacement at a time, over whole rows; then the N nearest of each reference are picked by bisecting the distance. For
non-negative floats the bit pattern orders like the value, so the bisection runs on integers.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

_FAST: Any = dict(fastmath=True, nogil=True, cache=True, error_model="numpy")
ROUNDS = 12  # bisections; the last few of the N may be any of equally near patches


def displacements(radius: int) -> NDArray[np.int32]:
    """(n, 2) rows and columns of all displacements in the window, in the order that `match` numbers them."""
    r = np.arange(-radius, radius + 1)
    return np.stack([a.ravel() for a in np.meshgrid(r, r, indexing="ij")], 1).astype(np.int32)


@njit(**_FAST)
def _distances(guide, y0, x0, rows, cols, step, size, radius, out):
    """out (displacements, references): squared differences of size x size patches; size is 4 or 8."""
    height, width = (rows - 1) * step + size, (cols - 1) * step + size
    stride = width + 2 * radius
    tile = np.empty((height + 2 * radius) * stride, np.float32)
    for y in range(height + 2 * radius):
        source = guide[y0 - radius + y, x0 - radius : x0 - radius + stride]
        target = tile[y * stride : (y + 1) * stride]
        for x in range(stride):
            target[x] = source[x]
    column = np.empty(width, np.float32)
    pair = np.empty(width, np.float32)
    k = 0
    for dy in range(-radius, radius + 1):
        for dx in range(-radius, radius + 1):
            row_of = out[k]
            k += 1
            for i in range(rows):
                column[:] = 0
                for r in range(0, size, 2):
                    # two rows at a time, each by a slice of its own: the compiler then sees that nothing overlaps
                    o = (i * step + r + radius) * stride + radius
                    p = o + dy * stride + dx
                    a, b = tile[o : o + width], tile[p : p + width]
                    c, d = tile[o + stride : o + stride + width], tile[p + stride : p + stride + width]
                    for x in range(width):
                        s = a[x] - b[x]
                        t = c[x] - d[x]
                        column[x] += s * s + t * t
                for x in range(width - 1):
                    pair[x] = column[x] + column[x + 1]
                first = i * cols
                if size == 4:
                    for j in range(cols):
                        row_of[first + j] = pair[j * step] + pair[j * step + 2]
                else:
                    for j in range(cols):
                        q = j * step
                        row_of[first + j] = (pair[q] + pair[q + 2]) + (pair[q + 4] + pair[q + 6])


@njit(**_FAST)
def _nearest(bits, wanted, chosen, count):
    """The ``wanted`` smallest per reference; the reference itself always comes first."""
    total, references = bits.shape
    self_at = total // 2
    low = np.full(references, 2**30, np.int32)
    high = np.zeros(references, np.int32)
    middle = np.empty(references, np.int32)
    found = np.zeros(references, np.int32)
    for k in range(total):
        if k != self_at:
            row = bits[k]
            for r in range(references):
                low[r] = min(low[r], row[r])
                high[r] = max(high[r], row[r])
    for r in range(references):
        high[r] += 1
    for _ in range(ROUNDS):
        for r in range(references):
            middle[r] = low[r] + ((high[r] - low[r]) >> 1)
            found[r] = 1
        for k in range(total):
            if k != self_at:
                row = bits[k]
                for r in range(references):
                    found[r] += np.int32(1) if row[r] < middle[r] else np.int32(0)
        for r in range(references):
            if found[r] >= wanted:
                high[r] = middle[r]
            else:
                low[r] = middle[r]
    for r in range(references):
        chosen[r, 0] = self_at
        count[r] = 1
    for k in range(total):
        if k != self_at:
            row = bits[k]
            for r in range(references):
                if row[r] < high[r] and count[r] < wanted:
                    chosen[r, count[r]] = k
                    count[r] += 1


@njit(**_FAST)
def match(guide, y0, x0, rows, cols, step, size, radius, distance, bits, chosen, count):
    """Number the nearest patches of a grid of references.

    Parameters
    ----------
    guide : (h, w) float32 plane to compare on; the window of every reference must lie inside it.
    y0, x0, rows, cols, step : the grid of references, in px of ``guide``.
    size : 4 or 8. radius : of the search window.
    distance, bits : float32 scratch (displacements, references) and the same memory seen as int32.
    chosen, count : results, (references, N) displacement numbers and how many of them.
    """
    _distances(guide, y0, x0, rows, cols, step, size, radius, distance)
    _nearest(bits, chosen.shape[1], chosen, count)
