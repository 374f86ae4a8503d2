"""The noise of a render: it depends on the paths that light took, and therefore on the place, not on brightness.

What a surface sends on multiplies light and noise alike, so that the *relative* noise, of log(light + floor), goes on
evenly across textures and changes only with how light came there. It is measured on the picture itself: the finest
diagonal detail of the logarithm holds noise nearly alone, and where an edge or a texture adds to it, one of the places
around is calmer. What is written into the print is one usual strength, the spectrum, and a factor by place.

Where the file has an albedo pass that is as good as noise-free, light is divided by it first, so that textures are gone
before anything is measured or cleaned. Samples of a render do not know of their neighbours, while what is seen went
through the pixel filter: how white its finest detail is says how much of a pass, or of a picture, is noise.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.colour import luma, opponent_matrix
from dustpan.core.curve import Curve
from dustpan.core.fact import Asked
from dustpan.core.language import mark
from dustpan.core.noise.blocks import DCT_2D, RING, SIDE
from dustpan.core.noise.guides import Guides
from dustpan.core.noise.model import ChannelNoise
from dustpan.core.noise.noise_print import WHITE_FROM, InPasses, NoisePrint
from dustpan.core.noise_of.places import Grid, Places
from dustpan.core.passes import ALBEDO, Passes
from dustpan.core.region import Region, flipped

FLOOR, LEAST_FLOOR, LEAST_LIGHT = 0.1, 1e-5, 1e-6  # of the geometric mean of light that is more; and at least
FEW = 3  # px between the places that the mean is told from
SMALLEST = 48  # px, below which nothing is measured
BY_BRIGHTNESS = 0.5  # evenness, from which noise is what its brightness says
ENDS = (0.05, 0.95)  # quantiles of the map that are told
CELL, ROWS, MARGIN = 4, 512, 64  # px: between the places where figures are kept, of a strip, and read beyond it
BY_PLACE = mark("it depends on the paths that light took, {0:.1f} times as strong in some places as in others")

DIAGONAL = np.outer([1, -2, 1], [1, -2, 1]).astype(np.float32) / 6  # gives white noise of sigma 1 a sigma of 1
COARSER = np.zeros((5, 5), np.float32)
COARSER[::2, ::2] = 2 * DIAGONAL  # the same an octave lower, of means of 2 x 2
RADIUS, CUT, ROUNDS = 6, 6.0, 3  # px of a window; of its mean, that counts at most of any detail; times
EVERY, SOFT = 2, 4.0  # px between the windows; sigma of the smoothing, px
CALMEST, AROUND = 3, 6  # of the nine windows around, from 0; px to them
SIGMA_OF_MEAN = 1.36 * 1.12  # sigma of detail over the mean of its magnitude, so limited and of the calmest
QUIETEST = 0.02  # quantile of the map, below which no place is taken to be
STRONG, NO_LESS, LEAST_SIGMA = 0.9, 0.03, 1e-5  # quantile of the strong, and share of it that is always there; at least
ODD = 16.0  # squared sigmas, that a detail counts at most where whiteness is told
EVEN, HIGH = RING >= 4, RING >= 9  # frequencies that a block is scaled by, and that texture reaches least
CALM, UNLIKE, LIFT = 0.5, 0.97, 1.4  # share of the calmest blocks, less those that are odd; to the usual strength
MOST_BLOCKS, NO_NOISE = 60_000, 0.05  # power of a block over that of the noise, up to which it is black ground
PASS_AROUND, PASS_SOFT = 12.0, 8.0  # px, sigmas: of the window that a pass is looked at in, and of what is found
UNSEEN = 0.03  # of the picture's noise, up to which that of a pass does not count
ABREAST = 2  # strips
T = TypeVar("T")


def is_rendered(asked: Asked) -> bool:
    """Whether it may be a render: scene-linear values that are no frame of the sky's."""
    return asked.scale is not None and not asked.scale.from_sky and not asked.kind.of_sensor


def measure_rendered(asked: Asked, base: NoisePrint) -> NoisePrint | None:
    """The print of a picture whose noise is that of a render; None where it is not.

    ``base`` : what was measured as of any picture.
    """
    if min(asked.size) < SMALLEST or (base.white and base.evenness >= BY_BRIGHTNESS):
        return None
    plain = _measured(_Light(asked, base.flips))
    if plain.whiteness <= WHITE_FROM:
        return None
    if asked.passes is None:
        return plain.print(base)
    guides = Guides(asked.passes, {n: _white(asked, asked.passes, n, base.flips, plain) for n in asked.passes.planes})
    if ALBEDO not in asked.passes:
        return replace(plain.print(base), in_passes=InPasses(guides.white, plain.print(base)))
    divided = _measured(_Light(asked, base.flips, guides))
    # textures are gone there, so that its map holds for the picture as well
    told = {n: getattr(divided, n) for n in ("sigma", "whiteness", "spectrum", "cross")}
    return replace(replace(plain, **told).print(base), in_passes=InPasses(guides.white, divided.print(base)))


def measure_after(asked: Asked, before: NoisePrint) -> NoisePrint:
    """The print of what a step left of a render's noise: as strong by place as it was, but for one factor."""
    sample, first, logs = asked.pixels, 0, []
    for block in asked.blocks or (Region(0, 0, *asked.size),):
        asked.check()
        light = np.maximum(asked.curve.decode(sample[first : first + block.height]), 0)
        first += block.height
        found = noise_map(_logarithm(np.asarray(light, np.float32), before.noise[0].floor).mean(2))
        usual = before.noise[0].sigma * (1 if before.places is None else before.places.at(block)[::EVERY, ::EVERY])
        logs.append(float(np.mean(np.log(found / usual))))
    return before.times(float(np.exp(np.mean(logs))))


# ---------------------------------------------------------------- light


@dataclass(frozen=True, eq=False)
class _Light:
    """The light of a picture, turned as its print is, and divided as its guides say."""

    asked: Asked
    flips: tuple[bool, bool]
    guides: Guides | None = None

    def of(self, region: Region) -> NDArray[np.float32]:
        """(h, w, C) on a region of the turned picture."""
        self.asked.check()
        place = region.flipped(self.asked.size, self.flips)
        light = np.maximum(np.asarray(self.asked.curve.decode(self.asked.read(place)), np.float32), 0)
        if self.guides is not None:
            light = light / self.guides.divisor(place, light.shape[2])
        return np.ascontiguousarray(flipped(np.moveaxis(light, -1, 0), self.flips).transpose(1, 2, 0))

    def few(self, region: Region) -> tuple[float, NDArray[np.float32]]:
        """The brightest light of a region, and that of a few places of it."""
        if self.guides is not None:
            light = self.of(region)
            return float(light.max()), light[::FEW, ::FEW]
        stored = self.asked.read(region.flipped(self.asked.size, self.flips))
        decode = self.asked.curve.decode
        few = flipped(np.moveaxis(stored, -1, 0), self.flips)[:, ::FEW, ::FEW].transpose(1, 2, 0)
        return float(decode(stored.max())), np.maximum(np.asarray(decode(few), np.float32), 0)

    def strips(self) -> Iterator[tuple[Region, Region]]:
        """From top to bottom: what is measured in turn, and what is read for it."""
        h, w = self.asked.size
        for y in range(0, h, ROWS):
            strip = Region(y, 0, min(y + ROWS, h), w)
            yield strip, strip.grown(MARGIN).within((h, w))

    def each(self, of_strip: Callable[[Region, Region], T]) -> list[T]:
        """What is found on every strip, in order."""
        with ThreadPoolExecutor(ABREAST, thread_name_prefix="render") as pool:
            return list(pool.map(lambda pair: of_strip(*pair), self.strips()))


def _logarithm(light: NDArray[np.float32], floor: float) -> NDArray[np.float32]:
    return np.log(light + np.float32(floor))


# ---------------------------------------------------------------- the map, and how white it is


def _mean(plane: NDArray[np.float32], radius: int) -> NDArray[np.float32]:
    side = 2 * radius + 1
    return np.asarray(cv2.blur(plane, (side, side), borderType=cv2.BORDER_REFLECT))


def finest(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    """The finest diagonal detail of a plane, of sigma 1 for white noise of sigma 1."""
    return np.asarray(cv2.filter2D(np.ascontiguousarray(plane), cv2.CV_32F, DIAGONAL, borderType=cv2.BORDER_REFLECT))


def _coarser(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    halved = cv2.blur(np.ascontiguousarray(plane), (2, 2), borderType=cv2.BORDER_REFLECT)
    return np.asarray(cv2.filter2D(halved, cv2.CV_32F, COARSER, borderType=cv2.BORDER_REFLECT))


def noise_map(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    """Sigma of the noise of a plane (h, w) around every `EVERY`-th place of every `EVERY`-th row."""
    detail = np.abs(finest(plane))
    mean = _mean(detail, RADIUS)
    for _ in range(ROUNDS):
        mean = _mean(np.minimum(detail, np.float32(CUT) * mean), RADIUS)
    log = np.log(mean[::EVERY, ::EVERY] + np.float32(1e-6))
    (h, w), n = log.shape, AROUND // EVERY
    wide = np.pad(log, n, mode="symmetric")
    nine = np.stack([wide[y : y + h, x : x + w] for y in (0, n, 2 * n) for x in (0, n, 2 * n)])
    calm = np.ascontiguousarray(np.partition(nine, CALMEST, 0)[CALMEST])
    soft = cv2.GaussianBlur(calm, (0, 0), SOFT / EVERY, borderType=cv2.BORDER_REFLECT)
    return np.asarray(SIGMA_OF_MEAN * np.exp(soft), np.float32)


@dataclass(frozen=True, eq=False)
class _Found:
    """What was measured of light: floor and brightest, sigma of the logarithm by cell, how white it is, spectra."""

    curve: Curve
    size: tuple[int, int]
    floor: float
    top: float
    sigma: NDArray[np.float32]
    whiteness: float
    spectrum: NDArray[np.float32]
    cross: NDArray[np.float64]

    def print(self, base: NoisePrint) -> NoisePrint:
        """As a print; what is not measured here is that of ``base``."""
        usual = float(np.exp(np.mean(np.log(self.sigma))))
        one = ChannelNoise(False, sigma=usual, curve=self.curve, floor=self.floor, top=max(self.top, 1.0))
        grid = self.sigma / np.float32(usual)
        least, most = np.quantile(grid, ENDS)
        return replace(
            base,
            noise=(one,) * base.channels,
            white=False,
            spectrum=self.spectrum,
            cross=self.cross,
            evenness=self.whiteness,
            doubts=(),
            places=Places(grid, CELL, self.size, base.flips, BY_PLACE, float(most / least)),
            seems_joined=False,
        )


def _measured(light: _Light) -> _Found:
    h, w = size = light.asked.size
    floor, top = _range(light)
    skip = max(1, h * w // (SIDE * SIDE * MOST_BLOCKS))

    def of_strip(strip: Region, seen: Region) -> tuple[NDArray[np.float32], NDArray[np.float64], NDArray[np.float32]]:
        """Sigma by cell, power of detail at two scales, and spectra of blocks."""
        logarithm = _logarithm(light.of(seen), floor)
        grey, inside = logarithm.mean(2), strip.slices(seen)
        sigma = noise_map(grey)
        inner = slice((strip.y0 - seen.y0) // EVERY, (strip.y1 - seen.y0 + EVERY - 1) // EVERY)
        wide = cv2.resize(sigma, grey.shape[::-1])[inside]
        details = (of(grey)[inside] / wide for of in (finest, _coarser))
        power = np.array([np.minimum(d * d, ODD).sum(dtype=np.float64) for d in details])
        planes = np.tensordot(opponent_matrix(logarithm.shape[2]).astype(np.float32), logarithm[inside], (1, 2)) / wide
        return _by_cell(sigma[inner], strip), power, _blocks(planes)[::skip]

    cells, powers, spectra = zip(*light.each(of_strip), strict=True)
    sigma, power = np.concatenate(cells), np.sum(powers, 0)
    least, strong = np.quantile(sigma, (QUIETEST, STRONG))
    sigma = np.maximum(sigma, max(float(least), NO_LESS * float(strong), LEAST_SIGMA))  # black has none at all
    whiteness = float(np.sqrt(power[0] / max(power[1], 1e-9)))
    return _Found(light.asked.curve, size, floor, top, sigma, whiteness, *_spectra(np.concatenate(spectra)))


def _by_cell(plane: NDArray[np.float32], strip: Region) -> NDArray[np.float32]:
    """Means over cells of what covers a strip, at whatever scale."""
    size = -(-strip.width // CELL), -(-strip.height // CELL)
    return np.asarray(cv2.resize(plane, size, interpolation=cv2.INTER_AREA), np.float32)


def _range(light: _Light) -> tuple[float, float]:
    """What is added before the logarithm, and the brightest light."""
    total, count, top = 0.0, 0, 0.0
    for strip, _ in light.strips():
        brightest, few = light.few(strip)
        top = max(top, brightest)
        grey = luma(few)
        above = grey[grey > LEAST_LIGHT]
        total, count = total + float(np.log(above).sum(dtype=np.float64)), count + above.size
    return max(LEAST_FLOOR, FLOOR * float(np.exp(total / count)) if count else 0.0), top


def _blocks(planes: NDArray[np.float32]) -> NDArray[np.float32]:
    """(n, C, 64) spectra of all whole 8 x 8 blocks of planes (C, h, w)."""
    c, h, w = planes.shape
    rows, columns = h // SIDE, w // SIDE
    cut = planes[:, : rows * SIDE, : columns * SIDE].reshape(c, rows, SIDE, columns, SIDE)
    return np.asarray(cut.transpose(1, 3, 0, 2, 4).reshape(-1, c, SIDE * SIDE) @ DCT_2D.T.astype(np.float32))


def _spectra(blocks: NDArray[np.float32]) -> tuple[NDArray[np.float32], NDArray[np.float64]]:
    """Spectrum (C, 64) and cross-spectra (64, C, C) of opponent planes whose noise is about 1 everywhere.

    How noise falls over the frequencies is read from the colours, as texture is mostly grey; how strong it is in each
    plane from the highest frequencies of the calmer blocks.
    """
    channels = blocks.shape[1]
    noisy = (blocks[:, :, HIGH] ** 2).sum((1, 2)) > NO_NOISE * HIGH.sum()
    blocks = blocks[noisy] if noisy.any() else blocks
    energy = (blocks[:, 1:] ** 2).mean(1) if channels > 1 else blocks[:, 0] ** 2
    energy /= np.maximum(energy[:, EVEN].mean(1), 1e-9)[:, None]
    shape = np.median(energy, 0)  # of each block apart, for strong ones are edges
    shape[0] = (shape[1] + shape[8]) / 2
    for _ in range(2):
        smooth = ndi.gaussian_filter(shape.reshape(SIDE, SIDE), 0.8, mode="nearest")
        shape = ((smooth + smooth.T) / 2).ravel()
    shape = np.maximum(shape / shape[HIGH].mean(), 0.05)
    power = (blocks[:, :, HIGH] ** 2).mean(2).sum(1)
    calm = blocks[power <= np.quantile(power, CALM)][:, :, HIGH].transpose(0, 2, 1).reshape(-1, channels)
    strong = (calm**2).sum(1)
    calm = calm[strong <= np.quantile(strong, UNLIKE)].astype(float)
    covariance = calm.T @ calm / len(calm) * LIFT
    spectrum = np.maximum(np.diag(covariance)[:, None] * shape, 1e-6).astype(np.float32)
    return spectrum, covariance[None] * shape[:, None, None]


# ---------------------------------------------------------------- passes


def _white(asked: Asked, passes: Passes, name: str, flips: tuple[bool, bool], picture: _Found) -> Grid:
    """How white a pass is by place; 0 where its finest detail is next to nothing."""
    h, w = asked.size

    def powers(strip: Region, seen: Region) -> NDArray[np.float32]:
        """Mean squares (rows, columns, 2) of the finest detail and of that an octave lower, by cell."""
        asked.check()
        place = seen.flipped((h, w), flips)
        values = np.log(passes.albedo(place)) if name == ALBEDO else passes.of(name, place)
        planes = flipped(np.moveaxis(values, -1, 0), flips)
        inside = strip.slices(seen)
        found = [np.mean([of(p)[inside] ** 2 for p in planes], axis=0) for of in (finest, _coarser)]
        return np.stack([_by_cell(np.asarray(f, np.float32), strip) for f in found], -1)

    power = np.concatenate(_Light(asked, flips).each(powers))
    fine, coarse = (_softened(np.ascontiguousarray(power[..., k]), PASS_AROUND) for k in range(2))
    unseen = UNSEEN * picture.sigma
    white = np.where(fine < unseen**2, 0, np.sqrt(fine / np.maximum(coarse, 1e-12)))
    return Grid(_softened(white.astype(np.float32), PASS_SOFT), CELL, (h, w), flips)


def _softened(cells: NDArray[np.float32], sigma: float) -> NDArray[np.float32]:
    """Cells blurred by so many px."""
    found = cv2.GaussianBlur(cells, (0, 0), sigma / CELL, borderType=cv2.BORDER_REFLECT)
    return np.maximum(np.asarray(found, np.float32), 0)
