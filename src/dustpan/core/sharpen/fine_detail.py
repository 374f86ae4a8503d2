"""The Fine detail step: a layer of what is finer than a radius, laid over the picture by a blend.

The layer is a high pass of the cleaned luminance around mid-grey, so that it holds detail and no grain; in the colours'
way every channel gives its own. It is held so that added as it is, which is what linear light does, it stays within the
local range; the other blends add less, save vivid light in deep shadows and lights.

References
----------
[1] A. Polesel, G. Ramponi, V. J. Mathews, "Image enhancement via adaptive unsharp masking", IEEE Trans. Image
    Processing 9(3), 2000: detail weighed by what is worth it.
[2] W3C, Compositing and Blending Level 1: the blends.
"""

from __future__ import annotations

from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from dustpan.core.blend import Blend
from dustpan.core.language import mark
from dustpan.core.noise.calm import calm_luma
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.noise.sliding_dct import REACH as CALM_REACH
from dustpan.core.params import PX, Params, choice, number
from dustpan.core.sharpen.edge import over_threshold
from dustpan.core.sharpen.halo_guard import WINDOW, guard, local_range
from dustpan.core.smooth import gaussian, reach_of
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import Aside, StepKind

GREY = 0.5  # where the layer holds nothing
FINEST = 0.7  # px, of sharpening the layer once more
NOISE = 2.0  # times the local noise that detail has to be worth, at a cleaning of 1
HALO = 2.0  # percent of the local range, by which the layer may leave it


class Of(StrEnum):
    """What the detail is taken of."""

    LUMINANCE = "luminance"
    COLOUR = "colour"


class FineDetailParams(Params):
    """A radius in px, what it is taken of, how clean and how strong."""

    radius: float = number(
        3.0,
        0.5,
        30,
        label="Radius",
        unit=PX,
        digits=1,
        help="Detail finer than this is in the layer.",
    )
    of: Of = choice(
        Of, Of.LUMINANCE, label="Of", help="Of the luminance, which can make no colour rims, or of each channel."
    )
    cleaned: float = number(
        1.0, 0, 3, label="Cleaned", unit="× noise", help="Detail weaker than this much noise is taken out of the layer."
    )
    boost: float = number(1.0, 0, 5, label="Boost", unit="×", help="How strong the layer is.")
    crisper: float = number(0.0, 0, 3, label="Crisper", unit="×", help="The layer is sharpened once more.")


def _reach(p: FineDetailParams) -> int:
    return reach_of(p.radius) + reach_of(FINEST) + WINDOW + 6


def _calm(context: Context) -> NDArray[np.float32]:
    """(h, w, 1 or C) the luma with its noise taken out; in the colours' way each channel moved by as much."""
    pixels, have = context.get(INPUT, CALM_REACH)
    p: FineDetailParams = context.params
    known = context.size, context.facts[NOISE_PRINT], context.check, context.by_place(CALM_REACH)
    calm = calm_luma(pixels, have, context.region, *known)
    if p.of is Of.LUMINANCE or pixels.shape[2] == 1:
        return calm[..., None]
    planes = [
        calm_luma(np.ascontiguousarray(pixels[..., c : c + 1]), have, context.region, *known)
        for c in range(pixels.shape[2])
    ]
    return np.stack(planes, -1)


def _detail(plane: NDArray[np.float32], context: Context) -> NDArray[np.float32]:
    """What is added to a plane, held within its local range."""
    p: FineDetailParams = context.params
    plane = np.ascontiguousarray(plane)
    detail = plane - gaussian(plane, p.radius)
    if p.crisper:
        detail = detail + np.float32(p.crisper) * (detail - gaussian(detail, FINEST))
    if p.cleaned:
        factor = context.by_place(_reach(p))
        detail = detail * over_threshold(detail, plane, context.facts[NOISE_PRINT], NOISE * p.cleaned, factor)
    context.check()
    low, high = local_range(plane)
    return guard(plane + np.float32(p.boost) * detail, low, high, HALO, HALO) - plane


def _layer(context: Context) -> NDArray[np.float32]:
    calm, have = context.get("calm", _reach(context.params))
    inner = context.region.slices(have)
    pixels, _ = context.get(INPUT)
    added = np.stack([_detail(calm[..., c], context)[inner] for c in range(calm.shape[2])], -1)
    return np.ascontiguousarray(np.broadcast_to(GREY + added / 2, pixels.shape), np.float32)


STAGES = (
    Stage("calm", _calm, key=lambda p: (p.of,), reach=CALM_REACH),
    Stage("layer", _layer, reach=_reach),
)
FINE_DETAIL = StepKind(
    id="fine-detail",
    name="Fine detail",
    place=130,
    help="Lays fine detail over the picture, without its grain; the blend says how.",
    params=FineDetailParams,
    stages=STAGES,
    facts=lambda p: frozenset({NOISE_PRINT}),
    idle=lambda p: p.boost == 0,
    blend=Blend.LINEAR_LIGHT,
    aside=Aside(mark("its layer"), STAGES, ("radius", "cleaned", "crisper", "of")),
    summary=lambda p: f"{p.boost:.2g}× · {p.radius:.2g} px",
)
