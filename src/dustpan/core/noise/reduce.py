"""Noise reduction of a region: stabilise, guide, rounds of patch estimates, win back, and the unbiased inverse.

All lattices (blocks, reference patches) are fixed in picture coordinates and every part reads what it needs around the
region, so that a region comes out the same whatever region it is computed in. The coordinates are those of the picture
turned as its print says (`NoisePrint.flips`), so that a mirrored picture gives the mirrored result.

The three parts (`guided`, `refined`, `finished`) can be computed and kept one by one; `clean_region` does them all.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma, opponent_matrix
from dustpan.core.noise import blotches, collaborative, drift, regain
from dustpan.core.noise.blocks import DCT_2D
from dustpan.core.noise.drift import without_drift
from dustpan.core.noise.groups import DCT_4, GROUP, SIDE, average
from dustpan.core.noise.guides import Guides
from dustpan.core.noise.lit import GIVEN, divided, explained, light_given_back
from dustpan.core.noise.matching import displacements, match
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.noise.patches import Grid, GroupNoise, Layout, Trust, estimate
from dustpan.core.noise.plans import LATTICE, PLANS, REACH_OF_FINISH, TWO_SCALE, Plan, Quality, Round, reach_of
from dustpan.core.noise.sliding_dct import sliding_dct, two_scale_dct
from dustpan.core.region import Region, fetch, flipped

STRUCTURE_THRESHOLD = 3.2  # sigma; keeps under 3 % of the energy of pure noise
OUTLINES, UNEVEN = 0.3, 0.75  # sigma, at full and at half size; what is weaker at the end was not seen in the noise
ANY = 1e9  # squared difference: the nearest are taken however far they are
BLOCK, CHUNK = 256, 256  # px across, and references handled together: what they look at fits the cache


def _patches_in_block() -> NDArray[np.float64]:
    """What each frequency of an 8 x 8 block gives to the products of a patch's coefficients, over all its places."""
    small, places = np.kron(DCT_4, DCT_4), 8 - SIDE + 1
    out = np.zeros((64, SIDE**2, SIDE**2))
    for i in range(places):
        for j in range(places):
            inside = [(i + y) * 8 + j + x for y in range(SIDE) for x in range(SIDE)]
            basis = DCT_2D[:, inside] @ small.T
            out += basis[:, :, None] * basis[:, None] / places**2
    return out


PATCHES_IN_BLOCK = _patches_in_block()

Check = Callable[[], None]
Levels = tuple[NDArray[np.float32], NDArray[np.float32], float]


@dataclass(frozen=True)
class NoiseModel:
    """The print in the form that the kernels take, with strengths above 1 multiplied in."""

    mix: NDArray[np.float32]
    spectrum: NDArray[np.float32]
    covariance: NDArray[np.float32]
    white: bool


NOWHERE = Region(0, 0, 0, 0)
MOST_RAISED = 40.0  # times, that steps make noise stronger
NOTHING_LEFT, HARDLY_LEFT = 0.05, 0.15  # of the noise: what is taken for none at all, and from which on all is done


@dataclass(frozen=True, eq=False)
class Work:
    """What all parts are told.

    Attributes
    ----------
    size : the picture's (height, width).
    noise : the print of the picture.
    luminance, colour : at least 1; how much stronger than measured the noise is taken to be.
    check : called often; raises to cancel.
    factor : (1 or 2, h, w) how much stronger than the print luminance and colour noise are over the region ``around``,
        which covers what is read; None where they are nowhere. It belongs to the noise, not to the picture.
    guides : of a render, its passes; ``noise`` is then the print of its light divided by the albedo.
    """

    size: tuple[int, int]
    noise: NoisePrint
    luminance: float = 1.0
    colour: float = 1.0
    check: Check = lambda: None
    factor: NDArray[np.float32] | None = None
    around: Region = NOWHERE
    guides: Guides | None = None

    def divided(self, pixels: NDArray[np.float32], have: Region) -> NDArray[np.float32]:
        """Encoded values (h, w, C) that are cleaned: the picture's, or its light divided by the albedo."""
        return divided(pixels, have, self.guides, self.noise.curve)

    def factor_on(self, area: Region, turned: bool = True) -> NDArray[np.float32] | None:
        """The factor on an area, which is one of the turned picture where ``turned``."""
        if self.factor is None:
            return None
        flips = self.noise.flips if turned else (False, False)
        found = fetch(flipped(self.factor, flips), self.around.flipped(self.size, flips), area, self.size)
        return np.ascontiguousarray(np.maximum(found, NOTHING_LEFT / 2), np.float32)

    @property
    def idle(self) -> bool:
        """Whether there is no noise to take out, also where steps have made it stronger."""
        return self.noise.trust_at(1.0 if self.factor is None else MOST_RAISED) == 0

    def trust_on(self, area: Region) -> NDArray[np.float32]:
        """(1 or h, 1 or w, 1) how much of a correction is believed, by what steps made of the noise on an area."""
        factor = self.factor_on(area, turned=False)
        times = np.ones((1, 1), np.float32) if factor is None else factor[0]
        if factor is not None and self.noise.places is not None:
            times = times / self.noise.places.of(area)[0]  # that was there from the beginning
        return np.array(np.broadcast_to(self.noise.trust_at(times), times.shape), np.float32)[..., None]

    @property
    def model(self) -> NoiseModel:
        return _model(self.noise, self.luminance, self.colour)

    @property
    def levels(self) -> Levels:
        """Transform to opponent planes, and the noise's scale against the level, as the kernels take them."""
        tables = self.noise.stabiliser
        return self.model.mix, tables.scale, tables.scale_step


@lru_cache(maxsize=8)
def _model(noise: NoisePrint, luminance: float, colour: float) -> NoiseModel:
    n = noise.channels
    opp = opponent_matrix(n)
    factor = np.array([luminance, colour, colour][:n])
    spectrum = (noise.spectrum * factor[:, None] ** 2).astype(np.float32)
    cross = noise.cross * factor[:, None] * factor
    white = noise.white and luminance == colour
    cov = _patch_covariance(cross).astype(np.float32)
    return NoiseModel(opp.astype(np.float32), spectrum, cov, white)


def _patch_covariance(cross: NDArray) -> NDArray[np.float64]:
    """Covariance of the noise in 4 x 4 DCT coefficients, (plane, frequency) order, from (64, C, C) cross-spectra."""
    n = cross.shape[1]
    out = PATCHES_IN_BLOCK.reshape(64, -1).T @ cross.reshape(64, -1)
    return out.reshape(SIDE**2, SIDE**2, n, n).transpose(2, 0, 3, 1).reshape(SIDE**2 * n, -1)


def clean_region(
    pixels: NDArray[np.float32], have: Region, want: Region, work: Work, plan: Plan = PLANS[Quality.EXACT]
) -> NDArray[np.float32]:
    """Clean ``want`` of a picture.

    Parameters
    ----------
    pixels : (h, w, C) encoded values that cover ``have``.
    have : ``want`` grown by at least the plan's reach, within the picture.
    want : the region to clean.
    plan : how; see `PLANS`, and `DRAFT` for a first look.

    Returns
    -------
    (want.height, want.width, C) encoded values; the pixels themselves where the print sees no noise.
    """
    if work.idle:
        return pixels[want.slices(have)].copy()
    pixels = work.divided(pixels, have)
    planes = work.noise.stabiliser.stabilise(pixels)
    around = want.grown(REACH_OF_FINISH if plan.rounds else GIVEN).within(work.size)
    rect = around.grown(reach_of(plan.rounds)).within(work.size)
    guide = guided(planes, have, rect, work, plan)
    calm = refined(planes, have, guide, rect, around, work, plan.rounds)
    if not plan.rounds and work.noise.in_proportion:
        inside = want.grown(GIVEN).within(work.size)
        return lit(pixels, have, calm[(slice(None), *inside.slices(around))], inside, want, work)
    if not plan.rounds:
        return restored(pixels, have, won_back(calm, around, want, work), want, work)
    return finished(pixels, planes, have, calm, around, want, work, plan.evened)


def guided(planes: NDArray, have: Region, want: Region, work: Work, plan: Plan) -> NDArray[np.float32]:
    """A first estimate (C, h, w) of stabilised planes that cover ``have``, for the rounds to find alike patches on."""
    model, size, flips = work.model, work.size, work.noise.flips
    planes, have, want = flipped(planes, flips), have.flipped(size, flips), want.flipped(size, flips)
    kind = 0 if work.noise.white else 1
    threshold, spectrum = plan.threshold[kind], model.spectrum.copy()
    if kind:
        spectrum[1:] *= np.float32(plan.colour**2)
    if plan.together:
        area = want.grown(collaborative.REACH).aligned(collaborative.STEP)
        seen = np.ascontiguousarray(fetch(planes, have, area, size))
        factor = work.factor_on(area)
        out = collaborative.collaborate(seen, area.x0, spectrum, threshold, *work.levels, work.check, factor)
    else:
        area = want.aligned(LATTICE).grown(TWO_SCALE)
        seen = np.ascontiguousarray(fetch(planes, have, area, size))
        out = two_scale_dct(
            seen, spectrum, threshold, *work.levels,
            row_step=plan.row_step, colours=plan.fine_colour[kind], check=work.check, factor=work.factor_on(area),
        )  # fmt: skip
    ys, xs = want.slices(area)
    return flipped(out[:, ys, xs], flips)


def refined(
    planes: NDArray,
    have: Region,
    guide: NDArray,
    guide_have: Region,
    want: Region,
    work: Work,
    rounds: Sequence[Round],
) -> NDArray[np.float32]:
    """Rounds of patch estimates over ``want``, each guided by the last: (C, h, w) stabilised planes.

    ``guide_have`` is ``want`` grown by the reach of the rounds, within the picture.
    """
    size, flips = work.size, work.noise.flips
    planes, guide = flipped(planes, flips), flipped(guide, flips)
    have, guide_have, want = (r.flipped(size, flips) for r in (have, guide_have, want))
    for i, r in enumerate(rounds):
        rect = want.grown(reach_of(rounds[i + 1 :])).within(size)
        guide = _round(r, planes, have, guide, guide_have, rect, work)
        guide_have = rect
    return flipped(guide, flips)


def finished(
    pixels: NDArray,
    planes: NDArray,
    have: Region,
    calm: NDArray,
    calm_have: Region,
    want: Region,
    work: Work,
    evened: bool,
) -> NDArray[np.float32]:
    """Encoded values of refined planes, without drift and with what softened the picture won back.

    ``planes`` are the stabilised ``pixels`` (`Work.divided`), and both cover ``have``; ``calm_have`` is ``want`` grown
    by `REACH_OF_FINISH`, within the picture.
    """
    noise, size = work.noise, work.size
    if noise.in_proportion:
        if work.guides is not None:
            ys, xs = calm_have.slices(have)
            sigma, relative = _relative(work, calm_have)
            calm = explained(planes[:, ys, xs], calm, sigma, relative, calm_have, work.guides, size, work.check)
        inside = want.grown(GIVEN).within(size)
        return lit(pixels, have, calm[(slice(None), *inside.slices(calm_have))], inside, want, work)
    if not noise.white:
        if evened:
            inside = want.grown(regain.REACH).within(size)
            calm, calm_have = _without_outlines(calm, calm_have, inside, work), inside
        out = won_back(calm, calm_have, want, work)
    else:
        flips = noise.flips
        turned = want.flipped(size, flips)
        cells = turned.aligned(drift.CELL)
        area = cells.grown(drift.AROUND)
        both = ((planes, have), (calm, calm_have))
        noisy, calm = (fetch(flipped(p, flips), r.flipped(size, flips), area, size) for p, r in both)
        ys, xs = turned.slices(cells)
        out = flipped(without_drift(noisy, calm, *work.levels)[:, ys, xs], flips)
    return restored(pixels, have, out, want, work)


def _relative(work: Work, area: Region) -> tuple[NDArray[np.float32], float]:
    """Sigma (h, w) of a render's stabilised planes, and what 1 of it is as sigma of the logarithm of light."""
    factor = work.factor_on(area, turned=False)
    usual = work.noise.relative / work.noise.noise[0].sigma
    own = np.ones((area.height, area.width), np.float32) if factor is None else factor[0]
    return np.asarray(own * np.float32(usual), np.float32), work.noise.noise[0].sigma


def lit(pixels: NDArray, have: Region, calm: NDArray, inside: Region, want: Region, work: Work) -> NDArray[np.float32]:
    """Encoded values over ``want`` of a render's cleaned planes, with the light that its heavy tails had taken along.

    ``calm`` covers ``inside``: ``want`` grown by `lit.GIVEN`, within the picture.
    """
    curve, ys, xs = work.noise.curve, *want.slices(inside)
    source = pixels[inside.slices(have)]
    cleaned = restored(source, inside, calm, inside, work)
    light = (np.asarray(curve.decode(p), np.float32) for p in (source, cleaned))
    out = light_given_back(*light)[ys, xs]
    if work.guides is not None:
        out = out * work.guides.divisor(want, out.shape[2])
    return np.asarray(curve.encode(out), np.float32)


def won_back(calm: NDArray, have: Region, want: Region, work: Work) -> NDArray[np.float32]:
    """Cleaned planes over ``want``, with what softened the picture won back where the noise is correlated.

    The noise was filtered together with the picture. ``have`` is ``want`` grown by `regain.REACH`, within the picture.
    """
    ys, xs = want.slices(have)
    out, noise = calm[:, ys, xs].copy(), work.noise  # not a view: what is cut next to it reads the same planes
    if not noise.white:
        seen = fetch(calm[:1], have, want.grown(regain.REACH), work.size)[0]
        out[0] = regain.regain(seen, noise.spectrum[0], noise.trust)
    return out


def _without_outlines(calm: NDArray, have: Region, want: Region, work: Work) -> NDArray[np.float32]:
    """Refined planes over ``want`` without 8 x 8 DCT coefficients that are far below the noise that was.

    ``have`` is ``want`` grown by `TWO_SCALE` and 4 px, within the picture.
    """

    def even(planes: NDArray[np.float32], factor: NDArray[np.float32] | None) -> NDArray[np.float32]:
        spectrum = work.model.spectrum
        return two_scale_dct(planes, spectrum, OUTLINES, *work.levels, coarse=UNEVEN, check=work.check, factor=factor)

    return _slid(even, calm, have, want, work, TWO_SCALE)


def _slid(
    slide: Callable[[NDArray[np.float32], NDArray[np.float32] | None], NDArray[np.float32]],
    planes: NDArray,
    have: Region,
    want: Region,
    work: Work,
    margin: int = 8,
) -> NDArray[np.float32]:
    """A sliding DCT over ``want``, on a lattice fixed in the picture, with ``margin`` px more on each side."""
    size, flips = work.size, work.noise.flips
    turned = want.flipped(size, flips)
    area = turned.aligned(4).grown(margin)
    seen = np.ascontiguousarray(fetch(flipped(planes, flips), have.flipped(size, flips), area, size))
    ys, xs = turned.slices(area)
    return flipped(slide(seen, work.factor_on(area))[:, ys, xs], flips)


def restored(pixels: NDArray, have: Region, calm: NDArray, want: Region, work: Work) -> NDArray[np.float32]:
    """Encoded values (h, w, C) of cleaned planes that cover ``want``, as far as the print deserves trust."""
    source, trust = pixels[want.slices(have)], work.trust_on(want)
    cleaned = work.noise.stabiliser.restore(calm)
    if work.factor is not None:
        cleaned = _by_place(source, cleaned, calm, work.factor_on(want, turned=False), work.noise)
    top = work.noise.stabiliser.top
    if trust.min() < 1:
        cleaned = source + trust * (cleaned - np.clip(source, 0, top))
    elif not (source.min() >= 0 and source.max() <= top):
        cleaned += source - np.clip(source, 0, top)  # what lies beyond black or white is not touched
    return cleaned


def _by_place(
    source: NDArray, cleaned: NDArray, calm: NDArray, factor: NDArray[np.float32] | None, noise: NoisePrint
) -> NDArray[np.float32]:
    """Cleaned pixels (h, w, C) of planes whose noise is known by place.

    Where a part of the noise was taken out before, clipping is no longer in the mean; where hardly any is left, nothing
    is done at all, of luminance and colour apart.
    """
    assert factor is not None
    left = np.minimum(factor[0], 1)[..., None]
    if float(left.min()) < 1:
        plain = noise.stabiliser.undo(calm)
        cleaned = plain + left * (cleaned - plain)
    acts = np.clip((factor - NOTHING_LEFT) / (HARDLY_LEFT - NOTHING_LEFT), 0, 1)
    if float(acts.min()) == 1:
        return cleaned
    change = cleaned - source
    light = luma(change)[..., None]
    return np.asarray(source + acts[0][..., None] * light + acts[-1][..., None] * (change - light), np.float32)


def _round(
    r: Round, planes: NDArray, have: Region, guide: NDArray, guide_have: Region, want: Region, work: Work
) -> NDArray[np.float32]:
    """One round over ``want``; the guide covers ``guide_have`` and may end at the picture's edge."""
    size, model = work.size, work.model
    mix, scale, scale_step = work.levels
    near = r.radius + SIDE
    last_y, last_x = (-(-max(n - SIDE, 0) // r.step) for n in size)
    iy0, ix0 = (max(0, -(-(v - near) // r.step)) for v in (want.y0, want.x0))
    iy1, ix1 = min(last_y, (want.y1 + near) // r.step), min(last_x, (want.x1 + near) // r.step)
    offset = (r.size - SIDE) // 2
    margin = r.radius + offset
    area = Region(
        iy0 * r.step - margin,
        ix0 * r.step - margin,
        iy1 * r.step + SIDE + margin,
        ix1 * r.step + SIDE + margin,
    )
    area = Region(min(area.y0, want.y0), min(area.x0, want.x0), max(area.y1, want.y1), max(area.x1, want.x1))
    noisy = np.ascontiguousarray(fetch(planes, have, area, size))
    seen = np.ascontiguousarray(fetch(guide, guide_have, area, size))
    total = np.zeros_like(noisy)
    weights = np.zeros(noisy.shape[1:], np.float32)
    moves = displacements(r.radius)
    distance = np.empty(len(moves) * CHUNK, np.float32)
    chosen = np.empty((CHUNK, GROUP), np.int32)
    count, most = np.empty(CHUNK, np.int32), np.full(CHUNK, ANY, np.float32).view(np.int32)
    layout = Layout(weights.size, area.width)
    factor = work.factor_on(area)
    flat = np.empty(0, np.float32) if factor is None else factor.ravel()
    noise = GroupNoise(mix, model.covariance, model.white, scale, np.float32(scale_step), flat)
    trust = Trust(np.float32(r.least), np.float32(r.content), np.float32(r.left))
    across = BLOCK // r.step
    # blocks are fixed in the picture: sums then grow in the same order whatever the region is
    for rows in _parts(iy0, iy1, CHUNK // across):
        for cols in _parts(ix0, ix1, across):
            work.check()
            grid = len(rows), len(cols)
            y0, x0 = rows.start * r.step - area.y0, cols.start * r.step - area.x0
            near_by = distance[: len(moves) * grid[0] * grid[1]].reshape(len(moves), -1)
            match(
                seen[0], y0 - offset, x0 - offset, *grid, r.step, SIDE, r.size // SIDE, r.radius, moves, most,
                near_by, near_by.view(np.int32), chosen, count,
            )  # fmt: skip
            at = Grid(y0, x0, *grid, r.step)
            sums = total.ravel(), weights.ravel()
            estimate(noisy.ravel(), seen.ravel(), layout, at, moves, chosen, noise, trust, *sums)
    out = np.empty_like(total)
    average(total, weights, seen, out)
    ys, xs = want.slices(area)
    return np.ascontiguousarray(out[:, ys, xs])


def _parts(first: int, last: int, size: int) -> Iterator[range]:
    """The numbers ``first`` to ``last`` in ranges that begin at multiples of ``size``."""
    for begin in range(first // size * size, last + 1, size):
        yield range(max(first, begin), min(last + 1, begin + size))


def calmed(
    cleaned: NDArray[np.float32], have: Region, want: Region, work: Work, blotch_size: float
) -> NDArray[np.float32]:
    """Cleaned pixels (h, w, C) without colour blotches of up to ``blotch_size`` px.

    ``have`` is ``want`` grown by `blotches.reach`, within the picture; a mono picture has no colour and stays.
    """
    inside = cleaned[want.slices(have)]
    if work.noise.channels == 1 or work.idle:
        return inside.copy()
    tables, size, flips = work.noise.stabiliser, work.size, work.noise.flips
    planes = tables.expect(cleaned)
    turned = want.flipped(size, flips)
    cells = turned.aligned(blotches.CELL)
    area = cells.grown(blotches.reach(blotch_size))
    seen = np.ascontiguousarray(fetch(flipped(planes, flips), have.flipped(size, flips), area, size))
    ys, xs = turned.slices(cells)
    calm = flipped(blotches.without_blotches(seen, blotch_size, work.check)[:, ys, xs], flips)
    before = planes[(slice(None), *want.slices(have))]
    change = [tables.restore(p) for p in (calm, before)]
    return inside + work.trust_on(want) * (change[0] - change[1])


def removed_structure(
    pixels: NDArray[np.float32], cleaned: NDArray[np.float32], have: Region, want: Region, work: Work
) -> NDArray[np.float32]:
    """What of the removed luminance has structure: 8 x 8 DCT coefficients that noise of this print hardly reaches.

    Parameters
    ----------
    pixels, cleaned : (h, w, C) encoded values before and after, covering ``have``.
    have : ``want`` grown by at least `sliding_dct.REACH`, within the picture.

    Returns
    -------
    (want.height, want.width) encoded luminance that `give back` adds.
    """
    tables = work.noise.stabiliser
    before, after = tables.stabilise(pixels), tables.expect(cleaned)
    even = np.eye(1, dtype=np.float32), np.ones((1, 2), np.float32), 1.0
    spectrum = work.model.spectrum[:1]

    def structure(planes: NDArray[np.float32], factor: NDArray[np.float32] | None) -> NDArray[np.float32]:
        own = None if factor is None else factor[:1]
        return sliding_dct(planes, spectrum, STRUCTURE_THRESHOLD, *even, keep_mean=False, check=work.check, factor=own)

    found = _slid(structure, before[:1] - after[:1], have, want, work)
    inside = after[(slice(None), *want.slices(have))]
    lifted = inside.copy()
    lifted[0] += found[0]
    return (tables.restore(lifted) - tables.restore(inside)).mean(2)
