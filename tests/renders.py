"""Made renders with known truth: textures in light that falls off, noise by place, passes, fireflies, glints, lines."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import ndimage as ndi

from dustpan.core.colour import luma
from dustpan.core.curve import SRGB, Scale
from dustpan.core.passes import PLANES
from dustpan.core.picture import Depth, Kind, Picture

H, W = 256, 320
GLINTS = [(40, 60), (90, 200), (180, 120), (220, 280)]
LINES = [(60, 130), (150, 40), (200, 180)]  # where they begin; each runs 40 px to the right


@dataclass(frozen=True)
class Made:
    """Light (h, w, 3) without noise, its albedo and normal, and the sigma of the relative noise at every place."""

    truth: np.ndarray
    albedo: np.ndarray
    normal: np.ndarray
    sigma: np.ndarray

    def draw(self, seed: int) -> np.ndarray:
        """Light with noise, mostly grey."""
        chance = np.random.default_rng(seed)
        grey = chance.gamma(1 / self.sigma**2) * self.sigma**2
        tint = 1 + 0.3 * self.sigma[..., None] * chance.normal(size=self.truth.shape)
        return np.maximum(self.truth * grey[..., None] * tint, 0).astype(np.float32)


def made(strength: float = 0.2, h: int = H, w: int = W) -> Made:
    y, x = np.mgrid[:h, :w]
    chance = np.random.default_rng(3)
    grain = ndi.gaussian_filter(chance.normal(size=(h, w)), (0.8, 5)) * 3
    tiles = ((x // 40 + y // 40) % 2) * 0.35
    albedo = np.clip(0.35 * np.exp(0.25 * grain) + tiles, 0.05, 0.95)[..., None] * np.array([1, 0.8, 0.6])
    slope = np.where(x < w // 2, 0.0, 0.8)
    normal = np.stack([slope, np.zeros((h, w)), np.sqrt(1 - slope**2)], -1)
    lit = 1.5 * np.exp(-(((y - h / 3) / 120.0) ** 2) - ((x - w / 3) / 160.0) ** 2) + 0.1
    light = albedo * (lit * np.where(x < w // 2, 1, 0.5))[..., None]
    for cy, cx in GLINTS:
        if cy < h and cx < w:
            light += (4 * np.exp(-0.5 * ((y - cy) ** 2 + (x - cx) ** 2) / 1.5**2))[..., None]
    for cy, cx in LINES:
        light[cy : cy + 1, cx : cx + 40] *= 3
    sigma = strength * np.exp(0.8 * np.sin(x / 60.0) * np.cos(y / 50.0))
    return Made(light, albedo, normal, np.clip(sigma, 1e-3, 0.8))


def with_flies(light: np.ndarray, seed: int = 5, many: int = 60) -> tuple[np.ndarray, np.ndarray]:
    """Light with so many fireflies, and where they are; away from glints and lines."""
    chance, h, w = np.random.default_rng(seed), *light.shape[:2]
    taken = np.zeros((h, w), bool)
    for cy, cx in GLINTS:
        taken[cy - 14 : cy + 15, cx - 14 : cx + 15] = True
    for cy, cx in LINES:
        taken[cy - 8 : cy + 9, cx - 8 : cx + 48] = True
    grey, out, at = ndi.median_filter(luma(light), 9), light.copy(), []
    while len(at) < many:
        y, x = int(chance.integers(6, h - 6)), int(chance.integers(6, w - 6))
        if not taken[y, x]:
            out[y, x] += 15 * grey[y, x] * (1 + chance.pareto(1.5)) * np.array([1, 0.9, 0.8])
            taken[y - 6 : y + 7, x - 6 : x + 7] = True
            at.append((y, x))
    return out.astype(np.float32), np.array(at)


def picture(light: np.ndarray, albedo: np.ndarray | None = None, normal: np.ndarray | None = None) -> Picture:
    """As an OpenEXR file gives it."""
    planes = {}
    for name, values in (("albedo", albedo), ("normal", normal)):
        if values is not None:
            planes |= {p: np.ascontiguousarray(values[..., k], np.float32) for k, p in enumerate(PLANES[name])}
    light = np.asarray(light, np.float32)
    kind = Kind.RGB if light.shape[2] == 3 else Kind.MONO
    encoded = np.asarray(SRGB.encode(light), np.float32)
    return Picture(encoded, kind, Depth.FLOAT, planes=planes, scale=Scale(), stored=light)


def toned(light: np.ndarray) -> np.ndarray:
    positive = np.maximum(light, 0)
    return np.asarray(SRGB.encode(positive / (1 + positive)))


def decibel(light: np.ndarray, truth: np.ndarray) -> float:
    """PSNR of tone-mapped light."""
    return float(-10 * np.log10(np.mean((toned(light) - toned(truth)) ** 2)))
