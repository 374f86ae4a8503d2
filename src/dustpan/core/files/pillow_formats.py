"""JPEG, WebP and AVIF, read and written by Pillow, and HEIC; also the reading of all else that Pillow decodes."""

from __future__ import annotations

import io
import struct
import warnings
from dataclasses import replace
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageCms, ImageFile

from dustpan.core.colour_profile import srgb_profile
from dustpan.core.files import exif as ex
from dustpan.core.files.format import Decoded, FileFormat, Opening, Unreadable, check_size
from dustpan.core.language import say
from dustpan.core.picture import Depth, Metadata

LARGEST_STREAM = 4  # bytes that an encoded sample takes at most
Image.MAX_IMAGE_PIXELS = None  # `check_size` refuses before anything is unpacked, with a sentence of our own


def open_checked(data: bytes, format: str) -> Image.Image:
    image = Image.open(io.BytesIO(data), formats=[format])
    check_size(image.height, image.width)
    return image


def metadata_of(image: Image.Image) -> Metadata:
    """ICC, EXIF and XMP blocks as Pillow hands them over."""
    info: dict[Any, Any] = image.info
    xmp = info.get("xmp") or info.get("XML:com.adobe.xmp")
    if isinstance(xmp, str):
        xmp = xmp.encode("utf-8")
    exif = info.get("exif") or None
    if exif and exif.startswith(b"Exif\0\0"):
        exif = exif[6:]
    return Metadata(icc=info.get("icc_profile") or None, exif=exif, xmp=xmp or None)


PLAIN = {  # what each of Pillow's modes is opened as
    "L": "L", "LA": "LA", "RGB": "RGB", "RGBA": "RGBA", "1": "L", "La": "LA", "PA": "RGBA", "RGBa": "RGBA",
    "RGBX": "RGB", "YCbCr": "RGB", "HSV": "RGB", "LAB": "RGB", "P": "RGB", "CMYK": "RGB",
}  # fmt: skip
WITH_ALPHA = {"L": "LA", "RGB": "RGBA"}


def samples_of(image: Image.Image, metadata: Metadata) -> tuple[NDArray, Metadata, tuple[str, ...]]:
    """8-bit samples (H, W, C), with palettes unfolded and CMYK converted through its profile."""
    notices: tuple[str, ...] = ()
    mode = _plain_mode(image)
    if image.mode == "CMYK":
        image, metadata = _from_cmyk(image, metadata)
        notices = (say("CMYK colours were converted to sRGB through the picture's own profile."),)
    array = np.asarray(image if image.mode == mode else image.convert(mode))
    return (array[..., None] if array.ndim == 2 else array), metadata, notices


def _plain_mode(image: Image.Image) -> str:
    """Grey or RGB, with alpha where the picture has some."""
    mode = PLAIN.get(image.mode)
    if mode is None:
        raise Unreadable("its samples ({0}) are of a kind that Dustpan does not open", image.mode)
    see_through = "transparency" in image.info and image.mode in ("P", "1", "L", "RGB")
    return WITH_ALPHA[mode] if see_through else mode


def _from_cmyk(image: Image.Image, metadata: Metadata) -> tuple[Image.Image, Metadata]:
    if not metadata.icc:
        raise Unreadable("it is CMYK without a colour profile, so its colours are not defined; convert it to RGB first")
    source = ImageCms.ImageCmsProfile(io.BytesIO(metadata.icc))
    target = ImageCms.ImageCmsProfile(io.BytesIO(srgb_profile()))
    try:
        converted = ImageCms.profileToProfile(image, source, target, outputMode="RGB")
    except ImageCms.PyCMSError:
        raise Unreadable("it is CMYK with a damaged colour profile; convert it to RGB first") from None
    assert converted is not None
    return converted, Metadata(icc=srgb_profile(), exif=metadata.exif, xmp=metadata.xmp)


def _sampling(image: Image.Image) -> tuple[int, int] | None:
    """How much smaller a JPEG's colours are stored, down and across; None where it holds none."""
    layers: list[tuple[int, int, int, int]] = getattr(image, "layer", [])
    if len(layers) != 3:
        return None
    (_, across, down, _), (_, less_across, less_down, _) = layers[:2]
    return down // less_down, across // less_across


def _read(format: str, data: bytes) -> Decoded:
    image = open_checked(data, format)
    tables = getattr(image, "quantization", None) or {}
    sampling = _sampling(image)
    if getattr(image, "n_frames", 1) > 1:
        image.seek(0)
    image.load()
    samples, metadata, notices = samples_of(image, metadata_of(image))
    if getattr(image, "n_frames", 1) > 1:
        notices = (*notices, say("It holds several frames; only the first was opened."))
    stored = {k: tuple(v) for k, v in tables.items()}
    return Decoded(samples, Depth.EIGHT, metadata, stored, notices, sampling=sampling)


def _saved(file: BinaryIO, samples: NDArray, format: str, metadata: Metadata, **options: Any) -> None:
    image = Image.fromarray(samples[..., 0] if samples.shape[2] == 1 else samples)
    if metadata.exif:
        options["exif"] = b"Exif\0\0" + metadata.exif
    if metadata.xmp:
        options["xmp"] = metadata.xmp
    if metadata.icc:
        options["icc_profile"] = metadata.icc
    ImageFile.MAXBLOCK = max(ImageFile.MAXBLOCK, LARGEST_STREAM * samples.size)  # noise at quality 100 needs so much
    held = io.BytesIO()  # the encoder may seek and retry; the file gets finished bytes only
    image.save(held, format, **options)
    file.write(held.getvalue())


def _write_jpeg(file: BinaryIO, samples: NDArray, depth: Depth, metadata: Metadata, quality: int) -> None:
    subsampling = 0 if quality >= 90 else 2
    kept = metadata
    if metadata.exif and len(metadata.exif) > 65000:  # one JPEG segment cannot hold more
        raise ValueError("its EXIF block is larger than a JPEG can hold")
    if metadata.xmp and len(metadata.xmp) > 65000:
        raise ValueError("its XMP block is larger than a JPEG can hold")
    _saved(file, samples, "JPEG", kept, quality=quality, subsampling=subsampling, optimize=True)


def _write_webp(file: BinaryIO, samples: NDArray, depth: Depth, metadata: Metadata, quality: int) -> None:
    if samples.shape[2] < 3:
        samples = np.concatenate([np.repeat(samples[..., :1], 3, 2), samples[..., 1:]], 2)
    _saved(file, samples, "WEBP", metadata, lossless=quality == 100, quality=quality, method=4, exact=True)


JPEG = FileFormat(
    name="JPEG",
    suffixes=(".jpg", ".jpeg"),
    depths=(Depth.EIGHT,),
    recognise=lambda head, suffix: head.startswith(b"\xff\xd8\xff"),
    read=lambda data, wish: _read("JPEG", data),
    write=_write_jpeg,
    lossy=True,
    alpha=False,
    largest_side=65500,
)

WEBP = FileFormat(
    name="WebP",
    suffixes=(".webp",),
    depths=(Depth.EIGHT,),
    recognise=lambda head, suffix: head.startswith(b"RIFF") and head[8:12] == b"WEBP",
    read=lambda data, wish: _read("WEBP", data),
    write=_write_webp,
    lossy=True,
    largest_side=16383,
)


def _write_avif(file: BinaryIO, samples: NDArray, depth: Depth, metadata: Metadata, quality: int) -> None:
    if samples.shape[2] < 3:
        samples = np.concatenate([np.repeat(samples[..., :1], 3, 2), samples[..., 1:]], 2)
    if metadata.exif and not _sound(metadata.exif):  # the writer reads it, and refuses one that is damaged
        metadata = replace(metadata, exif=None)
    _saved(file, samples, "AVIF", metadata, quality=quality, subsampling="4:4:4" if quality >= 90 else "4:2:0")


def _sound(exif: bytes) -> bool:
    """Whether Pillow can read an EXIF block."""
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        try:
            Image.Exif().load(exif)
        except (OSError, SyntaxError, ValueError, struct.error, UserWarning, KeyError, TypeError):
            return False
    return True


def _brand(data: bytes) -> bytes:
    """The names in the file type box of an ISO media file (ISO/IEC 14496-12)."""
    length = min(int.from_bytes(data[:4], "big"), 256)
    return data[8:length] if data[4:8] == b"ftyp" else b""


def _read_heic(data: bytes, wish: Opening) -> Decoded:
    import pillow_heif

    found = pillow_heif.open_heif(io.BytesIO(data), convert_hdr_to_8bit=False)
    check_size(found.size[1], found.size[0])
    samples = np.asarray(found)
    bits = found.info.get("bit_depth", 8)
    if samples.dtype == np.uint16 and samples.max(initial=0) < 1 << bits:
        samples = (samples.astype(np.uint32) * 65535 // ((1 << bits) - 1)).astype(np.uint16)
    exif, xmp = found.info.get("exif"), found.info.get("xmp")
    about = Metadata(found.info.get("icc_profile"), exif[6:] if exif and exif.startswith(b"Exif\0\0") else exif, xmp)
    about = _upright_already(about)
    depth = Depth.SIXTEEN if samples.dtype == np.uint16 else Depth.EIGHT
    return Decoded(samples[..., None] if samples.ndim == 2 else samples, depth, about)


def _upright_already(metadata: Metadata) -> Metadata:
    """The decoder has turned the pixels as the container says; the orientation in EXIF is for information only."""
    try:
        parsed = ex.parse(metadata.exif or b"")
    except ex.ExifError:
        return metadata
    main = {**parsed.main, ex.ORIENTATION: parsed.short(1)} if ex.ORIENTATION in parsed.main else parsed.main
    return Metadata(metadata.icc, ex.build(replace(parsed, main=main)), metadata.xmp)


def _read_avif(data: bytes, wish: Opening) -> Decoded:
    found = _read("AVIF", data)
    return replace(found, metadata=_upright_already(found.metadata))


AVIF = FileFormat(
    name="AVIF",
    suffixes=(".avif",),
    depths=(Depth.EIGHT,),
    recognise=lambda data, suffix: b"avif" in _brand(data) or b"avis" in _brand(data),
    read=_read_avif,
    write=_write_avif,
    lossy=True,
    largest_side=65535,
)

HEIC = FileFormat(
    name="HEIC",
    suffixes=(".heic", ".heif"),
    depths=(Depth.EIGHT,),
    recognise=lambda data, suffix: any(b in _brand(data) for b in (b"heic", b"heix", b"heim", b"mif1", b"msf1")),
    read=_read_heic,
)
