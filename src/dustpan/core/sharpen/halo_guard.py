"""The halo guard: sharpening may not leave the local range.

At an edge between two plateaus the brightest and the darkest value nearby are the plateaus themselves. What sharpening
lifts above the one or pushes below the other is a halo. The guard holds the result within the local range of the
*cleaned* picture, widened by a limit in percent of that range, for the light and the dark side apart.
"""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

WINDOW = 7  # px


def local_range(plane: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Smallest and largest value within 7 x 7 px of every pixel of a (h, w) plane."""
    low = np.asarray(cv2.erode(plane, np.ones((WINDOW, WINDOW), np.uint8)), np.float32)
    return low, largest(plane, WINDOW)


def largest(plane: NDArray, window: int) -> NDArray:
    """Largest value within so many px, an odd number, across and down; beyond an edge there is nothing."""
    return np.asarray(cv2.dilate(plane, np.ones((window, window), np.uint8)))


def guard(
    sharpened: NDArray[np.float32],
    low: NDArray[np.float32],
    high: NDArray[np.float32],
    light: float,
    dark: float,
) -> NDArray[np.float32]:
    """Hold a sharpened plane within the local range.

    Parameters
    ----------
    sharpened : (h, w) encoded values.
    low, high : the local range of the cleaned picture (see `local_range`).
    light, dark : how far it may leave the range above and below, in percent of the range.
    """
    out = np.empty(sharpened.shape, np.float32)
    _guard(sharpened, low, high, np.float32(light / 100), np.float32(dark / 100), out)
    return out


@njit(nogil=True, cache=True, error_model="numpy")
def _guard(sharpened, low, high, light, dark, out):
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            span = high[y, x] - low[y, x]
            out[y, x] = min(max(sharpened[y, x], low[y, x] - dark * span), high[y, x] + light * span)
