"""The halo guard: sharpening may not leave the local range.

At an edge between two plateaus the brightest and the darkest value nearby are the plateaus themselves. What sharpening
lifts above the one or pushes below the other is a halo. The guard holds the result within the local range of the
*cleaned* picture, widened by a limit in percent of that range, for the light and the dark side apart.

Inside texture hardly anything lies at the ends of the local range, and what is lifted above it is detail that was
blurred. How much of a place's neighbourhood lies at an end of the range tells the one from the other.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import PLANE, f4, kernel
from dustpan.core.smooth import gaussian, reach_of

WINDOW = 7  # px
AROUND = 4  # px that are looked at for plateaus
END, PLATEAU, TEXTURE = 0.12, 0.26, 0.10  # of the range, that is an end; shares of the places there
LOOSE = 0.6  # of the range, that texture may leave it by
SMOOTH = 1.0  # px
PLATEAUS_REACH = WINDOW // 2 + AROUND + reach_of(SMOOTH)


def local_range(plane: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Smallest and largest value within 7 x 7 px of every pixel of a (h, w) plane."""
    low = np.asarray(cv2.erode(plane, np.ones((WINDOW, WINDOW), np.uint8)), np.float32)
    return low, largest(plane, WINDOW)


def largest(plane: NDArray, window: int) -> NDArray:
    """Largest value within so many px, an odd number, across and down; beyond an edge there is nothing."""
    return np.asarray(cv2.dilate(plane, np.ones((window, window), np.uint8)))


def plateaus(
    calm: NDArray[np.float32], low: NDArray[np.float32], high: NDArray[np.float32]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The shares of each place's neighbourhood that lie at the top, and at the bottom, of its local range."""
    calm = np.require(calm, np.float32, ("C", "W"))  # one type for the compiler
    top, bottom = np.empty_like(calm), np.empty_like(calm)
    _at_ends(calm, low, high, top, bottom)
    return gaussian(top, SMOOTH), gaussian(bottom, SMOOTH)


def room(share: NDArray) -> NDArray[np.float32]:
    """1 inside texture, 0 beside a plateau; from the share that lies at an end of the local range."""
    return np.clip((PLATEAU - share) / np.float32(PLATEAU - TEXTURE), 0, 1)


@kernel(PLANE, PLANE, PLANE, PLANE, PLANE)
def _at_ends(calm, low, high, top, bottom):
    h, w = calm.shape
    whole = np.float32((2 * AROUND + 1) ** 2)
    for y in range(h):
        for x in range(w):
            near = np.float32(END) * (high[y, x] - low[y, x])
            above, below, a, b = high[y, x] - near, low[y, x] + near, 0, 0
            for j in range(max(y - AROUND, 0), min(y + AROUND + 1, h)):
                for i in range(max(x - AROUND, 0), min(x + AROUND + 1, w)):
                    a += calm[j, i] >= above
                    b += calm[j, i] <= below
            top[y, x], bottom[y, x] = a / whole, b / whole


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


@kernel(PLANE, PLANE, PLANE, f4, f4, PLANE)
def _guard(sharpened, low, high, light, dark, out):
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            span = high[y, x] - low[y, x]
            out[y, x] = min(max(sharpened[y, x], low[y, x] - dark * span), high[y, x] + light * span)
