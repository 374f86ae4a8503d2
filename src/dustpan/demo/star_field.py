"""*Star field*: a clear night over the lightstation: stars, the pale band of the galaxy, one small nebula."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

FWHM = 2.6  # px
STARS = 900  # in a megapixel
FAINTEST, BRIGHTEST, SLOPE = 60.0, 60000.0, 0.75  # electrons of a star, and how fast their number falls
SKY = np.array([420.0, 480.0, 520.0])  # electrons a pixel of red, green and blue
READ = 6.0  # electrons
FULL = 65535.0  # counts, one an electron, above the pedestal
PEDESTAL = 500.0
HOT = 0.0004  # share of pixels that are hot


@dataclass(frozen=True)
class Sky:
    """``electrons`` (h, w, 3) without noise; ``places`` (n, 2) and ``flux`` (n,) of the stars, green electrons."""

    electrons: NDArray[np.float64]
    places: NDArray[np.float64]
    flux: NDArray[np.float64]


def _stars(size: tuple[int, int], rng: np.random.Generator) -> tuple[NDArray, NDArray, NDArray]:
    h, w = size
    n = int(STARS * h * w / 1e6) + 20
    flux = FAINTEST * rng.random(n) ** (-1 / SLOPE)
    flux = np.minimum(flux, BRIGHTEST)
    places = np.stack([rng.uniform(0, h, n), rng.uniform(0, w, n)], 1)
    warm = rng.normal(0, 0.25, n)  # hotter stars are bluer
    return places, flux, np.stack([1 + 0.5 * warm, np.ones(n), 1 - 0.5 * warm], 1).clip(0.3, 1.8)


def render(height: int = 768, width: int = 1024, seed: int = 5) -> Sky:
    """The sky over the silhouette of the lightstation."""
    rng = np.random.default_rng(seed)
    places, flux, tint = _stars((height, width), rng)
    points = np.zeros((height, width, 3))
    sigma = FWHM / 2.3548
    reach = 9
    for (y, x), f, t in zip(places, flux, tint, strict=True):
        y0, x0 = int(y) - reach, int(x) - reach
        ys, xs = (
            np.arange(max(y0, 0), min(y0 + 2 * reach + 1, height)),
            np.arange(max(x0, 0), min(x0 + 2 * reach + 1, width)),
        )
        spread = np.exp(-((ys[:, None] - y) ** 2 + (xs - x) ** 2) / (2 * sigma**2)) / (2 * np.pi * sigma**2)
        points[np.ix_(ys, xs)] += spread[..., None] * f * t
    y, x = np.mgrid[0:height, 0:width] / height
    clouds = sum(
        0.5**k
        * ndi.zoom(rng.normal(size=(4 * 2**k + 4, 6 * 2**k + 4)), height / (4.0 * 2**k), order=3)[:height, :width]
        for k in range(5)
    )
    band = np.exp(-(((y - 0.55) + 0.55 * (x - 0.65)) ** 2) / 0.035)
    galaxy = (70 * band * np.clip(1 + 0.45 * clouds, 0.1, None))[..., None] * np.array([1.0, 0.96, 0.92])
    far = np.hypot(y - 0.27, x - 0.98)
    nebula = (140 * np.exp(-((far / 0.06) ** 1.5)) * np.clip(1 + 0.5 * clouds, 0, None))[..., None] * np.array(
        [1.0, 0.35, 0.45]
    )
    glow = 1 + 0.8 * np.clip(y - 0.55, 0, None)[..., None] * np.array([1.3, 1.0, 0.7])
    sky = SKY * glow + galaxy + nebula + points
    cover = ndi.gaussian_filter(_lightstation(y, x).astype(float), 0.7)[..., None]
    return Sky(sky * (1 - cover) + cover * np.array([55.0, 60.0, 70.0]), places, flux)


def _lightstation(y: NDArray, x: NDArray) -> NDArray[np.bool_]:
    """The tower on its rock, black against the sky."""
    ground = y > 0.93 - 0.03 * np.sin(3 * x) - 0.02 * np.sin(11 * x + 1)
    tower = (np.abs(x - 0.25) < 0.030 - 0.016 * (0.90 - y)) & (y > 0.62)
    lantern = ((np.abs(x - 0.25) < 0.022) & (y > 0.585) & (y < 0.62)) | (np.hypot(y - 0.585, (x - 0.25) * 0.9) < 0.018)
    gallery = (np.abs(x - 0.25) < 0.034) & (y > 0.618) & (y < 0.626)
    house = (np.abs(x - 0.36) < 0.06) & (y > 0.86 - 0.5 * np.clip(0.05 - np.abs(x - 0.36), 0, None))
    return ground | tower | lantern | gallery | house


def counts(electrons: NDArray[np.float64], seed: int, hot: float = HOT) -> tuple[NDArray[np.uint16], NDArray[np.intp]]:
    """What a camera stores of it: 16-bit counts with shot and read noise and hot pixels; and where those are."""
    rng = np.random.default_rng(seed)
    seen = rng.poisson(electrons) + rng.normal(0, READ, electrons.shape)
    where = np.argwhere(rng.random(electrons.shape) < hot)
    seen[tuple(where.T)] += np.exp(rng.uniform(np.log(300), np.log(20000), len(where)))
    return np.clip(np.rint(seen + PEDESTAL), 0, FULL).astype(np.uint16), where
