"""Levels: which values become black, middle grey and white; what *Brighten for viewing* and Tone have in common.

The middle is set by the rational curve of [1], which keeps both ends and bends what is between.

References
----------
[1] C. Schlick, "Fast alternatives to Perlin's bias and gain functions", in Graphics Gems IV, 1994.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma

SKY_SHOWN = 0.2  # the encoded value that the sky gets
BELOW_SKY = 2.8  # sigmas from black to the sky
TOP = 99.9  # percentile of the picture that becomes white
LEAST_RANGE = 12.0  # sigmas from the sky to white
HIGHEST = 2.5  # encoded value that becomes white
APART = 2  # px between samples whose difference tells the noise
MOST_SEEN = 1_000_000


@dataclass(frozen=True)
class Levels:
    """Encoded values that become black and white, per channel, and the share between that becomes middle grey."""

    black: tuple[float, float, float] = (0.0, 0.0, 0.0)
    middle: float = 0.5
    white: tuple[float, float, float] = (1.0, 1.0, 1.0)

    @property
    def linked(self) -> bool:
        """Whether all channels are treated alike."""
        return len(set(self.black)) == 1 and len(set(self.white)) == 1

    def as_json(self) -> dict:
        return {"black": list(self.black), "middle": self.middle, "white": list(self.white)}


def levels_from_json(raw: object) -> Levels | None:
    """Levels that a sweep file kept; None for what makes no sense."""
    try:
        black, middle, white = (raw[k] for k in ("black", "middle", "white"))  # type: ignore[index]
        found = Levels(tuple(map(float, black)), float(middle), tuple(map(float, white)))  # type: ignore[arg-type]
    except (TypeError, KeyError, ValueError):
        return None
    values = (*found.black, found.middle, *found.white)
    fits = len(values) == 7 and all(np.isfinite(values)) and 0 < found.middle < 1
    return found if fits and all(b < w for b, w in zip(found.black, found.white, strict=True)) else None


def automatic(pixels: NDArray[np.float32], linked: bool = True) -> Levels:
    """Levels from the sky and its noise: the sky becomes dark grey, and black lies just below its noise.

    Parameters
    ----------
    pixels : (h, w, C) encoded values. linked : the same for all channels, or each so that the sky becomes neutral.
    """
    every = max(1, int(np.sqrt(pixels.shape[0] * pixels.shape[1] / MOST_SEEN)))
    seen = np.asarray(pixels[::every], np.float64)
    found = [_of_channel(seen[..., c]) for c in range(seen.shape[2])]
    found = found * 3 if len(found) == 1 else found
    black = tuple(sky - BELOW_SKY * sigma for sky, sigma, _ in found)
    if linked:  # no channel's sky is cut off
        sky, top = float(np.mean([f[0] for f in found])), max(f[2] for f in found)
        found, black = [(sky, found[0][1], top)] * 3, (min(black),) * 3
    share = float(np.mean([(sky - b) / (top - b) for (sky, _, top), b in zip(found, black, strict=True)]))
    share = min(max(share, 1e-4), 0.9)
    white = tuple(b + (sky - b) / share for (sky, _, _), b in zip(found, black, strict=True))
    middle = share * (1 - SKY_SHOWN) / (share - 2 * SKY_SHOWN * share + SKY_SHOWN)
    return Levels(black, float(np.clip(middle, 0.001, 0.999)), white)  # type: ignore[arg-type]


def _of_channel(plane: NDArray[np.float64]) -> tuple[float, float, float]:
    """Sky, sigma of its noise, and what becomes white."""
    sky = float(np.median(plane))
    apart = np.abs(plane[:, APART:] - plane[:, :-APART])
    sigma = max(float(np.median(apart)) * 1.4826 / np.sqrt(2) if apart.size else 0.0, 1e-4)
    return sky, sigma, min(max(float(np.percentile(plane, TOP)), sky + LEAST_RANGE * sigma), HIGHEST)


def bent(values: NDArray[np.float32], middle: float) -> NDArray[np.float32]:
    """The curve of [1] that brings ``middle`` to a half; beyond both ends it goes straight on.

    Examples
    --------
    >>> bent(np.array([0.0, 0.2, 1.0], np.float32), 0.2).round(3)
    array([0. , 0.5, 1. ], dtype=float32)
    """
    m = np.float32(min(max(middle, 1e-4), 1 - 1e-4))
    inside = np.clip(values, 0, 1)
    curved = inside * (1 - m) / ((1 - 2 * m) * inside + m)
    return np.asarray(
        curved + np.minimum(values, 0) * ((1 - m) / m) + np.maximum(values - 1, 0) * (m / (1 - m)), np.float32
    )


def applied(
    pixels: NDArray[np.float32],
    levels: Levels,
    curve: Callable[[NDArray[np.float32]], NDArray[np.float32]] = lambda v: v,
    colour: float = 1.0,
) -> NDArray[np.float32]:
    """Pixels with other levels.

    All channels are scaled alike by what happens to the luma, so hues stay; what would leave the range towards white
    loses colour instead of changing it.

    Parameters
    ----------
    pixels : (h, w, C) encoded values. curve : of the luma, after the levels. colour : strength of the colours.
    """
    n = pixels.shape[2]
    if n == 1:
        one, other = np.float32(np.mean(levels.black)), np.float32(np.mean(levels.white))
        return np.asarray(curve(bent((pixels - one) / (other - one), levels.middle)), np.float32)
    low, high = np.asarray(levels.black, np.float32), np.asarray(levels.white, np.float32)
    spread = (pixels - low) / (high - low)
    before = luma(spread)[..., None]
    after = curve(bent(before, levels.middle))
    small = np.float32(1e-5)
    share = np.where(np.abs(before) > small, after / np.where(np.abs(before) > small, before, 1), 1)
    out = after + np.float32(colour) * (spread * share - after)
    top = out.max(2, keepdims=True)
    over = (top > 1) & (after < 1)
    room = np.where(over, (1 - after) / np.where(over, top - after, 1), 1)
    return np.asarray(after + (out - after) * room, np.float32)
