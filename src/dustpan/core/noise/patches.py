"""Joint-colour Bayesian estimate of groups of alike patches.

Alike patches of 4 x 4 px in all channels are taken as draws from one normal distribution, whose mean and covariance are
measured on the guide; with the noise's own covariance that gives the linear estimate with the least mean square error
(Lebrun, Buades, Morel, 2013). Noise is divided by how strong it is at the group's brightness, channel by channel.

The estimate is made on DCT coefficients of the opponent planes. There most coefficients of a group hold next to nothing
but noise, and the group's mean is all that is kept of them; only the few that hold content, and those of gradients, are
estimated, from their full covariance. That is several times less work than all of them together, and fewer numbers to
estimate from the same patches; planes of a group without any need not even be read. Every patch of a group is
estimated, and overlapping estimates are averaged, each weighted by the inverse of the noise that is left in it.

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

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import FAST, PLANE, ROW, b1, f4, i4, i8, kernel, part, record, tuple_of
from dustpan.core.noise.groups import GROUP, SIDE, gather, remix, scatter, scatter_alike
from dustpan.core.noise.inverse import WIDE, invert
from dustpan.core.noise.lanes import LANES, ZERO, alike, load, spread, store, store_totals, total, up

UNIT = np.float32(0.02)  # noise that is so near to that of the print counts as that
TIMES = 4  # that a mean is filtered, an even number: as if means were wrong by a tenth of what groups vary
APART = 17  # numbers between neighbours in a group: patches that overlap are not put back one right after the other


@part(FAST)
def _moments(g, mean, variance):
    """Mean and variance of each row of ``g``, from the differences to its first value."""
    for k in range(len(variance)):
        o = k * GROUP
        first = spread(g[o])
        s, v = spread(ZERO), spread(ZERO)
        for m in range(o, o + GROUP, LANES):
            d = load(g, m) - first
            s += d
            v += d * d
        off = total(s) * np.float32(1 / GROUP)
        mean[k] = g[o] + off
        variance[k] = max(total(v) * np.float32(1 / GROUP) - off * off, ZERO) * np.float32(GROUP / (GROUP - 1))


@part(FAST)
def _choose(variance, cov, gains, worth, which, live):
    """Number the coefficients that are worth an estimate; how many they are, and in which planes.

    gains : that the noise of each coefficient is stronger by than ``cov`` says.

    What an estimate saves is the squared error v - v N / (v + N) of a variance v in noise N; it has to be ``worth``.
    The mean level and the two slopes always are: a smooth gradient would turn into terraces of patches without them.
    """
    n = 0
    live[:] = False
    for k in range(len(variance)):
        v, place = variance[k], k % (SIDE * SIDE)
        smooth = place == 0 or place == 1 or place == SIDE
        if v * v > worth * (v + cov[k, k] * gains[k] * gains[k]) or (smooth and v > 0):
            which[n] = k
            live[k // (SIDE * SIDE)] = True
            n += 1
    which[n : n + 3] = len(variance)  # a row that nobody reads: rows are handled in fours
    return n


@part(FAST)
def _aside(g, n, which, mean, factor, out, off):
    """The chosen rows of ``g`` without ``mean``, times ``factor``, and zeros up to a multiple of four.

    ``off`` : what the mean is off.
    """
    f = spread(factor)
    for i in range(n):
        o = which[i] * GROUP
        middle, s = spread(mean[which[i]]), spread(ZERO)
        for m in range(0, GROUP, LANES):
            d = load(g, o + m) - middle
            s += d
            store(out, i * GROUP + m, f * d)
        off[i] = total(s) * np.float32(1 / GROUP)
    off[n : n + LANES] = 0
    for i in range(n, up(n, 4)):
        for m in range(0, GROUP, LANES):
            store(out, i * GROUP + m, spread(ZERO))


@part(FAST)
def _covariance(x, n, out):
    """Products of the first ``n`` rows of ``x``, a multiple of four, with each other, in rows `WIDE` apart."""
    for i in range(0, n, 4):
        o = i * GROUP
        for j in range(i, n, 2):
            a, b, c, d = spread(ZERO), spread(ZERO), spread(ZERO), spread(ZERO)
            e, f, g, h = spread(ZERO), spread(ZERO), spread(ZERO), spread(ZERO)
            for m in range(0, GROUP, LANES):
                v, w = load(x, j * GROUP + m), load(x, (j + 1) * GROUP + m)
                p, q = load(x, o + m), load(x, o + GROUP + m)
                r, s = load(x, o + 2 * GROUP + m), load(x, o + 3 * GROUP + m)
                a += v * p
                b += v * q
                c += v * r
                d += v * s
                e += w * p
                f += w * q
                g += w * r
                h += w * s
            store_totals(out, j * WIDE + i, a, b, c, d)
            store_totals(out, (j + 1) * WIDE + i, e, f, g, h)
    for i in range(n):
        for j in range(i + 1, n):
            out[i * WIDE + j] = out[j * WIDE + i]


@part(FAST)
def _filter(n, which, active, cov, gains, white, left, away, scratch):
    """What the estimate of n coefficients takes away of each, as a matrix, transposed; the trace of what it leaves.

    That is (C + (1 - left) N)^-1 N of the products C of ``active`` and the noise N.
    """
    size, wide = up(n, 4), up(n, LANES)
    whole, noise, pivot = scratch[0], scratch[1], scratch[2]
    _covariance(active, size, whole)
    more = np.float32(1) - left
    for i in range(size):
        for j in range(size, wide):
            whole[i * WIDE + j] = ZERO
    for i in range(n, size):
        whole[i * WIDE + i] = np.float32(1)
    if white:
        for i in range(n, wide):
            noise[i] = ZERO
        for i in range(n):
            noise[i] = cov[which[i], which[i]] * gains[which[i]] * gains[which[i]]
            whole[i * WIDE + i] += more * noise[i]
        invert(whole, size, pivot)
        for i in range(size):
            for q in range(0, wide, LANES):
                store(away, i * WIDE + q, load(noise, q) * load(whole, i * WIDE + q))
    else:
        for i in range(n):
            line, gain, o = cov[which[i]], gains[which[i]], i * WIDE
            for j in range(n):
                v = line[which[j]] * gain * gains[which[j]]
                noise[o + j] = v
                whole[o + j] += more * v
            for j in range(n, wide):
                noise[o + j] = ZERO
        invert(whole, size, pivot)
        for i in range(size):
            _combine(noise, n, whole[i * WIDE :], away[i * WIDE :])
    trace = np.float32(n)
    for i in range(n):
        trace -= away[i * WIDE + i]
    return trace


@part(FAST)
def _combine(matrix, n, shares, out):
    """The sum of the first n rows of a matrix in these shares."""
    q = 0
    while q < n:  # up to three sums abreast, for each waits for what it was
        a, b, c = spread(ZERO), spread(ZERO), spread(ZERO)
        if n - q > 2 * LANES:
            for j in range(n):
                f, o = alike(shares, j), j * WIDE + q
                a += f * load(matrix, o)
                b += f * load(matrix, o + LANES)
                c += f * load(matrix, o + 2 * LANES)
            store(out, q, a)
            store(out, q + LANES, b)
            store(out, q + 2 * LANES, c)
            q += 3 * LANES
        elif n - q > LANES:
            for j in range(n):
                f, o = alike(shares, j), j * WIDE + q
                a += f * load(matrix, o)
                b += f * load(matrix, o + LANES)
            store(out, q, a)
            store(out, q + LANES, b)
            q += 2 * LANES
        else:
            for j in range(n):
                a += alike(shares, j) * load(matrix, j * WIDE + q)
            store(out, q, a)
            q += LANES


@part(FAST)
def _settle(n, away, left, off, which, mean, scratch):
    """Move the mean of each coefficient to where the noisy patches want it, which it is ``off``.

    With noise left in the guide the filter turns what has no content by a little; that is taken out again.
    """
    rest, other = scratch[0], scratch[1]
    for i in range(n + LANES):
        other[i] = off[i]
    for _ in range(TIMES // 2):
        _combine(away, n, other, rest)
        _combine(away, n, rest, other)
    upright = (np.float32(1) - left) ** np.float32(TIMES)
    for i in range(n):
        off[i] -= upright * other[i]
    _combine(away, n, off, rest)
    for i in range(n):
        mean[which[i]] += rest[i]


@part(FAST)
def _together(n, which, noisy, away, mean, live, y):
    """The estimates of the chosen coefficients, into their rows of ``y``; others in ``live`` planes become the mean."""
    for i in range(0, n, 4):
        o = i * GROUP
        h, k, p, q = which[i], which[i + 1], which[i + 2], which[i + 3]
        r, s, t, u = spread(mean[h]), spread(mean[k]), spread(mean[p]), spread(mean[q])
        for m in range(0, GROUP, LANES):
            a, b = r + load(noisy, o + m), s + load(noisy, o + GROUP + m)
            c, d = t + load(noisy, o + 2 * GROUP + m), u + load(noisy, o + 3 * GROUP + m)
            for j in range(n):
                v, w = load(noisy, j * GROUP + m), j * WIDE + i
                a -= alike(away, w) * v
                b -= alike(away, w + 1) * v
                c -= alike(away, w + 2) * v
                d -= alike(away, w + 3) * v
            store(y, h * GROUP + m, a)
            store(y, k * GROUP + m, b)
            store(y, p * GROUP + m, c)
            store(y, q * GROUP + m, d)
    at = 0
    for k in range(len(live) * SIDE * SIDE):
        if at < n and which[at] == k:
            at += 1
        elif live[k // (SIDE * SIDE)]:
            for m in range(0, GROUP, LANES):
                store(y, k * GROUP + m, spread(mean[k]))


@part(FAST)
def _levels(g, mix, scale, scale_step, mean, to_group, back):
    """The noise of each channel at the group's mean colour, made transforms of the planes there and back.

    Returns its power, and whether it is the noise of the print as it is, so that nothing need be transformed.
    """
    channels = len(mix)
    last = scale.shape[1] - 1
    for k in range(channels):
        s = spread(ZERO)
        for m in range(16 * k * GROUP, (16 * k + 1) * GROUP, LANES):
            s += load(g, m)
        mean[k] = total(s) * np.float32(1 / (SIDE * GROUP))
    power = ZERO
    own = True
    to_group[:] = 0
    back[:] = 0
    for c in range(channels):
        level = ZERO
        for k in range(channels):
            level += mix[k, c] * mean[k]
        s = scale[c, min(max(int(level * scale_step), 0), last)]
        own = own and abs(s - np.float32(1)) < UNIT
        power += s * s
        inverse = np.float32(1) / s
        for k in range(channels):
            for q in range(channels):
                both = mix[k, c] * mix[q, c]
                to_group[k, q] += both * inverse
                back[k, q] += both * s
    return power / np.float32(channels), own


@part(FAST)
def _by_place(factor, apart, corners, middle, gains):
    """How much stronger the noise of a group is than the print's, into ``gains`` of each coefficient; of power, mean.

    factor : flat planes, see `sliding_dct`. middle : values from a patch's corner to its middle.
    """
    kinds = len(factor) // apart
    power = ZERO
    for k in range(0, len(gains), SIDE * SIDE):
        plane = min(k // (SIDE * SIDE), kinds - 1) * apart + middle
        s = ZERO
        for m in range(GROUP):
            v = factor[plane + corners[m]]
            s += v * v
        s *= np.float32(1 / GROUP)
        gains[k : k + SIDE * SIDE] = np.sqrt(s)
        power += s * np.float32(SIDE * SIDE)
    return power / np.float32(len(gains))


class Layout(NamedTuple):
    """Where values lie in flat planes: ``apart`` values from plane to plane and ``stride`` from row to row."""

    apart: int
    stride: int


class Grid(NamedTuple):
    """References: the px of the first, how many down and across, and how far from each other."""

    y0: int
    x0: int
    rows: int
    cols: int
    step: int


class GroupNoise(NamedTuple):
    """The noise of a group.

    mix : (C, C) from channels to the planes. cov : (16 C, 16 C) noise of their DCT coefficients, unclipped.
    white : whether that is the identity. scale, scale_step : the noise's scale against the level, see `Stabiliser`.
    factor : flat planes of a `Layout` that it is stronger by at every px, see `sliding_dct`; empty for 1.
    """

    mix: NDArray[np.float32]
    cov: NDArray[np.float32]
    white: bool
    scale: NDArray[np.float32]
    scale_step: np.float32
    factor: NDArray[np.float32]


class Trust(NamedTuple):
    """How far a guide is believed.

    least : of the noise's power; coefficients in which the guide varies by about that or more are estimated.
    content : of the guide's covariance; what is taken for content.
    left : of the noise's power; how much is taken to be left in the guide.
    """

    least: np.float32
    content: np.float32
    left: np.float32


@part(FAST)
def _turn(mean, matrix):
    """Mean patches of the planes of a group to those of the picture, in place."""
    channels = len(matrix)
    for i in range(SIDE * SIDE):
        a, b, c = mean[i], ZERO, ZERO
        if channels == 3:
            b, c = mean[SIDE * SIDE + i], mean[2 * SIDE * SIDE + i]
        for k in range(channels):
            s = matrix[k, 0] * a
            if channels == 3:
                s += matrix[k, 1] * b + matrix[k, 2] * c
            mean[k * SIDE * SIDE + i] = s


@kernel(
    ROW,
    ROW,
    tuple_of(Layout, i8),
    tuple_of(Grid, i8),
    i4[:, ::1],
    i4[:, ::1],
    record(GroupNoise, PLANE, PLANE, b1, PLANE, f4, ROW),
    tuple_of(Trust, f4),
    ROW,
    ROW,
    options=FAST,
)
def estimate(noisy, guide, layout, grid, moves, chosen, noise, trust, sums, weights):
    """Estimate all groups of a grid of references.

    noisy, guide : flat opponent planes with this `Layout`. grid : a `Grid`; noise : `GroupNoise`; trust : `Trust`.
    moves : (n, 2) displacements. chosen : (references, GROUP) numbers of them.
    sums : flat sums with the same layout as ``noisy``; weights : of one plane, one entry per patch corner.
    """
    apart, stride = layout.apart, layout.stride
    cols, step = grid.cols, grid.step
    cov, white = noise.cov, noise.white
    least, content, left = trust.least, trust.content, trust.left
    channels = len(noise.mix)
    size = SIDE * SIDE * channels
    g, y = np.zeros(size * GROUP, np.float32), np.zeros((size + 1) * GROUP, np.float32)
    active, aside = np.zeros((size + 3) * GROUP, np.float32), np.zeros((size + 3) * GROUP, np.float32)
    away, scratch = np.zeros(WIDE * WIDE, np.float32), np.zeros((3, WIDE * WIDE), np.float32)
    mean, variance, off = np.zeros(size + 1, np.float32), np.zeros(size, np.float32), np.zeros(WIDE + LANES, np.float32)
    to_group, back = np.zeros((channels, channels), np.float32), np.zeros((channels, channels), np.float32)
    which, corners = np.zeros(size + 3, np.int64), np.zeros(GROUP, np.int64)
    live = np.zeros(channels, np.bool_)
    gains, by = np.ones(size, np.float32), np.float32(1)
    root = np.sqrt(content * np.float32(1 / (GROUP - 1)))
    worth = ZERO  # counts against the noise where that is strongest
    for k in range(size):
        worth = max(worth, least * least * cov[k, k])
    for r in range(grid.rows * cols):
        corner = (grid.y0 + (r // cols) * step) * stride + grid.x0 + (r % cols) * step
        for m in range(GROUP):
            k = chosen[r, m * APART % GROUP]
            corners[m] = corner + moves[k, 0] * stride + moves[k, 1]
        for c in range(channels):
            gather(guide[c * apart : (c + 1) * apart], stride, corners, g, 16 * c)
        power, own = _levels(g, noise.mix, noise.scale, noise.scale_step, mean, to_group, back)
        if not own:
            remix(g, to_group)
        if len(noise.factor):
            by = _by_place(noise.factor, apart, corners, stride + 1, gains)
        _moments(g, mean, variance)
        n = _choose(variance, cov, gains, worth * by, which, live)
        trace = ZERO
        if n > 0:
            if not own:
                live[:] = True
            for c in range(channels):
                if live[c]:
                    gather(noisy[c * apart : (c + 1) * apart], stride, corners, y, 16 * c)
            if not own:
                remix(y, to_group)
            _aside(g, n, which, mean, root, active, off)
            trace = _filter(n, which, active, cov, gains, white, left, away, scratch)
            _aside(y, n, which, mean, np.float32(1), aside, off)
            _settle(n, away, left, off, which, mean, scratch)
            _together(n, which, aside, away, mean, live, y)
            if not own:
                remix(y, back)
        elif not own:
            _turn(mean, back)
        weight = np.float32(1) / ((max(trace, ZERO) + np.float32(size / GROUP)) * power * by)
        for m in range(GROUP):
            weights[corners[m]] += weight
        for c in range(channels):
            plane = sums[c * apart : (c + 1) * apart]
            if live[c]:
                scatter(y, 16 * c, weight, stride, corners, plane)
            else:
                scatter_alike(mean[16 * c : 16 * (c + 1)], weight, stride, corners, plane)
