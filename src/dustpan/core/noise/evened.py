"""A luma plane with the same noise at every level, and whether the picture bears a print out."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.noise.grain import grain
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.region import Region

Plane = NDArray[np.float32]
LEAST = 0.25 / 255  # encoded sigma that rounding alone makes
FLAT, FLATTEST, USUALLY = 12, 0.03, 1.28  # px of a block, its share of all, and the median of all over that quantile
LEAST_SHARE = 0.25  # of a print's sigma
TAPS = 15  # of the filter that gives made noise its spectrum


def even_noise(plane: Plane, noise: NoisePrint) -> tuple[Plane, float]:
    """A plane whose noise is the same at every level, and its sigma; contrasts are kept in the middle."""
    sigma = np.maximum(noise.luma_sigma, LEAST).astype(float)
    usual = float(np.median(sigma))
    grid = np.linspace(0, 1, len(sigma))
    made = np.concatenate([[0], np.cumsum(usual * np.diff(grid) * 0.5 * (1 / sigma[1:] + 1 / sigma[:-1]))])
    at = np.clip(plane, 0, 1) * (len(sigma) - 1)
    low = np.minimum(at.astype(np.int32), len(sigma) - 2)
    part = at - low
    table = made.astype(np.float32)
    return table[low] * (1 - part) + table[low + 1] * part, usual


def made_noise(shape: tuple[int, ...], noise: NoisePrint) -> Plane:
    """Noise (h, w) of unit sigma with the spectrum of a print's luminance, the same at a place every time."""
    white = grain(Region(0, 0, *shape), 0.0)
    if noise.white:
        return white
    at = np.minimum(np.abs(np.fft.fftfreq(TAPS + 1) * (TAPS + 1)).astype(int), 7)
    gain = np.sqrt(np.asarray(noise.luma_spectrum, float).reshape(8, 8))[np.ix_(at, at)]
    taps = np.fft.fftshift(np.fft.ifft2(gain).real)[1:, 1:]
    taps /= np.sqrt((taps**2).sum())
    return np.asarray(cv2.filter2D(white, -1, taps.astype(np.float32), borderType=cv2.BORDER_REFLECT), np.float32)


def quieter(plane: Plane, spectrum: NDArray, sigma: float) -> float:
    """The share of a print's sigma that the flattest blocks of a plane of even noise bear out, at most 1.

    Fine texture can pass for noise in a print; what is flattest of a picture cannot be less than its noise.
    """
    second = np.array([1, -2, 1], np.float32)
    rest = np.abs(cv2.filter2D(plane, -1, np.outer(second, second), borderType=cv2.BORDER_REFLECT))
    h, w = (n // FLAT * FLAT for n in rest.shape)
    if min(h, w) < FLAT or sigma <= 0:
        return 1.0
    blocks = rest[:h, :w].reshape(h // FLAT, FLAT, w // FLAT, FLAT).swapaxes(1, 2).reshape(-1, FLAT * FLAT)
    flattest = float(np.quantile(np.median(blocks, 1), FLATTEST)) * USUALLY / 0.6745
    f = np.pi * np.arange(8) / 8
    gain = (2 - 2 * np.cos(f)) ** 2
    made = float(np.sqrt((spectrum * gain[:, None] * gain[None]).mean()))
    return float(np.clip(flattest / (made * sigma), LEAST_SHARE, 1.0))
