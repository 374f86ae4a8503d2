"""A Gaussian whose result does not depend on how a plane is cut."""

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
