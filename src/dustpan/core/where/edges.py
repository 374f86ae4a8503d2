"""The part Edges: where brightness changes by more than the noise could."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.blur import gaussian, reach_of
from dustpan.core.language import mark
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.params import PX, Params, number
from dustpan.core.sharpen.halo_guard import largest
from dustpan.core.stage import Context, Stage
from dustpan.core.where.calm import CALM, NEEDS, shoulder, sigma_of
from dustpan.core.where.mask import PartKind

SCALE = 1.0  # px, at which steepness is measured
SOFTLY = 0.7  # px


class EdgesParams(Params):
    """How strong an edge has to be, and how broad the mask lies along it."""

    strength: float = number(
        4.0, 0.5, 40, label="Strength", unit="× local noise σ", digits=1,
        help="How much brightness has to change across an edge, in multiples of the noise there.",
    )  # fmt: skip
    thickness: float = number(
        2.0, 0, 30, label="Thickness", unit=PX, digits=1, help="How far beside an edge it counts."
    )


def _reach(p: EdgesParams) -> int:
    return reach_of(SCALE) + 2 + _wide(p) + reach_of(SOFTLY)


def _wide(p: EdgesParams) -> int:
    return round(p.thickness)


def _run(context: Context) -> NDArray[np.float32]:
    p: EdgesParams = context.params
    calm, have = context.get("calm", _reach(p))
    soft = gaussian(np.ascontiguousarray(calm), SCALE)
    low, high = -largest(-soft, 3), largest(soft, 3)
    change = 2 * (high - low)  # over three pixels; of a step blurred like this about its height
    over = change / sigma_of(soft, context.facts[NOISE_PRINT])
    strong = shoulder(over, p.strength, 1.5 * p.strength)
    if wide := _wide(p):
        strong = largest(strong, 2 * wide + 1)
    return gaussian(strong, SOFTLY)[context.region.slices(have)]


EDGES = PartKind(
    "edges", mark("edges"), mark("Where brightness changes more than the noise could: outlines and structure"),
    EdgesParams, (CALM, Stage("edges", _run, reach=_reach)), facts=lambda p: NEEDS,
)  # fmt: skip
