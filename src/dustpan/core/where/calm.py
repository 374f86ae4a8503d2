"""What parts measure on: the luminance of the step's input with its noise taken out, so that noise does not speckle."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.fact import FactKind
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.noise.sliding_dct import REACH
from dustpan.core.sharpen.edge import calm_luma
from dustpan.core.stage import INPUT, Context, Stage

LEAST = 0.25 / 255  # encoded sigma that rounding alone makes


def _run(context: Context) -> NDArray[np.float32]:
    pixels, have = context.get(INPUT, REACH)
    return calm_luma(pixels, have, context.region, context.size, context.facts[NOISE_PRINT], context.check)


CALM = Stage("calm", _run, key=lambda p: (), reach=REACH)
NEEDS: frozenset[FactKind] = frozenset({NOISE_PRINT})


def sigma_of(level: NDArray[np.float32], noise: NoisePrint) -> NDArray[np.float32]:
    """The noise's sigma (h, w) of luma at these levels, at least what rounding makes."""
    table = np.maximum(noise.luma_sigma, LEAST).astype(np.float32)
    at = np.clip(level * (len(table) - 1) + 0.5, 0, len(table) - 1).astype(np.int32)
    return table[at]


def shoulder(value: NDArray, low: float, high: float) -> NDArray[np.float32]:
    """0 up to ``low``, 1 from ``high`` on, smooth between."""
    t = np.clip((value - np.float32(low)) / np.float32(max(high - low, 1e-9)), 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)
