"""What a file format is, and what its module hands over."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from dustpan.core.curve import Curve, Scale
from dustpan.core.language import say
from dustpan.core.picture import Depth, Kind, Metadata, Picture, Sensor

MOST_PIXELS = 400_000_000  # about what a machine with 16 GB can still work on


@dataclass(frozen=True)
class Opening:
    """What was chosen about how a file is opened; kept in its sweep, so that it is asked for once.

    Attributes
    ----------
    scene_linear : whether the file's values are; None for what its format or its profile says.
    part : which page or image of several, from 1; None for the first that can be opened.
    pattern : of a mosaic that does not say its own, row by row, such as ``RGGB``; empty for what the file says.
    path : of the file, for libraries that cannot read from memory.
    """

    scene_linear: bool | None = None
    part: int | None = None
    pattern: str = ""
    path: Path | None = None

    def as_json(self) -> dict[str, Any]:
        """What a sweep keeps of it: only what was chosen."""
        said = {"scene_linear": self.scene_linear, "part": self.part, "pattern": self.pattern or None}
        return {name: value for name, value in said.items() if value is not None}


def opening_from_json(raw: Any) -> Opening:
    """What a sweep kept; what makes no sense there is passed over."""
    raw = raw if isinstance(raw, dict) else {}
    linear, part, pattern = raw.get("scene_linear"), raw.get("part"), raw.get("pattern")
    return Opening(
        linear if isinstance(linear, bool) else None,
        part if isinstance(part, int) and not isinstance(part, bool) and part > 0 else None,
        pattern if isinstance(pattern, str) and pattern in PATTERNS else "",
    )


PATTERNS = {  # of a 2 x 2 mosaic, as they are written: indices of red, green and blue
    "RGGB": ((0, 1), (1, 2)),
    "BGGR": ((2, 1), (1, 0)),
    "GRBG": ((1, 0), (2, 1)),
    "GBRG": ((1, 2), (0, 1)),
}


@dataclass(frozen=True)
class Decoded:
    """What a format module read: samples as stored, white's value, and the raw metadata blocks.

    ``samples`` is (H, W, C) with C from 1 to 4; channels 2 and 4 carry alpha last. What a format knows of the curve,
    the scene-linear scale, the sensor, the kind, further planes or samples that do not count, it says here; otherwise
    the curve follows from the profile and the kind from the number of channels. ``encoded`` samples are float32 that
    need nothing more; ``stored`` are the file's own, where they are more exact than those. For ``sampling``, ``words``,
    ``origin``, ``part``, ``parts`` and ``layers`` see `Source`.
    """

    samples: NDArray
    depth: Depth
    metadata: Metadata
    quantisation: dict[int, tuple[int, ...]] | None = None
    notices: tuple[str, ...] = ()
    sampling: tuple[int, int] | None = None
    curve: Curve | None = None
    scale: Scale | None = None
    encoded: bool = False
    kind: Kind | None = None
    sensor: Sensor | None = None
    planes: Mapping[str, NDArray[np.float32]] = field(default_factory=dict)
    valid: NDArray[np.bool_] | None = None
    stored: NDArray | None = None
    preview: NDArray[np.uint8] | None = None
    words: str = ""
    origin: Any = None
    part: int = 0
    parts: tuple[str, ...] = ()
    layers: Mapping[str, tuple[NDArray, ...]] = field(default_factory=dict)


@dataclass(frozen=True)
class ExportOptions:
    """How a picture is written.

    ``depth`` None keeps its own as far as the format can; quality is 1 to 100; ``history`` is a line on what was done.
    ``as_shown`` : values of a sky that was stretched to be seen are written as they are seen, not as light.
    """

    depth: Depth | None = None
    quality: int = 92
    history: str = ""
    as_shown: bool = False


@dataclass(frozen=True)
class FileFormat:
    """A format family.

    Attributes
    ----------
    name : as shown. suffixes : the first is the usual one. depths : what it can hold, the best last.
    recognise : from the bytes and the ending (lower case); the first format that does so reads the file, so the
        most specific ones stand first.
    read : bytes of the file, and what was chosen about them, to `Decoded`; raises anything on damage.
    write : to an open binary file; None for a format that is only read.
    rewrite : writes a picture with all that its own file held besides, in the file's own units and samples; gives
        whether it could. It is asked first, when the picture comes from such a file.
    lossy : quality applies. alpha : whether it holds an alpha plane. linear : whether its values are scene-linear.
    samples : whether ``rewrite`` takes a sensor's samples that have not been developed.
    """

    name: str
    suffixes: tuple[str, ...]
    depths: tuple[Depth, ...]
    recognise: Callable[[bytes, str], bool]
    read: Callable[[bytes, Opening], Decoded]
    write: Callable[[BinaryIO, NDArray, Depth, Metadata, int], None] | None = None
    rewrite: Callable[[BinaryIO, Picture, Depth, str], bool] | None = None
    lossy: bool = False
    alpha: bool = True
    linear: bool = False
    samples: bool = False
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
