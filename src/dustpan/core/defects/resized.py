"""A picture that was a JPEG and made smaller since: how large it was, told from what is left of its seams.

Seams of blocks lie 8 px apart in the stored picture, so at another distance in this one. For every size that it may
have had, how much more brightness bends where its seams would be than midway between is compared with all other sizes;
the right one stands far above them, down and across, at one ratio. Enlarged to that size, the picture's coefficients
have to lie near whole steps as well.

References
----------
[1] Z. Fan, R. L. de Queiroz, "Identification of bitmap compression history: JPEG detection and quantizer estimation",
    IEEE Trans. Image Processing 12(2), 2003: seams.
[2] R. G. Keys, "Cubic convolution interpolation for digital image processing", IEEE Trans. ASSP 29(6), 1981.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import PLANE, f8, i8, kernel, part
from dustpan.core.region import Region

Plane = NDArray[np.float32]
SMALLEST_SHARE, LARGEST_SHARE = 0.4, 0.97  # of the stored size
BLOCK = 8
STRONG = 0.9  # quantile of bends, beyond which they are an edge's
FLATTENED = 17  # px over which bends are compared
STANDS_OUT = 8.0  # usual deviations, down and across together
OFF_RATIO = 2.0  # px by which the height may differ from the same ratio
LEAST = 8 * BLOCK  # px of a side


def _bends(plane: Plane) -> NDArray:
    """How much brightness bends at every column, without the slow part of it."""
    bend = np.abs(plane[:, 2:] - 2 * plane[:, 1:-1] + plane[:, :-2])
    bend = np.minimum(bend, np.quantile(bend, STRONG) + 1e-4)
    whole = np.concatenate([[0], bend.mean(0), [0]])
    slow = np.convolve(np.pad(whole, FLATTENED // 2, mode="edge"), np.ones(FLATTENED) / FLATTENED, "valid")
    return np.asarray(whole - slow)


def _stand_out(bends: NDArray, n: int) -> tuple[NDArray, NDArray]:
    """Lengths that a side of ``n`` px may have had, and how far each stands out; ``bends`` is where it begins."""
    lengths = np.arange(int(np.ceil(n / LARGEST_SHARE)), int(n / SMALLEST_SHARE))
    here, found = np.arange(len(bends)), np.zeros(len(lengths))
    for k, length in enumerate(lengths):
        share = n / length
        seams = np.arange(BLOCK, len(bends) / share - BLOCK // 2, BLOCK)
        on = sum(np.interp((seams + o) * share - 0.5, here, bends).mean() for o in (-0.5, 0, 0.5)) / 3
        between = sum(np.interp((seams + 4 + o) * share - 0.5, here, bends).mean() for o in (-2, -1, 0, 1, 2)) / 5
        found[k] = (on - between) * len(seams) ** 0.5
    usual = 1.4826 * np.median(np.abs(found - np.median(found))) + 1e-12
    return lengths, np.asarray((found - np.median(found)) / usual)


def stored_size(
    plane: Plane, size: tuple[int, int], check: Callable[[], None] = lambda: None
) -> tuple[int, int] | None:
    """The (height, width) that a picture was stored with; None where seams do not tell, or tell no larger size.

    Parameters
    ----------
    plane : brightness from the top left on, of a large picture not all of it. size : of the picture.
    """
    h, w = size
    widths, across = _stand_out(_bends(plane), w)
    check()
    heights, down = _stand_out(_bends(np.ascontiguousarray(plane.T)), h)
    best, found = STANDS_OUT, None
    for n, width in enumerate(widths):
        near = np.abs(heights - h * width / w) <= OFF_RATIO
        if near.any():
            k = int(np.flatnonzero(near)[np.argmax(down[near])])
            if (both := float(across[n] + down[k])) > best:
                best, found = both, (int(heights[k]), int(width))
    return found


@part()
def _cubic(t):
    t = abs(t)
    if t < 1:
        return (1.5 * t - 2.5) * t * t + 1
    if t < 2:
        return ((-0.5 * t + 2.5) * t - 4) * t + 2
    return 0.0


@kernel(PLANE, i8, i8, i8, i8, f8)
def _along(plane, first, total, start, count, ratio):
    """Rows ``start`` to ``start + count`` of a plane made ``ratio`` times as high; its own rows begin at ``first``."""
    width = plane.shape[1]
    out = np.zeros((count, width), np.float32)
    wide = max(1.0, 1.0 / ratio)
    for i in range(count):
        middle = (start + i + 0.5) / ratio - 0.5
        low, high = int(np.ceil(middle - 2 * wide)), int(np.floor(middle + 2 * wide))
        weights = 0.0
        for k in range(low, high + 1):
            weights += _cubic((k - middle) / wide)
        for k in range(low, high + 1):
            share = np.float32(_cubic((k - middle) / wide) / weights)
            own = min(max(min(max(k, 0), total - 1) - first, 0), plane.shape[0] - 1)
            for x in range(width):
                out[i, x] += share * plane[own, x]
    return out


def resampled(plane: Plane, have: Region, size: tuple[int, int], want: Region, to: tuple[int, int]) -> Plane:
    """A region of a picture as it is at another size, by cubic convolution; beyond the picture its sides are repeated.

    Parameters
    ----------
    plane : (h, w) pixels of ``have``, a region of a picture of ``size``. want : in px of it at size ``to``.
    """
    down = _along(plane, have.y0, size[0], want.y0, want.height, to[0] / size[0])
    turned = np.ascontiguousarray(down.T)
    across = _along(turned, have.x0, size[1], want.x0, want.width, to[1] / size[1])
    return np.ascontiguousarray(across.T)


def read_for(want: Region, size: tuple[int, int], to: tuple[int, int], spare: int = 3) -> Region:
    """What has to be read of a picture of ``size`` for a region of it at size ``to``."""
    (ry, rx), wide = (size[0] / to[0], size[1] / to[1]), [max(1.0, size[k] / to[k]) for k in (0, 1)]
    y0, y1 = int(np.floor(want.y0 * ry - spare * wide[0])), int(np.ceil(want.y1 * ry + spare * wide[0]))
    x0, x1 = int(np.floor(want.x0 * rx - spare * wide[1])), int(np.ceil(want.x1 * rx + spare * wide[1]))
    return Region(y0, x0, y1, x1).within(size)
