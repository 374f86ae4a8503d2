"""Smoothing whose result does not depend on how a plane is cut: a Gaussian, and a filter that follows a guide's edges.

References
----------
[1] K. He, J. Sun, X. Tang, "Guided image filtering", IEEE Trans. PAMI 35(6), 2013; here in Gaussian windows.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

CUT = 3.0  # Gaussians end at this many sigma
LANES = 64  # px


def reach_of(sigma: float) -> int:
    """How far `gaussian` reads, in px."""
    return round(CUT * sigma)


def gaussian(plane: NDArray[np.float32], sigma: float) -> NDArray[np.float32]:
    """A plane (h, w) blurred with a Gaussian that ends at `CUT` sigma; the values at an edge go on beyond it."""
    if reach_of(sigma) == 0:
        return np.ascontiguousarray(plane, np.float32)
    x = np.arange(-reach_of(sigma), reach_of(sigma) + 1)
    bell = np.exp(-0.5 * (x / sigma) ** 2)
    bell = (bell / bell.sum()).astype(np.float32)
    width = plane.shape[1]
    # on whole lanes, because the last odd columns of a row are rounded in another way
    wide = cv2.copyMakeBorder(plane, 0, 0, 0, -width % LANES, cv2.BORDER_REPLICATE)
    soft = cv2.sepFilter2D(wide, -1, bell, bell, borderType=cv2.BORDER_REPLICATE)
    return np.ascontiguousarray(soft[:, :width], np.float32)


def guided(plane: NDArray[np.float32], guide: NDArray[np.float32], sigma: float, even: float) -> NDArray[np.float32]:
    """A plane that follows the edges of a guide (h, w, C), in Gaussian windows."""
    channels = [np.ascontiguousarray(guide[..., c]) for c in range(guide.shape[2])]
    mean, means = gaussian(plane, sigma), [gaussian(c, sigma) for c in channels]
    n = len(channels)
    cross = [gaussian(c * plane, sigma) - m * mean for c, m in zip(channels, means, strict=True)]
    covariance = np.empty((n, n, *plane.shape), np.float32)
    for i in range(n):
        for j in range(i, n):
            covariance[i, j] = covariance[j, i] = gaussian(channels[i] * channels[j], sigma) - means[i] * means[j]
        covariance[i, i] += np.float32(even)
    slopes = _solved(covariance, cross)
    offset = mean - sum(s * m for s, m in zip(slopes, means, strict=True))
    out = gaussian(np.asarray(offset, np.float32), sigma)
    for s, c in zip(slopes, channels, strict=True):
        out += gaussian(np.ascontiguousarray(s), sigma) * c
    return out


def _solved(m: NDArray, b: list[NDArray[np.float32]]) -> list[NDArray[np.float32]]:
    """Solutions of symmetric systems of one or three unknowns, at every pixel, by cofactors."""
    if len(b) == 1:
        return [b[0] / m[0, 0]]
    minors = [
        m[1, 1] * m[2, 2] - m[1, 2] ** 2, m[0, 2] * m[1, 2] - m[0, 1] * m[2, 2], m[0, 1] * m[1, 2] - m[0, 2] * m[1, 1],
        m[0, 0] * m[2, 2] - m[0, 2] ** 2, m[0, 1] * m[0, 2] - m[0, 0] * m[1, 2], m[0, 0] * m[1, 1] - m[0, 1] ** 2,
    ]  # fmt: skip
    a, d, e, f, g, h = minors
    whole = np.maximum(m[0, 0] * a + m[0, 1] * d + m[0, 2] * e, np.float32(1e-15))
    return [
        (a * b[0] + d * b[1] + e * b[2]) / whole, (d * b[0] + f * b[1] + g * b[2]) / whole,
        (e * b[0] + g * b[1] + h * b[2]) / whole,
    ]  # fmt: skip


def shoulder(value: NDArray, low: float, high: float) -> NDArray[np.float32]:
    """0 up to ``low``, 1 from ``high`` on, smooth between."""
    t = np.clip((value - np.float32(low)) / np.float32(max(high - low, 1e-9)), 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)
