"""How a step's result is laid over its input: opacity and blend, the same for every step.

Formulas follow the W3C "Compositing and Blending Level 1" recommendation where it has them; linear and vivid light are
the usual ones. They are defined for 0..1, so both sides are clipped for the formula, and what the input holds beyond
0..1 is added back afterwards.
"""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from dustpan.core.language import mark


class Blend(StrEnum):
    NORMAL = mark("normal")
    OVERLAY = mark("overlay")
    SOFT_LIGHT = mark("soft light")
    HARD_LIGHT = mark("hard light")
    LINEAR_LIGHT = mark("linear light")
    VIVID_LIGHT = mark("vivid light")


def _hard_light(base: NDArray, top: NDArray) -> NDArray:
    return np.where(top <= 0.5, 2 * base * top, 1 - 2 * (1 - base) * (1 - top))


def _soft_light(base: NDArray, top: NDArray) -> NDArray:
    lifted = np.where(base <= 0.25, ((16 * base - 12) * base + 4) * base, np.sqrt(base))
    return np.where(top <= 0.5, base - (1 - 2 * top) * base * (1 - base), base + (2 * top - 1) * (lifted - base))


def _vivid_light(base: NDArray, top: NDArray) -> NDArray:
    burn = 1 - (1 - base) / np.maximum(2 * top, 1e-6)
    dodge = base / np.maximum(2 * (1 - top), 1e-6)
    return np.clip(np.where(top <= 0.5, burn, dodge), 0, 1)


_FORMULAS: dict[Blend, Callable[[NDArray, NDArray], NDArray]] = {
    Blend.OVERLAY: lambda base, top: _hard_light(top, base),
    Blend.SOFT_LIGHT: _soft_light,
    Blend.HARD_LIGHT: _hard_light,
    Blend.LINEAR_LIGHT: lambda base, top: np.clip(base + 2 * top - 1, 0, 1),
    Blend.VIVID_LIGHT: _vivid_light,
}


def lay_over(
    base: NDArray[np.float32],
    top: NDArray[np.float32],
    blend: Blend,
    opacity: float,
    mask: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """Lay a step's result over its input.

    Parameters
    ----------
    base, top : (h, w, C) encoded values, before and after the step.
    opacity : 0 (the input, exactly) to 1.
    mask : (h, w), 0 where the input's very samples stay to 1 where all of the step counts; None for everywhere.
    """
    if opacity == 0:
        return base
    if blend is not Blend.NORMAL:
        inside = np.clip(base, 0, 1)
        top = _FORMULAS[blend](inside, np.clip(top, 0, 1)) + (base - inside)
    if mask is None:
        if opacity == 1:
            return np.asarray(top, np.float32)
        return np.asarray(base + np.float32(opacity) * (top - base), np.float32)
    share = (mask * np.float32(opacity))[..., None]
    mixed = np.where(share == 1, top, base + share * (top - base))
    return np.asarray(np.where(share == 0, base, mixed), np.float32)  # not a product with 0: of infinity it is none
