"""The Grain step: fine luminance grain over a result, so that cleaned parts do not look like plastic.

Grain is white noise made from the position of each pixel alone, softened to the wanted size and brought back to its
strength, in multiples of the luminance noise that was measured of the picture at each brightness. The same picture gets
the same grain, however it is cut into tiles.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.colour import luma
from dustpan.core.kernels import PLANE, i8, kernel
from dustpan.core.language import say
from dustpan.core.noise.measure import PICTURE_PRINT
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.noise_of.effect import Effect
from dustpan.core.params import Params, number
from dustpan.core.region import Region
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import StepKind

CUT = 4.0  # Gaussians end at this many sigma
LEAST = 0.25 / 255  # sigma: of a picture without noise grain still has a size to refer to


class GrainParams(Params):
    """Amount in multiples of the picture's own luminance noise, size in px."""

    amount: float = number(
        0.15, 0, 1, label="Amount", unit="×noise", help="How strong the grain is, in multiples of the noise that was."
    )
    size: float = number(
        0.5, 0, 3, label="Size", unit="px", digits=1, help="How far the grain is softened: the blur's sigma."
    )


@kernel(i8, i8, PLANE)
def _white(y0, x0, out):
    """Normal values from the position: four hashed 16-bit numbers each, whose sum is near enough to normal."""
    h, w = out.shape
    for y in range(h):
        for x in range(w):
            total = np.float32(0)
            for k in range(2):
                v = np.uint32(np.uint32((y0 + y) * 0x9E3779B1) ^ np.uint32((x0 + x) * 0x85EBCA77))
                v = np.uint32(v + np.uint32(k * 0xC2B2AE3D))
                v = np.uint32(v ^ (v >> 16))
                v = np.uint32(v * 0x7FEB352D)
                v = np.uint32(v ^ (v >> 15))
                v = np.uint32(v * 0x846CA68B)
                v = np.uint32(v ^ (v >> 16))
                total += np.float32(v & 0xFFFF) + np.float32(v >> 16)
            out[y, x] = (total / np.float32(65535) - np.float32(2)) * np.float32(np.sqrt(3.0))


def grain(region: Region, size: float) -> NDArray[np.float32]:
    """Grain of unit sigma on a region: (h, w), the same at a place whatever region it is asked for in.

    The hash is the finaliser of T. Mueller and C. Wellons ("lowbias32"), public domain.
    """
    reach = int(np.ceil(CUT * size))
    area = region.grown(reach)
    values = np.empty((area.height, area.width), np.float32)
    _white(area.y0 + (1 << 20), area.x0 + (1 << 20), values)
    if reach == 0:
        return values
    offsets = np.arange(-reach, reach + 1)
    weights = np.exp(-0.5 * (offsets / size) ** 2)
    weights /= np.sqrt(np.sum(weights**2))  # keeps the sigma
    for axis in (0, 1):
        values = ndi.correlate1d(values, weights.astype(np.float32), axis, mode="nearest")
    ys, xs = region.slices(area)
    return values[ys, xs]


def _add(context: Context) -> NDArray[np.float32]:
    noise: NoisePrint = context.facts[PICTURE_PRINT]
    pixels, _ = context.get(INPUT)
    strength = noise.luminance_sigma_of(luma(pixels), LEAST).astype(np.float32)
    added = np.float32(context.params.amount) * strength * grain(context.region, context.params.size)
    return np.asarray(pixels + added[..., None], np.float32)


GRAIN = StepKind(
    id="grain",
    name="Grain",
    place=170,
    help="Lays fine luminance grain over the picture, in the measure of its own noise.",
    params=GrainParams,
    stages=(Stage("grain", _add),),
    facts=lambda p: frozenset({PICTURE_PRINT}),
    idle=lambda p: p.amount == 0,
    summary=lambda p: say("{0:.2g}× noise", p.amount),
    noise=Effect(added=lambda p: p.amount),
)
