"""Texture kept: the share of the texture above the noise that is still in a result.

Texture has to be told from noise without knowing either; `texture_kept` says how.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.judge.flat import patches
from dustpan.core.noise.blocks import DCT_2D
from dustpan.core.noise.noise_print import NoisePrint

BLOCK = 8
FEWEST = 50  # texture blocks: with fewer there is no figure
AT_A_TIME = 16  # rows of blocks between two looks at whether judging was cancelled
PLACE = np.stack(np.divmod(np.arange(64), 8))
BAND = PLACE.max(0) >= 2  # periods of 2 to 8 px
NEAR = (np.abs(PLACE[:, :, None] - PLACE[:, None, BAND]).max(0) <= 1) & BAND[:, None]
NEIGHBOURS = (NEAR / NEAR.sum(0)).astype(np.float32)  # to the mean of a frequency and those beside it
TEXTURE_FROM = 0.6  # band power of the cleaned input over that of the noise, from which a block is texture
SLOPE_SHARE = {True: 0.15, False: 0.6}  # by whether the noise is white; see `texture_kept`
FAINTEST = 16 * (1.5 / 255) ** 2  # band power of a block of the faintest texture that counts without noise
Check = Callable[[], None]


def luma_spectrum(noise: NoisePrint) -> NDArray[np.float64]:
    """(64,) shape of the luma noise over the frequencies of a block, mean 1."""
    p = np.asarray(noise.spectrum[0], float)
    return p / p.mean()


class TextureSums(NamedTuple):
    """What texture blocks add up to.

    Attributes
    ----------
    blocks : how many there are. kept, whole : products of the result and of the input with the cleaned input.
    pooled : slope of result against input, in pools of 3 x 3 blocks and frequencies, times the power above the noise;
    texture : that power.
    """

    blocks: float = 0.0
    kept: float = 0.0
    whole: float = 0.0
    pooled: float = 0.0
    texture: float = 0.0

    def plus(self, other: TextureSums) -> TextureSums:
        return TextureSums(*(a + b for a, b in zip(self, other, strict=True)))


def texture_kept(
    before: NDArray,
    after: NDArray,
    cleaned: NDArray,
    noise: NoisePrint,
    check: Check = lambda: None,
    factor: NDArray[np.float32] | None = None,
) -> float | None:
    """Share of the input's texture above the noise that is still in the result, in percent.

    Two estimates bracket the true share. The slope of result against input within pools of coefficients, weighted by
    their power above the noise, comes out low: pools that look strong are so by chance in part. The product with the
    cleaned input comes out high: what cleaning lost is not looked for. On white noise the second is nearly right, on
    correlated noise, which cleaning takes for texture more easily, the first (`SLOPE_SHARE`).

    Parameters
    ----------
    before, after, cleaned : (H, W) luma. factor : (H, W) that the noise is stronger by than the print; None for 1.
    """
    rows = (len(before) - BLOCK) // 4 + 1
    if min(before.shape) < 4 * BLOCK:
        return None
    sums = TextureSums()
    for first in range(0, rows, AT_A_TIME):
        check()
        last = min(first + AT_A_TIME, rows)
        own = slice(max(first - 1, 0), min(last + 1, rows))  # with neighbours to pool with
        lines = slice(4 * own.start, 4 * (own.stop - 1) + BLOCK)
        by = None if factor is None else factor[lines]
        sides = before[lines], after[lines], cleaned[lines]
        sums = sums.plus(_texture_sums(*sides, first - own.start, last - own.start, noise, check, by))
    if sums.blocks < FEWEST:
        return None
    product = sums.kept / sums.whole
    if sums.texture <= 0:
        return float(100 * product)
    return float(100 * (product + SLOPE_SHARE[noise.white] * (sums.pooled / sums.texture - product)))


def _texture_sums(
    before: NDArray,
    after: NDArray,
    cleaned: NDArray,
    first: int,
    last: int,
    noise: NoisePrint,
    check: Check,
    factor: NDArray | None,
) -> TextureSums:
    """What the texture blocks of the rows ``first`` to ``last`` of blocks add to the figure."""
    x, y, template = (_block_spectra(p, check) for p in (before, after, cleaned))
    sigma = noise.luminance_sigma_of(patches(cleaned, BLOCK, 4).mean((2, 3)))
    if factor is not None:
        sigma = sigma * patches(factor, BLOCK, 4)[:, :, BLOCK // 2, BLOCK // 2]
    variance, spectrum = (sigma * sigma).astype(np.float32), luma_spectrum(noise).astype(np.float32)
    band = template[..., BAND]
    texture = (band * band).sum(2) > np.maximum(TEXTURE_FROM * variance * spectrum[BAND].sum(), FAINTEST)
    texture[:first] = texture[last:] = False
    kept, whole = (float((band * p[..., BAND])[texture].sum()) for p in (y, x))
    check()
    in_x, in_xy, in_n = (_pooled(p, check)[texture] for p in (x * x, x * y, variance[..., None] * spectrum))
    excess = in_x - in_n
    slope = float((in_xy / np.maximum(in_x, 1e-12) * excess).sum())
    return TextureSums(float(texture.sum()), kept, whole, slope, float(excess.sum()))


def _block_spectra(plane: NDArray, check: Check) -> NDArray[np.float32]:
    """(ny, nx, 64) of the blocks on every fourth row and column."""
    check()
    blocks = patches(plane, BLOCK, 4)
    return blocks.reshape(*blocks.shape[:2], 64).astype(np.float32) @ DCT_2D.T.astype(np.float32)


def _pooled(power: NDArray, check: Check) -> NDArray[np.float32]:
    """Means over 3 x 3 blocks and the neighbouring frequencies of the band: (ny, nx, 64) to (ny, nx, those)."""
    check()
    return np.asarray(ndi.uniform_filter(power @ NEIGHBOURS, (3, 3, 1), mode="nearest"), np.float32)
