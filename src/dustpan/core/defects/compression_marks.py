"""The step Compression marks: blocks, ringing and blurred colour that a JPEG's quantisation left.

What is known of it (`quantised`) makes the quantisation a noise with a covariance of its own and a strength of its own
at every place, and the picture is estimated from groups of alike patches under it. What comes out is drawn back into
the steps that the file names, so that every coefficient could have been stored as it was.

References
----------
[1] M. Lebrun, A. Buades, J.-M. Morel, "A nonlocal Bayesian image denoising algorithm", SIAM J. Imaging Sci. 6(3), 2013.
[2] A. Zakhor, "Iterative procedures for reduction of blocking effects", IEEE Trans. CSVT 2(1), 1992: the projection.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.defects import resized
from dustpan.core.defects.blocks import (
    BLOCK,
    FROM_YCC,
    UNIT,
    Plane,
    as_stored,
    enlarged,
    mixed,
    of_ycc,
    plane_of,
    spectra_of,
)
from dustpan.core.defects.blocky_patches import SEARCH, SIDE, bayes
from dustpan.core.defects.quantised import COARSER, QUANTISED, Quantised, Steps, expected_error
from dustpan.core.fact import FactKind
from dustpan.core.hits import Hits
from dustpan.core.language import mark, say
from dustpan.core.noise.sliding_dct import sliding_dct
from dustpan.core.params import Params, number, switch
from dustpan.core.region import Region
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import StepKind

PILOT, PILOT_WITHIN, WITHIN = 0.5, 0.3, 0.5  # of a step: threshold of the first estimate; how far results may go
AROUND = {"pilot": 8, "patches": SIDE + 2 * SEARCH + SIDE}  # px of a plane
SPARE = 8  # px of a colour plane that `as_stored` reads beyond
LEAST_SCALE = 0.05


class CompressionParams(Params):
    """What is cleaned."""

    coarser: float = number(
        COARSER, 1, 100, label="From a step of", unit="of 255",
        help="JPEGs whose steps at low frequencies are finer than this on average are good ones and left alone.",
    )  # fmt: skip
    brightness: bool = switch(True, label="Brightness", help="Blocks and ringing are taken out of the brightness.")
    colour: bool = switch(True, label="Colour", help="Blocks and bleeding are taken out of the colours.")


@dataclass(frozen=True)
class _Window:
    """The part of a plane that a region needs, in whole units of the grid, and how it lies in the picture.

    ``region`` : in px of the picture, perhaps beyond it. ``smaller`` : of the plane.
    """

    region: Region
    smaller: tuple[int, int]

    def read(self, pixels: Plane, have: Region) -> Plane:
        """(h, w, ...) of it from pixels of ``have``; beyond the picture its sides are repeated."""
        y = np.clip(np.arange(self.region.y0, self.region.y1), have.y0, have.y1 - 1) - have.y0
        x = np.clip(np.arange(self.region.x0, self.region.x1), have.x0, have.x1 - 1) - have.x0
        return pixels[y[:, None], x]

    def grown(self, by: int) -> _Window:
        """By this many px of the plane."""
        (down, across), r = self.smaller, self.region
        return _Window(Region(r.y0 - by * down, r.x0 - by * across, r.y1 + by * down, r.x1 + by * across), self.smaller)


def _whole(region: Region, found: Quantised, smaller: tuple[int, int], size: tuple[int, int]) -> _Window:
    """The units that cover a region and what enlarging colours, or making all smaller, reads beyond it.

    Of a picture of ``size`` that was larger once, in px of that.
    """
    (oy, ox), more = found.origin, 2
    if found.size:
        region = resized.read_for(region, found.size, size)
    y0, x0 = (region.y0 - more - oy) // UNIT, (region.x0 - more - ox) // UNIT
    y1, x1 = -(-(region.y1 + more - oy) // UNIT), -(-(region.x1 + more - ox) // UNIT)
    return _Window(Region(y0 * UNIT + oy, x0 * UNIT + ox, y1 * UNIT + oy, x1 * UNIT + ox), smaller)


def _around(context: Context, need: Region) -> tuple[NDArray, Region]:
    """The input on at least this region, as far as there is one."""
    r = context.region
    reach = max(r.y0 - need.y0, r.x0 - need.x0, need.y1 - r.y1, need.x1 - r.x1, 0)
    return context.get(INPUT, reach)


def _stored(context: Context, c: int, window: _Window, size: tuple[int, int] | None) -> Plane:
    """Plane c of the input as it was stored, in a window; ``size`` : of all of it, where it was larger."""
    spare = SPARE if window.smaller != (1, 1) else 0
    wide = window.grown(spare)
    if size is None:
        pixels, have = _around(context, wide.region)
        plane = of_ycc(wide.read(pixels, have), c)
    else:
        inside = wide.region.within(size)
        need = resized.read_for(inside, context.size, size)
        pixels, have = _around(context, need)
        seen = of_ycc(np.ascontiguousarray(pixels[need.slices(have)]), c)
        plane = wide.read(resized.resampled(seen, need, context.size, inside, size), inside)
    small = as_stored(plane, window.smaller) if spare else plane
    return np.ascontiguousarray(small[spare : len(small) - spare, spare : small.shape[1] - spare])


def _wanted(context: Context) -> list[int]:
    """The planes that are cleaned."""
    found, p = context.facts[QUANTISED], context.params
    if not _counts(found, p):
        return []
    return [c for c in range(len(found.planes)) if (p.colour if c else p.brightness)]


def _pilot(context: Context) -> Plane:
    """The first estimate of all planes, (h, w, planes); smaller ones with every sample repeated."""
    found: Quantised = context.facts[QUANTISED]
    region = context.region
    out = np.zeros((region.height, region.width, max(1, len(found.planes))), np.float32)
    if found.size:  # it has no place among this picture's pixels, and is made where it is needed
        return out
    for c in _wanted(context):
        steps, smaller = found.planes[c], found.smaller if c else (1, 1)
        window = _whole(region, found, smaller, context.size)
        small = _guess(context, _stored(context, c, window.grown(AROUND["pilot"]), None), steps)
        whole = small.repeat(smaller[0], 0).repeat(smaller[1], 1)
        out[..., c] = _cut(whole, window.region, region)
    return out


def _drawn_back(plane: Plane, index: Plane, table: Plane, within: float) -> Plane:
    """The nearest plane whose coefficients lie within this share of a step of the file's own."""
    return plane_of(np.clip(spectra_of(plane), (index - within) * table, (index + within) * table))


def _guess(context: Context, wide: Plane, steps: Steps) -> Plane:
    """The first estimate of a plane, without what lies `AROUND` it."""
    context.check()
    square, one, a = (steps.table**2).reshape(1, 64), np.ones((1, 1), np.float32), AROUND["pilot"]
    guess = sliding_dct(wide[None], square, PILOT, one, one, 0.0, check=context.check)[0]
    own = np.ascontiguousarray(wide[a:-a, a:-a])
    index = np.rint(spectra_of(own) / steps.table)
    return _drawn_back(np.ascontiguousarray(guess[a:-a, a:-a]), index, steps.table, PILOT_WITHIN)


def _guide(context: Context, c: int, wide: _Window) -> Plane:
    """The first estimate of a plane in a window."""
    found: Quantised = context.facts[QUANTISED]
    if found.size:
        return _guess(context, _stored(context, c, wide.grown(AROUND["pilot"]), found.size), found.planes[c])
    region, far = context.region, wide.region
    pilot, have = context.get(
        "pilot", max(region.y0 - far.y0, region.x0 - far.x0, far.y1 - region.y1, far.x1 - region.x1)
    )
    return np.ascontiguousarray(wide.read(pilot[..., c], have)[:: wide.smaller[0], :: wide.smaller[1]])


def _cut(plane: Plane, of: Region, region: Region) -> Plane:
    return plane[region.y0 - of.y0 : region.y1 - of.y0, region.x0 - of.x0 : region.x1 - of.x0]


def _run(context: Context) -> Plane:
    found: Quantised = context.facts[QUANTISED]
    pixels, region = context.get(INPUT)[0], context.region
    wanted = _wanted(context)
    if not wanted:
        return pixels
    change = np.zeros_like(pixels)
    for c in wanted:
        steps, smaller = found.planes[c], found.smaller if c else (1, 1)
        window = _whole(region, found, smaller, context.size)
        wide = window.grown(AROUND["patches"])
        own, guide = _stored(context, c, wide, found.size), _guide(context, c, wide)
        index = np.rint(spectra_of(own) / steps.table)
        error = expected_error(index, steps.edges, steps.zero, steps.table).mean((2, 3))
        local = ndi.uniform_filter(np.kron(error / steps.mean.mean(), np.ones((BLOCK, BLOCK), np.float32)), 9)
        context.check()
        best = bayes(own, guide, np.maximum(local, LEAST_SCALE).astype(np.float32), steps.covariance)
        a = AROUND["patches"]
        b = a // BLOCK
        clean = _drawn_back(best[a:-a, a:-a], index[b:-b, b:-b], steps.table, WITHIN)
        by = enlarged(clean - own[a:-a, a:-a], smaller)
        if found.size:
            change[..., c] = resized.resampled(by, window.region, found.size, region, context.size)
        else:
            change[..., c] = _cut(by, window.region, region)
    by_channel = change if pixels.shape[2] == 1 else mixed(change, FROM_YCC)
    return np.clip(pixels + by_channel / np.float32(255), 0, 1)


def _counts(found: Quantised, p: CompressionParams) -> bool:
    return bool(found.planes) and found.step > p.coarser


def _hits(facts: Mapping[FactKind, Any], p: CompressionParams) -> Hits:
    found: Quantised = facts[QUANTISED]
    nowhere = np.zeros((0, 2)), np.zeros(0), mark("of a step off")
    if not found.planes:
        return Hits(*nowhere, False, (np.zeros(0), np.zeros(0)))
    table = found.planes[0].table
    radius = np.rint(np.hypot(*np.mgrid[:BLOCK, :BLOCK])).astype(int)
    usual = np.array([table[radius == r].mean() for r in range(BLOCK)])
    counts = _counts(found, p)
    if not counts:
        proof = say("steps of {0:.1f}: a good JPEG", found.step)
    elif found.older:
        proof = say("steps of {0:.0f} of 255, told from the picture", found.step)
    else:
        proof = say("steps of {0:.0f} of 255, told by the file", found.step)
    curve = np.arange(BLOCK) / (2 * BLOCK), usual
    return Hits(*nowhere, counts, curve, proof=proof, calm="" if counts else mark("left alone"))


def _summary(p: CompressionParams) -> str:
    if not p.colour:
        return say("brightness")
    return say("from steps of {0:.1f}", p.coarser) if p.brightness else say("colour")


_REACH = 8 + UNIT + 2 * (AROUND["patches"] + AROUND["pilot"] + SPARE)

COMPRESSION_MARKS = StepKind(
    id="compression-marks",
    name="Compression marks",
    place=50,
    help="Takes out blocks, ringing and blurred colour of a JPEG, within the steps that its file was stored with.",
    params=CompressionParams,
    stages=(
        Stage("pilot", _pilot, reach=2 + UNIT + 2 * (AROUND["pilot"] + SPARE)),
        Stage("take out", _run, reach=_REACH),
    ),
    summary=_summary,
    facts=lambda p: frozenset({QUANTISED}),
    idle=lambda p: not (p.brightness or p.colour),
    hits=_hits,
    full_size=True,
    instrument="steps",
)
