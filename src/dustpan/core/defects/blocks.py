"""A JPEG's blocks: brightness and colours of pixels, as they were stored, and the coefficients of their blocks.

References
----------
[1] ITU-T T.81: blocks and their cosine transform. ITU-T T.871: brightness and colours of pixels.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi
from scipy.fft import dctn, idctn

BLOCK, UNIT = 8, 16  # px of a block, and of the blocks of brightness that share one of colour
TO_YCC = np.array([[0.299, 0.587, 0.114], [-0.168736, -0.331264, 0.5], [0.5, -0.418688, -0.081312]], np.float32)
FROM_YCC = np.linalg.inv(TO_YCC.astype(float)).astype(np.float32)
SHARPER = 5  # rounds that undo the blur of colours that were enlarged and reduced again
Plane = NDArray[np.float32]


def spectra_of(plane: Plane) -> Plane:
    """(rows, columns, 8, 8) coefficients of the blocks of a plane (0 to 255) whose sides are multiples of 8."""
    h, w = plane.shape
    blocks = (plane - 128).reshape(h // BLOCK, BLOCK, w // BLOCK, BLOCK).transpose(0, 2, 1, 3)
    return np.asarray(dctn(blocks, axes=(2, 3), norm="ortho"), np.float32)


def plane_of(spectra: Plane) -> Plane:
    """Undoes `spectra_of`."""
    n, m = spectra.shape[:2]
    blocks = np.asarray(idctn(spectra, axes=(2, 3), norm="ortho"), np.float32)
    return np.ascontiguousarray(blocks.transpose(0, 2, 1, 3)).reshape(n * BLOCK, m * BLOCK) + 128


def as_stored(colour: Plane, smaller: tuple[int, int]) -> Plane:
    """A colour as it was stored, from the picture's size: the decoder's linear enlargement undone."""
    down, across = smaller
    h, w = colour.shape
    small = np.ascontiguousarray(colour.reshape(h // down, down, w // across, across).mean((1, 3), dtype=np.float32))
    for axis, factor in enumerate(smaller):
        if factor == 1:
            continue
        seen = small
        for _ in range(SHARPER):
            again = ndi.correlate1d(small, np.array([1, 6, 1]) / 8, axis=axis, mode="nearest")
            small = small + (seen - again)
    return np.asarray(small, np.float32)


def enlarged(small: Plane, smaller: tuple[int, int]) -> Plane:
    """Linear, as decoders enlarge colours; sides are repeated."""
    for axis, factor in enumerate(smaller):
        if factor == 2:
            n = small.shape[axis]
            before = np.take(small, np.maximum(np.arange(n) - 1, 0), axis)
            after = np.take(small, np.minimum(np.arange(n) + 1, n - 1), axis)
            both = np.stack([0.75 * small + 0.25 * before, 0.75 * small + 0.25 * after], axis + 1)
            small = both.reshape(*(2 * s if a == axis else s for a, s in enumerate(small.shape)))
    return np.asarray(small, np.float32)


def of_ycc(pixels: Plane, c: int) -> Plane:
    """Brightness (0) or a colour, 0 to 255, of pixels (h, w, C) from 0 to 1."""
    scaled = pixels * np.float32(255)
    if pixels.shape[2] == 1:
        return np.ascontiguousarray(scaled[..., 0])
    return mixed(scaled, TO_YCC[c : c + 1])[..., 0] + np.float32(128 if c else 0)


def ycc(pixels: Plane) -> Plane:
    """Brightness and colours of pixels, see `of_ycc`."""
    return np.stack([of_ycc(pixels, c) for c in range(pixels.shape[2])], -1)


def mixed(planes: Plane, matrix: Plane) -> Plane:
    """Every pixel times a matrix (n, 3), summed in the same order whatever the shape."""
    return np.asarray(sum(planes[..., k, None] * matrix[:, k] for k in range(3)), np.float32)
