"""What cleaning a render needs besides the engine: its passes, and the light that heavy tails have taken along.

The engine works on logarithms of the light, whose mean lies below that of light with rare, very bright samples; the
ratio of local means of the light before and after is given back. Where there are passes, light is divided by the
albedo before, and where noise is strong a first-order regression on albedo and normal has its say.
"""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.curve import Curve
from dustpan.core.noise.guides import Guides
from dustpan.core.noise.regress import RADIUS, regressed
from dustpan.core.noise.regress import REACH as REGRESSION
from dustpan.core.region import Region
from dustpan.core.smooth import gaussian, reach_of

SOFT = 2.3  # px, sigma of the means of light
LEAST, MOST, ODD = 0.5, 2.0, 20.0  # of the ratio, and how often the result a sample counts
STRONG_FROM, STRONG = 0.06, 0.16  # sigma of the logarithm, over which the regression comes in
HALF = 0.5  # of what it says
OFF = 1.6  # px, sigma that what the regression changes is smoothed by
MISSED = (0.9, 1.4)  # sigmas of that, where passes do not know what is there
TOLD, AROUND = 0.03, 4.0  # deviation of the passes, from which they say something, within so many px
GIVEN = reach_of(SOFT)
REACH = GIVEN + reach_of(OFF) + REGRESSION  # px that are read around, at most
LEAST_LIGHT = 1e-6


def divided(pixels: NDArray[np.float32], have: Region, guides: Guides | None, curve: Curve) -> NDArray[np.float32]:
    """Encoded values (h, w, C) of light that is divided by the albedo."""
    if guides is None:
        return pixels
    light = np.asarray(curve.decode(pixels), np.float32) / guides.divisor(have, pixels.shape[2])
    return np.asarray(curve.encode(light), np.float32)


def explained(
    planes: NDArray[np.float32],
    calm: NDArray[np.float32],
    sigma: NDArray[np.float32],
    relative: float,
    area: Region,
    guides: Guides,
    size: tuple[int, int],
    check: Callable[[], None] = lambda: None,
) -> NDArray[np.float32]:
    """Refined planes with what the passes explain, where noise is strong and they are not contradicted.

    Parameters
    ----------
    planes, calm : (C, h, w) before and after. sigma : (h, w) of the noise, and ``relative`` that of the logarithm
        where it is 1. area : what they cover. check : called often; raises to cancel.
    """
    strong = guides.counts(area) * np.clip((relative * sigma - STRONG_FROM) / (STRONG - STRONG_FROM), 0, 1)
    if float(strong.max()) == 0:
        return calm
    window = np.ones((2 * RADIUS + 1, 2 * RADIUS + 1), np.uint8)
    wanted = cv2.dilate((strong > 0).astype(np.uint8), window) > 0
    features = guides.features(area)
    found = regressed(planes, calm, sigma, features, wanted, area, size, check)
    change = found - calm
    off = sum(gaussian(np.ascontiguousarray(c), OFF) ** 2 for c in change)
    told = np.clip(_deviation(features) / TOLD, 0, 1)
    believed = told * np.clip((MISSED[1] - np.sqrt(off) / sigma) / (MISSED[1] - MISSED[0]), 0, 1)
    return np.asarray(calm + np.float32(HALF) * strong * believed * change, np.float32)


def _deviation(features: NDArray[np.float32]) -> NDArray[np.float32]:
    """(h, w) how far passes (h, w, F) differ from place to place, around every place."""
    power = np.zeros(features.shape[:2], np.float32)
    for f in range(features.shape[2]):
        own = np.ascontiguousarray(features[..., f])
        power += np.maximum(gaussian(own * own, AROUND) - gaussian(own, AROUND) ** 2, 0)
    return np.sqrt(power)


def light_given_back(before: NDArray[np.float32], after: NDArray[np.float32]) -> NDArray[np.float32]:
    """Light after cleaning (h, w, C) with the local means of that before; within `GIVEN` of a cut it is not exact."""
    out = np.empty_like(after)
    for c in range(after.shape[2]):
        seen = np.minimum(before[..., c], np.float32(ODD) * after[..., c])
        means = [gaussian(np.ascontiguousarray(p), SOFT) for p in (seen, after[..., c])]
        out[..., c] = after[..., c] * np.clip(means[0] / np.maximum(means[1], np.float32(LEAST_LIGHT)), LEAST, MOST)
    return out
