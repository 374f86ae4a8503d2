"""Made marks on pictures: dust, hairs and scratches with the truth below them, and things that look like them."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

SMOOTH = 4  # places across a pixel that marks are drawn in
FONTS = Path(__file__).resolve().parent.parent / "ui" / "look" / "fonts"
WORDS = "No. 14, lamp: wick; “glass” – 3.5 cm, brass. (cork) tide! i.e. fog; dim… oil, 1871."
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


Cover = tuple[tuple[slice, slice], NDArray[np.float32]]  # where, and how much is covered there


def _within(low: NDArray, high: NDArray, size: tuple[int, int]) -> tuple[slice, slice]:
    y0, x0 = (max(0, int(v) - 3) for v in low)
    y1, x1 = (min(n, int(v) + 4) for v, n in zip(high, size, strict=True))
    return slice(y0, max(y0, y1)), slice(x0, max(x0, x1))


def _curve(rng: np.random.Generator, size: tuple[int, int], length: float, width: float, bend: float) -> Cover:
    """A bent line."""
    h, w = size
    angle = rng.uniform(0, 2 * np.pi) + np.cumsum(rng.normal(0, bend) + rng.normal(0, bend / 2, int(length)))
    steps = np.stack([np.sin(angle), np.cos(angle)], 1)
    line = np.array([rng.uniform(10, h - 10), rng.uniform(10, w - 10)]) + np.cumsum(steps, 0)
    where = _within(line.min(0), line.max(0), size)
    rows, columns = (s.stop - s.start for s in where)
    drawn = np.zeros((rows * SMOOTH, columns * SMOOTH), np.uint8)
    if drawn.size == 0:
        return where, np.zeros((rows, columns), np.float32)
    points = np.rint((line[:, ::-1] - (where[1].start, where[0].start) + 0.5) * SMOOTH * 8).astype(np.int32)
    cv2.polylines(drawn, [points.reshape(-1, 1, 2)], False, 255, max(1, round(width * SMOOTH)), cv2.LINE_AA, 3)
    cover = cv2.resize(drawn, (columns, rows), interpolation=cv2.INTER_AREA)
    return where, cover.astype(np.float32) / np.float32(255)


def _spot(rng: np.random.Generator, size: tuple[int, int], radius: float) -> Cover:
    """An uneven spot."""
    middle = np.array([rng.uniform(8, size[0] - 8), rng.uniform(8, size[1] - 8)])
    where = _within(middle - 2 * radius, middle + 2 * radius, size)
    v, u = (n - m for n, m in zip(np.mgrid[where].astype(np.float32), middle, strict=True))
    angle = np.arctan2(v, u)
    uneven = 0.18 * np.cos(2 * angle + rng.uniform(0, 6)) + 0.1 * np.cos(3 * angle + rng.uniform(0, 6))
    cover = np.clip((radius * (1 + uneven) - np.hypot(v, u)) / max(0.8, 0.25 * radius) + 0.5, 0, 1)
    return where, cover.astype(np.float32)


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
            where, cover = _spot(rng, size, rng.uniform(*sizes.spot))
        elif kind == "hair":
            where, cover = _curve(rng, size, rng.uniform(*sizes.hair), rng.uniform(*sizes.hair_width), sizes.hair_bend)
        else:
            where, cover = _curve(rng, size, rng.uniform(*sizes.scratch), rng.uniform(*sizes.scratch_width), 0.004)
        here = cover > 0.05
        if taken[where][here].any() or (cover > 0.3).sum() < 5:
            continue
        wide = np.pad(here, 4).astype(np.uint8)
        around = cv2.dilate(wide, np.ones((9, 9), np.uint8)) > 0
        places = np.argwhere(around) + (where[0].start - 4, where[1].start - 4)
        taken[tuple(places[np.all((places >= 0) & (places < size), axis=1)].T)] = True
        made += 1
        dark = rng.random() < (sizes.dark / 3 if kind == "scratch" else sizes.dark)
        by = rng.uniform(*sizes.contrast) * (1 + tint * rng.normal(size=clean.shape[2])) * (-1 if dark else 1)
        own = out[where]
        own += cover[..., None] * (np.clip(own + by, 0, 1) - own)
        labels[where][cover > 0.25] = made
    return (np.rint(255 * np.clip(out, 0, 1)) / 255).astype(np.float32), labels


def baited(clean: NDArray, rng: np.random.Generator) -> NDArray[np.float32]:
    """A picture (h, w, C) with rows of dots, wires, frames and writing, all of which belong to it."""
    h, w = clean.shape[:2]
    drawn = np.zeros((h * SMOOTH, w * SMOOTH), np.uint8)

    def at(x: float, y: float) -> tuple[int, int]:
        return int(x * SMOOTH), int(y * SMOOTH)

    for _ in range(3):
        y, x = rng.uniform(0.15, 0.8) * h, rng.uniform(0.1, 0.6) * w
        apart, radius = rng.uniform(8, 16), rng.uniform(1.5, 3.5)
        for n in range(int(rng.integers(6, 14))):
            cv2.circle(drawn, at(x + n * apart, y + rng.normal(0, 0.3)), int(radius * SMOOTH), 255, -1, cv2.LINE_AA)
    top = rng.uniform(0.1, 0.3) * h
    for n in range(3):
        end = at(w, top + 7 * n + rng.uniform(-15, 15))
        cv2.line(drawn, at(0, top + 7 * n), end, 255, SMOOTH, cv2.LINE_AA)
    y, x = rng.uniform(0.05, 0.5) * h, rng.uniform(0.05, 0.5) * w
    for inset in (0, rng.uniform(5, 12)):
        far = at(x + 0.45 * w - inset, y + 0.4 * h - inset)
        cv2.rectangle(drawn, at(x + inset, y + inset), far, 255, int(rng.uniform(0.8, 2) * SMOOTH), cv2.LINE_AA)
    if rng.random() < 0.5:  # a sheet of paper, whose corners belong to it
        turned = cv2.boxPoints(
            ((rng.uniform(0.2, 0.8) * w, rng.uniform(0.2, 0.8) * h), (0.3 * w, 0.3 * h), rng.uniform(-40, 40))
        )
        sheet = cv2.fillPoly(np.zeros_like(drawn), [np.rint(turned * SMOOTH).astype(np.int32)], 255, cv2.LINE_AA)
        share = cv2.resize(sheet, (w, h), interpolation=cv2.INTER_AREA).astype(np.float32)[..., None] / 255
        clean = clean + share * rng.uniform(0.3, 0.9) * (rng.uniform(0.05, 0.95, clean.shape[2]) - clean)
    written = Image.fromarray(drawn)
    pen = ImageDraw.Draw(written)
    for _ in range(5):
        size = float(np.exp(rng.uniform(np.log(9), np.log(48))))
        font = ImageFont.truetype(str(rng.choice(sorted(FONTS.glob("*.otf")))), int(size * SMOOTH))
        lines = [" ".join(str(v) for v in rng.choice(WORDS.split(), 5)) for _ in range(int(rng.integers(1, 4)))]
        pen.text(at(rng.uniform(0, 0.6) * w, rng.uniform(0, 0.9) * h), "\n".join(lines), 255, font=font)
    cover: NDArray = cv2.resize(np.asarray(written), (w, h), interpolation=cv2.INTER_AREA)[..., None] / np.float32(255)
    if rng.random() < 0.5:
        cover = np.asarray(cv2.GaussianBlur(cover[..., 0], (0, 0), rng.uniform(0.4, 1.2)), np.float32)[..., None]
    cover = cover * np.float32(rng.uniform(0.5, 1))
    return np.asarray(clean * (1 - cover) + cover * rng.choice([0.08, 0.9]), np.float32)


def starry(clean: NDArray, rng: np.random.Generator) -> NDArray[np.float32]:
    """A dark version of a picture (h, w, C) with stars before it, all of one shape, and nothing else that is small."""
    h, w = clean.shape[:2]
    light = np.zeros((h, w), np.float32)
    count = int(np.exp(rng.uniform(np.log(12), np.log(400))))
    np.add.at(light, (rng.integers(0, h, count), rng.integers(0, w, count)), 10 ** rng.uniform(-1, 1.5, count))
    spread = rng.uniform(1.5, 4) / 2.3548
    light = 2 * np.pi * spread**2 * cv2.GaussianBlur(light, (0, 0), spread)
    soft = cv2.GaussianBlur(np.asarray(clean, np.float32), (0, 0), rng.uniform(4, 20))
    dark = soft.reshape(clean.shape) * rng.uniform(0.05, 1)
    return np.asarray(np.clip(dark + np.arcsinh(light)[..., None] * 0.4, 0, 1), np.float32)
