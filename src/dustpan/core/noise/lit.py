"""What cleaning a render needs besides the engine: its passes, and the light that heavy tails have taken along.

The engine works on logarithms of the light, whose mean lies below that of light with rare, very bright samples; the
ratio of local means of the light before and after is given back. Where there are passes, light is divided by the
albedo before, and where noise is strong a first-order regression on albedo and normal has its say.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.curve import Curve
from dustpan.core.noise.regress import RADIUS, regressed
from dustpan.core.noise.regress import REACH as REGRESSION
from dustpan.core.noise.rendered import divisor
from dustpan.core.noise_of.places import Grid
from dustpan.core.passes import ALBEDO, NORMAL, Passes
from dustpan.core.region import Region
from dustpan.core.smooth import gaussian, reach_of

SOFT = 2.3  # px, sigma of the means of light
LEAST, MOST, ODD = 0.5, 2.0, 20.0  # of the ratio, and how often the result a sample counts
STRONG_FROM, STRONG = 0.06, 0.16  # sigma of the logarithm, over which the regression comes in
HALF = 0.5  # of what it says
ALBEDO_COUNTS = 0.7  # of the logarithm of the albedo, beside normals
OFF, MISSED = 1.6, (0.9, 1.4)  # px; sigmas by which smoothed regression is off, where passes do not know what is there
GIVEN = reach_of(SOFT)
REACH = GIVEN + reach_of(OFF) + REGRESSION  # px that are read around, at most
LEAST_LIGHT = 1e-6


@dataclass(frozen=True, eq=False)
class Guides:
    """The passes of a render, and how far its light is divided by the albedo."""

    passes: Passes
    share: Grid

    def features(self, region: Region) -> NDArray[np.float32]:
        """(h, w, F) what the regression is told."""
        found = [np.float32(ALBEDO_COUNTS) * np.log(self.passes.albedo(region))] if ALBEDO in self.passes else []
        found += [self.passes.of(NORMAL, region)] if NORMAL in self.passes else []
        return np.ascontiguousarray(np.concatenate(found, -1), np.float32)


def divided(pixels: NDArray[np.float32], have: Region, guides: Guides | None, curve: Curve) -> NDArray[np.float32]:
    """Encoded values (h, w, C) of light that is divided by the albedo."""
    if guides is None:
        return pixels
    light = np.asarray(curve.decode(pixels), np.float32) / divisor(guides.passes, guides.share, have, pixels.shape[2])
    return np.asarray(curve.encode(light), np.float32)


def explained(
    planes: NDArray[np.float32],
    calm: NDArray[np.float32],
    sigma: NDArray[np.float32],
    relative: float,
    area: Region,
    guides: Guides,
    size: tuple[int, int],
) -> NDArray[np.float32]:
    """Refined planes with what the passes explain, where noise is strong and they are not contradicted.

    Parameters
    ----------
    planes, calm : (C, h, w) before and after. sigma : (h, w) of the noise, and ``relative`` that of the logarithm
        where it is 1. area : what they cover.
    """
    strong = np.clip((relative * sigma - STRONG_FROM) / (STRONG - STRONG_FROM), 0, 1)
    if float(strong.max()) == 0:
        return calm
    window = np.ones((2 * RADIUS + 1, 2 * RADIUS + 1), np.uint8)
    wanted = cv2.dilate((strong > 0).astype(np.uint8), window) > 0
    found = regressed(planes, calm, sigma, guides.features(area), wanted, area, size)
    change = found - calm
    off = sum(gaussian(np.ascontiguousarray(c), OFF) ** 2 for c in change)
    missed = np.clip((MISSED[1] - np.sqrt(off) / sigma) / (MISSED[1] - MISSED[0]), 0, 1)
    return np.asarray(calm + np.float32(HALF) * strong * missed * change, np.float32)


def light_given_back(before: NDArray[np.float32], after: NDArray[np.float32]) -> NDArray[np.float32]:
    """Light after cleaning (h, w, C) with the local means of that before; within `GIVEN` of a cut it is not exact."""
    out = np.empty_like(after)
    for c in range(after.shape[2]):
        seen = np.minimum(before[..., c], np.float32(ODD) * after[..., c])
        means = [gaussian(np.ascontiguousarray(p), SOFT) for p in (seen, after[..., c])]
        out[..., c] = after[..., c] * np.clip(means[0] / np.maximum(means[1], np.float32(LEAST_LIGHT)), LEAST, MOST)
    return out
