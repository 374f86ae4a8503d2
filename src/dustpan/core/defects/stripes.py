"""The step Stripes: rows or columns that the sensor wrote, proven by what they have in common across the picture.

A line of the rows' spectrum counts when it stands far above its surroundings, strips of the picture agree in its phase,
the phase persists over the height, and it is strong enough to be seen. Banding counts when strips that lie *far apart*
share it, and nearly all pairs do: an edge is shared by some, an offset by all. Broad bands of lamps are proven by the
ratio of the colours (`flicker`). What is not proven is not touched.

References
----------
[1] M. S. Bartlett, "Smoothing periodograms from time-series with continuous spectra", Nature 161, 1948.
[2] R. N. Bracewell, "The Fourier Transform and Its Applications": demodulation.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from itertools import pairwise
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.between import between
from dustpan.core.colour import luma
from dustpan.core.defects import flicker
from dustpan.core.defects.flicker import Flicker
from dustpan.core.defects.hot_pixels import one_brightness
from dustpan.core.fact import Asked, FactKind, Scope
from dustpan.core.hits import Hits
from dustpan.core.language import mark, say
from dustpan.core.params import Params, choice, number, switch
from dustpan.core.picture import Kind
from dustpan.core.region import Region
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import StepKind

LSB = 1 / 255
PARTS = 16  # strips across, that have to agree
SHORTEST, LONGEST = 2.1, 64  # px of a period
PAD = 4  # finer frequencies
LEAST_POWER, COHERENT, PERSISTENT, SEEN = 25.0, 0.25, 0.8, 0.15  # × floor, shares, and 255ths
SHARED, BAND_SEEN, SHARED_BY_ALL = 0.1, 0.12, 0.3  # of the variance, 255ths, of the usual covariance
CALM_ROWS, CALM_SHARE = 0.75, 0.35  # rows whose offsets are looked at, and what those of a normal one vary by
BANDING = 3.0  # px, sigma of what banding is told from
ACROSS, CYCLES, HARMONICS = 20, 4, 4  # px and periods over which a line's strength may change, and its multiples
ASIDE, NARROW, HIGHEST = (-2.0, -1.5, 1.5, 2.0), 14.0, 0.485  # of the bandwidth, px, cycles: side bands, no multiples
GRID = 8  # px between places at which the strength of a line is kept
RELATED, ALIKE = 0.3, 0.02  # of the power, and how near a multiple of a half or a third has to be
MOST_LINES, MOST_BANDS = 6, 2
ASKS_FROM = 5.0  # 255ths from which a subject may be striped itself
SMALLEST = 96  # px
Plane = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Line:
    """A periodic line: cycles a px, phase, its strength (rows, columns) every `GRID` px, and its proof."""

    frequency: float
    phase: float
    strength: Plane
    power: float
    coherence: float
    persistence: float
    amplitude: float  # 255ths


@dataclass(frozen=True, eq=False)
class Striped:
    """What was found along one direction.

    ``lines`` : by channel. ``offsets`` : by channel, of every row; None when no banding
    was proven. ``spectrum`` : frequencies and power over the floor. ``band`` : sigma of the banding, 255ths.
    """

    lines: tuple[tuple[Line, ...], ...] = ()
    offsets: tuple[Plane, ...] | None = None
    spectrum: tuple[NDArray, NDArray] = (np.zeros(0), np.zeros(0))
    band: float = 0.0

    @property
    def strongest(self) -> float:
        """Amplitude in 255ths."""
        return max([line.amplitude for channel in self.lines for line in channel] + [self.band])

    @property
    def power(self) -> float:
        """How far the strongest line stands above the floor."""
        return max((line.power for channel in self.lines for line in channel), default=0.0)


@dataclass(frozen=True, eq=False)
class Stripes:
    """Along rows and along columns; what lamps did along each. ``pattern`` : the colours of a sensor's samples."""

    rows: Striped
    columns: Striped
    lamps: tuple[Flicker | None, Flicker | None] = (None, None)
    pattern: NDArray | None = None


class Lamps(StrEnum):
    """Which bands of lamps are taken out."""

    PROVEN = "proven"
    LIKELY = "likely"
    NONE = "none"


class StripesParams(Params):
    """How far a line has to stand out, and what is taken."""

    sure: float = number(
        LEAST_POWER, 10, 400, label="How sure", unit="× floor", digits=0,
        help="A line of the spectrum that stands out less than this from its surroundings is left alone.",
    )  # fmt: skip
    rows: bool = switch(True, label="Rows", help="Stripes across the picture are taken out where they are proven.")
    columns: bool = switch(True, label="Columns", help="Upright stripes are taken out where they are proven.")
    strong: bool = switch(
        False, label="Strong ones", help="Also those above 5 of 255: a subject may be striped itself, so look first."
    )
    lamps: Lamps = choice(
        Lamps, Lamps.PROVEN, label="Bands of lamps",
        help="Broad bands of flickering lamps: only where the colours prove them, also where they are likely, or none.",
    )  # fmt: skip


# -------------------------------------------------------------- proof


def _residual(plane: Plane, sigma: float) -> tuple[Plane, Plane]:
    """What is left of a blur along the columns, limited, and a weight that favours smooth places."""
    rest = plane - ndi.gaussian_filter1d(plane, sigma, axis=0, mode="reflect")
    usual = 1.4826 * float(np.median(np.abs(rest[::2, ::2]))) + 0.5 * LSB
    active = np.sqrt(cv2.GaussianBlur(rest * rest, (0, 0), 6))
    limited = np.clip(rest, -3 * usual, 3 * usual)
    return limited, np.asarray(1 / (1 + (active / (2.5 * usual)) ** 4), np.float32)


def _profiles(rest: Plane, weight: Plane) -> tuple[NDArray, NDArray]:
    """(PARTS, height) weighted means of upright strips, and their weights."""
    ends = np.linspace(0, rest.shape[1], PARTS + 1).astype(int)
    parts = [slice(a, b) for a, b in pairwise(ends)]
    total = np.stack([(rest[:, p] * weight[:, p]).sum(1) for p in parts]).astype(float)
    weights = np.stack([weight[:, p].sum(1) for p in parts]).astype(float)
    return total / (weights + 2), weights


@dataclass(frozen=True)
class _Peak:
    frequency: float
    power: float
    coherence: float
    persistence: float
    amplitude: float

    def proven(self, known: list[float]) -> bool:
        """Whether all four hold; of one that belongs to a line that is proven already, less power is asked for."""
        multiples = [self.frequency * n / f for f in known for n in (1, 2, 3)]
        related = any(abs(m - round(m)) < ALIKE for m in multiples)
        least = LEAST_POWER * (RELATED if related else 1)
        return (
            self.power > least and self.coherence > COHERENT and self.persistence > PERSISTENT and self.amplitude > SEEN
        )


def _strongest(plane: Plane) -> tuple[_Peak, tuple[NDArray, NDArray]]:
    """The strongest line of the rows' spectrum, and that spectrum over its floor."""
    profiles, _ = _profiles(*_residual(plane, LONGEST / 2.5))
    height = profiles.shape[1]
    found = np.fft.rfft(profiles * np.hanning(height), height * PAD, axis=1)
    frequency = np.fft.rfftfreq(height * PAD)
    power = np.abs(found.mean(0)) ** 2
    coherence = power / np.maximum((np.abs(found) ** 2).mean(0), 1e-20)
    floor = ndi.percentile_filter(power, 50, size=40 * PAD + 1) / np.log(2) + 1e-12
    over = power / floor
    inside = (frequency > 1 / LONGEST) & (frequency < 1 / SHORTEST)
    k = int(np.argmax(np.where(inside, over * coherence, 0)))
    sixths = np.array_split(np.arange(height), 6)
    parts = np.array([
        (profiles[:, s].mean(0) * np.hanning(len(s)) * np.exp(-2j * np.pi * frequency[k] * s)).sum() for s in sixths
    ])  # fmt: skip
    persistence = float(np.abs(parts.sum()) / max(np.abs(parts).sum(), 1e-20))
    amplitude = float(4 * np.sqrt(power[k]) / height * 255)
    peak = _Peak(float(frequency[k]), float(over[k]), float(coherence[k]), persistence, amplitude)
    return peak, (frequency[inside], over[inside])


def _demodulated(plane: Plane, frequency: float, peak: _Peak) -> tuple[Line, ...]:
    """The line and its multiples as they run through a plane: strength by place, less that of the side bands."""
    height, width = plane.shape
    y = np.arange(height)[:, None]
    sigma, along = max(6.0, 1.2 / frequency), max(CYCLES / frequency, NARROW)
    rest, weight = _residual(plane, sigma)

    def blurred(a: NDArray) -> NDArray:
        return cv2.GaussianBlur(
            np.asarray(a, np.float32), (0, 0), sigmaX=ACROSS, sigmaY=along, borderType=cv2.BORDER_REFLECT
        )

    known = blurred(weight) + 0.02

    def at(f: float) -> NDArray:
        wave = np.exp(-2j * np.pi * f * y)
        return 2 * (blurred(rest * weight * wave.real) + 1j * blurred(rest * weight * wave.imag)) / known

    found = []
    for k in range(1, HARMONICS + 1):
        f = k * frequency
        if f > HIGHEST:
            break
        strength = at(f) / (1 - np.exp(-2 * (np.pi * f * sigma) ** 2))
        beside = [f + by / along for by in ASIDE]
        sides = np.sort([np.abs(at(b)) ** 2 for b in beside if 0.4 * frequency <= b < HIGHEST], axis=0)
        side = np.sqrt(sides[:2].mean(0))
        side = np.minimum(side, cv2.GaussianBlur(side.astype(np.float32), (0, 0), ACROSS) + 1e-6)
        sum_ = (strength * np.minimum(1, np.abs(strength) / (3 * side + 1e-6))).sum()
        phase = float(np.angle(sum_))
        real = np.real(strength * np.exp(-1j * phase))
        cells = max(1.0, height * width / (ACROSS * along * 12))
        if k > 1 and abs(np.mean(strength)) < 2 * np.mean(side) / np.sqrt(cells):
            continue
        keep = np.clip(1 - (0.7 * side / np.maximum(real, 1e-6)) ** 2, 0, 1) * (real > 0)
        kept = real * cv2.GaussianBlur(keep.astype(np.float32), (0, 0), ACROSS / 2)
        grid = np.ascontiguousarray(kept[::GRID, ::GRID], np.float32)
        found.append(Line(f, phase, grid, peak.power, peak.coherence, peak.persistence, peak.amplitude))
    return tuple(found)


def _frequency(plane: Plane, rough: float) -> float:
    """The frequency of a line, finer than the spectrum's steps."""
    rest, weight = _residual(plane, max(6.0, 1.2 / rough))
    profile = (rest * weight).sum(1) / (weight.sum(1) + 1)
    near = rough + np.linspace(-1, 1, 41) * 0.5 / len(profile)
    y = np.arange(len(profile))
    return float(near[np.argmax([np.abs((profile * np.exp(-2j * np.pi * f * y)).sum()) for f in near])])


def _banding(plane: Plane) -> tuple[bool, float, NDArray]:
    """Whether strips far apart share offsets of their rows, how strong these are (255ths), and the offsets."""
    profiles, weights = _profiles(*_residual(plane, BANDING))
    profiles = profiles - profiles.mean(1, keepdims=True)
    limit = 4 * profiles.std(1, keepdims=True)
    profiles = np.clip(profiles, -limit, limit)
    median = np.median(profiles, 0)
    # an edge that runs across the picture is in few rows, banding is in all
    calm = profiles[:, np.abs(median) <= np.quantile(np.abs(median), CALM_ROWS)]
    pairs = [(calm[i] * calm[j]).mean() for i in range(PARTS) for j in range(i + PARTS // 4, PARTS)]
    common, worst = float(np.median(pairs)) / CALM_SHARE, float(np.quantile(pairs, 0.1)) / CALM_SHARE
    variance = float(profiles.var(1).mean())
    near = np.clip(profiles, median - 3 * variance**0.5, median + 3 * variance**0.5)
    share = weights / (weights + 20) + 1e-6
    rows = (near * share).sum(0) / share.sum(0)
    sigma = max(common, 0) ** 0.5 * 255
    proven = common / max(variance, 1e-12) > SHARED and sigma > BAND_SEEN and worst > SHARED_BY_ALL * common
    return proven, sigma, rows * float(np.clip(common / max(rows.var(), 1e-12), 0, 1))


def prove(brightness: Plane, channels: list[Plane]) -> Striped:
    """Stripes along rows.

    Parameters
    ----------
    brightness : (h, w) encoded, that they are proven on. channels : that they are taken out of.
    """
    if min(brightness.shape) < SMALLEST:
        return Striped()
    lines: list[list[Line]] = [[] for _ in channels]
    seen, own, spectrum = brightness, list(channels), None
    known: list[float] = []
    for _ in range(MOST_LINES):
        peak, over = _strongest(seen)
        spectrum = spectrum or over
        if not peak.proven(known):
            break
        f = _frequency(seen, peak.frequency)
        known.append(f)
        seen = seen - _waves(_demodulated(seen, f, peak), seen.shape)
        for n, plane in enumerate(own):
            found = _demodulated(plane, f, peak)
            lines[n] += found
            own[n] = plane - _waves(found, plane.shape)
    offsets, band = [np.zeros(len(brightness)) for _ in channels], 0.0
    for _ in range(MOST_BANDS):
        proven, sigma, rows = _banding(seen)
        if not proven:
            break
        band = max(band, sigma)
        seen = seen - rows[:, None].astype(np.float32)
        for n, plane in enumerate(own):
            mine = _banding(plane)[2] if len(own) > 1 else rows
            offsets[n] += mine
            own[n] = plane - mine[:, None].astype(np.float32)
    banded = tuple(o.astype(np.float32) for o in offsets) if band > 0 else None
    return Striped(tuple(map(tuple, lines)), banded, spectrum or (np.zeros(0), np.zeros(0)), band)


def _waves(lines: tuple[Line, ...], size: tuple[int, int], y0: int = 0, x0: int = 0) -> Plane:
    """What lines add to a part of a plane that begins at (y0, x0)."""
    out = np.zeros(size, np.float32)
    for line in lines:
        y = np.arange(size[0]) + y0
        strength = between(line.strength, y / GRID, (np.arange(size[1]) + x0) / GRID)
        out += strength * np.cos(2 * np.pi * line.frequency * y + line.phase).astype(np.float32)[:, None]
    return out


def _measure(asked: Asked) -> Stripes:
    pixels = np.asarray(asked.pixels, np.float32)
    if asked.kind is Kind.MOSAIC and asked.sensor is not None:
        brightness = one_brightness(pixels[..., 0], asked.sensor.pattern, 0)
        channels = [brightness]
    else:
        brightness = np.ascontiguousarray(luma(pixels), np.float32)
        channels = [np.ascontiguousarray(pixels[..., c]) for c in range(pixels.shape[2])]
    asked.check()
    rows = prove(brightness, channels)
    asked.check()
    columns = prove(np.ascontiguousarray(brightness.T), [np.ascontiguousarray(c.T) for c in channels])
    asked.check()
    planes, pattern = _by_colour(pixels, asked)
    upright = [(np.ascontiguousarray(p.T), None if w is None else np.ascontiguousarray(w.T)) for p, w in planes]
    lamps = flicker.prove(planes, asked.curve), flicker.prove(upright, asked.curve)
    return Stripes(rows, columns, lamps, pattern)


def _by_colour(pixels: Plane, asked: Asked) -> tuple[list[tuple[Plane, Plane | None]], NDArray | None]:
    """Red, green and blue, and which samples are of each; the colours of a sensor's sites. None of a grey picture."""
    if asked.kind is Kind.MOSAIC and asked.sensor is not None:
        pattern = np.asarray(asked.sensor.pattern)
        plane = np.ascontiguousarray(pixels[..., 0])
        site = _sites(pattern, Region(0, 0, *plane.shape))
        return [(plane, (site == c).astype(np.float32)) for c in range(int(pattern.max()) + 1)], pattern
    if pixels.shape[2] < 3:
        return [(np.ascontiguousarray(pixels[..., 0]), None)], None
    return [(np.ascontiguousarray(pixels[..., c]), None) for c in range(3)], None


def _sites(pattern: NDArray, region: Region) -> NDArray:
    """(h, w) colour of every sample of a region."""
    y, x = np.arange(region.y0, region.y1), np.arange(region.x0, region.x1)
    return pattern[(y % len(pattern))[:, None], x % pattern.shape[1]]


STRIPES = FactKind("stripes", _measure, scope=Scope.WHOLE)

# -------------------------------------------------------------- taking out


def _counts(found: Striped, p: StripesParams) -> bool:
    """Whether what was found along a direction is taken out at these parameters."""
    if found.strongest > ASKS_FROM and not p.strong:
        return False
    return found.offsets is not None or found.power >= p.sure


def _taken(found: Striped, c: int, p: StripesParams, size: tuple[int, int], y0: int, x0: int) -> Plane | None:
    """What is taken out of a channel of a part that begins at (y0, x0)."""
    if not _counts(found, p):
        return None
    lines = tuple(line for line in found.lines[c] if line.power >= p.sure)
    out = _waves(lines, size, y0, x0)
    if found.offsets is not None:
        out = out + found.offsets[c][y0 : y0 + size[0], None]
    return out


def _run(context: Context) -> NDArray[np.float32]:
    found: Stripes = context.facts[STRIPES]
    pixels, region = context.get(INPUT)[0], context.region
    p: StripesParams = context.params
    out = pixels
    for c in range(pixels.shape[2]):
        for wanted, striped, turned in ((p.rows, found.rows, False), (p.columns, found.columns, True)):
            if not wanted or not striped.lines:
                continue
            size, y0, x0 = (region.height, region.width), region.y0, region.x0
            taken = _taken(striped, c, p, size[::-1], x0, y0) if turned else _taken(striped, c, p, size, y0, x0)
            if taken is not None:
                out = out.copy() if out is pixels else out
                out[..., c] -= taken.T if turned else taken
    for wanted, lamps, turned in ((p.rows, found.lamps[0], False), (p.columns, found.lamps[1], True)):
        if wanted and lamps is not None and _lit(lamps, p):
            out = _without_lamps(out, lamps, found.pattern, region, turned)
    return out


def _lit(lamps: Flicker, p: StripesParams) -> bool:
    """Whether these bands are taken out."""
    return p.lamps is Lamps.LIKELY or (p.lamps is Lamps.PROVEN and lamps.proven)


def _without_lamps(
    pixels: Plane, lamps: Flicker, pattern: NDArray | None, region: Region, turned: bool
) -> NDArray[np.float32]:
    along = lamps.gain[region.x0 : region.x1][None] if turned else lamps.gain[region.y0 : region.y1][:, None]
    if pattern is not None:
        whole = np.broadcast_to(along, (region.height, region.width, along.shape[2]))
        gain = np.take_along_axis(whole, _sites(pattern, region)[..., None], 2)
    else:
        gain = np.broadcast_to(along, pixels.shape)
    return flicker.even_light(pixels, gain, lamps.curve)


def _hits(facts: Mapping[FactKind, Any], p: StripesParams) -> Hits:
    found: Stripes = facts[STRIPES]
    both = [(found.rows, p.rows), (found.columns, p.columns)]
    proven = [s for s, wanted in both if wanted and s.lines and _counts(s, p)]
    lamps = [f for f, wanted in zip(found.lamps, (p.rows, p.columns), strict=True) if wanted and f is not None]
    lit = [f for f in lamps if _lit(f, p)]
    unit = mark("× the spectrum's floor")
    shown = max((s for s, _ in both), key=lambda s: float(s.spectrum[1].max(initial=0)))
    asks = ""
    if not proven and not lit:
        strong = any(s.strongest > ASKS_FROM for s, wanted in both if wanted and s.lines)
        asks = mark("strong: look first") if strong and not p.strong else ""
        if lamps and p.lamps is Lamps.PROVEN:
            asks = mark("likely lamps: look first")
    said = _said(proven, lit)
    return Hits(np.zeros((0, 2)), np.zeros(0), unit, bool(proven or lit), shown.spectrum, asks, said)


def _said(proven: list[Striped], lamps: list[Flicker]) -> str:
    """The proof in words."""
    said = []
    if power := max((s.power for s in proven), default=0.0):
        said.append(say("{0:.0f} dB over chance", 10 * np.log10(power)))
    if band := max((s.band for s in proven), default=0.0):
        said.append(say("banding of {0:.1f} of 255", band))
    said += [say("{0:.0f} bands of lamps, {1:.0f} %", f.bands, 100 * f.strength) for f in lamps]
    return ", ".join(said)


def _summary(p: StripesParams) -> str:
    return say("from {0:.0f} × floor", p.sure)


STRIPES_STEP = StepKind(
    id="stripes",
    name="Stripes",
    place=20,
    help="Takes out rows or columns that the sensor wrote, where they are proven; else nothing is changed.",
    params=StripesParams,
    stages=(Stage("take out", _run),),
    summary=_summary,
    facts=lambda p: frozenset({STRIPES}),
    idle=lambda p: not (p.rows or p.columns),
    takes=frozenset({Kind.MOSAIC, Kind.BARE, Kind.MONO, Kind.RGB}),
    hits=_hits,
    full_size=True,
    repairs=True,
    instrument="spectrum",
)
