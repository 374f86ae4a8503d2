"""*Twelve exposures over the lightstation*: stars that drift and turn across a sensor whose hot pixels stay.

One exposure is out of focus, through one a cloud drifts, through another a satellite; the truth is known of all.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.frames.motion import Motion, motion_of

SKY, READ, FULL, PEDESTAL = 400.0, 6.0, 65535.0, 500.0  # electrons a pixel; counts, one an electron
FWHM, BLURRED = 2.6, 5.5  # px, of stars in focus and out of it
HOT, RAYS = 0.002, 6  # share of pixels that are hot; cosmic rays in an exposure
CLOUD = 0.45  # of the light that comes through the cloud


@dataclass(frozen=True)
class Night:
    """How the exposures are taken.

    Attributes
    ----------
    size : (height, width). count : of exposures. stars : in the field. faintest, brightest : electrons of a star.
    drift, turn : (x, y) px and degrees from first to last. out_of_focus, cloud, satellites : indices of exposures.
    comet : (x, y) px at first and its way to the last, in the reference; None for none. hot : share of pixels.
    """

    size: tuple[int, int] = (420, 560)
    count: int = 12
    stars: int = 120
    faintest: float = 900.0
    brightest: float = 90000.0
    drift: tuple[float, float] = (17.0, -9.0)
    turn: float = 0.6
    out_of_focus: int | None = 7
    cloud: int | None = 4
    satellites: tuple[int, ...] = (2, 5, 9)
    comet: tuple[tuple[float, float], tuple[float, float]] | None = None
    hot: float = HOT
    seed: int = 3


@dataclass(frozen=True, eq=False)
class Taken:
    """The exposures, and what is true.

    counts : (N) of (h, w) uint16 as stored. motions : where the places of the first are found in each. at, flux : of
    the stars in the first, (x, y) and electrons. sky : (h, w) electrons of the first without noise.
    hot : (n, 2) places. struck : (N) of (h, w), where satellites and rays went.
    """

    counts: list[NDArray[np.uint16]]
    motions: list[Motion]
    at: NDArray[np.float64]
    flux: NDArray[np.float64]
    sky: NDArray[np.float64]
    hot: NDArray[np.intp]
    struck: list[NDArray[np.bool_]] = field(default_factory=list)


def stars_on(size: tuple[int, int], at: NDArray, flux: NDArray, fwhm: float) -> NDArray[np.float64]:
    """(h, w) electrons of stars (x, y) as Gaussians."""
    h, w = size
    out = np.zeros(size)
    sigma = fwhm / 2.3548
    reach = int(np.ceil(5 * sigma))
    for (x, y), light in zip(at, flux, strict=True):
        x0, y0 = round(x), round(y)
        ys = np.arange(max(0, y0 - reach), min(h, y0 + reach + 1))
        xs = np.arange(max(0, x0 - reach), min(w, x0 + reach + 1))
        if len(ys) and len(xs):
            down, across = (np.exp(-((v - c) ** 2) / (2 * sigma**2)) for v, c in ((ys, y), (xs, x)))
            out[np.ix_(ys, xs)] += light / (2 * np.pi * sigma**2) * down[:, None] * across
    return out


def motion_at(night: Night, share: float) -> Motion:
    """How an exposure lies, ``share`` of the way from the first to the last: turned about the middle, and moved."""
    h, w = night.size
    angle = np.radians(night.turn * share)
    linear = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    middle = np.array([(w - 1) / 2, (h - 1) / 2])
    moved = middle - linear @ middle + share * np.array(night.drift)
    return motion_of(np.column_stack([linear, moved]))


def take(night: Night) -> Taken:
    """The exposures of a night."""
    h, w = night.size
    rng = np.random.default_rng(night.seed)
    edge = 40
    at = np.stack([rng.uniform(-edge, w + edge, night.stars), rng.uniform(-edge, h + edge, night.stars)], 1)
    flux = np.exp(rng.uniform(np.log(night.faintest), np.log(night.brightest), night.stars))
    hot = np.argwhere(rng.random(night.size) < night.hot)
    extra = np.exp(rng.uniform(np.log(400), np.log(20000), len(hot)))
    taken = Taken([], [], at, flux, stars_on(night.size, at, flux, FWHM) + SKY, hot)
    for n in range(night.count):
        share = n / max(night.count - 1, 1)
        motion = motion_at(night, share)
        moving = _with_comet(night, at, flux, share)
        seen = stars_on(night.size, motion.of(moving[0]), moving[1], BLURRED if n == night.out_of_focus else FWHM)
        sky = SKY * (1 + 0.03 * np.linspace(-1, 1, w)[None] * np.cos(n))
        if n == night.cloud:
            veil = ndi.gaussian_filter(rng.normal(size=night.size), min(h, w) / 8)
            through = np.clip(CLOUD + 0.1 * veil / veil.std(), 0.2, 0.8)
            seen, sky = seen * through, sky * 1.9
        light = seen + sky
        struck = np.zeros(night.size, bool)
        if n in night.satellites:
            light, struck = _with_trail(light, rng)
        counts = rng.poisson(light) + rng.normal(0, READ, night.size)
        counts[tuple(hot.T)] += rng.poisson(extra)
        for y, x in np.stack([rng.integers(0, h, RAYS), rng.integers(0, w, RAYS)], 1):
            counts[y, x] += np.exp(rng.uniform(np.log(800), np.log(15000)))
            struck[y, x] = True
        taken.counts.append(np.clip(np.rint(counts + PEDESTAL), 0, FULL).astype(np.uint16))
        taken.motions.append(motion)
        taken.struck.append(struck)
    return taken


def _with_comet(night: Night, at: NDArray, flux: NDArray, share: float) -> tuple[NDArray, NDArray]:
    if night.comet is None:
        return at, flux
    start, way = np.array(night.comet)
    return np.vstack([at, start + share * way]), np.append(flux, 4000.0)


def _with_trail(light: NDArray, rng: np.random.Generator) -> tuple[NDArray, NDArray[np.bool_]]:
    """A satellite's trail from side to side, three pixels wide."""
    h, w = light.shape
    y, x = np.mgrid[:h, :w]
    y0, y1 = rng.uniform(0.1 * h, 0.9 * h, 2)
    apart = np.abs(y - (y0 + (y1 - y0) * x / w)) / np.hypot(1, (y1 - y0) / w)
    trail = 900 * np.exp(-(apart**2) / (2 * 1.1**2))
    return light + trail, trail > 5


def about(night: Night, index: int) -> dict[str, object]:
    """What the header of an exposure says."""
    return {
        "OBJECT": "over the lightstation",
        "EXPTIME": 30.0,
        "DATE-OBS": f"2031-10-04T22:{index // 2:02d}:{30 * (index % 2):02d}",
        "INSTRUME": "made up",
    }
