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
UNIT = np.float32(0.02)  # noise that is so near to that of the print counts as that
IN_HALVES = 24  # matrices from here on are inverted in halves
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


# Planes of a group are flat, GROUP values a row: distances that the compiler knows let it vectorise over the patches.
# Short loops run to a number that it does not know, or it writes them out one value at a time.


@njit(**_FAST)
def _both_ways(p, first):
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
def _both_ways_back(p, first):
    """Inverse of `_both_ways`."""
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
def _mix(p, matrix, per_channel):
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
def _gather(image, apart, stride, corners, per_channel, out):
    """Patches of a group as lanes, plane by plane."""
    for c in range(len(per_channel)):
        for i in range(SIDE):
            at = c * apart + i * stride
            o = (16 * c + SIDE * i) * GROUP
            for m in range(GROUP):
                p = np.uintp(corners[m] + at)
                out[o + m] = image[p]
                out[o + GROUP + m] = image[p + np.uintp(1)]
                out[o + 2 * GROUP + m] = image[p + np.uintp(2)]
                out[o + 3 * GROUP + m] = image[p + np.uintp(3)]


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
    lanes = len(g) // len(mean)
    for k in range(len(mean)):
        o = k * GROUP
        s = np.float32(0)
        for m in range(lanes):
            s += g[o + m]
        s *= np.float32(1 / GROUP)
        v = np.float32(0)
        for m in range(lanes):
            d = g[o + m] - s
            g[o + m] = d
            v += d * d
        mean[k] = s
        variance[k] = v * np.float32(1 / (GROUP - 1))
    for k in range(len(mean)):
        o, s = k * GROUP, mean[k]
        for m in range(lanes):
            y[o + m] -= s


@njit(**_FAST)
def _shrink_or_choose(g, y, mean, variance, cov, alone_below, which, active, noisy):
    """Shrink the rows of ``y`` that hold little on their own, copy the others aside; their number, and the trace."""
    n = 0
    trace = np.float32(0)
    for k in range(len(mean)):
        power = cov[k, k]
        row = y[k * GROUP : (k + 1) * GROUP]
        if variance[k] > alone_below * power:
            source, target, other = g[k * GROUP : (k + 1) * GROUP], active[n], noisy[n]
            for m in range(GROUP):
                target[m] = source[m]
            for m in range(GROUP):
                other[m] = row[m]
            which[n] = k
            n += 1
        else:
            f = variance[k] / (variance[k] + power)
            trace += f
            s = mean[k]
            for m in range(GROUP):
                row[m] = f * row[m] + s
    return n, trace


@njit(**_FAST)
def _filter(n, size, which, active, cov, white, scratch):
    """Filter (size, size) of the n coefficients of ``active`` (size, GROUP), from their covariance; its trace."""
    whole = scratch[0, : size * size].reshape(size, size)
    filt = scratch[1, : size * size].reshape(size, size)
    noise = scratch[2, : size * size].reshape(size, size)
    pivot = scratch[3].reshape(4, -1)
    np.dot(active, active.T, whole)
    share = np.float32(1 / (GROUP - 1))
    for i in range(size):
        line = whole[i]
        for j in range(size):
            line[j] *= share
    for i in range(n):
        if white:
            whole[i, i] += cov[which[i], which[i]]
        else:
            line, of, to = cov[which[i]], whole[i], noise[i]
            for j in range(n):
                v = line[which[j]]
                to[j] = v
                of[j] += v
            for j in range(n, size):
                to[j] = 0
    for i in range(n, size):
        noise[i] = 0
        whole[i, i] = np.float32(1)
    _invert_in_halves(whole, pivot, scratch[4:])
    if white:
        for i in range(n):
            f, of, to = cov[which[i], which[i]], whole[i], filt[i]
            for j in range(size):
                to[j] = -f * of[j]
    else:
        np.dot(noise, whole, filt)
        for i in range(n):
            to = filt[i]
            for j in range(size):
                to[j] = -to[j]
    trace = np.float32(0)
    for i in range(n):
        filt[i, i] += np.float32(1)
        trace += filt[i, i]
    return filt, trace


@njit(**_FAST)
def _together(n, which, active, noisy, y, mean, cov, white, scratch):
    """Estimate the n coefficients of ``active`` from their covariance and put them into ``y``; the filter's trace."""
    size = (n + 3) // 4 * 4
    for i in range(n, size):
        active[i] = 0
        noisy[i] = 0
    filt, trace = _filter(n, size, which, active[:size], cov, white, scratch[1:])
    found = scratch[0, : size * GROUP].reshape(size, GROUP)
    np.dot(filt, noisy[:size], found)
    for i in range(n):
        k = which[i]
        source, target, s = found[i], y[k * GROUP : (k + 1) * GROUP], mean[k]
        for m in range(GROUP):
            target[m] = source[m] + s
    return trace


@njit(**_FAST)
def _scatter(y, weight, apart, stride, corners, per_channel, total):
    """Add the estimated patches to the picture's sums."""
    for c in range(len(per_channel)):
        for i in range(SIDE):
            at = c * apart + i * stride
            o = (16 * c + SIDE * i) * GROUP
            for m in range(GROUP):
                p = np.uintp(corners[m] + at)
                q, r, s = p + np.uintp(1), p + np.uintp(2), p + np.uintp(3)
                a, b, d, e = y[o + m], y[o + GROUP + m], y[o + 2 * GROUP + m], y[o + 3 * GROUP + m]
                a, b, d, e = total[p] + weight * a, total[q] + weight * b, total[r] + weight * d, total[s] + weight * e
                total[p], total[q], total[r], total[s] = a, b, d, e


@njit(**_FAST)
def _levels(g, mix, scale, scale_step, to_group, back):
    """The noise of each channel at the group's mean colour, made transforms of the planes there and back.

    Returns its power, and whether it is the noise of the print as it is, so that nothing need be transformed.
    """
    channels = len(mix)
    last = scale.shape[1] - 1
    mean = np.empty(channels, np.float32)
    for k in range(channels):
        s = np.float32(0)
        row = g[16 * k * GROUP : (16 * k + 1) * GROUP]
        for m in range(GROUP):
            s += row[m]
        mean[k] = s * np.float32(1 / (SIDE * GROUP))
    power = np.float32(0)
    own = True
    to_group[:] = 0
    back[:] = 0
    for c in range(channels):
        level = np.float32(0)
        for k in range(channels):
            level += mix[k, c] * mean[k]
        s = scale[c, min(max(int(level * scale_step), 0), last)]
        own = own and abs(s - np.float32(1)) < UNIT
        power += s * s
        for k in range(channels):
            for q in range(channels):
                both = mix[k, c] * mix[q, c]
                to_group[k, q] += both / s
                back[k, q] += both * s
    return power / np.float32(channels), own


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
    alone_below,
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
    alone_below : of the noise's power; coefficients in which the guide varies by more are estimated together.
    total : flat sums with the same layout as ``noisy``; weights : of one plane, one entry per patch corner.
    """
    channels = len(per_channel)
    size = SIDE * SIDE * channels
    g, y = np.zeros(size * GROUP, np.float32), np.zeros(size * GROUP, np.float32)
    active, aside = np.zeros((size, GROUP), np.float32), np.zeros((size, GROUP), np.float32)
    scratch = np.zeros((12, size * max(size, GROUP)), np.float32)
    mean, variance = np.zeros(size, np.float32), np.zeros(size, np.float32)
    to_group, back = np.zeros((channels, channels), np.float32), np.zeros((channels, channels), np.float32)
    which, corners = np.zeros(size, np.int64), np.zeros(GROUP, np.int64)
    for r in range(rows * cols):
        corner = (y0 + (r // cols) * step) * stride + x0 + (r % cols) * step
        for m in range(GROUP):
            k = chosen[r, m]
            corners[m] = corner + moves[k, 0] * stride + moves[k, 1]
        _gather(guide, apart, stride, corners, per_channel, g)
        _gather(noisy, apart, stride, corners, per_channel, y)
        for c in range(channels):
            _both_ways(g, 16 * c)
            _both_ways(y, 16 * c)
        power, own = _levels(g, mix, scale, scale_step, to_group, back)
        if not own:
            _mix(g, to_group, per_channel)
            _mix(y, to_group, per_channel)
        _centre(g, y, mean, variance)
        n, trace = _shrink_or_choose(g, y, mean, variance, cov, alone_below, which, active, aside)
        if n > 0:
            trace += _together(n, which, active, aside, y, mean, cov, white, scratch)
        if not own:
            _mix(y, back, per_channel)
        for c in range(channels):
            _both_ways_back(y, 16 * c)
        weight = np.float32(1) / ((max(trace, np.float32(0)) + np.float32(size / GROUP)) * power)
        for m in range(GROUP):
            weights[corners[m]] += weight
        _scatter(y, weight, apart, stride, corners, per_channel, total)


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
