"""Pictures for docs: small files, and only those that have changed, for a clone holds every version of them."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
from PIL import Image

LARGEST = 250_000  # bytes
RIM = 40  # px above the picture in a window; below it five times as much
COLOURS = (256, 192, 128, 96, 64, 44, 32, 24)  # of a palette, tried in turn until it is small enough
SAME, OTHERWISE, SHARE = 1.5, 40, 0.002  # of 255 in the mean; a pixel that is another one; how many of these may be


def keep_small(image: Image.Image, path: Path) -> str:
    """Write a picture unless the one that is there shows the same; says what was done."""
    data = as_small(image)
    if path.exists() and path.stat().st_size <= LARGEST and looks_the_same(path.read_bytes(), data):
        return f"{path.name} has not changed"
    path.write_bytes(data)
    return f"{path.name}, {len(data) // 1000} kB"


def as_small(image: Image.Image) -> bytes:
    """A PNG of at most `LARGEST` bytes: as it is, or with a palette of as many colours as fit.

    A part of the palette is kept for what stands at the picture's rim, so that the colours of a window stay its own.
    """
    held = io.BytesIO()
    image.save(held, "PNG", optimize=True)
    for colours in COLOURS:
        if held.tell() <= LARGEST:
            break
        held = io.BytesIO()
        reduced = image.quantize(palette=_palette(image, colours), dither=Image.Dither.NONE)
        reduced.save(held, "PNG", optimize=True)
    return held.getvalue()


def _palette(image: Image.Image, colours: int) -> Image.Image:
    """A palette, of which a third at most is that of the rim."""
    of_rim = min(40, colours // 3)
    rim, h = np.asarray(image), image.height
    parts = [rim[: min(RIM, h)], rim[-min(5 * RIM, h) :]]
    strip = Image.fromarray(np.concatenate([p.reshape(-1, 1, 3) for p in parts]))
    found: list[int] = []
    for part, number in ((strip, of_rim), (image, colours - of_rim)):
        found += (part.quantize(number, Image.Quantize.MEDIANCUT).getpalette() or [])[: 3 * number]
    holder = Image.new("P", (1, 1))
    holder.putpalette(found)
    return holder


def looks_the_same(old: bytes, new: bytes) -> bool:
    """Whether nobody would see a difference that matters."""
    a, b = (Image.open(io.BytesIO(data)).convert("RGB") for data in (old, new))
    if a.size != b.size:
        return False
    apart = np.abs(np.asarray(a, float) - np.asarray(b, float))
    return bool(apart.mean() < SAME and np.mean(apart.max(-1) > OTHERWISE) < SHARE)
