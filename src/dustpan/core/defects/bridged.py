"""Filling of marked pixels from both sides: along the lines through each, those that agree best count most.

A line from unmarked to unmarked tells what lies between, as mean value coordinates do of a closed curve [1]; where its
ends are alike it follows an edge or a thing that goes on below the mark, and where they differ it crosses one. What is
so told is smooth; the grain that belongs on it is taken from a place near by that is not marked.

References
----------
[1] M. S. Floater, "Mean value coordinates", Computer Aided Geometric Design 20, 2003.
[2] A. C. Kokaram et al., "Interpolation of missing data in image sequences", IEEE Trans. Image Processing 4(11), 1995.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import EXACT, PLANES, b1, f8, i8, kernel, seen
from dustpan.core.region import Region
from dustpan.core.smooth import gaussian, reach_of

REACH = 48  # px that is read around a mark
FARTHEST = 40  # px that a line is followed
LINES = 24
ALIKE = 0.05  # difference of both ends of a line, that halves what it counts
ONE_SIDED = 0.1  # what a line counts that has only one end
GRAIN = 1.2  # px, sigma: what is finer is grain
CELL, TRIES, NEAREST, AWAY = 12, 12, 6, 36  # px that grain is moved as one; places that are tried, and how far away
USUAL = 2.5  # sigma that grain may leave the smooth by


def _lines() -> NDArray[np.float64]:
    angle = np.pi * np.arange(LINES) / LINES
    return np.stack([np.sin(angle), np.cos(angle)], 1)


TOWARDS = _lines()


def bridged(
    pixels: NDArray[np.float32], at: NDArray[np.integer], marked: NDArray[np.bool_], have: Region
) -> NDArray[np.float32]:
    """Values (n, C) for marked pixels from those around.

    Parameters
    ----------
    pixels : (h, w, C) encoded. at : (n, 2) places in it. marked : (h, w) those that tell nothing.
    have : where in the picture these pixels lie, so that the same grain is taken however it is cut.
    """
    source = np.ascontiguousarray(pixels, np.float32)
    smooth = np.empty((len(at), 1, source.shape[2]), np.float32)
    places = np.ascontiguousarray(at, np.int64)
    _bridge(source, places, np.ascontiguousarray(marked), TOWARDS, smooth)
    planes = [gaussian(np.ascontiguousarray(source[..., c]), GRAIN) for c in range(source.shape[2])]
    grain = source - np.stack(planes, -1)
    side = 2 * reach_of(GRAIN) + 1
    near = cv2.dilate(marked.astype(np.uint8), np.ones((side, side), np.uint8)) > 0
    _grain(grain, places, near, np.array([have.y0, have.x0]), smooth)
    return smooth[:, 0]


@kernel(seen(PLANES), i8[:, ::1], seen(b1[:, ::1]), seen(f8[:, ::1]), PLANES, options=EXACT)
def _bridge(pixels, at, marked, towards, out):
    h, w, channels = pixels.shape
    total = np.empty(channels)
    ends, far = np.zeros((2, 2), np.int64), np.zeros(2)
    for n in range(len(at)):
        total[:] = 0.0
        weight = 0.0
        for k in range(len(towards)):
            far[:] = 0.0
            for side in range(2):
                s = 1.0 if side == 0 else -1.0
                for d in range(1, FARTHEST + 1):
                    y = int(np.floor(at[n, 0] + s * d * towards[k, 0] + 0.5))
                    x = int(np.floor(at[n, 1] + s * d * towards[k, 1] + 0.5))
                    if y < 0 or x < 0 or y >= h or x >= w:
                        break
                    if not marked[y, x]:
                        far[side], ends[side, 0], ends[side, 1] = d, y, x
                        break
            d = far[0] + far[1]
            if d == 0:
                continue
            if min(far[0], far[1]) == 0:
                own, share = ONE_SIDED / (d * d), 0.0 if far[0] > 0 else 1.0
            else:
                unlike = 0.0
                for c in range(channels):
                    unlike += (pixels[ends[0, 0], ends[0, 1], c] - pixels[ends[1, 0], ends[1, 1], c]) ** 2 / channels
                own, share = 1 / (d * d * (1 + unlike / (ALIKE * ALIKE))), far[0] / d
            weight += own
            for c in range(channels):
                one = pixels[ends[0, 0], ends[0, 1], c] if share < 1 else 0.0
                other = pixels[ends[1, 0], ends[1, 1], c] if share > 0 else 0.0
                total[c] += own * ((1 - share) * one + share * other)
        for c in range(channels):
            out[n, 0, c] = total[c] / weight if weight > 0 else pixels[at[n, 0], at[n, 1], c]


@kernel(seen(PLANES), i8[:, ::1], seen(b1[:, ::1]), i8[::1], PLANES, options=EXACT)
def _grain(grain, at, near, origin, out):
    h, w, channels = grain.shape
    found, sizes = np.zeros((TRIES, 2), np.int64), np.zeros(TRIES)
    for n in range(len(at)):
        y, x = at[n, 0], at[n, 1]
        number = np.uint64((y + origin[0]) // CELL * 73856093 + (x + origin[1]) // CELL * 19349663 + 1)
        count = 0
        for _ in range(TRIES):
            number = number * np.uint64(6364136223846793005) + np.uint64(1442695040888963407)
            angle = 6.283185307 * float(number >> np.uint64(40)) / 16777216.0
            number = number * np.uint64(6364136223846793005) + np.uint64(1442695040888963407)
            far = NEAREST + (AWAY - NEAREST) * float(number >> np.uint64(40)) / 16777216.0
            v, u = y + int(np.floor(far * np.sin(angle) + 0.5)), x + int(np.floor(far * np.cos(angle) + 0.5))
            if v < 0 or u < 0 or v >= h or u >= w or near[v, u]:
                continue
            size = 0.0
            for c in range(channels):
                size += abs(grain[v, u, c])
            found[count, 0], found[count, 1], sizes[count] = v, u, size
            count += 1
        if count == 0:
            continue
        usual = 1.48 * np.sort(sizes[:count])[(count - 1) // 2]
        for k in range(count):
            if sizes[k] <= USUAL * usual:
                for c in range(channels):
                    out[n, 0, c] += grain[found[k, 0], found[k, 1], c]
                break
