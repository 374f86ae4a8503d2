"""Stars as points: where they are to a hundredth of a pixel, how bright, and how wide all of them are.

A place is the centroid under a Gaussian window that follows it, which is told anew until it stays. What is no single
round thing (pieces of a trail, clumps, borders of clouds) is left out. The width is that of the *median stamp* of
bright stars, each brought to one height and to its middle: counted pixels of single stars call every frame with few
stars, or with a satellite in it, out of focus.

References
----------
[1] K. J. Mighell, "Stellar photometry and astrometry with discrete point spread functions", MNRAS 361, 2005: how sure
    the place of a star is.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

MOST, HIGH = 400, 7.0  # stars; σ that a star stands above the sky, softened
SOFT = 1.0  # px, sigma, of what is looked at
QUIETER = 3.3  # times that softening makes the noise less
MIDDLE, BORDER = 6, 9  # px: half a stamp's side; and how far from the border of the picture a star has to lie
WINDOW, TURNS, STRAYED = 1.3, 12, 2.5  # px, sigma; of telling a place anew; px that it may move while that is done
ROUND = 0.45  # of its size, that a star's two widths may differ
STAMPS, FINER = 40, 4  # stars whose median stamp tells the width; parts of a pixel that it is told in
FLAT_TOP, CUT_OFF = 0.98, 4  # of a star's height; pixels above it that are no star's but a full sensor's
SURELY = 0.012  # px: no place is surer than that
CELL, CELLS, OF_CELL = 48, 48, 24  # px of the cells that the sky is told in; at most along a side; samples along one


@dataclass(frozen=True, eq=False)
class Points:
    """Stars of an exposure, brightest first.

    at : (n, 2) places (x, y) in px. flux : (n,) light of each. unsure : (n,) px. width : FWHM in px; NaN without stars.
    """

    at: NDArray[np.float64]
    flux: NDArray[np.float64]
    unsure: NDArray[np.float64]
    width: float

    def __len__(self) -> int:
        return len(self.at)


NONE = Points(np.zeros((0, 2)), np.zeros(0), np.zeros(0), float("nan"))


def sky_of(plane: NDArray[np.float32]) -> tuple[NDArray[np.float32], float]:
    """The sky of a plane (h, w): the median of every cell, as a small grid; and the noise σ around it."""
    h, w = plane.shape
    cell = max(CELL, -(-max(h, w) // CELLS))
    rows, columns = max(2, h // cell), max(2, w // cell)
    every = max(1, cell // OF_CELL)
    part = plane[::every, ::every] if min(h, w) > 4 * cell else plane
    grid = np.array(
        [[np.median(b) for b in np.array_split(r, columns, 1)] for r in np.array_split(part, rows, 0)], np.float32
    )
    if min(grid.shape) > 2:
        grid = np.asarray(cv2.medianBlur(grid, 3), np.float32)
    step = max(1, int(np.sqrt(plane.size / 1e6)))
    rest = (plane - spread(grid, plane.shape))[::step, ::step]
    return grid, float(1.4826 * np.median(np.abs(rest - np.median(rest))))


def spread(grid: NDArray[np.float32], size: tuple[int, ...]) -> NDArray[np.float32]:
    """A grid brought to a size (h, w)."""
    return np.asarray(cv2.resize(grid, (size[1], size[0]), interpolation=cv2.INTER_CUBIC), np.float32)


def find_points(light: NDArray[np.float32], sigma: float) -> Points:
    """The stars of a plane (h, w) of light above the sky, whose noise is ``sigma``; hot pixels taken out before."""
    h, w = light.shape
    if min(h, w) < 2 * BORDER + 2 or sigma <= 0:
        return NONE
    soft = cv2.GaussianBlur(light, (0, 0), SOFT)
    top = (soft >= cv2.dilate(soft, np.ones((7, 7), np.uint8))) & (soft > HIGH * sigma / QUIETER)
    y, x = np.nonzero(top[BORDER : h - BORDER, BORDER : w - BORDER])
    y, x = y + BORDER, x + BORDER
    order = np.argsort(-soft[y, x], kind="stable")[:MOST]
    y, x = y[order], x[order]
    if not len(y):
        return NONE
    down, across = np.mgrid[-MIDDLE : MIDDLE + 1, -MIDDLE : MIDDLE + 1]
    stamps = light[y[:, None, None] + down, x[:, None, None] + across].astype(np.float64)
    cx, cy = _centred(stamps, across, down)
    flux = stamps[:, 2:-2, 2:-2].sum((1, 2))
    fair = (np.hypot(cx, cy) < STRAYED) & (flux > 0) & _round(stamps, across, down, cx, cy)
    if not fair.any():
        return NONE
    stamps, cx, cy, flux = stamps[fair], cx[fair], cy[fair], flux[fair]
    width = _width(stamps, cx, cy)
    own = width / 2.3548
    unsure = np.hypot(SURELY, np.sqrt(8 * np.pi) * sigma * own**2 / flux)
    return Points(np.stack([x[fair] + cx, y[fair] + cy], 1), flux, unsure, width)


def _centred(stamps: NDArray, across: NDArray, down: NDArray) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Where in each stamp (n, s, s) its star is, from the middle."""
    cx, cy = np.zeros(len(stamps)), np.zeros(len(stamps))
    for _ in range(TURNS):
        dx, dy = across - cx[:, None, None], down - cy[:, None, None]
        seen = np.exp(-(dx * dx + dy * dy) / (2 * WINDOW**2)) * stamps
        total = np.maximum(seen.sum((1, 2)), 1e-9)
        cx = np.clip(cx + 2 * (seen * dx).sum((1, 2)) / total, -3, 3)
        cy = np.clip(cy + 2 * (seen * dy).sum((1, 2)) / total, -3, 3)
    return cx, cy


def _round(stamps: NDArray, across: NDArray, down: NDArray, cx: NDArray, cy: NDArray) -> NDArray[np.bool_]:
    """Whether each is about as wide as it is high."""
    dx, dy = across - cx[:, None, None], down - cy[:, None, None]
    seen = np.exp(-(dx * dx + dy * dy) / 18) * stamps
    xx, yy, xy = ((seen * q).sum((1, 2)) for q in (dx * dx, dy * dy, dx * dy))
    return np.asarray(np.hypot(xx - yy, 2 * xy) < ROUND * np.abs(xx + yy))


def _width(stamps: NDArray, cx: NDArray, cy: NDArray) -> float:
    """FWHM of the median of bright stamps that a full sensor has not cut off."""
    height = stamps[:, MIDDLE - 1 : MIDDLE + 2, MIDDLE - 1 : MIDDLE + 2].max((1, 2))
    whole = (stamps > FLAT_TOP * height[:, None, None]).sum((1, 2)) < CUT_OFF
    chosen = np.flatnonzero(whole)[:STAMPS] if whole.any() else np.arange(min(len(stamps), STAMPS))
    middled = []
    for n in chosen:
        moved = np.array([[1, 0, -cx[n]], [0, 1, -cy[n]]])
        stamp = cv2.warpAffine(stamps[n].astype(np.float32), moved, stamps.shape[:0:-1], flags=cv2.INTER_CUBIC)
        middled.append(stamp / max(float(stamp[MIDDLE, MIDDLE]), 1e-9))
    usual = cv2.resize(np.median(middled, 0), None, fx=FINER, fy=FINER, interpolation=cv2.INTER_CUBIC)
    return float(2 * np.sqrt((usual > 0.5 * usual.max()).sum() / np.pi) / FINER)
