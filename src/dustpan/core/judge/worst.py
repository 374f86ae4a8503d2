"""The worst places for each figure of the verdict, so that a person can go and look at them."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.colour import luma
from dustpan.core.judge.edges import edge_profile, find_edges, rise
from dustpan.core.judge.flat import FLAT, flat_patches
from dustpan.core.judge.placing import texture_excess
from dustpan.core.judge.verdict import HALO_RANGE
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.sharpen.halo_guard import LOOSE, local_range, plateaus, room

COUNT, APART = 8, 96  # how many places, and how far from each other in px
Places = list[tuple[int, int]]


class FigureName(StrEnum):
    """The figures of the verdict."""

    NOISE_LEFT = "noise_left"
    TEXTURE_KEPT = "texture_kept"
    HALO_HEIGHT = "halo_height"
    EDGE_WIDTH = "edge_width"


def worst_places(
    figure: FigureName,
    before: NDArray,
    after: NDArray,
    cleaned: NDArray,
    noise: NoisePrint,
    factor: NDArray[np.float32] | None = None,
) -> Places:
    """Where a figure is worst.

    Parameters
    ----------
    before, after, cleaned : (H, W, C) encoded values of the input, the result, and the input without its noise.
    noise : the print of the input. factor : (H, W) that the noise is stronger by; None for 1.

    Returns
    -------
    At most `COUNT` places (y, x) in px, the worst first; empty when the figure cannot be measured anywhere.
    """
    finder = {
        FigureName.NOISE_LEFT: _noisiest, FigureName.TEXTURE_KEPT: _most_lost, FigureName.HALO_HEIGHT: _highest_halos,
        FigureName.EDGE_WIDTH: _softest_edges,
    }[figure]  # fmt: skip
    return finder(before, after, cleaned, noise, factor)


def _peaks(score: NDArray, scale: int, offset: int) -> Places:
    """The highest entries of a map, apart from each other, as px; entries of -inf never."""
    found: Places = []
    for k in np.argsort(-score, axis=None, kind="stable")[:4000]:
        y, x = np.unravel_index(int(k), score.shape)
        if not np.isfinite(score[y, x]):
            break
        place = int(y) * scale + offset, int(x) * scale + offset
        if all(max(abs(place[0] - a), abs(place[1] - b)) >= APART for a, b in found):
            found.append(place)
            if len(found) == COUNT:
                break
    return found


def _noisiest(before: NDArray, after: NDArray, cleaned: NDArray, noise: NoisePrint, factor: NDArray | None) -> Places:
    flat = flat_patches(before, cleaned, noise, factor=factor)
    if flat is None:
        return []
    power = [_patch_variance(luma(p), flat.shape) for p in (before, after)]
    return _peaks(np.where(flat, power[1] / np.maximum(power[0], 1e-9), -np.inf), 16, FLAT // 2)


def _patch_variance(plane: NDArray, shape: tuple[int, ...]) -> NDArray[np.float64]:
    wide = np.asarray(plane, np.float64)
    mean, square = (ndi.uniform_filter(p, FLAT, mode="nearest") for p in (wide, wide * wide))
    spread = (square - mean * mean)[FLAT // 2 :: 16, FLAT // 2 :: 16]
    return np.maximum(spread[: shape[0], : shape[1]], 0)


def _most_lost(before: NDArray, after: NDArray, cleaned: NDArray, noise: NoisePrint, factor: NDArray | None) -> Places:
    x, y, t = (_band(luma(np.asarray(p, np.float32))) for p in (before, after, cleaned))
    excess, _ = texture_excess(luma(np.asarray(before, np.float32)), noise, factor)
    if not (excess > 0).any():
        return []
    size = (excess.shape[0] * 8, excess.shape[1] * 8)
    kept, whole = (ndi.uniform_filter(t * p, 32)[4 : size[0] : 8, 4 : size[1] : 8] for p in (y, x))
    textured = (ndi.uniform_filter(excess, 3) > 0) & (whole > np.quantile(whole, 0.6))
    return _peaks(np.where(textured, 1 - kept / np.maximum(whole, 1e-9), -np.inf), 8, 4)


def _band(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    return plane - ndi.uniform_filter(plane, 9)


def _highest_halos(
    before: NDArray, after: NDArray, cleaned: NDArray, noise: NoisePrint, factor: NDArray | None
) -> Places:
    calm = np.ascontiguousarray(luma(np.asarray(cleaned, np.float32)))
    low, high = local_range(calm)
    y, span = luma(np.asarray(after, np.float32)), np.maximum(high - low, 1e-6)
    top, bottom = plateaus(calm, low, high)
    light, dark = (y - high) / span - LOOSE * room(top), (low - y) / span - LOOSE * room(bottom)
    outside = np.maximum(np.maximum(light, dark), 0)
    score = np.where((span > HALO_RANGE) & (outside > 0.002), ndi.uniform_filter(outside, 3), -np.inf)
    return _peaks(score, 1, 0)


def _softest_edges(
    before: NDArray, after: NDArray, cleaned: NDArray, noise: NoisePrint, factor: NDArray | None
) -> Places:
    plane = luma(np.asarray(after, np.float64))
    widths = [(rise(edge_profile(plane, e)), e) for e in find_edges(luma(np.asarray(cleaned, np.float32)))]
    ordered = sorted(((w, e) for w, e in widths if w is not None), key=lambda p: -p[0])
    return [(round(e.y), round(e.x)) for _, e in ordered[:COUNT]]
