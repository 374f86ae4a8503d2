"""The part Colour: what is nearly of colours that were picked, in a perceptual space.

Distances are taken in CIE L*a*b*, lightness counting less than hue and chroma, for one thing lies in light and shade.
Noise is averaged out first, over a few pixels.

References
----------
[1] ISO/CIE 11664-4: CIE 1976 L*a*b* colour space.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import lab
from dustpan.core.language import mark
from dustpan.core.noise.calm import NEEDS
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.params import Params, number, places, triples
from dustpan.core.region import Region
from dustpan.core.smooth import gaussian, reach_of, shoulder
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.where.mask import PartKind

AVERAGED = 1.6  # px, sigma
PICKED = 5  # px around a click
LIGHT = 0.5  # how much lightness counts
NOISE_LEFT = 3.0  # times the noise after averaging that is added to the tolerance, in a*b*
Read = Callable[[Region], NDArray[np.float32]]


class ColourParams(Params):
    """Picked colours and how far others may be from them."""

    colours: tuple[tuple[float, float, float], ...] = triples(
        label="Colours", help="L*, a* and b* of what was picked; more than one is either of them."
    )
    at: tuple[tuple[float, float], ...] = places(
        label="Pick at", help="Places whose colours are picked before anything is computed.", deeper=True
    )
    tolerance: float = number(
        12, 1, 100, label="Tolerance", unit="ΔE", digits=0, help="How far a colour may be from those that were picked."
    )
    soft: float = number(
        50, 0, 100, label="Softness", unit="%", digits=0, help="Over how much of the tolerance it fades."
    )


def _run(context: Context) -> NDArray[np.float32]:
    p: ColourParams = context.params
    seen = _seen(context)
    if not p.colours:
        return np.zeros(seen.shape[:2], np.float32)
    weight = np.array([LIGHT, 1, 1], np.float32)
    far = np.full(seen.shape[:2], np.inf, np.float32)
    for colour in p.colours:
        apart = (seen - np.array(colour, np.float32)) * weight
        far = np.minimum(far, np.sqrt((apart * apart).sum(-1)))
    noise = context.facts[NOISE_PRINT]
    spread = NOISE_LEFT * 100 * noise.strength / (2 * np.sqrt(np.pi) * AVERAGED)
    factor = context.by_place()
    if factor is not None:
        limits = p.tolerance + spread * factor[-1]
        return 1 - shoulder(far / limits, 1 - p.soft / 200, 1 + p.soft / 200)
    limit = p.tolerance + spread
    return 1 - shoulder(far, limit * (1 - p.soft / 200), limit * (1 + p.soft / 200))


def _seen(context: Context) -> NDArray[np.float32]:
    """(h, w, 3) L*a*b* of the averaged input."""
    pixels, have = context.get(INPUT, reach_of(AVERAGED))
    soft = np.stack([gaussian(np.ascontiguousarray(pixels[..., c]), AVERAGED) for c in range(pixels.shape[2])], -1)
    soft = soft[context.region.slices(have)]
    return np.asarray(lab(np.clip(np.broadcast_to(soft, (*soft.shape[:2], 3)), 0, 1)), np.float32)


def colour_at(read: Read, size: tuple[int, int], y: float, x: float) -> tuple[float, float, float]:
    """The mean colour around a place, L*a*b*."""
    cy, cx = int(np.clip(y, 0, size[0] - 1)), int(np.clip(x, 0, size[1] - 1))
    around = read(Region(cy - PICKED, cx - PICKED, cy + PICKED + 1, cx + PICKED + 1).within(size))
    mean = np.median(around.reshape(-1, around.shape[2]), 0)
    found = lab(np.clip(np.broadcast_to(mean, (1, 1, 3)), 0, 1))[0, 0]
    return round(float(found[0]), 2), round(float(found[1]), 2), round(float(found[2]), 2)


def _settled(p: ColourParams, read: Read, size: tuple[int, int]) -> ColourParams:
    """With the colours at the places that were given."""
    if not p.at:
        return p
    return p.model_copy(update={"colours": (*p.colours, *(colour_at(read, size, y, x) for y, x in p.at)), "at": ()})


COLOUR = PartKind(
    "colour", mark("colour"), mark("What is of a colour: click on it in the picture, more clicks add"),
    ColourParams, (Stage("colour", _run, reach=reach_of(AVERAGED)),), facts=lambda p: NEEDS,
    points=lambda p: bool(p.at), settled=_settled, tool="colour",
)  # fmt: skip
