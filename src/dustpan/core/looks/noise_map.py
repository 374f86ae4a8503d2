"""The noise map: how strong the noise is that was measured at every place, from hardly any to the strongest."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.language import mark
from dustpan.core.look import LookContext, LookKind

FAINTEST, STRONGEST = 0.5 / 255, 64 / 255  # sigma of the luma, black and white in the map
LEAST, MOST = 0.01, 1.0  # sigma of a render's logarithm of light


def _noise_map(context: LookContext) -> NDArray[np.float32]:
    """Sigma on a logarithmic scale, as grey: relative to the light in a render, of the luma in other pictures."""
    before, noise = context.inner(context.before), context.noise
    if noise is None:
        return np.zeros_like(before)
    factor = 1.0 if noise.places is None else noise.places.on(context.region, context.size)
    if noise.in_proportion:
        sigma, ends = noise.relative * factor * np.ones(before.shape[:2]), (LEAST, MOST)
    else:
        sigma, ends = noise.luminance_sigma_of(luma(before)) * factor, (FAINTEST, STRONGEST)
    low, high = np.log(ends)
    share = np.clip((np.log(np.maximum(sigma, 1e-6)) - low) / (high - low), 0, 1)
    return np.repeat(share[..., None], before.shape[2], 2).astype(np.float32)


NOISE_MAP = LookKind(
    "noise-map",
    mark("noise map"),
    mark("How strong the measured noise is at every place: the brighter, the stronger"),
    _noise_map,
)
