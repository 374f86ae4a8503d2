"""Sliding DCT: the first, fast estimate that guides the search for alike patches.

Every 8 x 8 block on every second row and column is transformed, its coefficients below a multiple of the noise are set
to zero, and all blocks that cover a pixel are averaged, weighted by how little noise they kept (Yu and Sapiro, 2011).
Blotches are larger than a block, so the same is done at half size, and its result replaces the low band.

All rows of a strip are handled column-wise, `ABREAST` blocks at a time, which is what lets the compiler vectorise.

References
----------
[1] G. Yu, G. Sapiro, "DCT image denoising: a simple and effective image denoising algorithm", IPOL 1, 2011.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import FAST, PLANE, PLANES, ROW, b1, f4, i8, kernel, part
from dustpan.core.noise.dct8 import dct8, idct8

ABREAST = 64  # blocks side by side in one strip
REACH = 11  # px that a region is read beyond its sides: a block, and 3 px to its lattice
SPAN = 2 * ABREAST + 6  # px that a strip covers
MIDDLE = 3  # px from the corner of a block to where its noise is asked for
AT_A_TIME = 64  # rows between two looks at whether the work was cancelled
WINDOW = np.kaiser(8, 2.0).astype(np.float32)


@part(FAST)
def row_spectra(row, even, odd, out):
    """Row transforms of all blocks of a strip: row (SPAN) to out (8 * ABREAST)."""
    for i in range(ABREAST + 3):
        even[i] = row[2 * i]
        odd[i] = row[2 * i + 1]
    for i in range(ABREAST):
        (
            out[i],
            out[i + ABREAST],
            out[i + 2 * ABREAST],
            out[i + 3 * ABREAST],
            out[i + 4 * ABREAST],
            out[i + 5 * ABREAST],
            out[i + 6 * ABREAST],
            out[i + 7 * ABREAST],
        ) = dct8(even[i], odd[i], even[i + 1], odd[i + 1], even[i + 2], odd[i + 2], even[i + 3], odd[i + 3])


@part(FAST)
def column_spectra(rows, first, out):
    """Column transforms: eight rows of the ring from ``first`` on, to out (64 * ABREAST), frequency by frequency."""
    s = 8 * ABREAST
    r0, r1, r2, r3 = rows[first % 8], rows[(first + 1) % 8], rows[(first + 2) % 8], rows[(first + 3) % 8]
    r4, r5, r6, r7 = (
        rows[(first + 4) % 8],
        rows[(first + 5) % 8],
        rows[(first + 6) % 8],
        rows[(first + 7) % 8],
    )
    for i in range(s):
        (
            out[i],
            out[i + s],
            out[i + 2 * s],
            out[i + 3 * s],
            out[i + 4 * s],
            out[i + 5 * s],
            out[i + 6 * s],
            out[i + 7 * s],
        ) = dct8(r0[i], r1[i], r2[i], r3[i], r4[i], r5[i], r6[i], r7[i])


@part(FAST)
def add_back(spec, window, columns, line, total, x, y):
    """Inverse transforms of one row of a strip's blocks, added to the sums.

    Sums are kept as even and odd columns. Blocks are added from left to right for every pixel, here and across strips,
    so that a sum does not depend on where a strip begins.
    """
    s = 8 * ABREAST
    for i in range(s):
        (
            columns[i],
            columns[i + s],
            columns[i + 2 * s],
            columns[i + 3 * s],
            columns[i + 4 * s],
            columns[i + 5 * s],
            columns[i + 6 * s],
            columns[i + 7 * s],
        ) = idct8(
            spec[i],
            spec[i + s],
            spec[i + 2 * s],
            spec[i + 3 * s],
            spec[i + 4 * s],
            spec[i + 5 * s],
            spec[i + 6 * s],
            spec[i + 7 * s],
        )
    for r in range(8):
        c = columns[r * s : (r + 1) * s]
        for i in range(ABREAST):
            (
                line[i],
                line[i + ABREAST],
                line[i + 2 * ABREAST],
                line[i + 3 * ABREAST],
                line[i + 4 * ABREAST],
                line[i + 5 * ABREAST],
                line[i + 6 * ABREAST],
                line[i + 7 * ABREAST],
            ) = idct8(
                c[i],
                c[i + ABREAST],
                c[i + 2 * ABREAST],
                c[i + 3 * ABREAST],
                c[i + 4 * ABREAST],
                c[i + 5 * ABREAST],
                c[i + 6 * ABREAST],
                c[i + 7 * ABREAST],
            )
        even, odd = total[y + r, 0, x : x + ABREAST + 3], total[y + r, 1, x : x + ABREAST + 3]
        for q in range(3, -1, -1):
            a, b = window[r] * window[2 * q], window[r] * window[2 * q + 1]
            for i in range(ABREAST):
                even[i + q] += a * line[2 * q * ABREAST + i]
            for i in range(ABREAST):
                odd[i + q] += b * line[(2 * q + 1) * ABREAST + i]


@part(FAST)
def add_weights(weight, window, sums, x):
    """Add the weights of a strip's blocks to the sums (2, half a row) of even and odd columns."""
    for q in range(3, -1, -1):
        a, b = window[2 * q], window[2 * q + 1]
        for i in range(ABREAST):
            sums[0, x + i + q] += a * weight[i]
        for i in range(ABREAST):
            sums[1, x + i + q] += b * weight[i]


@part(FAST)
def _noise_at(spec, mix, scale, scale_step, factor, y, x, power):
    """Noise power of each opponent plane (relative to unclipped) per block of a row, from the blocks' mean colour.

    factor : see `sliding_dct`, empty for 1; y, x : px of the middle of the first block.
    """
    n = spec.shape[0]
    last = scale.shape[1] - 1
    for i in range(ABREAST):
        for k in range(n):
            power[k, i] = 0
        for c in range(n):
            level = np.float32(0)
            for k in range(n):
                level += mix[k, c] * spec[k, i]
            s = scale[c, min(max(int(level * scale_step * np.float32(0.125)), 0), last)]
            for k in range(n):
                power[k, i] += mix[k, c] * mix[k, c] * s * s
    if factor.shape[1]:
        for k in range(n):
            line = factor[min(k, len(factor) - 1), y]
            for i in range(ABREAST):
                power[k, i] *= line[x + 2 * i] * line[x + 2 * i]


@part(FAST)
def _shrink(spec, power, weight, spectrum, limit, keep_mean):
    """Zero the coefficients under the limit and weight each block by the inverse of the noise it kept."""
    for i in range(ABREAST):
        weight[i] = spectrum[0]
    if not keep_mean:
        for i in range(ABREAST):
            spec[i] = 0
    for k in range(1, 64):
        own = spectrum[k]
        bound = limit * own
        o = k * ABREAST
        for i in range(ABREAST):
            v = spec[o + i]
            kept = np.float32(1) if v * v >= bound * power[i] else np.float32(0)
            spec[o + i] = v * kept
            weight[i] += kept * own
    for i in range(ABREAST):
        weight[i] = np.float32(1) / (weight[i] * power[i])
    for k in range(64):
        o = k * ABREAST
        for i in range(ABREAST):
            spec[o + i] *= weight[i]


_SUMS = f4[:, :, :, :, ::1]
_SETTINGS = (ROW, PLANE, f4, PLANE, PLANE, f4, b1, i8)  # from ``window`` to ``row_step``


@kernel(PLANES, PLANES, *_SETTINGS, i8, i8, f4[:, :, :, ::1], _SUMS, options=FAST)
def _slide(
    planes, factor, window, spectrum, limit, mix, scale, scale_step, keep_mean, row_step, first, last, rings, sums
):
    """Add the blocks of the rows ``first`` to ``last`` to ``sums`` (totals and weights, even and odd columns apart).

    ``rings`` (strips, C, 8, 8 * ABREAST) keeps the row transforms of the rows that the next blocks share.
    """
    n = planes.shape[0]
    strips, half = rings.shape[0], sums.shape[4]
    total, weights = sums[0], sums[1]
    row_weights = np.empty((n, 2, half), np.float32)
    spec = np.empty((n, 64 * ABREAST), np.float32)
    power = np.empty((n, ABREAST), np.float32)
    weight = np.empty(ABREAST, np.float32)
    columns = np.empty(64 * ABREAST, np.float32)
    line = np.empty(8 * ABREAST, np.float32)
    even, odd = np.empty(ABREAST + 3, np.float32), np.empty(ABREAST + 3, np.float32)
    for y in range(first, last, row_step):
        row_weights[:] = 0
        for s in range(strips):
            x = ABREAST * s
            for c in range(n):
                for r in range(0 if y == 0 else y + 8 - row_step, y + 8):
                    row_spectra(planes[c, r, 2 * x : 2 * x + SPAN], even, odd, rings[s, c, r % 8])
                column_spectra(rings[s, c], y, spec[c])
            _noise_at(spec, mix, scale, scale_step, factor, y + MIDDLE, 2 * x + MIDDLE, power)
            for c in range(n):
                _shrink(spec[c], power[c], weight, spectrum[c], limit, keep_mean)
                add_back(spec[c], window, columns, line, total[c], x, y)
                add_weights(weight, window, row_weights[c], x)
        for c in range(n):
            for r in range(8):
                for parity in range(2):
                    target, source = weights[c, y + r, parity], row_weights[c, parity]
                    for i in range(half):
                        target[i] += window[r] * source[i]


@kernel(_SUMS, PLANES, options=FAST)
def divide(sums, out):
    """Totals over weights, even and odd columns laid beside each other again: (2, C, h, 2, w / 2) to (C, h, w)."""
    n, h, _ = out.shape
    total, weights = sums[0], sums[1]
    for c in range(n):
        for y in range(h):
            for i in range(total.shape[3]):
                out[c, y, 2 * i] = total[c, y, 0, i] / max(weights[c, y, 0, i], np.float32(1e-20))
                out[c, y, 2 * i + 1] = total[c, y, 1, i] / max(weights[c, y, 1, i], np.float32(1e-20))


def sliding_dct(
    planes: NDArray[np.float32],
    spectrum: NDArray[np.float32],
    threshold: float,
    mix: NDArray[np.float32],
    scale: NDArray[np.float32],
    scale_step: float,
    keep_mean: bool = True,
    row_step: int = 2,
    check: Callable[[], None] = lambda: None,
    factor: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """Hard-threshold the 8 x 8 blocks on every ``row_step``-th row and every second column of a region.

    Parameters
    ----------
    planes : (C, h, w) opponent planes of unit noise.
    spectrum : (C, 64) noise power per frequency.
    threshold : in sigma of each coefficient.
    mix, scale, scale_step : the opponent transform (C, C) and the noise scale against the level (see `Stabiliser`).
    row_step : 2, or 4 for half the work. check : called every few milliseconds; raises to cancel.
    keep_mean : False also drops the mean of every block, for planes that hold what was removed.
    factor : (1 or 2, h, w) how many times as strong as that the noise is at a place: of all planes, or of the first
        and of the others; None where it is nowhere another.

    Returns
    -------
    (C, h, w). The outermost 7 px on each side are covered by fewer blocks than the rest.
    """
    _, h, w = planes.shape
    strips = max(1, -(-(w - 6) // (2 * ABREAST)))
    padded = np.pad(planes, ((0, 0), (0, h % 2), (0, strips * 2 * ABREAST + 6 - w)), mode="symmetric")
    padded = np.ascontiguousarray(padded)
    n, rows, cols = padded.shape
    rings = np.empty((strips, n, 8, 8 * ABREAST), np.float32)
    sums = np.zeros((2, n, rows, 2, cols // 2), np.float32)
    powers, limit = np.ascontiguousarray(spectrum), np.float32(threshold**2)
    settings = (WINDOW, powers, limit, mix, scale, np.float32(scale_step), keep_mean, row_step)
    at = fitted(factor, rows, cols)
    for first in range(0, rows - 7, AT_A_TIME):
        check()
        _slide(padded, at, *settings, first, min(first + AT_A_TIME, rows - 7), rings, sums)
    out = np.empty_like(padded)
    divide(sums, out)
    return out[:, :h, :w]


NOWHERE = np.empty((1, 0, 0), np.float32)  # a factor of 1


def fitted(factor: NDArray[np.float32] | None, rows: int, cols: int) -> NDArray[np.float32]:
    """A factor (n, h, w) as kernels take it, continued to at least so many rows and columns; empty for None."""
    if factor is None:
        return NOWHERE
    more = (max(rows - factor.shape[1], 0), max(cols - factor.shape[2], 0))
    return np.ascontiguousarray(np.pad(factor, ((0, 0), (0, more[0]), (0, more[1])), mode="edge"), np.float32)


def half_size(planes: NDArray[np.float32]) -> NDArray[np.float32]:
    """2 x 2 sums over two, which keeps white noise at unit sigma: (C, h, w) even to (C, h / 2, w / 2)."""
    c, h, w = planes.shape
    out = np.empty((c, h // 2, w // 2), np.float32)
    _halve(planes, out)
    return out


@kernel(PLANES, PLANES, options=FAST)
def _halve(planes, out):
    n, h, w = out.shape
    for c in range(n):
        for y in range(h):
            a, b = planes[c, 2 * y], planes[c, 2 * y + 1]
            for x in range(w):
                out[c, y, x] = np.float32(0.5) * ((a[2 * x] + a[2 * x + 1]) + (b[2 * x] + b[2 * x + 1]))


def half_spectrum(spectrum: NDArray[np.float32]) -> NDArray[np.float32]:
    """The spectrum (C, 64) that noise of ``spectrum`` has after `half_size`: its lower half, under the box filter."""
    at = np.arange(8) / 2
    i, f = at.astype(int), at - at.astype(int)
    box = np.cos(np.pi * np.arange(8) / 32) ** 2
    p = spectrum.reshape(-1, 8, 8)
    rows = p[:, i] * (1 - f)[:, None] + p[:, i + 1] * f[:, None]
    both = rows[:, :, i] * (1 - f) + rows[:, :, i + 1] * f
    return (both * box[:, None] * box).reshape(-1, 64).astype(np.float32)


@kernel(PLANES, PLANES, options=FAST)
def replace_low_band(fine, coarse):
    """Add to ``fine`` (C, h, w) the bilinear enlargement of coarse - half_size(fine), in place."""
    n, h, w = coarse.shape
    d = np.empty((h + 2, w + 2), np.float32)
    for c in range(n):
        f = fine[c]
        for y in range(h):
            for x in range(w):
                s = f[2 * y, 2 * x] + f[2 * y, 2 * x + 1] + f[2 * y + 1, 2 * x] + f[2 * y + 1, 2 * x + 1]
                d[y + 1, x + 1] = np.float32(0.5) * coarse[c, y, x] - np.float32(0.25) * s
            d[y + 1, 0] = d[y + 1, 1]
            d[y + 1, w + 1] = d[y + 1, w]
        for x in range(w + 2):
            d[0, x] = d[1, x]
            d[h + 1, x] = d[h, x]
        p, q = np.float32(0.75), np.float32(0.25)
        for y in range(2 * h):
            a = d[y // 2 + 1]
            b = d[y // 2] if y % 2 == 0 else d[y // 2 + 2]
            for x in range(w):
                left = p * a[x] + q * b[x]
                here = p * a[x + 1] + q * b[x + 1]
                right = p * a[x + 2] + q * b[x + 2]
                f[y, 2 * x] += p * here + q * left
                f[y, 2 * x + 1] += p * here + q * right


def two_scale_dct(
    planes: NDArray[np.float32],
    spectrum: NDArray[np.float32],
    threshold: float,
    mix: NDArray[np.float32],
    scale: NDArray[np.float32],
    scale_step: float,
    row_step: int = 2,
    coarse: float | None = None,
    colours: bool = True,
    check: Callable[[], None] = lambda: None,
    factor: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """`sliding_dct` at full and at half size, so that noise of up to about 30 px is seen. Sides must be even.

    Parameters
    ----------
    coarse : the threshold at half size; the same as at full size when left out.
    row_step : at full size; at half size it is 2.
    colours : False looks at the colours at half size only, which takes half the time.
    factor : see `sliding_dct`.
    """
    if colours or len(planes) == 1:
        fine = np.ascontiguousarray(
            sliding_dct(planes, spectrum, threshold, mix, scale, scale_step, True, row_step, check, factor)
        )
    else:
        fine = np.zeros_like(planes)
        greys = np.ones((1, 1), np.float32), *_of_greys(scale, scale_step)
        own = None if factor is None else factor[:1]
        fine[:1] = sliding_dct(planes[:1], spectrum[:1], threshold, *greys, True, row_step, check, own)
    half = half_size(planes), half_spectrum(spectrum)
    limit = threshold if coarse is None else coarse
    coarser = None if factor is None else factor[:, ::2, ::2]
    low = sliding_dct(*half, limit, mix, scale, scale_step / 2, check=check, factor=coarser)
    replace_low_band(fine, np.ascontiguousarray(low))
    return fine


def _of_greys(scale: NDArray[np.float32], scale_step: float) -> tuple[NDArray[np.float32], float]:
    """The noise scale of the brightness plane of greys against its own level."""
    return np.sqrt(np.mean(scale * scale, 0, keepdims=True)), scale_step / len(scale) ** 0.5
