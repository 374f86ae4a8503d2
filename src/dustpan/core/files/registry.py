"""The registry of file formats. A file's content decides how it is read, its name how it is written."""

from __future__ import annotations

import io
import warnings
import zlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import BinaryIO

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from dustpan.core.colour_profile import (
    linear_grey_profile,
    linear_profile,
    profile_curve,
    srgb_profile,
    to_screen,
    to_screen_fine,
)
from dustpan.core.curve import LINEAR, SRGB, Curve, Scale
from dustpan.core.errors import Cancelled, DustpanError, FileProblem, WrongUse
from dustpan.core.files import exif as ex
from dustpan.core.files.atomic import write_atomically
from dustpan.core.files.exr import EXR
from dustpan.core.files.fits import FITS
from dustpan.core.files.format import Decoded, ExportOptions, FileFormat, Opening, Unreadable
from dustpan.core.files.jpeg_xl import JPEG_XL
from dustpan.core.files.pillow_formats import AVIF, HEIC, JPEG, WEBP
from dustpan.core.files.png import PNG
from dustpan.core.files.raw import RAW
from dustpan.core.files.reading import read_regular
from dustpan.core.files.tiff import TIFF
from dustpan.core.language import say
from dustpan.core.picture import Depth, Kind, Metadata, Picture, Sensor, Source, to_samples

FORMATS: tuple[FileFormat, ...] = (  # the most specific first
    RAW, JPEG, PNG, TIFF, WEBP, FITS, EXR, AVIF, HEIC, JPEG_XL,
)  # fmt: skip
THUMB = 160
LARGEST_FILE = 8 << 30  # bytes
EXPOSURE_KEYS = ("EXPTIME", "EXPOSURE")  # of a FITS header, in seconds


def writable() -> tuple[FileFormat, ...]:
    """The formats that can be written."""
    return tuple(f for f in FORMATS if f.write is not None)


def format_of(path: Path) -> FileFormat:
    """The format that a name asks for when writing."""
    for f in writable():
        if path.suffix.lower() in f.suffixes:
            return f
    known = ", ".join(s for f in writable() for s in f.suffixes)
    raise FileProblem(path, "its ending says no format that can be written; use one of {0}", known)


def open_picture(path: str | Path, opening: Opening | None = None, check: Callable[[], None] = lambda: None) -> Picture:
    """Read a picture.

    Parameters
    ----------
    opening : what was chosen about how it is opened; what its file says when left out.
    check : called while the file is read, and before and after it is decoded; raises to call it off.

    Returns
    -------
    Picture, upright, with its metadata. ``notices`` tells what had to be done to it.

    Raises
    ------
    FileProblem : one sentence with the file's name, whatever is wrong with the file.
    """
    found, decoded = _decoded(Path(path), opening, check)
    return _picture(Path(path), found, decoded, opening.scene_linear if opening else None)


@dataclass(frozen=True, eq=False)
class Samples:
    """What a file's samples say of light, before any of it is encoded.

    Attributes
    ----------
    light : (H, W, C) float32 in proportion to light: in the file's own units where it has some, 0 to 1 elsewhere.
    kind, sensor : as of a picture. full : the value of light at which samples are full; None where no format says it.
    exposure : seconds, as the file says; None where it does not. taken : when, as text that can be put in order.
    """

    light: NDArray[np.float32]
    kind: Kind
    sensor: Sensor | None
    full: float | None
    exposure: float | None
    taken: str


def read_samples(path: str | Path, opening: Opening | None = None, check: Callable[[], None] = lambda: None) -> Samples:
    """Read a file's samples as light, without what is only needed to work on one picture.

    Raises
    ------
    FileProblem : as `open_picture` does.
    """
    path = Path(path)
    _, decoded = _decoded(path, opening, check)
    values, _ = _values(decoded, path)
    metadata = decoded.metadata
    exposure, taken = _when(decoded)
    if metadata.exif and not decoded.encoded:
        values, metadata = _upright(values, metadata)
    values = np.ascontiguousarray(values[..., : 1 if values.shape[2] < 3 else 3])
    kind = decoded.kind or (Kind.RGB if values.shape[2] == 3 else Kind.MONO)
    curve, scale = (SRGB, None) if decoded.encoded else _curve(decoded, opening.scene_linear if opening else None)
    full: float | None = None
    if scale is None:
        values, full = np.asarray(curve.decode(values), np.float32), 1.0
    elif decoded.origin is not None and decoded.sensor is not None:
        full = decoded.sensor.white[0]
    return Samples(values, kind, decoded.sensor, full, exposure, taken)


def _when(decoded: Decoded) -> tuple[float | None, str]:
    """How long and when a file's samples were exposed, as far as it says so."""
    header = getattr(decoded.origin, "header", None)
    if header is not None:
        said = next((header[k] for k in EXPOSURE_KEYS if k in header), None)
        seconds = float(said) if isinstance(said, int | float) and not isinstance(said, bool) else 0.0
        return (seconds if 0 < seconds < 1e7 else None), str(header.get("DATE-OBS", ""))
    try:
        parsed = ex.parse(decoded.metadata.exif or b"")
    except ex.ExifError:
        return None, ""
    return parsed.number(ex.EXPOSURE), parsed.text(ex.TAKEN)


def _decoded(path: Path, opening: Opening | None, check: Callable[[], None]) -> tuple[FileFormat, Decoded]:
    wish = replace(opening or Opening(), path=path)
    data = read_regular(path, LARGEST_FILE, check=check)
    if not data:
        raise FileProblem(path, "it is empty")
    suffix = path.suffix.lower()
    found = next((f for f in FORMATS if f.recognise(data, suffix)), None)
    if found is None:
        names = ", ".join(f.name for f in FORMATS)
        raise FileProblem(path, "it is no picture that Dustpan can open ({0})", names)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            decoded = found.read(data, wish)
            check()
    except Cancelled:
        raise
    except Unreadable as error:
        raise FileProblem(path, str(error)) from None
    except MemoryError:
        raise FileProblem(path, "it needs more memory than there is") from None
    except Exception:
        # decoders report damage in a hundred ways; the person can act on none of them but this
        raise FileProblem(path, "the {0} file is damaged or cut off and cannot be read", found.name) from None
    return found, decoded


def _picture(path: Path, found: FileFormat, decoded: Decoded, scene_linear: bool | None) -> Picture:
    notices = list(decoded.notices)
    values, mended = _values(decoded, path)
    if mended:
        words = "{0} samples of {1} were not numbers; they were filled from their neighbours."
        notices.append(say(words, mended, path.name))
    metadata = decoded.metadata
    if metadata.exif and not decoded.encoded:
        values, metadata = _upright(values, metadata)
    planes = dict(decoded.planes)
    if values.shape[2] in (2, 4):
        planes["alpha"] = np.ascontiguousarray(values[..., -1])
        values = values[..., :-1]
    values = np.ascontiguousarray(values)
    source = Source(
        path.absolute(), found.name, decoded.quantisation or {},
        decoded.words, decoded.origin, decoded.part, decoded.parts, decoded.sampling, decoded.layers,
    )  # fmt: skip
    curve, scale = (SRGB, None) if decoded.encoded else _curve(decoded, scene_linear)
    stored = decoded.stored
    if stored is None and scale is not None and decoded.depth is Depth.FLOAT:
        stored = values
    return Picture(
        values if scale is None else scale.encoded(values, curve),
        decoded.kind or (Kind.RGB if values.shape[2] == 3 else Kind.MONO),
        decoded.depth,
        planes,
        metadata,
        source,
        tuple(notices),
        curve,
        scale,
        stored,
        decoded.sensor,
        decoded.valid,
        decoded.preview,
    )


def _values(decoded: Decoded, path: Path) -> tuple[NDArray[np.float32], int]:
    """Samples as float32, those of whole numbers from 0 to 1; and how many of them had to be mended."""
    samples = decoded.samples
    if decoded.scale is None and samples.dtype in (np.uint8, np.uint16):
        return samples.astype(np.float32) / np.float32(np.iinfo(samples.dtype).max), 0
    values = samples.astype(np.float32, copy=False)
    return (values, 0) if decoded.encoded or decoded.valid is not None else _finite(values, path)


def _curve(decoded: Decoded, scene_linear: bool | None) -> tuple[Curve, Scale | None]:
    """The curve of the encoded values, and the scale of a scene-linear file."""
    own = decoded.curve or (profile_curve(decoded.metadata.icc) if decoded.metadata.icc else SRGB)
    linear = own == LINEAR if scene_linear is None else scene_linear
    if decoded.scale is not None or linear:
        return SRGB, decoded.scale or Scale()
    return (SRGB if own == LINEAR else own), None


def _finite(values: NDArray[np.float32], path: Path) -> tuple[NDArray[np.float32], int]:
    bad = ~np.isfinite(values)
    count = int(bad.sum())
    if count == 0:
        return values, 0
    if count > bad.size // 4:
        raise FileProblem(path, "most of its samples are not numbers")
    from scipy import ndimage as ndi

    out = values.copy()
    for c in range(values.shape[2]):
        if bad[..., c].any():
            nearest = ndi.distance_transform_edt(bad[..., c], return_distances=False, return_indices=True)
            out[..., c] = values[..., c][tuple(nearest)]
    return out, count


_TURNS: dict[int, Callable[[NDArray], NDArray]] = {
    2: lambda a: a[:, ::-1],
    3: lambda a: a[::-1, ::-1],
    4: lambda a: a[::-1],
    5: lambda a: a.transpose(1, 0, 2),
    6: lambda a: a.transpose(1, 0, 2)[:, ::-1],
    7: lambda a: a.transpose(1, 0, 2)[::-1, ::-1],
    8: lambda a: a.transpose(1, 0, 2)[::-1],
}


def _upright(values: NDArray, metadata: Metadata) -> tuple[NDArray, Metadata]:
    try:
        parsed = ex.parse(metadata.exif or b"")
    except ex.ExifError:
        return values, metadata
    turn = _TURNS.get(parsed.orientation)
    if turn is None:
        return values, metadata
    values = np.ascontiguousarray(turn(values))
    return values, replace(metadata, exif=ex.build(ex.turned_upright(parsed, values.shape[:2])))


def keeps_samples(picture: Picture, path: Path) -> bool:
    """Whether a file of this name can hold a sensor's samples as they are: one of the format that they came from."""
    found = next((f for f in writable() if path.suffix.lower() in f.suffixes), None)
    own = found is not None and found.samples and picture.source.format == found.name
    return own and picture.source.origin is not None


def save_picture(
    picture: Picture,
    path: str | Path,
    options: ExportOptions | None = None,
    check: Callable[[], None] | None = None,
    replaces: tuple[str | Path, ...] = (),
    expects: str | None = None,
) -> None:
    """Write a picture atomically in the format that the name asks for.

    ``check`` is called when all is written but not yet in place; what it raises leaves the target as it was.
    ``replaces``, ``expects`` : see `write_atomically`.

    Raises
    ------
    FileProblem : the format is unknown, cannot hold the picture, or the disk refuses.
    """
    path, options = Path(path), options or ExportOptions()
    target = format_of(path)
    if picture.kind.of_sensor and not keeps_samples(picture, path):
        raise FileProblem(path, "the picture has not been developed; add the step Develop")
    depth = best_depth(target, options.depth) if options.depth else usual_depth(target, picture)
    if options.depth and depth is not options.depth:
        raise FileProblem(path, "{0} cannot hold {1}", target.name, _depth_name(options.depth))
    if max(picture.size) > target.largest_side:
        raise FileProblem(path, "{0} holds at most {1} px a side; choose TIFF or PNG", target.name, target.largest_side)
    if not 1 <= options.quality <= 100:
        raise WrongUse("Quality goes from 1 to 100.")

    def write(file: BinaryIO) -> None:
        try:
            if not _rewritten(file, picture, target, depth, options):
                _write(file, picture, target, depth, options)
        except (OSError, DustpanError):
            raise
        except (ValueError, RuntimeError, TypeError, zlib.error) as error:
            raise FileProblem(path, "the {0} writer refused it ({1})", target.name, error) from None
        if check:
            check()

    write_atomically(path, write, replaces, expects=expects)


def _rewritten(file: BinaryIO, picture: Picture, target: FileFormat, depth: Depth, options: ExportOptions) -> bool:
    """Write a picture as its own file had it, where it comes from this format; whether that was done."""
    if target.rewrite is None or picture.source.format != target.name or picture.source.origin is None:
        return False
    return target.rewrite(file, picture, options.depth or picture.depth, options.history)


def _write(file: BinaryIO, picture: Picture, target: FileFormat, depth: Depth, options: ExportOptions) -> None:
    values, metadata = _as_written(picture, target, depth, options.as_shown)
    alpha = picture.planes.get("alpha")
    if alpha is not None and target.alpha:
        values = np.concatenate([values, alpha[..., None]], 2)
    assert target.write is not None
    target.write(file, to_samples(values, depth), depth, metadata, options.quality)


def _as_written(picture: Picture, target: FileFormat, depth: Depth, as_shown: bool = False) -> tuple[NDArray, Metadata]:
    """Values as they are written, and the metadata that goes with them.

    Scene-linear values that have to fit into fewer bits than they came in, or into a file that does not say what they
    are, become sRGB ones: linear steps would be far too coarse in the dark. Those of a sky stay in proportion to
    light, in counts of their own where these fit, unless they shall be as they are ``as_shown``.
    """
    metadata = with_new_thumbnail(picture)
    if stays_in_proportion(picture, target, depth) and not as_shown:
        icc = linear_profile() if picture.kind is Kind.RGB else linear_grey_profile()
        return in_proportion(picture.as_stored(), depth), replace(metadata, icc=icc)
    if target.linear:
        light = picture.curve.decode(np.asarray(picture.pixels, np.float64))
        return np.asarray(light, np.float32), metadata
    if picture.scale is None or (depth is picture.depth and picture.source.origin is None):
        return picture.as_stored(), metadata
    if metadata.icc is None:
        return picture.pixels, metadata
    shown = to_screen_fine(picture.for_screen(), metadata.icc)
    if picture.kind is not Kind.RGB:
        return shown[..., 1:2], replace(metadata, icc=None)
    return shown, replace(metadata, icc=srgb_profile())


def stays_in_proportion(picture: Picture, target: FileFormat, depth: Depth) -> bool:
    """Whether a picture comes from counts of light and goes where they stay in proportion to it.

    Developed for other primaries than sRGB's it is a picture to be seen, and written as one.
    """
    known = picture.metadata.icc in (None, srgb_profile())
    return picture.source.format == FITS.name and known and not target.linear and depth is not Depth.EIGHT


def in_proportion(stored: NDArray, depth: Depth) -> NDArray[np.float32]:
    """Values of light 0 to 1 as a file of this depth holds them: counts that fit as they are, others made to fit.

    Examples
    --------
    >>> in_proportion(np.array([0.0, 65535.0, 10.0]), Depth.SIXTEEN)[1]
    np.float32(1.0)
    """
    values = np.nan_to_num(np.asarray(stored, np.float64))
    if depth is Depth.FLOAT:
        return values.astype(np.float32)
    top, highest = float(values.max(initial=0.0)), float(depth.top)
    scale = 1.0 if 1 < top <= highest else highest if 0 < top <= 1 else highest / max(top, 1e-30)
    return np.asarray(np.maximum(values, 0) * scale / highest, np.float32)


def best_depth(target: FileFormat, wanted: Depth) -> Depth:
    """The depth that comes nearest to the wanted one."""
    if wanted in target.depths:
        return wanted
    return target.depths[-1] if wanted is Depth.FLOAT else target.depths[0]


def usual_depth(target: FileFormat, picture: Picture) -> Depth:
    """The depth that a picture is written with where none is asked for.

    That of its own file; 16 bits of one with 8 that changes to a format that holds more, for what was cleaned has steps
    in between.
    """
    more = picture.source.format and picture.source.format != target.name and Depth.SIXTEEN in target.depths
    return Depth.SIXTEEN if picture.depth is Depth.EIGHT and more else best_depth(target, picture.depth)


def _depth_name(depth: Depth) -> str:
    return say("float values") if depth is Depth.FLOAT else say("{0} bits", depth.value)


def with_new_thumbnail(picture: Picture) -> Metadata:
    """The metadata with an embedded thumbnail, where there is one, made from these pixels."""
    metadata = picture.metadata
    if not metadata.exif:
        return metadata
    try:
        parsed = ex.parse(metadata.exif)
    except ex.ExifError:
        return metadata
    if not parsed.thumbnail:
        return metadata
    h, w = picture.size
    step = max(1, min(h, w) // (2 * THUMB))
    small = to_screen(picture.for_screen(picture.pixels[::step, ::step]), metadata.icc)
    image = Image.fromarray(small)
    image.thumbnail((THUMB, THUMB), Image.Resampling.BOX)
    held = io.BytesIO()
    image.save(held, "JPEG", quality=85)
    thumb = {k: v for k, v in parsed.thumb.items() if k not in (0x0100, 0x0101)}
    return replace(metadata, exif=ex.build(replace(parsed, thumb=thumb, thumbnail=held.getvalue())))
