"""Inverses of the small symmetric matrices that patch estimates need, many thousand times a picture."""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels import FAST, part
from dustpan.core.noise.lanes import LANES, alike, load, spread, store, up

WIDE = 48  # values from row to row of a matrix: all coefficients of a patch in three planes
ONE = np.float32(1)


@part(FAST)
def invert(a, n, pivot):
    """In-place inverse of a symmetric positive matrix by Gauss-Jordan elimination, two pivots at a time.

    a : flat float32, rows `WIDE` apart, of which the first ``n``, a multiple of 2, and as many columns count; further
        columns up to a multiple of `LANES` must hold 0.
    pivot : flat float32 scratch of two rows.
    """
    wide = up(n, LANES)
    for p in range(0, n, 2):
        upper, lower = p * WIDE, (p + 1) * WIDE
        x, y, z = a[upper + p], a[upper + p + 1], a[lower + p + 1]
        f = np.float32(1) / (x * z - y * y)
        x, y, z = z * f, -y * f, x * f
        f, g, h = spread(x), spread(y), spread(z)
        for q in range(0, n, LANES):
            u, v = load(a, upper + q), load(a, lower + q)
            store(pivot, q, f * u + g * v)
            store(pivot, WIDE + q, g * u + h * v)
        # one more in the pivots' own columns, so that what stands in them goes and their share of the inverse comes
        pivot[p], pivot[p + 1], pivot[WIDE + p], pivot[WIDE + p + 1] = x + ONE, y, y, z + ONE
        for s in range(LANES, wide + 1, LANES):
            q = p // LANES * LANES + s  # the pivots' own columns last: they are read for all others
            if q >= wide:
                q -= wide
            u, v = load(pivot, q), load(pivot, WIDE + q)
            for o in range(0, n * WIDE, WIDE):
                store(a, o + q, load(a, o + q) - (alike(a, o + p) * u + alike(a, o + p + 1) * v))
            store(a, upper + q, u)
            store(a, lower + q, v)
        a[upper + p], a[lower + p + 1] = x, z
