"""The step Fireflies: samples of a render that one unlikely light path made far too bright, taken out.

A peak is a firefly when it is narrower than any lit thing in the picture can be. Looked at on the logarithm of the
light: how far it stands out of the median around it, in sigma of the noise there and as a share of its surroundings;
then how *narrow* it is, by the third highest value two pixels away (three, of a clump). Lobes, lamps and glints fail
that. A line that runs through a peak or ends in it is a scratch or an edge, and stays.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.curve import Curve
from dustpan.core.defects.refill import REACH, refilled
from dustpan.core.fact import CURVE, PASSES, Asked, Carry, FactKind, Scope
from dustpan.core.hits import Decided, Hits, in_order, near_any
from dustpan.core.language import mark, say
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.params import number
from dustpan.core.passes import ALBEDO, LEAST_ALBEDO, NORMAL, Passes
from dustpan.core.region import Region
from dustpan.core.smooth import gaussian, reach_of
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import EVERY_KIND, StepKind

ROWS, AROUND = 480, 40  # px of a strip, and beyond it that its pixels are judged by
ABREAST = 2  # strips
TIMES = 3  # a bright one hides those beside it
FLOOR, LEAST_FLOOR = 0.02, 1e-6  # of the median light, that is added before the logarithm; and at least
STEPS, ENDS = 255, (0.005, 0.995)  # of the logarithm for medians, between these quantiles
AROUND_IT, NOISE_IN, QUIET_IN = 7, 15, 21  # px across: of the median, of the noise, of the quietest place near by
LEAST_NOISE = 0.03  # sigma of the logarithm, that is always taken to be there
FAINTEST, LEAST_SURE = 0.3, 3.0  # share of the surroundings, and sigma, of what is a candidate
BESIDE, RING_SHARE, CLUMP_SHARE = 0.4, 0.06, 0.04  # of a peak's height, that is left one, two and three px away
LINE_SHARE, END_SHARE = 0.105, 0.25  # of it, along a line that runs through, and that ends there
AS_BRIGHT, PLATEAU = 0.6, 3  # of its light, and how many two px away have that where it belongs to something larger
LARGEST, LONGEST = 14, 5  # px of a clump, and across
SLOPE, LEAST_SLOPES = 8.0, 4  # how much a place of a slope of its own counts less, told from its fifth likest place
GUIDED = 3.0  # difference of normals, or of the logarithm of the albedo, that is 1 in a guide
SPREAD = 8.0  # px, sigma
FOOT, FOOT_NOISE = 0.01, 0.3  # of the peak's height and of the noise, up to which its foot goes with it


def _ring(r: int) -> NDArray[np.intp]:
    """Places at a distance of r px; each is opposite to that at the other end of the list."""
    found = [(y, x) for y in range(-r, r + 1) for x in range(-r, r + 1) if max(abs(y), abs(x)) == r]
    return np.array(found)


RINGS = _ring(1), _ring(2), _ring(3)
BEHIND = np.array([int(np.argmin(((p * 1.5 - RINGS[2]) ** 2).sum(1))) for p in RINGS[1]])  # three px away, the same way


class FirefliesParams(Decided):
    """How sure a find has to be, how far above its surroundings, and what the person has decided."""

    sure: float = number(
        4, 3, 20, label="How sure", unit="σ", digits=1, help="Peaks that stand out less than this stay as they are."
    )  # fmt: skip
    above: float = number(
        0.6,
        0.3,
        20,
        label="Above surroundings",
        unit="×",
        digits=1,
        help="How much brighter than its surroundings a firefly is at least; 1 is twice as bright.",
    )
    spread: float = number(
        0,
        0,
        100,
        label="Spread light",
        unit="%",
        digits=0,
        help="Share of the light taken out that is spread over the surroundings instead of lost.",
    )


@dataclass(frozen=True, eq=False)
class Flies:
    """Fireflies of a picture, before any threshold.

    Attributes
    ----------
    at : (n, 2) their peaks. score : (n,) in sigma of the noise around. above : (n,) of their surroundings.
    pixels : (m, 2) all that they reach, and ``owner`` (m,) of which of them.
    """

    at: NDArray[np.int32]
    score: NDArray[np.float32]
    above: NDArray[np.float32]
    pixels: NDArray[np.int32]
    owner: NDArray[np.int32]

    def chosen(self, p: FirefliesParams) -> NDArray[np.bool_]:
        """Which count at these parameters."""
        return (self.score >= p.sure) & (self.above >= p.above) & ~near_any(self.at, p.spared)

    def marks(self, p: FirefliesParams, within: Region) -> NDArray[np.bool_]:
        """(h, w) the pixels of a region that are to be filled."""
        out = np.zeros((within.height, within.width), bool)
        wanted = [self.pixels[self.chosen(p)[self.owner]] if len(self.at) else self.pixels]
        wanted += [np.array([(round(y) + v, round(x) + u)]) for y, x in p.added for v in (-1, 0, 1) for u in (-1, 0, 1)]
        places = np.concatenate(wanted) - (within.y0, within.x0)
        inside = np.all((places >= 0) & (places < out.shape), axis=1)
        out[tuple(places[inside].T)] = True
        return out


# -------------------------------------------------------------- finding


@dataclass(frozen=True)
class Scale:
    """What holds all over a picture: what is added before the logarithm, and between which ends medians are taken."""

    floor: float
    low: float
    high: float

    @staticmethod
    def of(light: NDArray[np.float32]) -> Scale:
        seen = light[:: max(1, light.shape[0] // 1000), :: max(1, light.shape[1] // 1000)]
        above = seen[seen > 0]
        floor = max(LEAST_FLOOR, FLOOR * float(np.median(above))) if above.size else LEAST_FLOOR
        low, high = np.log(np.quantile(seen, ENDS) + floor)
        return Scale(floor, float(low), float(max(high, low + 1e-6)))

    def logarithm(self, light: NDArray[np.float32]) -> NDArray[np.float32]:
        return np.log(light + np.float32(self.floor))

    def medians(self, light: NDArray[np.float32]) -> NDArray[np.uint8]:
        """The median around every pixel, as one of the steps of the logarithm."""
        steps = (self.logarithm(light) - np.float32(self.low)) * np.float32(STEPS / (self.high - self.low))
        return np.asarray(cv2.medianBlur(np.clip(steps, 0, STEPS).astype(np.uint8), AROUND_IT), np.uint8)

    def values(self, steps: NDArray[np.uint8]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """The logarithm of steps, and its light."""
        table = (np.arange(STEPS + 1) / STEPS * (self.high - self.low) + self.low).astype(np.float32)
        return table[steps], np.exp(table)[steps] - np.float32(self.floor)


def _box(plane: NDArray[np.float32], side: int) -> NDArray[np.float32]:
    return np.asarray(cv2.blur(plane, (side, side), borderType=cv2.BORDER_REFLECT))


def find_in(light: NDArray[np.float32], scale: Scale, medians: NDArray[np.uint8]) -> Flies:
    """The fireflies of a plane of light (h, w), each by itself."""
    middle, around = scale.values(medians)
    off = scale.logarithm(light) - middle
    size = np.abs(off)
    sigma = np.maximum(1.4 * _box(np.minimum(size, 2 * _box(size, NOISE_IN)), NOISE_IN), np.float32(LEAST_NOISE))
    hot = off > np.maximum(np.float32(np.log1p(FAINTEST)), LEAST_SURE * sigma)
    height = np.maximum(light - around, 0)
    top = cv2.dilate(height, np.ones((3, 3), np.uint8))
    y, x = np.nonzero(hot & (height >= top))
    if len(y) == 0:
        return NONE
    # beside a lamp the spread is the lamp's: the noise is that of the quietest place near by
    noise = 2 * cv2.erode(sigma, np.ones((QUIET_IN, QUIET_IN), np.uint8)) * around
    wide = np.pad(height, 3, mode="reflect")
    one, two, three = (wide[y[:, None] + r[:, 0] + 3, x[:, None] + r[:, 1] + 3] for r in RINGS)
    lit = np.pad(light, 3, mode="reflect")[y[:, None] + RINGS[1][:, 0] + 3, x[:, None] + RINGS[1][:, 1] + 3]
    own, quiet = height[y, x], noise[y, x]
    _, labels, boxes, _ = cv2.connectedComponentsWithStats(hot.astype(np.uint8), connectivity=8)
    box = boxes[labels[y, x]]
    long = (box[:, cv2.CC_STAT_AREA] > LARGEST) | (np.maximum(box[:, 2], box[:, 3]) > LONGEST)
    through = np.minimum(two, two[:, ::-1]).max(1) > LINE_SHARE * own + quiet
    ends = np.minimum(two, three[:, BEHIND]).max(1) > END_SHARE * own + quiet
    ends |= long & (np.maximum(two.max(1), three.max(1)) > LINE_SHARE / 0.3 * own + quiet)
    larger = (lit > AS_BRIGHT * light[y, x][:, None]).sum(1) >= PLATEAU
    narrow = ~through & ~ends & ~larger
    single = narrow & (_third(one) < BESIDE * own + quiet) & (_third(two) < RING_SHARE * own + quiet)
    clump = narrow & ~single & ~long & (_third(three) < CLUMP_SHARE * own + quiet)
    kept = np.flatnonzero(single | clump)
    found = _reached(kept, y, x, single, labels, height, noise, hot)
    return Flies(
        np.stack([y[kept], x[kept]], 1).astype(np.int32),
        (off[y, x] / sigma[y, x])[kept],
        np.expm1(off[y, x])[kept],
        *found,
    )


def _third(values: NDArray[np.float32]) -> NDArray[np.float32]:
    return np.partition(values, -3, 1)[:, -3]


def _reached(
    kept: NDArray[np.intp],
    y: NDArray[np.intp],
    x: NDArray[np.intp],
    single: NDArray[np.bool_],
    labels: NDArray[np.int32],
    height: NDArray[np.float32],
    noise: NDArray[np.float32],
    hot: NDArray[np.bool_],
) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """The pixels that each kept peak reaches, and whose they are."""
    h, w = height.shape
    pixels, owners = [], []
    for dy in range(-2, 3):
        for dx in range(-2, 3):
            v, u = y[kept] + dy, x[kept] + dx
            inside = (v >= 0) & (v < h) & (u >= 0) & (u < w)
            v, u = np.clip(v, 0, h - 1), np.clip(u, 0, w - 1)
            if max(abs(dy), abs(dx)) <= 1:
                foot = height[v, u] > np.maximum(FOOT_NOISE * noise[v, u], FOOT * height[y[kept], x[kept]])
                reached = foot | ((dy, dx) == (0, 0))
            else:
                reached = np.zeros(len(kept), bool)
            same = ~single[kept] & hot[v, u] & (labels[v, u] == labels[y[kept], x[kept]])
            mine = np.flatnonzero(inside & (reached | same))
            pixels.append(np.stack([v[mine], u[mine]], 1))
            owners.append(mine)
    return np.concatenate(pixels).astype(np.int32), np.concatenate(owners).astype(np.int32)


def _none() -> Flies:
    whole, real = np.zeros((0, 2), np.int32), np.zeros(0, np.float32)
    return Flies(whole, real, real, whole, np.zeros(0, np.int32))


NONE = _none()


def joined(parts: list[Flies]) -> Flies:
    """Several as one."""
    first = np.cumsum([0, *(len(p.at) for p in parts)])
    owner = np.concatenate([p.owner + n for p, n in zip(parts, first[:-1], strict=True)]).astype(np.int32)
    at, score, above, pixels = (
        np.concatenate([getattr(p, n) for p in parts]) for n in ("at", "score", "above", "pixels")
    )
    return Flies(at, score, above, pixels, owner)


def find(light: NDArray[np.float32], check: Callable[[], None] = lambda: None) -> Flies:
    """The fireflies of a whole plane of light (h, w)."""
    light = light.copy()
    scale = Scale.of(light)
    h, w = light.shape
    found: list[Flies] = []
    marked, known = np.zeros((h, w), bool), np.zeros((h, w), bool)  # what is filled, and peaks of before
    strips = [Region(y, 0, min(y + ROWS, h), w) for y in range(0, h, ROWS)]
    medians: dict[Region, NDArray[np.uint8]] = {}  # what is filled later hardly moves them

    def in_strip(strip: Region) -> Flies:
        check()
        seen = strip.grown(AROUND).within((h, w))
        own = light[seen.slices()]
        if strip not in medians:
            medians[strip] = scale.medians(own)
        here = _only_in(find_in(own, scale, medians[strip]), strip, seen)
        return _fresh(_moved(here, seen), marked, known)

    with ThreadPoolExecutor(ABREAST, thread_name_prefix="fireflies") as pool:
        for _ in range(TIMES):
            new = dict(zip(strips, pool.map(in_strip, strips), strict=True))
            strips = [strip for strip, here in new.items() if len(here.at)]
            if not strips:
                break
            every = joined([new[strip] for strip in strips])
            found.append(every)
            known[tuple(every.at.T)] = True
            sure = every.pixels[((every.score >= DEFAULT.sure) & (every.above >= DEFAULT.above))[every.owner]]
            marked[tuple(sure.T)] = True
            if len(sure):
                at = tuple(sure.T)
                light[at] = refilled(light[..., None], sure, marked)[:, 0]
    return joined(found) if found else NONE


def _only_in(found: Flies, strip: Region, seen: Region) -> Flies:
    """Those whose peak lies in the strip."""
    inside = (found.at[:, 0] + seen.y0 >= strip.y0) & (found.at[:, 0] + seen.y0 < strip.y1)
    return _kept(found, inside)


def _kept(found: Flies, which: NDArray[np.bool_]) -> Flies:
    number = np.cumsum(which) - 1
    mine = which[found.owner]
    owner = number[found.owner[mine]].astype(np.int32)
    return Flies(found.at[which], found.score[which], found.above[which], found.pixels[mine], owner)


def _moved(found: Flies, seen: Region) -> Flies:
    by = np.array([seen.y0, seen.x0], np.int32)
    return Flies(found.at + by, found.score, found.above, found.pixels + by, found.owner)


def _fresh(found: Flies, *known: NDArray[np.bool_]) -> Flies:
    at = tuple(found.at.T)
    return _kept(found, ~np.any([mask[at] for mask in known], axis=0)) if len(found.at) else found


DEFAULT = FirefliesParams()


@dataclass(frozen=True, eq=False)
class Found:
    """The fireflies of a picture; ``looked`` : whether they were looked for."""

    flies: Flies
    looked: bool


def _measure(asked: Asked) -> Found:
    """Only in scene-linear pictures that are no frames of the sky: elsewhere narrow peaks are stars, or cut off."""
    if asked.scale is None or asked.scale.from_sky or min(asked.size) < AROUND_IT:
        return Found(NONE, looked=False)
    light = np.empty(asked.size, np.float32)
    for strip, _, pixels in asked.strips(ROWS):
        light[strip.slices()] = np.maximum(luma(np.asarray(asked.curve.decode(pixels), np.float32)), 0)
    found = find(light, asked.check)
    return Found(found if asked.passes is None else believed(found, light, asked.passes), looked=True)


FIREFLIES_FOUND = FactKind("fireflies", _measure, scope=Scope.WHOLE)


def believed(found: Flies, light: NDArray[np.float32], passes: Passes) -> Flies:
    """What passes say of fireflies: that a place is brighter by its colour, or the only one of its slope, counts."""
    if len(found.at) == 0:
        return found
    last = np.array(light.shape) - 1
    y, x = found.at.T
    near = np.clip(found.at[:, None] + RINGS[1], 0, last)
    ring = near[..., 0], near[..., 1]
    above: NDArray = found.above
    if ALBEDO in passes:
        own, around = (np.clip(luma(passes.at(ALBEDO, *at)), LEAST_ALBEDO, 1) for at in ((y, x), ring))
        above = above / np.maximum(own / np.median(around, 1), 1)
    if NORMAL in passes:
        off = np.linalg.norm(passes.at(NORMAL, y, x)[:, None] - passes.at(NORMAL, *ring), axis=2)
        above = above / (1 + SLOPE * np.partition(off, LEAST_SLOPES, 1)[:, LEAST_SLOPES])
    return replace(found, above=np.asarray(above, np.float32))


# -------------------------------------------------------------- filling


def _run(context: Context) -> NDArray[np.float32]:
    p: FirefliesParams = context.params
    pixels, have = context.get(INPUT, _reach(p))
    region = context.region
    inner = pixels[region.slices(have)]
    marked = context.facts[FIREFLIES_FOUND].flies.marks(p, have)
    if not marked.any():
        return inner
    curve: Curve = context.facts[CURVE]
    near = np.zeros_like(marked)
    needed = region.grown(_spreads(p)).within(context.size)
    near[needed.slices(have)] = marked[needed.slices(have)]
    at = np.argwhere(near)
    light = np.asarray(curve.decode(pixels), np.float32)
    filled = light.copy()
    filled[near] = refilled(light, at, marked, _guide(context.facts[PASSES], have))
    ys, xs = region.slices(have)
    out, here, found = inner.copy(), near[ys, xs], filled[ys, xs]
    if p.spread > 0:
        lost = np.maximum(light - filled, 0)[needed.slices(have)]
        given = np.stack([gaussian(np.ascontiguousarray(lost[..., c]), SPREAD) for c in range(lost.shape[2])], -1)
        given = given[region.slices(needed)] * np.float32(p.spread / 100)
        found, here = found + given, here | np.any(given > 0, axis=2)
    out[here] = curve.encode(found[here])  # all others to the bit as they were
    return out


def _spreads(p: FirefliesParams) -> int:
    return reach_of(SPREAD) if p.spread > 0 else 0


def _reach(p: FirefliesParams) -> int:
    return REACH + _spreads(p)


def _guide(passes: Passes | None, region: Region) -> NDArray[np.float32] | None:
    """What is alike on one surface, as `refilled` takes it."""
    if passes is None:
        return None
    found: list[NDArray] = [GUIDED * np.log(passes.albedo(region))] if ALBEDO in passes else []
    found += [GUIDED * passes.of(NORMAL, region)] if NORMAL in passes else []
    return np.concatenate(found, -1).astype(np.float32)


# -------------------------------------------------------------- what is told


def _hits(facts: Mapping[FactKind, Any], p: FirefliesParams) -> Hits:
    found: Found = facts[FIREFLIES_FOUND]
    chosen = found.flies.chosen(p)
    hits = in_order(found.flies.at[chosen], found.flies.score[chosen], mark("σ above the light around"))
    return hits if found.looked else replace(hits, proven=False, calm=mark("only renders in linear light have them"))


def _handed_on(asked: Asked, p: FirefliesParams) -> NoisePrint | None:
    """Noise is not what is taken out; only where it is told from brightness it is measured anew."""
    noise: NoisePrint = asked.needs[NOISE_PRINT]
    return noise if noise.in_proportion else None


FIREFLIES = StepKind(
    id="fireflies",
    name="Fireflies",
    place=12,
    help="Finds single samples of a render that are far too bright, and fills them from around; glints and lamps stay.",
    params=FirefliesParams,
    stages=(Stage("fill", _run, reach=_reach),),
    summary=lambda p: say("from {0:.0f} σ", p.sure),
    facts=lambda p: frozenset({FIREFLIES_FOUND, CURVE, PASSES}),
    carries={NOISE_PRINT.name: Carry(needs=(NOISE_PRINT,), kinds=EVERY_KIND, make=_handed_on)},
    hits=_hits,
    full_size=True,
    repairs=True,
    instrument="hits",
)
