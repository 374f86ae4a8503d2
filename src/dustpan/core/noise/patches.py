"""Joint-colour Bayesian estimate of groups of alike patches.

Alike patches of 4 x 4 px in all channels are taken as draws from one normal distribution, whose mean and covariance are
measured on the guide; with the noise's own covariance that gives the linear estimate with the least mean square error
(Lebrun, Buades, Morel, 2013). Noise is divided by how strong it is at the group's brightness, channel by channel.

The estimate is made on DCT coefficients of the opponent planes. There most coefficients of a group hold next to nothing
but noise and stand alone, so that each is shrunk on its own; only the few that hold content need the full covariance.
That is several times less work than all of them together, and fewer numbers to estimate from the same patches. Every
patch of a group is estimated, and overlapping estimates are averaged, each weighted by the inverse of the noise that is
left in it.

References
----------
[1] M. Lebrun, A. Buades, J.-M. Morel, "A nonlocal Bayesian image denoising algorithm", SIAM J. Imaging Sci. 6(3), 2013.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from scipy.fft import dct

SIDE = 4
GROUP = 56  # patches
TOGETHER = np.float32(0.03)  # of the noise power; coefficients in which the guide varies more are estimated together
IN_HALVES = 24  # matrices from here on are inverted in halves
DCT_4 = dct(np.eye(SIDE), axis=0, norm="ortho")
_A, _B = np.float32(DCT_4[1, 0]), np.float32(DCT_4[1, 1])
_HALF = np.float32(0.5)
_FAST: Any = dict(fastmath=True, nogil=True, cache=True, error_model="numpy")


@njit(**_FAST)
def _dct_lanes(p, first, apart):
    """4-point DCT across the rows ``first + apart * (0, 1, 2, 3)`` of ``p``, in place."""
    lanes = p.shape[1]
    r0, r1, r2, r3 = p[first], p[first + apart], p[first + 2 * apart], p[first + 3 * apart]
    for m in range(lanes):
        s, d, t, e = r0[m] + r3[m], r0[m] - r3[m], r1[m] + r2[m], r1[m] - r2[m]
        r0[m] = _HALF * (s + t)
        r1[m] = _A * d + _B * e
        r2[m] = _HALF * (s - t)
        r3[m] = _B * d - _A * e


@njit(**_FAST)
def _idct_lanes(p, first, apart):
    """Inverse of `_dct_lanes`."""
    lanes = p.shape[1]
    r0, r1, r2, r3 = p[first], p[first + apart], p[first + 2 * apart], p[first + 3 * apart]
    for m in range(lanes):
        s, t = _HALF * (r0[m] + r2[m]), _HALF * (r0[m] - r2[m])
        d, e = _A * r1[m] + _B * r3[m], _B * r1[m] - _A * r3[m]
        r0[m] = s + d
        r3[m] = s - d
        r1[m] = t + e
        r2[m] = t - e


@njit(**_FAST)
def _both_ways(p, per_channel):
    for c in range(len(per_channel)):
        for i in range(SIDE):
            _dct_lanes(p, 16 * c + SIDE * i, 1)
        for i in range(SIDE):
            _dct_lanes(p, 16 * c + i, SIDE)


@njit(**_FAST)
def _both_ways_back(p, per_channel):
    for c in range(len(per_channel)):
        for i in range(SIDE):
            _idct_lanes(p, 16 * c + i, SIDE)
        for i in range(SIDE):
            _idct_lanes(p, 16 * c + SIDE * i, 1)


@njit(**_FAST)
def _mix_lanes(p, matrix, per_channel):
    """Replace the planes of ``p`` (16 C, GROUP) by ``matrix`` (C, C) times them."""
    lanes = p.shape[1]
    if len(per_channel) == 1:
        f = matrix[0, 0]
        for k in range(16):
            row = p[k]
            for m in range(lanes):
                row[m] *= f
        return
    a, b, c = matrix[0], matrix[1], matrix[2]
    for k in range(16):
        r, g, e = p[k], p[16 + k], p[32 + k]
        for m in range(lanes):
            u, v, w = r[m], g[m], e[m]
            r[m] = a[0] * u + a[1] * v + a[2] * w
            g[m] = b[0] * u + b[1] * v + b[2] * w
            e[m] = c[0] * u + c[1] * v + c[2] * w


@njit(**_FAST)
def _gather(image, apart, stride, corners, own, out):
    """Patches of a group as lanes, minus the reference's: out (16 C, GROUP), plane by plane."""
    at = 0
    for row in range(0, len(own), SIDE):
        r0, r1, r2, r3 = out[row], out[row + 1], out[row + 2], out[row + 3]
        o0, o1, o2, o3 = own[row], own[row + 1], own[row + 2], own[row + 3]
        for m in range(GROUP):
            p = corners[m] + at
            r0[m] = image[p] - o0
            r1[m] = image[p + 1] - o1
            r2[m] = image[p + 2] - o2
            r3[m] = image[p + 3] - o3
        at += stride if row % (SIDE * SIDE) != SIDE * (SIDE - 1) else apart - (SIDE - 1) * stride


@njit(**_FAST)
def _invert(a, pivot):
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
def _invert_in_halves(a, pivot, scratch):
    """As `_invert`, by way of the inverse of one half and of what the other adds to it: mostly matrix products."""
    n = a.shape[0]
    if n < IN_HALVES:
        _invert(a, pivot)
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
    _invert(upper, pivot)
    np.dot(upper, beside, through)
    np.dot(beside.T, through, rest)
    for i in range(k):
        for j in range(k):
            lower[i, j] = a[h + i, h + j] - rest[i, j]
    _invert(lower, pivot)
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


@njit(**_FAST)
def _centre(g, y, mean, variance):
    """Subtract the mean of each row of ``g`` from that row of both, and note it and the row's variance."""
    lanes = g.shape[1]
    for k in range(len(mean)):
        row, noisy = g[k], y[k]
        s = np.float32(0)
        for m in range(lanes):
            s += row[m]
        s *= np.float32(1 / GROUP)
        v = np.float32(0)
        for m in range(lanes):
            row[m] -= s
            noisy[m] -= s
            v += row[m] * row[m]
        mean[k] = s
        variance[k] = v * np.float32(1 / (GROUP - 1))


@njit(**_FAST)
def _shrink_or_choose(g, y, mean, variance, cov, which, active, noisy):
    """Shrink the rows of ``y`` that hold little on their own, copy the others aside; their number, and the trace."""
    lanes = g.shape[1]
    n = 0
    trace = np.float32(0)
    for k in range(len(mean)):
        own = cov[k, k]
        row = y[k]
        if variance[k] > TOGETHER * own:
            source, target, other = g[k], active[n], noisy[n]
            for m in range(lanes):
                target[m] = source[m]
                other[m] = row[m]
            which[n] = k
            n += 1
        else:
            f = variance[k] / (variance[k] + own)
            trace += f
            s = mean[k]
            for m in range(lanes):
                row[m] = f * row[m] + s
    return n, trace


@njit(**_FAST)
def _together(n, which, active, noisy, y, mean, cov, white, scratch):
    """Estimate the n coefficients of ``active`` from their covariance and put them into ``y``; the filter's trace."""
    size = (n + 3) // 4 * 4
    lanes = y.shape[1]
    for i in range(n, size):
        active[i] = 0
        noisy[i] = 0
    whole = scratch[0, : size * size].reshape(size, size)
    filt = scratch[1, : size * size].reshape(size, size)
    noise = scratch[2, : size * size].reshape(size, size)
    pivot = scratch[3].reshape(4, -1)
    found = scratch[4, : size * lanes].reshape(size, lanes)
    np.dot(active[:size], active[:size].T, whole)
    share = np.float32(1 / (GROUP - 1))
    for i in range(n):
        of, to, line = whole[i], noise[i], cov[which[i]]
        for j in range(n):
            to[j] = line[which[j]]
            of[j] = of[j] * share + to[j]
    for i in range(n, size):
        noise[i] = 0
        noise[:, i] = 0
        whole[i, i] = np.float32(1)
    _invert_in_halves(whole, pivot, scratch[5:])
    if white:
        for i in range(size):
            f, of, to = noise[i, i], whole[i], filt[i]
            for j in range(size):
                to[j] = -f * of[j]
    else:
        np.dot(noise, whole, filt)
        for i in range(size):
            to = filt[i]
            for j in range(size):
                to[j] = -to[j]
    trace = np.float32(0)
    for i in range(n):
        filt[i, i] += np.float32(1)
        trace += filt[i, i]
    np.dot(filt, noisy[:size], found)
    for i in range(n):
        source, target, s = found[i], y[which[i]], mean[which[i]]
        for m in range(lanes):
            target[m] = source[m] + s
    return trace


@njit(**_FAST)
def _scatter(y, own, weight, apart, stride, corners, total):
    """Add the estimated patches, lanes plus the reference's own, to the picture's sums."""
    at = 0
    for row in range(0, len(own), SIDE):
        r0, r1, r2, r3 = y[row], y[row + 1], y[row + 2], y[row + 3]
        o0, o1, o2, o3 = own[row], own[row + 1], own[row + 2], own[row + 3]
        for m in range(GROUP):
            p = corners[m] + at
            total[p] += weight * (r0[m] + o0)
            total[p + 1] += weight * (r1[m] + o1)
            total[p + 2] += weight * (r2[m] + o2)
            total[p + 3] += weight * (r3[m] + o3)
        at += stride if row % (SIDE * SIDE) != SIDE * (SIDE - 1) else apart - (SIDE - 1) * stride


@njit(**_FAST)
def _levels(g, own, mix, scale, scale_step, to_group, back):
    """The noise of each channel at the group's mean colour, made transforms of the planes there and back; its power."""
    channels = len(mix)
    last = scale.shape[1] - 1
    mean = np.empty(channels, np.float32)
    for k in range(channels):
        total = np.float32(0)
        for q in range(16 * k, 16 * k + 16):
            s = np.float32(0)
            row = g[q]
            for m in range(g.shape[1]):
                s += row[m]
            total += own[q] + s * np.float32(1 / GROUP)
        mean[k] = total * np.float32(1 / (SIDE * SIDE))
    power = np.float32(0)
    to_group[:] = 0
    back[:] = 0
    for c in range(channels):
        level = np.float32(0)
        for k in range(channels):
            level += mix[k, c] * mean[k]
        s = scale[c, min(max(int(level * scale_step), 0), last)]
        power += s * s
        for k in range(channels):
            for q in range(channels):
                both = mix[k, c] * mix[q, c]
                to_group[k, q] += both / s
                back[k, q] += both * s
    return power / np.float32(channels)


@njit(**_FAST)
def estimate(
    per_channel,
    noisy,
    guide,
    apart,
    stride,
    y0,
    x0,
    rows,
    cols,
    step,
    moves,
    chosen,
    mix,
    cov,
    white,
    scale,
    scale_step,
    total,
    weights,
):
    """Estimate all groups of a grid of references.

    per_channel : a tuple with one entry per channel; its length is part of its type, so that the sizes are known
        when the kernel is compiled, which is what lets the loops vectorise.
    noisy, guide : flat opponent planes, ``apart`` values from plane to plane and ``stride`` from row to row.
    moves : (n, 2) displacements. chosen : (references, GROUP) numbers of them.
    mix : (C, C) from channels to the planes; cov : (16 C, 16 C) noise of their DCT coefficients, unclipped.
    total : flat sums with the same layout as ``noisy``; weights : of one plane, one entry per patch corner.
    """
    channels = len(per_channel)
    size = SIDE * SIDE * channels
    g, y = np.zeros((size, GROUP), np.float32), np.zeros((size, GROUP), np.float32)
    active, aside = np.zeros((size, GROUP), np.float32), np.zeros((size, GROUP), np.float32)
    scratch = np.zeros((12, size * max(size, GROUP)), np.float32)
    own, mean, variance = np.zeros(size, np.float32), np.zeros(size, np.float32), np.zeros(size, np.float32)
    to_group, back = np.zeros((channels, channels), np.float32), np.zeros((channels, channels), np.float32)
    which, corners = np.zeros(size, np.int64), np.zeros(GROUP, np.int64)
    for r in range(rows * cols):
        corner = (y0 + (r // cols) * step) * stride + x0 + (r % cols) * step
        for c in range(channels):
            for i in range(SIDE):
                for j in range(SIDE):
                    own[16 * c + SIDE * i + j] = guide[c * apart + corner + i * stride + j]
        for m in range(GROUP):
            k = chosen[r, m]
            corners[m] = corner + moves[k, 0] * stride + moves[k, 1]
        _gather(guide, apart, stride, corners, own, g)
        _gather(noisy, apart, stride, corners, own, y)
        power = _levels(g, own, mix, scale, scale_step, to_group, back)
        _mix_lanes(g, to_group, per_channel)
        _mix_lanes(y, to_group, per_channel)
        _both_ways(g, per_channel)
        _both_ways(y, per_channel)
        _centre(g, y, mean, variance)
        n, trace = _shrink_or_choose(g, y, mean, variance, cov, which, active, aside)
        if n > 0:
            trace += _together(n, which, active, aside, y, mean, cov, white, scratch)
        _both_ways_back(y, per_channel)
        _mix_lanes(y, back, per_channel)
        weight = np.float32(1) / ((max(trace, np.float32(0)) + np.float32(size / GROUP)) * power)
        for m in range(GROUP):
            weights[corners[m]] += weight
        _scatter(y, own, weight, apart, stride, corners, total)


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
