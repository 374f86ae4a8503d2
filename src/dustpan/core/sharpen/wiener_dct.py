"""A sliding 8 x 8 transform that shrinks each coefficient by what a first estimate says of it.

References
----------
[1] G. Yu, G. Sapiro, "DCT image denoising: a simple and effective image denoising algorithm", IPOL 2011.
[2] S. Ghael, A. Sayeed, R. Baraniuk, "Improved wavelet denoising via empirical Wiener filtering", SPIE 3169, 1997.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

Plane = NDArray[np.float32]
SIDE, EVERY = 8, 2  # px of a block, and px between blocks
_n = np.arange(SIDE)
BASIS = (
    np.sqrt(np.where(_n == 0, 1, 2) / SIDE)[:, None] * np.cos(np.pi * _n[:, None] * (2 * _n + 1) / (2 * SIDE))
).astype(np.float32)


@njit(nogil=True, cache=True, error_model="numpy", fastmath=False)
def _transform(plane, y, x, basis, half, out):
    for i in range(SIDE):
        for j in range(SIDE):
            total = np.float32(0)
            for k in range(SIDE):
                total += basis[i, k] * plane[y + k, x + j]
            half[i, j] = total
    for i in range(SIDE):
        for j in range(SIDE):
            total = np.float32(0)
            for k in range(SIDE):
                total += half[i, k] * basis[j, k]
            out[i, j] = total


@njit(nogil=True, cache=True, error_model="numpy", fastmath=False)
def _shrink(noisy, pilot, variance, scale, basis, sums, weights):
    h, w = noisy.shape
    a, b = np.empty((SIDE, SIDE), np.float32), np.empty((SIDE, SIDE), np.float32)
    half = np.empty((SIDE, SIDE), np.float32)
    last = len(scale) - 1
    for y in range(0, h - SIDE + 1, EVERY):
        for x in range(0, w - SIDE + 1, EVERY):
            _transform(noisy, y, x, basis, half, a)
            _transform(pilot, y, x, basis, half, b)
            level = b[0, 0] / np.float32(SIDE) * last
            at = int(min(max(level + np.float32(0.5), np.float32(0)), np.float32(last)))
            strength, kept = scale[at] * scale[at], np.float32(1)
            for i in range(SIDE):
                for j in range(SIDE):
                    if i + j:
                        power = b[i, j] * b[i, j]
                        gain = power / (power + strength * variance[i, j])
                        a[i, j] *= gain
                        kept += gain * gain
            for i in range(SIDE):
                for j in range(SIDE):
                    total = np.float32(0)
                    for k in range(SIDE):
                        total += basis[k, i] * a[k, j]
                    half[i, j] = total
            weight = np.float32(1) / kept
            for i in range(SIDE):
                for j in range(SIDE):
                    total = np.float32(0)
                    for k in range(SIDE):
                        total += half[i, k] * basis[k, j]
                    sums[y + i, x + j] += weight * total
                    weights[y + i, x + j] += weight


def wiener_dct(noisy: Plane, pilot: Plane, spectrum: NDArray[np.float32], scale: NDArray[np.float32]) -> Plane:
    """Shrink the coefficients of a plane.

    Parameters
    ----------
    noisy, pilot : (h, w), what is cleaned and a first estimate of it. spectrum : (64,) power of noise of unit sigma.
    scale : sigma of the noise at levels from 0 to 1.

    Returns
    -------
    (h, w). The outermost 7 px on each side are covered by fewer blocks than the rest.
    """
    sums, weights = np.zeros_like(noisy), np.zeros_like(noisy)
    variance = np.ascontiguousarray(spectrum.reshape(SIDE, SIDE), np.float32)
    table = np.ascontiguousarray(scale, np.float32)
    _shrink(np.ascontiguousarray(noisy), np.ascontiguousarray(pilot), variance, table, BASIS, sums, weights)
    return np.where(weights > 0, sums / np.maximum(weights, np.float32(1e-9)), pilot).astype(np.float32)
