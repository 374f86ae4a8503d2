"""Find the patches that look most alike.

For a grid of reference patches the squared differences to every patch within a square window are computed one
displacement at a time, over whole rows; then the N nearest of each reference are picked by bisecting the distance. For
non-negative floats the bit pattern orders like the value, so the bisection runs on integers.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import FAST, PLANE, i4, i8, kernel, part
from dustpan.core.noise.lanes import LONG, ZERO, four_on, load_long, one_on, spread_long, store, two_on, up

SORTED = 16  # so few are wanted that only some of them may be used: the nearest come first
NEAR = 4  # px; farther away every second place is looked at
LATE = 3 * LONG
ROUNDS = 10  # bisections; the last few of the N may be any of patches that are nearly as near


def displacements(radius: int, every: int = 1, near: int = NEAR) -> NDArray[np.int32]:
    """(n, 2) rows and columns of the displacements in a window, row by row; the one of nothing is in their middle.

    ``every`` : px between two places; a divisor of ``radius``. ``near`` : up to which all count; beyond it only every
    second, as the black fields of a chessboard do. Alike patches are mostly near, and many are as good as each other.
    """
    r = np.arange(-radius, radius + 1, every)
    out = np.stack([a.ravel() for a in np.meshgrid(r, r, indexing="ij")], 1).astype(np.int32)
    return out[(abs(out).max(1) <= near) | (out.sum(1) // every % 2 == 0)]


@part(FAST, inline=True)
def _squares(tile, o, p, row):
    """Squared differences of `LONG` columns from ``o`` and ``p`` on, summed over four rows ``row`` values apart."""
    a, b = load_long(tile, o) - load_long(tile, p), load_long(tile, o + row) - load_long(tile, p + row)
    o, p = o + 2 * row, p + 2 * row
    c, d = load_long(tile, o) - load_long(tile, p), load_long(tile, o + row) - load_long(tile, p + row)
    return (a * a + b * b) + (c * c + d * d)


@part(FAST)
def _distances(guide, y0, x0, rows, cols, step, size, gap, radius, moves, out):
    """out (displacements, references): squared differences of patches of size x size values, ``gap`` px apart."""
    extent = size * gap
    width = (cols - 1) * step + extent
    across, wide = width + 2 * radius, up(width, LONG) + LATE
    stride = wide + 2 * radius
    tile = np.zeros((extent + 2 * radius) * stride, np.float32)
    line = np.zeros(wide, np.float32)
    middle = radius * stride + radius
    late = LONG * (2 if size == 4 else 3)
    for i in range(rows):
        for y in range(extent + 2 * radius):
            at = y0 + i * step - radius + y
            source, target = guide[at, x0 - radius : x0 - radius + across], tile[y * stride : y * stride + across]
            for x in range(across):
                target[x] = source[x]
        for k in range(len(moves)):
            by = middle + moves[k, 0] * stride + moves[k, 1]
            one, two, four = spread_long(ZERO), spread_long(ZERO), spread_long(ZERO)
            for x in range(0, wide, LONG):
                s = _squares(tile, middle + x, by + x, gap * stride)
                if size == 8:
                    s += _squares(tile, middle + x + 4 * stride, by + x + 4 * stride, stride)
                # each sum over twice as many columns is known one step later
                p = one + one_on(one, s) if gap == 1 else s
                q = two + two_on(two, p)
                store(line, x, four + four_on(four, q) if extent == 8 else q)
                one, two, four = s, p, q
            target = out[k, i * cols : (i + 1) * cols]
            for j in range(cols):
                target[j] = line[np.uintp(late + j * step)]


@part(FAST)
def _nearest(bits, wanted, most, chosen, count):
    """The ``wanted`` smallest per reference that are below its ``most``; the reference itself always comes first."""
    total, references = bits.shape
    self_at = total // 2
    bits[self_at] = 2**31 - 1  # counted apart
    low = np.empty(references, np.int32)
    for r in range(references):
        low[r] = 2**31 - 1
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
        high[r] = min(high[r] + 1, most[r])
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


@kernel(
    PLANE, i8, i8, i8, i8, i8, i8, i8, i8, i4[:, ::1], i4[::1], PLANE, i4[:, ::1], i4[:, ::1], i4[::1], options=FAST
)
def match(guide, y0, x0, rows, cols, step, size, gap, radius, moves, most, distance, bits, chosen, count):
    """Number the nearest patches of a grid of references.

    Parameters
    ----------
    guide : (h, w) float32 plane to compare on; the window of every reference must lie inside it.
    y0, x0, rows, cols, step : the grid of references, in px of ``guide``.
    size, gap : so many values across and down are compared, so many px apart: (4, 1), (4, 2) or (8, 1).
    radius : of the search window. moves : its `displacements`.
    most : (references,) squared difference from which patches are not taken as alike, float32 seen as int32.
    distance, bits : float32 scratch (displacements, references) and the same memory seen as int32.
    chosen, count : results, (references, N) displacement numbers and how many of them.
    """
    _distances(guide, y0, x0, rows, cols, step, size, gap, radius, moves, distance)
    _nearest(bits, chosen.shape[1], most, chosen, count)
