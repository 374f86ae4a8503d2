"""Noise reduction of a region: stabilise, guide, rounds of patch estimates, win back, and the unbiased inverse.

All lattices (blocks, reference patches) are fixed in picture coordinates and every stage reads what it needs around the
region, so that a region comes out the same whatever region it is computed in.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import opponent_matrix
from dustpan.core.language import mark
from dustpan.core.noise import collaborative, drift, regain
from dustpan.core.noise.blocks import DCT_2D
from dustpan.core.noise.drift import without_drift
from dustpan.core.noise.matching import displacements, match
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.noise.patches import DCT_4, GROUP, SIDE, average, estimate
from dustpan.core.noise.sliding_dct import sliding_dct, two_scale_dct
from dustpan.core.region import Region, fetch


@dataclass(frozen=True)
class Round:
    """One round of patch estimates: reference lattice, size of what is compared, search radius."""

    step: int
    size: int
    radius: int

    @property
    def reach(self) -> int:
        """How far from a pixel the estimate may look, in px."""
        return 2 * self.radius + 2 * SIDE + (self.size - SIDE) // 2


class Quality(StrEnum):
    """How thoroughly noise is told from content."""

    QUICK = mark("quick")
    EXACT = mark("exact")
    FINEST = mark("finest")


@dataclass(frozen=True)
class Plan:
    """What is done at a quality: whether the guide looks for alike blocks, and the rounds of patch estimates."""

    together: bool
    rounds: tuple[Round, ...]
    row_step: int = 2

    @property
    def reach(self) -> int:
        """How far beyond a region its pixels are read, in px."""
        guide = collaborative.REACH + collaborative.STEP if self.together else GUIDE_REACH
        return guide + sum(r.reach for r in self.rounds) + REACH_OF_FINISH


GUIDE_REACH = 24
REACH_OF_FINISH = max(drift.REACH, regain.REACH)
DRAFT = Plan(together=False, rounds=(), row_step=4)
PLANS = {
    Quality.QUICK: Plan(together=False, rounds=(Round(step=8, size=4, radius=8),)),
    Quality.EXACT: Plan(together=True, rounds=(Round(step=8, size=8, radius=8), Round(step=5, size=4, radius=12))),
    Quality.FINEST: Plan(together=True, rounds=(Round(step=5, size=8, radius=10), Round(step=4, size=4, radius=12))),
}
STRUCTURE_REACH = 9  # a block, and one px to an even place
STRUCTURE_THRESHOLD = 3.2  # sigma; keeps under 3 % of the energy of pure noise
SLIDING_THRESHOLD, ALIKE_THRESHOLD = {True: 2.7, False: 3.0}, {True: 2.25, False: 2.8}  # sigma, by whiteness
ANY = 1e9  # squared difference: the nearest are taken however far they are
CHUNK = 384  # references handled together: their distances fit the cache

Check = Callable[[], None]


@dataclass(frozen=True)
class NoiseModel:
    """The print in the form that the kernels take, with strengths above 1 multiplied in."""

    mix: NDArray[np.float32]
    spectrum: NDArray[np.float32]
    covariance: NDArray[np.float32]
    white: bool


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
    out = np.zeros((n, SIDE * SIDE, n, SIDE * SIDE))
    small = np.kron(DCT_4, DCT_4)
    places = 8 - SIDE + 1
    for i in range(places):
        for j in range(places):
            inside = [(i + y) * 8 + j + x for y in range(SIDE) for x in range(SIDE)]
            basis = DCT_2D[:, inside] @ small.T
            out += np.einsum("fp,fcd,fq->cpdq", basis, cross, basis, optimize=True)
    return (out / places**2).reshape(SIDE * SIDE * n, -1)


def clean_region(
    pixels: NDArray[np.float32],
    have: Region,
    want: Region,
    size: tuple[int, int],
    noise: NoisePrint,
    luminance: float = 1.0,
    colour: float = 1.0,
    check: Check = lambda: None,
    plan: Plan = PLANS[Quality.EXACT],
) -> NDArray[np.float32]:
    """Clean ``want`` of a picture.

    Parameters
    ----------
    pixels : (h, w, C) encoded values that cover ``have``.
    have : ``want`` grown by at least the plan's reach, within the picture.
    want, size : the region to clean, and the picture's (height, width).
    noise : the print of the picture.
    luminance, colour : at least 1; how much stronger than measured the noise is taken to be.
    check : called often; raises to cancel.
    plan : how; see `PLANS`, and `DRAFT` for a first look.

    Returns
    -------
    (want.height, want.width, C) encoded values; the pixels themselves where the print sees no noise.
    """
    source = pixels[want.slices(have)]
    if noise.trust == 0:
        return source.copy()
    tables, model = noise.stabiliser, _model(noise, luminance, colour)
    planes = tables.stabilise(pixels)
    finish = REACH_OF_FINISH if plan.rounds else 0
    rects = [want.grown(finish).within(size)]
    for r in reversed(plan.rounds):
        rects.append(rects[-1].grown(r.reach).within(size))
    guide_rect = rects.pop()
    guide = _guide(planes, have, guide_rect, size, noise, model, plan, check)
    for r in plan.rounds:
        rect = rects.pop()
        guide = _round(r, planes, have, guide, guide_rect, rect, size, noise, model, check)
        guide_rect = rect
    if plan.rounds:
        guide = _finish(planes, have, guide, guide_rect, want, size, noise, model)
    cleaned = tables.restore(np.ascontiguousarray(guide))
    if noise.trust < 1:
        cleaned = source + np.float32(noise.trust) * (cleaned - np.clip(source, 0, 1))
    else:
        cleaned += source - np.clip(source, 0, 1)  # what lies beyond black or white is not touched
    return cleaned


def _guide(
    planes: NDArray,
    have: Region,
    want: Region,
    size: tuple[int, int],
    noise: NoisePrint,
    model: NoiseModel,
    plan: Plan,
    check: Check,
) -> NDArray[np.float32]:
    tables = noise.stabiliser
    settings = (model.mix, tables.scale, tables.scale_step)
    if plan.together:
        area = want.grown(collaborative.REACH).aligned(collaborative.STEP)
        seen = np.ascontiguousarray(fetch(planes, have, area, size))
        out = collaborative.collaborate(seen, area.x0, model.spectrum, ALIKE_THRESHOLD[noise.white], *settings, check)
    else:
        area = want.aligned(4).grown(20)
        seen = np.ascontiguousarray(fetch(planes, have, area, size))
        out = two_scale_dct(seen, model.spectrum, SLIDING_THRESHOLD[noise.white], *settings, plan.row_step, check)
    ys, xs = want.slices(area)
    return out[:, ys, xs]


def _finish(
    planes: NDArray,
    have: Region,
    cleaned: NDArray,
    rect: Region,
    want: Region,
    size: tuple[int, int],
    noise: NoisePrint,
    model: NoiseModel,
) -> NDArray[np.float32]:
    """Take out the drift of clipped shadows, and win back what softened the picture with its noise."""
    if not noise.white:
        area = want.grown(regain.REACH)
        ys, xs = want.slices(rect)
        out = np.ascontiguousarray(cleaned[:, ys, xs])
        out[0] = regain.regain(fetch(cleaned[:1], rect, area, size)[0], noise.spectrum[0], noise.trust)
        return out
    area = want.grown(drift.REACH)
    noisy, calm = (fetch(p, r, area, size) for p, r in ((planes, have), (cleaned, rect)))
    return without_drift(noisy, calm, model.mix, noise.stabiliser.scale, noise.stabiliser.scale_step)


def _round(
    r: Round,
    planes: NDArray,
    have: Region,
    guide: NDArray,
    guide_rect: Region,
    want: Region,
    size: tuple[int, int],
    noise: NoisePrint,
    model: NoiseModel,
    check: Check,
) -> NDArray[np.float32]:
    """One round over ``want``; the guide covers ``guide_rect`` and may end at the picture's edge."""
    n = len(planes)
    near = r.radius + SIDE
    last_y, last_x = (-(-max(s - SIDE, 0) // r.step) for s in size)
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
    guided = np.ascontiguousarray(fetch(guide, guide_rect, area, size))
    total = np.zeros_like(noisy)
    weights = np.zeros(noisy.shape[1:], np.float32)
    moves = displacements(r.radius)
    cols = ix1 + 1 - ix0
    together = max(1, CHUNK // cols)
    distance = np.empty((len(moves), together * cols), np.float32)
    chosen = np.empty((together * cols, GROUP), np.int32)
    count = np.empty(together * cols, np.int32)
    scale, scale_step = noise.stabiliser.scale, np.float32(noise.stabiliser.scale_step)
    x0 = ix0 * r.step - area.x0
    # whole rows of references at a time: sums then grow in the same order whatever the region is
    for i in range(iy0, iy1 + 1, together):
        check()
        rows = min(together, iy1 + 1 - i)
        near_by = distance.ravel()[: len(moves) * rows * cols].reshape(len(moves), rows * cols)
        bits = near_by.view(np.int32)
        y0 = i * r.step - area.y0
        match(
            guided[0],
            y0 - offset,
            x0 - offset,
            rows,
            cols,
            r.step,
            r.size,
            r.radius,
            1,
            ANY,
            near_by,
            bits,
            chosen,
            count,
        )
        estimate(
            (0,) * n, noisy.ravel(), guided.ravel(), weights.size, area.width, y0, x0, rows, cols, r.step, moves,
            chosen, model.mix, model.covariance, model.white, scale, scale_step, total.ravel(), weights.ravel(),
        )  # fmt: skip
    out = np.empty_like(total)
    average(total, weights, guided, out)
    ys, xs = want.slices(area)
    return np.ascontiguousarray(out[:, ys, xs])


def removed_structure(
    pixels: NDArray[np.float32],
    cleaned: NDArray[np.float32],
    have: Region,
    want: Region,
    size: tuple[int, int],
    noise: NoisePrint,
) -> NDArray[np.float32]:
    """What of the removed luminance has structure: 8 x 8 DCT coefficients that noise of this print hardly reaches.

    Parameters
    ----------
    pixels, cleaned : (h, w, C) encoded values before and after, covering ``have``.
    have : ``want`` grown by at least `STRUCTURE_REACH`, within the picture.

    Returns
    -------
    (want.height, want.width) encoded luminance that `give back` adds.
    """
    tables, model = noise.stabiliser, _model(noise, 1.0, 1.0)
    before, after = tables.stabilise(pixels), tables.stabilise(cleaned)
    area = want.grown(8).aligned(2)
    removed = np.ascontiguousarray(fetch(before[:1] - after[:1], have, area, size))
    flat = np.ones((1, 2), np.float32)
    found = sliding_dct(
        removed,
        model.spectrum[:1],
        STRUCTURE_THRESHOLD,
        np.eye(1, dtype=np.float32),
        flat,
        1.0,
        keep_mean=False,
    )
    ys, xs = want.slices(area)
    inside = after[(slice(None), *want.slices(have))]
    lifted = inside.copy()
    lifted[0] += found[0, ys, xs]
    return (tables.restore(lifted) - tables.restore(inside)).mean(2)
