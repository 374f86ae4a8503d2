"""The part Edges: where brightness changes by more than the noise could."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.language import mark
from dustpan.core.noise.calm import CALM, NEEDS, sigma_of
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.params import PX, Params, number
from dustpan.core.sharpen.halo_guard import largest
from dustpan.core.smooth import gaussian, reach_of, shoulder
from dustpan.core.stage import Context, Stage
from dustpan.core.where.mask import PartKind

SCALE = 1.0  # px, at which steepness is measured
SOFTLY = 0.7  # px
BESIDE, OF_HIGHEST = 5, (0.55, 0.8)  # px across, and shares of the steepest there: an edge is where it is steepest
FAINT = 7.0 / 255  # encoded: what nobody calls an edge in a picture without noise counts like so much noise


class EdgesParams(Params):
    """How strong an edge has to be, and how broad the mask lies along it."""

    strength: float = number(
        2.0, 0.5, 40, label="Strength", unit="× local noise σ", digits=1,
        help="How much brightness has to change across an edge, in multiples of the noise there.",
    )  # fmt: skip
    thickness: float = number(
        1.0, 0, 30, label="Thickness", unit=PX, digits=1, help="How far beside an edge it counts."
    )


def _reach(p: EdgesParams) -> int:
    return reach_of(SCALE) + 2 + BESIDE // 2 + _wide(p) + reach_of(SOFTLY)


def _wide(p: EdgesParams) -> int:
    return round(p.thickness)


def _run(context: Context) -> NDArray[np.float32]:
    p: EdgesParams = context.params
    calm, have = context.get("calm", _reach(p))
    soft = gaussian(np.ascontiguousarray(calm), SCALE)
    low, high = -largest(-soft, 3), largest(soft, 3)
    change = 2 * (high - low)  # over three pixels; of a step blurred like this about its height
    sigma = sigma_of(soft, context.facts[NOISE_PRINT], context.by_place(_reach(p)))
    over = change / np.sqrt(sigma * sigma + np.float32(FAINT * FAINT))
    ridge = shoulder(change / (largest(change, BESIDE) + np.float32(1e-9)), *OF_HIGHEST)
    strong = shoulder(over, p.strength, 1.5 * p.strength) * ridge
    if wide := _wide(p):
        strong = largest(strong, 2 * wide + 1)
    return gaussian(strong, SOFTLY)[context.region.slices(have)]


EDGES = PartKind(
    "edges", mark("edges"), mark("Where brightness changes more than the noise could: outlines and structure"),
    EdgesParams, (CALM, Stage("edges", _run, reach=_reach)), facts=lambda p: NEEDS,
)  # fmt: skip
