"""Made for where it goes: made smaller in light, and sharpened by what that and the output take away.

Averaging over the area of a pixel leaves sinc(f) of a frequency f in cycles per px, and ink that spreads, or a
printer's dots, leave a Gaussian of it. The sharpening undoes both as far as the grid can show it. It is taken of
luminance, leaves alone what is below the noise, and is held within the local range: nearly for a screen, and by more
for a print, where the ink will spread it again.

References
----------
[1] ISO 12233:2017: the transfer of sampling by areas.
[2] J. A. C. Yule, W. J. Neilsen, "The penetration of light into paper and its effect on halftone reproduction", TAGA
    1951: that ink shows wider than it is.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass, replace
from enum import StrEnum
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.curve import Curve
from dustpan.core.errors import WrongUse
from dustpan.core.language import mark
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.picture import Picture
from dustpan.core.sharpen.edge import over_threshold
from dustpan.core.sharpen.halo_guard import guard, local_range
from dustpan.core.sharpen.transfer import filter_of, of_gaussian, waves

TAPS = 5  # px that the sharpening reaches
FLOOR, MOST = 0.08, 3.0  # of the power that is left, below which it is not brought back; the most gain
LIMIT = {"screen": 2.0, "print": 8.0}  # percent of the local range
THRESHOLD = 2.0  # × local noise σ
SMALLEST = 16  # px, of the longest side


class Use(StrEnum):
    """What a picture is made for; it is not sharpened for its own size."""

    AS_IT_IS = mark("as it is")
    SCREEN = mark("screen")
    PRINT = mark("print")


@dataclass(frozen=True)
class Output:
    """longest : px of the longest side, 0 for the picture's own; it is never made larger. use : see `Use`.

    per_mm : pixels that are printed on a millimetre. spread : sigma in mm by which ink and dots spread.
    """

    longest: int = 0
    use: Use = Use.AS_IT_IS
    per_mm: float = 12.0
    spread: float = 0.04

    def as_json(self) -> dict[str, Any]:
        """What a task keeps of it; nothing where it changes nothing."""
        return asdict(self) if self.changes else {}

    @property
    def changes(self) -> bool:
        return self.longest > 0 or self.use is not Use.AS_IT_IS

    def size(self, size: tuple[int, int]) -> tuple[int, int]:
        """(height, width) of what is written for a picture of this size.

        Examples
        --------
        >>> Output(longest=2048).size((4000, 6000)), Output(longest=9000).size((4000, 6000))
        ((1365, 2048), (4000, 6000))
        """
        most = max(size)
        if self.longest <= 0 or self.longest >= most:
            return size
        factor = max(self.longest, SMALLEST) / most
        return max(1, round(size[0] * factor)), max(1, round(size[1] * factor))

    def soft(self) -> float:
        """Sigma in px of the output by which it will be softened when it is shown."""
        return self.spread * self.per_mm if self.use is Use.PRINT else 0.0


def output_from_json(raw: Mapping[str, Any]) -> Output:
    """What a task kept.

    Raises
    ------
    WrongUse : a value makes no sense.
    """
    try:
        found = Output(**{**raw, "use": Use(raw.get("use", Use.AS_IT_IS))})
    except (TypeError, ValueError):
        raise WrongUse("What a picture is to be made for is not told in a way that is understood.") from None
    if found.longest < 0 or not 1 <= found.per_mm <= 100 or not 0 <= found.spread <= 1:
        raise WrongUse("A size is at least {0} px; there are 1 to 100 px a mm, and ink spreads by 0 to 1 mm.", SMALLEST)
    return found


def made_smaller(pixels: NDArray[np.float32], size: tuple[int, int], curve: Curve) -> NDArray[np.float32]:
    """(h, w, C) encoded values at a smaller size; averaged over areas, in light."""
    if pixels.shape[:2] == size:
        return pixels
    light = np.asarray(curve.decode(pixels), np.float32)
    small = cv2.resize(light, size[::-1], interpolation=cv2.INTER_AREA).reshape(*size, pixels.shape[2])
    return np.asarray(curve.encode(small), np.float32)


def filter_for(reduced: bool, soft: float) -> NDArray[np.float32]:
    """(11, 11) filter that undoes what making smaller, and showing, take away.

    Parameters
    ----------
    reduced : whether it was averaged over areas. soft : px, see `Output.soft`.
    """
    fy, fx = waves()
    left = of_gaussian(fy, fx, np.eye(2) * soft**2)
    if reduced:
        left = left * np.sinc(fy / (2 * np.pi)) * np.sinc(fx / (2 * np.pi))
    return filter_of(np.minimum(left / (left * left + FLOOR), MOST), TAPS, 0.5)


def sharpened(
    pixels: NDArray[np.float32],
    output: Output,
    reduced: bool,
    noise: NoisePrint | None,
    factor: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """Encoded values (h, w, C), sharpened for an output.

    noise : that of the pixels. factor : (h, w) that it is stronger by than this says; None for 1.
    """
    if output.use is Use.AS_IT_IS:
        return pixels
    own = np.ascontiguousarray(luma(pixels), np.float32)
    added = cv2.filter2D(own, -1, filter_for(reduced, output.soft()), borderType=cv2.BORDER_REFLECT) - own
    if noise is not None:
        by = None if factor is None else factor[None]
        added = added * over_threshold(added, own, noise, THRESHOLD, by)
    limit = LIMIT[output.use.value]
    held = guard(np.asarray(own + added, np.float32), *local_range(own), limit, limit) - own
    return np.asarray(pixels + held[..., None], np.float32)


def made_for(
    picture: Picture,
    output: Output,
    noise: NoisePrint | None,
    check: Callable[[], None] = lambda: None,
    factor: NDArray[np.float32] | None = None,
) -> Picture:
    """A finished picture as it is written for an output; with the noise that it has, and where (`sharpened`)."""
    size = output.size(picture.size)
    if not output.changes or picture.kind.of_sensor:
        return picture
    reduced = size != picture.size
    small = made_smaller(picture.pixels, size, picture.curve)
    check()
    told = noise.times(size[1] / picture.size[1]) if noise is not None and noise.sure else None
    by = None if factor is None else _smaller(factor, size)
    done = sharpened(small, output, reduced, told, by)
    check()
    if not reduced:
        return picture.with_pixels(done)
    planes = {name: _smaller(plane, size) for name, plane in picture.planes.items()}
    valid = None if picture.valid is None else _smaller(picture.valid.astype(np.float32), size) > 0.5
    about = replace(picture.source, origin=None)  # a copy of the file would have its size
    fresh = replace(picture, stored=None, planes=planes, valid=valid, source=about, pixels=done)
    return fresh.with_pixels(done)


def _smaller(plane: NDArray, size: tuple[int, int]) -> NDArray[np.float32]:
    return np.asarray(cv2.resize(np.asarray(plane, np.float32), size[::-1], interpolation=cv2.INTER_AREA), np.float32)
