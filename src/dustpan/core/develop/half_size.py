"""A mosaic at a fraction of its size, with three colours in every place: quick to make, to be looked at."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.develop import demosaic
from dustpan.core.kernels import PLANE, PLANES, i8, kernel, seen
from dustpan.core.picture import Sensor
from dustpan.core.region import Region
from dustpan.core.screen import reduced

ROWS = 504  # at a time, whole periods and whole squares


def camera_colours(pixels: NDArray[np.float32], sensor: Sensor, factor: int) -> NDArray[np.float32]:
    """Means of each colour over squares of ``factor`` px, a power of two from 2: (h, w, 3) of (H, W, 1) samples."""
    if sensor.period == (1, 1):
        return reduced(pixels, factor)
    if sensor.period == (2, 2):
        h, w = pixels.shape[:2]
        out = np.zeros((h // factor, w // factor, 3), np.float32)
        _means(pixels[..., 0], np.asarray(sensor.pattern, np.intp), factor, out)
        return out
    h, w = pixels.shape[:2]
    rows = ROWS // factor * factor
    parts = []
    for y in range(0, h // factor * factor, rows):
        want = Region(y, 0, min(y + rows, h), w)
        have = want.grown(demosaic.LINEAR_REACH).within((h, w))
        parts.append(reduced(demosaic.linear(pixels[have.slices()][..., 0], have, want, sensor.pattern, True), factor))
    return np.concatenate(parts)


@kernel(seen(PLANE), i8[:, ::1], i8, PLANES)
def _means(samples, pattern, factor, out):
    h, w, _ = out.shape
    each = np.zeros(3, np.float32)
    for i in range(2):
        for j in range(2):
            each[pattern[i, j]] += np.float32(factor * factor / 4)
    for y in range(h):
        for x in range(w):
            for i in range(factor):
                for j in range(factor):
                    out[y, x, pattern[i % 2, j % 2]] += samples[y * factor + i, x * factor + j]
            for c in range(3):
                out[y, x, c] /= each[c]
