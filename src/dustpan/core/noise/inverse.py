"""Inverses of the small symmetric matrices that patch estimates need, many thousand times a picture."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit

IN_HALVES = 24  # matrices from here on are inverted in halves
_FAST: Any = dict(fastmath=True, nogil=True, cache=True, error_model="numpy")


@njit(**_FAST)
def _eliminate(a, pivot):
    """In-place inverse of a symmetric positive n x n matrix: Gauss-Jordan, four pivots at a time; n a multiple of 4."""
    n = a.shape[0]
    for p in range(0, n, 4):
        for k in range(4):
            for q in range(n):
                pivot[k, q] = a[p + k, q]
        for k in range(4):
            d = np.float32(1) / pivot[k, p + k]
            pivot[k, p + k] = np.float32(1)
            for q in range(n):
                pivot[k, q] *= d
            for m in range(4):
                if m != k:
                    t = pivot[m, p + k]
                    pivot[m, p + k] = np.float32(0)
                    for q in range(n):
                        pivot[m, q] -= t * pivot[k, q]
        for i in range(n):
            if i < p or i >= p + 4:
                t0, t1, t2, t3 = a[i, p], a[i, p + 1], a[i, p + 2], a[i, p + 3]
                a[i, p] = a[i, p + 1] = a[i, p + 2] = a[i, p + 3] = np.float32(0)
                for q in range(n):
                    a[i, q] -= t0 * pivot[0, q] + t1 * pivot[1, q] + t2 * pivot[2, q] + t3 * pivot[3, q]
        for k in range(4):
            for q in range(n):
                a[p + k, q] = pivot[k, q]


@njit(**_FAST)
def invert(a, pivot, scratch):
    """In-place inverse of a symmetric positive n x n matrix; n a multiple of 4.

    Small ones by elimination, others by way of the inverse of one half and of what the other adds to it, which is
    mostly matrix products.

    a : (n, n) float32. pivot : (4, n or more) scratch. scratch : 7 rows of n^2 / 4 or more.
    """
    n = a.shape[0]
    if n < IN_HALVES:
        _eliminate(a, pivot)
        return
    h = n // 8 * 4
    k = n - h
    upper, lower = scratch[0, : h * h].reshape(h, h), scratch[1, : k * k].reshape(k, k)
    beside = scratch[2, : h * k].reshape(h, k)
    through, out = scratch[3, : h * k].reshape(h, k), scratch[4, : h * k].reshape(h, k)
    rest, more = scratch[5, : k * k].reshape(k, k), scratch[6, : h * h].reshape(h, h)
    for i in range(h):
        for j in range(h):
            upper[i, j] = a[i, j]
        for j in range(k):
            beside[i, j] = a[i, h + j]
    _eliminate(upper, pivot)
    np.dot(upper, beside, through)
    np.dot(beside.T, through, rest)
    for i in range(k):
        for j in range(k):
            lower[i, j] = a[h + i, h + j] - rest[i, j]
    _eliminate(lower, pivot)
    np.dot(through, lower, out)
    np.dot(out, through.T, more)
    for i in range(h):
        for j in range(h):
            a[i, j] = upper[i, j] + more[i, j]
        for j in range(k):
            a[i, h + j] = -out[i, j]
            a[h + j, i] = -out[i, j]
    for i in range(k):
        for j in range(k):
            a[h + i, h + j] = lower[i, j]
