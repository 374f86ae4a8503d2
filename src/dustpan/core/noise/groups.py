"""Groups of alike patches: how they are taken from planes, transformed and put back.

The 4 x 4 px patches of a group lie side by side, as lanes: one flat row of `GROUP` values for each sample or DCT
coefficient, 16 rows a plane. Distances that the compiler knows let it vectorise over the patches; short loops run to a
number that it does not know, or it writes them out one value at a time.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from scipy.fft import dct

SIDE = 4
GROUP = 56  # patches
DCT_4 = dct(np.eye(SIDE), axis=0, norm="ortho")
_A, _B = np.float32(DCT_4[1, 0]), np.float32(DCT_4[1, 1])
_HALF = np.float32(0.5)
_FAST: Any = dict(fastmath=True, nogil=True, cache=True, error_model="numpy")


@njit(inline="always")
def _dct4(a, b, c, d):
    """Coefficients 0..3 of four samples."""
    s, t, u, v = a + d, b + c, a - d, b - c
    return _HALF * (s + t), _A * u + _B * v, _HALF * (s - t), _B * u - _A * v


@njit(inline="always")
def _idct4(a, b, c, d):
    """Four samples from coefficients 0..3."""
    s, t, u, v = _HALF * (a + c), _HALF * (a - c), _A * b + _B * d, _B * b - _A * d
    return s + u, t + v, t - v, s - u


@njit(**_FAST)
def transform(p, first):
    """4 x 4 DCT of one plane of a group, in place: from row ``first`` of ``p`` on."""
    at = first * GROUP
    q = p[at : at + 16 * GROUP]
    for i in range(SIDE):
        o = 4 * i * GROUP
        for m in range(GROUP):
            q[o + m], q[o + GROUP + m], q[o + 2 * GROUP + m], q[o + 3 * GROUP + m] = _dct4(
                q[o + m], q[o + GROUP + m], q[o + 2 * GROUP + m], q[o + 3 * GROUP + m]
            )
    for i in range(SIDE):
        o = i * GROUP
        for m in range(GROUP):
            q[o + m], q[o + 4 * GROUP + m], q[o + 8 * GROUP + m], q[o + 12 * GROUP + m] = _dct4(
                q[o + m], q[o + 4 * GROUP + m], q[o + 8 * GROUP + m], q[o + 12 * GROUP + m]
            )


@njit(**_FAST)
def transform_back(p, first):
    """Inverse of `transform`."""
    at = first * GROUP
    q = p[at : at + 16 * GROUP]
    for i in range(SIDE):
        o = i * GROUP
        for m in range(GROUP):
            q[o + m], q[o + 4 * GROUP + m], q[o + 8 * GROUP + m], q[o + 12 * GROUP + m] = _idct4(
                q[o + m], q[o + 4 * GROUP + m], q[o + 8 * GROUP + m], q[o + 12 * GROUP + m]
            )
    for i in range(SIDE):
        o = 4 * i * GROUP
        for m in range(GROUP):
            q[o + m], q[o + GROUP + m], q[o + 2 * GROUP + m], q[o + 3 * GROUP + m] = _idct4(
                q[o + m], q[o + GROUP + m], q[o + 2 * GROUP + m], q[o + 3 * GROUP + m]
            )


@njit(**_FAST)
def remix(p, matrix, per_channel):
    """Replace the planes of a group by ``matrix`` (C, C) times them."""
    rows = 16 * GROUP
    if len(per_channel) == 1:
        f = matrix[0, 0]
        for m in range(rows):
            p[m] *= f
        return
    a0, a1, a2 = matrix[0, 0], matrix[0, 1], matrix[0, 2]
    b0, b1, b2 = matrix[1, 0], matrix[1, 1], matrix[1, 2]
    c0, c1, c2 = matrix[2, 0], matrix[2, 1], matrix[2, 2]
    for m in range(rows):
        u, v, w = p[m], p[rows + m], p[2 * rows + m]
        p[m] = a0 * u + a1 * v + a2 * w
        p[rows + m] = b0 * u + b1 * v + b2 * w
        p[2 * rows + m] = c0 * u + c1 * v + c2 * w


@njit(**_FAST)
def gather(plane, stride, corners, out, first):
    """Patches of a group as lanes, of one plane: into ``out`` from row ``first`` on."""
    at = first * GROUP
    q = out[at : at + 16 * GROUP]
    for i in range(SIDE):
        o = SIDE * i * GROUP
        for m in range(GROUP):
            p = np.uintp(corners[m] + i * stride)
            q[o + m] = plane[p]
            q[o + GROUP + m] = plane[p + np.uintp(1)]
            q[o + 2 * GROUP + m] = plane[p + np.uintp(2)]
            q[o + 3 * GROUP + m] = plane[p + np.uintp(3)]


@njit(**_FAST)
def scatter(y, first, weight, stride, corners, total):
    """Add the estimated patches, which are in ``y`` from row ``first`` on, to the sums of a plane."""
    at = first * GROUP
    v = y[at : at + 16 * GROUP]
    for i in range(SIDE):
        o = SIDE * i * GROUP
        for m in range(GROUP):
            p = np.uintp(corners[m] + i * stride)
            q, r, s = p + np.uintp(1), p + np.uintp(2), p + np.uintp(3)
            a, b, d, e = v[o + m], v[o + GROUP + m], v[o + 2 * GROUP + m], v[o + 3 * GROUP + m]
            a, b, d, e = total[p] + weight * a, total[q] + weight * b, total[r] + weight * d, total[s] + weight * e
            total[p], total[q], total[r], total[s] = a, b, d, e


@njit(**_FAST)
def scatter_alike(patch, weight, stride, corners, total):
    """Add one patch, given by its 16 coefficients (changed), at every corner to the sums of a plane."""
    p = patch
    for i in range(SIDE):
        p[i], p[4 + i], p[8 + i], p[12 + i] = _idct4(p[i], p[4 + i], p[8 + i], p[12 + i])
    for i in range(SIDE):
        o = 4 * i
        a, b, d, e = _idct4(p[o], p[o + 1], p[o + 2], p[o + 3])
        a, b, d, e = weight * a, weight * b, weight * d, weight * e
        for m in range(GROUP):
            q = np.uintp(corners[m] + i * stride)
            r, s, t = q + np.uintp(1), q + np.uintp(2), q + np.uintp(3)
            f, g, h, k = total[q] + a, total[r] + b, total[s] + d, total[t] + e
            total[q], total[r], total[s], total[t] = f, g, h, k


@njit(**_FAST)
def average(total, weights, fallback, out):
    """Divide the sums (C, h, w) by the SIDE x SIDE box of the corner weights (h, w); where none, take ``fallback``."""
    n, h, w = total.shape
    row = np.zeros(w, np.float32)
    for y in range(h):
        row[:] = 0
        for i in range(min(SIDE, y + 1)):
            line = weights[y - i]
            for j in range(SIDE):
                for x in range(j, w):
                    row[x] += line[x - j]
        for c in range(n):
            source, instead, target = total[c, y], fallback[c, y], out[c, y]
            for x in range(w):
                target[x] = source[x] / row[x] if row[x] > 0 else instead[x]
