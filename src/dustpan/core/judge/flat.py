"""Noise left: what flat patches of the picture hold after, over what they held before.

Patches of 32 px count, so that noise with periods of 2 to 32 px does.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.noise.noise_print import NoisePrint

FLAT = 32  # px: side of a flat patch, the longest period that counts
UNEVEN = 0.25  # variance of the flattest patches, in noise units, from which they are not flat but texture
FLATTEST = 0.06  # share of the patches that noise is looked for in
Check = Callable[[], None]


def patches(plane: NDArray, side: int, step: int) -> NDArray:
    """(ny, nx, side, side) view of the patches of a (h, w) plane on a lattice."""
    return sliding_window_view(plane, (side, side))[::step, ::step]


def around_plane(p: NDArray) -> NDArray[np.float64]:
    """What square patches (n, side, side) hold around their own planes of best fit."""
    side = p.shape[-1]
    grid = np.arange(side) - (side - 1) / 2
    grid /= np.sqrt(np.sum(grid**2) * side)
    p = p - p.mean((1, 2), keepdims=True)
    slope_y, slope_x = np.einsum("nyx,y->n", p, grid), np.einsum("nyx,x->n", p, grid)
    return np.asarray(p - slope_y[:, None, None] * grid[:, None] - slope_x[:, None, None] * grid)


def residuals(plane: NDArray, flat: NDArray[np.bool_]) -> NDArray[np.float64]:
    """What the flat patches of a (h, w) plane hold around their own planes of best fit: (n, FLAT, FLAT)."""
    return around_plane(patches(np.asarray(plane, float), FLAT, 16)[: flat.shape[0], : flat.shape[1]][flat])


def flat_patches(
    before: NDArray,
    cleaned: NDArray,
    noise: NoisePrint,
    check: Check = lambda: None,
    factor: NDArray[np.float32] | None = None,
) -> NDArray[np.bool_] | None:
    """Which 32 px patches on a lattice of 16 px of the input are flat; None when hardly any are.

    Ranked by the input's own unevenness first, whose noise hides faint structure, and among the flattest of these by
    that of the cleaned input. ``factor`` : (h, w) that the noise is stronger by than the print; None for 1.
    """
    h, w = before.shape[:2]
    if min(h, w) < FLAT:
        return None
    rough, fine = (_unevenness(p, noise, check) for p in (before, cleaned))
    if factor is not None:
        by = patches(factor, FLAT, 16)[:, :, ::4, ::4].mean((2, 3)) ** 2
        rough, fine = rough / by, fine / by
    level = patches(luma(before), FLAT, 16)[:, :, ::4, ::4].mean((2, 3))
    inside = (level > 0.02) & (level < 0.98)
    if inside.sum() < 4:
        return None
    wanted = max(FLATTEST * inside.sum(), min(12, inside.sum()))
    usable = inside & (rough <= np.quantile(rough[inside], min(1.0, 2 * wanted / inside.sum())))
    flat = usable & (fine <= np.quantile(fine[usable], min(1.0, wanted / usable.sum())))
    return flat if np.median(fine[flat]) < UNEVEN else None


def _unevenness(pixels: NDArray, noise: NoisePrint, check: Check) -> NDArray[np.float32]:
    """Variance of the 4 px cells of every patch of the stabilised picture, summed over the planes."""
    h, w = pixels.shape[:2]
    cells = noise.stabiliser.cells(pixels, check)
    check()
    spread = np.sum([patches(p, FLAT // 4, 4).var((2, 3)) for p in cells], axis=0)
    return spread[: (h - FLAT) // 16 + 1, : (w - FLAT) // 16 + 1]


def noise_left(
    before: NDArray, after: NDArray, cleaned: NDArray, noise: NoisePrint, check: Check = lambda: None
) -> float | None:
    """Flat-patch sigma after over before in percent, noise with periods of 2 to 32 px, all channels together."""
    return left_in(flat_patches(before, cleaned, noise, check), before, after, noise, check)


def left_in(
    flat: NDArray[np.bool_] | None, before: NDArray, after: NDArray, noise: NoisePrint, check: Check = lambda: None
) -> float | None:
    """The same in patches that are known to be flat."""
    check()
    if flat is None or noise.strength < 0.25 / 255:
        return None
    a = _flat_power(before, flat)
    check()
    b = _flat_power(after, flat)
    return float(100 * np.sqrt(b / a)) if a > 1e-12 else None


def local_noise_left(before: NDArray, after: NDArray) -> float | None:
    """Noise left in percent within one flat patch (h, w, C); None where it is smaller than `FLAT` or without noise."""
    h, w = before.shape[:2]
    if min(h, w) < FLAT:
        return None
    flat = np.ones(((h - FLAT) // 16 + 1, (w - FLAT) // 16 + 1), bool)
    a, b = _flat_power(before, flat), _flat_power(after, flat)
    return float(100 * np.sqrt(b / a)) if a > (0.25 / 255) ** 2 else None


def _flat_power(pixels: NDArray, flat: NDArray[np.bool_]) -> float:
    """Power around each patch's own plane of best fit, all channels together."""
    total = 0.0
    for c in range(pixels.shape[2]):
        p = residuals(pixels[..., c], flat)
        total += float(np.mean((p * p).sum((1, 2))))
    return total / (pixels.shape[2] * FLAT * FLAT)
