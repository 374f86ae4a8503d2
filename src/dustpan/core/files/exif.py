"""EXIF as it is stored: a TIFF structure of directories (CIPA DC-008).

Only the structure is read and written here; values stay raw bytes, so tags that nobody knows survive. It is needed
because one block has to travel between four formats with a new orientation and a new thumbnail.
"""

from __future__ import annotations

import struct
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from fractions import Fraction

SIZES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8, 13: 4}
ORIENTATION, EXIF_IFD, GPS_IFD, INTEROP_IFD = 0x0112, 0x8769, 0x8825, 0xA005
THUMB_AT, THUMB_LENGTH, COMPRESSION = 0x0201, 0x0202, 0x0103
WIDTH, HEIGHT = 0xA002, 0xA003
ISO, EXPOSURE, F_NUMBER, FOCAL, TAKEN = 0x8827, 0x829A, 0x829D, 0x920A, 0x9003
MAKE, MODEL, SOFTWARE = 0x010F, 0x0110, 0x0131
POINTERS = {EXIF_IFD, GPS_IFD, INTEROP_IFD}
MAX_ENTRIES = 2000


class ExifError(ValueError):
    """The block is not a TIFF structure, or is cut off."""


@dataclass(frozen=True)
class Entry:
    """A tag's type, count and raw value in the block's byte order."""

    type: int
    count: int
    data: bytes


Directory = dict[int, Entry]


@dataclass(frozen=True)
class Exif:
    """The directories of one EXIF block. ``order`` is ``<`` or ``>``; ``thumbnail`` a JPEG or empty."""

    order: str = "<"
    main: Directory = field(default_factory=dict)
    photo: Directory = field(default_factory=dict)
    gps: Directory = field(default_factory=dict)
    interop: Directory = field(default_factory=dict)
    thumb: Directory = field(default_factory=dict)
    thumbnail: bytes = b""

    def number(self, tag: int) -> float | None:
        """The first value of a numeric tag, looked up in the main and the photo directory."""
        entry = self.main.get(tag) or self.photo.get(tag)
        if entry is None or entry.type not in (3, 4, 5, 9, 10) or len(entry.data) < SIZES[entry.type]:
            return None
        code = {3: "H", 4: "I", 5: "II", 9: "i", 10: "ii"}[entry.type]
        values = struct.unpack_from(self.order + code, entry.data)
        if len(values) == 2:
            return values[0] / values[1] if values[1] else None
        return float(values[0])

    def text(self, tag: int) -> str:
        entry = self.main.get(tag) or self.photo.get(tag)
        return entry.data.split(b"\0")[0].decode("utf-8", "replace").strip() if entry and entry.type == 2 else ""

    @property
    def orientation(self) -> int:
        value = self.number(ORIENTATION) or 1
        return int(value) if value in range(1, 9) else 1

    def short(self, value: int) -> Entry:
        return Entry(3, 1, struct.pack(self.order + "H", value))

    def long(self, value: int) -> Entry:
        return Entry(4, 1, struct.pack(self.order + "I", value))


def ascii_entry(text: str) -> Entry:
    data = text.encode("utf-8") + b"\0"
    return Entry(2, len(data), data)


def rational_entry(value: float, order: str = "<") -> Entry:
    f = Fraction(value).limit_denominator(10000)
    return Entry(5, 1, struct.pack(order + "II", f.numerator, f.denominator))


def parse(block: bytes) -> Exif:
    """Read a block, with or without its ``Exif\\0\\0`` header. Entries that point outside the block are dropped."""
    if block.startswith(b"Exif\0\0"):
        block = block[6:]
    order = {b"II": "<", b"MM": ">"}.get(block[:2])
    if order is None or len(block) < 8:
        raise ExifError("not a TIFF structure")
    (first,) = struct.unpack_from(order + "I", block, 4)
    left = [2 * len(block)]  # bytes of values: directories that share them would otherwise grow without end
    main, after = _directory(block, first, order, left)
    photo = _pointed(block, main, EXIF_IFD, order, left)
    gps = _pointed(block, main, GPS_IFD, order, left)
    interop = _pointed(block, photo, INTEROP_IFD, order, left)
    thumb: Directory = {}
    thumbnail = b""
    if after:
        try:
            thumb, _ = _directory(block, after, order, left)
        except ExifError:
            thumb = {}
        at, length = (_long(thumb.pop(t, None), order) for t in (THUMB_AT, THUMB_LENGTH))
        if at and length and at + length <= len(block):
            thumbnail = block[at : at + length]
    return Exif(order, main, photo, gps, interop, thumb, thumbnail)


def _long(entry: Entry | None, order: str) -> int:
    if entry is None or len(entry.data) < SIZES[entry.type] or entry.type not in (3, 4, 13):
        return 0
    return int(struct.unpack_from(order + ("H" if entry.type == 3 else "I"), entry.data)[0])


def _pointed(block: bytes, directory: Directory, tag: int, order: str, left: list[int]) -> Directory:
    at = _long(directory.pop(tag, None), order)
    if not at:
        return {}
    try:
        return _directory(block, at, order, left)[0]
    except ExifError:
        return {}


def _directory(block: bytes, at: int, order: str, left: list[int]) -> tuple[Directory, int]:
    """Entries by tag, and where the next directory is; ``left`` : bytes of values that may still be taken."""
    if at + 2 > len(block):
        raise ExifError("directory outside the block")
    (count,) = struct.unpack_from(order + "H", block, at)
    if count > MAX_ENTRIES or at + 2 + 12 * count > len(block):
        raise ExifError("directory is cut off")
    found: Directory = {}
    for i in range(count):
        tag, kind, n = struct.unpack_from(order + "HHI", block, at + 2 + 12 * i)
        length = SIZES.get(kind, 0) * n
        place = at + 10 + 12 * i
        if length > 4:
            (place,) = struct.unpack_from(order + "I", block, place)
        if length and place + length <= len(block) and length <= left[0]:
            left[0] -= length
            found[tag] = Entry(kind, n, block[place : place + length])
    end = at + 2 + 12 * count
    after = struct.unpack_from(order + "I", block, end)[0] if end + 4 <= len(block) else 0
    return found, after


def build(exif: Exif) -> bytes:
    """The block, without the ``Exif\\0\\0`` header, laid out anew."""
    out = bytearray((b"II*\0" if exif.order == "<" else b"MM\0*") + struct.pack(exif.order + "I", 8))
    write_into(out, exif)
    return bytes(out)


def write_into(out: bytearray, exif: Exif) -> None:
    """Append all directories to ``out``, the main one first; offsets count from the start of ``out``."""
    photo, main = dict(exif.photo), dict(exif.main)
    nothing = Entry(4, 1, b"\0\0\0\0")
    if exif.interop:
        photo[INTEROP_IFD] = nothing
    if photo:
        main[EXIF_IFD] = nothing
    if exif.gps:
        main[GPS_IFD] = nothing
    fixes_main, next_main = append_directory(out, main, exif.order)
    if photo:
        _point(out, fixes_main[EXIF_IFD], exif.order)
        fixes, _ = append_directory(out, photo, exif.order)
        if exif.interop:
            _point(out, fixes[INTEROP_IFD], exif.order)
            append_directory(out, exif.interop, exif.order)
    if exif.gps:
        _point(out, fixes_main[GPS_IFD], exif.order)
        append_directory(out, exif.gps, exif.order)
    if exif.thumbnail:
        _point(out, next_main, exif.order)
        length = struct.pack(exif.order + "I", len(exif.thumbnail))
        thumb = {
            COMPRESSION: exif.short(6),
            **exif.thumb,
            THUMB_AT: nothing,
            THUMB_LENGTH: Entry(4, 1, length),
        }
        fixes, _ = append_directory(out, thumb, exif.order)
        _point(out, fixes[THUMB_AT], exif.order)
        out += exif.thumbnail


def _point(out: bytearray, at: int, order: str) -> None:
    if len(out) % 2:
        out += b"\0"
    struct.pack_into(order + "I", out, at, len(out))


def append_directory(out: bytearray, directory: Mapping[int, Entry], order: str) -> tuple[dict[int, int], int]:
    """Append one directory; gives where each pointer's value and the link to the next directory stand."""
    if len(out) % 2:
        out += b"\0"
    start = len(out)
    out += struct.pack(order + "H", len(directory)) + bytes(12 * len(directory) + 4)
    places: dict[int, int] = {}
    for i, (tag, entry) in enumerate(sorted(directory.items())):
        at = start + 2 + 12 * i
        struct.pack_into(order + "HHI", out, at, tag, entry.type, entry.count)
        if len(entry.data) <= 4:
            out[at + 8 : at + 8 + len(entry.data)] = entry.data
        else:
            if len(out) % 2:
                out += b"\0"
            struct.pack_into(order + "I", out, at + 8, len(out))
            out += entry.data
        places[tag] = at + 8
    return places, start + 2 + 12 * len(directory)


def turned_upright(exif: Exif, size: tuple[int, int]) -> Exif:
    """With orientation 1 and the new (height, width), for pixels that have been turned."""
    main, photo = dict(exif.main), dict(exif.photo)
    if ORIENTATION in main:
        main[ORIENTATION] = exif.short(1)
    thumb = {k: v for k, v in exif.thumb.items() if k != ORIENTATION}
    if WIDTH in photo:
        photo[WIDTH] = exif.long(size[1])
    if HEIGHT in photo:
        photo[HEIGHT] = exif.long(size[0])
    return replace(exif, main=main, photo=photo, thumb=thumb)
