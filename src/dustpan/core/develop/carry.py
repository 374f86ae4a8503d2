"""The sensor's noise carried through development, so that the noise of a developed picture is known and not guessed.

Flats of the picture's own colours get exactly that noise and are developed by the same code. Greys would not do: the
matrix brings green's noise into dark blue. The model is fitted to values that are neither clipped nor encoded yet, and
does both itself.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma, opponent_matrix
from dustpan.core.curve import SRGB
from dustpan.core.develop.sensor_noise import SensorNoise
from dustpan.core.noise.blocks import DCT_2D
from dustpan.core.noise.model import ChannelNoise
from dustpan.core.noise.noise_print import NoisePrint

BLOCK = 8
SIDE, MARGIN = 48, 8  # px of a flat, and of its rim that its neighbours reach into
BRIGHTEST = 0.9  # light of flats that are not clipped
FEWEST = 20  # flats
ENDS = 0.01
LEAST_GAIN, LEAST_READ = 1e-7, 1e-10

Chain = Callable[[NDArray[np.float32]], NDArray[np.float32]]


def carried(noise: SensorNoise, pattern: tuple[tuple[int, ...], ...], chain: Chain) -> NoisePrint | None:
    """The print of a developed picture.

    Parameters
    ----------
    noise : of the sensor. pattern : the colours of its filter.
    chain : develops light (h, w, 1) to light (h, w, C), neither clipped nor encoded; as the picture was.

    Returns
    -------
    NoisePrint; None where nearly all of the picture is clipped.
    """
    from scipy.optimize import nnls  # slow to import

    clean, noisy = (_cut(chain(flats[..., None])) for flats in _flats(noise, pattern))
    mean, apart = clean.mean((1, 2)), noisy - clean
    channels = mean.shape[1]
    models, unit = [], np.empty_like(apart)
    for c in range(channels):
        inside = mean[:, c] < BRIGHTEST
        if inside.sum() < FEWEST:
            return None
        variance = apart[..., c].var((1, 2))
        rows = np.stack([np.maximum(mean[:, c], 0), np.ones(len(mean))], 1) / variance[:, None]
        gain, read = nnls(rows[inside], np.ones(inside.sum()))[0]
        models.append(ChannelNoise(False, gain=max(float(gain), LEAST_GAIN), read=max(float(read), LEAST_READ)))
        sigma = np.sqrt(models[-1].gain * np.maximum(mean[:, c], 0) + models[-1].read)
        unit[..., c] = apart[..., c] / sigma[:, None, None]
    white = channels == 1
    if white:
        spectrum, cross = np.ones((1, 64), np.float32), np.ones((64, 1, 1))
    else:
        spectrum, cross = _spectra(unit[(mean < BRIGHTEST).all(1)])
    levels = np.asarray(SRGB.encode(np.clip(mean, 0, 1)))
    tones = luma(levels)
    stored = mean[:, None, None] + apart
    return NoisePrint(
        tuple(models),
        white,
        spectrum,
        cross,
        np.median(levels, 0),
        (float(np.quantile(tones, ENDS)), float(np.quantile(tones, 1 - ENDS))),
        1.0,
        (float((stored <= 0).mean()), float((stored >= 1).mean())),
        flips=noise.heavier,
        on_sensor=True,
    )


def _flats(noise: SensorNoise, pattern: tuple[tuple[int, ...], ...]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """A mosaic of flats in a square, clean and with the noise."""
    across = max(1, int(np.sqrt(len(noise.colours))))
    rows = len(noise.colours) // across
    site = np.tile(np.asarray(pattern), (SIDE // len(pattern), SIDE // len(pattern[0])))
    clean = noise.colours[: rows * across].reshape(rows, across, -1)[..., site].transpose(0, 2, 1, 3)
    clean = clean.reshape(rows * SIDE, across * SIDE)
    sigma = np.sqrt(np.maximum(noise.gain * clean, 0) + noise.read)
    noisy = clean + np.random.default_rng(0).normal(0, 1, clean.shape) * sigma
    return clean.astype(np.float32), np.minimum(noisy, 1).astype(np.float32)


def _cut(light: NDArray[np.float32]) -> NDArray[np.float64]:
    """(n, side, side, C): the inner part of every flat."""
    h, w, n = light.shape
    parts = np.asarray(light, float).reshape(h // SIDE, SIDE, w // SIDE, SIDE, n).transpose(0, 2, 1, 3, 4)
    return parts[:, :, MARGIN:-MARGIN, MARGIN:-MARGIN].reshape(-1, SIDE - 2 * MARGIN, SIDE - 2 * MARGIN, n)


def _spectra(unit: NDArray[np.float64]) -> tuple[NDArray[np.float32], NDArray[np.float64]]:
    """Block spectra (3, 64) and cross-spectra (64, 3, 3) of the opponent planes of unit noise (n, side, side, 3)."""
    n, blocks = len(unit), (SIDE - 2 * MARGIN) // BLOCK
    planes = (unit @ opponent_matrix(3).T).reshape(n, blocks, BLOCK, blocks, BLOCK, 3)
    flat = planes.transpose(5, 0, 1, 3, 2, 4).reshape(3, -1, BLOCK * BLOCK)
    coefficients = (flat @ DCT_2D.T).transpose(2, 0, 1)
    cross = coefficients @ coefficients.transpose(0, 2, 1) / coefficients.shape[2]
    return np.einsum("fcc->cf", cross).astype(np.float32), cross
