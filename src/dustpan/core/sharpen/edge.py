"""The Edge sharpen step: an unsharp mask that ignores noise, stops before stairs and stays within the local range.

The luminance is cleaned first, so that detail is taken from the picture and not from its noise. Its difference from a
Gaussian blur, times the amount, is added to all channels alike, which leaves colours alone. Three things hold it back:
the threshold (detail below a multiple of the local noise), the steepness limit (an edge that would rise faster than the
pixel grid can show turns into stairs), and the halo guard. Where Deblur has been before, little is left to add.
"""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import PLANE, ROW, f4, kernel
from dustpan.core.language import mark
from dustpan.core.noise.calm import CALM
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.params import Params, number
from dustpan.core.sharpen.blur_of import DEBLURRED
from dustpan.core.sharpen.halo_guard import WINDOW, guard, largest, local_range
from dustpan.core.smooth import CUT, gaussian
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import Aside, StepKind

STEEPEST = 0.53  # of the local range per px: a result of MTF50 just under 0.40 cycles/px
LARGEST_RADIUS = 5.0
LEFT_TO_DO = 0.15  # of the amount, where a blur was taken out before; rims may then not rise at all
LEAST_FACTOR = np.float32(0.02)  # of the noise, that is left where it was taken out
SMOOTH = 1.0  # px, of the map that holds the amount back


class EdgeSharpenParams(Params):
    """Amount as a factor, radius in px, threshold in × local noise σ, halo limits in percent of the local range."""

    amount: float = number(1.5, 0, 6, label="Amount", unit="×", help="How much of the edges' detail is added.")
    radius: float = number(
        1.2,
        0.3,
        LARGEST_RADIUS,
        label="Radius",
        unit="px",
        help="How far from an edge its detail is taken: the blur's sigma.",
    )
    threshold: float = number(
        2.0,
        0,
        10,
        label="Threshold",
        unit="× local noise σ",
        digits=1,
        help="Detail weaker than this is left as it is.",
    )
    halo_light: float = number(
        2.0, 0, 100, label="Halo, light", unit="%", digits=1, group="Halo limits",
        help="How far a bright rim may rise above the brightest value nearby, in percent of the local range.",
    )  # fmt: skip
    halo_dark: float = number(
        2.0, 0, 100, label="Halo, dark", unit="%", digits=1, group="Halo limits",
        help="How far a dark rim may fall below the darkest value nearby, in percent of the local range.",
    )  # fmt: skip


def reach(p: EdgeSharpenParams) -> int:
    """How far beyond a region its luma is read, in px: the blur, the local ranges, and what is smoothed after them."""
    return int(np.ceil(p.radius * CUT)) + WINDOW + 6


@kernel(PLANE)
def _steepness(plane):
    """Length of the gradient, per px; the values at an edge go on beyond it."""
    h, w = plane.shape
    out, across = np.empty_like(plane), np.empty(w, plane.dtype)
    half = np.float32(0.5)
    for y in range(h):
        above, here, below = plane[max(y - 1, 0)], plane[y], plane[min(y + 1, h - 1)]
        for x in range(w):
            out[y, x] = half * (below[x] - above[x])
        across[0], across[w - 1] = here[min(1, w - 1)] - here[0], here[w - 1] - here[max(w - 2, 0)]
        for x in range(1, w - 1):
            across[x] = here[x + 1] - here[x - 1]
        for x in range(w):
            gx, gy = half * across[x], out[y, x]
            out[y, x] = np.sqrt(gx * gx + gy * gy)
    return out


@kernel(PLANE, PLANE, PLANE, PLANE, f4)
def _room(own, soft, low, high, amount):
    """The amount, less where it would make an edge steeper than the pixel grid can show."""
    out = np.empty_like(own)
    one, least, gained, steepest = np.float32(1), np.float32(1e-6), np.float32(0.02), np.float32(STEEPEST)
    for y in range(own.shape[0]):
        for x in range(own.shape[1]):
            steep = max(own[y, x], least)
            gain = max(one - soft[y, x] / steep, gained)  # how much one unit of amount steepens the edge
            room = max(steepest * (high[y, x] - low[y, x]) / steep - one, np.float32(0))
            out[y, x] = min(amount, room / gain)
    return out


@kernel(PLANE, PLANE, ROW)
def _weight(detail, level, bound):
    """0 for detail up to the bound of its level, 1 from twice the bound up."""
    h, w = detail.shape
    out, at = np.empty_like(detail), np.empty(w, np.int32)
    zero, one, last = np.float32(0), np.float32(1), np.float32(len(bound) - 1)
    inverse = one / bound
    for y in range(h):
        for x in range(w):
            v = level[y, x] * last
            at[x] = np.int32(min(max(v, zero), last) + np.float32(0.5)) if v == v else 0
        for x in range(w):
            out[y, x] = inverse[at[x]]
        for x in range(w):
            t = min(max(detail[y, x] * out[y, x] - one, zero), one)
            out[y, x] = t * t * (np.float32(3) - np.float32(2) * t)
    return out


def _held_amount(calm: NDArray, blurred: NDArray, low: NDArray, high: NDArray, amount: float) -> NDArray[np.float32]:
    own, soft = (largest(_steepness(p), 5) for p in (calm, blurred))
    return gaussian(_room(own, soft, low, high, np.float32(amount)), SMOOTH)


def over_threshold(
    detail: NDArray, level: NDArray, noise: NoisePrint, threshold: float, factor: NDArray[np.float32] | None = None
) -> NDArray[np.float32]:
    """Weight 0 for detail below the threshold, 1 from twice the threshold up, judged on its neighbourhood.

    factor : (1 or 2, h, w) that the noise is stronger by than the print; None for 1.
    """
    bound = np.maximum(noise.luma_sigma * np.float32(threshold), np.float32(1e-9))
    most = largest(np.abs(detail), 5)
    if factor is not None:
        most = np.asarray(most / np.maximum(factor[0], LEAST_FACTOR), np.float32)
    return gaussian(_weight(most, level, bound), SMOOTH)


def sharpen_luma(
    calm: NDArray[np.float32],
    p: EdgeSharpenParams,
    noise: NoisePrint | None,
    check: Callable[[], None] = lambda: None,
    factor: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """What is added to the luma.

    Parameters
    ----------
    calm : (h, w) luma with its noise taken out.
    p : the parameters. noise : the print that the threshold refers to; may be None when the threshold is 0.
    check : called every few milliseconds; raises to cancel. factor : see `over_threshold`.
    """
    calm = np.array(calm, np.float32)  # one layout for what is compiled, be it a view or kept
    low, high = local_range(calm)
    blurred = gaussian(calm, p.radius)
    detail = calm - blurred
    check()
    held = _held_amount(calm, blurred, low, high, p.amount)
    check()
    if p.threshold > 0 and noise is not None:
        held *= over_threshold(detail, calm, noise, p.threshold, factor)
    check()
    held *= detail
    held += calm
    added = guard(held, low, high, p.halo_light, p.halo_dark)
    added -= calm
    return added


def _sharpen_stage(context: Context) -> NDArray[np.float32]:
    calm, have = context.get("calm", reach(context.params))
    p: EdgeSharpenParams = context.params
    done = context.facts[DEBLURRED]
    less = {"amount": 1 - (1 - LEFT_TO_DO) * done, "halo_light": 1 - done, "halo_dark": 1 - done}
    p = EdgeSharpenParams.model_construct(**{**dict(p), **{n: getattr(p, n) * share for n, share in less.items()}})
    factor = context.by_place(reach(context.params))
    added = sharpen_luma(calm, p, context.facts[NOISE_PRINT], context.check, factor)
    pixels, _ = context.get(INPUT)
    channels = pixels.shape[2]
    return pixels + cv2.merge([added[context.region.slices(have)]] * channels).reshape(pixels.shape)


def _where(context: Context) -> NDArray[np.float32]:
    """(h, w, C) grey: how much of the amount each place gets."""
    p: EdgeSharpenParams = context.params
    calm, have = context.get("calm", reach(p))
    calm = np.array(calm, np.float32)
    detail = calm - gaussian(calm, p.radius)
    context.check()
    noise, factor = context.facts[NOISE_PRINT], context.by_place(reach(p))
    weight = over_threshold(detail, calm, noise, p.threshold, factor) if p.threshold else detail * 0 + 1
    pixels, _ = context.get(INPUT)
    return np.ascontiguousarray(np.broadcast_to(weight[context.region.slices(have)][..., None], pixels.shape))


EDGE_SHARPEN = StepKind(
    id="edge-sharpen",
    name="Edge sharpen",
    place=120,
    help="Makes edges steeper without rims beside them, and leaves noise and smooth areas alone.",
    params=EdgeSharpenParams,
    stages=(
        CALM,
        Stage("sharpen", _sharpen_stage, reach=reach),
    ),
    facts=lambda p: frozenset({NOISE_PRINT, DEBLURRED}),
    idle=lambda p: p.amount == 0,
    instrument="edge",
    aside=Aside(mark("the edges that it sharpens"), (CALM, Stage("where", _where, reach=reach)), ("threshold",)),
    summary=lambda p: f"{p.amount:.2g}× · {p.radius:.2g} px",
)
