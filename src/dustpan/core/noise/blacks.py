"""The Neutral blacks step: takes a colour cast out of the darkest tones.

Stray light, a wrong black level or sensor glow tint the blacks of a picture before its noise is anybody's concern. The
cast is measured once on the whole picture: the darkest blocks are averaged while their noise is stabilised and brought
back by the unbiased inverse, so that clipped noise, which lifts the noisier channels, is not taken for a cast.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.fact import Asked, FactKind, Of, Scope
from dustpan.core.language import say
from dustpan.core.noise.measure import PICTURE_PRINT
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.params import Params, number
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import StepKind

BLOCK = 16  # px
DARKEST = 0.03  # share of the blocks that blacks are measured on
LARGEST = 0.2  # encoded: a cast beyond this is the picture's own colour


@dataclass(frozen=True, eq=False)
class Blacks:
    """What the darkest tones look like: their level (luma, encoded) and how far each channel is off it."""

    level: float
    cast: NDArray[np.float32]


def measure_blacks(pixels: NDArray[np.float32], noise: NoisePrint) -> Blacks:
    """Measure the darkest tones of a picture (H, W, C) of encoded values whose print is ``noise``."""
    h, w, n = pixels.shape
    if min(h, w) < BLOCK:
        return Blacks(0.0, np.zeros(n, np.float32))
    rows = []
    for y in range(0, h - BLOCK + 1, BLOCK):  # a row of blocks at a time keeps memory low
        planes = noise.stabiliser.stabilise(pixels[y : y + BLOCK, : w // BLOCK * BLOCK])
        rows.append(planes.reshape(n, BLOCK, w // BLOCK, BLOCK).mean((1, 3)))
    means = np.ascontiguousarray(np.stack(rows, 1), np.float32)
    colours = noise.stabiliser.restore(means).reshape(-1, n)
    brightness = luma(colours)
    darkest = colours[brightness <= np.quantile(brightness, DARKEST)]
    level = float(np.median(luma(darkest)))
    cast = np.median(darkest - luma(darkest)[:, None], axis=0)
    return Blacks(level, np.clip(cast, -LARGEST, LARGEST).astype(np.float32))


def _measure(asked: Asked) -> Blacks:
    return measure_blacks(asked.pixels, asked.needs[PICTURE_PRINT])


BLACKS = FactKind("blacks", _measure, of=Of.PICTURE, scope=Scope.WHOLE, needs=(PICTURE_PRINT,))


class NeutralBlacksParams(Params):
    """How much of the cast is taken out, and up to which brightness."""

    amount: float = number(
        100, 0, 100, label="Amount", unit="%", digits=0, help="How much of the cast of the darkest tones is taken out."
    )
    reach: float = number(
        25, 2, 100, label="Up to", unit="% brightness", digits=0,
        help="The brightness from which nothing is changed; below it the correction grows towards black.",
    )  # fmt: skip


def _neutral(context: Context) -> NDArray[np.float32]:
    blacks: Blacks = context.facts[BLACKS]
    pixels, _ = context.get(INPUT)
    reach = max(context.params.reach / 100, blacks.level + 1e-3)
    fade = np.clip((reach - luma(pixels)) / (reach - blacks.level), 0, 1)
    share = np.float32(context.params.amount / 100) * (fade * fade * (3 - 2 * fade)).astype(np.float32)
    return np.asarray(pixels - share[..., None] * blacks.cast, np.float32)


NEUTRAL_BLACKS = StepKind(
    id="neutral-blacks",
    name="Neutral blacks",
    place=100,
    help="Takes a colour cast out of the darkest tones, as it was measured, and leaves brighter tones alone.",
    params=NeutralBlacksParams,
    stages=(Stage("neutral", _neutral),),
    facts=lambda p: frozenset({BLACKS}),
    idle=lambda p: p.amount == 0,
    summary=lambda p: say("{0:.0f} % to {1:.0f} %", p.amount, p.reach),
)
