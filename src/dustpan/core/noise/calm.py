"""The luminance with its noise taken out: edges, detail and masks are measured on it, so that noise does not count."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.fact import FactKind
from dustpan.core.noise.evened import LEAST
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.noise.sliding_dct import REACH, sliding_dct
from dustpan.core.region import Region, fetch
from dustpan.core.stage import INPUT, Context, Stage

THRESHOLD = 2.7
FROM = 0.2 / 255  # sigma below which there is nothing to take out


def calm_luma(
    pixels: NDArray[np.float32],
    have: Region,
    want: Region,
    size: tuple[int, int],
    noise: NoisePrint,
    check: Callable[[], None] = lambda: None,
    factor: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """The luma of ``want`` with its noise taken out by one sliding DCT; the luma itself where the print is unsure.

    Parameters
    ----------
    pixels : (h, w, C) encoded values covering ``have``, which is ``want`` grown by `REACH` within the picture.
    factor : (1 or 2, h, w) that the noise is stronger by than the print, on ``have``; None for 1.
    """
    plane = luma(pixels)
    if not noise.sure or noise.strength < FROM:
        return np.array(plane[want.slices(have)])
    area = want.aligned(4).grown(8)
    seen = np.ascontiguousarray(fetch(plane[None], have, area, size), np.float32)
    own, sigma = np.ones((1, 1), np.float32), noise.luma_sigma
    tables = own, sigma[None], len(sigma) - 1
    by = None if factor is None else fetch(factor[:1], have, area, size)
    calm = sliding_dct(seen, noise.luma_spectrum[None], THRESHOLD, *tables, row_step=4, check=check, factor=by)
    return calm[0][want.slices(area)]


def _run(context: Context) -> NDArray[np.float32]:
    pixels, have = context.get(INPUT, REACH)
    noise, factor = context.facts[NOISE_PRINT], context.by_place(REACH)
    return calm_luma(pixels, have, context.region, context.size, noise, context.check, factor)


CALM = Stage("calm", _run, key=lambda p: (), reach=REACH)
NEEDS: frozenset[FactKind] = frozenset({NOISE_PRINT})


def sigma_of(
    level: NDArray[np.float32], noise: NoisePrint, factor: NDArray[np.float32] | None = None
) -> NDArray[np.float32]:
    """The noise's sigma (h, w) of luma at these levels, at least what rounding makes; ``factor`` as of `calm_luma`."""
    table = np.maximum(noise.luma_sigma, LEAST).astype(np.float32)
    at = np.clip(level * (len(table) - 1) + 0.5, 0, len(table) - 1).astype(np.int32)
    return table[at] if factor is None else np.maximum(table[at] * factor[0], np.float32(LEAST))
