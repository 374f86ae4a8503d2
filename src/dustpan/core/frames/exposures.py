"""One exposure: read as light, calibrated, hot pixels out, three colours in every place; and what is measured of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.defects import peaks
from dustpan.core.defects.hot_pixels import ROWS, SKY_LIKE, TWO, estimated, one_brightness
from dustpan.core.defects.peaks import AROUND, SURE
from dustpan.core.develop.step import Demosaic, DevelopParams, developed_light
from dustpan.core.files.registry import Samples, read_samples
from dustpan.core.frames.calibration import Masters
from dustpan.core.frames.points import Points, find_points, sky_of, spread
from dustpan.core.frames.spool import as_it_lies, hashed, name_of
from dustpan.core.picture import Kind

Light = NDArray[np.float32]
Check = Callable[[], None]
NO_FILTER = ((0,),)


@dataclass(frozen=True, eq=False)
class Exposure:
    """An exposure as it goes into a stack.

    light : (h, w, C), in the file's units. hot : (n, 2) places of its samples that were filled.
    taken : when, as its file says.
    """

    light: Light
    hot: NDArray[np.intp]
    taken: str


@dataclass(frozen=True)
class Figures:
    """What is measured of one.

    width : FWHM of its stars, px; NaN without stars. stars : how many. sky : its level. noise : σ around it.
    hot : pixels that were filled.
    """

    width: float
    stars: int
    sky: float
    noise: float
    hot: int


def read_exposure(path: Path, masters: Masters, clean: bool, check: Check, hot: NDArray | None = None) -> Exposure:
    """Read one.

    Parameters
    ----------
    masters : that it is calibrated with. clean : whether hot pixels are taken out; those of a dark frame always are.
    hot : (n, 2) those that are known, so that they are not looked for.

    Raises
    ------
    FileProblem : the file cannot be read, or does not fit the masters.
    """
    samples = read_samples(path, check=check)
    check()
    light = masters.calibrated(samples, path)
    pattern = pattern_of(samples)
    if hot is None:
        hot = masters.hot
        if clean:
            own = hot_in(light, pattern, check)
            hot = np.unique(np.concatenate([hot, own]), axis=0) if len(hot) else own
    if len(hot):
        light = without(light, hot, pattern)
    check()
    return Exposure(coloured(light, samples), hot, samples.taken)


def clean_name(path: Path, masters: Masters, hot: NDArray[np.intp]) -> str:
    """What an exposure as it was read is kept by, until it is moved."""
    return name_of(as_it_lies(path), masters.name, hashed(hot))


def pattern_of(samples: Samples) -> tuple[tuple[int, ...], ...]:
    """The colour filter that samples lie under."""
    return samples.sensor.pattern if samples.kind is Kind.MOSAIC and samples.sensor else NO_FILTER


def coloured(light: Light, samples: Samples) -> Light:
    """Three colours in every place of a mosaic; of a camera's also balanced and in light of sRGB's primaries."""
    if samples.sensor is None:
        return light
    return developed_light(light, samples.sensor, DevelopParams(), Demosaic.BY_EDGES)


def hot_in(light: Light, pattern: tuple[tuple[int, ...], ...], check: Check = lambda: None) -> NDArray[np.intp]:
    """(n, 2) places of samples that read too high or too low in any channel, told by their shape."""
    h, w = light.shape[:2]
    if min(h, w) < 2 * AROUND:
        return np.zeros((0, 2), np.intp)
    same = TWO if (len(pattern), len(pattern[0])) == (2, 2) else ()

    def strips(sign: int, c: int) -> list[tuple[int, int, NDArray[np.float32]]]:
        found = []
        for y in range(0, h, ROWS):
            check()
            top, end = max(0, y - AROUND), min(h, y + ROWS + AROUND)
            plane = np.ascontiguousarray(light[top:end, :, c])
            if len(pattern) > 1:
                plane = one_brightness(plane, pattern, top)
            found.append((y, min(y + ROWS, h), np.ascontiguousarray(sign * plane)))
        return found

    found = [[peaks.find(partial(strips, sign, c), same) for sign in (1, -1)] for c in range(light.shape[2])]
    bright, dark = (sum(pair[k].peaked for pair in found) for k in (0, 1))
    if light.shape[2] == 3 and bright < SKY_LIKE * dark:  # what peaks up and down alike is texture
        return np.zeros((0, 2), np.intp)
    return np.unique(np.concatenate([p.at[p.chosen(SURE)] for pair in found for p in pair]), axis=0)


def without(light: Light, hot: NDArray[np.intp], pattern: tuple[tuple[int, ...], ...]) -> Light:
    """Light with hot samples filled from their neighbours of the same colour, in all channels."""
    out = light.copy()
    for c in range(light.shape[2]):
        plane = np.ascontiguousarray(light[..., c])
        apart = np.abs(plane[::3, 2::3] - plane[::3, :-2:3])
        sigma = np.full(len(hot), 1.05 * float(np.median(apart)) + 1e-9 if apart.size else 1e-9, np.float32)
        out[hot[:, 0], hot[:, 1], c] = estimated(plane, hot, sigma, pattern, (0, 0))
    return out


def looked_at(exposure: Exposure, with_stars: bool) -> tuple[Points | None, Figures, NDArray[np.float32]]:
    """The stars of an exposure, its figures, and its sky as a small grid (h, w, C)."""
    light = exposure.light
    grey = np.ascontiguousarray(luma(light))
    grid, noise = sky_of(grey)
    grids = [grid]
    if light.shape[2] > 1:
        grids = [sky_of(np.ascontiguousarray(light[..., c]))[0] for c in range(light.shape[2])]
    points = find_points(grey - spread(grid, grey.shape), noise) if with_stars else None
    width, stars = (points.width, len(points)) if points is not None else (float("nan"), 0)
    return points, Figures(width, stars, float(np.median(grid)), noise, len(exposure.hot)), np.stack(grids, -1)
