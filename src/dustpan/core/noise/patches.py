"""Joint-colour Bayesian estimate of groups of alike patches.

Alike patches of 4 x 4 px in all channels are taken as draws from one normal distribution, whose mean and covariance are
measured on the guide; with the noise's own covariance that gives the linear estimate with the least mean square error
(Lebrun, Buades, Morel, 2013). Noise is divided by how strong it is at the group's brightness, channel by channel.

The estimate is made on DCT coefficients of the opponent planes. There most coefficients of a group hold next to nothing
but noise, and the group's mean is all that is kept of them; only the few that hold content are estimated, from their
full covariance. That is several times less work than all of them together, and fewer numbers to estimate from the same
patches; planes of a group without any need not even be read. Every patch of a group is estimated, and overlapping
estimates are averaged, each weighted by the inverse of the noise that is left in it.

A guide is not the truth: it has some noise left, which is taken from its covariance, and it has lost some content,
so that the mean of a group is wrong by about a tenth of what the group varies. The mean of the noisy patches, with a
fiftieth of their noise, tells the rest: the filter is applied to what remains of their difference, again and again
(twicing: Tukey, 1977).

References
----------
[1] M. Lebrun, A. Buades, J.-M. Morel, "A nonlocal Bayesian image denoising algorithm", SIAM J. Imaging Sci. 6(3), 2013.
[2] J. W. Tukey, "Exploratory Data Analysis", Addison-Wesley, 1977, chapter 16.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from scipy.fft import dct

SIDE = 4
GROUP = 56  # patches
UNIT = np.float32(0.02)  # noise that is so near to that of the print counts as that
TIMES = 4  # that a mean is filtered, an even number: as if means were wrong by a tenth of what groups vary
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
def _mix_means(mean, matrix):
    """As `_mix`, of the 16 means of each plane."""
    channels = len(matrix)
    for k in range(SIDE * SIDE):
        before = np.empty(channels, np.float32)
        for c in range(channels):
            before[c] = mean[16 * c + k]
        for c in range(channels):
            s = np.float32(0)
            for q in range(channels):
                s += matrix[c, q] * before[q]
            mean[16 * c + k] = s


@njit(**_FAST)
def _gather(plane, stride, corners, out, first):
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
def _moments(g, mean, variance):
    """Mean and variance of each row of ``g``, from the differences to its first value."""
    lanes = len(g) // len(mean)
    for k in range(len(mean)):
        o = k * GROUP
        first = g[o]
        s = np.float32(0)
        v = np.float32(0)
        for m in range(lanes):
            d = g[o + m] - first
            s += d
            v += d * d
        s *= np.float32(1 / GROUP)
        mean[k] = first + s
        variance[k] = max(v * np.float32(1 / GROUP) - s * s, np.float32(0)) * np.float32(GROUP / (GROUP - 1))


@njit(**_FAST)
def _choose(g, mean, variance, cov, least, which, active, live):
    """Copy the rows of ``g`` that are worth an estimate aside, without their mean; their number, and their planes.

    What an estimate saves is the squared error v - v N / (v + N) of a variance v in noise N; it counts against the
    noise where that is strongest.
    """
    lanes = active.shape[1]
    usual = np.float32(0)
    for k in range(len(variance)):
        usual = max(usual, cov[k, k])
    usual *= least * least
    n = 0
    live[:] = False
    for k in range(len(variance)):
        v = variance[k]
        if v * v > usual * (v + cov[k, k]):
            source, target, s = g[k * GROUP : (k + 1) * GROUP], active[n], mean[k]
            for m in range(lanes):
                target[m] = source[m] - s
            which[n] = k
            live[k // (SIDE * SIDE)] = True
            n += 1
    return n


@njit(**_FAST)
def _filter(n, size, which, active, cov, white, content, left, scratch):
    """Transposed filter (size, size) of n coefficients, from the covariance of ``active`` (size, GROUP); its trace."""
    whole = scratch[0, : size * size].reshape(size, size)
    filt = scratch[1, : size * size].reshape(size, size)
    noise = scratch[2, : size * size].reshape(size, size)
    own = scratch[2, :size]
    pivot = scratch[3].reshape(4, -1)
    np.dot(active, active.T, whole)
    share = content * np.float32(1 / (GROUP - 1))
    more = np.float32(1) - left
    for i in range(size):
        line = whole[i]
        for j in range(size):
            line[j] *= share
    for i in range(n):
        if white:
            own[i] = cov[which[i], which[i]]
            whole[i, i] += more * own[i]
        else:
            line, of, to = cov[which[i]], whole[i], noise[i]
            for j in range(n):
                v = line[which[j]]
                to[j] = v
                of[j] += more * v
            for j in range(n, size):
                to[j] = 0
    for i in range(n, size):
        if not white:
            noise[i] = 0
        whole[i, i] = np.float32(1)
    _invert_in_halves(whole, pivot, scratch[4:])
    if white:
        for i in range(n):
            of, to = whole[i], filt[i]
            for j in range(n):
                to[j] = -own[j] * of[j]
            for j in range(n, size):
                to[j] = 0
        for i in range(n, size):
            filt[i] = 0
    else:
        np.dot(whole, noise, filt)  # both are symmetric
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
def _unfiltered(filt, size, source, out):
    """What the transposed filter leaves out of ``source`` (size,)."""
    for i in range(size):
        out[i] = source[i]
    for j in range(size):
        row, f = filt[j], source[j]
        for i in range(size):
            out[i] -= f * row[i]


@njit(**_FAST)
def _settle(n, size, filt, left, noisy, which, mean, scratch):
    """Move the mean of each coefficient to where the noisy patches want it, less what the filter moves it by.

    With noise left in the guide the filter turns what has no content by a little; that is taken out again.
    """
    lanes = noisy.shape[1]
    shift, rest, other = scratch[0, :size], scratch[1, :size], scratch[2, :size]
    for i in range(size):
        s = np.float32(0)
        row = noisy[i]
        for m in range(lanes):
            s += row[m]
        shift[i] = s * np.float32(1 / GROUP)
        other[i] = shift[i]
    for _ in range(TIMES // 2):
        _unfiltered(filt, size, other, rest)
        _unfiltered(filt, size, rest, other)
    upright = (np.float32(1) - left) ** np.float32(TIMES)
    for i in range(size):
        shift[i] -= upright * other[i]
    _unfiltered(filt, size, shift, rest)
    for i in range(n):
        mean[which[i]] += rest[i]


@njit(**_FAST)
def _together(n, which, active, noisy, y, mean, live, cov, white, content, left, scratch):
    """Estimate the n chosen coefficients of ``y``, in place, from the covariance of ``active``; the filter's trace.

    The others, in planes that are ``live``, become their mean.
    """
    lanes = noisy.shape[1]
    size = (n + 3) // 4 * 4
    for i in range(n):
        k = which[i]
        source, target, s = y[k * GROUP : (k + 1) * GROUP], noisy[i], mean[k]
        for m in range(lanes):
            target[m] = source[m] - s
    for i in range(n, size):
        active[i] = 0
        noisy[i] = 0
    filt, trace = _filter(n, size, which, active[:size], cov, white, content, left, scratch[3:])
    _settle(n, size, filt, left, noisy, which, mean, scratch)
    found = scratch[0, : size * GROUP].reshape(size, GROUP)
    np.dot(filt.T, noisy[:size], found)
    at = 0
    for k in range(len(mean)):
        target, s = y[k * GROUP : (k + 1) * GROUP], mean[k]
        if at < n and which[at] == k:
            source = found[at]
            at += 1
            for m in range(lanes):
                target[m] = source[m] + s
        elif live[k // (SIDE * SIDE)]:
            for m in range(lanes):
                target[m] = s
    return trace


@njit(**_FAST)
def _scatter(y, first, weight, stride, corners, total):
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
def _scatter_alike(patch, weight, stride, corners, total):
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
    least,
    content,
    left,
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
    least : of the noise's power; coefficients in which the guide varies by about that or more are estimated.
    content : of the guide's covariance; what is taken for content.
    left : of the noise's power; how much is taken to be left in the guide.
    total : flat sums with the same layout as ``noisy``; weights : of one plane, one entry per patch corner.
    """
    channels = len(per_channel)
    size = SIDE * SIDE * channels
    g, y = np.zeros(size * GROUP, np.float32), np.zeros(size * GROUP, np.float32)
    active, aside = np.zeros((size, GROUP), np.float32), np.zeros((size, GROUP), np.float32)
    scratch = np.zeros((14, size * max(size, GROUP)), np.float32)
    mean, variance = np.zeros(size, np.float32), np.zeros(size, np.float32)
    to_group, back = np.zeros((channels, channels), np.float32), np.zeros((channels, channels), np.float32)
    which, corners = np.zeros(size, np.int64), np.zeros(GROUP, np.int64)
    live = np.zeros(channels, np.bool_)
    for r in range(rows * cols):
        corner = (y0 + (r // cols) * step) * stride + x0 + (r % cols) * step
        for m in range(GROUP):
            k = chosen[r, m]
            corners[m] = corner + moves[k, 0] * stride + moves[k, 1]
        for c in range(channels):
            _gather(guide[c * apart : (c + 1) * apart], stride, corners, g, 16 * c)
            _both_ways(g, 16 * c)
        power, own = _levels(g, mix, scale, scale_step, to_group, back)
        if not own:
            _mix(g, to_group, per_channel)
        _moments(g, mean, variance)
        n = _choose(g, mean, variance, cov, least, which, active, live)
        trace = np.float32(0)
        if n > 0:
            if not own:
                live[:] = True
            for c in range(channels):
                if live[c]:
                    _gather(noisy[c * apart : (c + 1) * apart], stride, corners, y, 16 * c)
                    _both_ways(y, 16 * c)
            if not own:
                _mix(y, to_group, per_channel)
            trace = _together(n, which, active, aside, y, mean, live, cov, white, content, left, scratch)
            if not own:
                _mix(y, back, per_channel)
        elif not own:
            _mix_means(mean, back)
        weight = np.float32(1) / ((max(trace, np.float32(0)) + np.float32(size / GROUP)) * power)
        for m in range(GROUP):
            weights[corners[m]] += weight
        for c in range(channels):
            plane = total[c * apart : (c + 1) * apart]
            if live[c]:
                _both_ways_back(y, 16 * c)
                _scatter(y, 16 * c, weight, stride, corners, plane)
            else:
                _scatter_alike(mean[16 * c : 16 * (c + 1)], weight, stride, corners, plane)


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
