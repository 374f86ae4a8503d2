"""Flat blocks: where a picture shows its noise and little else.

The picture is cut into 16 x 16 windows of 4 x 4 cells. A window whose outer cell means hardly differ is flat on the
scale of 8 px and more; the 8 x 8 block inside it then holds noise, which its DCT spreads over 64 frequencies.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.fft import dct

SIDE, CELL = 8, 4  # px across
DCT_1D = dct(np.eye(SIDE), axis=0, norm="ortho")
DCT_2D = np.kron(DCT_1D, DCT_1D)  # (frequency, pixel) of an 8 x 8 block
RING = np.add.outer(np.arange(SIDE), np.arange(SIDE)).ravel()
LOW, MIDDLE, HIGH = (RING >= 1) & (RING <= 2), (RING >= 3) & (RING <= 8), (RING >= 7) & (RING <= 12)

KEPT, KEPT_MEAN = 0.9, 0.6230  # mean of the lowest 90 % of squared unit normals


def cell_means(planes: NDArray) -> NDArray[np.float32]:
    """Means of 4 x 4 cells: (C, H, W) to (C, H // 4, W // 4), float32."""
    out = np.empty((len(planes), *(n // CELL for n in planes.shape[1:])), np.float32)
    _cell_means(planes, out)
    return out


@njit(nogil=True, cache=True, error_model="numpy")
def _cell_means(planes, out):
    channels, h, w = out.shape
    rows = np.empty(CELL * w, planes.dtype)
    for c in range(channels):
        for y in range(h):
            for x in range(CELL * w):
                rows[x] = planes[c, CELL * y, x]
            for i in range(1, CELL):
                for x in range(CELL * w):
                    rows[x] += planes[c, CELL * y + i, x]
            for x in range(w):
                total = rows[CELL * x]
                for j in range(1, CELL):
                    total += rows[CELL * x + j]
                out[c, y, x] = total / CELL**2


def _sum(arrays: Sequence[NDArray]) -> NDArray:
    """One after the other, in place: many times quicker than a reduction over a stack of them."""
    total = arrays[0] + arrays[1]
    for a in arrays[2:]:
        total += a
    return total


def _box_mean(planes: NDArray, side: int, step: int = 1) -> NDArray:
    """Means of every ``step``-th of the side x side windows: those of (C, h, w) begin at (h - side + 1, ...) places."""
    h, w = (n - side + 1 for n in planes.shape[1:])
    rows = _sum([planes[:, i : i + h : step] for i in range(side)])
    return _sum([rows[:, :, j : j + w : step] for j in range(side)]) / side**2


def _ring_mean(cells: NDArray, step: int) -> NDArray:
    """Means of the outer twelve cells of every ``step``-th of the 4 x 4 windows."""
    return (16 * _box_mean(cells, 4, step) - 4 * _box_mean(cells[:, 1:-1, 1:-1], 2, step)) / 12


def usual_power(squares: NDArray) -> NDArray[np.float64]:
    """Mean square along axis 0 without its largest tenth, unbiased for normal values; never below 1e-8."""
    k = max(1, int(KEPT * len(squares)))
    lines = np.ascontiguousarray(squares.T)  # which are sorted more quickly than columns
    return np.maximum(np.partition(lines, k - 1)[:, :k].mean(1, dtype=np.float64) / KEPT_MEAN, 1e-8)


@njit(nogil=True, cache=True, error_model="numpy")
def _cut(plane, ys, xs, out):
    for i in range(len(ys)):
        y, x = ys[i], xs[i]
        for j in range(SIDE):
            for k in range(SIDE):
                out[i, j, k] = plane[y + j, x + k]


class Blocks:
    """8 x 8 blocks of a picture with a flatness score and a level each.

    Flatness is judged on the ring of cells around a block and never on the block itself: the flattest would else be
    those whose own noise happens to be low.

    Parameters
    ----------
    cells : (C, h, w) cell means of what flatness is judged on.
    levels : (C, h, w) cell means of what levels are taken from.
    limit : about how many blocks to look at.
    wide : take the level from the ring as well, which is steadier where noise is correlated.

    Attributes
    ----------
    score : (n,) variance of the twelve cells around each block, summed over channels; small is flat.
    level : (C, n) mean of each block's own cells, or of the ring and them.
    y, x : (n,) its corner in pixels.
    """

    def __init__(self, cells: NDArray, levels: NDArray, limit: int = 8000, wide: bool = False) -> None:
        step = max(1, int(np.sqrt(cells[0].size / limit)))
        if min(cells.shape[1:]) < 4:
            self.score = np.zeros(0)
            self.level = np.zeros((len(levels), 0))
            self.y = self.x = np.zeros(0, int)
            return
        exact = cells.astype(np.float64)
        mean, square = (_ring_mean(a, step) for a in (exact, exact * exact))
        self.score = np.maximum(square - mean * mean, 0).sum(0).ravel()
        level = _box_mean(levels, 4, step) if wide else _box_mean(levels[:, 1:-1, 1:-1], 2, step)
        self.level = level.reshape(len(levels), -1)
        i, j = (a.ravel() for a in np.mgrid[0 : mean.shape[1], 0 : mean.shape[2]])
        # an uneven offset, so that the 8 px grid of a JPEG or of this search never lines up with the blocks
        self.y = 4 * i * step + 2 + (5 * i + 7 * j) % 5
        self.x = 4 * j * step + 2 + (3 * j + i) % 5

    def __len__(self) -> int:
        return len(self.score)

    def cut(self, plane: NDArray, which: NDArray) -> NDArray[np.float32]:
        """The chosen blocks (n, 64) of one (H, W) plane."""
        out = np.empty((len(which), SIDE, SIDE), np.float32)
        _cut(plane, self.y[which], self.x[which], out)
        return out.reshape(-1, SIDE * SIDE)

    def spectra(self, plane: NDArray, which: NDArray) -> NDArray[np.float32]:
        """DCT coefficients (n, 64) of the chosen blocks of one (H, W) plane."""
        return self.cut(plane, which) @ DCT_2D.T.astype(np.float32)

    def flattest(self, count: int, allowed: NDArray | None = None, score: NDArray | None = None) -> NDArray[np.intp]:
        """Indices of the ``count`` flattest blocks."""
        s = self.score if score is None else score
        if allowed is not None:
            s = np.where(allowed, s, np.inf)
        count = min(count, len(s) - 1)
        return np.argpartition(s, count)[:count]
