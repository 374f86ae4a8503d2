"""TIFF with 8 and 16 bits and 32-bit float; strips and tiles, the usual compressions (TIFF 6.0 and its supplements)."""

from __future__ import annotations

import io
import struct
from itertools import islice
from typing import Any, BinaryIO

import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image

from dustpan.core.files import exif as ex
from dustpan.core.files.format import Decoded, FileFormat, Opening, Unreadable, check_size
from dustpan.core.files.pillow_formats import samples_of
from dustpan.core.language import say
from dustpan.core.picture import Depth, Metadata

ICC, XMP = 34675, 700
MOST_PAGES = 1000  # that are looked at
# tags that describe how the samples are stored; they belong to one file and do not travel
LAYOUT = {
    254, 255, 256, 257, 258, 259, 262, 266, 273, 277, 278, 279, 284, 296, 282, 283, 317, 320, 322, 323, 324, 325, 330,
    338, 339, 340, 341, 347, 512, 513, 514, 529, 530, 531, 532, ICC, XMP,
}  # fmt: skip
PLACEHOLDER = {ex.EXIF_IFD: 65010, ex.GPS_IFD: 65011}


def _read(data: bytes, wish: Opening) -> Decoded:
    with tifffile.TiffFile(io.BytesIO(data)) as tif:
        first = list(islice(tif.pages, MOST_PAGES))
        pages: list[Any] = [p for p in first if not getattr(p, "is_reduced", False)] or [tif.pages[0]]
        part = wish.part or 1
        if part > len(pages):
            raise Unreadable("it has {0} pages, so there is no page {1}", len(pages), part)
        page: Any = pages[part - 1]
        check_size(page.imagelength, page.imagewidth)
        _check_segments(page, len(data))
        samples = _samples(page)
        notices = []
        names = tuple(say("page {0}, {1} × {2} px", n, p.imagewidth, p.imagelength) for n, p in enumerate(pages, 1))
        if len(pages) > 1 and wish.part is None:
            notices.append(say("It holds {0} pages; the first was opened.", len(pages)))
        if samples.dtype == np.float64:
            notices.append(say("64-bit float values were rounded to 32 bits."))
    samples, metadata, more = _colours(page, samples, _metadata(page, data))
    depth = {"uint8": Depth.EIGHT, "uint16": Depth.SIXTEEN}.get(samples.dtype.name, Depth.FLOAT)
    parts: dict[str, Any] = {"part": part, "parts": names} if len(names) > 1 else {}
    return Decoded(samples, depth, metadata, notices=(*notices, *more), **parts)


def _check_segments(page: Any, length: int) -> None:
    """A cut-off file leaves strips that end past its end; decoders fill them with black without a word."""
    for at, count in zip(page.dataoffsets, page.databytecounts, strict=False):
        if at + count > length:
            raise Unreadable("the TIFF file is cut off: part of its pixels is missing")
    if not page.dataoffsets:
        raise Unreadable("the TIFF file holds no pixels")


def _samples(page: Any) -> NDArray:
    samples = page.asarray()
    if samples.ndim == 2:
        samples = samples[..., None]
    elif samples.ndim == 3 and page.planarconfig == 2:
        samples = np.moveaxis(samples, 0, -1)
    if samples.ndim != 3:
        raise Unreadable("it is not one flat picture (its samples have the shape {0})", samples.shape)
    if samples.dtype == bool:
        samples = samples.astype(np.uint8) * np.uint8(255)
    if samples.dtype.kind == "u" and samples.dtype.itemsize <= 2 and page.bitspersample not in (1, 8, 16):
        top = 2**page.bitspersample - 1
        wide = samples.astype(np.uint32) * 65535 // top
        samples = wide.astype(np.uint16)
    if samples.dtype.kind not in "uf" or (samples.dtype.kind == "u" and samples.dtype.itemsize > 2):
        raise Unreadable("its samples ({0}) are of a kind that Dustpan does not open", samples.dtype.name)
    return samples


def _colours(page: Any, samples: NDArray, metadata: Metadata) -> tuple[NDArray, Metadata, tuple[str, ...]]:
    name = page.photometric.name if page.photometric is not None else "MINISBLACK"
    n = samples.shape[2]
    if name == "PALETTE":
        table = np.asarray(page.colormap, np.uint16)
        return table.T[samples[..., 0]], metadata, ()
    if name == "MINISWHITE" and samples.dtype.kind == "u":
        samples = np.concatenate([np.iinfo(samples.dtype).max - samples[..., :1], samples[..., 1:]], 2)
        name = "MINISBLACK"
    if name == "SEPARATED":
        return _from_cmyk(samples, metadata)
    wanted = {"RGB": 3, "YCBCR": 3, "MINISBLACK": 1}.get(name)
    if wanted is None:
        raise Unreadable("its colours ({0}) are of a kind that Dustpan does not open", name)
    if n < wanted:
        raise Unreadable("it has fewer channels than its colours need")
    extra = [int(e) for e in page.extrasamples]
    keep = list(range(wanted))
    notices: tuple[str, ...] = ()
    if n > wanted and extra and extra[0] in (1, 2):
        keep.append(wanted)
    if n > len(keep):
        notices = (say("It has {0} more channels, which were not opened.", n - len(keep)),)
    return samples[..., keep], metadata, notices


def _from_cmyk(samples: NDArray, metadata: Metadata) -> tuple[NDArray, Metadata, tuple[str, ...]]:
    if samples.dtype == np.uint16:
        samples = ((samples.astype(np.uint32) * 255 + 32767) // 65535).astype(np.uint8)
    if samples.dtype != np.uint8 or samples.shape[2] < 4:
        raise Unreadable("its CMYK samples are of a kind that Dustpan does not open")
    return samples_of(Image.fromarray(np.ascontiguousarray(samples[..., :4]), "CMYK"), metadata)


def _metadata(page: Any, data: bytes) -> Metadata:
    icc, xmp = page.tags.get(ICC), page.tags.get(XMP)
    try:
        parsed = ex.parse(data)
    except ex.ExifError:
        parsed = ex.Exif()  # a big TIFF has another structure; its tags stay behind
    main = {t: e for t, e in parsed.main.items() if t not in LAYOUT}
    exif = ex.Exif(parsed.order, main, parsed.photo, parsed.gps, parsed.interop)
    return Metadata(
        icc=_bytes(icc), exif=ex.build(exif) if main or parsed.photo or parsed.gps else None, xmp=_bytes(xmp)
    )


def _bytes(tag: Any) -> bytes | None:
    if tag is None:
        return None
    value = tag.value
    return value.encode("utf-8") if isinstance(value, str) else bytes(value) or None


def _write(file: BinaryIO, samples: NDArray, depth: Depth, metadata: Metadata, quality: int) -> None:
    colour = samples.shape[2] >= 3
    options: dict[str, Any] = {
        "photometric": "rgb" if colour else "minisblack",
        "compression": "zlib",
        "predictor": True,
    }
    if samples.shape[2] in (2, 4):
        options["extrasamples"] = ["unassalpha"]
    extra: list[tuple] = []
    exif = _parsed(metadata)
    if metadata.xmp:
        extra.append((XMP, 1, len(metadata.xmp), metadata.xmp, True))
    for tag, entry in sorted(exif.main.items()):
        if tag not in LAYOUT and tag not in ex.POINTERS and (known := as_extratag(tag, entry, exif.order)):
            extra.append(known)
    for tag, directory in ((ex.EXIF_IFD, exif.photo), (ex.GPS_IFD, exif.gps)):
        if directory:
            extra.append((PLACEHOLDER[tag], 4, 1, 0, True))
    held = io.BytesIO()
    tifffile.imwrite(
        held,
        samples[..., 0] if samples.shape[2] == 1 else samples,
        byteorder="<" if exif.order == "<" else ">",
        metadata=None,
        software=False,
        rowsperstrip=max(1, (1 << 18) // max(1, samples[0].nbytes)),
        iccprofile=metadata.icc,
        extratags=extra,
        **options,
    )
    out = bytearray(held.getvalue())
    link_directories(out, exif)
    file.write(out)


def _parsed(metadata: Metadata) -> ex.Exif:
    try:
        return ex.parse(metadata.exif) if metadata.exif else ex.Exif()
    except ex.ExifError:
        return ex.Exif()


def as_extratag(tag: int, entry: ex.Entry, order: str) -> tuple | None:
    """A tag as tifffile wants it; None for one that is damaged, which must not stop the picture."""
    try:
        value = _plain(entry, order)
    except (KeyError, struct.error):
        return None
    if entry.type == 2:
        return (tag, 2, len(value), value, True)
    return (tag, 1 if entry.type in (1, 6, 7) else entry.type, entry.count, value, True)


def _plain(entry: ex.Entry, order: str) -> Any:
    """A raw value as tifffile wants it."""
    if entry.type == 2:
        return entry.data.rstrip(b"\0") + b"\0"  # bytes: letters beyond ASCII are in every camera
    if entry.type in (1, 6, 7):
        return entry.data
    code = {3: "H", 4: "I", 5: "I", 8: "h", 9: "i", 10: "i", 11: "f", 12: "d", 13: "I"}[entry.type]
    values = struct.unpack(f"{order}{entry.count * (2 if entry.type in (5, 10) else 1)}{code}", entry.data)
    return values if len(values) > 1 else values[0]


def link_directories(out: bytearray, exif: ex.Exif) -> None:
    """Append the EXIF and GPS directories and turn their placeholders in the main directory into links to them.

    tifffile refuses to write these two tags itself. Placeholders carry higher numbers than any tag in use, so the main
    directory is sorted again afterwards.
    """
    order = exif.order
    if not exif.photo and not exif.gps:
        return
    (first,) = struct.unpack_from(order + "I", out, 4)
    (count,) = struct.unpack_from(order + "H", out, first)
    start = first + 2
    entries = [bytes(out[start + 12 * i : start + 12 * i + 12]) for i in range(count)]
    links = {
        PLACEHOLDER[ex.EXIF_IFD]: (ex.EXIF_IFD, exif.photo),
        PLACEHOLDER[ex.GPS_IFD]: (ex.GPS_IFD, exif.gps),
    }
    for i, entry in enumerate(entries):
        (tag,) = struct.unpack_from(order + "H", entry)
        if tag in links:
            real, directory = links[tag]
            if len(out) % 2:
                out += b"\0"
            entries[i] = struct.pack(order + "HHII", real, 4, 1, len(out))
            fixes, _ = ex.append_directory(out, _with_interop(directory, exif), order)
            if ex.INTEROP_IFD in fixes:
                if len(out) % 2:
                    out += b"\0"
                struct.pack_into(order + "I", out, fixes[ex.INTEROP_IFD], len(out))
                ex.append_directory(out, exif.interop, order)
    entries.sort(key=lambda e: struct.unpack_from(order + "H", e)[0])
    out[start : start + 12 * count] = b"".join(entries)


def _with_interop(directory: ex.Directory, exif: ex.Exif) -> ex.Directory:
    if directory is exif.photo and exif.interop:
        return {**directory, ex.INTEROP_IFD: ex.Entry(4, 1, b"\0\0\0\0")}
    return directory


TIFF = FileFormat(
    name="TIFF",
    suffixes=(".tif", ".tiff"),
    depths=(Depth.EIGHT, Depth.SIXTEEN, Depth.FLOAT),
    recognise=lambda head, suffix: head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"),
    read=_read,
    write=_write,
)
