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

from dustpan.core.noise.groups import GROUP, SIDE, gather, remix, scatter, scatter_alike, transform, transform_back
from dustpan.core.noise.inverse import invert

UNIT = np.float32(0.02)  # noise that is so near to that of the print counts as that
TIMES = 4  # that a mean is filtered, an even number: as if means were wrong by a tenth of what groups vary
_FAST: Any = dict(fastmath=True, nogil=True, cache=True, error_model="numpy")


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
def _choose(g, mean, variance, cov, worth, which, active, live):
    """Copy the rows of ``g`` that are worth an estimate aside, without their mean; their number, and their planes.

    What an estimate saves is the squared error v - v N / (v + N) of a variance v in noise N; it has to be ``worth``.
    """
    lanes = active.shape[1]
    n = 0
    live[:] = False
    for k in range(len(variance)):
        v = variance[k]
        if v * v > worth * (v + cov[k, k]):
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
    invert(whole, pivot, scratch[4:])
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
    worth = np.float32(0)  # counts against the noise where that is strongest
    for k in range(size):
        worth = max(worth, least * least * cov[k, k])
    for r in range(rows * cols):
        corner = (y0 + (r // cols) * step) * stride + x0 + (r % cols) * step
        for m in range(GROUP):
            k = chosen[r, m]
            corners[m] = corner + moves[k, 0] * stride + moves[k, 1]
        for c in range(channels):
            gather(guide[c * apart : (c + 1) * apart], stride, corners, g, 16 * c)
            transform(g, 16 * c)
        power, own = _levels(g, mix, scale, scale_step, to_group, back)
        if not own:
            remix(g, to_group, per_channel)
        _moments(g, mean, variance)
        n = _choose(g, mean, variance, cov, worth, which, active, live)
        trace = np.float32(0)
        if n > 0:
            if not own:
                live[:] = True
            for c in range(channels):
                if live[c]:
                    gather(noisy[c * apart : (c + 1) * apart], stride, corners, y, 16 * c)
                    transform(y, 16 * c)
            if not own:
                remix(y, to_group, per_channel)
            trace = _together(n, which, active, aside, y, mean, live, cov, white, content, left, scratch)
            if not own:
                remix(y, back, per_channel)
        elif not own:
            mean[:] = np.dot(back, mean.reshape(channels, SIDE * SIDE)).ravel()
        weight = np.float32(1) / ((max(trace, np.float32(0)) + np.float32(size / GROUP)) * power)
        for m in range(GROUP):
            weights[corners[m]] += weight
        for c in range(channels):
            plane = total[c * apart : (c + 1) * apart]
            if live[c]:
                transform_back(y, 16 * c)
                scatter(y, 16 * c, weight, stride, corners, plane)
            else:
                scatter_alike(mean[16 * c : 16 * (c + 1)], weight, stride, corners, plane)
