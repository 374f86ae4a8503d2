"""The part Tones: how bright a place is, measured on the cleaned picture.

From 0 to 1 it is the luminance itself, as luminosity masks are; a narrower range counts evenly within soft shoulders.
Between both it goes over smoothly, so that a handle that leaves the end does not jump.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.language import mark
from dustpan.core.noise.calm import CALM, NEEDS
from dustpan.core.params import Params, number, switch
from dustpan.core.smooth import shoulder
from dustpan.core.stage import Context, Stage
from dustpan.core.where.mask import Offer, PartKind

SOFTEST = 13.0  # levels of 255: a shoulder as steep as 0.12 a level
NARROWED = 0.1  # of the whole range, from which on brightness no longer weighs


class TonesParams(Params):
    """A range of brightness, and how soft it begins and ends."""

    low: float = number(0.0, 0, 1, label="From", unit="", typed="from", help="The darkest tone that counts, 0 to 1.")
    high: float = number(1.0, 0, 1, label="To", unit="", typed="to", help="The brightest tone that counts, 0 to 1.")
    soft: float = number(
        30,
        SOFTEST,
        255,
        label="Shoulders",
        unit="of 255",
        digits=0,
        help="Over how many levels the range begins and ends.",
    )
    squared: bool = switch(False, label="Squared", help="The mask times itself: what is bright counts far more.")


def _run(context: Context) -> NDArray[np.float32]:
    p: TonesParams = context.params
    tone = np.clip(context.get("calm")[0], 0, 1)
    low, high, soft = min(p.low, p.high), max(p.low, p.high), p.soft / 255
    inside = np.ones_like(tone)
    if low > 0:
        inside *= shoulder(tone, low - soft / 2, low + soft / 2)
    if high < 1:
        inside *= 1 - shoulder(tone, high - soft / 2, high + soft / 2)
    weighs = np.float32(np.clip(1 - (low + 1 - high) / NARROWED, 0, 1))
    out = inside * (weighs * tone + (1 - weighs))
    return np.asarray(out * out if p.squared else out, np.float32)


HELP = mark("A range of brightness: shadows, midtones or lights, also as a luminosity mask")

TONES = PartKind(
    "tones", mark("tones"), HELP,
    TonesParams, (CALM, Stage("tones", _run)), facts=lambda p: NEEDS, instrument="tones",
    offers=(
        Offer(mark("tones"), HELP),
        Offer(mark("tones, squared"), mark("Lights, and brighter ones far more: the brightness times itself"),
              values={"squared": True}),
    ),
)  # fmt: skip
