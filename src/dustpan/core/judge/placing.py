"""Where probes are placed without being asked.

Flat is judged on cell means of the stabilised picture, so that the dark is not taken for flat because its noise was
clipped; texture on the power of 8 x 8 blocks above that of the noise, by its median over a patch, so that one edge does
not count as texture.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.bands import Check, Each, bands, shown_luma
from dustpan.core.judge.edges import find_edges
from dustpan.core.judge.glints import brightest_glint, most_lines
from dustpan.core.judge.probes import Probe, Role, side_in
from dustpan.core.judge.texture import BAND, luma_spectrum
from dustpan.core.noise.blocks import DCT_2D, cell_means
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.region import Region
from dustpan.core.stars import Stars, find_stars

CELL = 4
STEP = 4  # cells between two candidate places
APART = 0.69  # of a probe's side, between the centres of two
STANDS_OUT = 6.0  # excess of a block over the noise that is no flat ground
SEEN = np.count_nonzero(BAND) * (1.5 / 255) ** 2  # power of a block that is seen
LARGE = 3_000_000  # px: edges of larger pictures are looked for at half size, again and again


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
    side = side_in((h, w))
    if min(h, w) < 3 * side:
        return (Probe(Role.OWN, h // 2, w // 2),)
    with ThreadPoolExecutor(threads, thread_name_prefix="place") as pool:
        light = shown_luma(pixels, check, pool.map)
        stars = find_stars(light, check, pool.map)
        maps = _Maps(pixels, light, noise, side, check, pool.map)
    if stars is not None:
        return _star_probes(light, maps, stars)
    found: list[Probe] = []
    tones = {r: t for r, t in TONES.items() if r is Role.MIDDLE_FLAT or not noise.in_proportion}
    finders: list[Callable[[list[Probe]], Probe | None]] = [partial(maps.flat, r, *t) for r, t in tones.items()]
    if noise.in_proportion:
        finders += [partial(_at, Role.GLINT, brightest_glint(light))]
        finders += [partial(_at, Role.SCRATCHES, most_lines(light, noise, maps.factor))]
    finders += [maps.texture, partial(hardest_edge, light, check, apart=APART * side)]
    for finder in finders:
        probe = finder(found)
        check()
        if probe:
            found.append(probe)
    return tuple(found)


def _at(role: Role, place: tuple[int, int] | None, near: list[Probe]) -> Probe | None:
    return Probe(role, *place) if place else None


TONES = {Role.DARK_FLAT: (0.0, 0.3), Role.MIDDLE_FLAT: (0.25, 0.7), Role.BRIGHT_FLAT: (0.6, 1.0)}


def _ranked(plane: NDArray, rows: NDArray, cols: NDArray, percent: float, side: int, check: Check) -> NDArray:
    """A percentile of the side × side blocks around each of these places; mirrored at the picture's edge."""
    windows = sliding_window_view(np.pad(plane, side // 2, mode="symmetric"), (side, side))
    rank = min(int(side * side * percent / 100), side * side - 1)
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
        side_px: int,
        check: Check,
        each: Each = map,
    ) -> None:
        self.side_px = side_px
        parts = list(each(lambda rows: noise.stabiliser.cells(pixels[rows], check), bands(len(light))))
        cells, level = np.concatenate(parts, 1).astype(np.float64), cell_means(light[None])[0]
        size = light.shape[0], light.shape[1]
        factor = self.factor = noise.places.at(Region(0, 0, *size)) if noise.places else None

        def textured(rows: slice) -> tuple[NDArray[np.float32], NDArray[np.float64]]:
            return texture_excess(light[rows], noise, None if factor is None else factor[rows])

        textures = list(each(textured, bands(len(light))))
        side = side_px // CELL
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
        blocks = side_px // 8
        self.texture_strength = _ranked(excess, rows, cols, 45, blocks, check)
        marks = _ranked(excess / np.maximum(expected, 1e-9), rows, cols, 95, blocks, check)
        self.marks = np.maximum(marks - 1.0, 0)  # lines and print on what is flat otherwise
        seen = excess / np.maximum(expected, SEEN)
        self.peaks = np.maximum(_ranked(seen, rows, cols, 100, blocks + 1, check), 1)  # what stands out alone

    def _probe(self, role: Role, index: tuple[int, int]) -> Probe:
        return Probe(role, int(self.at[0][index[0]]) * CELL + CELL // 2, int(self.at[1][index[1]]) * CELL + CELL // 2)

    def _free(self, near: list[Probe]) -> NDArray[np.bool_]:
        y, x = (a * CELL for a in self.at)
        free = np.ones(self.uneven.shape, bool)
        for p in near:
            free &= np.maximum(np.abs(y - p.y)[:, None], np.abs(x - p.x)[None, :]) >= APART * self.side_px
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
        cost = np.where(allowed, (self.uneven + 0.01) * (1 + self.marks) * self.peaks, np.inf)
        best = np.unravel_index(int(np.argmin(cost)), cost.shape)
        if (
            self.peaks[best] > STANDS_OUT and self.texture_strength[best] < SEEN
        ):  # a star on ground that is flat otherwise
            return None
        return self._probe(role, best)  # type: ignore[arg-type]

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


def hardest_edge(light: NDArray[np.float32], check: Check, near: list[Probe], apart: float) -> Probe | None:
    """The strongest isolated edge of a (H, W) luma, or the steepest place where none is isolated."""
    plane, scale = light, 1
    while plane.size > LARGE:
        h, w = (n // 2 * 2 for n in plane.shape)
        halves = []
        for rows in bands(h):
            check()
            lines = plane[rows, :w][0::2] + plane[rows, :w][1::2]
            halves.append((lines[:, 0::2] + lines[:, 1::2]) / 4)
        plane, scale = np.concatenate(halves), 2 * scale
    edges = find_edges(ndi.gaussian_filter(plane, 0.7), 20, check)
    for e in sorted(edges, key=lambda e: -e.height):
        probe = Probe(Role.EDGE, round(e.y * scale), round(e.x * scale))
        if all(max(abs(probe.y - p.y), abs(probe.x - p.x)) >= apart / 2 for p in near):
            return probe
    slope = ndi.gaussian_gradient_magnitude(np.asarray(plane, np.float32), 2.0)
    y, x = np.unravel_index(int(np.argmax(slope)), slope.shape)
    return Probe(Role.EDGE, int(y) * scale, int(x) * scale) if slope[y, x] > 0.01 else None


def _star_probes(light: NDArray[np.float32], maps: _Maps, stars: Stars) -> tuple[Probe, ...]:
    h, w = light.shape
    darkest = np.where(maps.level < np.quantile(maps.level, 0.5), maps.uneven, np.inf)
    sky = maps._probe(Role.SKY, np.unravel_index(int(np.argmin(darkest)), darkest.shape))  # type: ignore[arg-type]
    faint = np.minimum(light, stars.sky + 3 * stars.sigma)  # stars are cut off, nebulae stay
    level = ndi.uniform_filter(cell_means(np.ascontiguousarray(faint)[None])[0], maps.side_px // CELL)[np.ix_(*maps.at)]
    structure = np.unravel_index(int(np.argmax(level)), level.shape)
    bright = stars.at[min(2, len(stars.at) - 1)]
    small = stars.at[int(0.8 * len(stars.at))]
    side = maps.side_px
    corners = [(side, side), (side, w - side), (h - side, side), (h - side, w - side)]
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
