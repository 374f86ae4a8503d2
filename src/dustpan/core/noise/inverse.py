"""Inverses of the small symmetric matrices that patch estimates need, many thousand times a picture."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit

from dustpan.core.noise.lanes import LANES, load, spread, store

WIDE = 48  # values from row to row of a matrix: all coefficients of a patch in three planes
_FAST: Any = dict(fastmath=True, nogil=True, cache=True, error_model="numpy")


@njit(**_FAST)
def invert(a, n, pivot):
    """In-place inverse of a symmetric positive matrix by Gauss-Jordan elimination, four pivots at a time.

    a : flat float32, rows `WIDE` apart, of which the first ``n``, a multiple of 4, and as many columns count; the next
        four columns must hold 0 where n is no multiple of `LANES`.
    pivot : flat float32 scratch of four rows.
    """
    for p in range(0, n, 4):
        for k in range(4):
            for q in range(0, n, LANES):
                store(pivot, k * WIDE + q, load(a, (p + k) * WIDE + q))
        for k in range(4):
            at = k * WIDE + p + k
            d = spread(np.float32(1) / pivot[at])
            pivot[at] = np.float32(1)
            for q in range(0, n, LANES):
                store(pivot, k * WIDE + q, d * load(pivot, k * WIDE + q))
            for m in range(4):
                if m != k:
                    at = m * WIDE + p + k
                    t = spread(pivot[at])
                    pivot[at] = np.float32(0)
                    for q in range(0, n, LANES):
                        o = m * WIDE + q
                        store(pivot, o, load(pivot, o) - t * load(pivot, k * WIDE + q))
        for k in range(4):
            for q in range(0, n, LANES):
                store(a, (p + k) * WIDE + q, load(pivot, k * WIDE + q))
            pivot[k * WIDE + p + k] += np.float32(1)  # so that what stands in the pivots' columns goes, too
        for i in range(n):
            if i < p or i >= p + 4:
                o = i * WIDE
                t0, t1, t2, t3 = spread(a[o + p]), spread(a[o + p + 1]), spread(a[o + p + 2]), spread(a[o + p + 3])
                for q in range(0, n, LANES):
                    less = t0 * load(pivot, q) + t1 * load(pivot, WIDE + q)
                    more = t2 * load(pivot, 2 * WIDE + q) + t3 * load(pivot, 3 * WIDE + q)
                    store(a, o + q, load(a, o + q) - (less + more))
