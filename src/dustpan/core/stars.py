"""Stars of a star field: a fact, and what finds them for a person."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.bands import Check, Each, filtered, shown_luma
from dustpan.core.fact import Asked, FactKind, Scope
from dustpan.core.hits import Finder, Hits, in_order
from dustpan.core.language import mark
from dustpan.core.sharpen.halo_guard import largest

SEEN = 3_000_000  # px that the sky is told from


@dataclass(frozen=True)
class Stars:
    """Places (n, 2) of stars in px, their peak over the sky in σ, brightest first; and the sky's level and σ."""

    at: NDArray[np.intp]
    peak: NDArray[np.float64]
    sky: float
    sigma: float


def find_stars(light: NDArray[np.float32], check: Check = lambda: None, each: Each = map) -> Stars | None:
    """The stars of a star field, given as its (H, W) luma; None for any other picture.

    A star field is mostly sky, and what rises above it is small and round and there is a lot of it.
    """
    step = max(1, int(np.sqrt(light.size / SEEN)))
    part = np.ascontiguousarray(light[::step, ::step])
    check()
    sky = float(np.median(part))
    sigma = max(1.4826 * float(np.median(np.abs(part - sky))), 0.5 / 255)
    if sky > 0.45 or np.mean(part > sky + 6 * sigma) > 0.06 or np.mean(part < sky - 6 * sigma) > 0.005:
        return None
    smooth = filtered(_softened, light, 4, check, each)
    highest = filtered(partial(largest, window=9), smooth, 4, check, each)
    peaks = (smooth == highest) & (smooth > sky + 5 * sigma)
    check()
    peaks[:8] = peaks[-8:] = False
    peaks[:, :8] = peaks[:, -8:] = False
    at = np.argwhere(peaks)
    if len(at) < 25:
        return None
    height = smooth[at[:, 0], at[:, 1]] - sky
    ring = [(0, 7), (7, 0), (0, -7), (-7, 0), (5, 5), (5, -5), (-5, 5), (-5, -5)]
    around = np.stack([smooth[at[:, 0] + dy, at[:, 1] + dx] for dy, dx in ring]) - sky
    round_ = np.max(around, axis=0) < 0.4 * height
    if round_.mean() < 0.6 or round_.sum() < 25:
        return None
    order = np.argsort(-height[round_], kind="stable")
    return Stars(at[round_][order], (height[round_] / sigma)[order], sky, sigma)


def _softened(plane: NDArray) -> NDArray[np.float32]:
    """With a Gaussian of 1 px."""
    return np.asarray(cv2.GaussianBlur(np.asarray(plane, np.float32), (9, 9), 1.0, borderType=cv2.BORDER_REFLECT))


def _measure_stars(asked: Asked) -> Stars | None:
    light = np.empty(asked.size, np.float32)
    for strip, _, pixels in asked.strips():
        light[strip.slices()] = shown_luma(pixels, asked.check)
    return find_stars(light, asked.check)


STAR_FIELD = FactKind("stars", _measure_stars, scope=Scope.WHOLE)


def _star_hits(facts: Mapping[FactKind, Any]) -> Hits:
    stars = facts[STAR_FIELD]
    unit = mark("σ above the sky")
    return in_order(np.zeros((0, 2)), np.zeros(0), unit) if stars is None else in_order(stars.at, stars.peak, unit)


STAR_FINDER = Finder("stars", mark("Stars"), frozenset({STAR_FIELD}), _star_hits)
