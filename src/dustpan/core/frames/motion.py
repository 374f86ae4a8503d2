"""How an exposure lies against the reference: where a place of the reference is found in it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.language import mark

Points = NDArray[np.float64]
EDGE = 0.999  # of a pixel that has to lie inside the exposure
FEWEST = {"shift": 1, "rigid": 2, "affine": 3}


class Freedom(StrEnum):
    """What may differ between two exposures."""

    SHIFT = mark("shift")
    RIGID = mark("rigid")
    AFFINE = mark("affine")


@dataclass(frozen=True)
class Motion:
    """Where the reference's (x, y), from the middle of its first pixel, is found: at (a x + b y + c, d x + e y + f).

    ``numbers`` are a to f.
    """

    numbers: tuple[float, float, float, float, float, float] = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0)

    @property
    def matrix(self) -> NDArray[np.float64]:
        """(2, 3)."""
        return np.array(self.numbers).reshape(2, 3)

    @property
    def shift(self) -> tuple[float, float]:
        """(x, y) px that the first pixel has moved."""
        return self.numbers[2], self.numbers[5]

    @property
    def rotation(self) -> float:
        """Degrees."""
        return float(np.degrees(np.arctan2(self.numbers[3], self.numbers[0])))

    def of(self, points: Points) -> Points:
        """Where points (n, 2) of the reference, (x, y), are found in the exposure."""
        return np.asarray(points @ self.matrix[:, :2].T + self.matrix[:, 2])

    def back(self, points: Points) -> Points:
        """Where points (n, 2) of the exposure lie in the reference."""
        return np.asarray(np.linalg.solve(self.matrix[:, :2], (points - self.matrix[:, 2]).T).T)

    def moved(self, x: float, y: float) -> Motion:
        """The same for a reference whose things have moved by (x, y): what follows one of them."""
        a, b, c, d, e, f = self.numbers
        return Motion((a, b, c + a * x + b * y, d, e, f + d * x + e * y))

    def enlarged(self, by: float) -> Motion:
        """The same between pictures ``by`` times as large; places count from the middles of pixels."""
        a, b, c, d, e, f = self.numbers
        half = (by - 1) / 2
        return Motion((a, b, by * c + half * (1 - a - b), d, e, by * f + half * (1 - d - e)))


STILL = Motion()


def motion_of(matrix: NDArray) -> Motion:
    a, b, c, d, e, f = (float(v) for v in np.asarray(matrix, float).reshape(6))
    return Motion((a, b, c, d, e, f))


def fitted(here: Points, there: Points, weight: NDArray[np.float64], freedom: Freedom) -> Motion:
    """The motion that brings points (n, 2) of the reference nearest to those of an exposure, in weighted squares.

    References
    ----------
    [1] W. Kabsch, "A solution for the best rotation to relate two sets of vectors", Acta Cryst. A32, 1976.
    """
    share = weight / weight.sum()
    mean_here, mean_there = share @ here, share @ there
    linear = np.eye(2)
    if freedom is Freedom.RIGID and len(here) >= FEWEST["rigid"]:
        left, _, right = np.linalg.svd(((here - mean_here) * share[:, None]).T @ (there - mean_there))
        handed = np.sign(np.linalg.det(right.T @ left.T))
        linear = right.T @ np.diag([1, handed]) @ left.T
    elif freedom is Freedom.AFFINE and len(here) >= FEWEST["affine"]:
        root = np.sqrt(share)[:, None]
        linear = np.linalg.lstsq((here - mean_here) * root, (there - mean_there) * root, rcond=None)[0].T
    return motion_of(np.hstack([linear, (mean_there - linear @ mean_here)[:, None]]))


def aligned(plane: NDArray[np.float32], motion: Motion, size: tuple[int, int]) -> NDArray[np.float32]:
    """A plane (h, w) of an exposure as it lies in a reference of this size, by Lanczos' kernel of 8 px; NaN outside."""
    if motion == STILL and plane.shape == size:
        return plane
    h, w = size
    found = cv2.warpAffine(
        plane, motion.matrix, (w, h), flags=cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
    )
    x, y = np.arange(w, dtype=np.float32), np.arange(h, dtype=np.float32)[:, None]
    a, b, c, d, e, f = (np.float32(v) for v in motion.numbers)
    across, down = a * x + b * y + c, d * x + e * y + f
    least = np.float32(EDGE - 1)
    outside = (across < least) | (across > plane.shape[1] - 1 - least)
    outside |= (down < least) | (down > plane.shape[0] - 1 - least)
    found[outside] = np.nan
    return np.asarray(found, np.float32)
