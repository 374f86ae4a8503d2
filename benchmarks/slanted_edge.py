"""A slanted edge of known contrast, blur and noise, and how a sharpened one is scored.

The edge is tilted by five degrees, so that projecting every pixel onto the normal samples its profile four times as
fine as the pixel grid (ISO 12233). Plateaus are the true ones: a wide halo cannot hide in them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi
from scipy.special import ndtr

TILT, HEIGHT, WIDTH = np.deg2rad(5.0), 700, 180
BIN, HALF = 0.25, 40.0  # px


@dataclass(frozen=True)
class Score:
    """Halo in percent of the true step, frequency of MTF 0.5 in cycles/px (None for stairs), flat noise 0..1."""

    halo: float
    mtf50: float | None
    flat: float


def make_edge(contrast: float, blur: float, noise: float, seed: int = 3) -> tuple[NDArray, NDArray]:
    """(HEIGHT, WIDTH) picture of a step of ``contrast`` about 0.5, and every pixel's distance to it in px.

    ``blur`` is the sigma of the step in px, ``noise`` that of the added noise of 255.
    """
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(float)
    distance = (x - WIDTH / 2) * np.cos(TILT) + (y - HEIGHT / 2) * np.sin(TILT)
    clean = 0.5 - contrast / 2 + contrast * ndtr(distance / blur)
    return clean + np.random.default_rng(seed).normal(0, noise / 255, clean.shape), distance


def score(picture: NDArray, distance: NDArray, contrast: float) -> Score:
    """Score a sharpened picture of `make_edge`."""
    inside = np.zeros(picture.shape, bool)
    inside[12:-12, 12:-12] = True
    inside &= np.abs(distance) < HALF
    count = int(2 * HALF / BIN)
    at = np.floor((distance[inside] + HALF) / BIN).astype(int)
    place = (np.arange(count) + 0.5) * BIN - HALF
    profile = np.bincount(at, picture[inside], count) / np.maximum(np.bincount(at, minlength=count), 1)
    low, high = 0.5 - contrast / 2, 0.5 + contrast / 2
    near = ndi.uniform_filter1d(profile, 3)[np.abs(place) < 15]
    halo = 100 * max(0.0, (near.max() - high) / contrast, (low - near.min()) / contrast)
    flat = (np.abs(distance) > 20) & (np.abs(distance) < 38)
    flat[:12] = flat[-12:] = False
    noise = (picture - np.interp(distance, place, profile))[flat].std()
    return Score(float(halo), _mtf50(profile, place), float(noise))


def _mtf50(profile: NDArray, place: NDArray) -> float | None:
    line, at = np.diff(profile), (place[1:] + place[:-1]) / 2
    line = line * np.where(np.abs(at) < 16, 0.5 + 0.5 * np.cos(np.pi * at / 16), 0)
    spectrum, f = np.abs(np.fft.rfft(line, 8192)), np.fft.rfftfreq(8192, BIN)
    mtf = spectrum / spectrum[0] / np.maximum(np.sinc(f * BIN) ** 2, 0.1)
    under = np.flatnonzero((mtf < 0.5) & (f <= 1.0))
    if not under.size or under[0] == 0:
        return None
    i = int(under[0])
    return float(f[i - 1] + (mtf[i - 1] - 0.5) / (mtf[i - 1] - mtf[i] + 1e-12) * (f[i] - f[i - 1]))
