"""Defect maps: where a camera's pixels are defective, kept as JSON or as a FITS bad-pixel table.

The JSON is ``{"defect_map": 1, "size": [width, height], "pixels": [[x, y], ...]}``, from 0. The table has the columns
RAWX and RAWY, from 1, as the OGIP convention for bad pixels has them, and the size as XSIZE and YSIZE.

References
----------
[1] OGIP calibration memo CAL/GEN/92-003: bad pixel tables.
"""

from __future__ import annotations

import io
import json
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.errors import FileProblem, WrongUse
from dustpan.core.files.atomic import write_atomically
from dustpan.core.files.reading import parse_json, read_regular

VERSION = 1
LARGEST, MOST = 50_000_000, 200_000  # bytes and pixels
TABLES = (".fits", ".fit", ".fts")
WIDTH, HEIGHT = "XSIZE", "YSIZE"


@dataclass(frozen=True)
class DefectMap:
    """size : (height, width) of the pictures. places : (y, x), from 0."""

    size: tuple[int, int]
    places: tuple[tuple[float, float], ...]


def in_most(frames: Sequence[tuple[tuple[int, int], NDArray]]) -> DefectMap:
    """The map of places that were found in more than half of the frames of a camera.

    Parameters
    ----------
    frames : of each, (height, width) and (n, 2) places (y, x).

    Raises
    ------
    WrongUse : the frames differ in size.

    Examples
    --------
    >>> one, other = np.array([[3.0, 4.0], [7.0, 7.0]]), np.array([[3.0, 4.0]])
    >>> in_most([((20, 30), one), ((20, 30), other)]).places
    ((3.0, 4.0),)
    """
    sizes = {size for size, _ in frames}
    if len(sizes) != 1:
        raise WrongUse("The frames of one defect map must be of one size.")
    times = Counter(place for _, at in frames for place in {(round(float(y)), round(float(x))) for y, x in at})
    most = sorted(place for place, n in times.items() if 2 * n > len(frames))
    return DefectMap(sizes.pop(), tuple((float(y), float(x)) for y, x in most))


def save_map(found: DefectMap, path: Path) -> None:
    """Write a map atomically, as a table where the name says FITS and as JSON otherwise."""
    data = _as_table(found) if path.suffix.lower() in TABLES else _as_json(found)
    write_atomically(path, lambda file: file.write(data))


def load_map(path: Path) -> DefectMap:
    """Read a map; `FileProblem` names the file and the reason."""
    data = read_regular(path, LARGEST, "it is too large for a defect map")
    try:
        found = _from_table(data) if data.startswith(b"SIMPLE") else _from_json(parse_json(data))
    except Exception:
        raise FileProblem(path, "it is not a defect map, or damaged") from None
    if len(found.places) > MOST:
        raise FileProblem(path, "it has more pixels than a defect map may have")
    return found


def _as_json(found: DefectMap) -> bytes:
    h, w = found.size
    pixels = [[round(x), round(y)] for y, x in found.places]
    return json.dumps({"defect_map": VERSION, "size": [w, h], "pixels": pixels}).encode()


def _from_json(told: Any) -> DefectMap:
    if told["defect_map"] != VERSION:
        raise ValueError
    w, h = (int(v) for v in told["size"])
    return _checked(h, w, [(int(y), int(x)) for x, y in told["pixels"]])


def _as_table(found: DefectMap) -> bytes:
    from astropy.io import fits

    at = np.rint(np.array(found.places, float).reshape(-1, 2)).astype(np.int32) + 1
    columns = [fits.Column("RAWX", "J", array=at[:, 1]), fits.Column("RAWY", "J", array=at[:, 0])]
    table = fits.BinTableHDU.from_columns(columns, name="BADPIX")
    table.header[HEIGHT], table.header[WIDTH] = found.size
    held = io.BytesIO()
    fits.HDUList([fits.PrimaryHDU(), table]).writeto(held)
    return held.getvalue()


def _from_table(data: bytes) -> DefectMap:
    from astropy.io import fits

    with fits.open(io.BytesIO(data), memmap=False) as held:
        table = next(h for h in held if isinstance(h, fits.BinTableHDU) and "RAWX" in h.columns.names)
        at = zip(table.data["RAWY"].tolist(), table.data["RAWX"].tolist(), strict=True)
        return _checked(int(table.header[HEIGHT]), int(table.header[WIDTH]), [(y - 1, x - 1) for y, x in at])


def _checked(h: int, w: int, places: list[tuple[int, int]]) -> DefectMap:
    if min(h, w) < 1 or any(not (0 <= y < h and 0 <= x < w) for y, x in places):
        raise ValueError
    return DefectMap((h, w), tuple((float(y), float(x)) for y, x in places))
