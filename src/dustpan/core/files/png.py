"""PNG with 8 and 16 bits. Metadata chunks are put in by hand, as the encoder writes none (PNG, third edition, W3C)."""

from __future__ import annotations

import struct
import zlib
from typing import BinaryIO

import imagecodecs
import numpy as np
from numpy.typing import NDArray

from dustpan.core.files.format import Decoded, FileFormat, Opening, Unreadable, check_size
from dustpan.core.files.pillow_formats import metadata_of, open_checked, samples_of
from dustpan.core.picture import Depth, Metadata

SIGNATURE = b"\x89PNG\r\n\x1a\n"
XMP_KEYWORD = b"XML:com.adobe.xmp"


def _read(data: bytes, wish: Opening) -> Decoded:
    if len(data) < 33 or data[12:16] != b"IHDR":
        raise Unreadable("the PNG file is cut off within its first bytes")
    width, height, bits = struct.unpack(">IIB", data[16:25])
    check_size(height, width)
    image = open_checked(data, "PNG")
    if bits < 16:
        image.load()
        samples, metadata, notices = samples_of(image, metadata_of(image))
        return Decoded(samples, Depth.EIGHT, metadata, notices=notices)
    samples = imagecodecs.png_decode(data)
    image.load()  # chunks after the pixels
    samples = samples[..., None] if samples.ndim == 2 else samples
    if samples.dtype != np.uint16:
        raise Unreadable("its 16-bit samples cannot be read")
    return Decoded(samples, Depth.SIXTEEN, metadata_of(image))


def _chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))


def _write(file: BinaryIO, samples: NDArray, depth: Depth, metadata: Metadata, quality: int) -> None:
    encoded = imagecodecs.png_encode(
        np.ascontiguousarray(samples[..., 0] if samples.shape[2] == 1 else samples), level=6
    )
    after_header = len(SIGNATURE) + 25
    chunks = b""
    if metadata.icc:
        chunks += _chunk(b"iCCP", b"icc\0\0" + zlib.compress(metadata.icc))
    if metadata.exif:
        chunks += _chunk(b"eXIf", metadata.exif)
    if metadata.xmp:
        chunks += _chunk(b"iTXt", XMP_KEYWORD + b"\0\0\0\0\0" + metadata.xmp)
    file.write(encoded[:after_header] + chunks + encoded[after_header:])


PNG = FileFormat(
    name="PNG",
    suffixes=(".png",),
    depths=(Depth.EIGHT, Depth.SIXTEEN),
    recognise=lambda head, suffix: head.startswith(SIGNATURE),
    read=_read,
    write=_write,
)
