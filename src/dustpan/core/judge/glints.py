"""Glints and fine scratches: where a render has them, and how much of them a result keeps."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.noise.noise_print import NoisePrint

GLINT = 9  # px that a glint is at most across
SEEN = 0.05  # height of a glint, encoded, from which it is one
LENGTH, ASIDE = 9, 2  # px along a line, and to both sides of it
CLEAR, ODD = 1.2, 6.0  # sigma of the noise, that a line stands out at least and counts at most
PATCH = 48  # px that are to hold many lines
FEWEST = 0.05  # mean of what lines stand out in such a patch, from which there are some
WAYS = ((0, 1), (1, 0), (1, 1), (1, -1))  # down and across, along a line


def glints(light: NDArray[np.float32]) -> NDArray[np.float32]:
    """How far every place of a (H, W) luma stands out of what is within `GLINT` px; single samples do not."""
    calm = cv2.medianBlur(np.ascontiguousarray(light, np.float32), 3)
    ground = cv2.morphologyEx(calm, cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (GLINT, GLINT)))
    return np.asarray(calm - ground, np.float32)


def brightest_glint(light: NDArray[np.float32]) -> tuple[int, int] | None:
    """(y, x) of the clearest glint of a luma; None where there is none."""
    height = glints(light)
    y, x = np.unravel_index(int(np.argmax(height)), height.shape)
    return (int(y), int(x)) if height[y, x] > SEEN else None


def lines(light: NDArray[np.float32]) -> NDArray[np.float32]:
    """How far a thin bright or dark line stands out at every place of a (H, W) luma, in any of four ways."""
    out = np.zeros(light.shape, np.float32)
    for down, across in WAYS:
        kernel = np.zeros((LENGTH, LENGTH), np.float32)
        n = LENGTH // 2
        for k in range(-n, n + 1):
            kernel[n + k * down, n + k * across] = 1 / LENGTH
        along = cv2.filter2D(np.ascontiguousarray(light, np.float32), -1, kernel, borderType=cv2.BORDER_REFLECT)
        wide = np.pad(along, ASIDE, mode="reflect")
        h, w = light.shape
        left, right = (
            wide[ASIDE + s * ASIDE * across : ASIDE + s * ASIDE * across + h, ASIDE - s * ASIDE * down :][:, :w]
            for s in (-1, 1)
        )
        bright, dark = along - np.maximum(left, right), np.minimum(left, right) - along
        found = np.maximum(bright, 0) - np.maximum(dark, 0)
        out = np.where(np.abs(found) > np.abs(out), found, out)
    return out


def most_lines(
    light: NDArray[np.float32], noise: NoisePrint, factor: NDArray[np.float32] | None = None
) -> tuple[int, int] | None:
    """(y, x) of the middle of a patch with most fine lines above the noise; None where there are none."""
    if min(light.shape) < 2 * PATCH:
        return None
    sigma = noise.luminance_sigma_of(light) * (1 if factor is None else factor)
    clear = np.clip(np.abs(lines(light)) / np.maximum(sigma, 1e-4) - CLEAR, 0, ODD).astype(np.float32)
    many = cv2.blur(clear, (PATCH, PATCH))[PATCH // 2 : -PATCH // 2, PATCH // 2 : -PATCH // 2]
    y, x = np.unravel_index(int(np.argmax(many)), many.shape)
    return (int(y) + PATCH // 2, int(x) + PATCH // 2) if many[y, x] > FEWEST else None


def glint_kept(before: NDArray, after: NDArray) -> float | None:
    """Percent of the height of the clearest glint of a patch of luma that is left."""
    heights = glints(np.asarray(before, np.float32))
    at = np.unravel_index(int(np.argmax(heights)), heights.shape)
    near = tuple(slice(max(0, int(v) - 1), int(v) + 2) for v in at)
    left = glints(np.asarray(after, np.float32))[near].max()
    return 100 * float(left / heights[at]) if heights[at] > SEEN else None


def lines_kept(before: NDArray, after: NDArray, cleaned: NDArray) -> float | None:
    """Percent of the contrast of the fine lines of a patch of luma that is left, along those that cleaning shows."""
    b, a, c = (lines(np.asarray(p, np.float32)) for p in (before, after, cleaned))
    whole = float(np.sum(b * c, dtype=np.float64))
    return 100 * float(np.sum(a * c, dtype=np.float64)) / whole if whole > 1e-9 * c.size else None
