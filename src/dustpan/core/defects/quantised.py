"""How a picture was quantised, proven from its file or from itself, and how wrong that left every coefficient.

The steps of every coefficient are known from the file; that the picture still lies on them is checked. Where the tables
of an older, coarser JPEG show in the picture they count instead, also where it was made smaller since. How wrong a
coefficient is expected to be follows from its index: a twelfth of the step squared where that is not 0, and where it
is, the variance of a Laplacian inside the step, fitted to the indices of blocks that are alike in activity.

References
----------
[1] ITU-T T.81: the quantisation of JPEG.
[2] J. R. Price, M. Rabbani, "Biased reconstruction for JPEG decoding", IEEE Signal Processing Letters 6(12), 1999.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from dustpan.core.defects import older_tables, resized
from dustpan.core.defects.blocks import BLOCK, UNIT, Plane, as_stored, of_ycc, spectra_of, ycc
from dustpan.core.defects.blocky_patches import SIDE
from dustpan.core.fact import Asked, FactKind, Scope
from dustpan.core.noise.dct8 import DCT_8
from dustpan.core.region import Region

SMALLER = ((1, 1), (2, 2), (1, 2), (2, 1))  # that colours may be stored, down and across
FITS, SEEN, ENOUGH = 0.14, 0.75, 60  # steps off on average (a quarter by chance), indices from, and how many of them
SEAMS = 0.5  # how much blocks of a smooth picture may vary inside, of those that lie between the seams
NEARLY = ((0, 0), (0, -1), (0, 1), (-1, 0), (1, 0))  # px
LARGER_FITS = 0.17  # steps off, of a picture that was made smaller and large again
OLDER = 1.3  # times the steps of the file, from which on those of an older one count
COARSER = 2.3  # 255ths, the mean of the lowest nine steps
CLASSES = 6  # of activity
SAMPLE, LOOKED_AT = 3_000_000, 600_000  # px that statistics are taken from, and that an older JPEG is looked for in


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
    return np.concatenate([spectra_of(s[..., 0]).reshape(-1, 1, BLOCK, BLOCK) for s in strips])


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


def expected_error(index: Plane, edges: NDArray, zero: Plane, table: Plane) -> Plane:
    """(rows, columns, 8, 8) expected squared error of every coefficient, with that of the rounding to bytes."""
    classes = np.searchsorted(edges, _activity(index), side="left")
    error = np.where(index == 0, zero[classes], table**2 / 12)
    error[..., 0, 0] = table[0, 0] ** 2 / 12
    return np.asarray(error + 1 / 12, np.float32)


def _patch_covariance(mean: Plane) -> Plane:
    """(16, 16) covariance of an error with these mean squares by frequency, over the places of a patch on the grid."""
    waves = np.einsum("ua,vb->uvab", DCT_8, DCT_8)
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
    mean = np.asarray(expected_error(index, edges, zero, table).mean((0, 1)), np.float32)
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
        found.append(ycc(asked.read(Region(top, x0, bottom, x0 + UNIT * columns))))
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
    top = of_ycc(asked.read(Region(0, 0, min(h, max(resized.LEAST, SAMPLE // w)), w)), 0)
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
        return np.concatenate([spectra_of(s).reshape(-1, 1, BLOCK, BLOCK) for s in cut if s.size])

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
    small = [as_stored(s[..., c], smaller) for s in strips]
    inner = [s[BLOCK:-BLOCK] if len(s) >= 3 * BLOCK else s for s in small]  # undoing reads beyond the strip
    return np.concatenate([spectra_of(s).reshape(-1, 1, BLOCK, BLOCK) for s in inner])


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
