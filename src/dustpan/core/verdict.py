"""The verdict: four figures that say what a result is worth, from the picture before and after alone.

Noise left, halo height and edge width are measured directly. Texture kept has to tell texture from noise without
knowing either; `texture_kept` says how.
Every figure is validated against its version with truth in ``benchmarks/verdict.py``.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.colour import decode, luma
from dustpan.core.language import say
from dustpan.core.noise.blocks import DCT_2D
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.sharpen.halo_guard import largest, local_range

FLAT = 32  # px: side of a flat patch, the longest period that counts
UNEVEN = 0.25  # variance of the flattest patches, in noise units, from which they are not flat but texture
FLATTEST = 0.06  # share of the patches that noise is looked for in
BLOCK = 8
AT_A_TIME, ROWS = 16, 128  # rows of blocks, and of px, between two looks at whether judging was cancelled
PLACE = np.stack(np.divmod(np.arange(64), 8))
BAND = PLACE.max(0) >= 2  # periods of 2 to 8 px
NEAR = (np.abs(PLACE[:, :, None] - PLACE[:, None, BAND]).max(0) <= 1) & BAND[:, None]
NEIGHBOURS = (NEAR / NEAR.sum(0)).astype(np.float32)  # to the mean of a frequency and those beside it
HALO_RANGE = 0.1
RANGE_LOST, LOST_FROM = 0.4, 0.1  # sigma per share of the noise that is left, above which share
TEXTURE_FROM = 0.6  # band power of the cleaned input over that of the noise, from which a block is texture
SLOPE_SHARE = {True: 0.15, False: 0.6}  # by whether the noise is white; see `texture_kept`
FAINTEST = 16 * (1.5 / 255) ** 2  # band power of a block of the faintest texture that counts without noise
MOVED_FROM, CLIPPED_FROM = 1.0, 0.5  # percent from which a change of brightness is told, and explained
EDGES = 50
REACH = 12  # px on each side of an edge that its profile covers
Check = Callable[[], None]


@dataclass(frozen=True)
class Verdict:
    """Percent and px; None where a figure cannot be measured on this picture.

    Attributes
    ----------
    noise_left : flat-patch sigma after over before. texture_kept : share of the texture above the noise.
    halo_height : 99th percentile of what lies outside the cleaned input's local range, in percent of that range.
    edge_width_before, edge_width_after : median 10 to 90 % rise of the strongest isolated edges, px.
    mean_moved : of all channels together, in percent of the input's; of light, or of the stored values where the noise
        was added to these. Positive is brighter.
    clipped : of the input's values that are black, in percent.
    """

    noise_left: float | None
    texture_kept: float | None
    halo_height: float | None
    edge_width_before: float | None
    edge_width_after: float | None
    mean_moved: float | None = None
    clipped: float | None = None

    def worsens(self, without: Verdict) -> str:
        """What is worse here than in the verdict of the same sweep without a step; empty when nothing is.

        Some texture is the price of less noise, and some noise that of steeper edges; only more than that counts.
        """
        halo, noise, texture = (
            (getattr(without, n), getattr(self, n)) for n in ("halo_height", "noise_left", "texture_kept")
        )
        if None not in halo and halo[1] - halo[0] > 3:
            return say("halos {0:.0f} → {1:.0f} %", *halo)
        if None not in noise and noise[1] > 1.25 * noise[0] + 10:
            return say("noise {0:.0f} → {1:.0f} %", *noise)
        if None not in texture and texture[0] - texture[1] > 30:
            return say("texture {0:.0f} → {1:.0f} %", *texture)
        return ""

    def as_json(self) -> dict[str, float | None]:
        return {k: None if v is None else round(float(v), 3) for k, v in asdict(self).items()}

    def sentence(self) -> str:
        """The figures in one line."""
        return " · ".join(p for p in (*self.phrases(), self.brightness()) if p)

    def brightness(self) -> str:
        """By how much the mean moved and why; empty where brightness was held."""
        if self.mean_moved is None or abs(self.mean_moved) < MOVED_FROM:
            return ""
        if self.mean_moved < 0 and (self.clipped or 0) >= CLIPPED_FROM:
            words = "brightness {0:+.1f} %: noise clipped at black had raised the shadows ({1:.1f} % of the values)"
            return say(words, self.mean_moved, self.clipped)
        return say("brightness {0:+.1f} %", self.mean_moved)

    def phrases(self) -> tuple[str, str, str, str]:
        """Each figure with its name and unit; a dash for what cannot be measured."""
        widths = (_number(self.edge_width_before, 1), _number(self.edge_width_after, 1))
        return (
            say("noise left {0} %", _number(self.noise_left, 0)),
            say("texture kept {0} %", _number(self.texture_kept, 0)),
            say("halos {0} %", _number(self.halo_height, 1)),
            say("edges {0} → {1} px", *widths),
        )


def _number(value: float | None, digits: int) -> str:
    return "–" if value is None else f"{value:.{digits}f}"


def judge(
    before: NDArray[np.float32],
    after: NDArray[np.float32],
    cleaned: NDArray[np.float32],
    noise: NoisePrint,
    check: Check = lambda: None,
) -> Verdict:
    """Measure a result.

    Parameters
    ----------
    before, after : (H, W, C) encoded values of the input and of the result.
    cleaned : the input with its noise taken out; its range is what halos are measured against.
    noise : the print of ``before``.
    check : called every few ten ms; raises to cancel.
    """
    left = noise_left(before, after, cleaned, noise, check)
    check()
    y_before, y_after, y_clean = (luma(np.asarray(p, np.float32)) for p in (before, after, cleaned))
    kept = texture_kept(y_before, y_after, y_clean, noise, check)
    check()
    halo = halo_height(y_after, y_clean, noise, left, check)
    edges = find_edges(y_clean, check=check)
    widths = []
    for plane in (y_before, y_after):
        check()
        widths.append(edge_width(plane, edges))
    check()
    clipped = float(100 * np.count_nonzero(before <= 0) / before.size)
    return Verdict(left, kept, halo, widths[0], widths[1], mean_moved(before, after, noise, check), clipped)


def mean_moved(
    before: NDArray[np.float32], after: NDArray[np.float32], noise: NoisePrint, check: Check = lambda: None
) -> float | None:
    """How far a result's mean lies above the input's, in percent of it; None for a black input.

    Noise of light keeps the mean of the light, other noise that of the stored values.
    """
    sums = np.zeros(2)
    for y in range(0, len(before), ROWS):
        check()
        for k, pixels in enumerate((before, after)):
            shown = np.clip(pixels[y : y + ROWS], 0, 1)
            sums[k] += np.sum(shown if noise.noise[0].constant else decode(shown), dtype=np.float64)
    return float(100 * (sums[1] / sums[0] - 1)) if sums[0] > 1e-6 * before.size else None


# ---------------------------------------------------------------- noise left


def _patches(plane: NDArray, side: int, step: int) -> NDArray:
    """(ny, nx, side, side) view."""
    return sliding_window_view(plane, (side, side))[::step, ::step]


def flat_patches(
    before: NDArray, cleaned: NDArray, noise: NoisePrint, check: Check = lambda: None
) -> NDArray[np.bool_] | None:
    """Which 32 px patches on a lattice of 16 px of the input are flat; None when hardly any are.

    Ranked by the input's own unevenness first, whose noise hides faint structure, and among the flattest of these by
    that of the cleaned input.
    """
    h, w = before.shape[:2]
    if min(h, w) < FLAT:
        return None
    rough, fine = (_unevenness(p, noise, check) for p in (before, cleaned))
    level = _patches(luma(before), FLAT, 16)[:, :, ::4, ::4].mean((2, 3))
    inside = (level > 0.02) & (level < 0.98)
    if inside.sum() < 4:
        return None
    wanted = max(FLATTEST * inside.sum(), min(12, inside.sum()))
    usable = inside & (rough <= np.quantile(rough[inside], min(1.0, 2 * wanted / inside.sum())))
    flat = usable & (fine <= np.quantile(fine[usable], min(1.0, wanted / usable.sum())))
    return flat if np.median(fine[flat]) < UNEVEN else None


def _unevenness(pixels: NDArray, noise: NoisePrint, check: Check) -> NDArray[np.float32]:
    """Variance of the 4 px cells of every patch of the stabilised picture, summed over the planes."""
    h, w = pixels.shape[:2]
    cells = noise.stabiliser.cells(pixels, check)
    check()
    spread = np.sum([_patches(p, FLAT // 4, 4).var((2, 3)) for p in cells], axis=0)
    return spread[: (h - FLAT) // 16 + 1, : (w - FLAT) // 16 + 1]


def noise_left(
    before: NDArray, after: NDArray, cleaned: NDArray, noise: NoisePrint, check: Check = lambda: None
) -> float | None:
    """Flat-patch sigma after over before in percent, noise with periods of 2 to 32 px, all channels together."""
    flat = flat_patches(before, cleaned, noise, check)
    check()
    if flat is None or noise.strength < 0.25 / 255:
        return None
    a = _flat_power(before, flat)
    check()
    b = _flat_power(after, flat)
    return float(100 * np.sqrt(b / a)) if a > 1e-12 else None


def local_noise_left(before: NDArray, after: NDArray) -> float | None:
    """Noise left in percent within one flat patch (h, w, C); None where it is smaller than `FLAT` or without noise."""
    h, w = before.shape[:2]
    if min(h, w) < FLAT:
        return None
    flat = np.ones(((h - FLAT) // 16 + 1, (w - FLAT) // 16 + 1), bool)
    a, b = _flat_power(before, flat), _flat_power(after, flat)
    return float(100 * np.sqrt(b / a)) if a > (0.25 / 255) ** 2 else None


def _flat_power(pixels: NDArray, flat: NDArray[np.bool_]) -> float:
    """Power around each patch's own plane of best fit, averaged over the calmer patches."""
    grid = (np.arange(FLAT) - (FLAT - 1) / 2) / np.sqrt((FLAT**3 - FLAT) / 12)
    total = 0.0
    for c in range(pixels.shape[2]):
        p = _patches(np.asarray(pixels[..., c], np.float64), FLAT, 16)[: flat.shape[0], : flat.shape[1]][flat]
        p = p - p.mean((1, 2), keepdims=True)
        slope_x = np.einsum("nyx,x->n", p, grid) / np.sqrt(FLAT)
        slope_y = np.einsum("nyx,y->n", p, grid) / np.sqrt(FLAT)
        total += float(np.mean((p * p).sum((1, 2)) - slope_x**2 - slope_y**2))
    return total / (pixels.shape[2] * FLAT * FLAT)


# ---------------------------------------------------------------- texture kept


def luma_spectrum(noise: NoisePrint) -> NDArray[np.float64]:
    """(64,) shape of the luma noise over the frequencies of a block, mean 1."""
    p = np.asarray(noise.spectrum[0], float)
    return p / p.mean()


def texture_kept(
    before: NDArray, after: NDArray, cleaned: NDArray, noise: NoisePrint, check: Check = lambda: None
) -> float | None:
    """Share of the input's texture above the noise that is still in the result, in percent.

    Two estimates bracket the true share. The slope of result against input within pools of coefficients, weighted by
    their power above the noise, comes out low: pools that look strong are so by chance in part. The product with the
    cleaned input comes out high: what cleaning lost is not looked for. On white noise the second is nearly right, on
    correlated noise, which cleaning takes for texture more easily, the first (`SLOPE_SHARE`).

    Parameters
    ----------
    before, after, cleaned : (H, W) luma.
    """
    rows = (len(before) - BLOCK) // 4 + 1
    if min(before.shape) < 4 * BLOCK:
        return None
    sums = np.zeros(5)
    for first in range(0, rows, AT_A_TIME):
        check()
        last = min(first + AT_A_TIME, rows)
        own = slice(max(first - 1, 0), min(last + 1, rows))  # with neighbours to pool with
        x, y, template = (p[4 * own.start : 4 * (own.stop - 1) + BLOCK] for p in (before, after, cleaned))
        sums += _texture_sums(x, y, template, first - own.start, last - own.start, noise, check)
    count, kept, whole, pooled, texture = sums
    if count < 50:
        return None
    product, share = kept / whole, SLOPE_SHARE[noise.white] if texture > 0 else 0.0
    return float(100 * (product + share * (pooled / texture - product) if share else 100 * product))


def _texture_sums(
    before: NDArray, after: NDArray, cleaned: NDArray, first: int, last: int, noise: NoisePrint, check: Check
) -> NDArray[np.float64]:
    """What the texture blocks of the rows ``first`` to ``last`` of blocks add to the figure.

    Returns
    -------
    How many there are; their products of result and of input with the cleaned input; the slope of result against input,
    in pools of 3 x 3 blocks and frequencies, times the power above the noise, and that power.
    """
    x, y, template = (_block_spectra(p, check) for p in (before, after, cleaned))
    level = np.clip(_patches(cleaned, BLOCK, 4).mean((2, 3)), 0, 1)
    grid = np.linspace(0, 1, 65)
    sigma = np.interp(level, grid, noise.luminance_sigma(grid))
    variance, spectrum = (sigma * sigma).astype(np.float32), luma_spectrum(noise).astype(np.float32)
    band = template[..., BAND]
    texture = (band * band).sum(2) > np.maximum(TEXTURE_FROM * variance * spectrum[BAND].sum(), FAINTEST)
    texture[:first] = texture[last:] = False
    kept, whole = (float((band * p[..., BAND])[texture].sum()) for p in (y, x))
    check()
    in_x, in_xy, in_n = (_pooled(p, check)[texture] for p in (x * x, x * y, variance[..., None] * spectrum))
    excess = in_x - in_n
    slope = float((in_xy / np.maximum(in_x, 1e-12) * excess).sum())
    return np.array([texture.sum(), kept, whole, slope, float(excess.sum())])


def _block_spectra(plane: NDArray, check: Check) -> NDArray[np.float32]:
    """(ny, nx, 64) of the blocks on every fourth row and column."""
    check()
    blocks = _patches(plane, BLOCK, 4)
    return blocks.reshape(*blocks.shape[:2], 64).astype(np.float32) @ DCT_2D.T.astype(np.float32)


def _pooled(power: NDArray, check: Check) -> NDArray[np.float32]:
    """Means over 3 x 3 blocks and the neighbouring frequencies of the band: (ny, nx, 64) to (ny, nx, those)."""
    check()
    return np.asarray(ndi.uniform_filter(power @ NEIGHBOURS, (3, 3, 1), mode="nearest"), np.float32)


# ---------------------------------------------------------------- halo height


def halo_height(
    after: NDArray,
    cleaned: NDArray,
    noise: NoisePrint | None = None,
    left: float | None = None,
    check: Check = lambda: None,
) -> float | None:
    """99th percentile of how far the result lies outside the cleaned input's 7 x 7 range, in percent of that range.

    Noise that is left reaches out of the cleaned range by itself and is no halo: with a print and ``left``, the noise
    left in percent, the range is widened in proportion to it.
    """
    low, high = local_range(np.asarray(cleaned, np.float32))
    check()
    if noise is not None and left is not None:
        grid = np.linspace(0, 1, 65)
        share = RANGE_LOST * max(left / 100 - LOST_FROM, 0)
        lost = share * np.interp(np.clip(cleaned, 0, 1), grid, noise.luminance_sigma(grid))
        low, high = low - lost, high + lost
        check()
    span = high - low
    strong = span > HALO_RANGE
    if strong.sum() < 100:
        return None
    check()
    outside = np.maximum(np.maximum(after - high, low - after), 0)[strong] / span[strong]
    check()
    return float(100 * np.quantile(outside, 0.99))


# ---------------------------------------------------------------- edge width


@dataclass(frozen=True)
class Edge:
    """An isolated edge: its place, the unit normal (dy, dx) pointing to the bright side, its height."""

    y: float
    x: float
    dy: float
    dx: float
    height: float


def find_edges(cleaned: NDArray, count: int = EDGES, check: Check = lambda: None) -> list[Edge]:
    """The strongest isolated straight edges of a (H, W) luma plane: steps between two quiet sides."""
    h, w = cleaned.shape
    margin = REACH + 6
    if min(h, w) < 2 * margin + 4:
        return []
    smooth: NDArray = np.asarray(cleaned, np.float64)
    for axis in (0, 1):
        check()
        smooth = ndi.gaussian_filter1d(smooth, 1.0, axis)
    check()
    gy, gx = np.gradient(smooth)
    check()
    slope = np.hypot(gy, gx)
    check()
    peak = (slope == largest(slope, 7)) & (slope > 0.01)
    peak[:margin] = peak[-margin:] = False
    peak[:, :margin] = peak[:, -margin:] = False
    ys, xs = np.nonzero(peak)
    order = np.argsort(-slope[ys, xs], kind="stable")[:4000]
    found: list[Edge] = []
    for y, x in zip(ys[order], xs[order], strict=True):
        check()
        if any((y - e.y) ** 2 + (x - e.x) ** 2 < 16**2 for e in found):
            continue
        edge = Edge(float(y), float(x), gy[y, x] / slope[y, x], gx[y, x] / slope[y, x], 0.0)
        profile = edge_profile(smooth, edge)
        dark, bright = profile[: 2 * REACH - 6], profile[2 * REACH + 7 :]
        height = float(np.median(bright) - np.median(dark))
        if height > 0.06 and np.ptp(dark) < 0.25 * height and np.ptp(bright) < 0.25 * height:
            found.append(Edge(edge.y, edge.x, edge.dy, edge.dx, height))
            if len(found) == count:
                break
    return found


def edge_profile(plane: NDArray, edge: Edge) -> NDArray[np.float64]:
    """Values across an edge every half px from -REACH to REACH, averaged over 9 px along it."""
    t = np.arange(-2 * REACH, 2 * REACH + 1) / 2
    s = np.arange(-4, 5)[:, None]
    y = edge.y + t * edge.dy + s * edge.dx
    x = edge.x + t * edge.dx - s * edge.dy
    lines = ndi.map_coordinates(plane, [y, x], order=1, mode="nearest")
    return lines.mean(0)


def edge_width(plane: NDArray, edges: list[Edge]) -> float | None:
    """Median 10 to 90 % rise of these edges, in px."""
    if len(edges) < 5:
        return None
    widths = [w for w in (rise(edge_profile(plane, e)) for e in edges) if w is not None]
    return float(np.median(widths)) if len(widths) >= 5 else None


def rise(profile: NDArray) -> float | None:
    """10 to 90 % rise in px of a profile of `edge_profile`; None when it hardly rises."""
    low = float(np.median(profile[: 2 * REACH - 6]))
    high = float(np.median(profile[2 * REACH + 7 :]))
    if high - low < 0.02:
        return None
    v = (profile - low) / (high - low)
    middle = int(np.argmin(np.abs(v - 0.5)[REACH : 3 * REACH + 1])) + REACH
    return _crossing(v, middle, 0.9, 1) + _crossing(v, middle, 0.1, -1)


def _crossing(v: NDArray, start: int, level: float, way: int) -> float:
    """Distance in px from ``start`` to where the profile crosses the level, walking up or down."""
    i = start
    while 0 < i < len(v) - 1 and (v[i] < level if way > 0 else v[i] > level):
        i += way
    if i == start:
        return 0.0
    a, b = v[i - way], v[i]
    part = (level - a) / (b - a) if b != a else 0.0
    return (abs(i - way - start) + float(np.clip(part, 0, 1))) / 2
