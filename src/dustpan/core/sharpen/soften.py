"""The Soften step: a low pass, plain or one that keeps edges.

References
----------
[1] K. He, J. Sun, X. Tang, "Guided image filtering", IEEE Trans. PAMI 35(6), 2013.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.noise_of.effect import Effect, Left, Seen
from dustpan.core.params import PX, Params, number
from dustpan.core.smooth import gaussian, guided, reach_of
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import StepKind

OF_RADIUS = 1.3  # sigma of a guided filter that softens as a Gaussian of 1 does
STRONGEST, WEAKEST = 0.02, 0.4  # encoded steps that are kept, at 100 % and at 0 %


class SoftenParams(Params):
    """A radius in px, and how much edges are kept."""

    radius: float = number(2.0, 0.3, 30, label="Radius", unit=PX, digits=1, help="How far it is softened: sigma.")
    edges: float = number(
        0, 0, 100, label="Keep edges", unit="%", digits=0, help="From a plain blur to one that leaves even faint edges."
    )


def _reach(p: SoftenParams) -> int:
    return 2 * reach_of(OF_RADIUS * p.radius) + 1 if p.edges else reach_of(p.radius) + 1


def _leaves(seen: Seen) -> Left:
    """What a low pass leaves of noise of this spectrum; flat parts are softened whatever edges are kept."""
    f = np.pi * np.arange(8) / 8
    kept = np.exp(-(f[:, None] ** 2 + f[None] ** 2) * seen.params.radius**2)

    def left(power: NDArray) -> float:
        shape = np.asarray(power, float).reshape(-1, 8, 8).mean(0)
        return float(np.sqrt((shape * kept).sum() / shape.sum()))

    return left(seen.noise.luma_spectrum), left(seen.noise.spectrum[-1])


def _run(context: Context) -> NDArray[np.float32]:
    p: SoftenParams = context.params
    pixels, have = context.get(INPUT, _reach(p))
    planes = [np.ascontiguousarray(pixels[..., c]) for c in range(pixels.shape[2])]
    context.check()
    if p.edges:
        guide = np.ascontiguousarray(np.clip(luma(pixels), 0, 1))[..., None]
        kept = WEAKEST * (STRONGEST / WEAKEST) ** (p.edges / 100)
        soft = [guided(plane, guide, OF_RADIUS * p.radius, kept**2) for plane in planes]
    else:
        soft = [gaussian(plane, p.radius) for plane in planes]
    return np.ascontiguousarray(np.stack(soft, -1)[context.region.slices(have)], np.float32)


SOFTEN = StepKind(
    id="soften",
    name="Soften",
    place=150,
    help="Softens what is finer than a radius, everywhere or only between edges.",
    params=SoftenParams,
    stages=(Stage("soften", _run, reach=_reach),),
    summary=lambda p: f"{p.radius:.2g} px",
    noise=Effect(left=_leaves),
)
