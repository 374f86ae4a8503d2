"""Flat blocks: where a picture shows its noise and little else.

The picture is cut into 16 x 16 windows of 4 x 4 cells. A window whose outer cell means hardly differ is flat on the
scale of 8 px and more; the 8 x 8 block inside it then holds noise, which its DCT spreads over 64 frequencies.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.fft import dct

from dustpan.core.kernels import PLANE, PLANES, f8, i8, kernel

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


@kernel(PLANES, PLANES)
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


@kernel(PLANES, i8, f8[:, ::1])
def _unevenness(cells, step, out):
    """Variance of the outer twelve cells of every ``step``-th of the 4 x 4 windows, summed over the channels."""
    total, square = np.empty((2, out.shape[1]))
    for i in range(out.shape[0]):
        out[i] = 0.0
        for c in range(len(cells)):
            total[:] = 0.0
            square[:] = 0.0
            for y in range(4):
                for x in range(0, 4, 1 if y == 0 or y == 3 else 3):
                    row = cells[c, i * step + y, x:]
                    for j in range(out.shape[1]):
                        v = np.float64(row[j * step])
                        total[j] += v
                        square[j] += v * v
            for j in range(out.shape[1]):
                mean = total[j] / 12
                out[i, j] += max(square[j] / 12 - mean * mean, 0.0)


@kernel(PLANES, i8, i8, i8, PLANES)
def _window_means(cells, first, side, step, out):
    """Means of ``side`` x ``side`` cells of every ``step``-th window, ``first`` cells from its corner."""
    total = np.empty(out.shape[2])
    for c in range(out.shape[0]):
        for i in range(out.shape[1]):
            total[:] = 0.0
            for y in range(first, first + side):
                for x in range(first, first + side):
                    row = cells[c, i * step + y, x:]
                    for j in range(out.shape[2]):
                        total[j] += row[j * step]
            for j in range(out.shape[2]):
                out[c, i, j] = total[j] / side**2


def usual_power(squares: NDArray) -> NDArray[np.float64]:
    """Mean square along axis 0 without its largest tenth, unbiased for normal values; never below 1e-8."""
    k = max(1, int(KEPT * len(squares)))
    lines = np.partition(np.ascontiguousarray(squares.T), k - 1)  # which are sorted more quickly than columns
    return np.maximum(np.float64(lines[:, :k] @ np.full(k, 1 / (k * KEPT_MEAN), lines.dtype)), 1e-8)


@kernel(PLANE, i8[::1], i8[::1], PLANES)
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
    factor : (h, w) that the noise is stronger by in each cell, which blocks are freed from; None for 1.

    Attributes
    ----------
    score : (n,) variance of the twelve cells around each block, summed over channels; small is flat.
    level : (C, n) mean of each block's own cells, or of the ring and them.
    y, x : (n,) its corner in pixels.
    """

    def __init__(
        self, cells: NDArray, levels: NDArray, limit: int = 8000, wide: bool = False, factor: NDArray | None = None
    ) -> None:
        self.factor = None
        step = max(1, int(np.sqrt(cells[0].size / limit)))
        if min(cells.shape[1:]) < 4:
            self.score = np.zeros(0)
            self.level = np.zeros((len(levels), 0))
            self.y = self.x = np.zeros(0, int)
            return
        windows = [(n - 4) // step + 1 for n in cells.shape[1:]]
        score, level = np.empty(windows), np.empty((len(levels), *windows), np.float32)
        _unevenness(cells, step, score)
        _window_means(levels, *((0, 4) if wide else (1, 2)), step, level)
        self.score, self.level = score.ravel(), level.reshape(len(levels), -1)
        i, j = (a.ravel() for a in np.mgrid[: windows[0], : windows[1]])
        # an uneven offset, so that the 8 px grid of a JPEG or of this search never lines up with the blocks
        self.y = 4 * i * step + 2 + (5 * i + 7 * j) % 5
        self.x = 4 * j * step + 2 + (3 * j + i) % 5
        if factor is not None:
            i, j = (np.minimum(a // CELL + 1, n - 1) for a, n in zip((self.y, self.x), factor.shape, strict=True))
            self.factor = factor[i, j]
            self.score = self.score / self.factor**2

    def __len__(self) -> int:
        return len(self.score)

    def cut(self, plane: NDArray, which: NDArray) -> NDArray[np.float32]:
        """The chosen blocks (n, 64) of one (H, W) plane."""
        out = np.empty((len(which), SIDE, SIDE), np.float32)
        _cut(plane, self.y[which], self.x[which], out)
        return out.reshape(-1, SIDE * SIDE)

    def spectra(self, plane: NDArray, which: NDArray, band: NDArray | slice = slice(None)) -> NDArray[np.float32]:
        """DCT coefficients (n, 64 or those of a band) of the chosen blocks of one (H, W) plane."""
        found = self.cut(plane, which) @ DCT_2D[band].T.astype(np.float32)
        return found if self.factor is None else found / self.factor[which][:, None]

    def flattest(self, count: int, allowed: NDArray | None = None, score: NDArray | None = None) -> NDArray[np.intp]:
        """Indices of the ``count`` flattest blocks."""
        s = self.score if score is None else score
        if allowed is not None:
            s = np.where(allowed, s, np.inf)
        count = min(count, len(s) - 1)
        return np.argpartition(s, count)[:count]
