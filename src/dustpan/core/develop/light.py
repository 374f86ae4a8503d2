"""From a sensor's balanced colours to a picture, point by point: highlights, matrix, push, primaries, curve."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour_profile import display_p3_profile, srgb_profile, wide_gamut_profile
from dustpan.core.curve import SRGB
from dustpan.core.kernels import PLANE, PLANES, ROW, b1, f4, i8, kernel, part, seen
from dustpan.core.language import mark

TABLE = 8192  # steps of the tables that stand in for the curve; off by less than 1e-7
KNEE = 0.8  # light from which recovered highlights are rolled off to white
SATURATED = 0.985  # of the sensor's white, from which a sample says no more than that there was more


class Highlights(StrEnum):
    """What becomes of samples that are full."""

    CLIP = mark("clip")
    RECOVER = mark("recover")


class Primaries(StrEnum):
    """Of the picture that is given: those of sRGB, of SMPTE EG 432-1 (Display P3), or of ITU-R BT.2020."""

    SRGB = "sRGB"
    P3 = "Display P3"
    WIDE = "BT.2020"


# from light of sRGB's primaries to light of others, all with the white of D65 (CIE 1931 colorimetry of the standards)
TO_PRIMARIES = {
    Primaries.SRGB: np.eye(3),
    Primaries.P3: np.array(
        [[0.8224621, 0.1775380, 0.0], [0.0331941, 0.9668058, 0.0], [0.0170827, 0.0723974, 0.9105199]]
    ),
    Primaries.WIDE: np.array(
        [[0.6274039, 0.3292830, 0.0433131], [0.0690973, 0.9195404, 0.0113623], [0.0163914, 0.0880133, 0.8955953]]
    ),
}


def profile(primaries: Primaries) -> bytes:
    """The ICC profile of what is given."""
    makers = {Primaries.SRGB: srgb_profile, Primaries.P3: display_p3_profile, Primaries.WIDE: wide_gamut_profile}
    return makers[primaries]()


@dataclass(frozen=True)
class Rendering:
    """How balanced colours become a picture.

    Attributes
    ----------
    matrix : 3 x 3 from a sensor's balanced colours to light of sRGB's primaries, row by row.
    push : in EV. highlights, primaries : as they are chosen.
    """

    matrix: tuple[float, ...]
    push: float = 0.0
    highlights: Highlights = Highlights.CLIP
    primaries: Primaries = Primaries.SRGB


@lru_cache(maxsize=1)
def _tables() -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Light of encoded values in even steps, and encoded values of light in even steps of its root."""
    steps = np.linspace(0, 1, TABLE + 1)
    return SRGB.decode(steps).astype(np.float32), SRGB.encode(steps**2).astype(np.float32)


def decoded(encoded: NDArray[np.float32]) -> NDArray[np.float32]:
    """Light of encoded samples of any shape; those below black stay below it."""
    flat = np.ascontiguousarray(encoded, np.float32)
    out = np.empty(flat.shape, np.float32)
    _decode(flat.ravel(), _tables()[0], np.float32(SRGB.slope), np.float32(SRGB.knee), out.ravel())
    return out


@kernel(seen(ROW), ROW, f4, f4, ROW)
def _decode(values, table, slope, knee, out):
    last = len(table) - 1
    for i in range(len(values)):
        v = values[i]
        if v <= knee:
            out[i] = v / slope
        else:
            at = min(v, np.float32(1)) * np.float32(last)
            k = min(int(at), last - 1)
            out[i] = table[k] + (at - np.float32(k)) * (table[k + 1] - table[k])


def rendered(balanced: NDArray[np.float32], how: Rendering) -> NDArray[np.float32]:
    """(h, w, 3) balanced light of a sensor's colours, or (h, w, 1) of a bare one, to encoded values from 0 to 1."""
    out = np.empty(balanced.shape, np.float32)
    recover = how.highlights is Highlights.RECOVER
    if balanced.shape[2] == 1:
        _render_grey(balanced, np.float32(2.0**how.push), recover, _tables()[1], out)
    else:
        _render(balanced, _matrix(how), recover, _tables()[1], out)
    return out


def linear_light(balanced: NDArray[np.float32], how: Rendering) -> NDArray[np.float32]:
    """The same before anything is rolled off, clipped or encoded."""
    if balanced.shape[2] == 1:
        return balanced * np.float32(2.0**how.push)
    return balanced @ _matrix(how).T


def _matrix(how: Rendering) -> NDArray[np.float32]:
    whole = TO_PRIMARIES[how.primaries] @ np.asarray(how.matrix).reshape(3, 3) * 2.0**how.push
    return whole.astype(np.float32)


@part()
def _encoded(light, table):
    last = len(table) - 1
    at = np.sqrt(min(max(light, np.float32(0)), np.float32(1))) * np.float32(last)
    k = min(int(at), last - 1)
    return table[k] + (at - np.float32(k)) * (table[k + 1] - table[k])


@part()
def _rolled_off(top):
    """The share that is left of light whose strongest channel is so strong."""
    if top <= np.float32(KNEE):
        return np.float32(1)
    room = np.float32(1 - KNEE)
    return (np.float32(KNEE) + room * (np.float32(1) - np.exp(-(top - np.float32(KNEE)) / room))) / top


@kernel(PLANES, PLANE, b1, ROW, PLANES)
def _render(balanced, matrix, recover, table, out):
    h, w, _ = balanced.shape
    for y in range(h):
        for x in range(w):
            r, g, b = balanced[y, x, 0], balanced[y, x, 1], balanced[y, x, 2]
            one = matrix[0, 0] * r + matrix[0, 1] * g + matrix[0, 2] * b
            two = matrix[1, 0] * r + matrix[1, 1] * g + matrix[1, 2] * b
            three = matrix[2, 0] * r + matrix[2, 1] * g + matrix[2, 2] * b
            share = _rolled_off(max(one, two, three)) if recover else np.float32(1)
            out[y, x, 0] = _encoded(one * share, table)
            out[y, x, 1] = _encoded(two * share, table)
            out[y, x, 2] = _encoded(three * share, table)


@kernel(PLANES, f4, b1, ROW, PLANES)
def _render_grey(balanced, push, recover, table, out):
    h, w, _ = balanced.shape
    for y in range(h):
        for x in range(w):
            v = balanced[y, x, 0] * push
            out[y, x, 0] = _encoded(v * (_rolled_off(v) if recover else np.float32(1)), table)


def balanced_mosaic(
    light: NDArray[np.float32], pattern: NDArray[np.intp], factors: NDArray[np.float32], clip: bool
) -> NDArray[np.float32]:
    """(h, w) samples times the factors of their colours; the pattern begins at the first of them."""
    out = np.empty(light.shape, np.float32)
    _balance_mosaic(light, pattern, factors, np.float32(1 if clip else 1e9), out)
    return out


@kernel(PLANE, i8[:, ::1], ROW, f4, PLANE)
def _balance_mosaic(light, pattern, factors, most, out):
    h, w = light.shape
    rows, columns = pattern.shape
    for y in range(h):
        for x in range(w):
            out[y, x] = min(light[y, x] * factors[pattern[y % rows, x % columns]], most)


def recovered(balanced: NDArray[np.float32], factors: NDArray[np.float32]) -> NDArray[np.float32]:
    """Balanced colours (h, w, 3) with full ones taken from those that are not: bright things are mostly neutral."""
    out = np.empty(balanced.shape, np.float32)
    _recover(balanced, factors, factors * np.float32(SATURATED), out)
    return out


@kernel(PLANES, ROW, ROW, PLANES)
def _recover(balanced, factors, full, out):
    h, w, _ = balanced.shape
    most = max(factors[0], factors[1], factors[2])
    for y in range(h):
        for x in range(w):
            total, known = np.float32(0), 0
            for c in range(3):
                if balanced[y, x, c] < full[c]:
                    total += balanced[y, x, c]
                    known += 1
            for c in range(3):
                v = balanced[y, x, c]
                if known < 3 and v >= full[c]:
                    v = max(v, total / np.float32(known)) if known > 0 else most
                out[y, x, c] = v
