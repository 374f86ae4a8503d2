"""JPEG XL (ISO/IEC 18181): read at any depth, written with 8 bits.

Pixels go through imagecodecs, and boxes with metadata are put round them here. The encoder says of 8 bits that they are
sRGB, and of more that they are in proportion to light, and it writes no profiles. So 8 bits are written, and colours of
another profile are brought into sRGB before.
"""

from __future__ import annotations

import io
import struct
from typing import Any, BinaryIO

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from dustpan.core.colour_profile import needs_conversion, to_screen_fine
from dustpan.core.files.format import Decoded, FileFormat, Opening, Unreadable, check_size
from dustpan.core.picture import Depth, Metadata

BARE = b"\xff\x0a"
SIGNATURE = b"\x00\x00\x00\x0cJXL \x0d\x0a\x87\x0a"
FILE_TYPE = b"\x00\x00\x00\x14ftypjxl \x00\x00\x00\x00jxl "
LOSSLESS_FROM = 100


def _read(data: bytes, wish: Opening) -> Decoded:
    import pillow_jxl  # noqa: F401  it adds its decoder to Pillow, which tells size and profile

    image = Image.open(io.BytesIO(data), formats=["JXL"])
    check_size(image.height, image.width)
    samples = imagecodecs.jpegxl_decode(data)
    samples = samples[..., None] if samples.ndim == 2 else samples
    if samples.ndim != 3 or samples.shape[2] not in (1, 2, 3, 4):
        raise Unreadable("it is not one flat picture (its samples have the shape {0})", samples.shape)
    depth = {"uint8": Depth.EIGHT, "uint16": Depth.SIXTEEN}.get(samples.dtype.name, Depth.FLOAT)
    exif, xmp = _box(data, b"Exif"), _box(data, b"xml ")
    about: dict[Any, Any] = image.info
    return Decoded(samples, depth, Metadata(about.get("icc_profile") or None, exif[4:] if exif else None, xmp))


def _box(data: bytes, name: bytes) -> bytes | None:
    """The content of the first box of that name; None without one."""
    at = 0 if data.startswith(SIGNATURE) else len(data)
    while at + 8 <= len(data):
        length, kind = struct.unpack_from(">I4s", data, at)
        head = 8
        if length == 1 and at + 16 <= len(data):
            (length,) = struct.unpack_from(">Q", data, at + 8)
            head = 16
        length = length or len(data) - at
        if length < head:
            return None
        if kind == name:
            return data[at + head : at + length] or None
        at += length
    return None


def _write(file: BinaryIO, samples: NDArray, depth: Depth, metadata: Metadata, quality: int) -> None:
    if metadata.icc and needs_conversion(metadata.icc):
        top = np.float32(depth.top)
        colours = samples[..., :3] if samples.shape[2] >= 3 else samples[..., :1]
        shown = np.rint(to_screen_fine(np.asarray(colours / top, np.float32), metadata.icc) * top).astype(samples.dtype)
        samples = np.concatenate([shown, samples[..., colours.shape[2] :]], 2)
    lossless = quality >= LOSSLESS_FROM
    distance = None if lossless else (100 - quality) / 10 + 0.1
    flat = np.ascontiguousarray(samples[..., 0] if samples.shape[2] == 1 else samples)
    code = bytes(imagecodecs.jpegxl_encode(flat, lossless=lossless, distance=distance, effort=5))
    head, rest = SIGNATURE + FILE_TYPE, _boxed(b"jxlc", code)
    if code.startswith(SIGNATURE):  # the encoder has put boxes round it, such as the level of more than 8 bits
        head, rest = code[: len(head)], code[len(head) :]
    file.write(head)
    if metadata.exif:
        file.write(_boxed(b"Exif", b"\0\0\0\0" + metadata.exif))
    if metadata.xmp:
        file.write(_boxed(b"xml ", metadata.xmp))
    file.write(rest)


def _boxed(name: bytes, content: bytes) -> bytes:
    return struct.pack(">I4s", len(content) + 8, name) + content


JPEG_XL = FileFormat(
    name="JPEG XL",
    suffixes=(".jxl",),
    depths=(Depth.EIGHT,),
    recognise=lambda data, suffix: data.startswith((BARE, SIGNATURE)),
    read=_read,
    write=_write,
    lossy=True,
)
