"""The step Colour fringes: coloured rims at hard edges, in the order of their causes.

First what the lens did is undone, where it is proven (`aberration`): red and blue are brought back sideways, and what
their blur took is given back to them. What is left are glows, such as the violet one around lamps and branches before
a bright sky. There, red and blue are held within what both sides of an edge show beside green, along the direction in
which green rises most plainly; a thing that really has that colour shows in green as well, so that green does not rise
*plainly* across it. Only colours that rims of this picture have are touched, and the luma stays as it was.

References
----------
[1] B. K. Kim, R. H. Park, "Automatic detection and correction of purple fringing using the gradient information and
    desaturation", EUSIPCO 2008.
[2] S. W. Chung, B. K. Kim, W. J. Song, "Removing chromatic aberration by digital image processing", Optical
    Engineering 49(6), 2010: limits from both sides of an edge.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import LUMA
from dustpan.core.curve import Curve
from dustpan.core.defects import aberration
from dustpan.core.defects.aberration import ASIDE, Aberration, sharpened, unshifted
from dustpan.core.fact import CURVE, Asked, FactKind, Scope
from dustpan.core.hits import Decided, Hits, in_order
from dustpan.core.kernels import EXACT, PLANE, PLANES, f8, i8, kernel, seen
from dustpan.core.language import mark, say
from dustpan.core.params import PX, choice, number, switch
from dustpan.core.picture import Kind
from dustpan.core.region import Region
from dustpan.core.smooth import gaussian, reach_of, shoulder
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import StepKind

Plane = NDArray[np.float32]
GRAIN = 3.0  # px, sigma: what is finer in softened colours is mostly noise
SOFT = 0.8  # px, sigma: what edges and colours are looked at in
PLAIN = 0.8  # of all that green goes up and down by along a line, that the rise from end to end has to be
DIAGONAL = 0.7  # of the reach, along diagonals
SLACK, OF_NOISE = 0.02, 2.5  # that a colour may leave its sides by: always, and in sigma of the noise
STRONGEST = 4.5  # sigma of the noise, that the strongest of a place is at least by chance
FULL = 1.3  # of the least contrast, from which a rim is limited in full
FAINTEST = 0.08  # contrast of the faintest edges that are looked at
CANDIDATE, SEEN = 3 / 255, 8 / 255  # excess of a candidate, and of what is told of and tells a picture's colours
NEAR = 24  # px of a cell, of which one rim is told; and around a place that a person clicked at
ROWS, ABREAST = 480, 2  # px of a strip; strips at a time
PICKED, AROUND = 2, 12  # px around a place that was picked, and beyond it that its colour is compared with
DIRECTIONS, ALIKE, CONCENTRATED, FEWEST = 72, 45.0, 0.4, 12  # of the wheel; degrees; share of all excess; rims
OF_LENSES = (225.0, 330.0), (90.0, 170.0)  # degrees
SURELY = 60.0  # degrees from a rim's colour, up to which nothing is held back; and half as much more, softly
WHEEL = np.array([[1.0, -0.5], [0.0, -math.sqrt(3) / 2]])  # from excess of (red, blue) over green to the hue's plane


class Rims(StrEnum):
    """Which colours rims have."""

    FOUND = "found"
    PICKED = "picked"
    ANY = "any"


class FringesParams(Decided):
    """What of the lens is undone, and which rims are limited."""

    sideways: bool = switch(
        True, label="Sideways", help="Brings red and blue back to green where the lens magnified them otherwise."
    )
    blur: bool = switch(
        True, label="Blurred colours", help="Gives red and blue the detail back that is sharper in green."
    )
    rims: float = number(
        100, 0, 100, label="Rims", unit="%", digits=0, help="How much of a rim's colour is taken out; its luma stays."
    )
    colour: Rims = choice(
        Rims, Rims.FOUND, label="Rims' colour",
        help="The colours that most rims of this picture have, one that was picked, or any.",
    )  # fmt: skip
    hue: float = number(
        280, 0, 360, label="Hue", unit="°", digits=0, help="The picked colour of rims; 280 is violet.", deeper=True
    )
    reach: float = number(
        3, 1, 12, label="Reach", unit=PX, digits=0, help="How far a rim reaches from its edge; thin things lose more."
    )
    contrast: float = number(
        25,
        8,
        90,
        label="Least edge",
        unit="%",
        digits=0,
        help="Rims are looked for at edges of at least this contrast.",
    )


@dataclass(frozen=True, eq=False)
class Fringed:
    """What was found of fringes, before any threshold.

    Attributes
    ----------
    lens : what is proven of the whole picture. noise : sigma of the differences from green, as softened.
    at : (n, 2) the strongest rim of each place. excess : (n, 2) of red and blue over what both sides of the edge show.
    contrast : (n,) of their edges. hues : degrees, the colours that rims of this picture have; none where no colour
        stands out.
    """

    lens: Aberration
    noise: float
    at: NDArray[np.int32]
    excess: NDArray[np.float32]
    contrast: NDArray[np.float32]
    hues: tuple[float, ...]

    @property
    def slack(self) -> float:
        """That a colour may leave both sides of its edge by."""
        return SLACK + OF_NOISE * self.noise

    def chosen(self, p: FringesParams) -> NDArray[np.bool_]:
        """Which count at these parameters."""
        ok = (self.contrast >= p.contrast / 100) & (np.hypot(*self.excess.T) >= SEEN)
        if p.colour is not Rims.ANY:
            ok &= _of_colour(self.excess[:, 0], self.excess[:, 1], self.hues_for(p)) > 0
        for y, x in p.spared:
            ok &= np.hypot(self.at[:, 0] - y, self.at[:, 1] - x) > NEAR / 2
        return ok if p.rims > 0 else np.zeros_like(ok)

    def hues_for(self, p: FringesParams) -> tuple[float, ...]:
        """The colours of rims, in degrees."""
        return (p.hue,) if p.colour is Rims.PICKED else self.hues


def hue_of(excess: NDArray) -> NDArray[np.floating]:
    """The hue in degrees of excess (n, 2) of red and blue over green: 0 red, 120 green, 240 blue.

    Examples
    --------
    >>> hue_of(np.array([[1.0, 0.0], [0.0, 1.0], [-1.0, -1.0], [1.0, 1.0]])).round().tolist()
    [0.0, 240.0, 120.0, 300.0]
    """
    x, y = WHEEL @ np.asarray(excess, float).T
    return np.degrees(np.arctan2(y, x)) % 360


def _of_colour(red: NDArray, blue: NDArray, hues: tuple[float, ...]) -> NDArray[np.float32]:
    """0 to 1, how much excess of red and blue is of one of some hues."""
    x, y = red * np.float32(WHEEL[0, 0]) + blue * np.float32(WHEEL[0, 1]), blue * np.float32(WHEEL[1, 1])
    size, most = np.maximum(np.hypot(x, y), np.float32(1e-9)), np.zeros(np.shape(red), np.float32)
    for hue in np.radians(hues):
        along = (x * np.float32(math.cos(hue)) + y * np.float32(math.sin(hue))) / size
        most = np.maximum(most, shoulder(along, math.cos(math.radians(1.5 * SURELY)), math.cos(math.radians(SURELY))))
    return most


def colours_of(excess: NDArray[np.floating]) -> tuple[float, ...]:
    """The hues that stand out of excess (n, 2) of red and blue, at most two; none where it is of all colours.

    Of those that lenses make: violet, from blue to magenta, and green. Rims of other colours are the subject's own,
    such as the red of skin, or a person picks them.
    """
    if len(excess) < FEWEST:
        return ()
    size, hue = np.hypot(*excess.T), hue_of(excess)
    left = np.any([(hue >= low) & (hue <= high) for low, high in OF_LENSES], axis=0)
    asked = np.arange(DIRECTIONS) * (360 / DIRECTIONS)
    off = np.abs((hue[:, None] - asked + 180) % 360 - 180)
    found: list[float] = []
    for _ in range(2):
        share = (size[:, None] * (off < ALIKE) * left[:, None]).sum(0) / size.sum()
        best = int(np.argmax(share))
        near = left & (off[:, best] < ALIKE)
        if share[best] < CONCENTRATED or near.sum() < FEWEST:
            break
        found.append(float((size[near] * hue[near]).sum() / size[near].sum()))
        left &= ~near
    return tuple(found)


# -------------------------------------------------------------- rims


def _reach_of_rims(reach: float) -> int:
    return reach_of(SOFT) + round(reach)


def excess_of(pixels: NDArray[np.float32], reach: float, slack: float) -> tuple[Plane, Plane, Plane]:
    """How far red and blue leave what both sides of an edge show beside green, and the contrast of that edge.

    Parameters
    ----------
    pixels : (h, w, 3) encoded. reach : px to the sides of an edge. slack : that is always allowed.
    """
    green = np.ascontiguousarray(pixels[..., 1])
    planes = [gaussian(np.ascontiguousarray(pixels[..., c] - green), SOFT) for c in ASIDE]
    out = np.zeros((3, *green.shape), np.float32)
    along, across = round(reach), max(1, round(DIAGONAL * reach))
    _rims(gaussian(green, SOFT), planes[0], planes[1], along, across, FAINTEST, slack, out)
    return out[0], out[1], out[2]


@kernel(seen(PLANE), seen(PLANE), seen(PLANE), i8, i8, f8, f8, PLANES, options=EXACT)
def _rims(green, red, blue, along, across, faintest, slack, out):
    h, w = green.shape
    for y in range(h):
        for x in range(w):
            best = faintest
            for k in range(4):
                n = along if k < 2 else across
                dy = 0 if k == 0 else n
                dx = n if k == 0 or k == 2 else (0 if k == 1 else -n)
                if y < dy or y + dy >= h or min(x - dx, x + dx) < 0 or max(x - dx, x + dx) >= w:
                    continue
                rise = abs(green[y + dy, x + dx] - green[y - dy, x - dx])
                if rise <= best:
                    continue
                sy, sx = dy // n, dx // n
                total, last = 0.0, green[y - dy, x - dx]
                for i in range(1 - n, n + 1):
                    here = green[y + i * sy, x + i * sx]
                    total += abs(here - last)
                    last = here
                if rise < PLAIN * total:
                    continue
                best = rise
                out[2, y, x] = rise
                for c in range(2):
                    plane = red if c == 0 else blue
                    one, other, here = plane[y - dy, x - dx], plane[y + dy, x + dx], plane[y, x]
                    low, high = min(one, other) - slack, max(one, other) + slack
                    out[c, y, x] = here - min(max(here, low), high)


def rim_at(read: Callable[[Region], NDArray[np.float32]], size: tuple[int, int], y: int, x: int) -> float:
    """The hue in degrees of the rim at a place: what it leaves both sides of its edge by most, or differs from around.

    ``read`` gives encoded pixels (h, w, 3) of a region of a picture of (height, width).
    """
    here = Region(y - PICKED, x - PICKED, y + PICKED + 1, x + PICKED + 1).within(size)
    have = here.grown(_reach_of_rims(DEFAULT.reach) + AROUND).within(size)
    pixels = np.asarray(read(have), np.float32)
    red, blue, _ = (plane[here.slices(have)] for plane in excess_of(pixels, DEFAULT.reach, 0.0))
    most = int(np.argmax(np.hypot(red, blue)))
    found = np.array([[red.ravel()[most], blue.ravel()[most]]])
    if np.hypot(*found[0]) < CANDIDATE:
        off = pixels[..., ASIDE] - pixels[..., 1:2]
        found = (off[here.slices(have)].reshape(-1, 2).mean(0) - np.median(off.reshape(-1, 2), 0))[None]
    return round(float(hue_of(found)[0])) % 360


# -------------------------------------------------------------- measuring


def _undone(
    pixels: NDArray[np.float32], have: Region, size: tuple[int, int], lens: Aberration, curve: Curve
) -> NDArray:
    """Pixels (h, w, 3) of a region with what the lens did undone; right beyond `_reach_of_lens` from its sides."""
    back = unshifted(pixels, have, size, lens.shift)
    if not any(lens.blur):
        return back
    planes = [np.ascontiguousarray(back[..., c], np.float32) for c in range(3)]
    own = [np.asarray(curve.decode(p), np.float32) for p in planes] if lens.in_light else planes
    for channel, blur in zip(ASIDE, lens.blur, strict=True):
        if blur:
            done = sharpened(own[channel], own[1], blur)
            planes[channel] = np.asarray(curve.encode(done), np.float32) if lens.in_light else done
    return np.stack(planes, -1)


def _reach_of_lens(lens: Aberration) -> int:
    return lens.warp_reach + (aberration.REACH if any(lens.blur) else 0)


def _measure(asked: Asked) -> Fringed:
    if asked.kind is not Kind.RGB or min(asked.size) < NEAR:
        return NOTHING
    lens = aberration.measure(asked.read, asked.size, asked.curve, asked.check)
    around = _reach_of_lens(lens) + _reach_of_rims(DEFAULT.reach)

    def in_strip(strip: Region) -> tuple[NDArray, NDArray, NDArray, list[float]]:
        asked.check()
        have = strip.grown(around).within(asked.size)
        done = _undone(np.asarray(asked.read(have), np.float32), have, asked.size, lens, asked.curve)
        red, blue, edge = (p[strip.slices(have)] for p in excess_of(done, DEFAULT.reach, SLACK))
        y, x = _strongest(np.hypot(red, blue))
        return np.stack([y + strip.y0, x], 1), np.stack([red[y, x], blue[y, x]], 1), edge[y, x], _spread(done)

    h, w = asked.size
    with ThreadPoolExecutor(ABREAST, thread_name_prefix="fringes") as pool:
        found_in = list(pool.map(in_strip, [Region(y, 0, min(y + ROWS, h), w) for y in range(0, h, ROWS)]))
    at, excess, contrast, spread = zip(*found_in, strict=True)
    noise = float(np.median(np.concatenate(spread)))
    found = Fringed(
        lens, noise, np.concatenate(at).astype(np.int32), np.concatenate(excess), np.concatenate(contrast), ()
    )
    size = np.hypot(*found.excess.T)
    own = size * np.maximum(1 - STRONGEST * noise / np.maximum(size, 1e-9), 0)
    kept = own >= CANDIDATE
    found = replace(found, at=found.at[kept], excess=found.excess[kept], contrast=found.contrast[kept])
    plain = (found.contrast >= DEFAULT.contrast / 100) & (own[kept] >= SEEN)
    return replace(found, hues=colours_of(found.excess[plain]))


def _spread(pixels: NDArray[np.float32]) -> list[float]:
    """Sigma of what is fine in the softened differences from green, which is mostly noise."""
    found = []
    for channel in ASIDE:
        off = gaussian(np.ascontiguousarray(pixels[..., channel] - pixels[..., 1]), SOFT)
        found.append(1.4826 * float(np.median(np.abs(off - gaussian(off, GRAIN))[::2, ::2])))
    return found


def _strongest(size: Plane) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """The place (y, x) of the largest value of every cell that has any."""
    h, w = size.shape
    rows, columns = -(-h // NEAR), -(-w // NEAR)
    wide = np.pad(size, ((0, rows * NEAR - h), (0, columns * NEAR - w)))
    own = wide.reshape(rows, NEAR, columns, NEAR).transpose(0, 2, 1, 3).reshape(rows, columns, -1)
    best = np.argmax(own, 2)
    row, column = np.nonzero(np.take_along_axis(own, best[..., None], 2)[..., 0] > CANDIDATE)
    place = best[row, column]
    return row * NEAR + place // NEAR, column * NEAR + place % NEAR


FRINGED = FactKind("fringes", _measure, scope=Scope.WHOLE)
DEFAULT = FringesParams()
_NONE = np.zeros((0, 2), np.float32)
NOTHING = Fringed(Aberration(), 0.0, _NONE.astype(np.int32), _NONE, _NONE[:, 0], ())


# -------------------------------------------------------------- the step


def _lens(context: Context) -> Aberration:
    p: FringesParams = context.params
    lens: Aberration = context.facts[FRINGED].lens
    off = (0.0, 0.0)
    return lens._replace(shift=lens.shift if p.sideways else off, blur=lens.blur if p.blur else off)


def _undo(context: Context) -> NDArray[np.float32]:
    lens = _lens(context)
    if not lens.any:
        return context.get(INPUT)[0]
    pixels, have = context.get(INPUT, _reach_of_lens(lens))
    done = _undone(pixels, have, context.size, lens, context.facts[CURVE])
    return np.ascontiguousarray(done[context.region.slices(have)])


def _limit(context: Context) -> NDArray[np.float32]:
    p: FringesParams = context.params
    found: Fringed = context.facts[FRINGED]
    pixels, have = context.get("undo", _reach_of_rims(p.reach))
    inner = context.region.slices(have)
    hues = found.hues_for(p)
    if not hues and not p.added and p.colour is not Rims.ANY:
        return pixels[inner]
    red, blue, edge = (plane[inner] for plane in excess_of(pixels, p.reach, found.slack))
    share = np.ones_like(red) if p.colour is Rims.ANY else _of_colour(red, blue, hues)
    for marked, value in ((p.added, 1), (p.spared, 0)):
        for y, x in marked:
            ys, xs = (
                np.arange(a, b) - v for a, b, v in zip(context.region[:2], context.region[2:], (y, x), strict=True)
            )
            near = 1 - shoulder(np.hypot(ys[:, None], xs[None]), NEAR / 2, NEAR)
            share = share + near * (np.float32(value) - share)
    share = share * shoulder(edge, p.contrast / 100 - 1e-6, FULL * p.contrast / 100) * np.float32(p.rims / 100)
    out = pixels[inner].copy()
    lost = [share * red, share * blue]
    held = sum(np.float32(LUMA[c]) * part for c, part in zip(ASIDE, lost, strict=True))
    for channel, part in zip(ASIDE, lost, strict=True):
        out[..., channel] += held - part
    out[..., 1] += held
    return out


def _hits(facts: Mapping[FactKind, Any], p: FringesParams) -> Hits:
    found: Fringed = facts[FRINGED]
    chosen = found.chosen(p)
    hits = in_order(found.at[chosen], 255 * np.hypot(*found.excess[chosen].T), mark("of 255 beyond both sides"))
    counting = found.hues_for(p) if p.colour is not Rims.ANY else ()
    strength = np.hypot(*found.excess.T)
    counted = strength * chosen if chosen.any() else strength
    strongest = found.at[int(np.argmax(counted))] if len(counted) else None
    return replace(
        hits,
        proof=_proof(found, p),
        curve=(hue_of(found.excess), 255 * strength),
        peaks=counting,
        watch=None if strongest is None else (int(strongest[0]), int(strongest[1])),
    )


def _proof(found: Fringed, p: FringesParams) -> str:
    """What was proven of the whole picture, in words; empty for nothing."""
    said = []
    if p.sideways and any(found.lens.shift):
        said.append(say("red {0:+.1f}, blue {1:+.1f} px at the corner", *found.lens.shift))
    if p.blur and any(found.lens.blur):
        said.append(say("red {0:.1f}, blue {1:.1f} px blurrier", *found.lens.blur))
    return ", ".join(said)


COLOUR_FRINGES = StepKind(
    id="colour-fringes",
    name="Colour fringes",
    place=60,
    help="Brings red and blue back to green where the lens moved or blurred them, and takes out coloured rims.",
    params=FringesParams,
    stages=(
        Stage(
            "undo",
            _undo,
            key=lambda p: (p.sideways, p.blur),
            reach=aberration.REACH + math.ceil(aberration.MOST_SHIFT) + 5,
        ),
        Stage("limit", _limit, reach=lambda p: _reach_of_rims(p.reach), needed=lambda p: p.rims > 0),
    ),
    facts=lambda p: frozenset({FRINGED, CURVE}),
    takes=frozenset({Kind.RGB}),
    idle=lambda p: not (p.sideways or p.blur or p.rims > 0),
    summary=lambda p: say("rims up to {0:.0f} px", p.reach),
    hits=_hits,
    repairs=True,
    full_size=True,
    instrument="wheel",
)
