"""JPEG and WebP, read and written by Pillow; also the reading of everything else that Pillow decodes to 8 bits."""

from __future__ import annotations

import io
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageCms, ImageFile

from dustpan.core.colour_profile import srgb_profile
from dustpan.core.files.format import Decoded, FileFormat, Unreadable, check_size
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


def _read(format: str, data: bytes) -> Decoded:
    image = open_checked(data, format)
    tables = getattr(image, "quantization", None) or {}
    if getattr(image, "n_frames", 1) > 1:
        image.seek(0)
    image.load()
    samples, metadata, notices = samples_of(image, metadata_of(image))
    if getattr(image, "n_frames", 1) > 1:
        notices = (*notices, say("It holds several frames; only the first was opened."))
    return Decoded(samples, Depth.EIGHT, metadata, {k: tuple(v) for k, v in tables.items()}, notices)


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
    read=lambda data: _read("JPEG", data),
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
    read=lambda data: _read("WEBP", data),
    write=_write_webp,
    lossy=True,
    largest_side=16383,
)
