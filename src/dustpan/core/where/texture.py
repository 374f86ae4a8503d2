"""The part Texture: how rough a place is at a scale, above what the noise alone would make.

The power of a band of the luma is averaged around every place, and what the noise has in that band is taken off: its
spectrum is known. That finds texture that cleaning would have taken along.

References
----------
[1] D. J. Field, "Relations between the statistics of natural images and the response properties of cortical cells",
    JOSA A 4(12), 1987: power by bands.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.blur import gaussian, reach_of
from dustpan.core.colour import luma
from dustpan.core.language import mark
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.params import PX, Params, number
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.where.calm import NEEDS, shoulder, sigma_of
from dustpan.core.where.mask import PartKind

FINE = 0.7  # px, below which nothing is looked at
AROUND = 2.5  # scales over which power is averaged
SURE = 0.35  # of the noise's power in the band, that chance may leave
LIMITED = 4.0  # times the usual, beyond which a place counts as an edge and no more


class TextureParams(Params):
    """How rough, and at what scale."""

    rough: float = number(
        2.0, 0.2, 50, label="Roughness", unit="of 255", digits=1,
        help="How strong texture has to be to count fully, above the noise; half of it counts half.",
    )  # fmt: skip
    scale: float = number(
        3.0, 1, 20, label="Scale", unit=PX, digits=1, help="How coarse the texture is that counts: half its period."
    )


def _around(p: TextureParams) -> float:
    return max(3.0, AROUND * p.scale)


def _reach(p: TextureParams) -> int:
    return reach_of(p.scale) + reach_of(_around(p))


def _share_of_noise(noise: NoisePrint, scale: float) -> float:
    """How much of the noise's power lies in the band."""
    spectrum = np.asarray(noise.luma_spectrum, float).reshape(8, 8)
    f = np.pi * np.arange(8) / 8
    f2 = f[:, None] ** 2 + f[None] ** 2
    band = np.exp(-f2 * FINE**2 / 2) - np.exp(-f2 * scale**2 / 2)
    return float((spectrum * band**2).sum() / max(spectrum.sum(), 1e-12))


def _run(context: Context) -> NDArray[np.float32]:
    p: TextureParams = context.params
    noise: NoisePrint = context.facts[NOISE_PRINT]
    pixels, have = context.get(INPUT, _reach(p))
    plane = np.ascontiguousarray(luma(pixels), np.float32)
    soft = gaussian(plane, p.scale)
    band = gaussian(plane, FINE) - soft
    context.check()
    sigma = sigma_of(soft, noise) if noise.sure else np.float32(0)
    made_by_noise = np.asarray(sigma**2 * np.float32(_share_of_noise(noise, p.scale)), np.float32)
    # the mean of the root is moved less by a single edge than the mean of the power
    power = gaussian(np.sqrt(band * band + np.float32(1e-12)), _around(p)) ** 2 * np.float32(np.pi / 2)
    left = power - (1 + SURE) * gaussian(np.broadcast_to(made_by_noise, plane.shape).copy(), _around(p))
    rough = 255 * np.sqrt(np.maximum(left, 0))
    return shoulder(rough, 0.0, p.rough)[context.region.slices(have)]


TEXTURE = PartKind(
    "texture", mark("texture"), mark("How rough a place is, above the noise; inverted, the smooth parts"),
    TextureParams, (Stage("texture", _run, reach=_reach),), facts=lambda p: NEEDS,
)  # fmt: skip
