"""The part Stars: discs around stars, which are found by their shape."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.language import mark
from dustpan.core.params import PX, Params, number
from dustpan.core.stage import Context, Stage
from dustpan.core.stars import STAR_FIELD
from dustpan.core.where.mask import PartKind

USUAL, GROWS = 2.0, 1.1  # px of a star that just stands out, and per factor e of its height
LARGEST = 40.0  # px


class StarsParams(Params):
    """How much around them, and how faint."""

    margin: float = number(
        2.0, 0, 30, label="Margin", unit=PX, digits=1, help="How far around a star the mask reaches."
    )
    faintest: float = number(
        5.0, 3, 200, label="From", unit="σ above the sky", digits=0, help="How far a star has to stand out to count."
    )


def _run(context: Context) -> NDArray[np.float32]:
    p, r = context.params, context.region
    out = np.zeros((r.height, r.width), np.float32)
    stars = context.facts[STAR_FIELD]
    if stars is None:
        return out
    at, peak = np.asarray(stars.at), np.asarray(stars.peak)
    radius = np.minimum(USUAL + GROWS * np.log(np.maximum(peak / 5, 1)), LARGEST) + p.margin
    near = (peak >= p.faintest) & (at[:, 0] > r.y0 - radius) & (at[:, 0] < r.y1 + radius)
    near &= (at[:, 1] > r.x0 - radius) & (at[:, 1] < r.x1 + radius)
    for (y, x), wide in zip(at[near].tolist(), radius[near].tolist(), strict=True):
        n = int(np.ceil(wide)) + 1
        y0, y1, x0, x1 = max(y - n, r.y0), min(y + n + 1, r.y1), max(x - n, r.x0), min(x + n + 1, r.x1)
        if y0 >= y1 or x0 >= x1:
            continue
        far = np.hypot(np.arange(y0, y1)[:, None] - y, np.arange(x0, x1)[None] - x)
        disc = np.clip(wide + 0.5 - far, 0, 1).astype(np.float32)
        part = out[y0 - r.y0 : y1 - r.y0, x0 - r.x0 : x1 - r.x0]
        np.maximum(part, disc, out=part)
    return out


STARS = PartKind(
    "stars", mark("stars"), mark("Stars, found by their shape, with a margin"), StarsParams,
    (Stage("stars", _run),), facts=lambda p: frozenset({STAR_FIELD}),
)  # fmt: skip
