"""The step Hot pixels: sites that read too high or too low, found by their shape and filled from their neighbours.

Looked for on a sensor's samples where there are any; on one channel; on a demosaiced picture by way of the samples that
it was made of; and channel by channel where those cannot be told.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import partial
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.curve import LINEAR, Curve
from dustpan.core.defects import peaks
from dustpan.core.defects.peaks import AROUND, Peaks
from dustpan.core.defects.unmix import Mixing, samples_of, unmix
from dustpan.core.develop import demosaic
from dustpan.core.develop.sensor_noise import SENSOR
from dustpan.core.fact import CURVE, Asked, FactKind, Scope
from dustpan.core.hits import Decided, Hits, in_order, near_any
from dustpan.core.language import mark, say
from dustpan.core.params import choice, number
from dustpan.core.picture import Kind, Sensor
from dustpan.core.region import Region
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import StepKind

ROWS = 480  # of a strip: whole periods
REACH = 12  # px that filling reads around a hit
NEAR = 3  # px: how far samples of the same colour may lie that one is filled from
LOCAL = 6.0  # px, sigma of the local mean that brings the colours of a mosaic to one brightness
# of a peak, by which its neighbours are uncertain: where samples were told back, and where channels have to do
TOLD_BACK, IN_CHANNELS = 0.012, 0.04
SAMPLE, MOST_SAMPLES = 256, 24  # px and number of the tiles that a demosaiced picture is unmixed on
COARSE = 16  # mean step of a JPEG from which single pixels are marks of the compression
LEAST_LIGHT, LEAST_ENCODED = 3e-5, 0.4 / 255  # sigma that rounding leaves
SKY_LIKE = 6.0  # bright peaks for each dark one, from which peaks are stars or defects before a sky
TWO = ((-2, 0), (2, 0), (0, -2), (0, 2))


class Which(StrEnum):
    """Those that read too high, too low, or both."""

    BOTH = mark("both")
    BRIGHT = mark("bright")
    DARK = mark("dark")


class HotPixelsParams(Decided):
    """How sure a hit has to be, how large it may be, and what the person has decided."""

    sure: float = number(
        6, 4, 40, label="How sure", unit="σ", digits=1, help="Defects that stand out less than this stay as they are."
    )  # fmt: skip
    largest: float = number(
        3, 1, 3, label="Largest", unit="px", digits=0, help="1 takes single ones, 2 pairs as well, 3 small clusters."
    )  # fmt: skip
    which: Which = choice(Which, Which.BOTH, label="Which", help="Pixels that read too high, too low, or both.")


@dataclass(frozen=True, eq=False)
class Found:
    """What was found, before any threshold.

    ``peaks`` : of each plane that was looked at, bright and then dark ones. ``planes`` : their channels; None of all.
    ``mixing`` : how a demosaiced picture gives its samples back, where it does. ``in_light`` : heights and scales are
    of light; of encoded values otherwise. noise : of the picture, where no peaks tell it. curve : how a demosaiced
    picture relates to light where its samples tell that it is another one than it says; None where they do not.
    """

    peaks: tuple[tuple[Peaks, Peaks], ...]
    planes: tuple[int | None, ...]
    mixing: Mixing | None = None
    in_light: bool = True
    noise: float = 0.0
    curve: Curve | None = None

    def chosen(
        self, p: HotPixelsParams
    ) -> tuple[NDArray[np.float64], NDArray[np.float32], NDArray[np.float32], NDArray]:
        """Places (n, 2), scores, scales and channels (-1 for all) of the hits at these parameters."""
        rows = []
        for (bright, dark), plane in zip(self.peaks, self.planes, strict=True):
            for found, wanted in ((bright, Which.BRIGHT), (dark, Which.DARK)):
                if p.which in (Which.BOTH, wanted):
                    hit = found.chosen(p.sure, int(p.largest))
                    channel = np.full(hit.sum(), -1 if plane is None else plane)
                    rows.append(
                        np.column_stack([found.at[hit], found.score(int(p.largest))[hit], found.sigma[hit], channel])
                    )
        whole = np.concatenate(rows) if rows else np.zeros((0, 5))
        whole = whole[~near_any(whole[:, :2], p.spared)]
        if p.added:
            usual = float(np.median([s for pair in self.peaks for f in pair for s in f.sigma] or [self.noise]))
            there = {(round(y), round(x)) for y, x in whole[:, :2]}
            more = [(round(y), round(x), p.sure, usual, -1) for y, x in p.added if (round(y), round(x)) not in there]
            whole = np.concatenate([whole, np.array(more).reshape(-1, 5)])
        return whole[:, :2], whole[:, 2].astype(np.float32), whole[:, 3].astype(np.float32), whole[:, 4].astype(int)


def _untold(pixels: NDArray[np.float32]) -> Found:
    """Where defects cannot be told from what is there; places that a person adds are filled with noise like it."""
    rest = np.diff(pixels[..., 0], axis=1)
    return Found((), (), in_light=False, noise=float(1.4826 * np.median(np.abs(rest)) / 2**0.5) if rest.size else 0.0)


# -------------------------------------------------------------- finding


def one_brightness(samples: NDArray[np.float32], pattern: tuple[tuple[int, ...], ...], y0: int) -> NDArray[np.float32]:
    """A mosaic, whose first row is row ``y0`` of the picture, with its local colour taken out."""
    rows, columns = len(pattern), len(pattern[0])
    site = np.asarray(pattern)[(np.arange(len(samples)) + y0)[:, None] % rows, np.arange(samples.shape[1]) % columns]
    calm = np.minimum(samples, cv2.erode(cv2.dilate(cv2.medianBlur(samples, 5), np.ones((5, 5))), np.ones((3, 3))))
    means, spans, out = [], [], np.zeros_like(samples)
    for c in range(int(site.max()) + 1):
        own = (site == c).astype(np.float32)
        weight = cv2.GaussianBlur(own, (0, 0), LOCAL, borderType=cv2.BORDER_REFLECT_101)
        mean = cv2.GaussianBlur(calm * own, (0, 0), LOCAL, borderType=cv2.BORDER_REFLECT_101) / np.maximum(weight, 1e-6)
        means.append(mean)
        spans.append(float(np.median(np.abs((samples - mean)[site == c]))) + 1e-12)
    usual = float(np.mean(spans))
    for c, (mean, span) in enumerate(zip(means, spans, strict=True)):
        out = np.where(site == c, (samples - mean) * np.float32((usual / span) ** 0.5), out)
    return np.asarray(out + np.mean(means, 0), np.float32)


Plane = NDArray[np.float32]
PlaneOf = Callable[[Plane, int], Plane]


def _measure(asked: Asked) -> Found:
    coarse = any(np.mean(table) > COARSE for table in asked.quantisation.values())
    if min(asked.size) < 2 * AROUND or coarse:
        return _untold(asked.pixels)
    if asked.kind is Kind.RGB:
        made = _making(asked)
        if made is not None:
            mixing, curve = made
            found = _both(replace(asked, curve=curve), partial(_samples, mixing), TWO, True, TOLD_BACK)
            return Found((found,), (None,), mixing, curve=curve)
        own = partial(_both, asked, same=(), in_light=asked.scale is not None, unsure=IN_CHANNELS)
        each = tuple(own(partial(_channel, c)) for c in range(3))
        each = tuple((_on_top(asked, bright), dark) for bright, dark in each)
        bright, dark = (sum(pair[k].peaked for pair in each) for k in (0, 1))
        frame = asked.scale is not None and asked.scale.from_sky
        if not frame and bright < SKY_LIKE * dark:  # what peaks up and down alike is texture
            return _untold(asked.pixels)
        return Found(each, (0, 1, 2), in_light=asked.scale is not None)
    if asked.kind is Kind.MOSAIC and asked.sensor is not None:
        of_mosaic = partial(_mosaic, asked.sensor.pattern)
        same = TWO if asked.sensor.period == (2, 2) else ()
        return Found((_both(asked, of_mosaic, same, in_light=True),), (None,))
    linear = asked.scale is not None or asked.kind is Kind.BARE
    return Found((_both(asked, partial(_channel, 0), (), linear),), (None,), in_light=linear)


def _making(asked: Asked) -> tuple[Mixing, Curve] | None:
    """How a demosaiced picture was made of samples, and in which light; None where it is not told.

    Values in proportion to light without a profile say so themselves: only in light do neighbours lie half-way.
    """
    tiles = _tiles(asked)
    found = []
    for curve in dict.fromkeys((asked.curve, LINEAR)):
        light = [np.asarray(curve.decode(t), np.float32) for t in tiles]
        asked.check()
        mixing = unmix(light)
        if mixing is not None:
            found.append((misfit(light, mixing), mixing, curve))
    return min(found, key=lambda made: made[0])[1:] if found else None


def misfit(tiles: Sequence[NDArray[np.float32]], mixing: Mixing) -> float:
    """How far light (h, w, 3) is from what linear interpolation makes of its samples, in shares of its fine detail."""
    off = detail = 0.0
    for light in tiles:
        samples = samples_of(light, mixing, 0, 0)
        whole = Region(0, 0, *samples.shape)
        again = demosaic.linear(samples, whole, whole, mixing.pattern, smooth=True) @ mixing.matrix.T.astype(np.float32)
        inner = np.s_[4:-4, 4:-4]
        off += float(np.abs(again - light)[inner].sum())
        detail += float(np.abs(light - cv2.blur(light, (3, 3)))[inner].sum())
    return off / max(detail, 1e-12)


def _on_top(asked: Asked, found: Peaks) -> Peaks:
    """Those peaks of a channel that are the brightest place within 2 px in all channels together.

    A demosaic leaves narrow peaks of one channel on the flanks of a star; the star itself is brighter beside them.
    """
    top = np.zeros(len(found.at), bool)
    for strip, seen, pixels in asked.strips(ROWS, AROUND):
        grey = np.ascontiguousarray(pixels.mean(2), np.float32)
        most = cv2.dilate(grey, np.ones((5, 5), np.uint8))
        here = np.flatnonzero((found.at[:, 0] >= strip.y0) & (found.at[:, 0] < strip.y1))
        y, x = found.at[here, 0] - seen.y0, found.at[here, 1]
        top[here] = grey[y, x] >= most[y, x]
    return found.only(top)


def _channel(c: int, pixels: Plane, y0: int) -> Plane:
    return pixels[..., c]


def _mosaic(pattern: tuple[tuple[int, ...], ...], light: Plane, y0: int) -> Plane:
    return one_brightness(light[..., 0], pattern, y0)


def _samples(mixing: Mixing, light: Plane, y0: int) -> Plane:
    """Of a demosaiced picture; every site of 2 x 2 is brought to one brightness."""
    return one_brightness(samples_of(light, mixing, y0, 0), ((0, 1), (2, 3)), y0)


def _both(
    asked: Asked, plane_of: PlaneOf, same: tuple[tuple[int, int], ...], in_light: bool, unsure: float = 0.0
) -> tuple[Peaks, Peaks]:
    """Bright and dark peaks of a plane that is made of each strip.

    ``in_light`` : on light, as sensors have it; else on encoded values, where noise is more even.
    """

    def strips(sign: int) -> Iterator[tuple[int, int, Plane]]:
        for strip, seen, pixels in asked.strips(ROWS, AROUND):
            values = asked.curve.decode(pixels) if in_light else pixels
            plane = plane_of(np.asarray(values, np.float32), seen.y0)
            yield strip.y0, strip.y1, np.ascontiguousarray(sign * plane, np.float32)

    least = LEAST_LIGHT if in_light else LEAST_ENCODED
    return peaks.find(partial(strips, 1), same, least, unsure), peaks.find(partial(strips, -1), same, least, unsure)


def _tiles(asked: Asked) -> list[NDArray[np.float32]]:
    """Encoded values of parts of a picture, beginning at even places."""
    h, w = asked.size
    step = max(1, int(np.ceil(np.sqrt((h // SAMPLE or 1) * (w // SAMPLE or 1) / MOST_SAMPLES))))
    found = []
    for y in range(0, max(1, h - SAMPLE + 1), SAMPLE * step):
        for x in range(0, max(1, w - SAMPLE + 1), SAMPLE * step):
            asked.check()
            part = asked.read(Region(y, x, min(y + SAMPLE, h), min(x + SAMPLE, w)))
            found.append(np.asarray(part, np.float32))
    return found


HOT = FactKind("hot pixels", _measure, scope=Scope.WHOLE)

# -------------------------------------------------------------- filling


def filled(
    samples: NDArray[np.float32],
    at: NDArray[np.intp],
    sigma: NDArray[np.float32],
    pattern: tuple[tuple[int, ...], ...],
    origin: tuple[int, int],
) -> NDArray[np.float32]:
    """The same as `estimated`, with noise of the same strength on it.

    Or a repaired site would be seen as a calm hole. The noise depends on the place alone.
    """
    out = estimated(samples, at, sigma, pattern, origin)
    spread = np.array([_normal(y + origin[0], x + origin[1]) for y, x in at.tolist()], np.float32)
    return out + np.float32(0.8) * sigma * spread


def estimated(
    samples: NDArray[np.float32],
    at: NDArray[np.intp],
    sigma: NDArray[np.float32],
    pattern: tuple[tuple[int, ...], ...],
    origin: tuple[int, int],
) -> NDArray[np.float32]:
    """Values for sites (n, 2) of a plane, from good neighbours of the same colour along the local structure.

    Pairs of opposite neighbours speak the louder the nearer they are and the more alike.

    Parameters
    ----------
    samples : (h, w) light. at : places in it. sigma : of the noise there. pattern : of the filter; ((0,),) without one.
    origin : place of the first sample in the picture.
    """
    bad = np.zeros(samples.shape, bool)
    bad[at[:, 0], at[:, 1]] = True
    out = np.empty(len(at), np.float32)
    rows, columns = len(pattern), len(pattern[0])
    phase = [((y + origin[0]) % rows, (x + origin[1]) % columns) for y, x in at.tolist()]
    for p in sorted(set(phase)):
        here = np.array([q == p for q in phase])
        out[here] = _along(samples, bad, at[here], sigma[here], _offsets(pattern, p))
    return out


def _offsets(pattern: tuple[tuple[int, ...], ...], phase: tuple[int, int]) -> list[tuple[int, int]]:
    """Half of the places of the same colour around a site; the others are opposite."""
    rows, columns = len(pattern), len(pattern[0])
    own = pattern[phase[0]][phase[1]]
    near = 1 if (rows, columns) == (1, 1) else 2 if rows == 2 else NEAR
    found = []
    for dy in range(near + 1):
        for dx in range(-near, near + 1):
            if (dy, dx) > (0, 0) and all(
                pattern[(phase[0] + s * dy) % rows][(phase[1] + s * dx) % columns] == own for s in (-1, 1)
            ):
                found.append((dy, dx))
    return found


def _along(samples: NDArray, bad: NDArray, at: NDArray, sigma: NDArray, offsets: list[tuple[int, int]]) -> NDArray:
    h, w = samples.shape
    total, weight = np.zeros(len(at), np.float32), np.full(len(at), 1e-9, np.float32)
    single, singles = np.zeros(len(at), np.float32), np.zeros(len(at), np.float32)
    for dy, dx in offsets:
        values, good = [], []
        for s in (-1, 1):
            y, x = at[:, 0] + s * dy, at[:, 1] + s * dx
            inside = (y >= 0) & (y < h) & (x >= 0) & (x < w)
            y, x = np.clip(y, 0, h - 1), np.clip(x, 0, w - 1)
            values.append(samples[y, x])
            good.append(inside & ~bad[y, x])
            single += np.where(good[-1], values[-1], 0) / (dy * dy + dx * dx)
            singles += good[-1] / np.float32(dy * dy + dx * dx)
        alike = (values[0] - values[1]) ** 2 / np.maximum(2 * sigma * sigma, 1e-20)
        share = (good[0] & good[1]) / ((1 + alike) * (dy * dy + dx * dx))
        total += share * (values[0] + values[1]) / 2
        weight += share
    alone = single / np.maximum(singles, np.float32(1e-9))
    if (lost := singles == 0).any():
        alone[lost] = cv2.medianBlur(np.ascontiguousarray(samples, np.float32), 5)[at[lost, 0], at[lost, 1]]
    return np.where(weight > 1e-6, total / weight, alone).astype(np.float32)


def _normal(y: int, x: int) -> float:
    """A normal number that depends on the place alone, within two sigmas."""
    rng = np.random.default_rng(np.uint64(y) * np.uint64(2654435761) + np.uint64(x))
    return float(np.clip(rng.normal(), -2, 2))


def _run(context: Context) -> NDArray[np.float32]:
    found: Found = context.facts[HOT]
    pixels, have = context.get(INPUT, REACH)
    region = context.region
    inner = pixels[region.slices(have)]
    at, _, sigma, channel = found.chosen(context.params)
    near = (
        (at[:, 0] >= have.y0) & (at[:, 0] < have.y1) & (at[:, 1] >= have.x0) & (at[:, 1] < have.x1)
    )  # fmt: skip
    if not near.any():
        return inner
    local = np.rint(at[near]).astype(np.intp) - np.array([have.y0, have.x0])
    sensor: Sensor | None = context.facts[SENSOR]
    curve = context.facts[CURVE]
    if found.mixing is not None:
        return _remade(pixels, have, region, local, sigma[near], found.mixing, found.curve or curve)
    out = inner.copy()
    pattern = sensor.pattern if sensor is not None and pixels.shape[2] == 1 else ((0,),)
    for c in range(pixels.shape[2]):
        mine = (channel[near] == -1) | (channel[near] == c)
        if mine.any():
            plane = np.asarray(curve.decode(pixels[..., c]) if found.in_light else pixels[..., c], np.float32)
            values = filled(plane, local[mine], sigma[near][mine], pattern, (have.y0, have.x0))
            values = np.asarray(curve.encode(values) if found.in_light else values, np.float32)
            _put(out[..., c], region, have, local[mine], values)
    return out


def _put(out: NDArray, region: Region, have: Region, local: NDArray[np.intp], values: NDArray[np.float32]) -> None:
    y, x = local[:, 0] + have.y0 - region.y0, local[:, 1] + have.x0 - region.x0
    inside = (y >= 0) & (y < region.height) & (x >= 0) & (x < region.width)
    out[y[inside], x[inside]] = values[inside]


def _remade(
    pixels: NDArray[np.float32],
    have: Region,
    region: Region,
    local: NDArray,
    sigma: NDArray,
    mixing: Mixing,
    curve: Any,
) -> NDArray[np.float32]:
    """A demosaiced part with the crosses of its hits made anew from repaired samples."""
    light = np.asarray(curve.decode(pixels), np.float32)
    samples = samples_of(light, mixing, have.y0, have.x0)
    pattern = mixing.pattern
    samples[local[:, 0], local[:, 1]] = filled(samples, local, sigma, pattern, (have.y0, have.x0))
    bad = np.zeros(samples.shape, np.uint8)
    bad[local[:, 0], local[:, 1]] = 1
    near = cv2.dilate(bad, np.ones((3, 3), np.uint8)) > 0
    own = demosaic.linear(samples, have, have, pattern, smooth=True)
    made = np.asarray(curve.encode(own @ mixing.matrix.T.astype(np.float32)), np.float32)
    out = np.where(near[..., None], np.clip(made, 0, None), pixels)
    return np.ascontiguousarray(out[region.slices(have)])


# -------------------------------------------------------------- what is told


def _hits(facts: Mapping[FactKind, Any], p: HotPixelsParams) -> Hits:
    found: Found = facts[HOT]
    unit = mark("σ narrower than the picture's own peaks")
    at, score, _, _ = found.chosen(p)
    keep = np.unique(at, axis=0, return_index=True)[1] if len(at) else np.zeros(0, int)
    return in_order(at[keep], score[keep], unit)


def _summary(p: HotPixelsParams) -> str:
    return say("from {0:.0f} σ", p.sure)


HOT_PIXELS = StepKind(
    id="hot-pixels",
    name="Hot pixels",
    place=10,
    help="Finds pixels that read too high or too low by their shape, and fills them from their neighbours.",
    params=HotPixelsParams,
    stages=(Stage("fill", _run, reach=REACH),),
    summary=_summary,
    facts=lambda p: frozenset({HOT, SENSOR, CURVE}),
    takes=frozenset({Kind.MOSAIC, Kind.BARE, Kind.MONO, Kind.RGB}),
    hits=_hits,
    full_size=True,
    repairs=True,
    instrument="hits",
)
