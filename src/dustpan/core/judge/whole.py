"""Judging whole pictures: on all of a picture, or on windows of a large one."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import fields
from itertools import zip_longest
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from dustpan.core.cancel import Cancel
from dustpan.core.colour_profile import between_profiles
from dustpan.core.errors import FileProblem
from dustpan.core.judge.verdict import Verdict, judge
from dustpan.core.judge.worst import FigureName, Places, worst_places
from dustpan.core.language import say
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.noise.octaves import FULL_PRINT
from dustpan.core.picture import Picture
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.render.tiling import TILE
from dustpan.core.sweep import Sweep, make_step

WHOLE_UP_TO = 3_000_000  # px: larger pictures are judged on windows
WINDOW_TILES = 6
WINDOWS = 5
Sides = tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]  # before, after, cleaned input


def noise_print(renderer: Renderer, cancel: Cancel | None = None, sweep: Sweep = Sweep()) -> NoisePrint:
    """The print of a renderer's picture, as a sweep's result is compared with it."""
    found: NoisePrint = renderer.fact(NOISE_PRINT, renderer.repaired(sweep), cancel=cancel)
    return found


def full_print(renderer: Renderer, cancel: Cancel | None = None, sweep: Sweep = Sweep()) -> NoisePrint:
    """The same with the noise of each octave, for people to read."""
    found: NoisePrint = renderer.fact(FULL_PRINT, sweep, cancel=cancel)
    return found


def factor_of(noise: NoisePrint, region: Region) -> NDArray[np.float32] | None:
    """(h, w) how much stronger than its print a picture's luminance noise is on a region; None for 1."""
    return None if noise.places is None else noise.places.of(region)[0]


def cleaned(renderer: Renderer, sweep: Sweep = Sweep()) -> Sweep:
    """What gives the cleaned input of a sweep: its range is what halos are measured against."""
    before = renderer.repaired(sweep).active
    last = max((n for n, s in enumerate(before, 1) if not s.kind.finishing), default=0)
    return Sweep((*before[:last], make_step("noise"), *before[last:]))


def windows(size: tuple[int, int]) -> list[Region]:
    """Where a picture is judged: all of it, or windows spread over its diagonal and its corners."""
    h, w = size
    if h * w <= WHOLE_UP_TO:
        return [Region(0, 0, h, w)]
    side = WINDOW_TILES * TILE
    places = [(0.5, 0.5), (0.15, 0.15), (0.85, 0.85), (0.15, 0.85), (0.85, 0.15)][:WINDOWS]
    found = []
    for fy, fx in places:
        y = int(max(0, min(h - side, fy * h - side / 2))) // TILE * TILE
        x = int(max(0, min(w - side, fx * w - side / 2))) // TILE * TILE
        found.append(Region(y, x, y + side, x + side).within(size))
    return found


def _sides(renderer: Renderer, sweep: Sweep, cancel: Cancel) -> Iterator[tuple[Region, Sides]]:
    """Every window of a sweep's verdict, with its exact pixels."""
    before, calm = renderer.repaired(sweep), cleaned(renderer, sweep)
    for region in windows(renderer.size):
        first, second, third = (renderer.at_once(s, region, cancel) for s in (before, sweep, calm))
        yield region, (first, second, third)


def judge_sweep(renderer: Renderer, sweep: Sweep, cancel: Cancel | None = None) -> Verdict:
    """The verdict of a sweep on its picture, on exact pixels."""
    cancel = cancel or Cancel()
    noise = noise_print(renderer, cancel, sweep)
    windows_ = _sides(renderer, sweep, cancel)
    return combined([judge(*sides, noise, cancel.check, factor_of(noise, region)) for region, sides in windows_])


def worst(renderer: Renderer, sweep: Sweep, figure: FigureName, cancel: Cancel | None = None) -> Places:
    """The worst places (y, x) of a sweep's result for a figure, on the windows that the verdict is measured on."""
    cancel = cancel or Cancel()
    noise = noise_print(renderer, cancel, sweep)
    return _ranked(
        [
            _moved(region, worst_places(figure, *sides, noise, factor_of(noise, region)))
            for region, sides in _sides(renderer, sweep, cancel)
        ]
    )


def judge_and_worst(renderer: Renderer, sweep: Sweep, figure: FigureName, cancel: Cancel) -> tuple[Verdict, Places]:
    """Both of these, with the pixels of each window computed once."""
    noise = noise_print(renderer, cancel, sweep)
    verdicts, places = [], []
    for region, sides in _sides(renderer, sweep, cancel):
        factor = factor_of(noise, region)
        verdicts.append(judge(*sides, noise, cancel.check, factor))
        places.append(_moved(region, worst_places(figure, *sides, noise, factor)))
    return combined(verdicts), _ranked(places)


def _moved(region: Region, places: Places) -> Places:
    return [(y + region.y0, x + region.x0) for y, x in places]


def _ranked(found: Sequence[Places]) -> Places:
    """The worst of every window first, then the second of each."""
    return [place for rank in zip_longest(*found) for place in rank if place]


def judge_files(before: Picture, after: Picture, threads: int | None = None) -> Verdict:
    """The verdict of one picture against another of the same size and kind, on the scale of the first."""
    if before.pixels.shape != after.pixels.shape:
        path = after.source.path or Path("the result")
        h, w = before.size
        why = "it does not have the size and kind of the input ({0} × {1} px, {2})"
        raise FileProblem(path, why, w, h, say(before.kind.value))
    found, result = [], as_of(after, before)
    with Renderer(before, threads) as renderer:
        noise = noise_print(renderer)
        for region in windows(before.size):
            calm = renderer.at_once(cleaned(renderer), region)
            sides = before.pixels[region.slices()], result[region.slices()], calm
            found.append(judge(*sides, noise, factor=factor_of(noise, region)))
    return combined(found)


def as_of(picture: Picture, first: Picture) -> NDArray[np.float32]:
    """A picture's encoded values (H, W, C), read on the scale, the curve and the profile of another one.

    A scene-linear file is encoded between limits that come from its own values. Those of two files have to be
    compared between the same ones.
    """
    if first.scale is not None and picture.scale is not None:
        return first.scale.encoded(picture.as_stored(), first.curve)
    if picture.scale is not None:
        return np.asarray(first.curve.encode(picture.curve.decode(picture.pixels)), np.float32)
    if first.scale is not None:
        return picture.pixels
    return between_profiles(picture.pixels, picture.metadata.icc, first.metadata.icc)


def combined(verdicts: Sequence[Verdict]) -> Verdict:
    """The median of each figure over the windows in which it could be measured."""
    if len(verdicts) == 1:
        return verdicts[0]
    values = {}
    for f in fields(Verdict):
        known = [v for v in (getattr(x, f.name) for x in verdicts) if v is not None]
        values[f.name] = float(np.median(known)) if known else None
    return Verdict(**values)
