"""FITS, read and written through astropy (FITS standard 4.0, IAU 2018): values in the file's own units.

Values are in proportion to light. They are encoded at the door like every scene-linear picture; which value becomes
white follows from the type of the samples, or, where the noise of the sky would then be too small to be told from
rounding, from the sky itself (`scale_of`). What a result does not change is written back as it was read, sample by
sample.
"""

from __future__ import annotations

import io
import math
from dataclasses import dataclass, replace
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.curve import SRGB, Scale
from dustpan.core.files.format import PATTERNS, Decoded, FileFormat, Opening, Unreadable, check_size
from dustpan.core.language import say
from dustpan.core.picture import Depth, Kind, Metadata, Picture, Sensor

PATTERN_KEYS = ("BAYERPAT", "COLORTYP", "CFA-PAT")
SATURATED_KEYS = ("SATURATE", "SATLEVEL", "DATAMAX")
COLOURS = ("red", "green", "blue")
LEAST_SIGMA = 4.0 / 255  # encoded: sky noise that is weaker than this is scaled up
BELOW_SKY, ABOVE_SKY = 10.0, 90.0  # σ of the sky from black to it, and from it to white, where it is scaled up
SKY_APART = 2  # px between samples whose difference tells the sky's noise: the same colour in a mosaic
DARKEST = 0.1  # percentile of the picture that lies above black as well
MOST_SEEN = 2_000_000  # samples that the sky is told from
WIDTH = 72  # characters of a HISTORY card


@dataclass(frozen=True, eq=False)
class FitsOrigin:
    """What is written back: the header, the type of the samples as stored, and whether colours are in planes."""

    header: Any
    dtype: np.dtype
    planes: bool


def _read(data: bytes, wish: Opening) -> Decoded:
    from astropy.io import fits

    with fits.open(io.BytesIO(data), memmap=False, lazy_load_hdus=False, ignore_missing_simple=False) as found:
        images = [(n, hdu) for n, hdu in enumerate(found) if _is_image(hdu)]
        if not images:
            raise Unreadable("it holds no image")
        names = tuple(_name(number, hdu) for number, hdu in images)
        part = wish.part or 1
        if part > len(images):
            raise Unreadable("it holds {0} images, so there is no image {1}", len(images), part)
        hdu = images[part - 1][1]
        _check_shape(hdu.shape)
        stored_type = _stored_type(hdu.header)
        try:
            samples = np.asarray(hdu.data)
        except (TypeError, ValueError, OSError):
            raise Unreadable("the FITS file is cut off: part of its pixels is missing") from None
        header = hdu.header.copy()
        if hdu is not found[0]:
            header = _merged(found[0].header, header)
    samples = samples.astype(samples.dtype.newbyteorder("="), copy=False)  # files are big-endian, kernels are not
    notices = []
    if len(images) > 1 and wish.part is None:
        notices.append(say("It holds {0} images; the first was opened.", len(images)))
    return _decoded(
        samples, header, stored_type, wish, notices, {"part": part, "parts": names} if len(names) > 1 else {}
    )


def _is_image(hdu: Any) -> bool:
    return bool(hdu.is_image) and len(hdu.shape) >= 2 and 0 not in hdu.shape


def _name(number: int, hdu: Any) -> str:
    return f"{hdu.name or number}, {' × '.join(str(n) for n in reversed(hdu.shape))}"


def _check_shape(shape: tuple[int, ...]) -> None:
    """Two axes, or three of which one has the colours; further axes of length 1 mean nothing."""
    sides = tuple(n for n in shape[:-2] if n != 1)
    if len(sides) > 1 or (sides and sides[0] != 3):
        raise Unreadable("its axes ({0}) are not those of one picture", " × ".join(str(n) for n in reversed(shape)))
    check_size(shape[-2], shape[-1])


def _stored_type(header: Any) -> np.dtype:
    """The type of the samples as the file means them: unsigned ones are stored as signed with BZERO."""
    bits, zero, scale = header.get("BITPIX", -32), header.get("BZERO", 0), header.get("BSCALE", 1)
    bits = header.get("ZBITPIX", bits)
    if bits < 0:
        return np.dtype(np.float32 if bits == -32 else np.float64)
    if scale != 1 or "BLANK" in header or "ZBLANK" in header:
        return np.dtype(np.float32)
    if bits == 8:
        return np.dtype(np.int8 if zero == -128 else np.uint8 if zero == 0 else np.float32)
    unsigned = {16: np.uint16, 32: np.uint32}.get(bits)
    signed = {16: np.int16, 32: np.int32}.get(bits)
    if signed is None or unsigned is None:
        raise Unreadable("its samples ({0} bits) are of a kind that Dustpan does not open", bits)
    return np.dtype(unsigned if zero == 2 ** (bits - 1) else signed if zero == 0 else np.float32)


def _merged(primary: Any, own: Any) -> Any:
    """The header of an image extension with what the primary one says of all of the file."""
    merged = own.copy(strip=True)
    for card in primary.copy(strip=True).cards:
        if card.keyword and card.keyword not in merged and card.keyword not in ("EXTEND", "COMMENT", "HISTORY"):
            merged.append(card)
    return merged


def _decoded(
    samples: NDArray, header: Any, dtype: np.dtype, wish: Opening, notices: list[str], parts: dict[str, Any]
) -> Decoded:
    samples = samples.reshape([n for n in samples.shape[:-2] if n != 1] + list(samples.shape[-2:]))
    planes = samples.ndim == 3
    values = np.ascontiguousarray(np.moveaxis(samples, 0, -1)) if planes else samples[..., None]
    if dtype.kind == "f" and values.dtype.kind != "f":
        values = values.astype(np.float32)
    every = values.dtype.kind != "f" or bool(np.isfinite(values).all())
    valid = np.ones(values.shape[:2], bool) if every else np.isfinite(values).all(2)
    if not valid.any():
        raise Unreadable("none of its samples is a number")
    filled = values
    if not every:
        notices.append(say("{0} samples are not numbers; they are kept as they are.", int((~valid).sum())))
        filled = _filled(values, valid)
    counted = values if every else values[valid]
    full = _full(counted, header, dtype)
    if dtype.kind != "f" and (top := int((counted >= full).sum())):
        notices.append(say("{0} samples are saturated.", top))
    pattern = _pattern(header, wish) if not planes else None
    sensor = None
    if pattern:
        sensor = Sensor(pattern, COLOURS, (0.0,) * 3, (float(full),) * 3)
    return Decoded(
        np.asarray(filled, np.float32),
        {1: Depth.EIGHT, 2: Depth.SIXTEEN}.get(dtype.itemsize, Depth.FLOAT) if dtype.kind in "iu" else Depth.FLOAT,
        Metadata(),
        notices=tuple(notices),
        scale=scale_of(filled, full),
        kind=Kind.MOSAIC if sensor else Kind.RGB if planes else Kind.MONO,
        sensor=sensor,
        valid=None if every else valid,
        stored=values.astype(np.float64) if dtype.itemsize > 4 or dtype in (np.int32, np.uint32) else values,
        words=_type_words(dtype),
        origin=FitsOrigin(header, dtype, planes),
        **parts,
    )  # fmt: skip


def in_own_units(light: NDArray[np.float32], like: Picture) -> Picture:
    """A picture of light (h, w, C) in the units of the FITS file that another came from, with its header, as floats.

    Places that are NaN do not count.
    """
    origin: FitsOrigin = like.source.origin
    valid = np.asarray(np.isfinite(light).all(2))
    filled = light if valid.all() else _filled(light, valid) if valid.any() else np.zeros_like(light)
    full = like.scale.white if like.scale is not None and not like.scale.from_sky else float(filled.max())
    scale = scale_of(filled, max(full, 1e-30))
    return Picture(
        scale.encoded(filled),
        Kind.RGB if light.shape[2] == 3 else Kind.MONO,
        Depth.FLOAT,
        source=replace(
            like.source, origin=FitsOrigin(origin.header, np.dtype(np.float32), light.shape[2] == 3), words=""
        ),
        scale=scale,
        stored=np.array(light, np.float32),
        valid=None if valid.all() else valid,
    )


def _type_words(dtype: np.dtype) -> str:
    bits = 8 * dtype.itemsize
    return say("{0} bit float", bits) if dtype.kind == "f" else say("{0} bit", bits)


def _filled(values: NDArray, valid: NDArray[np.bool_]) -> NDArray:
    """Values with those that are none taken from the nearest that is one."""
    nearest = ndi.distance_transform_edt(~valid, return_distances=False, return_indices=True)
    return values[tuple(nearest)]


def _full(values: NDArray, header: Any, dtype: np.dtype) -> float:
    """The value at which samples are full."""
    for key in SATURATED_KEYS:
        said = header.get(key)
        if isinstance(said, int | float) and not isinstance(said, bool) and math.isfinite(said) and said > 0:
            return float(said)
    if dtype.kind in "iu" and dtype.itemsize <= 2:
        return float(np.iinfo(dtype).max)
    top = float(values.max())
    return 1.0 if dtype.kind == "f" and top <= 1 else max(top, 1e-30)


def _pattern(header: Any, wish: Opening) -> tuple[tuple[int, ...], ...] | None:
    """The colour filter that was chosen or that the header names; its offsets count from the first sample."""
    named = wish.pattern or next((str(header[k]).strip().upper() for k in PATTERN_KEYS if k in header), "")
    pattern = PATTERNS.get(named)
    if pattern is None or wish.pattern:
        return pattern
    dy, dx = (int(header.get(k, 0) or 0) % 2 for k in ("YBAYROFF", "XBAYROFF"))
    rolled = np.roll(np.asarray(pattern), (-dy, -dx), (0, 1))
    return tuple(tuple(int(c) for c in row) for row in rolled)


def scale_of(values: NDArray, full: float) -> Scale:
    """Which values become black and white.

    0 and the full value, unless much lies below 0 or the sky's noise is too weak on that scale. Then black lies
    `BELOW_SKY` sigmas below the sky, or below what is darker still, and white `ABOVE_SKY` above it. What is brighter
    lies above white, and is kept.
    """
    every = max(1, int(math.sqrt(values[..., 0].size / MOST_SEEN)))
    seen = np.asarray(values[::every], np.float64)
    apart = np.abs(seen[:, SKY_APART:] - seen[:, :-SKY_APART])
    sky = float(np.median(seen))
    sigma = float(np.median(apart)) * 1.4826 / math.sqrt(2) if apart.size else 0.0
    if sigma <= 0:
        return Scale(min(0.0, float(seen.min())), full)
    if sky - BELOW_SKY * sigma / 2 > 0 and sky + sigma < full:
        low, high = (float(SRGB.encode(np.array((sky + s * sigma / 2) / full))) for s in (-1, 1))
        if high - low >= LEAST_SIGMA:
            return Scale(0.0, full)
    darkest = float(np.percentile(seen, DARKEST)) - BELOW_SKY / 3 * sigma
    floor, white = min(sky - BELOW_SKY * sigma, darkest), sky + ABOVE_SKY * sigma
    if floor < 0 <= min(sky - BELOW_SKY * sigma / 2, darkest):
        floor = 0.0
    return Scale(floor, min(white, full) if full > sky + BELOW_SKY * sigma else white, from_sky=True)


# ---------------------------------------------------------------- writing


def _rewrite(file: BinaryIO, picture: Picture, depth: Depth, history: str) -> bool:
    """In the type that was read, or as 32-bit float where that is wished, with the header and a line of history."""
    origin: FitsOrigin = picture.source.origin
    dtype = origin.dtype
    if depth is Depth.FLOAT and picture.depth is not Depth.FLOAT:
        dtype = np.dtype(np.float32)
    elif depth is not picture.depth:
        return False
    header = origin.header.copy(strip=True)
    for key in ("BZERO", "BSCALE", "BLANK"):
        header.remove(key, ignore_missing=True)
    if picture.kind is Kind.RGB:  # every place has its colours now
        for key in (*PATTERN_KEYS, "XBAYROFF", "YBAYROFF"):
            header.remove(key, ignore_missing=True)
    for n in range(0, len(history), WIDTH):
        header.add_history(history[n : n + WIDTH])
    _save(file, _as_type(picture.as_stored(), dtype), header)
    return True


def _as_type(values: NDArray, dtype: np.dtype) -> NDArray:
    if dtype.kind == "f":
        return values.astype(dtype)
    ends = np.iinfo(dtype)
    return np.clip(np.rint(np.nan_to_num(values)), ends.min, ends.max).astype(dtype)


def _write(file: BinaryIO, samples: NDArray, depth: Depth, metadata: Metadata, quality: int) -> None:
    from astropy.io import fits

    _save(file, samples[..., : 3 if samples.shape[2] >= 3 else 1], fits.Header())


def _save(file: BinaryIO, values: NDArray, header: Any) -> None:
    from astropy.io import fits

    planes = np.moveaxis(values, -1, 0) if values.shape[2] == 3 else values[..., 0]
    held = io.BytesIO()
    fits.PrimaryHDU(np.ascontiguousarray(planes), header).writeto(held, output_verify="silentfix+ignore")
    file.write(held.getvalue())


FITS = FileFormat(
    name="FITS",
    suffixes=(".fits", ".fit", ".fts"),
    depths=(Depth.EIGHT, Depth.SIXTEEN, Depth.FLOAT),
    recognise=lambda data, suffix: data.startswith(b"SIMPLE  ="),
    read=_read,
    write=_write,
    rewrite=_rewrite,
    alpha=False,
    linear=True,
    samples=True,
)
