"""The step Haze: the veil of scattered light between the lens and far things, lifted by how much of it is there.

What is seen is the scene's light times the transmission t of the air, and the airlight A times the rest: I = J t +
A (1 - t), in linear light. Of most patches of a scene without haze some pixel has a channel that is dark; what is light
there is the veil. :mod:`dustpan.core.defects.airlight` tells how bright and coloured the air is. The transmission is
found on a reduced picture and brought to every pixel along the edges of its own light. Haze counts as proven where even
large patches *with detail* hold nothing dark; other pictures come back to the bit.

The sky has nothing to bring out: what is as bright and coloured as the airlight, smooth, and hangs together with the
upper edge keeps most of its veil. Lifting raises noise by 1/t, by place; that is handed on to what follows.

References
----------
[1] K. He, J. Sun, X. Tang, "Single image haze removal using dark channel prior", CVPR 2009.
[2] K. He, J. Sun, "Fast guided filter", arXiv:1505.00996, 2015: coefficients from a reduced picture.
[3] H. Koschmieder, "Theorie der horizontalen Sichtweite", 1924.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.curve import Curve
from dustpan.core.defects.airlight import airlight_of, box, dark_channel, rough
from dustpan.core.fact import CURVE, Asked, FactKind, Scope
from dustpan.core.hits import Hits, in_order
from dustpan.core.language import mark, say
from dustpan.core.noise_of.effect import Effect, Left, Seen
from dustpan.core.noise_of.places import Grid
from dustpan.core.params import Params, choice, number
from dustpan.core.region import Region
from dustpan.core.smooth import gaussian, reach_of
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import Aside, StepKind

Plane = NDArray[np.float32]

REDUCED, ROWS, SMALLEST = 800, 480, 48  # px of the longer side that haze is looked for at; of a strip; of a picture
SOFT = 1.0  # px, sigma: what is looked at, and what guides
DARK, LARGE, REFINED = 90, 24, 24  # parts of the longer side: of a dark patch, of a large one, of the guide's window
EVEN = 1e-3  # variance that the guide takes for flat
KEPT = 0.97  # of the veil that is taken for one; a little tells distance
FAR = 0.3  # transmission of a far place that still shows something
LEAST, HELD = 0.06, 0.5  # transmission of the farthest; and of a sky that is held back
PROVEN, NOTHING_DARK, DETAIL = 0.35, 0.07, 0.5  # share of large patches; of the airlight; of the usual roughness
ALIKE, FLAT, JOINED = 0.08, 0.015, 0.3  # of the airlight; roughness; and how much both say so, of a sky
BINS = 48
RAISED = (0.05, 40.0)  # factors on the noise that are believed
FAINTEST = 1e-3  # sigma of encoded values


class Veil(StrEnum):
    """The colour of the veil."""

    MEASURED = "measured"
    NEUTRAL = "neutral"


class HazeParams(Params):
    """How much of the veil is lifted, and what is held."""

    strength: float = number(
        100, 0, 100, label="Strength", unit="%", digits=0, help="How much of the veil is lifted, where it is proven."
    )
    sky: float = number(
        100,
        0,
        100,
        label="Hold the sky",
        unit="%",
        digits=0,
        help="How much a sky is spared, which has only noise to show.",
    )
    exposure: float = number(
        0, -2, 2, label="Exposure", unit="EV", digits=1, help="Light of the result; near things keep theirs at 0."
    )
    veil: Veil = choice(
        Veil,
        Veil.MEASURED,
        label="Veil",
        help="Its colour: as it was measured, or neutral, so that the light's own cast stays.",
    )


@dataclass(frozen=True, eq=False)
class Hazy:
    """What was found of haze.

    Attributes
    ----------
    airlight : (C,) light of the air. share : of the large patches that hold nothing dark.
    slope, offset : on a grid, that turn the guide into transmission. sky : the same for how much a place is sky.
    seen : (h, w) the transmission of the reduced picture. size : (height, width) of the whole picture.
    """

    airlight: NDArray[np.float32]
    share: float
    slope: Grid
    offset: Grid
    sky: tuple[Grid, Grid]
    seen: Plane
    size: tuple[int, int]

    @property
    def far(self) -> tuple[int, int]:
        """A place that lies behind much of the veil and still shows something, in px."""
        soft = box(self.seen, max(self.seen.shape) // LARGE)
        y, x = np.unravel_index(int(np.argmin(np.abs(soft - FAR))), soft.shape)
        return int((y + 0.5) * self.size[0] / soft.shape[0]), int((x + 0.5) * self.size[1] / soft.shape[1])

    @property
    def proven(self) -> bool:
        return self.share >= PROVEN

    def transmission(self, guide: Plane, region: Region, p: HazeParams) -> Plane:
        """(h, w) at every pixel of a region, from the guide (h, w) there."""
        t = np.clip(self.slope.at(region) * guide + self.offset.at(region), LEAST, 1)
        sky = np.clip(self.sky[0].at(region) * guide + self.sky[1].at(region), 0, 1) * np.float32(p.sky / 100)
        t = t + sky * (np.maximum(t, np.float32(HELD)) - t)
        return np.asarray(1 - np.float32(p.strength / 100) * (1 - t), np.float32)

    def air(self, p: HazeParams) -> NDArray[np.float32]:
        """The airlight as the veil's colour is taken."""
        return self.airlight if p.veil is Veil.MEASURED else np.full_like(self.airlight, self.airlight.mean())


# -------------------------------------------------------------- looking


def _along(guide: Plane, plane: Plane, radius: int, even: float) -> tuple[Plane, Plane]:
    """Slope and offset that make a plane of a guide, see [2]."""
    mean_guide, mean = box(guide, radius), box(plane, radius)
    slope = (box(guide * plane, radius) - mean_guide * mean) / (box(guide * guide, radius) - mean_guide**2 + even)
    return box(slope, radius), box(mean - slope * mean_guide, radius)


def _sky_of(light: NDArray[np.float32], air: NDArray[np.float32], uneven: Plane) -> Plane:
    """How much every place is sky: as bright and coloured as the air, smooth, joined to the upper edge."""
    longer = max(uneven.shape)
    far = np.exp(-((np.abs(light - air).max(2) / (ALIKE * air.max())) ** 2))
    flat = np.exp(-((np.maximum(uneven - np.quantile(uneven, 0.1), 0) / FLAT) ** 2))
    _, labels = cv2.connectedComponents((far * flat > JOINED).astype(np.uint8))
    top = np.unique(labels[: max(3, longer // 60)])
    sky = np.asarray(far * flat * np.isin(labels, top[top > 0]), np.float32)
    return np.clip(1.3 * gaussian(sky, longer / 200), 0, 1)


def look(light: NDArray[np.float32], size: tuple[int, int], by: int) -> Hazy:
    """What is found in a picture's light (h, w, C), reduced ``by`` times from (height, width)."""
    longer = max(light.shape[:2])
    soft = np.stack([gaussian(np.ascontiguousarray(light[..., c]), SOFT) for c in range(light.shape[2])], -1)
    soft = np.asarray(soft, np.float32)
    radius = max(3, longer // DARK)
    air = np.maximum(airlight_of(soft, radius), np.float32(1e-4))
    part = np.asarray(soft / air, np.float32)
    grey = np.ascontiguousarray(soft.mean(2))
    uneven = rough(grey, 5, 9)
    large = dark_channel(part, max(4, longer // LARGE))
    busy = uneven > DETAIL * np.median(uneven)
    share = float((large[busy] > NOTHING_DARK).mean()) if busy.any() else 0.0
    guide = _guide_of(soft)
    raw = np.asarray(1 - KEPT * dark_channel(part, radius), np.float32)
    slope, offset = _along(guide, raw, max(8, longer // REFINED), EVEN)
    sky = _along(guide, _sky_of(soft, air, uneven), max(4, longer // 40), EVEN)
    grids = [Grid(plane, by, size) for plane in (slope, offset, *sky)]
    return Hazy(air, share, grids[0], grids[1], (grids[2], grids[3]), np.clip(slope * guide + offset, LEAST, 1), size)


def _guide_of(soft: NDArray[np.float32]) -> Plane:
    return np.sqrt(np.maximum(soft.mean(2), 0)).astype(np.float32)


def _measure(asked: Asked) -> Hazy:
    h, w = asked.size
    if min(h, w) < SMALLEST or (asked.scale is not None and asked.scale.from_sky):  # the light of a sky is the scene
        flat = Grid(np.zeros((1, 1), np.float32), max(h, w), asked.size)
        one = Grid(np.ones((1, 1), np.float32), max(h, w), asked.size)
        return Hazy(
            np.ones(asked.kind.channels, np.float32),
            0.0,
            flat,
            one,
            (flat, flat),
            np.ones((1, 1), np.float32),
            asked.size,
        )
    by = max(1, -(-max(h, w) // REDUCED))
    rows, columns = -(-h // by), -(-w // by)
    light = np.empty((rows, columns, asked.kind.channels), np.float32)
    for strip, _, pixels in asked.strips(ROWS // by * by):
        own = np.asarray(asked.curve.decode(pixels), np.float32)
        wide = cv2.copyMakeBorder(own, 0, -strip.height % by, 0, -w % by, cv2.BORDER_REPLICATE)
        small = cv2.resize(wide, (columns, wide.shape[0] // by), interpolation=cv2.INTER_AREA)
        light[strip.y0 // by : strip.y0 // by + len(small)] = small.reshape(len(small), columns, -1)
    return look(light, asked.size, by)


HAZE_FOUND = FactKind("haze", _measure, scope=Scope.WHOLE)


# -------------------------------------------------------------- lifting


def _transmission(context: Context) -> NDArray[np.float32]:
    p: HazeParams = context.params
    found: Hazy = context.facts[HAZE_FOUND]
    if not found.proven:
        return np.ones((context.region.height, context.region.width, 1), np.float32)
    pixels, have = context.get(INPUT, reach_of(SOFT))
    light = np.asarray(context.facts[CURVE].decode(pixels), np.float32)
    soft = np.stack([gaussian(np.ascontiguousarray(light[..., c]), SOFT) for c in range(light.shape[2])], -1)
    guide = _guide_of(soft)[context.region.slices(have)]
    return found.transmission(guide, context.region, p)[..., None]


def lifted(pixels: NDArray[np.float32], t: NDArray[np.float32], air: NDArray, curve: Curve, push: float) -> NDArray:
    """Encoded pixels (h, w, C) without the veil that a transmission (h, w, 1) tells of; no more than white."""
    light = np.asarray(curve.decode(pixels), np.float32)
    scene = ((light - air) / t + air) * np.float32(2.0**push)
    return np.asarray(curve.encode(np.minimum(scene, np.maximum(light, 1))), np.float32)


def _lift(context: Context) -> NDArray[np.float32]:
    p: HazeParams = context.params
    found: Hazy = context.facts[HAZE_FOUND]
    pixels = context.get(INPUT)[0]
    if not found.proven:
        return pixels
    return lifted(pixels, context.get("transmission")[0], found.air(p), context.facts[CURVE], p.exposure)


def _leaves(seen: Seen) -> Left:
    """Noise is raised by 1/t and by what the curve makes of it, told in what the print says of what comes out."""
    found: Hazy = seen.facts[HAZE_FOUND]
    if not found.proven:
        return 1.0, 1.0
    p, curve, noise = seen.params, seen.facts[CURVE], seen.noise
    t = seen.stage("transmission")
    before = np.clip(seen.pixels(), 0, 1)
    step = np.float32(1 / 255)
    after, above = (np.clip(lifted(v, t, found.air(p), curve, p.exposure), 0, 1) for v in (before, before + step))
    slope = luma(above - after) / step
    sigma = (noise.luminance_sigma_of(luma(v), FAINTEST) for v in (before, after))
    raised = np.clip(slope * next(sigma) / next(sigma), *RAISED)
    return raised, raised


# -------------------------------------------------------------- what is told


def _hits(facts: Mapping[FactKind, Any], p: HazeParams) -> Hits:
    found: Hazy = facts[HAZE_FOUND]
    share, edges = np.histogram(found.seen, BINS, (0, 1))
    proof = say("down to {0:.0f} % of the light", 100 * float(np.quantile(found.seen, 0.02))) if found.proven else ""
    return replace(
        in_order(np.zeros((0, 2)), np.zeros(0)),
        proven=found.proven,
        proof=proof,
        calm="" if found.proven else mark("its patches hold something dark: no haze is proven"),
        curve=((edges[1:] + edges[:-1]) / 2, share / max(share.sum(), 1)),
        map=found.seen,
        watch=found.far if found.proven else None,
    )


TRANSMISSION = Stage("transmission", _transmission, key=lambda p: (p.strength, p.sky), reach=reach_of(SOFT))

HAZE = StepKind(
    id="haze",
    name="Haze",
    place=80,
    help="Lifts the veil of the air by how much of it lies before every place; near things and the sky are held.",
    params=HazeParams,
    stages=(
        TRANSMISSION,
        Stage("lift", _lift),
    ),
    summary=lambda p: say("{0:.0f} % of the veil", p.strength),
    facts=lambda p: frozenset({HAZE_FOUND, CURVE}),
    idle=lambda p: p.strength == 0 and p.exposure == 0,
    hits=_hits,
    offered=False,
    repairs=True,
    instrument="transmission",
    aside=Aside(
        mark("Transmission"),
        (TRANSMISSION,),
        ("strength", "sky"),
    ),
    noise=Effect(left=_leaves, whole=lambda p: False),
)
