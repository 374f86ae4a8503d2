"""Made marks on pictures: dust, hairs and scratches with the truth below them, and things that look like them."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

SMOOTH = 4  # places across a pixel that marks are drawn in
KINDS = "dust", "dust", "hair", "scratch", "dust", "dust"


class Sizes(NamedTuple):
    """Ranges that marks are drawn from, in px; ``contrast`` in encoded values."""

    spot: tuple[float, float] = (1.3, 5.0)
    hair: tuple[float, float] = (20.0, 70.0)
    hair_width: tuple[float, float] = (1.0, 2.2)
    hair_bend: float = 0.06
    scratch: tuple[float, float] = (40.0, 160.0)
    scratch_width: tuple[float, float] = (0.8, 1.6)
    contrast: tuple[float, float] = (0.12, 0.4)
    dark: float = 0.75


def _curve(rng: np.random.Generator, size: tuple[int, int], length: float, width: float, bend: float) -> NDArray:
    """How much (h, w) a bent line covers."""
    h, w = size
    angle = rng.uniform(0, 2 * np.pi) + np.cumsum(rng.normal(0, bend) + rng.normal(0, bend / 2, int(length)))
    steps = np.stack([np.sin(angle), np.cos(angle)], 1)
    line = np.array([rng.uniform(10, h - 10), rng.uniform(10, w - 10)]) + np.cumsum(steps, 0)
    drawn = np.zeros((h * SMOOTH, w * SMOOTH), np.uint8)
    points = np.rint((line[:, ::-1] + 0.5) * SMOOTH * 8).astype(np.int32).reshape(-1, 1, 2)
    cv2.polylines(drawn, [points], False, 255, max(1, round(width * SMOOTH)), cv2.LINE_AA, 3)
    return cv2.resize(drawn, (w, h), interpolation=cv2.INTER_AREA).astype(np.float32) / 255


def _spot(rng: np.random.Generator, size: tuple[int, int], radius: float) -> NDArray:
    """How much (h, w) an uneven spot covers."""
    y, x = rng.uniform(8, size[0] - 8), rng.uniform(8, size[1] - 8)
    v, u = np.mgrid[0 : size[0], 0 : size[1]].astype(np.float32)
    angle = np.arctan2(v - y, u - x)
    uneven = 0.18 * np.cos(2 * angle + rng.uniform(0, 6)) + 0.1 * np.cos(3 * angle + rng.uniform(0, 6))
    return np.clip((radius * (1 + uneven) - np.hypot(v - y, u - x)) / max(0.8, 0.25 * radius) + 0.5, 0, 1)


def marked(
    clean: NDArray, rng: np.random.Generator, count: int = 36, sizes: Sizes = Sizes(), tint: float = 0.0
) -> tuple[NDArray[np.float32], NDArray[np.int32]]:
    """A picture (h, w, C) with marks, in whole steps of 255, and which of them (from 1) covers each pixel.

    ``tint`` : sigma of the difference between channels, as a share.
    """
    size = clean.shape[:2]
    out, labels = np.array(clean, np.float32), np.zeros(size, np.int32)
    taken = np.zeros(size, bool)
    made = 0
    for _ in range(6 * count):
        if made == count:
            break
        kind = KINDS[made % len(KINDS)]
        if kind == "dust":
            cover = _spot(rng, size, rng.uniform(*sizes.spot))
        elif kind == "hair":
            cover = _curve(rng, size, rng.uniform(*sizes.hair), rng.uniform(*sizes.hair_width), sizes.hair_bend)
        else:
            cover = _curve(rng, size, rng.uniform(*sizes.scratch), rng.uniform(*sizes.scratch_width), 0.004)
        here = cover > 0.05
        if (cv2.dilate(here.astype(np.uint8), np.ones((9, 9))) > 0)[taken].any() or (cover > 0.3).sum() < 5:
            continue
        taken |= here
        made += 1
        dark = rng.random() < (sizes.dark / 3 if kind == "scratch" else sizes.dark)
        by = rng.uniform(*sizes.contrast) * (1 + tint * rng.normal(size=clean.shape[2])) * (-1 if dark else 1)
        out += cover[..., None] * (np.clip(out + by, 0, 1) - out)
        labels[cover > 0.25] = made
    return (np.rint(255 * np.clip(out, 0, 1)) / 255).astype(np.float32), labels


def baited(clean: NDArray, rng: np.random.Generator) -> NDArray[np.float32]:
    """A picture (h, w, C) with rows of dots, wires and lettering, all of which belong to it."""
    h, w = clean.shape[:2]
    drawn = np.zeros((h * SMOOTH, w * SMOOTH), np.uint8)

    def at(*place: float) -> tuple[int, ...]:
        return tuple(int(v * SMOOTH) for v in place)

    for _ in range(3):
        y, x = rng.uniform(0.15, 0.8) * h, rng.uniform(0.1, 0.6) * w
        apart, radius = rng.uniform(8, 16), rng.uniform(1.5, 3.5)
        for n in range(int(rng.integers(6, 14))):
            cv2.circle(drawn, at(x + n * apart, y + rng.normal(0, 0.3)), int(radius * SMOOTH), 255, -1, cv2.LINE_AA)
    top = rng.uniform(0.1, 0.3) * h
    for n in range(3):
        ends = at(0, top + 7 * n), at(w, top + 7 * n + rng.uniform(-15, 15))
        cv2.line(drawn, *ends, 255, SMOOTH, cv2.LINE_AA)
    for _ in range(4):
        place = at(rng.uniform(0, max(1, w - 150)), rng.uniform(30, h - 10))
        cv2.putText(drawn, "No 4 lamp room", place, cv2.FONT_HERSHEY_SIMPLEX, 0.5 * SMOOTH, 255, SMOOTH, cv2.LINE_AA)
    cover = cv2.resize(drawn, (w, h), interpolation=cv2.INTER_AREA).astype(np.float32)[..., None] / 255
    return np.asarray(clean * (1 - cover) + cover * rng.choice([0.08, 0.9]), np.float32)
