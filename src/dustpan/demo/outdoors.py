"""Made pictures from out of doors with known truth: rigging before a bright sky, and a harbour in mist."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.colour import decode, encode

Pixels = NDArray[np.float32]
VIOLET = (0.5, 0.2, 0.72)
FLAGS = [(300, 90), (330, 250), (310, 420)]  # where violet things lie in the rigging: a flag, a ribbon, a ball
OVER = 4  # lines are drawn so many times as large


def _drawn(height: int, width: int, lines: Sequence[tuple[float, ...]]) -> NDArray[np.float64]:
    """(height, width) how much of every pixel lines (y0, x0, y1, x1, width) cover."""
    large = np.zeros((height * OVER, width * OVER), np.uint8)
    for y0, x0, y1, x1, wide in lines:
        one, other = ((round(8 * OVER * x), round(8 * OVER * y)) for y, x in ((y0, x0), (y1, x1)))
        cv2.line(large, one, other, 255, max(1, round(wide * OVER)), cv2.LINE_AA, 3)
    return cv2.resize(large, (width, height), interpolation=cv2.INTER_AREA) / 255


def rigging(height: int = 400, width: int = 520) -> Pixels:
    """(height, width, 3) encoded: masts, shrouds and ratlines before a sky after sunset, and things that are violet."""
    y, x = np.mgrid[:height, :width].astype(float)
    sky = np.stack([0.92 - 0.1 * y / height, 0.9 - 0.06 * y / height, 0.88 + 0 * y], -1)
    sky += 0.03 * ndi.gaussian_filter(np.random.default_rng(2).normal(size=(height, width)), 14)[..., None] * 14
    lines: list[tuple[float, ...]] = [
        (0.0, 0.3 * width, height, 0.3 * width, 9.0),
        (0.0, 0.74 * width, height, 0.76 * width, 7.0),
    ]
    for n in range(6):
        lines.append((0.05 * height, 0.3 * width, height, (0.02 + 0.1 * n) * width, 2.2))
        lines.append((0.02 * height, 0.74 * width, height, (0.5 + 0.09 * n) * width, 1.8))
    lines += [(r, 0.05 * width, r + 6, 0.55 * width, 1.4) for r in np.arange(0.4 * height, height, 18)]
    lines += [(0.2 * height, 0.1 * width, 0.24 * height, 0.95 * width, 4.5)]
    cover = _drawn(height, width, lines)[..., None]
    out = np.clip(sky, 0, 0.97) * (1 - cover) + np.array([0.13, 0.11, 0.1]) * cover
    hull = np.clip((y - 0.9 * height) / 2, 0, 1)[..., None]
    wood = 0.2 + 0.05 * ndi.gaussian_filter(np.random.default_rng(3).normal(size=(height, width)), (1, 6)) * 4
    out = out * (1 - hull) + hull * wood[..., None] * np.array([1.0, 0.75, 0.5])
    for n, (cy, cx) in enumerate(FLAGS):
        if cy < height - 12 and cx < width - 20:
            half = [(9.0, 15.0), (2.0, 22.0), (5.0, 5.0)][n]
            inside = np.clip(half[0] - np.abs(y - cy) + 0.5, 0, 1) * np.clip(half[1] - np.abs(x - cx) + 0.5, 0, 1)
            out = out * (1 - inside[..., None]) + inside[..., None] * np.array(VIOLET)
    return out.astype(np.float32)


def through_lens(
    clean: NDArray,
    shift: tuple[float, float] = (1.2, -1.0),
    blur: tuple[float, float] = (0.6, 1.1),
    glow: float = 0.25,
    noise: float = 0.8 / 255,
    seed: int = 1,
    encoded: bool = False,
) -> Pixels:
    """What a lens makes of a picture: red and blue magnified (px at the corner), blurred, a violet glow; and noise."""
    light = np.array(clean if encoded else decode(clean), np.float32)
    h, w = light.shape[:2]
    bright = ndi.gaussian_filter(np.maximum(light.min(2) - 0.6, 0), 2.2)
    for channel, px, sigma, share in zip((0, 2), shift, blur, (0.6, 1.0), strict=True):
        s = 1 + px / (np.hypot(h, w) / 2)
        turn = np.array([[s, 0, (1 - s) * (w - 1) / 2], [0, s, (1 - s) * (h - 1) / 2]])
        plane = np.ascontiguousarray(light[..., channel] + share * glow * bright, np.float32)
        moved = cv2.warpAffine(plane, turn, (w, h), flags=cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REFLECT)
        light[..., channel] = ndi.gaussian_filter(moved, sigma)
    seen = light if encoded else encode(np.clip(light, 0, 1))
    seen = seen + np.random.default_rng(seed).normal(0, noise, light.shape)
    return (np.round(np.clip(seen, 0, 1) * 255) / 255).astype(np.float32)


def harbour(height: int = 400, width: int = 560) -> tuple[Pixels, NDArray[np.float32]]:
    """(height, width, 3) encoded, and the depth (height, width) 0 near to 1 far: hills, houses, a mole and boats."""
    y, x = np.mgrid[:height, :width].astype(float)
    rng = np.random.default_rng(8)
    out = np.stack([0.55 + 0.2 * y / height, 0.66 + 0.12 * y / height, 0.82 + 0 * y], -1)
    depth = np.ones((height, width))

    def lay(
        top: NDArray, colour: tuple[float, float, float], far: float, grain: float, scale: float, along: float = 1.0
    ) -> None:
        """A surface below ``top``, rough at three scales, ``along`` times longer from left to right."""
        nonlocal out, depth
        cover = np.clip(y - top + 0.5, 0, 1)[..., None]
        texture = np.zeros((height, width))
        for size, share in ((scale, 0.6), (2.5 * scale, 0.6), (7 * scale, 0.5)):
            octave = ndi.gaussian_filter(rng.normal(size=(height, width)), (size, along * size))
            texture += share * octave / octave.std()
        surface = np.clip(np.array(colour) * np.exp(grain * texture)[..., None], 0.01, 0.95)
        out = out * (1 - cover) + surface * cover
        depth = np.where(cover[..., 0] > 0.5, far, depth)

    lay(0.30 * height + 18 * np.sin(x / 70) + 6 * np.sin(x / 17), (0.16, 0.24, 0.2), 0.85, 0.3, 1.0)
    lay(0.42 * height + 14 * np.sin(x / 55 + 2), (0.2, 0.26, 0.12), 0.62, 0.35, 0.8)
    for n in range(14):  # houses
        left, wide, top = width * (0.04 + 0.068 * n), 0.05 * width, height * (0.5 + 0.02 * np.sin(5.0 * n))
        inside = (x > left) & (x < left + wide) & (y > top) & (y < 0.6 * height)
        wall = np.array([(0.75, 0.62, 0.5), (0.5, 0.2, 0.15), (0.7, 0.7, 0.66)][n % 3])
        window = ((x - left) % 9 < 3) & ((y - top) % 11 < 4) & (y - top > 8)
        roof = y - top < 7
        colour = np.where(roof[..., None], [0.25, 0.1, 0.08], np.where(window[..., None], [0.04, 0.05, 0.06], wall))
        out = np.where(inside[..., None], colour, out)
        depth = np.where(inside, 0.5, depth)
    lay(np.full((height, width), 0.6 * height), (0.14, 0.2, 0.24), 0.35, 0.2, 0.7, 5.0)
    depth = np.where(y > 0.6 * height, 0.35 * (1 - (y / height - 0.6) / 0.4) + 0.03, depth)
    for n in range(5):  # boats
        cy, cx, r = height * (0.68 + 0.06 * n), width * (0.15 + 0.17 * n), 10 + 4 * n
        boat = (np.abs(x - cx) < 2 * r) & (y > cy - 0.3 * r) & (y < cy + 0.4 * r - 0.1 * np.abs(x - cx))
        out = np.where(boat[..., None], [(0.5, 0.1, 0.06), (0.05, 0.12, 0.25), (0.6, 0.5, 0.2)][n % 3], out)
        mast = (np.abs(x - cx) < 1) & (y < cy) & (y > cy - 3 * r)
        out = np.where(mast[..., None], (0.03, 0.03, 0.03), out)
    return ndi.gaussian_filter(np.clip(out, 0, 1), (0.6, 0.6, 0)).astype(np.float32), depth.astype(np.float32)


def in_mist(
    clean: NDArray,
    depth: NDArray,
    thick: float = 1.5,
    air: tuple[float, float, float] = (0.72, 0.76, 0.8),
    noise: float = 1.5 / 255,
    seed: int = 4,
) -> tuple[Pixels, NDArray[np.float32]]:
    """What air leaves of a picture (light of the air given), and the transmission (h, w)."""
    t = np.exp(-thick * depth)
    light = decode(clean) * t[..., None] + np.array(air) * (1 - t[..., None])
    seen = encode(light) + np.random.default_rng(seed).normal(0, noise, clean.shape)
    return (np.round(np.clip(seen, 0, 1) * 255) / 255).astype(np.float32), t.astype(np.float32)
