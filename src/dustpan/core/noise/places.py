"""Where the noise of a picture is stronger or weaker than its brightness says: told from the picture before all else.

Corners that were lifted to take a lens's shading out have more noise than the same brightness in the middle; of two
pictures put together each has its own. Both show in the quietest blocks of every part: texture can make blocks look
noisy, but hardly the quietest of all, and hardly in the colours as well. What is believed is either a smooth surface
over the whole picture, or a rectangle that differs from the rest, and it has to foretell parts that it was not told
from; otherwise noise is taken to be the same everywhere.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import gammaincinv

from dustpan.core.colour import opponent_matrix
from dustpan.core.language import mark
from dustpan.core.noise.blocks import DCT_2D, HIGH, SIDE
from dustpan.core.noise.fit import OFF_ENDS, lies_within
from dustpan.core.noise.noise_print import CLEAN_SIGMA, NoisePrint
from dustpan.core.noise_of.places import Places

EVERY = 6  # px between blocks
FEWEST, AIM = 30, 150  # parts that a picture has to have, and about how many it is cut into
SMALLEST_PART = 40  # px
IN_PART = 20  # blocks, unclipped, from which a part counts
CLIPPED = 0.03  # share of a block's samples, from which it does not count
QUIETEST = 0.15  # quantile of a part's blocks
CLEAR, FORETOLD = 1.35, 0.75  # largest over least factor of a surface; share of the parts' differences it foretells
APART, TOLD, SEEMS = (
    1.8,
    0.6,
    0.4,
)  # of two pictures put together: factor, share foretold, and that it is mentioned from
LEAST_PARTS = 6  # that each of them has at least
OUTLIER, USUALLY_OFF, HELD = 0.5, 0.08, 1e-2  # of log factor: most that a part counts, usual error; ridge of the fit
A_SIDE = 0.05  # less than what it explains, that a rectangle is worth for every further side within the picture
BEYOND = 0.25  # of what a surface differs by, that it may go on for where nothing was seen
QUIET, MOST_ACROSS = 0.3, 4000  # quantile that texture hardly reaches, and px, of the lines that a seam is told from
GRID, FINE = 16, 4  # px between the places where a factor is kept, of a surface and of two pictures
MOST = 16.0  # that a factor is
LIFTED = mark(
    "its noise is {0:.1f} times as strong in some parts as in others of the same brightness, as lifting makes it"
)
JOINED = mark("it was put together from two pictures, one {0:.1f} times as noisy as the other")


@dataclass(frozen=True)
class Parts:
    """Log factor (rows, columns) of each part, and how many blocks it was told from; their px each way."""

    log: NDArray[np.float64]
    count: NDArray[np.int64]
    side: int

    @property
    def good(self) -> NDArray[np.bool_]:
        return self.count >= IN_PART


def find_places(planes: NDArray[np.float32], whole: NDArray, noise: NoisePrint) -> tuple[Places | None, bool]:
    """What a picture says of its noise by place, and whether it seems to be two pictures put together.

    The first is None where noise is the same everywhere, or where nothing is proven.

    Parameters
    ----------
    planes : (C, h, w) encoded values: all of it, or tiles that are spread evenly over it, laid side by side.
    whole : (C, H, W) all of it. noise : the print, as it was measured without this.
    """
    if noise.strength < CLEAN_SIGMA:
        return None, False
    parts = _parts(planes, noise)
    if parts is None or parts.good.sum() < FEWEST:
        return None, False
    smooth, square = _foretold(parts, _surface), _foretold(parts, _rectangle)
    if square > max(smooth, SEEMS):
        found = _joined(parts, whole)
        return (found if square > TOLD else None), found is not None
    return (_lifted(parts, planes.shape[1:], whole.shape[1:]) if smooth > FORETOLD else None), False


def _foretold(parts: Parts, explain: Callable[[Parts, NDArray[np.bool_]], NDArray[np.float64]]) -> float:
    """The share of what parts differ by that is foretold from others of them, as on a chess board."""
    good = parts.good
    squares = np.indices(good.shape).sum(0) % 2 == 0
    told = np.zeros_like(parts.log)
    for mine in (good & squares, good & ~squares):
        told = np.where(mine, told, explain(parts, mine))
    log = parts.log[good]
    whole = np.minimum(np.abs(log - np.median(log)), OUTLIER) ** 2
    left = np.minimum(np.abs(parts.log - told)[good], OUTLIER) ** 2
    return float(1 - left.mean() / max(whole.mean(), 1e-9))


def _parts(planes: NDArray[np.float32], noise: NoisePrint) -> Parts | None:
    _, h, w = planes.shape
    side = max(SMALLEST_PART, int(np.sqrt(h * w / AIM)))
    rows, columns = h // side, w // side
    if min(rows, columns) < 3:
        return None
    step = max(EVERY, side // 24)
    y, x = (a.ravel() for a in np.mgrid[0 : h - SIDE : step, 0 : w - SIDE : step])
    inside, power = _powers(planes, noise, y, x)
    at = np.minimum(y // side, rows - 1) * columns + np.minimum(x // side, columns - 1)
    log, count = np.zeros(rows * columns), np.zeros(rows * columns, np.int64)
    for n in range(rows * columns):
        mine = power[:, inside & (at == n)]
        count[n] = mine.shape[1]
        if count[n] >= IN_PART:
            log[n] = _log_factor(mine)
    return Parts(log.reshape(rows, columns), count.reshape(rows, columns), side)


def _powers(planes: NDArray, noise: NoisePrint, y: NDArray, x: NDArray) -> tuple[NDArray[np.bool_], NDArray]:
    """Which blocks are nowhere clipped, and (1 or 2, n) power of luminance and colours over what the print expects.

    Of the high frequencies, relative to their usual share of the noise, so that it need not be white.
    """
    channels = len(planes)
    rows, columns = np.arange(SIDE)[:, None], np.arange(SIDE)
    cut = np.stack([p[y[:, None, None] + rows, x[:, None, None] + columns].reshape(len(y), -1) for p in planes])
    level = cut.mean(2)
    inside = np.asarray(np.all(lies_within(level, OFF_ENDS) & (((cut <= 0) | (cut >= 1)).mean(2) < CLIPPED), axis=0))
    sigma = np.stack([c.sigma_at(v) for c, v in zip(noise.noise, level, strict=True)])
    unit = cut / np.maximum(sigma, 1e-5)[..., None]
    opponent = np.tensordot(opponent_matrix(channels), unit, 1)
    spectra = opponent @ DCT_2D[HIGH].T
    expected = np.maximum(noise.spectrum[:, HIGH].mean(1), 1e-3)
    power = (spectra**2).mean(2) / expected[:, None]
    return inside, power if channels == 1 else np.stack([power[0], power[1:].mean(0)])


def _log_factor(power: NDArray) -> float:
    """Log factor on sigma of some blocks, from the quietest of them; the lesser of luminance and colour."""
    found = []
    for k, p in enumerate(power):
        freedom = int(HIGH.sum()) * (2 if k else 1)
        usual = 2 * gammaincinv(freedom / 2, QUIETEST) / freedom  # that quantile of a chi-square distribution, a degree
        found.append(0.5 * np.log(max(float(np.quantile(p, QUIETEST)), 1e-8) / usual))
    return float(np.clip(min(found), -np.log(MOST), np.log(MOST)))


# ---------------------------------------------------------------- a smooth surface


def _basis(y: NDArray, x: NDArray) -> NDArray[np.float64]:
    """Of a smooth surface at places from -1 to 1: (..., 7)."""
    r2 = y * y + x * x
    return np.stack([np.ones_like(y), y, x, y * y, x * x, y * x, r2 * r2], -1)


def _places_of(rows: int, columns: int) -> tuple[NDArray, NDArray]:
    """Middles of so many parts down and across, from -1 to 1."""
    y, x = ((np.arange(n) + 0.5) / n * 2 - 1 for n in (rows, columns))
    yy, xx = np.meshgrid(y, x, indexing="ij")
    return yy, xx


def _fit(design: NDArray, log: NDArray) -> NDArray[np.float64]:
    """Robust least squares."""
    weight = np.ones(len(log))
    found = np.zeros(design.shape[1])
    ridge = HELD * np.eye(design.shape[1])
    ridge[0, 0] = 0
    for _ in range(6):
        w = design * weight[:, None]
        found = np.linalg.solve(w.T @ design + ridge, w.T @ log)
        off = log - design @ found
        weight = 1 / (1 + (off / USUALLY_OFF) ** 2) * np.where(off > 0, 0.5, 1)  # texture only ever adds
    return found


def _surface(parts: Parts, known: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Log factor of all parts from those that are known."""
    design = _basis(*_places_of(*parts.log.shape))
    return np.asarray(design @ _fit(design[known], parts.log[known]))


def _lifted(parts: Parts, seen: tuple[int, ...], size: tuple[int, ...]) -> Places | None:
    good, design = parts.good, _basis(*_places_of(*parts.log.shape))
    found = _fit(design[good], parts.log[good])
    least, most = np.quantile(design[good] @ found, [0.02, 0.98])
    if most - least < np.log(CLEAR):
        return None
    # parts do not cover the last px of a picture
    covered = [n * parts.side / whole for n, whole in zip(parts.log.shape, seen, strict=True)]
    gy, gx = ((np.arange(0, n, GRID) + GRID / 2) / n / c * 2 - 1 for n, c in zip(size, covered, strict=True))
    grid = _basis(*np.meshgrid(gy, gx, indexing="ij")) @ found
    margin = BEYOND * (most - least)  # outside what was seen the surface is not believed
    values = np.exp(np.clip(grid, least - margin, most + margin) - least).astype(np.float32)
    return Places(values, GRID, (size[0], size[1]), words=LIFTED, times=float(np.exp(most - least)))


# ---------------------------------------------------------------- two pictures

Box = tuple[int, int, int, int]  # first and last part down, first and last across


def _best_box(log: NDArray, known: NDArray[np.bool_]) -> tuple[Box, float, float]:
    """The rectangle of parts that differs most from the rest (least squares), and the log factors in and around it."""
    value = np.where(known, np.clip(log, *_ends(log[known])), 0)
    sums, counts = (np.pad(np.cumsum(np.cumsum(a, 0), 1), ((1, 0), (1, 0))) for a in (value, known.astype(float)))
    rows, columns = log.shape
    i, k = (a.ravel() for a in np.meshgrid(np.arange(rows), np.arange(1, rows + 1), indexing="ij"))
    j, m = (a.ravel() for a in np.meshgrid(np.arange(columns), np.arange(1, columns + 1), indexing="ij"))
    i, k = i[k > i], k[k > i]
    j, m = j[m > j], m[m > j]

    def within(table: NDArray) -> NDArray:
        t = table[k][:, m] - table[i][:, m] - table[k][:, j] + table[i][:, j]
        return np.asarray(t)

    total, count = within(sums), within(counts)
    rest, others = sums[-1, -1] - total, counts[-1, -1] - count
    means = total / np.maximum(count, 1), rest / np.maximum(others, 1)
    free = np.add.outer((i > 0).astype(int) + (k < rows), (j > 0).astype(int) + (m < columns))
    gain = count * others * (means[0] - means[1]) ** 2 * (1 - A_SIDE * np.maximum(free - 1, 0))
    gain = np.where(np.minimum(count, others) >= LEAST_PARTS, gain, -1)
    a, b = np.unravel_index(int(np.argmax(gain)), gain.shape)
    return (int(i[a]), int(k[a]), int(j[b]), int(m[b])), float(means[0][a, b]), float(means[1][a, b])


def _ends(values: NDArray) -> tuple[float, float]:
    low, high = np.quantile(values, [0.05, 0.95])
    return float(low), float(high)


def _rectangle(parts: Parts, known: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Log factor of all parts from those that are known."""
    (top, bottom, left, right), inside, around = _best_box(parts.log, known)
    told = np.full(parts.log.shape, around)
    told[top:bottom, left:right] = inside
    return told


def _joined(parts: Parts, whole: NDArray) -> Places | None:
    """The factor of two pictures; each side of the rectangle is looked for to a few px."""
    box, inside, around = _best_box(parts.log, parts.good)
    apart = abs(inside - around)
    if apart < np.log(APART):
        return None
    h, w = whole.shape[1:]
    rows, columns = parts.log.shape
    down, across = h // rows, w // columns
    top, bottom, left, right = box[0] * down, box[1] * down, box[2] * across, box[3] * across
    turned = whole.transpose(0, 2, 1)
    held = slice(left, min(right, w)), slice(top, min(bottom, h))
    top = _seam(whole[:, :, held[0]], top, down) if box[0] > 0 else 0
    bottom = _seam(whole[:, :, held[0]], bottom, down) if box[1] < rows else h
    left = _seam(turned[:, :, held[1]], left, across) if box[2] > 0 else 0
    right = _seam(turned[:, :, held[1]], right, across) if box[3] < columns else w
    own, other = (np.exp(apart), 1.0) if inside > around else (1.0, np.exp(apart))
    grid = np.full((-(-h // FINE), -(-w // FINE)), other, np.float32)
    grid[round(top / FINE) : round(bottom / FINE), round(left / FINE) : round(right / FINE)] = own
    return Places(grid, FINE, (h, w), words=JOINED, times=float(np.exp(apart)))


def _seam(planes: NDArray, near: int, around: int) -> int:
    """The row at which the noise changes most, within so many px of one."""
    first, last = max(near - around, 2), min(near + around, planes.shape[1] - 2)
    every = max(1, planes.shape[2] // MOST_ACROSS)
    rows = planes[:, first - 1 : last + 1, ::every].astype(float)
    across = rows[:, :, 2:] - 2 * rows[:, :, 1:-1] + rows[:, :, :-2]
    strength = np.log(np.quantile(np.abs(across), QUIET, axis=(0, 2)) + 1e-6)
    n = len(strength)
    gain = [k * (n - k) * (strength[:k].mean() - strength[k:].mean()) ** 2 for k in range(3, n - 3)]
    return first - 1 + 3 + int(np.argmax(gain)) if gain else near
