"""A first-order regression of noisy planes on noise-free passes of a render.

At places on a lattice, values around are explained by a plane in the picture and in what the passes say (logarithm of
the albedo, normal); all pixels that took part get what it says of them, and what several places say is averaged.

References
----------
[1] B. Bitterli et al., "Nonlinearly weighted first-order regression for denoising Monte Carlo renderings",
    Computer Graphics Forum 35(4), 2016.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import FAST, PLANE, PLANES, b1, i8, kernel, part
from dustpan.core.region import Region

RADIUS, STEP = 8, 4  # px of a window, and between the places
REACH = 2 * RADIUS
ALIKE, OF_PASSES = 3.0, 1.5  # sigma of the guide, by which what is unlike counts less; and of the passes, inverse
RIDGE = 1e-3  # of the slopes
ROWS = 8  # of places between two looks at whether it was cancelled


def regressed(
    noisy: NDArray[np.float32],
    guide: NDArray[np.float32],
    sigma: NDArray[np.float32],
    passes: NDArray[np.float32],
    wanted: NDArray[np.bool_],
    area: Region,
    size: tuple[int, int],
    check: Callable[[], None] = lambda: None,
) -> NDArray[np.float32]:
    """What passes explain of the values of planes: (C, h, w).

    Values within `REACH` of the area's border, unless that is the picture's, are not what a larger area would give.

    Parameters
    ----------
    noisy, guide : (C, h, w) values and a first estimate of them. sigma : (h, w) of the noise. passes : (h, w, F),
        where 1 is a clear difference. wanted : (h, w) places that are looked at. area : what they cover, of a picture
        of ``size``.
    """
    c, h, w = noisy.shape
    sums, weights = np.zeros((h, w, c), np.float32), np.zeros((h, w), np.float32)
    first, last = -(-area.y0 // STEP) * STEP, area.y1
    turned = [np.ascontiguousarray(np.moveaxis(p, 0, -1), np.float32) for p in (noisy, guide)]
    own, given = np.ascontiguousarray(sigma, np.float32), np.ascontiguousarray(passes, np.float32)
    for y in range(first, last + STEP, STEP * ROWS):
        check()
        _regress(*turned, own, given, np.ascontiguousarray(wanted), area.y0, area.x0, y, *size, sums, weights)
    found = np.where(weights[..., None] > 0, sums / np.maximum(weights, 1e-9)[..., None], turned[1])
    return np.ascontiguousarray(np.moveaxis(found, -1, 0), np.float32)


@kernel(PLANES, PLANES, PLANE, PLANES, b1[:, ::1], i8, i8, i8, i8, i8, PLANES, PLANE, options=FAST)
def _regress(noisy, guide, sigma, passes, wanted, top, left, first, height, width, sums, weights):
    h, w, n = noisy.shape
    features = passes.shape[2]
    k = 3 + features
    side = 2 * RADIUS + 1
    products, right = np.zeros((k, k)), np.zeros((k, n))
    x = np.zeros(k)
    kept = np.zeros(side * side)
    columns = (width - 1 + STEP - 1) // STEP + 1
    for row in range(ROWS):
        cy = min(first + row * STEP, height - 1) - top
        if first + row * STEP >= height + STEP - 1 or cy < 0 or cy >= h:
            continue
        for column in range(columns):
            cx = min(column * STEP, width - 1) - left
            if cx < 0 or cx >= w or not wanted[cy, cx]:
                continue
            products[:] = 0.0
            right[:] = 0.0
            own = sigma[cy, cx]
            by_guide = 0.5 / (ALIKE * ALIKE * own * own * n)
            y0, y1 = max(0, cy - RADIUS), min(h, cy + RADIUS + 1)
            x0, x1 = max(0, cx - RADIUS), min(w, cx + RADIUS + 1)
            for v in range(y0, y1):
                for u in range(x0, x1):
                    d = 0.0
                    for c in range(n):
                        e = guide[v, u, c] - guide[cy, cx, c]
                        d += e * e
                    d *= by_guide
                    for f in range(features):
                        e = (passes[v, u, f] - passes[cy, cx, f]) * OF_PASSES
                        d += 0.5 * e * e
                    dy, dx = (v - cy) / RADIUS, (u - cx) / RADIUS
                    d += 0.7 * (dy * dy + dx * dx)
                    share = np.exp(-d) if d < 9 else 0.0
                    kept[(v - cy + RADIUS) * side + u - cx + RADIUS] = share
                    if share == 0:
                        continue
                    x[0], x[1], x[2] = 1.0, dy, dx
                    for f in range(features):
                        x[3 + f] = passes[v, u, f] - passes[cy, cx, f]
                    q = share * (own / sigma[v, u]) ** 2
                    for i in range(k):
                        t = q * x[i]
                        for j in range(i + 1):
                            products[i, j] += t * x[j]
                        for c in range(n):
                            right[i, c] += t * noisy[v, u, c]
            ridge = RIDGE * products[0, 0]
            for i in range(1, k):
                products[i, i] += ridge
            _solve(products, right)
            for v in range(y0, y1):
                for u in range(x0, x1):
                    share = kept[(v - cy + RADIUS) * side + u - cx + RADIUS]
                    if share < 0.02:
                        continue
                    dy, dx = (v - cy) / RADIUS, (u - cx) / RADIUS
                    weights[v, u] += share
                    for c in range(n):
                        e = right[0, c] + dy * right[1, c] + dx * right[2, c]
                        for f in range(features):
                            e += right[3 + f, c] * (passes[v, u, f] - passes[cy, cx, f])
                        sums[v, u, c] += share * e


@part(FAST)
def _solve(a, b):
    """Solve for ``b`` (k, n) in place, by Cholesky's factors of the lower half of ``a`` (k, k)."""
    k = len(a)
    for i in range(k):
        for j in range(i + 1):
            s = a[i, j]
            for m in range(j):
                s -= a[i, m] * a[j, m]
            a[i, j] = np.sqrt(max(s, 1e-12)) if i == j else s / a[j, j]
    for c in range(b.shape[1]):
        for i in range(k):
            s = b[i, c]
            for m in range(i):
                s -= a[i, m] * b[m, c]
            b[i, c] = s / a[i, i]
        for i in range(k - 1, -1, -1):
            s = b[i, c]
            for m in range(i + 1, k):
                s -= a[m, i] * b[m, c]
            b[i, c] = s / a[i, i]
