"""Transfer curves: how the encoded values of a picture relate to light.

Every picture that steps work on is *encoded*: its values are spaced as the eye sees them. `Curve` says how, in the
form that ISO 22028 and the ICC call a parametric curve of type 3: a power law with an offset, and a straight line near
black. What measures, cleans, judges or shows asks the picture's curve for light, and never assumes one.

A file that holds *scene-linear* values (`Scale`) is encoded at the door and given back its own values on the way out.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray


class CurveNumbers(NamedTuple):
    """A curve as compiled code takes it: see `Curve`."""

    scale: float
    offset: float
    exponent: float
    slope: float
    cut: float


@dataclass(frozen=True)
class Curve:
    """``scale * x ** (1 / exponent) - offset`` for light x above ``cut``, ``slope * x`` below; 0 black to 1 white.

    Values above white follow the same curve, and those below black the straight line.
    """

    name: str
    scale: float
    offset: float
    exponent: float
    slope: float
    cut: float

    @property
    def numbers(self) -> CurveNumbers:
        return CurveNumbers(self.scale, self.offset, self.exponent, self.slope, self.cut)

    @property
    def knee(self) -> float:
        """The encoded value where the straight line ends."""
        return self.cut * self.slope

    def decode(self, encoded: ArrayLike) -> NDArray[np.floating]:
        """Encoded values to light."""
        v = np.asarray(encoded)
        if self.exponent == 1:
            return v / self.slope if self.slope != 1 else v
        power = ((np.maximum(v, 0) + self.offset) / self.scale) ** self.exponent
        return np.where(v <= self._knee_of_standard, v / self.slope, power)

    def encode(self, light: ArrayLike) -> NDArray[np.floating]:
        """Light to encoded values; the inverse of `decode`.

        Examples
        --------
        >>> float(SRGB.encode(0.18).round(3)), float(SRGB.decode(0.5).round(3))
        (0.461, 0.214)
        """
        v = np.asarray(light)
        if self.exponent == 1:
            return v * self.slope if self.slope != 1 else v
        power = self.scale * np.maximum(v, 1e-9) ** (1 / self.exponent) - self.offset
        return np.where(v <= self.cut, v * self.slope, power)

    @property
    def _knee_of_standard(self) -> float:
        return 0.04045 if self.name == "sRGB" else self.knee  # IEC 61966-2-1 rounds its own


SRGB = Curve("sRGB", 1.055, 0.055, 2.4, 12.92, 0.0031308)
LINEAR = Curve("linear", 1.0, 0.0, 1.0, 1.0, 0.0)


def gamma(exponent: float) -> Curve:
    """A plain power law; straight near black, where its slope would pass 32 and noise could no longer be told."""
    cut = 32.0 ** (-exponent / (exponent - 1)) if exponent > 1 else 0.0
    slope = cut ** (1 / exponent) / cut if cut > 0 else 1.0
    return Curve(f"gamma {exponent:g}", 1.0, 0.0, exponent, slope, cut)


@dataclass(frozen=True)
class Scale:
    """How a file stores scene-linear values: ``floor`` is black and ``white`` is white.

    ``from_sky`` : both were told from a sky, so that its noise counts however weak it is.

    Encoding and giving back loses at most a few units in the last place of a 32-bit float; what no step changed is
    taken from the file's own samples instead (`Picture.stored`).
    """

    floor: float = 0.0
    white: float = 1.0
    from_sky: bool = False

    def encoded(self, stored: NDArray, curve: Curve = SRGB) -> NDArray[np.float32]:
        """Stored values to encoded ones."""
        light = (np.asarray(stored, np.float64) - self.floor) / (self.white - self.floor)
        return np.asarray(curve.encode(light), np.float32)

    def given_back(self, encoded: NDArray, curve: Curve = SRGB) -> NDArray[np.float32]:
        """Encoded values to stored ones."""
        light = np.asarray(curve.decode(np.asarray(encoded, np.float64)), np.float64)
        return np.asarray(light * (self.white - self.floor) + self.floor, np.float32)
