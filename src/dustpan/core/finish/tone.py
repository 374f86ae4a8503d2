"""The step Tone: push, ends, middle, contrast and strength of colour, for finishing."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.curve import SRGB, Curve
from dustpan.core.fact import CURVE
from dustpan.core.finish.levels import Levels, applied, bent
from dustpan.core.language import say
from dustpan.core.noise_of.effect import Effect, Left, Seen
from dustpan.core.params import Number, Params, number
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import StepKind

KNEE = 0.75  # encoded value from which a push rolls off towards white
SLOPE_OVER = 0.01  # encoded, to either side: over which the curve's slope is told
FAINTEST, RAISED = 0.25 / 255, (0.0, 50.0)  # encoded sigma that always counts; how much noise can be raised
STEEPEST = 0.9  # how far full contrast bends the curve
CHANNELS = ("red", "green", "blue")
LEVELS = ("black", "middle", "white", *(f"{c}_{end}" for end in ("black", "white") for c in CHANNELS))  # its controls
LEAST_SPAN = 0.001  # between black and white


def _end(label: str, default: float, low: float, high: float, help: str) -> Any:
    return number(default, low, high, label=label, unit="%", digits=2, help=help)


def _of_channel(colour: str, end: str) -> Any:
    help = f"Moves the {end} end of {colour.lower()} alone."
    label = f"{colour} {end}"
    return number(0, -50, 200, label=label, unit="%", digits=2, group=end, deeper=True, help=help)


class ToneParams(Params):
    """In percent of the encoded range, unless a unit says otherwise; as they are, nothing changes."""

    push: float = number(0, -5, 5, label="Push", unit="EV", help="Brighter or darker, in stops of light.")
    contrast: float = number(
        0,
        -100,
        100,
        label="Contrast",
        unit="%",
        digits=0,
        help="Steeper in the middle with soft shoulders, or flatter.",
    )
    colour: float = number(
        100, 0, 200, label="Colour", unit="%", digits=0, help="Strength of the colours; their hues stay."
    )
    black: float = _end("Black end", 0, -50, 100, "The value that becomes black.")
    middle: float = number(
        50, 0.1, 99.9, label="Middle", unit="%", digits=1, help="The share between both ends that becomes middle grey."
    )
    white: float = _end("White end", 100, 1, 300, "The value that becomes white.")
    red_black: float = _of_channel("Red", "black")
    green_black: float = _of_channel("Green", "black")
    blue_black: float = _of_channel("Blue", "black")
    red_white: float = _of_channel("Red", "white")
    green_white: float = _of_channel("Green", "white")
    blue_white: float = _of_channel("Blue", "white")

    @property
    def levels(self) -> Levels:
        """Its ends and middle; white always lies above black."""
        black = [(self.black + getattr(self, f"{c}_black")) / 100 for c in CHANNELS]
        white = [(self.white + getattr(self, f"{c}_white")) / 100 for c in CHANNELS]
        white = [max(w, b + LEAST_SPAN) for w, b in zip(white, black, strict=True)]
        return Levels(tuple(black), self.middle / 100, tuple(white))


def values_of(levels: Levels) -> dict[str, float]:
    """The parameters of Tone that do what these levels do."""
    black, white = (100 * float(np.mean(end)) for end in (levels.black, levels.white))
    found = {"black": black, "middle": 100 * levels.middle, "white": white}
    if not levels.linked:
        for n, c in enumerate(CHANNELS):
            found |= {f"{c}_black": 100 * levels.black[n] - black, f"{c}_white": 100 * levels.white[n] - white}
    ends = {c.name: (c.low, c.high) for c in ToneParams.controls() if isinstance(c, Number)}
    return {k: float(np.clip(round(v, 4), *ends[k])) for k, v in found.items()}


def toned(pixels: NDArray[np.float32], p: ToneParams, curve: Curve = SRGB) -> NDArray[np.float32]:
    """Pixels (h, w, C) of encoded values with another tone.

    Parameters
    ----------
    curve : how the values relate to light, for the push.
    """
    if p.push:
        pixels = pushed(pixels, p.push, curve)
    return applied(pixels, p.levels, lambda v: contrasty(v, p.contrast / 100), p.colour / 100)


def pushed(pixels: NDArray[np.float32], push: float, curve: Curve = SRGB) -> NDArray[np.float32]:
    """Light times 2 ** push; what would pass white is rolled off, all channels alike."""
    out = np.asarray(curve.encode(curve.decode(pixels) * np.float32(2.0**push)), np.float32)
    top = float(curve.encode(np.array(2.0**push)))
    if top <= 1:
        return out
    most = out.max(2, keepdims=True)
    beyond, room, span = np.maximum(most - KNEE, 0), 1 - KNEE, top - KNEE
    rolled = KNEE + beyond / (1 + beyond * (span / room - 1) / span)
    return np.asarray(np.where(most > KNEE, out * rolled / np.maximum(most, KNEE), out), np.float32)


def contrasty(values: NDArray[np.float32], contrast: float) -> NDArray[np.float32]:
    """The S of two bent halves [1 of `levels`], steeper in the middle for contrast above 0 and flatter below it."""
    if contrast == 0:
        return values
    middle = 0.5 + STEEPEST * contrast / 2
    low = bent(2 * values, middle) / 2
    high = 1 - bent(2 * (1 - values), middle) / 2
    return np.where(values < 0.5, low, high)


def _run(context: Context) -> NDArray[np.float32]:
    return toned(context.get(INPUT)[0], context.params, context.facts[CURVE])


def _leaves(seen: Seen) -> Left:
    """Noise is raised as much as the curve is steep, told in what the print says of the brightness that comes out."""
    p, noise = seen.params, seen.noise
    grey = luma(seen.pixels())[..., None]
    before, lower, upper = (np.clip(grey + by, 0, 1) for by in (0.0, -SLOPE_OVER, SLOPE_OVER))
    after, low, high = (toned(np.asarray(v, np.float32), p, seen.facts[CURVE])[..., 0] for v in (before, lower, upper))
    slope = (high - low) / np.maximum(upper - lower, 1e-6)[..., 0]
    sigma = noise.luminance_sigma_of(before[..., 0], FAINTEST), noise.luminance_sigma_of(after, FAINTEST)
    raised = np.clip(slope * sigma[0] / sigma[1], *RAISED)
    return raised, raised * p.colour / 100


def _summary(p: ToneParams) -> str:
    said = []
    if p.push:
        said.append(f"{p.push:+.1f} EV")
    if (p.black, p.middle, p.white) != (0, 50, 100):
        said.append(say("levels"))
    if p.contrast:
        said.append(say("contrast {0:+.0f} %", p.contrast))
    if p.colour != 100:
        said.append(say("colour {0:.0f} %", p.colour))
    return " · ".join(said) or say("as it is")


TONE = StepKind(
    id="tone",
    name="Tone",
    place=160,
    help="Push, black and white end, middle, contrast and strength of colour, for finishing; hues stay.",
    params=ToneParams,
    stages=(Stage("tone", _run),),
    summary=_summary,
    facts=lambda p: frozenset({CURVE}),
    idle=lambda p: p == ToneParams(),
    finishing=True,
    instrument="tone",
    noise=Effect(left=_leaves),
)
