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

import numpy as np
import xxhash
from numpy.typing import NDArray

from dustpan.core.curve import SRGB, Curve, Scale
from dustpan.core.language import mark, say


class Kind(StrEnum):
    """What the samples are: the raw mosaic of a colour filter, one channel, or three."""

    MOSAIC = mark("mosaic")
    MONO = mark("mono")
    RGB = mark("rgb")


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
    """Facts about the file that a picture came from."""

    path: Path | None = None
    format: str = ""
    quantisation: Mapping[int, tuple[int, ...]] = field(default_factory=dict)


@dataclass(frozen=True)
class Sensor:
    """What is known of the sensor that samples came from.

    Attributes
    ----------
    pattern : (h, w) of the colour of each sample of the smallest part that repeats, indices into ``colours``.
    colours : their names, such as ``("red", "green", "blue")``; one for a sensor without a filter.
    black, white : level of each colour, in stored units.
    balance : factor on each colour that makes neutral things neutral, as shot.
    matrix : (3, colours) from balanced sensor values to CIE XYZ, row by row.
    """

    pattern: tuple[tuple[int, ...], ...] = ((0,),)
    colours: tuple[str, ...] = ("grey",)
    black: tuple[float, ...] = (0.0,)
    white: tuple[float, ...] = (1.0,)
    balance: tuple[float, ...] = (1.0,)
    matrix: tuple[float, ...] = ()


@dataclass(frozen=True)
class Picture:
    """One image.

    Attributes
    ----------
    pixels : (H, W, C) float32, read-only; encoded values with 0 black and 1 white, more where the file carries more.
        C is 3 for RGB and 1 for mono and mosaic.
    kind, depth : see `Kind`, `Depth`.
    planes : further planes by name, (H, W) float32: ``alpha`` now, albedo and normals of renders later.
    metadata, source : what the file said besides the samples.
    notices : sentences about what had to be done to read it.
    curve : how the encoded values relate to light.
    scale : how the file's scene-linear values became encoded; None for a file that holds encoded values itself.
    stored : of a scene-linear file its own samples, (H, W, C) float32, for what no step changes.
    sensor : of samples that no demosaicing has touched; None otherwise.
    valid : (H, W) bool, which samples count; None when all do.
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

    def __post_init__(self) -> None:
        if self.pixels.ndim != 3 or self.pixels.shape[2] != (3 if self.kind is Kind.RGB else 1):
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
        digest = xxhash.xxh3_128(repr(about).encode())
        digest.update(np.ascontiguousarray(self.pixels).data)
        return digest.hexdigest()

    def with_pixels(self, pixels: NDArray, kind: Kind | None = None) -> Picture:
        """The same picture with other encoded values, perhaps of another kind; everything else is kept.

        Where the values are those that were there, a scene-linear file's own samples are kept as well.
        """
        pixels, stored = np.ascontiguousarray(pixels, np.float32), self.stored
        if self.scale is not None and stored is not None:
            given = self.scale.given_back(pixels, self.curve)
            stored = np.where(pixels == self.pixels, stored, given) if pixels.shape == self.pixels.shape else given
        return replace(self, pixels=pixels, kind=kind or self.kind, stored=stored)

    def reduced(self, pixels: NDArray[np.float32]) -> Picture:
        """The same picture at a smaller size, to look at; of its metadata only what colours need is kept."""
        about = Metadata(icc=self.metadata.icc)
        return Picture(pixels, self.kind, self.depth, metadata=about, curve=self.curve, scale=self.scale)

    def for_screen(self, pixels: NDArray[np.float32] | None = None) -> NDArray[np.float32]:
        """Values that the picture's profile describes; its encoded ones where it has none."""
        pixels = self.pixels if pixels is None else pixels
        return pixels if self.metadata.icc is None else np.asarray(self.as_stored(pixels), np.float32)

    def as_stored(self, pixels: NDArray | None = None) -> NDArray:
        """Values as the file holds them, for writing and for its profile: of the whole picture, or of some pixels."""
        if pixels is None and self.stored is not None:
            return self.stored
        pixels = self.pixels if pixels is None else pixels
        return pixels if self.scale is None else self.scale.given_back(pixels, self.curve)


def from_array(array: NDArray, depth: Depth = Depth.FLOAT) -> Picture:
    """A picture from an array (H, W), (H, W, 1) or (H, W, 3) of encoded values, or of uint8 or uint16 samples."""
    if array.dtype == np.uint8:
        array, depth = array.astype(np.float32) / np.float32(255), Depth.EIGHT
    elif array.dtype == np.uint16:
        array, depth = array.astype(np.float32) / np.float32(65535), Depth.SIXTEEN
    if array.ndim == 2:
        array = array[..., None]
    kind = Kind.RGB if array.shape[2] == 3 else Kind.MONO
    return Picture(np.array(array, np.float32, order="C"), kind, depth)


def to_samples(values: NDArray, depth: Depth) -> NDArray:
    """Encoded values to samples as they are stored: rounded and clipped for 8 and 16 bits, untouched for float."""
    if depth is Depth.FLOAT:
        return np.asarray(values, np.float32)
    top = depth.top
    dtype = np.uint8 if depth is Depth.EIGHT else np.uint16
    return np.clip(np.rint(values * np.float32(top)), 0, top).astype(dtype)
