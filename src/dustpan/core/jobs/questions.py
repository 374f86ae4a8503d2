"""What is asked of an open picture beside showing it: each question tells its answer as events, some as they come.

They compute, so they run on a lane; a question that is called off raises `Cancelled`.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.cancel import Cancel
from dustpan.core.defects.fringes import Rims, rim_at
from dustpan.core.develop.step import White
from dustpan.core.finish.levels import automatic
from dustpan.core.finish.output import Output
from dustpan.core.jobs.events import (
    ColourPicked,
    CostsFound,
    Covered,
    Event,
    LevelsFound,
    LightSeen,
    MaskSeen,
    OutputSeen,
    PartSettled,
    Picked,
    ProbeMaskSeen,
    ProfileSeen,
    RecipeSeen,
    RepairsFound,
    SampleSeen,
    SharpeningFound,
    StrengthsFound,
    ThumbnailSeen,
    VariantSeen,
    WorstFound,
)  # fmt: skip
from dustpan.core.jobs.preview import preview
from dustpan.core.jobs.request import Request
from dustpan.core.jobs.show import PROBE_SHOWN
from dustpan.core.judge.repairs import repairs
from dustpan.core.judge.suggest import suggest
from dustpan.core.judge.suggest_sharpening import suggest_sharpening
from dustpan.core.judge.verdict import judge
from dustpan.core.judge.whole import cleaned, factor_of, judge_sweep, noise_print, worst
from dustpan.core.judge.worst import FigureName
from dustpan.core.look import look_at
from dustpan.core.looks.removed import REMOVED
from dustpan.core.noise.cost import costs
from dustpan.core.open.document import Document
from dustpan.core.open.profile import Line, profile_along
from dustpan.core.open.sensor import light_by_colour, white_at
from dustpan.core.region import Region
from dustpan.core.screen import packed
from dustpan.core.step import StepKind
from dustpan.core.sweep import Step, Sweep, first_steps
from dustpan.core.where.colours import colour_at
from dustpan.core.where.mask import Part

COVERED_AT, COVERED_SIDE = 7, 96  # places down and across, and px of each, that the share of a mask is told from
MASK_ROWS = 512  # px of a mask that are computed at a time
THUMBNAIL = (140, 220)  # px of the picture, height and width
COUNTED = 120_000  # samples that histograms are told from

# ---------------------------------------------------------------- places and results


def worst_places(document: Document, request: Request, figure: FigureName, cancel: Cancel) -> Iterator[Event]:
    """The worst places of a result for a figure."""
    yield WorstFound(document, request, figure, worst(document.renderer, request.sweep, figure, cancel))


def thumbnail(document: Document, request: Request, index: int, cancel: Cancel) -> Iterator[Event]:
    """What one step removed in the middle of the view; nothing of a step that gives another kind of picture."""
    (h, w), v = document.renderer.size, request.visible
    y, x = ((v.y0 + v.y1) // 2 - THUMBNAIL[0] // 2, (v.x0 + v.x1) // 2 - THUMBNAIL[1] // 2)
    y, x = (max(0, min(at, whole - side)) for at, whole, side in zip((y, x), (h, w), THUMBNAIL, strict=True))
    region = Region(y, x, y + THUMBNAIL[0], x + THUMBNAIL[1]).within((h, w))
    sides = request.sweep.first(index), request.sweep.first(index + 1)
    before, after = (document.renderer.at_once(s, region, cancel) for s in sides)
    if before.shape == after.shape:
        yield ThumbnailSeen(document, request, index, packed(look_at(REMOVED).view(before, after), None))


def variants(document: Document, sweeps: Sequence[Sweep], region: Region, cancel: Cancel) -> Iterator[Event]:
    """One place with several sweeps, one by one."""
    renderer = document.renderer
    noise = noise_print(renderer, cancel, sweeps[0])
    sides = renderer.reference(sweeps[0]), cleaned(renderer, sweeps[0])
    before, calm = (renderer.at_once(s, region, cancel) for s in sides)
    for number, sweep in enumerate(sweeps):
        after = renderer.at_once(sweep, region, cancel)
        found = judge(before, after, calm, noise, cancel.check, factor_of(noise, region))
        yield VariantSeen(document, number, renderer.for_screen(sweep, after), found)


def output_preview(
    document: Document, output: Output, middle: tuple[int, int], side: tuple[int, int], cancel: Cancel
) -> Iterator[Event]:
    """What the middle of the view will be for an output; see `preview`."""
    yield OutputSeen(document, *preview(document.renderer, document.sweep, output, middle, side, cancel))


def recipe_preview(document: Document, sweep: Sweep, places: Sequence[Region], cancel: Cancel) -> Iterator[Event]:
    """What a sweep would do to places of a picture; that first, and then with the verdict as well."""
    renderer = document.renderer
    shown = []
    for place in places:
        sides = (renderer.reference(sweep), sweep)
        before, after = (renderer.for_screen(sweep, renderer.at_once(s, place, cancel)) for s in sides)
        shown.append((before, after))
    yield RecipeSeen(document, sweep, shown, None)
    yield RecipeSeen(document, sweep, shown, judge_sweep(renderer, sweep, cancel))


# ---------------------------------------------------------------- suggestions


def strengths(document: Document, cancel: Cancel) -> Iterator[Event]:
    """The lowest strengths that do the job."""
    yield StrengthsFound(document, suggest(document.renderer, cancel=cancel))


def sharpening(document: Document, sweep: Sweep, cancel: Cancel) -> Iterator[Event]:
    """How to sharpen."""
    yield SharpeningFound(document, suggest_sharpening(document.renderer, sweep, cancel))


def to_repair(document: Document, sweep: Sweep, steps: tuple[StepKind, ...], cancel: Cancel) -> Iterator[Event]:
    """What steps could repair that are not in the sweep."""
    yield RepairsFound(document, repairs(document.renderer, sweep, steps, cancel))


# ---------------------------------------------------------------- masks


def mask(document: Document, sweep: Sweep, index: int, region: Region, level: int, cancel: Cancel) -> Iterator[Event]:
    """Where a step counts, on a region, as fine as a level is drawn, and at the probes."""
    if level:  # quickly first, from the reduced picture, in which parts may find other places
        quick = _reduced_mask(document, sweep, index, region, level, cancel)
        yield MaskSeen(document, sweep, index, region, _bytes(quick))
    yield MaskSeen(document, sweep, index, region, _bytes(_exact_mask(document, sweep, index, region, level, cancel)))
    for number, probe in enumerate(document.probes or ()):
        place = probe.region(document.renderer.size, PROBE_SHOWN)
        found = document.renderer.mask(sweep, index, place, cancel)
        yield ProbeMaskSeen(document, sweep, index, number, _bytes(found))


def _bytes(values: NDArray[np.float32]) -> NDArray[np.uint8]:
    return np.rint(values * 255).astype(np.uint8)


def _exact_mask(
    document: Document, sweep: Sweep, index: int, region: Region, level: int, cancel: Cancel
) -> NDArray[np.float32]:
    """The mask itself, averaged to as fine as a level is drawn."""
    factor = 2**level
    rows = []
    for y in range(region.y0, region.y1, MASK_ROWS):
        part = region._replace(y0=y, y1=min(y + MASK_ROWS, region.y1))
        strip = document.renderer.mask(sweep, index, part, cancel)
        small = -(-strip.shape[1] // factor), -(-strip.shape[0] // factor)
        rows.append(strip if factor == 1 else cv2.resize(strip, small, interpolation=cv2.INTER_AREA))
    return np.concatenate(rows)


def _reduced_mask(
    document: Document, sweep: Sweep, index: int, region: Region, level: int, cancel: Cancel
) -> NDArray[np.float32]:
    """The mask of the picture reduced to a level."""
    renderer, step = document.reduced(level), sweep.steps[index]
    assert isinstance(step, Step)
    where = step.where.resolved(dict(sweep.masks)).scaled(0.5**level)
    before = sweep.first(index).scaled(0.5**level).steps
    small = Sweep((*before, replace(step, where=where)))
    part = Region(*(v >> level for v in region.aligned(2**level))).within(renderer.size)
    return renderer.mask(small, len(before), part, cancel)


def coverage(document: Document, sweep: Sweep, index: int, cancel: Cancel) -> Iterator[Event]:
    """How much of the picture a step counts on, told from places all over it."""
    h, w = document.renderer.size
    tops, lefts = (np.linspace(0, max(n - COVERED_SIDE, 0), COVERED_AT).astype(int) for n in (h, w))
    places = [Region(y, x, y + COVERED_SIDE, x + COVERED_SIDE) for y in tops for x in lefts]
    if h * w <= len(places) * COVERED_SIDE**2:
        places = [Region(0, 0, h, w)]
    shares = [float(document.renderer.mask(sweep, index, place, cancel).mean()) for place in places]
    yield Covered(document, sweep, index, float(np.mean(shares)))


def colour(
    document: Document, sweep: Sweep, index: int, part: int, place: tuple[float, float], cancel: Cancel
) -> Iterator[Event]:
    """The colour of a place (y, x) before a step, for a part of its mask."""
    read = partial(document.renderer.at_once, sweep.first(index), cancel=cancel)
    yield ColourPicked(document, index, part, colour_at(read, document.renderer.size, *place))


def settled_part(
    document: Document, sweep: Sweep, at: tuple[int, int], part: Part, name: str, cancel: Cancel
) -> Iterator[Event]:
    """A part of a mask that points at no place any more.

    Parameters
    ----------
    at : the numbers of the step and of the part. name : of the change, handed on.
    """
    read = partial(document.renderer.at_once, sweep.first(at[0]), cancel=cancel)
    yield PartSettled(document, *at, part.kind.settled(part.params, read, document.renderer.size), name)


# ---------------------------------------------------------------- what instruments show


def sample(document: Document, cancel: Cancel) -> Iterator[Event]:
    """Some of what the result is compared with, for histograms."""
    pixels = document.sample()
    cancel.check()
    every = max(1, int(np.sqrt(pixels.shape[0] * pixels.shape[1] / COUNTED)))
    yield SampleSeen(document, np.ascontiguousarray(pixels[::every, ::every]))


def light(document: Document, cancel: Cancel) -> Iterator[Event]:
    """The light on a sensor, and its noise in the dark."""
    seen = light_by_colour(document.picture)
    cancel.check()
    yield LightSeen(document, seen, document.sensor_floor())


def profile(document: Document, sweep: Sweep, view: Region, own: Line | None, cancel: Cancel) -> Iterator[Event]:
    """The luma across an edge: along one's own line, or along one that is found in the view."""
    line = own or document.edge_line(view)
    cancel.check()
    before, after = (partial(document.luma_of, s) for s in (document.renderer.reference(sweep), sweep))
    yield ProfileSeen(document, profile_along(before, after, line))


def levels(document: Document, linked: bool, for_step: bool, cancel: Cancel) -> Iterator[Event]:
    """Levels from the sky and its noise; see `automatic`."""
    pixels = document.sample()
    cancel.check()
    yield LevelsFound(document, automatic(pixels, linked), for_step)


def white(document: Document, sweep: Sweep, at: int, y: int, x: int, cancel: Cancel) -> Iterator[Event]:
    """What makes a place neutral for step ``at``; see `white_at`."""
    temperature, tint = white_at(document.picture, y, x)
    yield Picked(document, at, {"white": White.SET, "temperature": round(temperature), "tint": round(tint)})


def rim(document: Document, sweep: Sweep, at: int, y: int, x: int, cancel: Cancel) -> Iterator[Event]:
    """The colour of a rim, for step ``at``; see `rim_at`."""
    read = partial(document.renderer.at_once, sweep.first(at), cancel=cancel)
    yield Picked(document, at, {"colour": Rims.PICKED, "hue": rim_at(read, document.renderer.size, y, x)})


def costs_of_noise(document: Document, cancel: Cancel) -> Iterator[Event]:
    """What each quality of Noise costs in time on this picture."""
    renderer = document.renderer
    before = Sweep(first_steps(renderer.picture.kind))
    noise = noise_print(renderer, cancel, before)
    read = partial(renderer.at_once, before, cancel=cancel)
    yield CostsFound(document, costs(read, renderer.size, noise, renderer.threads, cancel.check))
