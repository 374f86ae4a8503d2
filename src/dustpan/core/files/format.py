"""What a file format is, and what its module hands over."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import BinaryIO

import numpy as np
from numpy.typing import NDArray

from dustpan.core.curve import Curve, Scale
from dustpan.core.language import say
from dustpan.core.picture import Depth, Kind, Metadata, Sensor

MOST_PIXELS = 400_000_000  # about what a machine with 16 GB can still work on


@dataclass(frozen=True)
class Decoded:
    """What a format module read: samples as stored, white's value, and the raw metadata blocks.

    ``samples`` is (H, W, C) with C from 1 to 4; channels 2 and 4 carry alpha last. What a format knows of the curve,
    the scene-linear scale, the sensor, the kind, further planes or samples that do not count, it says here; otherwise
    the curve follows from the profile and the kind from the number of channels.
    """

    samples: NDArray
    depth: Depth
    metadata: Metadata
    quantisation: dict[int, tuple[int, ...]] | None = None
    notices: tuple[str, ...] = ()
    curve: Curve | None = None
    scale: Scale | None = None
    kind: Kind | None = None
    sensor: Sensor | None = None
    planes: Mapping[str, NDArray[np.float32]] = field(default_factory=dict)
    valid: NDArray[np.bool_] | None = None


@dataclass(frozen=True)
class ExportOptions:
    """How a picture is written. ``depth`` None keeps its own as far as the format can; quality is 1 to 100."""

    depth: Depth | None = None
    quality: int = 92


@dataclass(frozen=True)
class FileFormat:
    """A format family.

    Attributes
    ----------
    name : as shown. suffixes : the first is the usual one. depths : what it can hold, the best last.
    recognise : from the first bytes and the ending (lower case); the first format that does so reads the file, so the
        most specific ones stand first.
    read : bytes of the file to `Decoded`; raises anything on damage.
    write : to an open binary file; None for a format that is only read.
    lossy : quality applies. alpha : whether it holds an alpha plane.
    """

    name: str
    suffixes: tuple[str, ...]
    depths: tuple[Depth, ...]
    recognise: Callable[[bytes, str], bool]
    read: Callable[[bytes], Decoded]
    write: Callable[[BinaryIO, NDArray, Depth, Metadata, int], None] | None = None
    lossy: bool = False
    alpha: bool = True
    largest_side: int = 1 << 31


class Unreadable(Exception):
    """Raised by format modules for what they know they cannot read; the text is the reason, see `FileProblem`."""

    def __init__(self, why: str, *values: object) -> None:
        super().__init__(say(why, *values))


def check_size(height: int, width: int) -> None:
    """Refuse what could not be held in memory, before it is unpacked."""
    if height < 1 or width < 1:
        raise Unreadable("it holds no pixels")
    if height * width > MOST_PIXELS:
        why = "it claims to be {0} × {1} px, which is more than the {2} megapixels that Dustpan opens"
        raise Unreadable(why, width, height, MOST_PIXELS // 10**6)
