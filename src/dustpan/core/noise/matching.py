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
SORTED = 16  # so few are wanted that only some of them may be used: the nearest come first
NEAR = 4  # px; farther away every second place is looked at
ROUNDS = 10  # bisections; the last few of the N may be any of patches that are nearly as near


def displacements(radius: int, every: int = 1, near: int = NEAR) -> NDArray[np.int32]:
    """(n, 2) rows and columns of the displacements in a window, row by row; the one of nothing is in their middle.

    ``every`` : px between two places; a divisor of ``radius``. ``near`` : up to which all count; beyond it only every
    second, as the black fields of a chessboard do. Alike patches are mostly near, and many are as good as each other.
    """
    r = np.arange(-radius, radius + 1, every)
    out = np.stack([a.ravel() for a in np.meshgrid(r, r, indexing="ij")], 1).astype(np.int32)
    return out[(abs(out).max(1) <= near) | (out.sum(1) // every % 2 == 0)]


@njit(**_FAST)
def _distances(guide, y0, x0, rows, cols, step, size, radius, moves, out):
    """out (displacements, references): squared differences of size x size patches; size is 4 or 8."""
    height, width = (rows - 1) * step + size, (cols - 1) * step + size
    stride = width + 2 * radius
    tile = np.empty((height + 2 * radius) * stride, np.float32)
    for y in range(height + 2 * radius):
        source = guide[y0 - radius + y, x0 - radius : x0 - radius + stride]
        target = tile[y * stride : (y + 1) * stride]
        for x in range(stride):
            target[x] = source[x]
    # squared differences are summed over strips of four rows; neighbours share them where patches overlap by half
    per_patch = size // 4
    shared = step == 4 and size == 8
    strips = rows + 1 if shared else rows * per_patch
    sums = np.empty(strips * width, np.float32)
    column = np.empty(width, np.float32)
    pair = np.empty(width, np.float32)
    for k in range(len(moves)):
        row_of = out[k]
        by = moves[k, 0] * stride + moves[k, 1]
        for i in range(strips):
            y = i * step if shared else (i // per_patch) * step + 4 * (i % per_patch)
            # four rows at a time, each by a slice of its own: the compiler then sees that nothing overlaps
            o = (y + radius) * stride + radius
            p = o + by
            a, e = tile[o : o + width], tile[p : p + width]
            b, f = tile[o + stride : o + stride + width], tile[p + stride : p + stride + width]
            o, p = o + 2 * stride, p + 2 * stride
            c, g = tile[o : o + width], tile[p : p + width]
            d, h = tile[o + stride : o + stride + width], tile[p + stride : p + stride + width]
            total = sums[i * width : (i + 1) * width]
            for x in range(width):
                q, r, s, t = a[x] - e[x], b[x] - f[x], c[x] - g[x], d[x] - h[x]
                total[x] = (q * q + r * r) + (s * s + t * t)
        for i in range(rows):
            first = i * cols
            if size == 4:
                line = sums[i * width : (i + 1) * width]
                for x in range(width - 1):
                    pair[x] = line[x] + line[x + 1]
                for j in range(cols):
                    row_of[first + j] = pair[j * step] + pair[j * step + 2]
            else:
                at = (i if shared else 2 * i) * width
                upper, lower = sums[at : at + width], sums[at + width : at + 2 * width]
                for x in range(width):
                    column[x] = upper[x] + lower[x]
                for x in range(width - 1):
                    pair[x] = column[x] + column[x + 1]
                for j in range(cols):
                    z = j * step
                    row_of[first + j] = (pair[z] + pair[z + 2]) + (pair[z + 4] + pair[z + 6])


@njit(**_FAST)
def _nearest(bits, wanted, most, chosen, count):
    """The ``wanted`` smallest per reference that are below ``most``; the reference itself always comes first."""
    total, references = bits.shape
    self_at = total // 2
    bits[self_at] = 2**31 - 1  # counted apart
    low = np.full(references, 2**31 - 1, np.int32)
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
        high[r] = min(high[r] + 1, most)
        low[r] = min(low[r], high[r] - 1)
    quads = total // 4 * 4
    for _ in range(ROUNDS):
        for r in range(references):
            middle[r] = low[r] + ((high[r] - low[r]) >> 1)
            found[r] = 1
        for k in range(0, quads, 4):
            a, b, c, d = bits[k], bits[k + 1], bits[k + 2], bits[k + 3]
            for r in range(references):
                m = middle[r]
                near = np.int32(a[r] < m) + np.int32(b[r] < m)
                found[r] += near + (np.int32(c[r] < m) + np.int32(d[r] < m))
        for k in range(quads, total):
            row = bits[k]
            for r in range(references):
                found[r] += np.int32(row[r] < middle[r])
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
    if wanted <= SORTED:
        for r in range(references):
            for i in range(2, count[r]):
                k = chosen[r, i]
                j = i
                while j > 1 and bits[chosen[r, j - 1], r] > bits[k, r]:
                    chosen[r, j] = chosen[r, j - 1]
                    j -= 1
                chosen[r, j] = k


@njit(**_FAST)
def match(guide, y0, x0, rows, cols, step, size, radius, moves, most, distance, bits, chosen, count):
    """Number the nearest patches of a grid of references.

    Parameters
    ----------
    guide : (h, w) float32 plane to compare on; the window of every reference must lie inside it.
    y0, x0, rows, cols, step : the grid of references, in px of ``guide``.
    size : 4 or 8. radius : of the search window. moves : its `displacements`.
    most : squared difference from which patches are not taken as alike.
    distance, bits : float32 scratch (displacements, references) and the same memory seen as int32.
    chosen, count : results, (references, N) displacement numbers and how many of them.
    """
    _distances(guide, y0, x0, rows, cols, step, size, radius, moves, distance)
    bound = np.empty(1, np.float32)
    bound[0] = most
    _nearest(bits, chosen.shape[1], bound.view(np.int32)[0], chosen, count)
