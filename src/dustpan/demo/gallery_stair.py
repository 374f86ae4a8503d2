"""*Gallery stair*: a visitor's woven scarf over the rail of the lightstation's stair, against a bright window.

Back-lit and under-exposed, as it is photographed by those who look at the view. Lengths are shares of the height.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

WINDOW = (0.10, 0.62, 0.30, 0.78)  # top, left, bottom, right
STAIRS = 9
SCARF = (0.30, 0.98, 0.36, 0.86)  # top, bottom, left, right, in heights
WARP = np.array([[0.42, 0.06, 0.05], [0.55, 0.45, 0.28], [0.05, 0.09, 0.20], [0.60, 0.58, 0.52]])


def _noise(shape: tuple[int, int], sigma: float, seed: int) -> NDArray[np.float64]:
    field = ndi.gaussian_filter(np.random.default_rng(seed).normal(size=shape), sigma, mode="wrap")
    return np.asarray(field / field.std())


def _soft(edge: NDArray, width: float) -> NDArray:
    return np.clip(0.5 - edge / width, 0, 1)


def _wall(y: NDArray, x: NDArray, seed: int = 21) -> NDArray[np.float64]:
    """Limewashed stone, lit from the window, with the stair rising to the right."""
    shape = y.shape
    stone = 0.30 + 0.02 * _noise(shape, 1.4, seed) + 0.012 * _noise(shape, 0.02 * shape[0], seed + 1)
    row = np.floor(y * 11)
    joint = np.minimum(np.abs(np.mod(y * 11, 1) - 0.5), np.abs(np.mod(x * 6 + 0.5 * np.mod(row, 2), 1) - 0.5))
    stone *= 1 - 0.35 * np.exp(-(((0.5 - joint) / 0.02) ** 2)) * (joint > 0.4)
    stone += 0.03 * (np.mod(row * 7 + np.floor(x * 6 + 0.5 * np.mod(row, 2)) * 5, 9) / 9 - 0.5)
    top, left, bottom, right = WINDOW
    far = np.hypot(y - (top + bottom) / 2, x - (left + right) / 2)
    light = 0.05 + 0.55 / (1 + (far / 0.22) ** 2)
    wall = (stone * light)[..., None] * np.array([1.0, 0.94, 0.84])
    rise = 0.93 - 0.30 * np.floor(x * STAIRS / 1.5) / STAIRS  # height of the tread under each place
    tread = (y > rise)[..., None]
    depth = np.clip((y - rise) / 0.06, 0, 1)[..., None]
    grain = (1 + 0.10 * _noise(shape, 1.2, seed + 2))[..., None]
    step = np.array([0.16, 0.13, 0.11]) * light[..., None] * grain * (1.5 - depth)
    return np.where(tread, step, wall)


def _window(y: NDArray, x: NDArray) -> tuple[NDArray, NDArray]:
    """How much of each place is glass, and its light: the last of the evening over the sea."""
    top, left, bottom, right = WINDOW
    inside = _soft(np.maximum(np.maximum(top - y, y - bottom), np.maximum(left - x, x - right)), 0.004)
    bars = np.minimum(np.abs(x - (left + right) / 2), np.abs(y - (top + bottom) / 2))
    glass = inside * (1 - _soft(bars - 0.004, 0.003))
    sky = np.clip((bottom - y) / (bottom - top), 0, 1)[..., None]
    light = 2.6 * (sky * np.array([0.55, 0.75, 1.0]) + (1 - sky) * np.array([1.25, 0.80, 0.45]))
    return glass[..., None], light


def _rail(y: NDArray, x: NDArray) -> tuple[NDArray, NDArray]:
    """The brass rail that the scarf hangs on."""
    centre = 0.31 - 0.05 * (x - 0.6)
    across = (y - centre) / 0.013
    cover = _soft(np.abs(across) - 1, 0.25)[..., None]
    shine = np.exp(-((across + 0.45) ** 2) / 0.05) * (0.2 + 0.8 * np.exp(-((x - 0.72) ** 2) / 0.05))
    body = 0.05 + 0.06 * np.sqrt(np.maximum(1 - across**2, 0))
    return cover, (body + 0.9 * shine)[..., None] * np.array([1.0, 0.74, 0.36])


def _scarf(y: NDArray, x: NDArray, height: int) -> tuple[NDArray, NDArray]:
    """A woven scarf with a pattern of stripes and bars, folds, and a fringe; light comes through it from behind."""
    top, bottom, left, right = SCARF
    fold = 0.012 * np.sin(34 * x + 3 * np.sin(2.2 * y)) + 0.004 * np.sin(81 * x + 1.3)
    slope = 34 * 0.012 * np.cos(34 * x + 3 * np.sin(2.2 * y)) + 81 * 0.004 * np.cos(81 * x + 1.3)
    u, v = x + 0.35 * fold, y - 0.5 * fold
    sway = 0.02 * np.sin(3.1 * y + 0.6)
    hem = bottom - 0.05 - 0.10 * (x - left)
    edge = np.maximum(np.maximum(left + sway - x, x - right - sway), np.maximum(top - y, y - hem))
    fringe = (np.abs(np.mod(x * 62 + 0.4 * np.sin(40 * y), 1) - 0.5) < 0.28) & (y < hem + 0.05) & (y >= hem - 0.002)
    inside = np.maximum(_soft(edge, 0.003), fringe * (np.abs(x - (left + right) / 2) < (right - left) / 2 - 0.004))
    band = np.mod(np.floor(u * 18) + (np.mod(v * 9, 1) > 0.5), 4).astype(int)
    colour = WARP[band]
    thread = 230  # threads a height; fine enough to be lost first
    weave = 0.80 + 0.20 * np.sin(2 * np.pi * thread * u) * np.sin(2 * np.pi * thread * v)
    fluff = 1 + 0.10 * _noise(y.shape, max(0.6, height / 1000), 31)
    through = 0.10 + 0.50 * np.exp(-((y - 0.32) ** 2) / 0.03) * np.exp(-((x - 0.68) ** 2) / 0.03)
    light = (0.16 + 0.13 * np.clip(slope, -0.6, 0.6) + 0.6 * through) * weave * fluff
    return inside[..., None], colour * light[..., None]


def render(height: int = 800, width: int = 1200) -> NDArray[np.float32]:
    """The scene in linear light (height, width, 3); the window is brighter than 1."""
    y, x = np.mgrid[0:height, 0:width] / height
    out = _wall(y, x)
    for cover, light in (_window(y, x), _rail(y, x), _scarf(y, x, height)):
        out = out * (1 - cover) + light * cover
    glow = ndi.gaussian_filter(np.clip(out - 0.8, 0, None), (0.02 * height, 0.02 * height, 0))
    return np.asarray(ndi.gaussian_filter(out + 0.06 * glow, (0.55, 0.55, 0)), np.float32)
