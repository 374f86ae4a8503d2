"""The museum's simulated raw camera: what its sensor makes of clean light, sample by sample."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.develop.white import XYZ_TO_SRGB
from dustpan.demo.dng import Shot

SEES = np.array([[0.74, 0.22, 0.04], [0.11, 0.77, 0.12], [0.03, 0.24, 0.73]])  # light of sRGB's primaries to colours
NEUTRAL = np.array([0.46, 1.0, 0.62])  # what it sees of a neutral thing
RGGB = ((0, 1), (1, 2))
FOCUS_EVERY, FOCUS_ROW, FOCUS_SHARE = 12, 5, 0.08  # rows; of the veiling light
SIX_BY_SIX = (
    (1, 1, 0, 1, 1, 2), (1, 1, 2, 1, 1, 0), (2, 0, 1, 0, 2, 1),
    (1, 1, 2, 1, 1, 0), (1, 1, 0, 1, 1, 2), (0, 2, 1, 2, 0, 1),
)  # fmt: skip


@dataclass(frozen=True)
class Exposure:
    """How a scene is taken: electrons at the sensor's white, EV darker than right, read noise in electrons."""

    electrons: float = 2500.0
    darker: float = 0.0
    read: float = 4.0
    pattern: tuple[tuple[int, ...], ...] = RGGB
    black: int = 512
    white: int = 16383

    @property
    def noise(self) -> tuple[float, float]:
        """(gain, read): variance = gain * x + read where 1 is white."""
        return 1 / self.electrons, (self.read / self.electrons) ** 2


def seen(light: NDArray[np.floating], exposure: Exposure) -> NDArray[np.float64]:
    """Clean samples (h, w) from 0 to 1 of linear light (h, w, 3)."""
    colours = light @ SEES.T * NEUTRAL * 2.0**-exposure.darker
    h, w = colours.shape[:2]
    pattern = np.asarray(exposure.pattern)
    rows, columns = np.arange(h) % pattern.shape[0], np.arange(w) % pattern.shape[1]
    site = pattern[rows[:, None], columns[None]]
    return np.asarray(np.take_along_axis(colours, site[..., None], 2)[..., 0], float)


def counts(clean: NDArray[np.float64], exposure: Exposure, seed: int) -> NDArray[np.uint16]:
    """What is written of clean samples: photons, read noise, a pedestal, whole numbers."""
    rng = np.random.default_rng(seed)
    electrons = rng.poisson(np.maximum(clean, 0) * exposure.electrons) + rng.normal(0, exposure.read, clean.shape)
    span = exposure.white - exposure.black
    stored = np.rint(exposure.black + electrons / exposure.electrons * span)
    return np.clip(stored, 0, exposure.white).astype(np.uint16)


def with_stripes(clean: NDArray[np.float64]) -> NDArray[np.float64]:
    """Rows with focus pixels read a little high where much light falls in from elsewhere."""
    veil = ndi.gaussian_filter(np.minimum(clean, 1), 0.06 * len(clean), mode="nearest")
    rows = (np.arange(len(clean)) % FOCUS_EVERY == FOCUS_ROW)[:, None]
    return clean + FOCUS_SHARE * veil * rows


def with_hot_pixels(
    stored: NDArray[np.uint16], exposure: Exposure, seed: int, share: float = 4e-4
) -> NDArray[np.uint16]:
    """A few sites that read far too high, the same ones for the same seed."""
    rng = np.random.default_rng(seed)
    hot = rng.random(stored.shape) < share
    above = np.exp(rng.uniform(np.log(120), np.log(9000), stored.shape))
    return np.minimum(stored + np.where(hot, above, 0), exposure.white).astype(np.uint16)


def shot(exposure: Exposure, told: bool = False, **about: object) -> Shot:
    """What the camera writes beside the samples; ``told`` : its noise profile as well."""
    matrix = NEUTRAL[:, None] * SEES @ XYZ_TO_SRGB
    profile = exposure.noise if told else None
    return Shot(exposure.pattern, exposure.black, exposure.white, matrix, NEUTRAL.tolist(), profile=profile, **about)  # type: ignore[arg-type]
