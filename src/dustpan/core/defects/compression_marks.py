"""The step Compression marks: blocks, ringing and blurred colour that a JPEG's quantisation left.

The steps of every coefficient are known from the file; that the picture still lies on them is checked before anything
is changed. How wrong a coefficient is expected to be follows from its index: a twelfth of the step squared where that
is not 0, and where it is, the variance of a Laplacian inside the step, fitted to the indices of blocks that are alike
in activity. That makes the quantisation a noise with a covariance of its own and a strength of its own at every place,
and the picture is estimated from groups of alike patches under it. What comes out is drawn back into the steps that the
file names, so that every coefficient could have been stored as it was.

References
----------
[1] ITU-T T.81: the quantisation of JPEG.
[2] J. R. Price, M. Rabbani, "Biased reconstruction for JPEG decoding", IEEE Signal Processing Letters 6(12), 1999.
[3] M. Lebrun, A. Buades, J.-M. Morel, "A nonlocal Bayesian image denoising algorithm", SIAM J. Imaging Sci. 6(3), 2013.
[4] A. Zakhor, "Iterative procedures for reduction of blocking effects", IEEE Trans. CSVT 2(1), 1992: the projection.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi
from scipy.fft import dctn, idctn

from dustpan.core.defects import older_tables, resized
from dustpan.core.defects.blocky_patches import SEARCH, SIDE, bayes
from dustpan.core.fact import Asked, FactKind, Scope
from dustpan.core.hits import Hits
from dustpan.core.language import mark, say
from dustpan.core.noise.sliding_dct import sliding_dct
from dustpan.core.params import Params, number, switch
from dustpan.core.region import Region
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import StepKind

SMALLER = ((1, 1), (2, 2), (1, 2), (2, 1))  # that colours may be stored, down and across
BLOCK, UNIT = 8, 16  # px of a block, and of the blocks of brightness that share one of colour
TO_YCC = np.array([[0.299, 0.587, 0.114], [-0.168736, -0.331264, 0.5], [0.5, -0.418688, -0.081312]], np.float32)
FROM_YCC = np.linalg.inv(TO_YCC.astype(float)).astype(np.float32)
FITS, SEEN, ENOUGH = 0.14, 0.75, 60  # steps off on average (a quarter by chance), indices from, and how many of them
SEAMS = 0.5  # how much blocks of a smooth picture may vary inside, of those that lie between the seams
NEARLY = ((0, 0), (0, -1), (0, 1), (-1, 0), (1, 0))  # px
LARGER_FITS = 0.17  # steps off, of a picture that was made smaller and large again
OLDER = 1.3  # times the steps of the file, from which on those of an older one count
COARSER = 2.3  # 255ths, the mean of the lowest nine steps
CLASSES = 6  # of activity
SAMPLE, LOOKED_AT = 3_000_000, 600_000  # px that statistics are taken from, and that an older JPEG is looked for in
PILOT, PILOT_WITHIN, WITHIN = 0.5, 0.3, 0.5  # of a step: threshold of the first estimate; how far results may go
SHARPER = 5  # rounds that undo the blur of colours that were enlarged and reduced again
AROUND = {"pilot": 8, "patches": SIDE + 2 * SEARCH + SIDE}  # px of a plane
SPARE = 8  # px of a colour plane that `SHARPER` reads beyond
LEAST_SCALE = 0.05
Plane = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Steps:
    """How one plane was quantised, and how wrong that left it.

    table : (8, 8) steps in 255ths. edges : of the activity classes. zero : (classes, 8, 8) expected squared error where
    an index is 0. mean : (8, 8) over the picture. covariance : (16, 16) of the error of a 4 x 4 patch.
    """

    table: Plane
    edges: NDArray
    zero: Plane
    mean: Plane
    covariance: Plane


@dataclass(frozen=True, eq=False)
class Quantised:
    """What is known about a picture's compression.

    off : how far coefficients are from the file's steps, in steps, on average; None where too few are not 0.
    planes : brightness and, where they are proven as well, the two colours; empty when nothing is proven.
    smaller : how much smaller colours are stored, down and across. origin : (y, x) where the grid of blocks begins.
    older : told from the picture and not from its file. size : that it was stored with, where that was larger.
    """

    off: float | None = None
    planes: tuple[Steps, ...] = ()
    smaller: tuple[int, int] = (1, 1)
    origin: tuple[int, int] = (0, 0)
    older: bool = False
    size: tuple[int, int] | None = None

    @property
    def step(self) -> float:
        """The mean of the nine lowest steps of brightness, in 255ths."""
        return older_tables.coarseness(self.planes[0].table) if self.planes else 0.0


class CompressionParams(Params):
    """What is cleaned."""

    coarser: float = number(
        COARSER, 1, 100, label="From a step of", unit="of 255",
        help="JPEGs whose steps at low frequencies are finer than this on average are good ones and left alone.",
    )  # fmt: skip
    brightness: bool = switch(True, label="Brightness", help="Blocks and ringing are taken out of the brightness.")
    colour: bool = switch(True, label="Colour", help="Blocks and bleeding are taken out of the colours.")


# -------------------------------------------------------------- blocks


def _spectra(plane: Plane) -> Plane:
    """(rows, columns, 8, 8) coefficients of the blocks of a plane (0 to 255) whose sides are multiples of 8."""
    h, w = plane.shape
    blocks = (plane - 128).reshape(h // BLOCK, BLOCK, w // BLOCK, BLOCK).transpose(0, 2, 1, 3)
    return np.asarray(dctn(blocks, axes=(2, 3), norm="ortho"), np.float32)


def _plane(spectra: Plane) -> Plane:
    """Undoes `_spectra`."""
    n, m = spectra.shape[:2]
    blocks = np.asarray(idctn(spectra, axes=(2, 3), norm="ortho"), np.float32)
    return np.ascontiguousarray(blocks.transpose(0, 2, 1, 3)).reshape(n * BLOCK, m * BLOCK) + 128


def _drawn_back(plane: Plane, index: Plane, table: Plane, within: float) -> Plane:
    """The nearest plane whose coefficients lie within this share of a step of the file's own."""
    return _plane(np.clip(_spectra(plane), (index - within) * table, (index + within) * table))


def _as_stored(colour: Plane, smaller: tuple[int, int]) -> Plane:
    """A colour as it was stored, from the picture's size: the decoder's linear enlargement undone."""
    down, across = smaller
    h, w = colour.shape
    small = np.ascontiguousarray(colour.reshape(h // down, down, w // across, across).mean((1, 3), dtype=np.float32))
    for axis, factor in enumerate(smaller):
        if factor == 1:
            continue
        seen = small
        for _ in range(SHARPER):
            again = ndi.correlate1d(small, np.array([1, 6, 1]) / 8, axis=axis, mode="nearest")
            small = small + (seen - again)
    return np.asarray(small, np.float32)


def _enlarged(small: Plane, smaller: tuple[int, int]) -> Plane:
    """Linear, as decoders enlarge colours; sides are repeated."""
    for axis, factor in enumerate(smaller):
        if factor == 2:
            n = small.shape[axis]
            before = np.take(small, np.maximum(np.arange(n) - 1, 0), axis)
            after = np.take(small, np.minimum(np.arange(n) + 1, n - 1), axis)
            both = np.stack([0.75 * small + 0.25 * before, 0.75 * small + 0.25 * after], axis + 1)
            small = both.reshape(*(2 * s if a == axis else s for a, s in enumerate(small.shape)))
    return np.asarray(small, np.float32)


def _of_ycc(pixels: Plane, c: int) -> Plane:
    """Brightness (0) or a colour, 0 to 255, of pixels (h, w, C) from 0 to 1."""
    scaled = pixels * np.float32(255)
    if pixels.shape[2] == 1:
        return np.ascontiguousarray(scaled[..., 0])
    return _mixed(scaled, TO_YCC[c : c + 1])[..., 0] + np.float32(128 if c else 0)


def _ycc(pixels: Plane) -> Plane:
    """Brightness and colours of pixels, see `_of_ycc`."""
    return np.stack([_of_ycc(pixels, c) for c in range(pixels.shape[2])], -1)


def _mixed(planes: Plane, matrix: Plane) -> Plane:
    """Every pixel times a matrix (n, 3), summed in the same order whatever the shape."""
    return np.asarray(sum(planes[..., k, None] * matrix[:, k] for k in range(3)), np.float32)


# -------------------------------------------------------------- what is known


def _off(spectra: Plane, table: Plane) -> float | None:
    """How far coefficients are from whole steps on average; None where too few are large enough to tell."""
    index = spectra / table
    index[..., 0, 0] = 0  # the mean of a block
    index = index[np.abs(index) > SEEN]
    return float(np.abs(index - np.rint(index)).mean()) if index.size > ENOUGH else None


def _within_blocks(spectra: Plane) -> float:
    """How much blocks vary inside: of a smooth picture next to nothing, as all that changes is at their seams."""
    return float(np.mean(np.square(spectra).sum((2, 3)) - spectra[..., 0, 0] ** 2)) + 1e-9


def _brightness(strips: list[Plane]) -> Plane:
    """(n, 1, 8, 8) coefficients of all blocks of strips."""
    return np.concatenate([_spectra(s[..., 0]).reshape(-1, 1, BLOCK, BLOCK) for s in strips])


def _activity(index: Plane) -> NDArray:
    return np.asarray((index != 0).sum((2, 3)))


def _error_where_zero(index: Plane, table: Plane) -> Plane:
    """(8, 8) expected squared error of coefficients whose index is 0, from those (n, 8, 8) of alike blocks.

    The scale of a Laplacian follows from the mean of |index|; where hardly any is not 0 it is carried on from lower
    frequencies by a power law.
    """
    radius = np.log(np.hypot(*np.mgrid[:BLOCK, :BLOCK]) + 0.5)
    mean = (np.abs(index).sum(0, dtype=float) + 1e-9) / len(index)
    z = (np.sqrt(1 + 4 * mean * mean) - 1) / (2 * mean)
    log_scale = np.log(table / 2 / -np.log(np.clip(z, 1e-6, 1 - 1e-6)))
    seen = np.clip((index != 0).sum(0) / 20 - 0.25, 0, 1) * np.clip(mean / 0.03, 0, 1)
    seen[0, 0] = 0
    if (seen > 0.1).sum() > 3:
        slope, start = np.polyfit(radius.ravel(), log_scale.ravel(), 1, w=np.sqrt(seen).ravel())
        fit = start + min(slope, -0.8) * radius
    else:
        fit = np.log(table.min() / 4) - 1.2 * (radius - radius[0, 1])
    a = table / 2 / np.exp(seen * log_scale + (1 - seen) * fit)
    share = (2 / a**2 - np.exp(-a) * (1 + 2 / a + 2 / a**2)) / np.maximum(1 - np.exp(-a), 1e-9)
    return np.asarray(np.minimum(share, 1 / 3) * table**2 / 4, np.float32)


def _expected_error(index: Plane, edges: NDArray, zero: Plane, table: Plane) -> Plane:
    """(rows, columns, 8, 8) expected squared error of every coefficient, with that of the rounding to bytes."""
    classes = np.searchsorted(edges, _activity(index), side="left")
    error = np.where(index == 0, zero[classes], table**2 / 12)
    error[..., 0, 0] = table[0, 0] ** 2 / 12
    return np.asarray(error + 1 / 12, np.float32)


def _patch_covariance(mean: Plane) -> Plane:
    """(16, 16) covariance of an error with these mean squares by frequency, over the places of a patch on the grid."""
    n = np.arange(BLOCK)
    basis = np.sqrt(np.where(n == 0, 1, 2) / BLOCK)[:, None] * np.cos(np.pi * n[:, None] * (2 * n + 1) / (2 * BLOCK))
    waves = np.einsum("ua,vb->uvab", basis, basis)
    block = np.einsum("uvab,uv,uvcd->abcd", waves, mean.astype(float), waves)
    total = np.zeros((SIDE,) * 4)
    for y, x in ((np.arange(SIDE) + i, np.arange(SIDE) + j) for i in range(BLOCK) for j in range(BLOCK)):
        rows, columns = y // BLOCK, x // BLOCK
        same = (rows[:, None] == rows)[:, None, :, None] & (columns[:, None] == columns)[None, :, None, :]
        total += block[np.ix_(y % BLOCK, x % BLOCK, y % BLOCK, x % BLOCK)] * same
    return (total / BLOCK**2).reshape(SIDE**2, SIDE**2).astype(np.float32)


def _steps(spectra: Plane, table: Plane) -> Steps:
    index = np.rint(spectra / table)
    activity = _activity(index)
    edges = np.unique(np.quantile(activity, np.linspace(0, 1, CLASSES + 1)[1:-1]))
    classes = np.searchsorted(edges, activity, side="left")
    alike = [index[classes == c] for c in range(len(edges) + 1)]
    zero = np.stack([_error_where_zero(own if len(own) else index.reshape(-1, 8, 8), table) for own in alike])
    mean = np.asarray(_expected_error(index, edges, zero, table).mean((0, 1)), np.float32)
    return Steps(table, edges, zero, mean, _patch_covariance(mean))


def _sampled(asked: Asked, origin: tuple[int, int], most: int = SAMPLE) -> list[Plane]:
    """Strips of whole units of the picture, at most about so many px."""
    h, w = asked.size
    y0, x0 = origin
    rows, columns = (h - y0) // UNIT, (w - x0) // UNIT
    wanted = min(rows, max(1, most // (UNIT * UNIT * max(columns, 1))))
    each = 8  # units a strip: colours need what is above and below
    strips = max(1, wanted // each)
    starts = np.unique(np.linspace(0, max(rows - each, 0), strips).astype(int))
    found = []
    for s in starts:
        asked.check()
        top, bottom = y0 + UNIT * int(s), y0 + UNIT * min(int(s) + each, rows)
        found.append(_ycc(asked.read(Region(top, x0, bottom, x0 + UNIT * columns))))
    return found


def _measure(asked: Asked) -> Quantised:
    """By the tables of an older, coarser JPEG where such a one shows in the picture; else by those of the file."""
    if min(asked.size) < 2 * UNIT:
        return Quantised()
    told = _by_file(asked)
    found = _by_picture(asked, OLDER * told.step)
    if found is None and told.step <= COARSER:  # one that is coarse itself says enough
        found = _by_larger(asked, OLDER * told.step)
    return found or told


def _by_larger(asked: Asked, coarser_than: float) -> Quantised | None:
    """The quantisation of a larger JPEG that was made smaller; None where none is proven."""
    h, w = asked.size
    if min(h, w) < resized.LEAST:
        return None
    top = _of_ycc(asked.read(Region(0, 0, min(h, max(resized.LEAST, SAMPLE // w)), w)), 0)
    near = resized.stored_size(top, asked.size, asked.check)
    if near is None:
        return None
    for down, across in NEARLY:  # seams tell it to a pixel
        size = near[0] + down, near[1] + across
        found = _by_picture(_larger(asked, size), coarser_than, LARGER_FITS)
        if found and found.origin == (0, 0):
            return replace(found, size=size)
    return None


def _larger(asked: Asked, size: tuple[int, int]) -> Asked:
    """The same picture at another size."""

    def read(region: Region) -> Plane:
        need = resized.read_for(region, asked.size, size)
        seen = asked.read(need)
        planes = [np.ascontiguousarray(seen[..., c], np.float32) for c in range(seen.shape[2])]
        larger = [resized.resampled(p, need, asked.size, region, size) for p in planes]
        return np.clip(np.stack(larger, -1), 0, 1)

    return replace(asked, size=size, read=read, sample=None)


def _by_file(asked: Asked) -> Quantised:
    tables = [np.array(t, np.float32).reshape(BLOCK, BLOCK) for t in asked.quantisation.values()]
    if not tables:
        return Quantised()
    h, w = asked.size
    found: list[tuple[float, tuple[int, int], bool]] = []
    smooth: list[tuple[float, tuple[int, int], bool]] = []
    for origin in sorted({(y, x) for y in (0, h % UNIT) for x in (0, w % UNIT)}):  # a picture may have been turned
        spectra = _brightness(_sampled(asked, origin))
        smooth.append((_within_blocks(spectra), origin, False))
        for turned in (False, True):
            off = _off(spectra.copy(), tables[0].T if turned else tables[0])
            if off is not None:
                found.append((off, origin, turned))
    off, origin, turned = min(found or smooth)
    y, x = origin
    if found and off > FITS:
        return Quantised(off)
    between = (y + BLOCK // 2, x + BLOCK // 2)
    if not found and off > SEAMS * _within_blocks(_brightness(_sampled(asked, between))):
        return Quantised()
    own = [t.T if turned else t for t in tables]
    strips = _sampled(asked, origin)
    planes, smaller = [_steps(_brightness(strips), own[0])], (1, 1)
    known = asked.sampling
    if strips[0].shape[2] == 3 and known in SMALLER:
        smaller = known[::-1] if turned else known
        planes += _colours(strips, own[min(1, len(own) - 1)], smaller)
    return Quantised(off if found else None, tuple(planes), smaller, origin)


def _by_picture(asked: Asked, coarser_than: float, fits: float = older_tables.FITS) -> Quantised | None:
    """The quantisation of a JPEG that the picture once was; None where none is proven."""
    sampled = _sampled(asked, (0, 0), LOOKED_AT)
    whole, mono = [s[..., 0] for s in sampled], sampled[0].shape[2] < 3

    def at(origin: tuple[int, int]) -> Plane:
        asked.check()
        cut = [s[origin[0] :, origin[1] :] for s in whole]
        cut = [s[: len(s) // BLOCK * BLOCK, : s.shape[1] // BLOCK * BLOCK] for s in cut]
        return np.concatenate([_spectra(s).reshape(-1, 1, BLOCK, BLOCK) for s in cut if s.size])

    found = older_tables.found(at, coarser_than, fits)
    if found is None:
        return None
    off, quality, (y, x) = found
    own = older_tables.tables(quality)
    if mono:
        return Quantised(off, (_steps(_brightness(_sampled(asked, (y, x))), own[0]),), (1, 1), (y, x), True)
    tried = []
    for smaller in ((1, 1), (2, 2), (1, 2)):  # blocks of colours that are stored smaller begin at every second one
        for oy in range(y, y + BLOCK * smaller[0], BLOCK):
            for ox in range(x, x + BLOCK * smaller[1], BLOCK):
                by_colour = _colour_fits(_sampled(asked, (oy, ox), LOOKED_AT), own[1], smaller)
                tried.append((by_colour, smaller, (oy, ox)))
    by_colour, smaller, origin = min(tried)
    strips = _sampled(asked, origin)
    planes = [_steps(_brightness(strips), own[0])]
    if by_colour < FITS:
        planes += _colours(strips, own[1], smaller)
    return Quantised(off, tuple(planes), smaller, origin, True)


def _colour_spectra(strips: list[Plane], c: int, smaller: tuple[int, int]) -> Plane:
    """(n, 1, 8, 8) coefficients of a colour as it was stored."""
    small = [_as_stored(s[..., c], smaller) for s in strips]
    inner = [s[BLOCK:-BLOCK] if len(s) >= 3 * BLOCK else s for s in small]  # undoing reads beyond the strip
    return np.concatenate([_spectra(s).reshape(-1, 1, BLOCK, BLOCK) for s in inner])


def _colour_fits(strips: list[Plane], table: Plane, smaller: tuple[int, int]) -> float:
    """How far the colours are from whole steps on average; a quarter where that cannot be told."""
    off = _off(np.concatenate([_colour_spectra(strips, c, smaller) for c in (1, 2)]), table)
    return 0.25 if off is None else off


def _colours(strips: list[Plane], table: Plane, smaller: tuple[int, int]) -> list[Steps]:
    """How the colours were quantised; none where they do not lie on the file's steps."""
    spectra = [_colour_spectra(strips, c, smaller) for c in (1, 2)]
    off = _off(np.concatenate(spectra), table)
    return [] if off is not None and off > FITS else [_steps(s, table) for s in spectra]


QUANTISED = FactKind("quantised", _measure, scope=Scope.WHOLE)

# -------------------------------------------------------------- taking out


@dataclass(frozen=True)
class _Window:
    """The part of a plane that a region needs, in whole units of the grid, and how it lies in the picture.

    ``region`` : in px of the picture, perhaps beyond it. ``smaller`` : of the plane.
    """

    region: Region
    smaller: tuple[int, int]

    def read(self, pixels: Plane, have: Region) -> Plane:
        """(h, w, ...) of it from pixels of ``have``; beyond the picture its sides are repeated."""
        y = np.clip(np.arange(self.region.y0, self.region.y1), have.y0, have.y1 - 1) - have.y0
        x = np.clip(np.arange(self.region.x0, self.region.x1), have.x0, have.x1 - 1) - have.x0
        return pixels[y[:, None], x]

    def grown(self, by: int) -> _Window:
        """By this many px of the plane."""
        (down, across), r = self.smaller, self.region
        return _Window(Region(r.y0 - by * down, r.x0 - by * across, r.y1 + by * down, r.x1 + by * across), self.smaller)


def _whole(region: Region, found: Quantised, smaller: tuple[int, int], size: tuple[int, int]) -> _Window:
    """The units that cover a region and what enlarging colours, or making all smaller, reads beyond it.

    Of a picture of ``size`` that was larger once, in px of that.
    """
    (oy, ox), more = found.origin, 2
    if found.size:
        region, more = resized.read_for(region, found.size, size), 2
    y0, x0 = (region.y0 - more - oy) // UNIT, (region.x0 - more - ox) // UNIT
    y1, x1 = -(-(region.y1 + more - oy) // UNIT), -(-(region.x1 + more - ox) // UNIT)
    return _Window(Region(y0 * UNIT + oy, x0 * UNIT + ox, y1 * UNIT + oy, x1 * UNIT + ox), smaller)


def _around(context: Context, need: Region) -> tuple[NDArray, Region]:
    """The input on at least this region, as far as there is one."""
    r = context.region
    reach = max(r.y0 - need.y0, r.x0 - need.x0, need.y1 - r.y1, need.x1 - r.x1, 0)
    return context.get(INPUT, reach)


def _stored(context: Context, c: int, window: _Window, size: tuple[int, int] | None) -> Plane:
    """Plane c of the input as it was stored, in a window; ``size`` : of all of it, where it was larger."""
    spare = SPARE if window.smaller != (1, 1) else 0
    wide = window.grown(spare)
    if size is None:
        pixels, have = _around(context, wide.region)
        plane = _of_ycc(wide.read(pixels, have), c)
    else:
        inside = wide.region.within(size)
        need = resized.read_for(inside, context.size, size)
        pixels, have = _around(context, need)
        seen = _of_ycc(np.ascontiguousarray(pixels[need.slices(have)]), c)
        plane = wide.read(resized.resampled(seen, need, context.size, inside, size), inside)
    small = _as_stored(plane, window.smaller) if spare else plane
    return np.ascontiguousarray(small[spare : len(small) - spare, spare : small.shape[1] - spare])


def _wanted(context: Context) -> list[int]:
    """The planes that are cleaned."""
    found, p = context.facts[QUANTISED], context.params
    if not _counts(found, p):
        return []
    return [c for c in range(len(found.planes)) if (p.colour if c else p.brightness)]


def _pilot(context: Context) -> Plane:
    """The first estimate of all planes, (h, w, planes); smaller ones with every sample repeated."""
    found: Quantised = context.facts[QUANTISED]
    region = context.region
    out = np.zeros((region.height, region.width, max(1, len(found.planes))), np.float32)
    if found.size:  # it has no place among this picture's pixels, and is made where it is needed
        return out
    for c in _wanted(context):
        steps, smaller = found.planes[c], found.smaller if c else (1, 1)
        window = _whole(region, found, smaller, context.size)
        small = _guess(context, _stored(context, c, window.grown(AROUND["pilot"]), None), steps)
        whole = small.repeat(smaller[0], 0).repeat(smaller[1], 1)
        out[..., c] = _cut(whole, window.region, region)
    return out


def _guess(context: Context, wide: Plane, steps: Steps) -> Plane:
    """The first estimate of a plane, without what lies `AROUND` it."""
    context.check()
    square, one, a = (steps.table**2).reshape(1, 64), np.ones((1, 1), np.float32), AROUND["pilot"]
    guess = sliding_dct(wide[None], square, PILOT, one, one, 0.0, check=context.check)[0]
    own = np.ascontiguousarray(wide[a:-a, a:-a])
    index = np.rint(_spectra(own) / steps.table)
    return _drawn_back(np.ascontiguousarray(guess[a:-a, a:-a]), index, steps.table, PILOT_WITHIN)


def _guide(context: Context, c: int, wide: _Window) -> Plane:
    """The first estimate of a plane in a window."""
    found: Quantised = context.facts[QUANTISED]
    if found.size:
        return _guess(context, _stored(context, c, wide.grown(AROUND["pilot"]), found.size), found.planes[c])
    region, far = context.region, wide.region
    pilot, have = context.get(
        "pilot", max(region.y0 - far.y0, region.x0 - far.x0, far.y1 - region.y1, far.x1 - region.x1)
    )
    return np.ascontiguousarray(wide.read(pilot[..., c], have)[:: wide.smaller[0], :: wide.smaller[1]])


def _cut(plane: Plane, of: Region, region: Region) -> Plane:
    return plane[region.y0 - of.y0 : region.y1 - of.y0, region.x0 - of.x0 : region.x1 - of.x0]


def _run(context: Context) -> Plane:
    found: Quantised = context.facts[QUANTISED]
    pixels, region = context.get(INPUT)[0], context.region
    wanted = _wanted(context)
    if not wanted:
        return pixels
    change = np.zeros_like(pixels)
    for c in wanted:
        steps, smaller = found.planes[c], found.smaller if c else (1, 1)
        window = _whole(region, found, smaller, context.size)
        wide = window.grown(AROUND["patches"])
        own, guide = _stored(context, c, wide, found.size), _guide(context, c, wide)
        index = np.rint(_spectra(own) / steps.table)
        error = _expected_error(index, steps.edges, steps.zero, steps.table).mean((2, 3))
        local = ndi.uniform_filter(np.kron(error / steps.mean.mean(), np.ones((BLOCK, BLOCK), np.float32)), 9)
        context.check()
        best = bayes(own, guide, np.maximum(local, LEAST_SCALE).astype(np.float32), steps.covariance)
        a = AROUND["patches"]
        b = a // BLOCK
        clean = _drawn_back(best[a:-a, a:-a], index[b:-b, b:-b], steps.table, WITHIN)
        by = _enlarged(clean - own[a:-a, a:-a], smaller)
        if found.size:
            change[..., c] = resized.resampled(by, window.region, found.size, region, context.size)
        else:
            change[..., c] = _cut(by, window.region, region)
    by_channel = change if pixels.shape[2] == 1 else _mixed(change, FROM_YCC)
    return np.clip(pixels + by_channel / np.float32(255), 0, 1)


def _counts(found: Quantised, p: CompressionParams) -> bool:
    return bool(found.planes) and found.step > p.coarser


def _hits(facts: Mapping[FactKind, Any], p: CompressionParams) -> Hits:
    found: Quantised = facts[QUANTISED]
    nowhere = np.zeros((0, 2)), np.zeros(0), mark("of a step off")
    if not found.planes:
        return Hits(*nowhere, False, (np.zeros(0), np.zeros(0)))
    table = found.planes[0].table
    radius = np.rint(np.hypot(*np.mgrid[:BLOCK, :BLOCK])).astype(int)
    usual = np.array([table[radius == r].mean() for r in range(BLOCK)])
    counts = _counts(found, p)
    if not counts:
        proof = say("steps of {0:.1f}: a good JPEG", found.step)
    elif found.older:
        proof = say("steps of {0:.0f} of 255, told from the picture", found.step)
    else:
        proof = say("steps of {0:.0f} of 255, told by the file", found.step)
    curve = np.arange(BLOCK) / (2 * BLOCK), usual
    return Hits(*nowhere, counts, curve, proof=proof, calm="" if counts else mark("left alone"))


def _summary(p: CompressionParams) -> str:
    if not p.colour:
        return say("brightness")
    return say("from steps of {0:.1f}", p.coarser) if p.brightness else say("colour")


_REACH = 8 + UNIT + 2 * (AROUND["patches"] + AROUND["pilot"] + SPARE)

COMPRESSION_MARKS = StepKind(
    id="compression-marks",
    name="Compression marks",
    place=50,
    help="Takes out blocks, ringing and blurred colour of a JPEG, within the steps that its file was stored with.",
    params=CompressionParams,
    stages=(
        Stage("pilot", _pilot, reach=2 + UNIT + 2 * (AROUND["pilot"] + SPARE)),
        Stage("take out", _run, reach=_REACH),
    ),
    summary=_summary,
    facts=lambda p: frozenset({QUANTISED}),
    idle=lambda p: not (p.brightness or p.colour),
    hits=_hits,
    full_size=True,
    instrument="steps",
)
