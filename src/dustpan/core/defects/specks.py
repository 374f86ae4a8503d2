"""The step Specks: spots, dust, hairs and thin scratches that lie on a picture, filled from around with their grain.

What a thing looks like that lies on a picture, and what one that belongs to it, is learnt from made marks on
photographs (`tools.learn_specks`); trees decide by 26 figures of each candidate (`speck_shapes`), such as how quiet
its surroundings are, how sharp and even it is and how many like it are near. What is doubtful stays.

As the old remedy for coarse speckle, everything of a size can be taken that stands out; then people paint out what is
to be kept.
"""

from __future__ import annotations

from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.defects.bridged import REACH, bridged
from dustpan.core.defects.speck_shapes import (
    AROUND,
    CONTRAST,
    FEATURES,
    LEAST_NOISE,
    LONGEST,
    NOISE_OF_FINE,
    SIGN,
    SLIM,
    SLIM_BY,
    SOFT,
    THICK,
    Shapes,
    find_in,
    hat,
    joined,
)
from dustpan.core.fact import Asked, FactKind, Scope
from dustpan.core.forest import Forest
from dustpan.core.hits import CLICK, Decided, Hits, in_order, near_any
from dustpan.core.language import mark, say
from dustpan.core.params import PX, number, switch
from dustpan.core.picture import Kind
from dustpan.core.region import Region
from dustpan.core.smooth import gaussian, reach_of
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.stars import STAR_FIELD
from dustpan.core.step import StepKind

LEARNT = Path(__file__).with_name("specks.npz")
TILE, ABREAST = (1000, 3000), 2  # px; tiles at a time
LEAST = 0.02  # how likely candidates are that are kept, for a person to point at
SHARED = 0.3  # of the smaller one's pixels, that a candidate has in common with a likelier one that it belongs to
ADDED = 3  # px around a place that was added where there is no candidate
FEET, PUT_BACK = 1, 3  # px around a speck that are filled with it, and that stay with one that is put back
NOISE_IN = 6.0  # px, sigma
SMALLEST = 24  # px of a picture


class SpecksParams(Decided):
    """How wide and how strong specks are, how sure a find has to be, and what the person has decided."""

    width: float = number(
        12, 1, 15, label="Largest width", unit=PX, digits=0,
        help="Spots, hairs and scratches that are wider stay as they are.",
    )  # fmt: skip
    contrast: float = number(
        3, 1, 30, label="Least contrast", unit="σ", digits=1,
        help="What stands out less, measured in the grain around it, stays as it is.",
    )  # fmt: skip
    sure: float = number(
        55, 2, 99, label="How sure", unit="%", digits=0, help="What is less likely to lie on the picture stays."
    )
    every: bool = switch(
        False, label="All of that size",
        help="Takes everything that is as small and stands out as much, be it sure or not: for coarse speckle.",
    )  # fmt: skip


@dataclass(frozen=True, eq=False)
class Specks:
    """What may lie on a picture, before any threshold.

    Attributes
    ----------
    shapes : candidates. likely : (n,) 0 to 1, that each lies on the picture. leader : (n,) the likelier one that each
        belongs to, or itself. at : (n, 2) a pixel of each, near its middle.
    """

    shapes: Shapes
    likely: NDArray[np.float32]
    leader: NDArray[np.int64]
    at: NDArray[np.int32]

    @property
    def widths(self) -> NDArray[np.float32]:
        return self.shapes.told[:, THICK]

    @property
    def contrasts(self) -> NDArray[np.float32]:
        """In sigma of the grain around each."""
        return self.shapes.told[:, CONTRAST]

    def chosen(self, p: SpecksParams) -> NDArray[np.bool_]:
        """Which count at these parameters."""
        if p.every:
            return np.zeros(len(self.shapes), bool)
        ok = (self.likely >= p.sure / 100) & (self.widths <= p.width) & (self.contrasts >= p.contrast)
        spared = self.leader[near_any(self.at, p.spared)]  # with all that belongs together
        return ok & ~np.isin(self.leader, spared)

    def likeliest(self, chosen: NDArray[np.bool_]) -> NDArray[np.intp]:
        """The numbers of those that stand for all chosen ones that belong together."""
        some = np.flatnonzero(chosen)
        order = some[np.lexsort((-self.likely[some], self.leader[some]))]
        return order[np.unique(self.leader[order], return_index=True)[1]]

    def meant(self, place: tuple[float, float]) -> NDArray[np.int32]:
        """(n, 2) the pixels that a person means who clicks at a place: of the likeliest candidate, or a small spot."""
        y, x = round(place[0]), round(place[1])
        for n in np.flatnonzero(self._near(Region(y, x, y + 1, x + 1))).tolist():  # the likeliest first
            if (np.abs(self.shapes.of(n) - (y, x)).max(1) <= CLICK).any():
                return self.shapes.of(n)
        v, u = np.mgrid[-ADDED : ADDED + 1, -ADDED : ADDED + 1]
        disc = np.hypot(v, u) <= ADDED
        return np.stack([v[disc] + y, u[disc] + x], 1).astype(np.int32)

    def _near(self, region: Region) -> NDArray[np.bool_]:
        """Which may reach into a region."""
        far = region.grown(LONGEST)
        y, x = self.shapes.middle.T
        return (y >= far.y0) & (y < far.y1) & (x >= far.x0) & (x < far.x1)

    def marks(self, p: SpecksParams, within: Region) -> NDArray[np.bool_]:
        """(h, w) the pixels of a region that are to be filled."""
        chosen = np.flatnonzero(self.chosen(p) & self._near(within)).tolist()
        return _painted([*(self.shapes.of(n) for n in chosen), *self._meant_in(p.added, within)], within, FEET)

    def spared(self, p: SpecksParams, within: Region) -> NDArray[np.bool_]:
        """(h, w) the pixels of a region that were put back."""
        return _painted(self._meant_in(p.spared, within), within, PUT_BACK)

    def _meant_in(self, places: tuple[tuple[float, float], ...], within: Region) -> list[NDArray[np.int32]]:
        far = within.grown(LONGEST)
        return [self.meant((y, x)) for y, x in places if far.y0 <= y < far.y1 and far.x0 <= x < far.x1]


def _painted(some: list[NDArray[np.int32]], within: Region, around: int) -> NDArray[np.bool_]:
    """(h, w) where a region has any of some pixels (n, 2), or lies up to so many px from them."""
    wide = within.grown(around)
    out = np.zeros((wide.height, wide.width), np.uint8)
    for pixels in some:
        places = pixels - (wide.y0, wide.x0)
        inside = np.all((places >= 0) & (places < out.shape), axis=1)
        out[tuple(places[inside].T)] = 1
    side = 2 * around + 1
    return cv2.dilate(out, np.ones((side, side), np.uint8))[within.slices(wide)] > 0


@cache
def _learnt() -> Forest:
    return Forest.load(LEARNT)


def find(asked: Asked) -> Specks:
    """What may lie on a picture."""
    h, w = asked.size

    def in_tile(tile: Region) -> tuple[Shapes, NDArray[np.float32]]:
        asked.check()
        have = tile.grown(AROUND).within(asked.size)
        beyond = have.y0, have.x0, h - have.y1, w - have.x1
        found = find_in(np.asarray(asked.read(have), np.float32), beyond).moved(have.y0, have.x0)
        y, x = np.floor(found.middle).T
        return judged(found.only((y >= tile.y0) & (y < tile.y1) & (x >= tile.x0) & (x < tile.x1)))

    corners = [(y, x) for y in range(0, h, TILE[0]) for x in range(0, w, TILE[1])]
    tiles = [Region(y, x, min(y + TILE[0], h), min(x + TILE[1], w)) for y, x in corners]
    with ThreadPoolExecutor(ABREAST, thread_name_prefix="specks") as pool:
        shapes, likely = zip(*pool.map(in_tile, tiles), strict=True)
    every, surely = joined(list(shapes)), np.concatenate(likely)
    if asked.needs[STAR_FIELD] is not None:  # nobody can tell bright spots from stars
        dark = (every.told[:, SIGN] > 0) | (every.told[:, SLIM_BY] > SLIM)
        every, surely = every.only(dark), surely[dark]
    return grouped(every, surely, w)


def judged(found: Shapes) -> tuple[Shapes, NDArray[np.float32]]:
    """The candidates that may be marks, and how likely they are."""
    likely = _learnt().likely(found.told)
    kept = likely >= LEAST
    return found.only(kept), likely[kept]


def grouped(shapes: Shapes, likely: NDArray[np.float32], width: int) -> Specks:
    """Candidates of a picture of this width, the likeliest first, with which of them belong together."""
    order = np.argsort(-likely, kind="stable")
    shapes, likely = shapes.in_order(order), likely[order]
    sizes = np.diff(shapes.first)
    owner = np.repeat(np.arange(len(shapes)), sizes)
    index = shapes.pixels[:, 0].astype(np.int64) * width + shapes.pixels[:, 1]
    _, first, place = np.unique(index, return_index=True, return_inverse=True)
    top = owner[first][place]  # at every pixel the likeliest of all that have it
    leader = np.arange(len(shapes))
    other = top != owner
    pairs, shared = np.unique(np.stack([owner[other], top[other]], 1), axis=0, return_counts=True)
    for (mine, theirs), n in sorted(zip(map(tuple, pairs.tolist()), shared.tolist(), strict=True), key=lambda v: v[1]):
        if n >= SHARED * min(sizes[mine], sizes[theirs]):
            leader[mine] = theirs
    for _ in range(8):  # parts of parts
        leader = leader[leader]
    return Specks(shapes, likely, leader, _inside(shapes, owner))


def _inside(shapes: Shapes, owner: NDArray[np.int64]) -> NDArray[np.int32]:
    """(n, 2) the pixel of each that is nearest to its middle."""
    if not len(shapes):
        return np.zeros((0, 2), np.int32)
    far = ((shapes.pixels - shapes.middle[owner]) ** 2).sum(1)
    order = np.lexsort((far, owner))
    return shapes.pixels[order[shapes.first[:-1]]]


def _measure(asked: Asked) -> Specks:
    """Not in frames of the sky, whose stars are what specks look like."""
    sky = asked.scale is not None and asked.scale.from_sky
    return NONE if sky or min(asked.size) < SMALLEST else find(asked)


SPECKS_FOUND = FactKind("specks", _measure, scope=Scope.WHOLE, needs=(STAR_FIELD,))
_NO_SHAPES = Shapes(
    np.zeros((0, len(FEATURES)), np.float32),
    np.zeros((0, 2), np.float32),
    np.zeros(1, np.int64),
    np.zeros((0, 2), np.int32),
)
NONE = Specks(_NO_SHAPES, np.zeros(0, np.float32), np.zeros(0, np.int64), np.zeros((0, 2), np.int32))


# -------------------------------------------------------------- the step


def standing_out(pixels: NDArray[np.float32], width: float, contrast: float) -> NDArray[np.bool_]:
    """(h, w) all that is narrower than ``width`` px and stands out of the grain around it by ``contrast`` sigma."""
    plane = np.ascontiguousarray(pixels.mean(2, dtype=np.float32))
    soft = gaussian(plane, SOFT)
    noise = np.maximum(NOISE_OF_FINE * gaussian(np.abs(plane - soft), NOISE_IN), np.float32(LEAST_NOISE))
    size = 2 * round(width / 2) + 1
    out = np.maximum(hat(soft, size, True), hat(soft, size, False)) > np.float32(contrast) * noise
    return cv2.dilate(out.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0


def _reach_of_all(p: SpecksParams) -> int:
    return reach_of(SOFT) + reach_of(NOISE_IN) + 2 * round(p.width) + 4 if p.every else 0


def _reach(p: SpecksParams) -> int:
    return REACH + _reach_of_all(p)


def _run(context: Context) -> NDArray[np.float32]:
    p: SpecksParams = context.params
    pixels, have = context.get(INPUT, _reach(p))
    region = context.region
    inner = pixels[region.slices(have)]
    found: Specks = context.facts[SPECKS_FOUND]
    marked = found.marks(p, have)
    if p.every:
        marked |= standing_out(pixels, p.width, p.contrast) & ~found.spared(p, have)
    here = marked[region.slices(have)]
    if not here.any():
        return inner
    near = region.grown(REACH).within(context.size)
    seen = near.slices(have)
    at = np.argwhere(here) + (region.y0 - near.y0, region.x0 - near.x0)
    out = inner.copy()
    out[here] = bridged(pixels[seen], at, marked[seen], near)  # all others to the bit as they were
    return out


def _hits(facts: Mapping[FactKind, Any], p: SpecksParams) -> Hits:
    found: Specks = facts[SPECKS_FOUND]
    chosen = found.chosen(p)
    mine = found.likeliest(chosen)
    at = np.concatenate([found.at[mine], np.array(p.added, float).reshape(-1, 2)])
    score = np.concatenate([100 * found.likely[mine], np.full(len(p.added), 100.0)])
    sure = found.likely >= p.sure / 100
    proof = say("everything up to {0:.0f} px", p.width) if p.every else ""
    hits = in_order(at, score, mark("% sure"))
    surest = (round(float(hits.at[-1, 0])), round(float(hits.at[-1, 1]))) if len(hits) else None
    return replace(hits, curve=(found.widths[sure], found.contrasts[sure]), proof=proof, watch=surest)


def _unused(kind: Kind, p: SpecksParams) -> dict[str, str]:
    return {"sure": mark("All of that size is taken, be it sure or not.")} if p.every else {}


SPECKS = StepKind(
    id="specks",
    name="Specks",
    place=70,
    help="Finds spots, hairs and thin scratches that lie on the picture, and fills them from around.",
    params=SpecksParams,
    stages=(Stage("fill", _run, reach=_reach),),
    summary=lambda p: say("all up to {0:.0f} px" if p.every else "up to {0:.0f} px", p.width),
    facts=lambda p: frozenset({SPECKS_FOUND}),
    takes=frozenset({Kind.MONO, Kind.RGB}),
    unused=_unused,
    hits=_hits,
    offered=False,
    repairs=True,
    full_size=True,
    instrument="sizes",
)
