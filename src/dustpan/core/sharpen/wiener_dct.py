"""A sliding 8 x 8 transform that shrinks each coefficient by what a first estimate says of it.

References
----------
[1] G. Yu, G. Sapiro, "DCT image denoising: a simple and effective image denoising algorithm", IPOL 2011.
[2] S. Ghael, A. Sayeed, R. Baraniuk, "Improved wavelet denoising via empirical Wiener filtering", SPIE 3169, 1997.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import PLANE, ROW, kernel, part
from dustpan.core.noise.dct8 import exact_dct8 as dct8
from dustpan.core.noise.dct8 import exact_idct8 as idct8
from dustpan.core.noise.sliding_dct import MIDDLE

Plane = NDArray[np.float32]
SIDE, EVERY = 8, 2  # px of a block, and px between blocks


@part()
def _forward(plane, y, x, out):
    for i in range(SIDE):
        r, o = plane[y + i, x : x + SIDE], out[i]
        o[0], o[1], o[2], o[3], o[4], o[5], o[6], o[7] = dct8(r[0], r[1], r[2], r[3], r[4], r[5], r[6], r[7])
    for j in range(SIDE):
        c = out[:, j]
        c[0], c[1], c[2], c[3], c[4], c[5], c[6], c[7] = dct8(c[0], c[1], c[2], c[3], c[4], c[5], c[6], c[7])


@part()
def _back(block):
    for j in range(SIDE):
        c = block[:, j]
        c[0], c[1], c[2], c[3], c[4], c[5], c[6], c[7] = idct8(c[0], c[1], c[2], c[3], c[4], c[5], c[6], c[7])
    for i in range(SIDE):
        r = block[i]
        r[0], r[1], r[2], r[3], r[4], r[5], r[6], r[7] = idct8(r[0], r[1], r[2], r[3], r[4], r[5], r[6], r[7])


@kernel(PLANE, PLANE, PLANE, ROW, PLANE, PLANE, PLANE)
def _shrink(noisy, pilot, variance, scale, factor, sums, weights):
    h, w = noisy.shape
    a, b = np.empty((SIDE, SIDE), np.float32), np.empty((SIDE, SIDE), np.float32)
    last = len(scale) - 1
    for y in range(0, h - SIDE + 1, EVERY):
        for x in range(0, w - SIDE + 1, EVERY):
            _forward(noisy, y, x, a)
            _forward(pilot, y, x, b)
            level = b[0, 0] / np.float32(SIDE) * last
            at = int(min(max(level + np.float32(0.5), np.float32(0)), np.float32(last)))
            strength, kept = scale[at] * scale[at], np.float32(1)
            if len(factor):
                strength *= factor[y + MIDDLE, x + MIDDLE] * factor[y + MIDDLE, x + MIDDLE]
            for i in range(SIDE):
                for j in range(SIDE):
                    if i + j:
                        power = b[i, j] * b[i, j]
                        gain = power / (power + strength * variance[i, j])
                        a[i, j] *= gain
                        kept += gain * gain
            _back(a)
            weight = np.float32(1) / kept
            for i in range(SIDE):
                for j in range(SIDE):
                    sums[y + i, x + j] += weight * a[i, j]
                    weights[y + i, x + j] += weight


def wiener_dct(
    noisy: Plane,
    pilot: Plane,
    spectrum: NDArray[np.float32],
    scale: NDArray[np.float32],
    factor: Plane | None = None,
) -> Plane:
    """Shrink the coefficients of a plane.

    Parameters
    ----------
    noisy, pilot : (h, w), what is cleaned and a first estimate of it. spectrum : (64,) power of noise of unit sigma.
    scale : sigma of the noise at levels from 0 to 1. factor : (h, w) that it is stronger by; None for 1.

    Returns
    -------
    (h, w). The outermost 7 px on each side are covered by fewer blocks than the rest.
    """
    sums, weights = np.zeros_like(noisy), np.zeros_like(noisy)
    variance = np.ascontiguousarray(spectrum.reshape(SIDE, SIDE), np.float32)
    table = np.ascontiguousarray(scale, np.float32)
    by = np.empty((0, 0), np.float32) if factor is None else np.ascontiguousarray(factor, np.float32)
    _shrink(np.ascontiguousarray(noisy), np.ascontiguousarray(pilot), variance, table, by, sums, weights)
    return np.where(weights > 0, sums / np.maximum(weights, np.float32(1e-9)), pilot).astype(np.float32)
