"""A picture: its samples, what kind it is, and everything about its file that has to survive.

Pictures are never changed in place; a step gives a new one, and the arrays are marked read-only.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property
from pathlib import Path
from types import MappingProxyType
from typing import Any

import numpy as np
import xxhash
from numpy.typing import NDArray

from dustpan.core.curve import SRGB, Curve, Scale
from dustpan.core.language import mark, say


class Kind(StrEnum):
    """What the samples are.

    Of a sensor: the *mosaic* of a colour filter, a *bare sensor* without one, or three *camera colours* in every place.
    Of a finished picture: one channel (*mono*), or three (*rgb*).
    """

    MOSAIC = mark("mosaic")
    BARE = mark("bare sensor")
    CAMERA = mark("camera colours")
    MONO = mark("mono")
    RGB = mark("rgb")

    @property
    def channels(self) -> int:
        return 3 if self in (Kind.RGB, Kind.CAMERA) else 1

    @property
    def of_sensor(self) -> bool:
        """Whether it has to be developed before it is a picture."""
        return self in (Kind.MOSAIC, Kind.BARE, Kind.CAMERA)


class Depth(StrEnum):
    """How the file stores a sample."""

    EIGHT = "8"
    SIXTEEN = "16"
    FLOAT = "float"

    @property
    def words(self) -> str:
        """As shown."""
        return {"8": say("8 bit"), "16": say("16 bit"), "float": say("32 bit float")}[self.value]

    @property
    def top(self) -> int:
        """The stored value of white; 1 for float."""
        return {"8": 255, "16": 65535, "float": 1}[self.value]


@dataclass(frozen=True)
class Metadata:
    """What travels from file to file, as raw blocks: ICC profile, EXIF (a TIFF structure) and XMP (a packet)."""

    icc: bytes | None = None
    exif: bytes | None = None
    xmp: bytes | None = None


@dataclass(frozen=True)
class Source:
    """Facts about the file that a picture came from.

    Attributes
    ----------
    quantisation, sampling : of a JPEG, its tables, and how much smaller colours are stored, down and across.
    words : how samples are stored, where `Depth` does not say it.
    origin : what the format needs to write a result into a copy of the file; only its module knows it.
    layers : the planes (H, W) of further passes by name, of a file that has some.
    part, parts : which page or image was opened, from 1, and what all of them are called, of a file with several.
    """

    path: Path | None = None
    format: str = ""
    quantisation: Mapping[int, tuple[int, ...]] = field(default_factory=dict)
    words: str = ""
    origin: Any = None
    part: int = 0
    parts: tuple[str, ...] = ()
    sampling: tuple[int, int] | None = None
    layers: Mapping[str, tuple[NDArray, ...]] = field(default_factory=dict)


IDENTITY = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0)


@dataclass(frozen=True)
class Sensor:
    """What is known of the sensor that samples came from.

    Attributes
    ----------
    pattern : the colour of each sample of the smallest part that repeats, indices into ``colours``.
    colours : their names; one for a sensor without a filter.
    black, white : level of each colour, in stored units.
    balance : factor on each colour that makes neutral things neutral, as shot; its smallest is 1.
    daylight : the same under daylight (CIE D65).
    matrix : 3 x 3 from balanced sensor values to light of sRGB's primaries, row by row; neutral stays neutral.
    noise : (gain, read) that the file says its noise has, where 1 is white; None when it says nothing.
    """

    pattern: tuple[tuple[int, ...], ...] = ((0,),)
    colours: tuple[str, ...] = ("grey",)
    black: tuple[float, ...] = (0.0,)
    white: tuple[float, ...] = (1.0,)
    balance: tuple[float, ...] = (1.0, 1.0, 1.0)
    daylight: tuple[float, ...] = (1.0, 1.0, 1.0)
    matrix: tuple[float, ...] = IDENTITY
    noise: tuple[float, float] | None = None

    @property
    def period(self) -> tuple[int, int]:
        """(rows, columns) after which the pattern repeats."""
        return len(self.pattern), len(self.pattern[0])


@dataclass(frozen=True)
class Picture:
    """One image.

    Attributes
    ----------
    pixels : (H, W, C) float32, read-only; encoded values with 0 black and 1 white, more where the file carries more.
        C is 3 for RGB and camera colours, and 1 otherwise.
    kind, depth : see `Kind`, `Depth`.
    planes : further planes by name, (H, W) float32: ``alpha``, and albedo and normals of renders (`Passes`).
    metadata, source : what the file said besides the samples.
    notices : sentences about what had to be done to read it.
    curve : how the encoded values relate to light.
    scale : how the file's scene-linear values became encoded; None for a file that holds encoded values itself.
    stored : of a scene-linear file its own samples, (H, W, C), for what no step changes and for what does not count.
    sensor : of samples that have not been developed; None otherwise.
    valid : (H, W) bool, which samples count; None when all do.
    preview : (h, w, 3) 8-bit sRGB that the file brought along, to be seen until the picture is developed.
    """

    pixels: NDArray[np.float32]
    kind: Kind
    depth: Depth
    planes: Mapping[str, NDArray[np.float32]] = field(default_factory=dict)
    metadata: Metadata = field(default_factory=Metadata)
    source: Source = field(default_factory=Source)
    notices: tuple[str, ...] = ()
    curve: Curve = SRGB
    scale: Scale | None = None
    stored: NDArray[np.float32] | None = None
    sensor: Sensor | None = None
    valid: NDArray[np.bool_] | None = None
    preview: NDArray[np.uint8] | None = None

    def __post_init__(self) -> None:
        if self.pixels.ndim != 3 or self.pixels.shape[2] != self.kind.channels:
            raise ValueError(f"pixels of shape {self.pixels.shape} do not fit kind {self.kind}")
        if self.pixels.dtype != np.float32:
            raise ValueError("pixels must be float32")
        for array in (self.pixels, *self.planes.values(), self.stored, self.valid):
            if array is not None:
                array.setflags(write=False)
        object.__setattr__(self, "planes", MappingProxyType(dict(self.planes)))

    @property
    def size(self) -> tuple[int, int]:
        """(height, width) in px."""
        return self.pixels.shape[0], self.pixels.shape[1]

    @property
    def megapixels(self) -> float:
        return self.pixels.shape[0] * self.pixels.shape[1] / 1e6

    @cached_property
    def key(self) -> str:
        """A hash of the samples: pictures with the same key have the same noise print and the same tiles."""
        about = (self.pixels.shape, self.kind.value, *((self.curve,) if self.curve != SRGB else ()))
        about += (self.sensor,) if self.sensor else ()
        digest = xxhash.xxh3_128(repr(about).encode())
        digest.update(np.ascontiguousarray(self.pixels).data)
        for name in sorted(set(self.planes) - {"alpha"}):  # what steps may ask for
            digest.update(name.encode())
            digest.update(np.ascontiguousarray(self.planes[name]).data)
        return digest.hexdigest()

    def with_pixels(self, pixels: NDArray, kind: Kind | None = None) -> Picture:
        """The same picture with other encoded values, perhaps of another kind; everything else is kept.

        Where the values are those that were there, a scene-linear file's own samples are kept as well.
        """
        pixels, stored = np.ascontiguousarray(pixels, np.float32), self.stored
        if self.scale is not None and stored is not None:
            given = self.scale.given_back(pixels, self.curve)
            if pixels.shape == self.pixels.shape:
                same = pixels == self.pixels
                stored = np.where(same if self.valid is None else same | ~self.valid[..., None], stored, given)
            else:
                stored = given
        return replace(self, pixels=pixels, kind=kind or self.kind, stored=stored)

    def developed(self, pixels: NDArray, kind: Kind, icc: bytes | None) -> Picture:
        """What a sensor's samples became: a finished picture of this kind, with its values' profile."""
        return Picture(
            np.ascontiguousarray(pixels, np.float32),
            kind,
            self.depth,
            metadata=replace(self.metadata, icc=icc),
            source=self.source,
            notices=self.notices,
            scale=self.scale,
        )

    def reduced(self, pixels: NDArray[np.float32], planes: Mapping[str, NDArray] | None = None) -> Picture:
        """The same picture at a smaller size, to look at; of its metadata only what colours need is kept."""
        return Picture(
            pixels,
            Kind.CAMERA if self.kind is Kind.MOSAIC else self.kind,
            self.depth,
            planes=planes or {},
            metadata=Metadata(icc=self.metadata.icc),
            curve=self.curve,
            scale=self.scale,
            sensor=self.sensor,
        )

    def for_screen(self, pixels: NDArray[np.float32] | None = None) -> NDArray[np.float32]:
        """Values that the picture's profile describes; its encoded ones where it has none."""
        pixels = self.pixels if pixels is None else pixels
        if self.kind.of_sensor or self.metadata.icc is None:
            return pixels
        return np.asarray(self.as_stored(pixels), np.float32)

    def as_stored(self, pixels: NDArray | None = None) -> NDArray:
        """Values as the file holds them, for writing and for its profile: of the whole picture, or of some pixels."""
        if pixels is None and self.stored is not None:
            return self.stored
        pixels = self.pixels if pixels is None else pixels
        return pixels if self.scale is None else self.scale.given_back(pixels, self.curve)


def from_array(array: NDArray, depth: Depth = Depth.FLOAT) -> Picture:
    """A picture from an array (H, W), (H, W, 1) or (H, W, 3) of encoded values, or of uint8 or uint16 samples.

    Examples
    --------
    >>> picture = from_array(np.zeros((20, 30), np.uint16))
    >>> picture.size, picture.kind.value, picture.depth.name, picture.pixels.shape
    ((20, 30), 'mono', 'SIXTEEN', (20, 30, 1))
    """
    if array.dtype == np.uint8:
        array, depth = array.astype(np.float32) / np.float32(255), Depth.EIGHT
    elif array.dtype == np.uint16:
        array, depth = array.astype(np.float32) / np.float32(65535), Depth.SIXTEEN
    if array.ndim == 2:
        array = array[..., None]
    kind = Kind.RGB if array.shape[2] == 3 else Kind.MONO
    return Picture(np.array(array, np.float32, order="C"), kind, depth)


def to_samples(values: NDArray, depth: Depth) -> NDArray:
    """Encoded values to samples as they are stored: rounded and clipped for 8 and 16 bits, untouched for float.

    Examples
    --------
    >>> to_samples(np.array([0.0, 0.5, 1.2]), Depth.EIGHT)
    array([  0, 128, 255], dtype=uint8)
    """
    if depth is Depth.FLOAT:
        return np.asarray(values, np.float32)
    top = depth.top
    dtype = np.uint8 if depth is Depth.EIGHT else np.uint16
    return np.clip(np.rint(values * np.float32(top)), 0, top).astype(dtype)
