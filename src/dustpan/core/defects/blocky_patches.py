"""Groups of alike 4 x 4 patches under a noise whose strength differs from place to place.

References
----------
[1] M. Lebrun, A. Buades, J.-M. Morel, "A nonlocal Bayesian image denoising algorithm", SIAM J. Imaging Sci. 6(3), 2013.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import FAST, PLANE, kernel, part

SIDE, SEARCH, GROUP = 4, 8, 48
_AREA = SIDE * SIDE


@part(FAST)
def _distances(guide, y0, x0, out):
    """Squared differences of the patch at (y0, x0) to all around it."""
    n = 0
    for y in range(y0 - SEARCH, y0 + SEARCH + 1):
        for x in range(x0 - SEARCH, x0 + SEARCH + 1):
            d = np.float32(0)
            for a in range(SIDE):
                for b in range(SIDE):
                    e = guide[y0 + a, x0 + b] - guide[y + a, x + b]
                    d += e * e
            out[n] = d
            n += 1


@part(FAST)
def _smallest(values, k, order):
    """The value that has ``k`` others before it in order (Hoare's selection); ``order`` is scratch of their size."""
    for i in range(len(values)):
        order[i] = values[i]
    low, high = 0, len(values) - 1
    while low < high:
        pivot = order[(low + high) // 2]
        i, j = low, high
        while i <= j:
            while order[i] < pivot:
                i += 1
            while order[j] > pivot:
                j -= 1
            if i <= j:
                order[i], order[j] = order[j], order[i]
                i += 1
                j -= 1
        if k <= j:
            high = j
        elif k >= i:
            low = i
        else:
            break
    return order[k]


@part(FAST)
def _gather(plane, ys, xs, mean, out):
    """The patches (GROUP, 16) at these places without a mean patch."""
    for i in range(GROUP):
        for a in range(SIDE):
            for b in range(SIDE):
                out[i, SIDE * a + b] = plane[ys[i] + a, xs[i] + b] - mean[SIDE * a + b]


@part(FAST)
def _factored(m):
    """The lower triangle of Cholesky of a symmetric matrix, in place."""
    for j in range(_AREA):
        for k in range(j):
            f = m[j, k]
            for i in range(j, _AREA):
                m[i, j] -= f * m[i, k]
        f = np.float32(1) / np.sqrt(max(m[j, j], np.float32(1e-6)))
        for i in range(j, _AREA):
            m[i, j] *= f


@part(FAST)
def _solved(m, rhs):
    """Replace the columns of ``rhs`` by what solves them, from the triangle of `_factored`."""
    for i in range(_AREA):
        for k in range(i):
            f = m[i, k]
            for c in range(_AREA):
                rhs[i, c] -= f * rhs[k, c]
        f = np.float32(1) / m[i, i]
        for c in range(_AREA):
            rhs[i, c] *= f
    for i in range(_AREA - 1, -1, -1):
        for k in range(i + 1, _AREA):
            f = m[k, i]
            for c in range(_AREA):
                rhs[i, c] -= f * rhs[k, c]
        f = np.float32(1) / m[i, i]
        for c in range(_AREA):
            rhs[i, c] *= f


@part(FAST)
def _filter(guides, covariance, noise, total, out):
    """(C + N)^-1 C of a group's covariance C and the noise N times ``noise``; the trace of it."""
    for i in range(_AREA):
        for j in range(_AREA):
            out[i, j] = 0
    for k in range(GROUP):
        for i in range(_AREA):
            f = guides[k, i] * np.float32(1 / GROUP)
            for j in range(_AREA):
                out[i, j] += f * guides[k, j]
    for i in range(_AREA):
        for j in range(_AREA):
            total[i, j] = out[i, j] + noise * covariance[i, j]
    _factored(total)
    _solved(total, out)
    trace = np.float32(0)
    for i in range(_AREA):
        trace += out[i, i]
    return trace


@kernel(PLANE, PLANE, PLANE, PLANE, PLANE, PLANE, options=FAST)
def _estimate(plane, guide, scale, covariance, sums, weights):
    h, w = plane.shape
    across = 2 * SEARCH + 1
    distance, order = np.empty(across * across, np.float32), np.empty(across * across, np.float32)
    ys, xs = np.zeros(GROUP, np.int64), np.zeros(GROUP, np.int64)
    guides, noisy = np.empty((GROUP, _AREA), np.float32), np.empty((GROUP, _AREA), np.float32)
    total, matrix = np.empty((_AREA, _AREA), np.float32), np.empty((_AREA, _AREA), np.float32)
    mean, line = np.empty(_AREA, np.float32), np.empty(_AREA, np.float32)
    for y0 in range(SEARCH + SIDE, h - 2 * SIDE - SEARCH + 1, SIDE):
        for x0 in range(SEARCH + SIDE, w - 2 * SIDE - SEARCH + 1, SIDE):
            _distances(guide, y0, x0, distance)
            limit = _smallest(distance, GROUP - 1, order)
            n = 0
            for nearer in (True, False):  # those that are as far as the last one only as long as there is room
                for i in range(across * across):
                    if n < GROUP and (distance[i] < limit if nearer else distance[i] == limit):
                        ys[n], xs[n] = y0 - SEARCH + i // across, x0 - SEARCH + i % across
                        n += 1
            mean[:] = 0
            _gather(guide, ys, xs, mean, guides)
            for i in range(GROUP):
                for j in range(_AREA):
                    mean[j] += guides[i, j] * np.float32(1 / GROUP)
            for i in range(GROUP):
                for j in range(_AREA):
                    guides[i, j] -= mean[j]
            _gather(plane, ys, xs, mean, noisy)
            noise = scale[y0 + SIDE // 2, x0 + SIDE // 2]
            trace = _filter(guides, covariance, noise, total, matrix)
            weight = np.float32(1) / ((trace + np.float32(_AREA / GROUP)) * noise)
            for i in range(GROUP):
                for j in range(_AREA):
                    line[j] = mean[j]
                for k in range(_AREA):
                    f = noisy[i, k]
                    for j in range(_AREA):
                        line[j] += f * matrix[k, j]
                for a in range(SIDE):
                    for b in range(SIDE):
                        sums[ys[i] + a, xs[i] + b] += weight * line[SIDE * a + b]
                        weights[ys[i] + a, xs[i] + b] += weight


def bayes(
    plane: NDArray[np.float32], guide: NDArray[np.float32], scale: NDArray[np.float32], covariance: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Estimate a plane from groups of `GROUP` patches, alike in a guide.

    Parameters
    ----------
    plane, guide : (h, w). scale : (h, w) of the noise's power. covariance : (16, 16) of a patch's noise, row by row.

    Returns
    -------
    (h, w). The outermost 2 x (SEARCH + SIDE) px on each side are not complete; where nothing is, the guide.
    """
    sums, weights = np.zeros_like(plane), np.zeros_like(plane)
    _estimate(plane, guide, scale, covariance, sums, weights)
    return np.where(weights > 0, sums / np.maximum(weights, np.float32(1e-12)), guide).astype(np.float32)
