"""A rough mask becomes one that ends at the subject's border.

What lies well inside a rough outline is the subject, what lies well outside is not, and the band between is asked: by
colour, against what is sure nearby on either side, and by the way from there, on which gradients are what costs. Two
guided filters lay the edge. All is reckoned from a bounded neighbourhood, so that it is the same wherever it is cut.

References
----------
[1] A. Criminisi, T. Sharp, A. Blake, "GeoS: geodesic image segmentation", ECCV 2008.
[2] K. He, J. Sun, X. Tang, "Guided image filtering", ECCV 2010.
"""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import PLANE, f4, kernel
from dustpan.core.sharpen.halo_guard import largest
from dustpan.core.smooth import gaussian, guided
from dustpan.core.smooth import reach_of as blur_reach

Plane = NDArray[np.float32]
FLAT = 0.02  # what a pixel of even colour costs
STEEP_AT = 0.8  # px
FURTHEST = 4  # bands that a way is followed
NEAR = 1.5  # bands over which the colours of what is sure are taken
SPREAD = 0.02  # encoded, the least spread of colours
BY_WAY = 0.6  # how much the way counts against the colours
ROUNDS = 12  # of scans at most
FINEST = 2.0  # px, of the second guided filter
EVEN = (1e-3, 1e-4)


def reach_of(wide: int) -> int:
    """How far `refined` reads, in px."""
    if wide == 0:
        return 0
    first = max(wide / 3, FINEST)
    return FURTHEST * wide + wide + blur_reach(NEAR * wide) + 2 * blur_reach(first) + 2 * blur_reach(FINEST) + 4


def _disc(radius: int) -> NDArray[np.uint8]:
    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1,) * 2).astype(np.uint8)


@kernel(PLANE, PLANE, f4)
def _scan(way, cost, most):
    """Shortest ways from where ``way`` is 0, scanned to and fro until nothing changes; none longer than ``most``."""
    h, w = way.shape
    slant = np.float32(1.4142135)
    half = np.float32(0.5)
    for _ in range(ROUNDS):
        changed = False
        for turn in range(2):
            for i in range(h):
                y = i if turn == 0 else h - 1 - i
                step = -1 if turn == 0 else 1
                for j in range(w):
                    x = j if turn == 0 else w - 1 - j
                    here = way[y, x]
                    if here == 0:
                        continue
                    c = cost[y, x]
                    if 0 <= y + step < h:
                        for d in range(-1, 2):
                            if 0 <= x + d < w:
                                far = (slant if d else np.float32(1)) * half * (c + cost[y + step, x + d])
                                here = min(here, way[y + step, x + d] + far)
                    if 0 <= x + step < w:
                        here = min(here, way[y, x + step] + half * (c + cost[y, x + step]))
                    if here < way[y, x] and here < most:
                        way[y, x] = here
                        changed = True
        if not changed:
            break


def _ways(cost: Plane, sure: NDArray[np.bool_], wide: int) -> Plane:
    most = np.float32(FLAT * FURTHEST * wide)
    way = np.where(sure, np.float32(0), most).astype(np.float32)
    _scan(way, cost, most)
    return way


def _steepness(pixels: Plane) -> Plane:
    total = np.zeros(pixels.shape[:2], np.float32)
    for c in range(pixels.shape[2]):
        soft = gaussian(np.ascontiguousarray(pixels[..., c]), STEEP_AT)
        dy, dx = (cv2.Sobel(soft, cv2.CV_32F, *d) for d in ((0, 1), (1, 0)))
        total += dy * dy + dx * dx
    return np.asarray(np.sqrt(total) / 8, np.float32)


def _by_colour(pixels: Plane, sure: NDArray[np.bool_], wide: int) -> Plane:
    """How badly each pixel fits to what is sure nearby."""
    weight = sure.astype(np.float32)
    held = gaussian(weight, NEAR * wide) + np.float32(1e-6)
    out = np.zeros(sure.shape, np.float32)
    for c in range(pixels.shape[2]):
        plane = np.ascontiguousarray(pixels[..., c])
        mean = gaussian(plane * weight, NEAR * wide) / held
        spread = gaussian(plane * plane * weight, NEAR * wide) / held - mean * mean
        spread = np.maximum(spread, 0) + np.float32(SPREAD**2)
        out += np.clip((plane - mean) ** 2 / spread, 0, 25) + np.log(spread)
    return out


def refined(pixels: Plane, rough: Plane, wide: int, check: Callable[[], None] = lambda: None) -> Plane:
    """A mask whose outline, wrong by at most ``wide`` px, ends at the subject's border.

    Parameters
    ----------
    pixels : (h, w, C) encoded. rough : (h, w), 0 to 1. wide : px. check : called between the parts.

    Returns
    -------
    (h, w). The outermost `reach_of` px can differ from what they would be in a larger picture.
    """
    inside = (rough > 0.5).astype(np.uint8)
    inner = cv2.erode(inside, _disc(wide), borderType=cv2.BORDER_REPLICATE).astype(bool)
    outer = ~cv2.dilate(inside, _disc(wide), borderType=cv2.BORDER_REPLICATE).astype(bool)
    pixels = np.ascontiguousarray(np.clip(pixels, 0, 1), np.float32)
    odds = 0.5 * (_by_colour(pixels, outer, wide) - _by_colour(pixels, inner, wide))
    check()
    cost = FLAT + _steepness(pixels)
    within, beyond = _ways(cost, inner, wide), _ways(cost, outer, wide)
    check()
    by_way = beyond / (within + beyond + np.float32(1e-6))
    out = np.asarray((1 - BY_WAY) * 0.5 * (np.tanh(odds / 4) + 1) + BY_WAY * by_way, np.float32)
    for sure, value in ((inner, 1), (outer, 0)):
        out[sure] = value
    for sigma, even in zip((max(wide / 3, FINEST), FINEST), EVEN, strict=True):
        out = guided(np.clip(1.6 * (out - 0.5) + 0.5, 0, 1).astype(np.float32), pixels, sigma, even)
        check()
    out = np.clip(2 * (out - np.float32(0.5)) + np.float32(0.5), 0, 1)
    for sure, value in ((inner, 1), (outer, 0)):
        out[sure] = value
    return np.asarray(out * largest(rough, 2 * wide + 1), np.float32)  # as strong as it was painted
