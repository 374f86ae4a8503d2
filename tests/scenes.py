"""Made scenes with known truth for the tests: flat walls, a ramp, ribs, print, felt, edges and saturated colours."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.colour import decode, encode
from dustpan.demo.camera import develop, expose, mosaic_and_back

WALL, RIBS, FELT = (slice(0, 96), slice(0, 150)), (slice(150, 280), slice(10, 130)), (slice(150, 280), slice(150, 260))


def desk(height: int = 288, width: int = 400) -> NDArray[np.float64]:
    """(height, width, 3) encoded; at least 288 x 400. `WALL` is flat, `RIBS` structured, `FELT` unstructured."""
    y, x = np.mgrid[0:height, 0:width].astype(float)
    out = np.empty((height, width, 3))
    out[:] = (0.42 + 0.25 * x / width)[..., None] * np.array([1.0, 0.94, 0.86])
    out[WALL] = (0.55, 0.5, 0.44)
    out[:96, 150:260] = (0.16, 0.15, 0.17)
    out[:96, 260:] = (0.82, 0.8, 0.74)
    ribs = 0.5 + 0.2 * np.sin(2 * np.pi * (x + 0.3 * y) / 6.5)
    out[RIBS] = (ribs[..., None] * np.array([1.0, 0.8, 0.55]))[RIBS]
    felt = ndi.gaussian_filter(np.random.default_rng(5).normal(size=(height, width)), 1.0)
    out[FELT] = ((0.45 + 0.25 * felt)[..., None] * np.array([0.7, 0.9, 0.75]))[FELT]
    out[150:210, 280:380] = (0.75, 0.15, 0.1)
    out[210:280, 280:380] = (0.12, 0.3, 0.7)
    rng = np.random.default_rng(9)
    for row in range(104, 144, 8):
        marks = np.resize(np.repeat(rng.random(width // 3) < 0.6, 3), width)
        out[row : row + 4] *= np.where(marks, 0.35, 1.0)[None, :, None]
    return ndi.gaussian_filter(np.clip(out, 0, 1), (0.6, 0.6, 0))


def noisy_a(clean: NDArray, sigma: float = 25 / 255, seed: int = 1) -> NDArray[np.float32]:
    """White noise of constant sigma, clipped as a file clips it."""
    noise = np.random.default_rng(seed).normal(0, sigma, clean.shape)
    return np.clip(clean + noise, 0, 1).astype(np.float32)


def noisy_b(clean: NDArray, seed: int = 2) -> tuple[NDArray, NDArray[np.float32]]:
    """Truth (two stops darker) and its photograph with shot and read noise."""
    light = decode(clean) / 4
    return encode(light), develop(expose(light, seed)).astype(np.float32)


def noisy_c(clean: NDArray, seed: int = 2) -> tuple[NDArray, NDArray[np.float32]]:
    """As `noisy_b`, through a mosaic and a JPEG."""
    import io

    from PIL import Image

    light = decode(clean) / 4
    developed = develop(mosaic_and_back(expose(light, seed)))
    held = io.BytesIO()
    Image.fromarray(np.round(developed * 255).astype(np.uint8)).save(held, "JPEG", quality=92)
    return encode(light), (np.asarray(Image.open(held).convert("RGB"), np.float32) / np.float32(255))


def psnr(result: NDArray, truth: NDArray) -> float:
    return float(-10 * np.log10(np.mean((np.clip(result, 0, 1).astype(float) - truth) ** 2)))
