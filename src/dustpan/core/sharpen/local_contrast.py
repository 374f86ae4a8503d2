"""The Local contrast step: what differs from its wider surroundings differs more, without rims at strong edges.

The luminance is parted by guided filters into a base that keeps strong edges, a coarse and a fine part. As the base has
the edges, neither part has any of them to overshoot with. What is weaker than the noise is not raised, nor where light
falls near it.

References
----------
[1] K. He, J. Sun, X. Tang, "Guided image filtering", IEEE Trans. PAMI 35(6), 2013: detail enhancement.
[2] Z. Farbman et al., "Edge-preserving decompositions for multi-scale tone and detail manipulation", SIGGRAPH 2008.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.language import say
from dustpan.core.noise.calm import CALM, NEEDS, sigma_of
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.params import PX, Params, number
from dustpan.core.smooth import guided, reach_of, shoulder
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import StepKind

FINER = 4.0  # times finer than the radius
EDGE = 0.10  # encoded: steps of more than this stay in the base
OF_RADIUS = 0.5  # sigma of a guided filter
CORE = 0.5  # times the noise: of a part as weak as this half is raised
DARKEST, LIT = 2.0, 8.0  # times the noise: below nothing is raised, from there on all of it


class LocalContrastParams(Params):
    """Two amounts, a radius in px, and how much shadows are spared."""

    coarse: float = number(
        0.4, -1, 2, label="Coarse", unit="×", help="How much more shapes as wide as the radius differ; below 0 less."
    )
    fine: float = number(0.2, -1, 2, label="Fine", unit="×", help="The same of what is four times finer.")
    radius: float = number(20, 4, 60, label="Radius", unit=PX, digits=0, help="How wide the surroundings are.")
    spare: float = number(
        100, 0, 100, label="Spare shadows", unit="%", digits=0, help="Where light is near the noise, nothing is raised."
    )


def _reach(p: LocalContrastParams) -> int:
    return 2 * reach_of(OF_RADIUS * p.radius) + 2


def _cored(part: NDArray[np.float32], sigma: NDArray[np.float32]) -> NDArray[np.float32]:
    """A part without what may be noise that cleaning left."""
    power = part * part
    return np.asarray(part * power / (power + (CORE * sigma) ** 2 + np.float32(1e-12)), np.float32)


def _run(context: Context) -> NDArray[np.float32]:
    p: LocalContrastParams = context.params
    calm, have = context.get("calm", _reach(p))
    calm = np.ascontiguousarray(calm)
    base = guided(calm, calm[..., None], OF_RADIUS * p.radius, EDGE**2)
    context.check()
    middle = guided(calm, calm[..., None], OF_RADIUS * p.radius / FINER, EDGE**2)
    inner = context.region.slices(have)
    calm, base, middle = calm[inner], base[inner], middle[inner]
    sigma = sigma_of(base, context.facts[NOISE_PRINT], context.by_place())
    coarse, fine = (_cored(part, sigma) for part in (middle - base, calm - middle))
    added = np.float32(p.coarse) * coarse + np.float32(p.fine) * fine
    lit = shoulder(base / sigma, DARKEST, LIT)
    added = added * (1 - np.float32(p.spare / 100) * (1 - lit))
    pixels, _ = context.get(INPUT)
    return np.asarray(pixels + added[..., None], np.float32)


def _summary(p: LocalContrastParams) -> str:
    return say("{0:.2g} / {1:.2g}× · {2:.0f} px", p.coarse, p.fine, p.radius)


LOCAL_CONTRAST = StepKind(
    id="local-contrast",
    name="Local contrast",
    place=140,
    help="Makes shapes stand out from their surroundings, coarse and fine apart, without rims at strong edges.",
    params=LocalContrastParams,
    stages=(CALM, Stage("raise", _run, reach=_reach)),
    facts=lambda p: NEEDS,
    idle=lambda p: p.coarse == 0 and p.fine == 0,
    summary=_summary,
)
