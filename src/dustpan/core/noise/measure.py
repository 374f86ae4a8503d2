"""Measure the noise print from the picture alone.

The flattest blocks of every brightness give pairs of level and sigma. Two models are fitted to them, shot plus read
noise in linear light and one constant sigma, both seen through clipping and encoding (see `model`), and the one that
explains the pairs better is taken. Blocks are found twice: first on the picture, then on the stabilised picture, where
"flat" no longer prefers the dark. Correlated noise (demosaiced, compressed) is described by block spectra.

References
----------
[1] Foi et al., "Practical Poissonian-Gaussian noise modeling and fitting for single-image raw-data", IEEE TIP 2008.
[2] N. Ponomarenko et al., "An automatic approach to lossy compression of AVIRIS images", IGARSS 2007 (block DCT
    statistics for blind noise estimation).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma, opponent_matrix
from dustpan.core.curve import SRGB, Curve
from dustpan.core.fact import Asked, FactKind, Of
from dustpan.core.language import mark
from dustpan.core.noise.blocks import CELL, DCT_2D, HIGH, LOW, MIDDLE, RING, Blocks, cell_means, usual_power
from dustpan.core.noise.fit import NEAR_ENDS, OFF_ENDS, TINY, Observed, fit_constant, fit_shot, less_of, lies_within
from dustpan.core.noise.model import ChannelNoise
from dustpan.core.noise.noise_print import CLEAN_SIGMA, EVEN_FROM, EVEN_FULL, NoisePrint
from dustpan.core.noise.places import find_places
from dustpan.core.noise.rendered import is_rendered, measure_after, measure_rendered
from dustpan.core.noise.stabilise import Stabiliser, make_stabiliser
from dustpan.core.region import Region, flipped

SELECTION = 1.15  # the flattest blocks are also the quietest ones
MOST_MEASURED, SAMPLE_SIDE = 4_000_000, 256  # px
LEAST_SHARE, USUAL_SHARE = 0.1, 0.22  # power of correlated colour noise in that of luminance; 0.22 to 0.31 is usual
TEXTURED_SHARE = 0.35  # that it then gets; a little more than usual, because lost texture is worse than noise left
STEEPEST, SOUND_FROM = 1.3, 5  # that noise grows per ring of frequencies towards low ones; the ring that texture spares
INDEPENDENT = 0.5  # of the power that the differences of independent channels have; texture takes up to a quarter
SMALLEST = 48  # px: below this there are too few blocks to measure anything

Check = Callable[[], None]

# Chosen on the photographs of `benchmarks.noise_print`, cases A to C, unless a comment says where else from.
END = 0.01  # share of the lumas beyond the picture's range of tones, on either side
ALL_CLIPPED, LEAST_INSIDE = 0.97, 0.05  # shares of samples, and of blocks, from which nothing can be told
ROOT_FROM = 0.02  # encoded, added under the root that stands in for stabilising at the first look
FIRST_BLOCKS, MOST_BLOCKS = 4000, 8000  # looked at, at the first look and afterwards
FIRST_SHRINK, MOST_SHRUNK = 0.8, 0.6  # stored sigma that is left after a demosaic: before it is measured, and at least
PER_BIN, LEAST_PER_BIN, FEWEST_IN_BIN = 1200, 70, 30  # blocks of one brightness
FEW_BINS, MOST_BINS = (2, 6), 20  # brightnesses apart: of small pictures, and at most
FLATTEST_IN_BIN, FLATTEST_SHARE = 60, 0.12  # blocks of a brightness that are taken for flat: at least, and their share
FEWEST_FLAT, FEWEST_RISE, FEWEST_FINE = 300, 200, 600  # blocks that a spectrum, a ratio, a choice needs
FINEST_SHARE, UNCLIPPED, WITHOUT_MARKS = 0.06, 0.9, 0.95  # blocks for spectra: share, scale of the noise, less outliers
CALM_LEVELS, CALM_SHAPES = 0.3, 0.75  # quantiles over brightnesses that texture does not reach
WHITE_UP_TO, COLOUR_WHITE_UP_TO = 1.6, 2.0  # power at all over that at high frequencies, of white noise
MEAN_OVER_FIRST = 1.3  # power of a block's mean over that of the two frequencies beside it
CONSTANT_FIRST = 1.1  # a constant sigma is preferred up to so many times the error of shot noise
MOST_EVEN, FEWEST_EVEN, QUIETEST = 1200, 100, 0.02  # blocks, and the quantile of them, that evenness is told from
LUMA_OF_JPEG = (0.299, 0.587, 0.114)  # ITU-R BT.601


def sampled(pixels: NDArray, cell: int = 1) -> NDArray:
    """Whole tiles on an even lattice of a large picture, laid side by side; a picture of `MOST_MEASURED` px as it is.

    Noise needs no more to be known well, and the lattice is the same whenever the picture is measured.
    ``cell`` : px of the picture that each value stands for, across and down.
    """
    h, w = pixels.shape[:2]
    every, side = int(np.ceil(np.sqrt(h * w * cell**2 / MOST_MEASURED))), SAMPLE_SIDE // cell
    if every <= 1:
        return pixels
    rows, cols = (np.arange(0, n - side + 1, side * every) for n in (h, w))
    if len(rows) == 0 or len(cols) == 0:  # a strip thinner than a tile
        return pixels[:: 1 if h < w else every, :: every if h < w else 1]
    tiles = [[pixels[y : y + side, x : x + side] for x in cols] for y in rows]
    return np.concatenate([np.concatenate(row, 1) for row in tiles])


def sampled_of(asked: Asked, flips: tuple[bool, bool]) -> NDArray:
    """`sampled` of the pixels that are asked about, turned as ``flips`` say; no more of them is computed than that."""
    h, w = asked.size
    if h * w <= MOST_MEASURED or min(h, w) < SAMPLE_SIDE or asked.sample is not None:
        return sampled(turned(asked.pixels, flips))
    every = int(np.ceil(np.sqrt(h * w / MOST_MEASURED)))
    rows, cols = (range(0, n - SAMPLE_SIDE + 1, SAMPLE_SIDE * every) for n in (h, w))

    def tile(y: int, x: int) -> NDArray:
        asked.check()
        place = Region(y, x, y + SAMPLE_SIDE, x + SAMPLE_SIDE).flipped((h, w), flips)
        return turned(asked.read(place), flips)

    return np.concatenate([np.concatenate([tile(y, x) for x in cols], 1) for y in rows])


def measure(
    pixels: NDArray,
    check: Callable[[], None] = lambda: None,
    before: NoisePrint | None = None,
    curve: Curve = SRGB,
    whole: bool = True,
) -> NoisePrint:
    """Measure the noise of encoded pixels; of a large picture on the tiles of `sampled`.

    Parameters
    ----------
    pixels : (H, W, C) float array of encoded values, C is 1 or 3. Values outside 0..1 count as clipped.
    check : called now and then; raises to cancel.
    before : the print of what the pixels were made from, which spares the first look at them.
    curve : how the encoded values relate to light.
    whole : they are a whole picture, whose noise may differ by place, and no samples of one.

    Returns
    -------
    NoisePrint; its ``doubts`` say why when it cannot be sure.

    Examples
    --------
    >>> rng = np.random.default_rng(1)
    >>> found = measure((0.5 + 0.02 * rng.normal(size=(256, 256, 3))).astype(np.float32))
    >>> round(255 * found.strength), found.white
    (5, True)
    """
    flips = _heavier_first(pixels)
    places = before.places if before is not None else None
    if before is not None and (before.doubts or before.clean):
        before = None
    found = _measured(turned(pixels, flips), check, before, curve, whole)
    if found.places is not None:
        places = replace(found.places, flips=flips)
    return replace(found, flips=flips, curve=curve, places=places)


def turned(pixels: NDArray, flips: tuple[bool, bool]) -> NDArray:
    """(H, W, C) pixels upside down and left to right, as the print says."""
    return flipped(np.asarray(pixels).transpose(2, 0, 1), flips).transpose(1, 2, 0)


def _heavier_first(pixels: NDArray) -> tuple[bool, bool]:
    """Which way to turn a picture so that its upper and its left half are the brighter ones."""
    rows, columns = pixels.reshape(len(pixels), -1).mean(1), pixels.mean(0).mean(1)
    rows, columns = (np.nan_to_num(n).astype(float) for n in (rows, columns))
    first, last = zip(*((n[: len(n) // 2].sum(), n[::-1][: len(n) // 2].sum()) for n in (rows, columns)), strict=True)
    return bool(last[0] > first[0]), bool(last[1] > first[1])


def _measured(pixels: NDArray, check: Check, before: NoisePrint | None, curve: Curve, whole: bool) -> NoisePrint:
    seen = np.asarray(sampled(pixels), np.float32).transpose(2, 0, 1)
    planes = np.clip(seen, 0, 1, out=np.empty(seen.shape, np.float32))
    clipped = (np.count_nonzero(planes <= 0) / planes.size, np.count_nonzero(planes >= 1) / planes.size)
    luminance = luma(np.moveaxis(planes[:, ::4, ::4], 0, -1))
    tones = (float(np.quantile(luminance, END)), float(np.quantile(luminance, 1 - END)))
    usual = np.median(planes[:, ::8, ::8], axis=(1, 2)).astype(float)
    if min(planes.shape[1:]) < SMALLEST:
        return _unmeasured(usual, tones, clipped, mark("the picture is too small to tell noise from content"))
    if clipped[0] + clipped[1] > ALL_CLIPPED:
        return _unmeasured(usual, tones, clipped, mark("nearly all of it is clipped to black or white"))

    check()
    found, blocks = _fitted(planes, usual, tones, clipped, check, before, curve)
    if whole and before is None:
        found, blocks = _by_place(found, blocks, planes, pixels, check, curve)
    return replace(found, doubts=_doubts(blocks, found, known=before is not None))


def _by_place(
    found: NoisePrint, blocks: Blocks, planes: NDArray[np.float32], pixels: NDArray, check: Check, curve: Curve
) -> tuple[NoisePrint, Blocks]:
    """The print of a picture whose noise is not the same everywhere, where that is proven; it as it is otherwise."""
    places, joined = find_places(planes, pixels.transpose(2, 0, 1), found)
    found = replace(found, seems_joined=joined)
    if places is None:
        return found, blocks
    check()
    factor = sampled(places.of_cells(CELL)[..., None], CELL)[..., 0]
    again, blocks = _fitted(planes, found.usual, found.range, found.clipped, check, None, curve, factor)
    return replace(again, places=places, seems_joined=joined), blocks


def _fitted(
    planes: NDArray[np.float32],
    usual: NDArray,
    tones: tuple[float, float],
    clipped: tuple[float, float],
    check: Callable[[], None],
    before: NoisePrint | None,
    curve: Curve,
    factor: NDArray[np.float32] | None = None,
) -> tuple[NoisePrint, Blocks]:
    """The print but for its doubts, and the blocks that it was found on.

    factor : (h, w) that the noise of every cell is stronger by than the print is to say; None for 1.
    """
    levels = cell_means(planes)
    start: NDArray | NoisePrint | None = before
    if before is None:
        blocks = Blocks(np.sqrt(levels + np.float32(ROOT_FROM)), levels, FIRST_BLOCKS, factor=factor)
        check()
        noise, white, start = _fit(planes, blocks, FIRST_SHRINK, None, curve)
        check()
        stabiliser = make_stabiliser(noise)
    else:
        stabiliser, white = before.stabiliser, before.white
    if white:
        flat_on, shrink = _stabilised_cells(stabiliser, levels), 1.0
    else:  # where much is clipped to black, cells of stabilised pixels are not what stabilised cells are
        flat_on = stabiliser.cells(np.moveaxis(planes, 0, -1), check)
        shrink = _chroma_shrink(planes, _unclipped_flat(stabiliser, flat_on, factor)[0])
    check()
    blocks = Blocks(flat_on, levels, MOST_BLOCKS, wide=not white, factor=factor)
    noise, white, _ = _fit(planes, blocks, shrink, start, curve)
    check()
    channels = len(noise)
    if white:
        spectrum = np.ones((channels, 64), np.float32)
        cross = np.broadcast_to(np.eye(channels), (64, channels, channels)).copy()
    else:
        spectrum, cross = _spectra(make_stabiliser(noise), planes, levels, factor)
    even = _evenness(planes, blocks, noise)
    if not white and channels == 3 and even < EVEN_FULL:
        noise, spectrum, cross = _without_texture(noise, spectrum, cross)
        even = _evenness(planes, blocks, noise)
    rise = _rise(planes, blocks)
    return NoisePrint(noise, white, spectrum, cross, usual, tones, even, clipped, rise=rise), blocks


def _unmeasured(usual: NDArray, tones: tuple[float, float], clipped: tuple[float, float], why: str) -> NoisePrint:
    n = len(usual)
    noise = tuple(ChannelNoise(True, sigma=1e-4) for _ in range(n))
    eye = np.broadcast_to(np.eye(n), (64, n, n)).copy()
    return NoisePrint(noise, True, np.ones((n, 64), np.float32), eye, usual, tones, 1.0, clipped, (why,))


def _doubts(blocks: Blocks, found: NoisePrint, known: bool) -> tuple[str, ...]:
    """``known`` : there was noise of this kind before."""
    doubts = []
    inside = lies_within(blocks.level, NEAR_ENDS).any(0).mean()
    if inside < LEAST_INSIDE:
        doubts.append(mark("hardly any of it lies between black and white"))
    elif found.evenness < EVEN_FROM and found.strength > CLEAN_SIGMA:
        doubts.append(mark("it is texture nearly all over, which hides the noise"))
    elif not known and found.alike and found.clean and found.strength > CLEAN_SIGMA:
        doubts.append(mark("it is as weak and as grey as fine texture is"))
    return tuple(doubts)


# ---------------------------------------------------------------- levels and sigmas from flat blocks


def _observe(planes: NDArray, blocks: Blocks) -> tuple[Observed, bool]:
    """Per channel the levels and sigmas of the flattest blocks of every brightness; and whether the noise is white."""
    powers = [_power_by_level(plane, level, blocks) for plane, level in zip(planes, blocks.level, strict=True)]
    white = _is_white(planes, blocks, powers)
    if white:
        return [(m, np.sqrt(p[:, HIGH].mean(1))) for m, p in powers], True
    return [(m, _sigma_of_common_shape(p)) for m, p in powers], False


def _power_by_level(plane: NDArray, level: NDArray, blocks: Blocks) -> tuple[NDArray, NDArray]:
    bins = int(np.clip(len(level) // PER_BIN, np.clip(len(level) // LEAST_PER_BIN, *FEW_BINS), MOST_BINS))
    cuts = np.cumsum([len(part) for part in np.array_split(level, bins)])[:-1]
    groups = []
    for members in np.split(np.argpartition(level, cuts), cuts):
        if len(members) < FEWEST_IN_BIN and bins > FEW_BINS[0]:
            continue
        count = min(len(members) - 1, max(FLATTEST_IN_BIN, int(FLATTEST_SHARE * len(members))))
        groups.append(members[np.argpartition(blocks.score[members], count)[:count]] if count > 0 else members)
    squares = blocks.spectra(plane, np.concatenate(groups)) ** 2
    parts = np.split(squares, np.cumsum([len(flat) for flat in groups[:-1]]))
    return np.array([float(np.median(level[flat])) for flat in groups]), np.array([usual_power(p) for p in parts])


def _is_white(planes: NDArray, blocks: Blocks, powers: Sequence[tuple[NDArray, NDArray]]) -> bool:
    """White noise has as much power at middle as at high frequencies, and channels that know nothing of each other.

    Differences of channels then have that too, and the power of both.
    """
    ratio = [np.quantile(p[:, 1:].mean(1) / p[:, HIGH].mean(1), CALM_LEVELS) for _, p in powers]
    if np.median(ratio) >= WHITE_UP_TO:
        return False
    if len(planes) == 1:
        return True
    flat = blocks.flattest(max(FEWEST_FLAT, len(blocks) // 10))
    r, g, b = (blocks.spectra(p, flat) for p in planes)
    for difference in (r - b, r - 2 * g + b):  # chroma subsampling hides here
        power = usual_power(difference**2)
        if power[1:].mean() / power[HIGH].mean() >= COLOUR_WHITE_UP_TO:
            return False
    r, g, b = (s[:, HIGH] for s in (r, g, b))
    apart, each = (sum(usual_power(s**2).mean() for s in found) for found in ((r - g, g - b, b - r), (r, g, b)))
    return bool(apart >= 2 * INDEPENDENT * each)


def _rise(planes: NDArray, blocks: Blocks) -> float:
    """Power of the flattest blocks at high over that at low frequencies: 1 for white noise, more after sharpening."""
    inside: NDArray = np.all(lies_within(blocks.level, OFF_ENDS), axis=0)
    flat = blocks.flattest(max(FEWEST_RISE, len(blocks) // 20), inside if inside.sum() > FEWEST_RISE else None)
    power = usual_power(np.sum([blocks.spectra(p, flat) for p in planes], axis=0) ** 2)
    return float(power[HIGH].mean() / power[LOW].mean())


def _sigma_of_common_shape(power: NDArray) -> NDArray:
    """Sigma per level from one spectrum shape, scaled on the middle frequencies, which texture reaches least."""
    shapes = power / power[:, MIDDLE].mean(1, keepdims=True)
    calm = np.argsort(shapes[:, 1:].mean(1))[: max(3, int(np.ceil(CALM_SHAPES * len(shapes))))]
    shape = np.median(shapes[calm], axis=0)
    shape[0] = MEAN_OVER_FIRST * (shape[1] + shape[8]) / 2
    return np.sqrt(np.exp(np.log(power[:, MIDDLE] / shape[MIDDLE]).mean(1)) * shape.mean())


# ---------------------------------------------------------------- models


def _fit(
    planes: NDArray, blocks: Blocks, shrink: float, start: NDArray | NoisePrint | None, curve: Curve
) -> tuple[tuple[ChannelNoise, ...], bool, NDArray]:
    """The model of every channel, whether the noise is white, and where a fit on better blocks can start."""
    observed, white = _observe(planes, blocks)
    if isinstance(start, NoisePrint):
        start = less_of(start.noise, observed)
    shrink = 1.0 if white else shrink
    shot, shot_error, start = fit_shot(observed, shrink, start, curve)
    if white:
        constant, constant_error = zip(*(fit_constant(m, s) for m, s in observed), strict=True)
        if float(np.mean(constant_error)) < CONSTANT_FIRST * shot_error:
            return tuple(ChannelNoise(True, sigma=s, curve=curve) for s in constant), white, start
    return tuple(ChannelNoise(False, gain=a, read=b, shrink=shrink, curve=curve) for a, b in shot), white, start


# ---------------------------------------------------------------- spectra of correlated noise


def _stabilised_cells(stabiliser: Stabiliser, levels: NDArray) -> NDArray[np.float32]:
    """Cell means (C, h, w) of the channels to opponent planes of unit noise."""
    return stabiliser.stabilise(np.moveaxis(levels, 0, -1))


def _unclipped_flat(
    stabiliser: Stabiliser, cells: NDArray, factor: NDArray | None = None
) -> tuple[tuple[Blocks, NDArray], NDArray]:
    """Flat blocks of stabilised cells in which no channel is clipped, and the noise scale (n, C) in them."""
    blocks = Blocks(cells, cells, MOST_BLOCKS, factor=factor)
    channels = opponent_matrix(len(cells)).T @ blocks.level
    last = stabiliser.scale.shape[1] - 1
    at = np.clip((channels * stabiliser.scale_step).astype(int), 0, last)
    scale = np.stack([stabiliser.scale[c][at[c]] for c in range(len(at))], 1)
    lowest = scale.min(1)
    fine = lowest > UNCLIPPED
    if fine.sum() < FEWEST_FINE:
        share = max(LEAST_INSIDE, min(1.0, FEWEST_FINE / len(lowest)))
        fine = lowest >= np.quantile(lowest, 1 - share)
    chosen = blocks.flattest(max(FEWEST_FLAT, int(FINEST_SHARE * fine.sum())), fine, blocks.score / (scale**2).mean(1))
    return (blocks, chosen), scale[chosen]


def _spectra(
    stabiliser: Stabiliser, planes: NDArray[np.float32], levels: NDArray, factor: NDArray | None = None
) -> tuple[NDArray[np.float32], NDArray]:
    """Block spectra (C, 64) and cross-spectra (64, C, C) of the noise of the opponent planes."""
    (blocks, chosen), scale = _unclipped_flat(stabiliser, _stabilised_cells(stabiliser, levels), factor)
    weight = scale**2 @ (opponent_matrix(len(planes)) ** 2).T
    cut = np.stack([blocks.cut(p, chosen).reshape(1, -1) for p in planes], -1)
    opponent = stabiliser.stabilise(cut).reshape(len(planes), -1, DCT_2D.shape[1])
    coefficients = (opponent @ DCT_2D.T.astype(np.float32)).transpose(1, 0, 2) / np.sqrt(weight)[:, :, None]
    if blocks.factor is not None:
        coefficients = coefficients / blocks.factor[chosen][:, None, None]
    power = SELECTION * np.stack([usual_power(coefficients[:, c] ** 2) for c in range(len(planes))])
    power[:, 0] = MEAN_OVER_FIRST * (power[:, 1] + power[:, 8]) / 2
    energy = (coefficients[:, :, 1:] ** 2 / power[None, :, 1:]).mean((1, 2))
    usual = coefficients[energy <= np.quantile(energy, WITHOUT_MARKS)].transpose(2, 1, 0)
    cross = usual @ usual.transpose(0, 2, 1) / usual.shape[2]
    cross[0] = (cross[1] + cross[8]) / 2
    d = np.sqrt(np.maximum(np.einsum("fcc->fc", cross), TINY))
    root = np.sqrt(power.T)
    return power.astype(np.float32), cross / (d[:, :, None] * d[:, None, :]) * (root[:, :, None] * root[:, None, :])


def _without_texture(
    noise: tuple[ChannelNoise, ...], spectrum: NDArray[np.float32], cross: NDArray
) -> tuple[tuple[ChannelNoise, ...], NDArray[np.float32], NDArray]:
    """The same print with no more luminance noise than its own middle frequencies and the colour noise speak for.

    In a picture that is texture all over no block is flat. Texture is mostly grey and coarse: it shows as luminance
    that is strong for the colour noise there is, and rises more steeply towards low frequencies than noise does that
    demosaicing and compression have softened. Without colour noise nothing can be told, and the print stays.
    """
    powers = spectrum.mean(1)
    if not LEAST_SHARE < powers[1:].mean() / powers[0] < USUAL_SHARE:
        return noise, spectrum, cross
    keep = np.ones_like(spectrum)
    last = spectrum[0, RING == SOUND_FROM].mean()
    for ring in range(SOUND_FROM - 1, -1, -1):
        here = ring == RING
        mean = spectrum[0, here].mean()
        last = min(mean, STEEPEST * last)
        keep[0, here] = last / mean
    most = powers[1:].mean() / TEXTURED_SHARE
    keep[0] *= min(1.0, most / (spectrum[0] * keep[0]).mean())
    whole = float((spectrum * keep).sum() / spectrum.sum())
    calmer = tuple(replace(c, sigma=c.sigma * whole**0.5, gain=c.gain * whole, read=c.read * whole) for c in noise)
    root = np.sqrt(keep.T / whole)
    return calmer, spectrum * keep / np.float32(whole), cross * root[:, :, None] * root[:, None, :]


def _chroma_shrink(planes: NDArray, flat: tuple[Blocks, NDArray]) -> float:
    """What demosaicing and chroma subsampling left of the stored sigma: spectra of red and blue against luma's."""
    if len(planes) == 1:
        return 1.0
    blocks, chosen = flat
    bands = [blocks.spectra(p, chosen) for p in planes]
    red, green, blue = LUMA_OF_JPEG
    y = usual_power((red * bands[0] + green * bands[1] + blue * bands[2]) ** 2)
    ratios = []
    for band in (bands[0], bands[2]):
        power = usual_power(band**2)
        whole = np.maximum(power, np.median(power[LOW] / y[LOW]) * y)
        ratios.append(np.sqrt(power[1:].mean() / whole[1:].mean()))
    return float(np.clip(np.mean(ratios), MOST_SHRUNK, 1.0))


# ---------------------------------------------------------------- is it noise


def _evenness(planes: NDArray, blocks: Blocks, noise: Sequence[ChannelNoise]) -> float:
    """Middle-frequency power of the quietest 2 % of the blocks relative to the print.

    Noise is in every block, so this is 0.45 to 0.75 when the print is noise; texture is not, so it is below 0.3 then.
    """
    found = []
    for plane, level, channel in zip(planes, blocks.level, noise, strict=True):
        inside = np.flatnonzero(lies_within(level, OFF_ENDS))
        inside = inside[:: max(1, len(inside) // MOST_EVEN)]
        if len(inside) >= FEWEST_EVEN:
            power = (blocks.spectra(plane, inside, MIDDLE) ** 2).mean(1)
            found.append(np.quantile(power / channel.sigma_at(level[inside]) ** 2, QUIETEST))
    return float(np.mean(found)) if found else 1.0


# ---------------------------------------------------------------- as a fact

DRAFT_LEAVES = 0.3  # of the noise, at least: more than an exact result does


def _measure_asked(asked: Asked) -> NoisePrint:
    if isinstance(asked.before, NoisePrint) and asked.before.in_proportion:
        return measure_after(asked, asked.before)
    whole = asked.sample is None
    if whole and is_rendered(asked):
        rendered = measure_rendered(asked, measure(asked.pixels, asked.check, asked.before, asked.curve, False))
        if rendered is not None:
            return rendered
    found = measure(asked.pixels, asked.check, asked.before, asked.curve, whole)
    return replace(found, any_strength=asked.scale is not None and asked.scale.from_sky)


def _for_a_draft(last: NoisePrint | None, own: NoisePrint) -> NoisePrint:
    """A draft leaves more than an exact result: the last that was measured, unless the picture's own says more."""
    return last if last and last.strength >= DRAFT_LEAVES * own.strength else own.times(DRAFT_LEAVES)


NOISE_PRINT = FactKind("noise print", _measure_asked, draft=_for_a_draft, as_json=NoisePrint.as_json, handed_on=True)
PICTURE_PRINT = replace(NOISE_PRINT, of=Of.PICTURE)
