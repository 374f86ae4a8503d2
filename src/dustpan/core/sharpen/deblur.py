"""The Deblur step: the blur that was measured, or typed, is inverted; the noise that this raises is taken out; guarded.

The inverse is regularised by what is known of the scene's power and of the noise, and applied as a filter of bounded
size. What it made of the noise is known for every coefficient of a block, so a sliding transform takes it out. The
result is held near the local range of the cleaned picture: tightly beside plateaus, where overshoot is a rim, and
loosely inside texture, where it is detail.

References
----------
[1] K. Dabov, A. Foi, V. Katkovnik, K. Egiazarian, "Image restoration by sparse 3D transform-domain collaborative
    filtering", SPIE 6812, 2008: regularised inversion, then a filter for coloured noise.
[2] G. Yu, G. Sapiro, "DCT image denoising", IPOL 2011.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from enum import StrEnum
from functools import partial
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.fact import Asked, Carry, FactKind
from dustpan.core.hits import Hits
from dustpan.core.kernels import PLANE, kernel
from dustpan.core.language import mark, say
from dustpan.core.noise.calm import calm_luma
from dustpan.core.noise.dct8 import DCT_8
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.noise.sliding_dct import REACH as CALM_REACH
from dustpan.core.noise.sliding_dct import sliding_dct
from dustpan.core.noise_of.effect import USUALLY, Effect, Left, Seen
from dustpan.core.params import PX, Params, choice, number, switch
from dustpan.core.region import Region, fetch
from dustpan.core.sharpen.blur_by_place import BLUR_MAP, SIGMAS, STEP
from dustpan.core.sharpen.blur_of import BLUR, DEBLURRED, BlurOf
from dustpan.core.sharpen.halo_guard import LOOSE, PLATEAUS_REACH, largest, local_range, plateaus, room
from dustpan.core.sharpen.transfer import GRID, filter_of, of_disc, of_gaussian, of_line, waves
from dustpan.core.sharpen.wiener_dct import wiener_dct
from dustpan.core.smooth import gaussian
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import EVERY_KIND, StepKind

Plane = NDArray[np.float32]
SHARP = 0.45  # px: of less blur nothing is taken
TAPS, LONG = 12, 24  # px that the inverse reaches: of a round blur, and of one that loses whole frequencies
REGULAR, BOLDER = 0.6, 0.3  # times the noise, for the first estimate and for the second
QUIETEST = 0.4 / 255
THRESHOLD = 2.7  # sigma of a coefficient
MOST = 0.08  # encoded, that texture may leave its range by
QUICK_CALM = 0.8  # px, of what stands in for the cleaned picture in a draft
LEAVES = 0.2  # of the luminance noise, in flat parts (`benchmarks.sharpen`)
CHARTED = 65  # frequencies of the chart
STEEP, STEEPER, SOFTER = 0.36, 0.48, 0.55  # of the range per px, beside plateaus; px by which it is softened there


class Kind(StrEnum):
    """Where the blur comes from."""

    MEASURED = "measured"
    ROUND = "round"
    DISC = "disc"
    DIRECTIONAL = "directional"


class DeblurParams(Params):
    """How far, and of what blur."""

    amount: float = number(100, 0, 100, label="How far", unit="%", digits=0, help="How much of the blur is taken out.")
    kind: Kind = choice(
        Kind, Kind.MEASURED, label="Blur", help="Measured from the picture, or typed: round, a disc, or along a line."
    )
    size: float = number(
        1.2,
        0.3,
        6,
        label="Size",
        unit=PX,
        help="Of a typed one: sigma if round, radius of a disc, length of a line.",
    )
    angle: float = number(0, -90, 90, label="Angle", unit="°", digits=0, help="Of a typed blur along a line.")
    by_place: bool = switch(
        False,
        label="By place",
        help="The blur is measured for each part of the picture: where corners, or what is out of focus, are softer.",
    )
    grain: float = number(
        0, 0, 100, label="Keep grain", unit="%", digits=0, help="How much of the picture's own noise is left in it."
    )


def transfer(p: DeblurParams, found: BlurOf, fy: NDArray, fx: NDArray) -> NDArray[np.float64]:
    """What the blur does to each frequency."""
    if p.kind is Kind.DISC:
        return of_disc(fy, fx, p.size)
    if p.kind is Kind.DIRECTIONAL:
        return of_line(fy, fx, p.size, p.angle)
    return of_gaussian(fy, fx, np.eye(2) * p.size**2) if p.kind is Kind.ROUND else found.transfer(fy, fx)


def _loses(p: DeblurParams, found: BlurOf) -> bool:
    """Whether the blur leaves nothing of some frequencies, as discs and lines do."""
    if p.kind is Kind.MEASURED:
        return found.radius > 0 or found.length > 0
    return p.kind is not Kind.ROUND


def inverse(p: DeblurParams, found: BlurOf, sigma: float, regular: float = REGULAR) -> Plane:
    """(2 n + 1, 2 n + 1) filter that undoes the blur as far as the noise allows; n is `TAPS` or `LONG`."""
    fy, fx = waves()
    seen = transfer(p, found, fy, fx)
    level, fall = (found.level, found.fall) if p.kind is Kind.MEASURED else found.scene(seen)
    power = level * np.maximum(fx * fx + fy * fy, (2 * np.pi / GRID) ** 2) ** (-fall / 2)
    least = max(sigma, QUIETEST) ** 2
    answer = seen * power / (seen * seen * power + regular * least)
    return filter_of(answer, LONG if _loses(p, found) else TAPS, 0.25)


def raised(taps: Plane, spectrum: NDArray) -> NDArray[np.float32]:
    """(64,) what a filter makes of noise of this spectrum (64,), by coefficient of an 8 x 8 block."""
    answer = np.abs(np.fft.fft2(taps, (GRID, GRID))) ** 2
    waves = np.abs(np.fft.fft(DCT_8, GRID, axis=1)) ** 2 / GRID
    at = np.minimum(np.abs(np.fft.fftfreq(GRID)) * 16, 7).astype(int)
    noise = spectrum.reshape(8, 8)[at][:, at]
    return np.einsum("uy,yx,vx->uv", waves, answer * noise, waves).astype(np.float32).ravel()


@kernel(PLANE, PLANE)
def _filtered(plane, taps):
    """A plane without its rim, filtered."""
    n = taps.shape[0]
    h, w = plane.shape[0] - n + 1, plane.shape[1] - n + 1
    out = np.zeros((h, w), np.float32)
    for y in range(h):
        for i in range(n):
            for j in range(n):
                f = taps[i, j]
                for x in range(w):
                    out[y, x] += f * plane[y + i, x + j]
    return out


def guarded(sharp: Plane, calm: Plane) -> Plane:
    """Held near the local range of the cleaned picture, tightly beside plateaus and loosely in texture."""
    low, high = local_range(calm)
    top, bottom = plateaus(calm, low, high)
    span = high - low
    dx, dy = (cv2.Sobel(sharp, cv2.CV_32F, *d, ksize=1) for d in ((1, 0), (0, 1)))
    steep = largest(np.asarray(np.sqrt(dx * dx + dy * dy) / 2, np.float32), 5) / np.maximum(span, np.float32(0.02))
    too = np.clip((steep - STEEP) / (STEEPER - STEEP), 0, 1) * (1 - room(np.minimum(top, bottom) + np.float32(0.1)))
    sharp = sharp + np.asarray(too, np.float32) * (gaussian(sharp, SOFTER) - sharp)
    over, under = (np.minimum(LOOSE * span, MOST) * room(share) for share in (top, bottom))
    return np.clip(sharp, low - under, high + over)


GUARD_REACH = PLATEAUS_REACH + 4


def _calm(context: Context) -> Plane:
    pixels, have = context.get(INPUT, CALM_REACH)
    factor = context.by_place(CALM_REACH)
    return calm_luma(pixels, have, context.region, context.size, _noise(context), context.check, factor)


def _calm_quickly(context: Context) -> Plane:
    pixels, have = context.get(INPUT, CALM_REACH)
    return np.ascontiguousarray(gaussian(luma(pixels), QUICK_CALM)[context.region.slices(have)])


def heard(noise: NoisePrint, blur: BlurOf) -> NoisePrint:
    """The print, as strong as the picture bears out: fine texture is not to pass for noise here."""
    return (noise.whitened() if blur.white else noise).times(blur.quiet)


def _noise(context: Context) -> NoisePrint:
    return heard(context.facts[NOISE_PRINT], context.facts[BLUR])


def _nothing(found: BlurOf, p: DeblurParams) -> bool:
    """Whether the picture is as sharp as it can be."""
    return p.kind is Kind.MEASURED and not p.by_place and found.axes[0] < SHARP


def _inverted(context: Context, quick: bool = False) -> Plane:
    """(h, w) luma without the blur, and without the noise that this raised."""
    p, found = context.params, context.facts[BLUR]
    pixels, have = context.get(INPUT, INVERT_REACH)
    plane = luma(pixels)
    own = np.array(plane[context.region.slices(have)])
    if _nothing(found, p):
        return own
    if not _varies(p):
        return _without(p, found, plane, have, context, quick)
    sigma = context.facts[BLUR_MAP].of(context.region)
    rung = np.log(np.maximum(sigma, 1e-3) / SIGMAS[0]) / np.log(STEP)  # the first is what is sharp, and left as it is
    rung = np.clip(rung + 1, 0, len(SIGMAS)).astype(np.float32)
    out = np.zeros_like(own)
    for n in range(int(rung.min()), int(np.ceil(rung.max())) + 1):
        alike = own
        if n:
            round_one = replace(found, covariance=np.eye(2) * SIGMAS[n - 1] ** 2, radius=0, length=0)
            alike = _without(p, round_one, plane, have, context, quick)
        out += np.maximum(1 - np.abs(rung - n), 0) * alike
    return out


def _varies(p: DeblurParams) -> bool:
    return p.by_place and p.kind is Kind.MEASURED


def _without(
    p: DeblurParams, found: BlurOf, plane: Plane, have: Region, context: Context, quick: bool = False
) -> Plane:
    """(h, w) of the region: a luma plane without one blur; the first estimate alone where it has to be quick."""
    noise = _noise(context)
    sigma = _sigma(noise) * context.facts[USUALLY]
    taps = inverse(p, found, sigma)
    area = context.region.aligned(4).grown(16)
    wide = np.ascontiguousarray(fetch(plane[None], have, area.grown(len(taps) // 2), context.size)[0], np.float32)
    sharp = _filtered(wide, taps)
    context.check()
    if sigma < QUIETEST / 2:
        return np.ascontiguousarray(sharp[context.region.slices(area)])
    one, table = np.ones((1, 1), np.float32), noise.luma_sigma
    first = raised(taps, np.asarray(noise.luma_spectrum, float))
    factor = context.by_place(INVERT_REACH)
    by = None if factor is None else np.ascontiguousarray(fetch(factor[:1], have, area, context.size))
    own = np.ascontiguousarray(sharp)
    pilot = sliding_dct(
        own[None],
        first[None],
        THRESHOLD,
        one,
        table[None],
        len(table) - 1,
        row_step=4 if quick else 2,
        check=context.check,
        factor=by,
    )[0]
    if quick:
        return np.ascontiguousarray(pilot[context.region.slices(area)])
    bolder = inverse(p, found, sigma, BOLDER)
    own = np.ascontiguousarray(_filtered(wide, bolder))
    context.check()
    again = raised(bolder, np.asarray(noise.luma_spectrum, float))
    clean = wiener_dct(own, pilot, again, table, None if by is None else by[0])
    return np.ascontiguousarray(clean[context.region.slices(area)])


INVERT_REACH = LONG + 2 * CALM_REACH + 8


def _sigma(noise: NoisePrint) -> float:
    return float(np.median(noise.luma_sigma)) if noise.sure else 0.0


def _run(context: Context) -> Plane:
    p: DeblurParams = context.params
    pixels, _ = context.get(INPUT)
    if _nothing(context.facts[BLUR], p):
        return pixels
    calm, have = context.get("calm", GUARD_REACH)
    sharp, _ = context.get("inverted", GUARD_REACH)
    inner = context.region.slices(have)
    held = guarded(np.ascontiguousarray(sharp), np.ascontiguousarray(calm))[inner]
    own = luma(pixels)
    grain = np.float32(p.grain / 100) * (own - calm[inner])
    by = np.float32(p.amount / 100) * (held + grain - own)
    return np.asarray(pixels + by[..., None], np.float32)


def _done(asked: Asked, p: DeblurParams) -> float:
    return 0.0 if _nothing(asked.needs[BLUR], p) else p.amount / 100


def _curve(facts: Mapping[FactKind, Any], p: DeblurParams) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Cycles per px, and what is left of each: along the blur, across it, and along it when it is taken out."""
    found: BlurOf = facts[BLUR]
    f = np.linspace(0, np.pi, CHARTED)
    turn = np.radians(p.angle if p.kind is Kind.DIRECTIONAL else found.axes[2])
    ways = (f * np.sin(turn), f * np.cos(turn)), (f * np.cos(turn), -f * np.sin(turn))
    along, across = (np.abs(transfer(p, found, *way)) for way in ways)
    if _nothing(found, p):
        return f / (2 * np.pi), np.stack([along, across, along])
    taps = inverse(p, found, _sigma(heard(facts[NOISE_PRINT], found)) * facts[USUALLY])
    at = np.arange(len(taps)) - len(taps) // 2
    gain = np.real(
        np.exp(1j * np.outer(ways[0][0], at))[:, :, None] * np.exp(1j * np.outer(ways[0][1], at))[:, None] * taps
    )
    share = p.amount / 100
    return f / (2 * np.pi), np.stack([along, across, along * (1 - share + share * gain.sum((1, 2)))])


def _hits(facts: Mapping[FactKind, Any], p: DeblurParams) -> Hits:
    """What blur was measured, and how sure that is."""
    found: BlurOf = facts[BLUR]
    nowhere, curve = (np.zeros((0, 2)), np.zeros(0), ""), _curve(facts, p)
    if p.kind is not Kind.MEASURED:
        return Hits(*nowhere, True, curve, short=_summary(p))
    if p.by_place:
        least, most = facts[BLUR_MAP].span
        proof = say("a blur of {0:.2f} to {1:.2f} px, by place", least, most)
        return Hits(*nowhere, True, curve, proof=proof, short=f"{p.amount:.0f} % · ≤ {most:.2g} px")
    proof = say("{0}, {1:.0f} % sure", found.words, 100 * found.sure)
    if _nothing(found, p):
        return Hits(*nowhere, False, curve, proof=proof, calm=mark("no blur"))
    return Hits(*nowhere, True, curve, proof=proof, short=f"{p.amount:.0f} % · {found.sigma:.2g} px")


def _leaves(seen: Seen) -> Left:
    """Luminance noise is taken out with the blur, but for the grain that is kept; colours stay as they are."""
    p: DeblurParams = seen.params
    if _nothing(seen.facts[BLUR], p):
        return 1.0, 1.0
    share = p.amount / 100
    return 1 - share * (1 - max(p.grain / 100, LEAVES)), 1.0


def _summary(p: DeblurParams) -> str:
    return f"{p.amount:.0f} %" if p.kind is Kind.MEASURED else f"{p.amount:.0f} % · {p.size:.2g} px"


def _unused(_: object, p: DeblurParams) -> dict[str, str]:
    if p.kind is Kind.MEASURED:
        return dict.fromkeys(("size", "angle"), mark("Of a blur that is typed; this one is measured."))
    typed = {"by_place": mark("A typed blur is the same everywhere.")}
    return typed if p.kind is Kind.DIRECTIONAL else typed | {"angle": mark("Only a blur along a line has one.")}


def _of_blur(p: DeblurParams) -> tuple:
    return p.kind, p.size, p.angle, _varies(p)


QUICK = Stage("inverted", partial(_inverted, quick=True), key=_of_blur, reach=INVERT_REACH)
DEBLUR = StepKind(
    id="deblur",
    name="Deblur",
    place=110,
    help="Takes out a blur that was measured from the picture, or typed, and holds noise and rims.",
    params=DeblurParams,
    stages=(
        Stage(
            "calm",
            _calm,
            key=lambda p: (),
            reach=CALM_REACH,
            draft=Stage("calm", _calm_quickly, key=lambda p: (), reach=CALM_REACH),
        ),
        Stage("inverted", _inverted, key=_of_blur, reach=INVERT_REACH, draft=QUICK),
        Stage("deblur", _run, reach=GUARD_REACH),
    ),
    facts=lambda p: frozenset({NOISE_PRINT, USUALLY, BLUR, BLUR_MAP} if _varies(p) else {NOISE_PRINT, USUALLY, BLUR}),
    noise=Effect(left=_leaves, whole=lambda p: p.amount == 100 and p.grain == 0),
    carries={DEBLURRED.name: Carry((BLUR,), EVERY_KIND, _done)},
    idle=lambda p: p.amount == 0,
    unused=_unused,
    hits=_hits,
    offered=False,
    instrument="blur",
    summary=_summary,
)
