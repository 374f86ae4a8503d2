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

from dustpan.core.colour import luma
from dustpan.core.language import mark
from dustpan.core.noise.calm import NEEDS, sigma_of
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.params import PX, Params, number
from dustpan.core.smooth import gaussian, reach_of, shoulder
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.where.mask import Offer, PartKind

FINE = 0.7  # px, below which nothing is looked at
NEAR, WIDEST = 2.5, 14.0  # scales, and px, over which power is averaged: as far as the noise asks for
SURE = 1.6  # times what chance leaves of the noise's power
WRONG = 0.12  # by how much the print of the noise may be


class TextureParams(Params):
    """How rough, and at what scale."""

    rough: float = number(
        2.0, 0.2, 50, label="Roughness", unit="of 255", digits=1,
        help="How strong texture has to be to count fully, above the noise; half of it counts half.",
    )  # fmt: skip
    scale: float = number(
        3.0, 1, 20, label="Scale", unit=PX, digits=1, help="How coarse the texture is that counts: half its period."
    )


def _nearest(p: TextureParams) -> float:
    return max(3.0, NEAR * p.scale)


def _reach(p: TextureParams) -> int:
    return reach_of(p.scale) + reach_of(max(WIDEST, _nearest(p)))


def _noise_in_band(noise: NoisePrint, scale: float) -> tuple[float, float]:
    """How much of the noise's power lies in the band, and within how many px² it is one sample there."""
    spectrum = np.asarray(noise.luma_spectrum, float).reshape(8, 8)
    f = np.pi * np.arange(8) / 8
    f2 = f[:, None] ** 2 + f[None] ** 2
    band = spectrum * (np.exp(-f2 * FINE**2 / 2) - np.exp(-f2 * scale**2 / 2)) ** 2
    alike = band.size * float((band**2).sum() / max(band.sum() ** 2, 1e-12))
    return float(band.sum() / max(spectrum.sum(), 1e-12)), alike


def _chance(around: float, alike: float) -> float:
    """What chance and a wrong print leave of the noise's power, as a share, averaged over so many px."""
    return float(SURE * np.sqrt(2 * alike / (4 * np.pi * around**2)) + WRONG)


def _averaged_over(p: TextureParams, power: float, alike: float) -> float:
    """As near as possible, and so far that chance does not pass for half the roughness that is asked for."""
    wanted = (p.rough / 2 / 255) ** 2 / max(power, 1e-12) - WRONG
    nearest, furthest = _nearest(p), max(WIDEST, _nearest(p))
    return float(np.clip((_chance(1.0, alike) - WRONG) / wanted, nearest, furthest)) if wanted > 0 else furthest


def _run(context: Context) -> NDArray[np.float32]:
    p: TextureParams = context.params
    noise: NoisePrint = context.facts[NOISE_PRINT]
    pixels, have = context.get(INPUT, _reach(p))
    plane = np.ascontiguousarray(luma(pixels), np.float32)
    soft = gaussian(plane, p.scale)
    band = gaussian(plane, FINE) - soft
    context.check()
    sigma = sigma_of(soft, noise, context.by_place(_reach(p))) if noise.sure else np.zeros_like(plane)
    share, alike = _noise_in_band(noise, p.scale)
    around = _averaged_over(p, share * float(np.median(noise.luma_sigma)) ** 2 if noise.sure else 0.0, alike)
    made_by_noise = gaussian(np.asarray(sigma**2 * np.float32(share), np.float32), around)
    # the mean of the root is moved less by a single edge than the mean of the power
    power = gaussian(np.abs(band), around) ** 2 * np.float32(np.pi / 2)
    least = (p.rough / 2 / 255) ** 2
    over = (power - made_by_noise) / np.maximum(least, np.float32(_chance(around, alike)) * made_by_noise)
    return shoulder(np.sqrt(np.maximum(over, 0)), 0.5, 1.5)[context.region.slices(have)]


TEXTURE = PartKind(
    "texture", mark("texture"), mark("How rough a place is, above the noise; inverted, the smooth parts"),
    TextureParams, (Stage("texture", _run, reach=_reach),), facts=lambda p: NEEDS, not_it=mark("smooth parts"),
    offers=(
        Offer(mark("rough parts"), mark("Where there is texture above the noise")),
        Offer(mark("smooth parts"), mark("Where there is no texture above the noise"), inverted=True),
    ),
)  # fmt: skip
