"""Camera raw, read through LibRaw: the sensor's own samples with all that is known of the sensor. Never written.

Samples become 0 at their black and 1 at their white level, encoded like every picture; what lies below black is kept,
for the noise there is half of the truth. They are turned upright together with their pattern.
"""

from __future__ import annotations

import io
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from dustpan.core.curve import SRGB
from dustpan.core.files import exif as ex
from dustpan.core.files.format import Decoded, FileFormat, Opening, Unreadable, check_size
from dustpan.core.files.quiet import quiet
from dustpan.core.kernels import PLANE, PLANES, i8, kernel, u2
from dustpan.core.language import say
from dustpan.core.picture import IDENTITY, Depth, Kind, Metadata, Sensor

SUFFIXES = (
    ".dng", ".arw", ".cr2", ".cr3", ".crw", ".dcr", ".erf", ".fff", ".iiq", ".kdc", ".mef", ".mos", ".mrw", ".nef",
    ".nrw", ".orf", ".pef", ".raf", ".raw", ".rw2", ".rwl", ".sr2", ".srf", ".srw", ".x3f", ".3fr",
)  # fmt: skip
MAGIC = (b"FUJIFILMCCD-RAW", b"IIRO", b"MMOR", b"IIRS", b"IIU\0", b"FOVb", b"\0MRM")
TIFF_MAGIC = (b"II*\0", b"MM\0*")
DNG_VERSION, NOISE_PROFILE = 50706, 51041
LINEAR_RAW = 34892  # photometric interpretation of samples that have no mosaic
TRAVELLING = {0x010E, 0x010F, 0x0110, 0x0131, 0x0132, 0x013B, 0x8298}  # main tags that go along
MAKER_NOTE = 0x927C
COLOURS = ("red", "green", "blue")
SECOND_GREEN = 1  # what LibRaw numbers 3
OF_NAME = {"R": 0, "G": 1, "B": 2}
LEAST_RANGE = 16  # counts between black and white
TOO_MANY_ABOVE = 0.02  # share of the samples above white from which the levels are said to be wrong
LEAST_PREVIEW, SAME_SHAPE = 160, 0.03  # px; how far the preview's proportions may be off
Turn = Callable[[NDArray], NDArray]
TURNS: dict[int, Turn] = {
    0: lambda a: a,
    3: lambda a: a[::-1, ::-1],
    5: lambda a: np.rot90(a, 1),
    6: lambda a: np.rot90(a, -1),
}


def _recognise(data: bytes, suffix: str) -> bool:
    if data.startswith(MAGIC) or data[4:12] == b"ftypcrx ":
        return True
    if data[:4] not in TIFF_MAGIC:
        return suffix in SUFFIXES and not data.startswith((b"\xff\xd8\xff", b"\x89PNG", b"RIFF", b"SIMPLE  "))
    return suffix in SUFFIXES or data[8:10] == b"CR" or DNG_VERSION in _first_tags(data)


def _first_tags(data: bytes) -> set[int]:
    """The tags of the main directory of a TIFF structure."""
    order = "little" if data[:2] == b"II" else "big"
    at = int.from_bytes(data[4:8], order)  # type: ignore[arg-type]
    count = int.from_bytes(data[at : at + 2], order)  # type: ignore[arg-type]
    return {int.from_bytes(data[at + 2 + 12 * n : at + 4 + 12 * n], order) for n in range(count)}  # type: ignore[arg-type]


def _read(data: bytes, wish: Opening) -> Decoded:
    import rawpy

    with quiet():
        try:
            raw = rawpy.RawPy()
            raw.open_buffer(io.BytesIO(data))
        except rawpy.LibRawFileUnsupportedError:
            raise Unreadable("it is no raw file that LibRaw knows") from None
        except rawpy.LibRawError as error:
            raise Unreadable("the raw file is damaged or cut off ({0})", _words(error)) from None
        with raw:
            sizes = raw.sizes
            check_size(sizes.height, sizes.width)
            try:
                raw.unpack()
                return _decoded(raw, data)
            except rawpy.LibRawError as error:
                raise Unreadable("the raw file is damaged or cut off ({0})", _words(error)) from None


def _words(error: Exception) -> str:
    """What LibRaw says; its text is the bytes of a C string."""
    said = error.args[0] if error.args else ""
    return (said.decode("utf-8", "replace") if isinstance(said, bytes) else str(said)).lower()


def _decoded(raw: Any, data: bytes) -> Decoded:
    import rawpy

    page = _raw_page(data)
    stack = raw.raw_type == rawpy.RawType.Stack
    samples = raw.raw_image_visible
    turn = TURNS.get(raw.sizes.flip, TURNS[0])
    black, white = _levels(raw)
    pattern: tuple[tuple[int, ...], ...] = ((0,),)
    colours: tuple[str, ...] = COLOURS
    if stack:
        kind = Kind.CAMERA
        samples = samples[..., :3]
        by_site = np.arange(3)[None, None]
    else:
        kind, by_site, colours = _pattern(raw, page)
        crop = _crop(raw.sizes, samples.shape)
        by_site = np.roll(by_site, (-crop[0].start, -crop[1].start), (0, 1))
        samples = samples[crop]
        by_site = _turned_pattern(by_site, samples.shape, turn)
        pattern = tuple(tuple(int(c) if c < 3 else SECOND_GREEN for c in row) for row in by_site)
    samples = np.ascontiguousarray(turn(samples))
    values, above = scaled(samples, by_site, black, white, stack)
    notices = []
    if above > TOO_MANY_ABOVE:
        notices.append(say("{0:.0f} % of its samples lie above its white level; the levels may be wrong.", 100 * above))
    sensor = Sensor(
        pattern, colours, tuple(float(b) for b in black[: len(colours)]), (float(white),) * len(colours),
        *_colour(raw, kind), _noise_profile(page),
    )  # fmt: skip
    return Decoded(
        values,
        Depth.SIXTEEN,
        Metadata(exif=_exif(data, raw)),
        notices=tuple(notices),
        kind=kind,
        sensor=sensor,
        encoded=True,
        words=say("{0} bit raw", max(1, int(np.ceil(np.log2(white + 1))))),
        preview=_preview(raw, turn, samples.shape),
    )


def _raw_page(data: bytes) -> Any:
    """The page with the samples of a DNG; None of other raws, or where its directories cannot be read."""
    try:
        with tifffile.TiffFile(io.BytesIO(data)) as tif:
            first: Any = tif.pages[0]
            if DNG_VERSION not in first.tags:
                return None
            pages = [first, *(first.pages or ())]
            return max(pages, key=lambda p: (p.photometric in (32803, LINEAR_RAW), p.imagewidth * p.imagelength))
    except Exception:  # tifffile reports damage in many ways; LibRaw may read the file all the same
        return None


def _levels(raw: Any) -> tuple[NDArray[np.float64], int]:
    black = np.asarray(raw.black_level_per_channel, float)
    white = int(raw.white_level)
    if not np.all(white - black[: max(1, raw.num_colors)] >= LEAST_RANGE):
        raise Unreadable("its levels are wrong: black {0:.0f}, white {1}", black.max(), white)
    return black, white


def _pattern(raw: Any, page: Any) -> tuple[Kind, NDArray[np.intp], tuple[str, ...]]:
    """Which level and colour each site has. One colour without a filter has to be said by the file itself."""
    if raw.num_colors == 1 or raw.raw_pattern is None:
        if page is not None and page.photometric == LINEAR_RAW and page.samplesperpixel == 1:
            return Kind.BARE, np.zeros((1, 1), np.intp), ("grey",)
        raise Unreadable("it has one colour and no pattern of a filter; the file is damaged or of an unknown camera")
    names = raw.color_desc.decode("ascii", "replace")
    pattern = np.asarray(raw.raw_pattern, np.intp)
    if raw.num_colors != 3 or any(names[c] not in OF_NAME for c in np.unique(pattern)):
        raise Unreadable("the colours of its filter ({0}) are none that Dustpan develops", names)
    return Kind.MOSAIC, pattern, COLOURS


def _crop(sizes: Any, shape: tuple[int, ...]) -> tuple[slice, slice]:
    """The part of the sensor that the camera means to be the picture."""
    top, left, h, w = sizes.crop_top_margin, sizes.crop_left_margin, sizes.crop_height, sizes.crop_width
    if h > 0 and w > 0 and top + h <= shape[0] and left + w <= shape[1]:
        return slice(top, top + h), slice(left, left + w)
    return slice(0, shape[0]), slice(0, shape[1])


def _turned_pattern(pattern: NDArray, shape: tuple[int, ...], turn: Turn) -> NDArray:
    """The pattern of samples of this shape once they are turned."""
    (ph, pw), (h, w) = pattern.shape, shape[:2]
    part = np.tile(pattern, (3, 3))[: 2 * ph + h % ph, : 2 * pw + w % pw]
    turned = turn(part)
    rows, columns = (pw, ph) if turned.shape != part.shape or turn in (TURNS[5], TURNS[6]) else (ph, pw)
    return np.ascontiguousarray(turned[:rows, :columns])


def scaled(
    samples: NDArray, by_site: NDArray, black: NDArray, white: int, stack: bool
) -> tuple[NDArray[np.float32], float]:
    """Encoded values (h, w, C) with 0 at black and 1 at white; and the share of the samples above white."""
    if samples.dtype != np.uint16:
        raise Unreadable("its samples ({0}) are of a kind that Dustpan does not open", samples.dtype.name)
    counts = np.arange(65536, dtype=np.float64)
    tables = np.stack([SRGB.encode(np.minimum((counts - b) / (white - b), 1.0)) for b in black]).astype(np.float32)
    planes = samples if stack else samples[..., None]
    sites = by_site.astype(np.intp) if stack else by_site.astype(np.intp)[..., None]
    out = np.empty(planes.shape, np.float32)
    rows = len(samples) // 2 // len(sites) * len(sites)  # two halves at a time, each of whole periods
    with ThreadPoolExecutor(2) as pool:
        halves = [slice(0, rows), slice(rows, None)]
        above = sum(pool.map(lambda part: _look_up(planes[part], sites, tables, white, out[part]), halves))
    return out, above / samples.size


@kernel(u2[:, :, ::1], i8[:, :, ::1], PLANE, i8, PLANES)
def _look_up(samples, sites, tables, white, out):
    h, w, n = samples.shape
    rows, columns = sites.shape[:2]
    above = 0
    for y in range(h):
        row = y % rows
        for c in range(n):
            for first in range(columns):
                site = sites[row, first, c]
                for x in range(first, w, columns):
                    v = samples[y, x, c]
                    out[y, x, c] = tables[site, v]
                    above += v > white
    return above


def _colour(raw: Any, kind: Kind) -> tuple[tuple[float, ...], tuple[float, ...], tuple[float, ...]]:
    """Balance as shot, under daylight, and the matrix to light of sRGB's primaries."""
    if kind is Kind.BARE:
        return (1.0,) * 3, (1.0,) * 3, IDENTITY
    daylight = _balance(raw.daylight_whitebalance) or (1.0, 1.0, 1.0)
    balance = _balance(raw.camera_whitebalance) or daylight
    matrix = np.asarray(raw.color_matrix, float)[:, :3]
    if not np.isfinite(matrix).all() or abs(np.linalg.det(matrix)) < 1e-3:
        return balance, daylight, IDENTITY
    return balance, daylight, tuple((matrix / matrix.sum(1, keepdims=True)).ravel().tolist())


def _balance(factors: Any) -> tuple[float, ...] | None:
    found = np.asarray(factors, float)[:3]
    if not np.isfinite(found).all() or found.min() <= 0 or found.max() > 100 * found.min():
        return None
    return tuple((found / found.min()).tolist())


def _noise_profile(page: Any) -> tuple[float, float] | None:
    """(gain, read) of a DNG's own noise profile: variance = gain * x + read for x from black 0 to white 1."""
    try:
        tag = page.tags.get(NOISE_PROFILE) or page.parent.pages[0].tags.get(NOISE_PROFILE)
        values = np.asarray(tag.value, float).reshape(-1, 2)
    except (AttributeError, ValueError, TypeError, IndexError):
        return None
    gain, read = values.mean(0)
    fits = np.isfinite(values).all() and 0 < gain < 1 and 0 <= read < 1
    return (float(gain), float(read)) if fits else None


def _exif(data: bytes, raw: Any) -> bytes | None:
    """Exposure facts: those of the file where it is a TIFF structure, else what LibRaw tells."""
    if data[:4] in TIFF_MAGIC:
        try:
            found = ex.parse(data)
        except ex.ExifError:
            found = ex.Exif()
        photo = {t: e for t, e in found.photo.items() if t != MAKER_NOTE}
        main = {t: e for t, e in found.main.items() if t in TRAVELLING}
        if main or photo:
            return ex.build(ex.Exif(found.order, main, photo, found.gps, found.interop))
    about, order = raw.other, "<"
    photo = {}
    said = {ex.EXPOSURE: about.shutter_speed, ex.F_NUMBER: about.aperture, ex.FOCAL: about.focal_length}
    for tag, value in said.items():
        if value and np.isfinite(value) and value > 0:
            photo[tag] = ex.rational_entry(float(value), order)
    if about.iso_speed and 0 < about.iso_speed < 65536:
        photo[ex.ISO] = ex.Exif(order).short(int(about.iso_speed))
    return ex.build(ex.Exif(order, photo=photo)) if photo else None


def _preview(raw: Any, turn: Turn, shape: tuple[int, ...]) -> NDArray[np.uint8] | None:
    """The picture that the camera put beside the samples, turned upright; None without a usable one."""
    import rawpy

    try:
        found = raw.extract_thumb()
        if found.format == rawpy.ThumbFormat.JPEG:
            image: Any = Image.open(io.BytesIO(found.data), formats=["JPEG"])
            image.draft("RGB", (2048, 2048))
            pixels = np.asarray(image.convert("RGB"))
        else:
            pixels = np.asarray(found.data)
    except (rawpy.LibRawError, OSError, ValueError):
        return None
    if pixels.ndim != 3 or pixels.shape[2] != 3 or max(pixels.shape) < LEAST_PREVIEW:
        return None
    pixels = np.ascontiguousarray(turn(pixels), np.uint8)
    (h, w), (height, width) = pixels.shape[:2], shape[:2]
    return pixels if abs(h * width / (w * height) - 1) < SAME_SHAPE else None


RAW = FileFormat(
    name="camera raw",
    suffixes=SUFFIXES,
    depths=(Depth.SIXTEEN,),
    recognise=_recognise,
    read=_read,
)
