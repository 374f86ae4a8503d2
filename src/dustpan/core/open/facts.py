"""What is said of a picture in a line: how it was taken, what it holds, and the values of one pixel."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import lab
from dustpan.core.files import exif as ex
from dustpan.core.language import say
from dustpan.core.picture import Picture
from dustpan.core.text import plain


def exposure_of(picture: Picture) -> str:
    """ISO, time, aperture and focal length in one line; empty without EXIF."""
    try:
        exif = ex.parse(picture.metadata.exif or b"")
    except ex.ExifError:
        return ""
    iso, seconds, f_number, focal = (exif.number(t) for t in (ex.ISO, ex.EXPOSURE, ex.F_NUMBER, ex.FOCAL))
    parts = []
    if iso:
        parts.append(f"ISO {iso:.0f}")
    if seconds:
        parts.append(f"1/{1 / seconds:.0f} s" if seconds < 0.4 else f"{seconds:.1f} s")
    if f_number:
        parts.append(f"f/{f_number:.1f}")
    if focal:
        parts.append(f"{focal:.0f} mm")
    return " · ".join(parts)


def facts_of(picture: Picture) -> str:
    """Size, depth and exposure in short lines."""
    h, w = picture.size
    kind = say("scene-linear") + " " if picture.scale else ""
    depth = picture.source.words or picture.depth.words
    lines = [f"{w} × {h} px · {kind}{depth} {picture.source.format}"]
    if exposure := exposure_of(picture):
        lines.append(exposure)
    try:
        if model := ex.parse(picture.metadata.exif or b"").text(ex.MODEL):
            lines.append(plain(model))
    except ex.ExifError:
        pass
    return "\n".join(lines)


def pixel_words(picture: Picture, y: int, x: int, values: Sequence[NDArray[np.float32]]) -> str:
    """A place and the values of its pixel, one (C,) after the other.

    R G B of 255 and L a b, or, where the file has units, in those.
    """
    if picture.scale is not None:
        stored = (picture.as_stored(v) for v in values)
        return f"{x}, {y}   " + " → ".join(" ".join(f"{float(c):.6g}" for c in s) for s in stored)
    wide = [np.broadcast_to(v, (3,)) for v in values]
    rgb = " → ".join(" ".join(f"{255 * c:.0f}" for c in v) for v in wide)
    labs = " → ".join(" ".join(f"{c:.0f}" for c in lab(v, picture.curve)) for v in wide)
    return f"{x}, {y}   R G B {rgb}   L a b {labs}"
