"""*Shell drawer*: one ribbed shell, sharp, before the soft compartments of a collector's drawer.

The shell is a height field: a fan with ribs and growth lines, lit by a lamp from the left. Lengths are shares of the
picture's height.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

HINGE = (0.80, 0.46)  # y, x of the point that the ribs run to
RIBS = 23
LAMP = np.array([-0.62, -0.48, 0.62])  # x, y, z towards the lamp


def _fan(height: int, width: int) -> tuple[NDArray, NDArray, NDArray]:
    """Distance from the hinge, angle from upright, and how far out the rim lies at that angle."""
    y, x = np.mgrid[0:height, 0:width] / height
    dy, dx = HINGE[0] - y, x - HINGE[1] * width / height
    angle = np.arctan2(dx, np.maximum(dy, 1e-6) + np.where(dy < 0, 1e-3, 0))
    rim = 0.60 * np.cos(0.78 * angle) ** 0.45 * (np.abs(angle) < 1.22) * (dy > 0)
    return np.hypot(dy, dx), angle, np.nan_to_num(rim)


def _noise(shape: tuple[int, int], sigma: float, seed: int) -> NDArray:
    field = ndi.gaussian_filter(np.random.default_rng(seed).normal(size=shape), sigma, mode="wrap")
    return field / field.std()


def _shade(surface: NDArray, albedo: NDArray, height: int, gloss: float) -> NDArray:
    gy, gx = np.gradient(surface * height)
    normal = np.stack([-gx, -gy, np.ones_like(gx)], -1)
    normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
    lamp = LAMP / np.linalg.norm(LAMP)
    diffuse = np.maximum(normal @ lamp, 0)
    half = lamp + np.array([0, 0, 1.0])
    shine = np.maximum(normal @ (half / np.linalg.norm(half)), 0) ** 40
    return albedo * (0.10 + 0.9 * diffuse)[..., None] * np.array([1.0, 0.86, 0.66]) + gloss * shine[..., None]


def _background(height: int, width: int) -> NDArray:
    """Compartments of dark wood with pale shells in them, far out of focus."""
    rng = np.random.default_rng(14)
    out = np.empty((height, width, 3))
    out[:] = (0.055, 0.036, 0.022)
    y, x = np.mgrid[0:height, 0:width] / height
    for _ in range(16):
        cy, cx, r = rng.uniform(0, 1), rng.uniform(0, width / height), rng.uniform(0.05, 0.12)
        tint = np.array([0.36, 0.27, 0.19]) * rng.uniform(0.3, 1.0) * (1 + 0.15 * rng.normal(size=3))
        inside = np.clip(1.3 - np.hypot((y - cy) * rng.uniform(0.8, 1.3), x - cx) / r, 0, 1)[..., None]
        out = out * (1 - inside) + tint * inside
    for at in (0.36, 0.78, 1.21):
        out *= np.where(np.abs(x - at) < 0.014, 1.9, 1.0)[..., None]
    soft = ndi.gaussian_filter(out, (0.028 * height, 0.028 * height, 0))
    return soft * (1.15 - 0.55 * x / x.max())[..., None]


def render(height: int = 800, width: int = 1200) -> NDArray[np.float32]:
    """The scene in linear light (height, width, 3), 1 being the brightest that the camera records."""
    r, angle, rim = _fan(height, width)
    share = np.where(rim > 0, r / np.maximum(rim, 1e-6), 2.0)
    scallop = 1 + 0.018 * np.cos(RIBS * angle)  # the rim follows the ribs
    inside = ndi.gaussian_filter((share < scallop).astype(float), 0.6)
    s = np.clip(share, 0, 1)
    dome = 0.17 * np.sqrt(np.maximum(1 - (1.06 * s - 0.25) ** 2, 0.02)) * np.cos(0.9 * angle) ** 0.5
    ribs = 0.0105 * s**0.8 * np.cos(RIBS * angle + 0.15 * _noise(r.shape, 9, 3))
    growth = 0.0007 * np.sin(150 * r + 0.8 * _noise(r.shape, 14, 5)) * s + 0.0018 * np.sin(31 * s**1.6 + 0.4)
    grain = 0.00011 * _noise(r.shape, 0.9, 6)
    bands = 0.5 + 0.5 * np.sin(19 * s**1.3 + 0.5 * _noise(r.shape, 20, 8))
    speckle = np.clip(_noise(r.shape, 2.2, 9) - 0.9, 0, 2)
    pale, rust = np.array([0.84, 0.70, 0.55]), np.array([0.52, 0.23, 0.13])
    mix = np.clip(0.62 * bands**1.5 + 0.22 * speckle, 0, 1)[..., None]
    shell = _shade(np.nan_to_num(dome + ribs + growth + grain), pale * (1 - mix) + rust * mix, height, 0.05)
    shadow = ndi.shift(inside, (0.02 * height, 0.035 * height), order=1)
    shadow = ndi.gaussian_filter(shadow, 0.02 * height)
    ground = _background(height, width) * (1 - 0.75 * shadow)[..., None]
    cover = inside[..., None]
    light = 0.72 * shell * cover + ground * (1 - cover)
    return np.clip(light, 0, None).astype(np.float32)
