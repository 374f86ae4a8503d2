"""Groups of alike patches: how they are taken from planes, transformed and put back.

A group is one flat array: a row of `GROUP` values, one for each of its 4 x 4 px patches, for every DCT coefficient, 16
rows a plane. Eight patches are handled at a time (see `lanes`).
"""

from __future__ import annotations

import numpy as np
from scipy.fft import dct

from dustpan.core.kernels import FAST, PLANE, PLANES, kernel, part
from dustpan.core.noise.lanes import LANES, add_columns, columns, load, spread, store

SIDE = 4
GROUP = 56  # patches, a multiple of LANES
DCT_4 = dct(np.eye(SIDE), axis=0, norm="ortho")
_A, _B = np.float32(DCT_4[1, 0]), np.float32(DCT_4[1, 1])
_HALF = np.float32(0.5)


@part(FAST, inline=True)
def _dct4(a, b, c, d):
    """Coefficients 0..3 of four samples."""
    s, t, u, v = a + d, b + c, a - d, b - c
    return _HALF * (s + t), _A * u + _B * v, _HALF * (s - t), _B * u - _A * v


@part(FAST, inline=True)
def _idct4(a, b, c, d):
    """Four samples from coefficients 0..3."""
    s, t, u, v = _HALF * (a + c), _HALF * (a - c), _A * b + _B * d, _B * b - _A * d
    return s + u, t + v, t - v, s - u


@part(FAST)
def gather(plane, stride, corners, out, first):
    """DCT coefficients of the patches of a group in one plane: into ``out`` from row ``first`` on."""
    for m in range(0, GROUP, LANES):
        at = first * GROUP + m
        for i in range(SIDE):
            a, b, c, d = columns(plane, corners, m, i * stride)
            a, b, c, d = _dct4(a, b, c, d)
            o = at + SIDE * i * GROUP
            store(out, o, a)
            store(out, o + GROUP, b)
            store(out, o + 2 * GROUP, c)
            store(out, o + 3 * GROUP, d)
        for j in range(SIDE):
            o = at + j * GROUP
            a, b = load(out, o), load(out, o + 4 * GROUP)
            c, d = load(out, o + 8 * GROUP), load(out, o + 12 * GROUP)
            a, b, c, d = _dct4(a, b, c, d)
            store(out, o, a)
            store(out, o + 4 * GROUP, b)
            store(out, o + 8 * GROUP, c)
            store(out, o + 12 * GROUP, d)


@part(FAST)
def scatter(y, first, weight, stride, corners, total):
    """Add the patches whose coefficients are in ``y`` (changed) from row ``first`` on to the sums of a plane."""
    w = spread(weight)
    for m in range(0, GROUP, LANES):
        at = first * GROUP + m
        for j in range(SIDE):
            o = at + j * GROUP
            a, b = load(y, o), load(y, o + 4 * GROUP)
            c, d = load(y, o + 8 * GROUP), load(y, o + 12 * GROUP)
            a, b, c, d = _idct4(w * a, w * b, w * c, w * d)
            store(y, o, a)
            store(y, o + 4 * GROUP, b)
            store(y, o + 8 * GROUP, c)
            store(y, o + 12 * GROUP, d)
        for i in range(SIDE):
            o = at + SIDE * i * GROUP
            a, b = load(y, o), load(y, o + GROUP)
            c, d = load(y, o + 2 * GROUP), load(y, o + 3 * GROUP)
            a, b, c, d = _idct4(a, b, c, d)
            add_columns(total, corners, m, i * stride, a, b, c, d)


@part(FAST)
def scatter_alike(patch, weight, stride, corners, total):
    """Add one patch, given by its 16 coefficients (changed), at every corner to the sums of a plane."""
    p = patch
    for i in range(SIDE):
        p[i], p[4 + i], p[8 + i], p[12 + i] = _idct4(p[i], p[4 + i], p[8 + i], p[12 + i])
    for i in range(SIDE):
        o = SIDE * i
        a, b, c, d = _idct4(p[o], p[o + 1], p[o + 2], p[o + 3])
        a, b, c, d = spread(weight * a), spread(weight * b), spread(weight * c), spread(weight * d)
        for m in range(0, GROUP, LANES):
            add_columns(total, corners, m, i * stride, a, b, c, d)


@part(FAST)
def remix(p, matrix):
    """Replace the planes of a group by ``matrix`` (C, C) times them."""
    rows = 16 * GROUP
    if len(matrix) == 1:
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


@kernel(PLANES, PLANE, PLANES, PLANES, options=FAST)
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
