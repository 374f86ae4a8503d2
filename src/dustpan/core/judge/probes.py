"""Probes: patches that show what a person keeps an eye on, placed without being asked.

On an ordinary picture these are a dark, a middle and a bright flat spot, the finest texture and the hardest edge; on a
star field empty sky, faint structure, a small star, a bright star and a corner.

Flat is judged on cell means of the stabilised picture, so that the dark is not taken for flat because its noise was
clipped; texture on the power of 8 x 8 blocks above that of the noise, by its median over a patch, so that one edge does
not count as texture.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from enum import StrEnum
from functools import partial
from typing import Any

import cv2
import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.colour import luma
from dustpan.core.fact import Asked, FactKind, Scope
from dustpan.core.hits import Finder, Hits, in_order
from dustpan.core.judge.edges import find_edges
from dustpan.core.judge.flat import local_noise_left
from dustpan.core.judge.texture import BAND, luma_spectrum, texture_kept
from dustpan.core.judge.verdict import cleaned_range, halo_height, wider
from dustpan.core.language import mark, say
from dustpan.core.noise.blocks import DCT_2D, cell_means
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.region import Region
from dustpan.core.sharpen.halo_guard import largest

SIDE = 92  # px of the picture that a probe shows at 100 % and is measured on
CELL = 4
STEP = 4  # cells between two candidate places
APART = 64  # px between the centres of two probes
ROWS = 128  # of the picture, a multiple of 8, between two looks at whether placing was cancelled
LARGE = 3_000_000  # px: edges of larger pictures are looked for at half size, again and again
Check = Callable[[], None]
Each = Callable[..., Iterable[Any]]  # `map`, or that of a pool of threads


class Role(StrEnum):
    """What a probe watches."""

    DARK_FLAT = mark("dark flat")
    MIDDLE_FLAT = mark("middle flat")
    BRIGHT_FLAT = mark("bright flat")
    TEXTURE = mark("finest texture")
    EDGE = mark("hardest edge")
    SKY = mark("empty sky")
    FAINT = mark("faint structure")
    SMALL_STAR = mark("small star")
    BRIGHT_STAR = mark("bright star")
    CORNER = mark("corner")
    OWN = mark("own")


FLAT_ROLES = (Role.DARK_FLAT, Role.MIDDLE_FLAT, Role.BRIGHT_FLAT, Role.SKY)


@dataclass(frozen=True)
class Probe:
    """A watched place: what for, and its centre in px."""

    role: Role
    y: int
    x: int

    def region(self, size: tuple[int, int], side: int = SIDE) -> Region:
        """The square around it, pushed inside a picture of (height, width)."""
        h, w = size
        y0 = min(max(self.y - side // 2, 0), max(h - side, 0))
        x0 = min(max(self.x - side // 2, 0), max(w - side, 0))
        return Region(y0, x0, y0 + side, x0 + side).within(size)

    def as_json(self) -> dict[str, Any]:
        return {"role": self.role.value, "y": self.y, "x": self.x}


def probe_from_json(raw: Mapping[str, Any]) -> Probe | None:
    """A probe that a sweep file keeps; None for what cannot be one."""
    try:
        y, x = raw["y"], raw["x"]
        return Probe(Role(raw["role"]), int(y), int(x)) if min(y, x) >= 0 else None
    except (KeyError, TypeError, ValueError, OverflowError):
        return None


# ---------------------------------------------------------------- placing


def place(
    pixels: NDArray[np.float32], noise: NoisePrint, check: Check = lambda: None, threads: int = 1
) -> tuple[Probe, ...]:
    """Find the places worth watching.

    Parameters
    ----------
    pixels : (H, W, C) encoded values. noise : its print. check : called every few ten ms; raises to cancel.
    threads : how many work at a time.

    Returns
    -------
    At most five probes in the order in which they are shown; fewer where a picture has no such place, and one in the
    middle of a picture too small to choose.
    """
    h, w = pixels.shape[:2]
    if min(h, w) < 2 * SIDE:
        return (Probe(Role.OWN, h // 2, w // 2),)
    with ThreadPoolExecutor(threads, thread_name_prefix="place") as pool:
        light = _light(pixels, check, pool.map)
        stars = find_stars(light, check, pool.map)
        maps = _Maps(pixels, light, noise, check, pool.map)
    if stars is not None:
        return _star_probes(light, maps, stars)
    found: list[Probe] = []
    finders: list[Callable[[list[Probe]], Probe | None]] = [partial(maps.flat, r, *t) for r, t in TONES.items()]
    finders += [maps.texture, partial(hardest_edge, light, check)]
    for finder in finders:
        probe = finder(found)
        check()
        if probe:
            found.append(probe)
    return tuple(found)


TONES = {Role.DARK_FLAT: (0.0, 0.3), Role.MIDDLE_FLAT: (0.25, 0.7), Role.BRIGHT_FLAT: (0.6, 1.0)}


def _bands(height: int, rows: int = ROWS) -> list[slice]:
    """Rows of a picture, so many at a time."""
    return [slice(y, min(y + rows, height)) for y in range(0, height, rows)]


def _light(pixels: NDArray[np.float32], check: Check, each: Each = map) -> NDArray[np.float32]:
    """(H, W) luma of what can be shown."""
    out = np.empty(pixels.shape[:2], np.float32)

    def fill(rows: slice) -> None:
        check()
        out[rows] = luma(np.clip(pixels[rows], 0, 1))

    list(each(fill, _bands(len(out))))
    return out


def _filtered(
    filtering: Callable[[NDArray], NDArray], plane: NDArray, reach: int, check: Check, each: Each = map
) -> NDArray:
    """A filter that looks ``reach`` px far, on `ROWS` rows at a time."""
    out = np.empty_like(plane)

    def fill(rows: slice) -> None:
        check()
        first = max(rows.start - reach, 0)
        out[rows] = filtering(plane[first : rows.stop + reach])[rows.start - first :][: rows.stop - rows.start]

    list(each(fill, _bands(len(plane))))
    return out


def _ranked(plane: NDArray, rows: NDArray, cols: NDArray, percent: float, check: Check) -> NDArray:
    """A percentile of the blocks that a patch around each of these places covers; mirrored at the picture's edge."""
    side = SIDE // 8
    windows = sliding_window_view(np.pad(plane, side // 2, mode="symmetric"), (side, side))
    rank = int(side * side * percent / 100)
    out = np.empty((len(rows), len(cols)), plane.dtype)
    for line, row in zip(out, rows, strict=True):
        check()
        values = windows[row, cols].reshape(len(cols), -1)
        line[:] = np.partition(values, rank, axis=1)[:, rank]
    return out


class _Maps:
    """Unevenness, level and texture of a patch around every candidate place."""

    def __init__(
        self,
        pixels: NDArray[np.float32],
        light: NDArray[np.float32],
        noise: NoisePrint,
        check: Check,
        each: Each = map,
    ) -> None:
        parts = list(each(lambda rows: noise.stabiliser.cells(pixels[rows], check), _bands(len(light))))
        cells, level = np.concatenate(parts, 1).astype(np.float64), cell_means(light[None])[0]
        size = light.shape[0], light.shape[1]
        factor = noise.places.of(Region(0, 0, *size))[0] if noise.places else None

        def textured(rows: slice) -> tuple[NDArray[np.float32], NDArray[np.float64]]:
            return texture_excess(light[rows], noise, None if factor is None else factor[rows])

        textures = list(each(textured, _bands(len(light))))
        side = SIDE // CELL
        self.at = tuple(np.arange(side // 2, n - side // 2, STEP) for n in level.shape)
        lattice = np.ix_(*self.at)
        uneven = np.zeros(level.shape)
        for c in cells:
            check()
            mean, square = ndi.uniform_filter(c, side), ndi.uniform_filter(c * c, side)
            uneven += np.maximum(square - mean * mean, 0)
        if factor is not None:
            uneven /= cell_means(factor[None])[0] ** 2
        self.uneven, self.level = uneven[lattice], ndi.uniform_filter(level, side)[lattice]
        excess, expected = (np.concatenate(parts) for parts in zip(*textures, strict=True))
        rows, cols = (np.minimum(a * CELL // 8, n - 1) for a, n in zip(self.at, excess.shape, strict=True))
        self.texture_strength = _ranked(excess, rows, cols, 45, check)
        marks = _ranked(excess / np.maximum(expected, 1e-9), rows, cols, 95, check)
        self.marks = np.maximum(marks - 1.0, 0)  # lines and print on what is flat otherwise

    def _probe(self, role: Role, index: tuple[int, int]) -> Probe:
        return Probe(role, int(self.at[0][index[0]]) * CELL + CELL // 2, int(self.at[1][index[1]]) * CELL + CELL // 2)

    def _free(self, near: list[Probe]) -> NDArray[np.bool_]:
        y, x = (a * CELL for a in self.at)
        free = np.ones(self.uneven.shape, bool)
        for p in near:
            free &= np.maximum(np.abs(y - p.y)[:, None], np.abs(x - p.x)[None, :]) >= APART
        return free

    def flat(self, role: Role, low: float, high: float, near: list[Probe]) -> Probe | None:
        """The flattest patch among the tones between two shares of the tones that patches have."""
        inside = (self.level > 2 / 255) & (self.level < 253 / 255)
        if not inside.any():
            return None
        bottom, top = np.quantile(self.level[inside], [0.02, 0.98])
        a, b = bottom + low * (top - bottom), bottom + high * (top - bottom)
        allowed = inside & (self.level >= (a if low else 0)) & (self.level <= (b if high < 1 else 1)) & self._free(near)
        if not allowed.any():
            return None
        cost = np.where(allowed, (self.uneven + 0.01) * (1 + self.marks), np.inf)
        return self._probe(role, np.unravel_index(int(np.argmin(cost)), cost.shape))  # type: ignore[arg-type]

    def texture(self, near: list[Probe]) -> Probe | None:
        """The patch with the most fine structure above the noise, all over it."""
        cost = np.where(self._free(near), self.texture_strength, -np.inf)
        index = np.unravel_index(int(np.argmax(cost)), cost.shape)
        return self._probe(Role.TEXTURE, index) if cost[index] > 0 else None  # type: ignore[arg-type]


def texture_excess(
    plane: NDArray[np.float32], noise: NoisePrint, factor: NDArray[np.float32] | None = None
) -> tuple[NDArray[np.float32], NDArray[np.float64]]:
    """Power of every 8 x 8 block of a (H, W) luma in periods of 2 to 8 px above that of the noise, and the noise's.

    Both are (H // 8, W // 8). ``factor`` : (H, W) that the noise is stronger by than the print; None for 1.
    """
    h, w = (n // 8 * 8 for n in plane.shape)
    blocks = plane[:h, :w].reshape(h // 8, 8, w // 8, 8).swapaxes(1, 2).reshape(h // 8, w // 8, 64)
    spectra = blocks.astype(np.float32) @ DCT_2D.T.astype(np.float32)
    sigma = noise.luminance_sigma_of(blocks.mean(-1))
    if factor is not None:
        sigma = sigma * factor[4:h:8, 4:w:8]
    expected = sigma**2 * luma_spectrum(noise)[BAND].sum()
    return ((spectra[..., BAND] ** 2).sum(-1) - 1.1 * expected).astype(np.float32), expected


def hardest_edge(light: NDArray[np.float32], check: Check, near: list[Probe]) -> Probe | None:
    """The strongest isolated edge of a (H, W) luma, or the steepest place where none is isolated."""
    plane, scale = light, 1
    while plane.size > LARGE:
        h, w = (n // 2 * 2 for n in plane.shape)
        halves = []
        for rows in _bands(h):
            check()
            lines = plane[rows, :w][0::2] + plane[rows, :w][1::2]
            halves.append((lines[:, 0::2] + lines[:, 1::2]) / 4)
        plane, scale = np.concatenate(halves), 2 * scale
    edges = find_edges(ndi.gaussian_filter(plane, 0.7), 20, check)
    for e in sorted(edges, key=lambda e: -e.height):
        probe = Probe(Role.EDGE, round(e.y * scale), round(e.x * scale))
        if all(max(abs(probe.y - p.y), abs(probe.x - p.x)) >= APART // 2 for p in near):
            return probe
    slope = ndi.gaussian_gradient_magnitude(np.asarray(plane, np.float32), 2.0)
    y, x = np.unravel_index(int(np.argmax(slope)), slope.shape)
    return Probe(Role.EDGE, int(y) * scale, int(x) * scale) if slope[y, x] > 0.01 else None


# ---------------------------------------------------------------- star fields


@dataclass(frozen=True)
class Stars:
    """Places (n, 2) of stars in px, their peak over the sky in σ, brightest first; and the sky's level and σ."""

    at: NDArray[np.intp]
    peak: NDArray[np.float64]
    sky: float
    sigma: float


def find_stars(light: NDArray[np.float32], check: Check = lambda: None, each: Each = map) -> Stars | None:
    """The stars of a star field, given as its (H, W) luma; None for any other picture.

    A star field is mostly sky, and what rises above it is small and round and there is a lot of it.
    """
    step = max(1, int(np.sqrt(light.size / LARGE)))
    part = np.ascontiguousarray(light[::step, ::step])
    check()
    sky = float(np.median(part))
    sigma = max(1.4826 * float(np.median(np.abs(part - sky))), 0.5 / 255)
    if sky > 0.45 or np.mean(part > sky + 6 * sigma) > 0.06 or np.mean(part < sky - 6 * sigma) > 0.005:
        return None
    smooth = _filtered(_softened, light, 4, check, each)
    highest = _filtered(partial(largest, window=9), smooth, 4, check, each)
    peaks = (smooth == highest) & (smooth > sky + 5 * sigma)
    check()
    peaks[:8] = peaks[-8:] = False
    peaks[:, :8] = peaks[:, -8:] = False
    at = np.argwhere(peaks)
    if len(at) < 25:
        return None
    height = smooth[at[:, 0], at[:, 1]] - sky
    ring = [(0, 7), (7, 0), (0, -7), (-7, 0), (5, 5), (5, -5), (-5, 5), (-5, -5)]
    around = np.stack([smooth[at[:, 0] + dy, at[:, 1] + dx] for dy, dx in ring]) - sky
    round_ = np.max(around, axis=0) < 0.4 * height
    if round_.mean() < 0.6 or round_.sum() < 25:
        return None
    order = np.argsort(-height[round_], kind="stable")
    return Stars(at[round_][order], (height[round_] / sigma)[order], sky, sigma)


def _softened(plane: NDArray) -> NDArray[np.float32]:
    """With a Gaussian of 1 px."""
    return np.asarray(cv2.GaussianBlur(np.asarray(plane, np.float32), (9, 9), 1.0, borderType=cv2.BORDER_REFLECT))


def _measure_stars(asked: Asked) -> Stars | None:
    return find_stars(_light(asked.pixels, asked.check), asked.check)


STARS = FactKind("stars", _measure_stars, scope=Scope.WHOLE)


def _star_hits(facts: Mapping[FactKind, Any]) -> Hits:
    stars = facts[STARS]
    unit = mark("σ above the sky")
    return in_order(np.zeros((0, 2)), np.zeros(0), unit) if stars is None else in_order(stars.at, stars.peak, unit)


STAR_FINDER = Finder("stars", mark("Stars"), frozenset({STARS}), _star_hits)


def _star_probes(light: NDArray[np.float32], maps: _Maps, stars: Stars) -> tuple[Probe, ...]:
    h, w = light.shape
    darkest = np.where(maps.level < np.quantile(maps.level, 0.5), maps.uneven, np.inf)
    sky = maps._probe(Role.SKY, np.unravel_index(int(np.argmin(darkest)), darkest.shape))  # type: ignore[arg-type]
    faint = np.minimum(light, stars.sky + 3 * stars.sigma)  # stars are cut off, nebulae stay
    level = ndi.uniform_filter(cell_means(np.ascontiguousarray(faint)[None])[0], SIDE // CELL)[np.ix_(*maps.at)]
    structure = np.unravel_index(int(np.argmax(level)), level.shape)
    bright = stars.at[min(2, len(stars.at) - 1)]
    small = stars.at[int(0.8 * len(stars.at))]
    corners = [(SIDE, SIDE), (SIDE, w - SIDE), (h - SIDE, SIDE), (h - SIDE, w - SIDE)]
    nearest = [np.abs(stars.at - c).max(1).argmin() for c in corners]
    distance = [np.abs(stars.at[n] - c).max() for n, c in zip(nearest, corners, strict=True)]
    corner = stars.at[nearest[int(np.argmin(distance))]]
    return (
        sky,
        maps._probe(Role.FAINT, structure),  # type: ignore[arg-type]
        Probe(Role.SMALL_STAR, int(small[0]), int(small[1])),
        Probe(Role.BRIGHT_STAR, int(bright[0]), int(bright[1])),
        Probe(Role.CORNER, int(corner[0]), int(corner[1])),
    )


# ---------------------------------------------------------------- figures


@dataclass(frozen=True)
class Figure:
    """One measured figure of a probe: its name and its value in percent, None where it cannot be measured."""

    name: str
    value: float | None

    def text(self) -> str:
        digits = 1 if self.name == "rim" else 0
        return f"{say(self.name)} {'–' if self.value is None else f'{self.value:.{digits}f} %'}"


def figures(
    probe: Probe,
    before: NDArray,
    after: NDArray,
    cleaned: NDArray,
    noise: NoisePrint,
    factor: NDArray[np.float32] | None = None,
) -> tuple[Figure, ...]:
    """What is measured at a probe.

    Parameters
    ----------
    before, after, cleaned : (h, w, C) encoded values of its region: the input, the result, the input without noise.
    factor : (h, w) that the noise is stronger by than the print; None for 1.
    """
    y_before, y_after, y_clean = (luma(np.asarray(p, np.float32)) for p in (before, after, cleaned))
    if probe.role in FLAT_ROLES:
        return (Figure(mark("noise left"), local_noise_left(before, after)),)
    if probe.role is Role.EDGE:
        return (Figure(mark("rim"), _rim(y_after, y_clean)),)
    if probe.role is Role.TEXTURE:
        return (Figure(mark("texture kept"), texture_kept(y_before, y_after, y_clean, noise, factor=factor)),)
    return (
        Figure(mark("noise left"), local_noise_left(before, after)),
        Figure(mark("rim"), _rim(y_after, y_clean)),
    )


def _rim(after: NDArray, cleaned: NDArray) -> float | None:
    """How far a result leaves the local range beside plateaus, at a place where that has to be seen."""
    return halo_height(after, wider(cleaned_range(cleaned), cleaned, 1.0))
