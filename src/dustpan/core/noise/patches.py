"""Joint-colour Bayesian estimate of groups of alike patches.

Alike patches of 4 x 4 px in all channels are taken as draws from one normal distribution, whose mean and covariance are
measured on the guide; with the noise's own covariance that gives the linear estimate with the least mean square error
(Lebrun, Buades, Morel, 2013). Noise enters with its colours and its neighbours' correlation, scaled by how strong it is
at the group's brightness on both sides: D S D. Every patch of a group is estimated, and overlapping estimates are
averaged, each weighted by the inverse of the noise that is left in it.

References
----------
[1] M. Lebrun, A. Buades, J.-M. Morel, "A nonlocal Bayesian image denoising algorithm", SIAM J. Imaging Sci. 6(3), 2013.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit

SIDE = 4
_FAST: Any = dict(fastmath=True, nogil=True, cache=True, error_model="numpy")


@njit(**_FAST)
def _invert(a, pivot, per_channel):
    """In-place inverse of a symmetric positive matrix: Gauss-Jordan, four pivots at a time."""
    DIM = SIDE * SIDE * len(per_channel)
    for p in range(0, DIM, 4):
        for k in range(4):
            for q in range(DIM):
                pivot[k, q] = a[p + k, q]
        for k in range(4):
            d = np.float32(1) / pivot[k, p + k]
            pivot[k, p + k] = np.float32(1)
            for q in range(DIM):
                pivot[k, q] *= d
            for m in range(4):
                if m != k:
                    t = pivot[m, p + k]
                    pivot[m, p + k] = np.float32(0)
                    for q in range(DIM):
                        pivot[m, q] -= t * pivot[k, q]
        for i in range(DIM):
            if i < p or i >= p + 4:
                t0, t1, t2, t3 = a[i, p], a[i, p + 1], a[i, p + 2], a[i, p + 3]
                a[i, p] = a[i, p + 1] = a[i, p + 2] = a[i, p + 3] = np.float32(0)
                for q in range(DIM):
                    a[i, q] -= t0 * pivot[0, q] + t1 * pivot[1, q] + t2 * pivot[2, q] + t3 * pivot[3, q]
        for k in range(4):
            for q in range(DIM):
                a[p + k, q] = pivot[k, q]


@njit(**_FAST)
def estimate(
    per_channel,
    noisy,
    guide,
    stride,
    y0,
    x0,
    rows,
    cols,
    step,
    moves,
    chosen,
    count,
    cov,
    white,
    scale,
    scale_step,
    total,
    weights,
    wide,
):
    """Estimate all groups of a grid of references.

    per_channel : a tuple with one entry per channel; its length is part of its type, so that the sizes are known
        when the kernel is compiled, which is what lets the loops vectorise.
    noisy, guide : flat interleaved (h * stride) pixels; moves : (n, 2) displacements; cov : (DIM, DIM) noise.
    total : flat sums with the same layout as ``noisy``; weights : flat (h * wide), one entry per patch corner.
    """
    channels = len(per_channel)
    LINE = SIDE * channels
    DIM = SIDE * LINE
    n_max = chosen.shape[1]
    g = np.zeros((n_max, DIM), np.float32)
    y = np.zeros((n_max, DIM), np.float32)
    out = np.zeros((n_max, DIM), np.float32)
    c = np.zeros((DIM, DIM), np.float32)
    filt = np.zeros((DIM, DIM), np.float32)
    pivot = np.zeros((4, DIM), np.float32)
    own = np.zeros(DIM, np.float32)
    mean = np.zeros(DIM, np.float32)
    base = np.zeros(DIM, np.float32)
    sigma = np.ones(DIM, np.float32)
    inverse = np.ones(DIM, np.float32)
    last = scale.shape[1] - 1
    for r in range(rows * cols):
        n = count[r]
        cy, cx = y0 + (r // cols) * step, x0 + (r % cols) * step
        corner = cy * stride + channels * cx
        for i in range(SIDE):
            line = guide[corner + i * stride : corner + i * stride + LINE]
            for q in range(LINE):
                own[i * LINE + q] = line[q]
        mean[:] = 0
        for m in range(n):
            k = chosen[r, m]
            at = (cy + moves[k, 0]) * stride + channels * (cx + moves[k, 1])
            gm, ym = g[m], y[m]
            for i in range(SIDE):
                line_g = guide[at + i * stride : at + i * stride + LINE]
                line_y = noisy[at + i * stride : at + i * stride + LINE]
                for q in range(LINE):
                    gm[i * LINE + q] = line_g[q] - own[i * LINE + q]
                for q in range(LINE):
                    ym[i * LINE + q] = line_y[q] - own[i * LINE + q]
            for q in range(DIM):
                mean[q] += gm[q]
        share = np.float32(1) / np.float32(n)
        for q in range(DIM):
            mean[q] *= share
        power = np.float32(0)
        for ch in range(channels):
            level = np.float32(0)
            for q in range(ch, DIM, channels):
                level += own[q] + mean[q]
            at = int(level * np.float32(1 / (SIDE * SIDE)) * scale_step)
            s = scale[ch, min(max(at, 0), last)]
            power += s * s * np.float32(1.0 / channels)
            for q in range(ch, DIM, channels):
                sigma[q] = s
                inverse[q] = np.float32(1) / s
        # D^-1 cov(guide) D^-1 + S, inverted; then I - D S (..)^-1 D^-1 is the filter
        np.dot(g[:n].T, g[:n], c)
        rest = np.float32(1) / np.float32(max(n - 1, 1))
        for a in range(DIM):
            t = np.float32(n) * rest * mean[a]
            ia = inverse[a]
            for b in range(DIM):
                c[a, b] = (c[a, b] * rest - t * mean[b]) * (ia * inverse[b]) + cov[a, b]
        _invert(c, pivot, per_channel)
        if white:
            s = cov[0, 0]
            for a in range(DIM):
                for b in range(DIM):
                    filt[a, b] = -s * c[a, b] * inverse[a] * sigma[b]
        else:
            np.dot(c, cov, filt)
            for a in range(DIM):
                for b in range(DIM):
                    filt[a, b] *= -inverse[a] * sigma[b]
        trace = np.float32(0)
        for a in range(DIM):
            filt[a, a] += np.float32(1)
            trace += filt[a, a]
        np.dot(y[:n], filt, out[:n])
        weight = np.float32(1) / ((max(trace, np.float32(0)) + np.float32(DIM) * share) * power)
        for q in range(DIM):
            base[q] = own[q] + mean[q]
        for a in range(DIM):
            t = mean[a]
            for q in range(DIM):
                base[q] -= t * filt[a, q]
        for m in range(n):
            k = chosen[r, m]
            py, px = cy + moves[k, 0], cx + moves[k, 1]
            weights[py * wide + px] += weight
            at = py * stride + channels * px
            om = out[m]
            for i in range(SIDE):
                line = total[at + i * stride : at + i * stride + LINE]
                for q in range(LINE):
                    line[q] += weight * (om[i * LINE + q] + base[i * LINE + q])


@njit(**_FAST)
def average(total, weights, fallback, out):
    """Divide the sums (h, w, C) by the SIDE x SIDE box of the corner weights (h, w); where none, take ``fallback``."""
    h, w, n = total.shape
    row = np.zeros(w, np.float32)
    for y in range(h):
        row[:] = 0
        for i in range(SIDE):
            if y >= i:
                line = weights[y - i]
                for j in range(SIDE):
                    for x in range(j, w):
                        row[x] += line[x - j]
        for x in range(w):
            for c in range(n):
                if row[x] > 0:
                    out[y, x, c] = total[y, x, c] / row[x]
                else:
                    out[y, x, c] = fallback[y, x, c]
