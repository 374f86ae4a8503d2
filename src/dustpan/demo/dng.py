"""A raw file from the museum's simulated camera: a digital negative (DNG 1.4) with the tags that decoders need."""

from __future__ import annotations

import io
import struct
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from dustpan.core.files import exif as ex
from dustpan.core.files.atomic import write_atomically
from dustpan.core.files.tiff import PLACEHOLDER, as_extratag, link_directories

PHOTOMETRIC, MIN_IS_BLACK, CFA, LINEAR_RAW = 262, 1, 32803, 34892
D65 = 21  # as EXIF numbers light sources
CFA_DIM, CFA_PATTERN, ORIENTATION = 33421, 33422, 274
DNG_VERSION, DNG_BACKWARD, UNIQUE_MODEL = 50706, 50707, 50708
BLACK, WHITE, MATRIX, NEUTRAL, ILLUMINANT, NOISE_PROFILE = 50714, 50717, 50721, 50728, 50778, 51041
BYTE, ASCII, SHORT, LONG, RATIONAL, SIGNED, DOUBLE = 1, 2, 3, 4, 5, 10, 12


@dataclass(frozen=True)
class Shot:
    """What a camera writes down beside its samples.

    Attributes
    ----------
    pattern : colours of the filter's smallest part, 0 red, 1 green, 2 blue; ((0,),) without a filter.
    black, white : levels in counts. matrix : (3, 3) CIE XYZ to sensor colours under daylight (D65).
    neutral : what the sensor sees of a neutral thing, green being 1. orientation : as TIFF has it.
    profile : (gain, read) of the noise where 1 is white; None leaves the tag out.
    facts : exposure facts. preview : (h, w, 3) 8-bit pixels, shown before the raw is developed.
    """

    pattern: tuple[tuple[int, ...], ...] = ((0, 1), (1, 2))
    black: int = 512
    white: int = 16383
    matrix: NDArray[np.float64] | None = None
    neutral: Sequence[float] = (1.0, 1.0, 1.0)
    orientation: int = 1
    profile: tuple[float, float] | None = None
    facts: ex.Exif | None = None
    preview: NDArray[np.uint8] | None = None


def _rationals(values: Sequence[float], denominator: int = 1_000_000) -> tuple[int, ...]:
    found: list[int] = []
    for v in values:
        f = Fraction(round(v * denominator), denominator)
        found += [f.numerator, f.denominator]
    return tuple(found)


def _shared_tags(shot: Shot) -> list[tuple]:
    tags: list[tuple] = [
        (DNG_VERSION, BYTE, 4, (1, 4, 0, 0), True),
        (DNG_BACKWARD, BYTE, 4, (1, 3, 0, 0), True),
        (UNIQUE_MODEL, ASCII, 0, "Tidewrack Lantern", True),
        (ORIENTATION, SHORT, 1, shot.orientation, True),
    ]
    if shot.matrix is not None:
        tags += [
            (MATRIX, SIGNED, 9, _rationals(np.asarray(shot.matrix).ravel().tolist()), True),
            (ILLUMINANT, SHORT, 1, D65, True),
            (NEUTRAL, RATIONAL, 3, _rationals(list(shot.neutral)), True),
        ]
    return tags


def _raw_tags(shot: Shot, planes: int) -> list[tuple]:
    tags: list[tuple] = [(WHITE, LONG, planes, (shot.white,) * planes if planes > 1 else shot.white, True)]
    tags.append((BLACK, LONG, planes, (shot.black,) * planes if planes > 1 else shot.black, True))
    if len(shot.pattern) > 1:
        flat = tuple(c for row in shot.pattern for c in row)
        tags.append((CFA_DIM, SHORT, 2, (len(shot.pattern), len(shot.pattern[0])), True))
        tags.append((CFA_PATTERN, BYTE, len(flat), flat, True))
    if shot.profile:
        tags.append((NOISE_PROFILE, DOUBLE, 2, tuple(float(v) for v in shot.profile), True))
    return tags


def dng(samples: NDArray[np.uint16], shot: Shot) -> bytes:
    """The bytes of a DNG of sensor counts: (h, w) of a mosaic or a bare sensor, (h, w, 3) of one already demosaiced."""
    facts = shot.facts or ex.Exif()
    shared = _shared_tags(shot)
    about: list[tuple] = [
        t for tag, e in sorted(facts.main.items()) if tag != ORIENTATION and (t := as_extratag(tag, e, "<"))
    ]
    links: list[tuple] = [(PLACEHOLDER[ex.EXIF_IFD], LONG, 1, 0, True)] if facts.photo else []
    raw: dict[str, Any] = {
        "photometric": LINEAR_RAW if samples.ndim == 3 else "minisblack" if len(shot.pattern) == 1 else CFA,
        "metadata": None,
        "software": False,
    }
    planes = samples.shape[2] if samples.ndim == 3 else 1
    held = io.BytesIO()
    with tifffile.TiffWriter(held, byteorder="<") as tif:
        if shot.preview is None:
            tags = [*shared, *_raw_tags(shot, planes), *about, *links]
            tif.write(samples, subfiletype=0, extratags=tags, **raw)
        else:
            tif.write(
                iter([_jpeg(shot.preview)]), shape=shot.preview.shape, dtype=np.uint8, subfiletype=1, subifds=1,
                compression="jpeg", photometric="ycbcr", metadata=None, software=False,
                rowsperstrip=shot.preview.shape[0], extratags=[*shared, *about, *links],
            )  # fmt: skip
            tif.write(samples, subfiletype=0, extratags=_raw_tags(shot, planes), **raw)
    out = bytearray(held.getvalue())
    if samples.ndim == 2 and len(shot.pattern) == 1:  # what tifffile refuses to say of a single channel
        at = out.index(struct.pack("<HHIHH", PHOTOMETRIC, SHORT, 1, MIN_IS_BLACK, 0))
        struct.pack_into("<H", out, at + 8, LINEAR_RAW)
    link_directories(out, facts)
    return bytes(out)


def _jpeg(pixels: NDArray[np.uint8]) -> bytes:
    held = io.BytesIO()
    Image.fromarray(pixels).save(held, "JPEG", quality=90)
    return held.getvalue()


def write_dng(path: Path, samples: NDArray[np.uint16], shot: Shot) -> None:
    """Write a DNG atomically."""
    content = dng(samples, shot)
    write_atomically(path, lambda file: file.write(content))
