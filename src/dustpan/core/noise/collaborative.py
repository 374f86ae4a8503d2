"""Collaborative filtering: the estimate that guides the patch rounds of an exact result.

For every reference block the blocks that look most alike are stacked; a Walsh-Hadamard transform along the stack then
gathers what they have in common, so that a threshold keeps it where noise would hide it in any single block (Dabov et
al., 2007; the hard threshold alone). Spectra of all blocks are computed once, groups gather and sum up *spectra*, and
every block is transformed back once.

References lie on every fourth, blocks on every second row and column. Work goes down strips of the picture row by row,
with a ring of as many rows of spectra as a search window is high, which fits a processor's cache. Strips are fixed in
picture coordinates, so that sums grow in the same order whatever region is wanted.

References
----------
[1] K. Dabov, A. Foi, V. Katkovnik, K. Egiazarian, "Image denoising by sparse 3-D transform-domain collaborative
    filtering", IEEE TIP 16(8), 2007.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import FAST, PLANE, PLANES, ROW, f4, i4, i8, kernel, part, record, tuple_of
from dustpan.core.noise.lanes import LANES, load, spread, store
from dustpan.core.noise.matching import displacements, match
from dustpan.core.noise.sliding_dct import (
    ABREAST,
    MIDDLE,
    SPAN,
    WINDOW,
    add_back,
    add_weights,
    column_spectra,
    divide,
    row_spectra,
)

BLOCK = 8
STEP = 4  # px between references
RADIUS = 16  # px that alike blocks are looked for in, in steps of 2
MOVES = displacements(RADIUS, 2)
GROUP = 8
ACROSS = (ABREAST - 1 - RADIUS) // (STEP // 2) + 1  # references side by side in a strip
STRIP = ACROSS * STEP  # px
ROWS = 2 * (RADIUS // 2) + 1  # lattice rows that a reference can reach
REACH = 2 * (RADIUS + BLOCK)  # px: a block of a group around a pixel, and what its reference was compared with
COLUMNS = ABREAST + 1  # of a row of the ring; one is left empty, so that rows do not crowd the same places of the cache
AT_A_TIME = 8  # rows of references between two looks at whether the work was cancelled
ALIKE = 2.5  # mean squared difference, in noise powers, beyond which blocks are no longer alike


class Settings(NamedTuple):
    """What all groups are filtered with.

    spectrum : (C, 64) noise power. limit : squared threshold. mix, scale, scale_step : see `sliding_dct`.
    moves : displacements in lattice places.
    """

    spectrum: NDArray[np.float32]
    limit: np.float32
    mix: NDArray[np.float32]
    scale: NDArray[np.float32]
    scale_step: np.float32
    moves: NDArray[np.int32]


class Ring(NamedTuple):
    """As many lattice rows of one strip as a reference can reach, by lattice row modulo `ROWS`.

    spectra, sums : flat (ROWS, COLUMNS, 64 C), spectra of the blocks and the weighted sums of what groups made of them.
    shares : (ROWS * COLUMNS, C) weights. rows : (C, 8, 8 * ABREAST) row transforms that the next lattice row shares.
    entered : (1,) how many lattice rows have been entered so far.
    """

    spectra: NDArray[np.float32]
    sums: NDArray[np.float32]
    shares: NDArray[np.float32]
    rows: NDArray[np.float32]
    entered: NDArray[np.int64]


class Totals(NamedTuple):
    """Sums (C, h, 2, w / 2) over the picture, even and odd columns apart, and their weights."""

    values: NDArray[np.float32]
    weights: NDArray[np.float32]


class Groups(NamedTuple):
    """Of one strip: displacement numbers (rows, references, GROUP) of alike blocks, and how many of them count.

    factor : (rows, references, 0 to 2) that the noise is stronger by, see `sliding_dct`; of none where it is 1.
    """

    chosen: NDArray[np.int32]
    number: NDArray[np.int32]
    factor: NDArray[np.float32]


@part(FAST)
def _walsh_hadamard(stack, width, n):
    """Unnormalised transform along the first ``n`` rows (a power of two) of a flat stack, in place."""
    h = 1
    while h < n:
        for i in range(0, n, 2 * h):
            for j in range(i, i + h):
                for k in range(j * width, (j + 1) * width, LANES):
                    a, b = load(stack, k), load(stack, k + h * width)
                    store(stack, k, a + b)
                    store(stack, k + h * width, a - b)
        h *= 2


@part(FAST)
def _group_noise(own, mix, scale, scale_step, spectrum, factor, noise):
    """Noise power of every coefficient of a group, from its reference's mean colour; ``own`` is that spectrum.

    factor : (1 or 2,) that the noise is stronger by there, of the first plane and of the others; empty for 1.
    """
    n = mix.shape[0]
    last = scale.shape[1] - 1
    for k in range(n):
        noise[64 * k : 64 * k + 64] = 0
    for c in range(n):
        level = np.float32(0)
        for k in range(n):
            level += mix[k, c] * own[64 * k]
        s = scale[c, min(max(int(level * scale_step * np.float32(0.125)), 0), last)]
        for k in range(n):
            p = mix[k, c] * mix[k, c] * s * s
            for f in range(64):
                noise[64 * k + f] += p * spectrum[k, f]
    if len(factor):
        for k in range(n):
            p = factor[min(k, len(factor) - 1)] * factor[min(k, len(factor) - 1)]
            for f in range(64):
                noise[64 * k + f] *= p


@part(FAST)
def _filter_row(ring, top, first, chosen, count, factor, settings):
    """Threshold the groups of one row of references and add them to the sums of their blocks.

    ring : a `Ring`. top : lattice row of the references; first : lattice column of the first.
    chosen, count, factor : of these references, as in `Groups`. settings : `Settings`.
    """
    moves, limit, mix = settings.moves, settings.limit, settings.mix
    n = len(settings.spectrum)
    width = 64 * n
    stack = np.empty(GROUP * width, np.float32)
    noise = np.empty(width, np.float32)
    kept = np.empty(n, np.float32)
    places = np.empty(GROUP, np.int64)
    for r in range(len(count)):
        column = first + (STEP // 2) * r
        own = (top % ROWS * COLUMNS + column) * width
        spectrum = ring.spectra[own : own + width]
        _group_noise(spectrum, mix, settings.scale, settings.scale_step, settings.spectrum, factor[r], noise)
        size = 1
        while 2 * size <= count[r]:
            size *= 2
        for m in range(size):
            k = chosen[r, m]
            places[m] = (top + moves[k, 0]) % ROWS * COLUMNS + column + moves[k, 1]
            for q in range(0, width, LANES):
                store(stack, m * width + q, load(ring.spectra, places[m] * width + q))
        _walsh_hadamard(stack, width, size)
        bound = limit * np.float32(size)
        for c in range(n):
            mean = stack[64 * c]
            total = np.float32(0)
            for m in range(size):
                line = stack[m * width + 64 * c : m * width + 64 * c + 64]
                power = noise[64 * c : 64 * c + 64]
                for f in range(64):
                    v = line[f]
                    keep = np.float32(1) if v * v >= bound * power[f] else np.float32(0)
                    line[f] = v * keep
                    total += keep * power[f]
            if stack[64 * c] == 0:
                stack[64 * c] = mean
                total += noise[64 * c]
            kept[c] = np.float32(1) / total
        _walsh_hadamard(stack, width, size)
        for c in range(n):
            share = spread(kept[c] / np.float32(size))
            for m in range(size):
                ring.shares[places[m], c] += kept[c]
                o, p = places[m] * width, m * width
                for q in range(64 * c, 64 * c + 64, LANES):
                    store(ring.sums, o + q, load(ring.sums, o + q) + share * load(stack, p + q))


@part(FAST)
def _by_block(spec, out, first, apart):
    """Spectra of a row of blocks, laid frequency by frequency, into ``out``, ``apart`` values from block to block."""
    for f in range(0, 64, 4):
        for i in range(ABREAST):
            a, b, c, d = (
                spec[f * ABREAST + i],
                spec[(f + 1) * ABREAST + i],
                spec[(f + 2) * ABREAST + i],
                spec[(f + 3) * ABREAST + i],
            )
            o = first + i * apart + f
            out[o], out[o + 1], out[o + 2], out[o + 3] = a, b, c, d


@part(FAST)
def _by_frequency(blocks, first, apart, out):
    """The inverse of `_by_block`."""
    for f in range(0, 64, 4):
        for i in range(ABREAST):
            o = first + i * apart + f
            a, b, c, d = blocks[o], blocks[o + 1], blocks[o + 2], blocks[o + 3]
            out[f * ABREAST + i], out[(f + 1) * ABREAST + i] = a, b
            out[(f + 2) * ABREAST + i], out[(f + 3) * ABREAST + i] = c, d


@part(FAST)
def _enter_row(planes, j, x, ring):
    """Compute the spectra of lattice row ``j`` of the strip from px ``x`` on and clear its sums."""
    rows = ring.rows
    spec = np.empty(64 * ABREAST, np.float32)
    even, odd = np.empty(ABREAST + 3, np.float32), np.empty(ABREAST + 3, np.float32)
    n = len(planes)
    slot = j % ROWS * COLUMNS
    ring.sums[slot * 64 * n : (slot + COLUMNS) * 64 * n] = 0
    ring.shares[slot : slot + COLUMNS] = 0
    for c in range(n):
        for y in range(0 if j == 0 else 2 * j + 6, 2 * j + 8):
            row_spectra(planes[c, y, x : x + SPAN], even, odd, rows[c, y % 8])
        column_spectra(rows[c], 2 * j, spec)
        _by_block(spec, ring.spectra, 64 * (slot * n + c), 64 * n)


@part(FAST)
def _leave_row(j, x, ring, window, totals):
    """Transform the summed spectra of lattice row ``j`` back and add them to the picture's `Totals`."""
    total, weights = totals.values, totals.weights
    n = total.shape[0]
    spec = np.empty(64 * ABREAST, np.float32)
    columns = np.empty(64 * ABREAST, np.float32)
    line = np.empty(8 * ABREAST, np.float32)
    share = np.empty(ABREAST, np.float32)
    row_weights = np.zeros((2, ABREAST + 3), np.float32)
    slot = j % ROWS * COLUMNS
    for c in range(n):
        _by_frequency(ring.sums, 64 * (slot * n + c), 64 * n, spec)
        for i in range(ABREAST):
            share[i] = ring.shares[slot + i, c]
        add_back(spec, window, columns, line, total[c], x // 2, 2 * j)
        row_weights[:] = 0
        add_weights(share, window, row_weights, 0)
        for r in range(8):
            for parity in range(2):
                target = weights[c, 2 * j + r, parity, x // 2 : x // 2 + ABREAST + 3]
                source = row_weights[parity]
                for i in range(ABREAST + 3):
                    target[i] += window[r] * source[i]


_RING = record(Ring, ROW, ROW, PLANE, PLANES, i8[::1])
_TOTALS = tuple_of(Totals, f4[:, :, :, ::1])
_GROUPS = record(Groups, i4[:, :, ::1], i4[:, ::1], PLANES)
_SETTINGS = record(Settings, PLANE, f4, PLANE, PLANE, f4, i4[:, ::1])


@kernel(PLANES, i8, i8, i8, _GROUPS, _SETTINGS, ROW, _TOTALS, _RING, options=FAST)
def _strip(planes, x, first, last, groups, settings, window, totals, ring):
    """Filter the groups of the rows ``first`` to ``last`` of references of one strip.

    x : px of the strip's first lattice column. groups : `Groups`. ring : its state is kept for the next rows.
    """
    half = RADIUS // 2
    for i in range(first, last):
        top = half + i * (STEP // 2)
        while ring.entered[0] <= top + half:
            if ring.entered[0] >= ROWS:
                _leave_row(ring.entered[0] - ROWS, x, ring, window, totals)
            _enter_row(planes, ring.entered[0], x, ring)
            ring.entered[0] += 1
        _filter_row(ring, top, half, groups.chosen[i], groups.number[i], groups.factor[i], settings)


@kernel(i8, ROW, _TOTALS, _RING, options=FAST)
def _end_strip(x, window, totals, ring):
    for j in range(max(ring.entered[0] - ROWS, 0), ring.entered[0]):
        _leave_row(j, x, ring, window, totals)


def _alike(plane: NDArray, most: NDArray[np.float32], check: Callable[[], None]) -> tuple[NDArray, NDArray]:
    """The blocks most like each reference: displacement numbers (rows, columns, GROUP), and how many of them.

    most : (rows, columns) squared difference from which they are not alike.
    """
    down, across = most.shape
    together = max(1, 256 // across)
    distance = np.empty((len(MOVES), together * across), np.float32)
    chosen = np.empty((down, across, GROUP), np.int32)
    count = np.empty((down, across), np.int32)
    for i in range(0, down, together):
        check()
        rows = min(together, down - i)
        near = distance.ravel()[: len(distance) * rows * across].reshape(len(distance), rows * across)
        found, number = chosen[i : i + rows].reshape(-1, GROUP), count[i : i + rows].reshape(-1)
        at = RADIUS + i * STEP
        bits, limit = near.view(np.int32), most[i : i + rows].ravel().view(np.int32)
        match(plane, at, RADIUS, rows, across, STEP, BLOCK, 1, RADIUS, MOVES, limit, near, bits, found, number)
    return chosen, count


def _at_references(factor: NDArray[np.float32] | None, refs: tuple[int, int]) -> NDArray[np.float32]:
    """A factor (n, h, w) in the middle of each reference: (rows, columns, n); of none for None."""
    if factor is None:
        return np.empty((*refs, 0), np.float32)
    first = RADIUS + MIDDLE
    rows, columns = (slice(first, first + n * STEP, STEP) for n in refs)
    return np.ascontiguousarray(np.moveaxis(factor[:, rows, columns], 0, -1))


def _empty_ring(channels: int) -> Ring:
    places = ROWS * COLUMNS
    spectra, sums = (np.empty(places * 64 * channels, np.float32) for _ in range(2))
    shares, rows = np.empty((places, channels), np.float32), np.empty((channels, 8, 8 * ABREAST), np.float32)
    return Ring(spectra, sums, shares, rows, np.zeros(1, np.int64))


def collaborate(
    planes: NDArray[np.float32],
    corner: int,
    spectrum: NDArray[np.float32],
    threshold: float,
    mix: NDArray[np.float32],
    scale: NDArray[np.float32],
    scale_step: float,
    check: Callable[[], None] = lambda: None,
    factor: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """Filter a region by groups of alike blocks.

    Parameters
    ----------
    planes : (C, h, w) opponent planes of unit noise; references lie `STEP` apart from `RADIUS` px inside on.
    corner : column in the picture of the first px; a multiple of `STEP`.
    spectrum, mix, scale, scale_step, factor : see `sliding_dct`. threshold : in sigma of each coefficient.
    check : called every few milliseconds; raises to cancel.

    Returns
    -------
    (C, h, w), right from `REACH` px inside on; 0 where no group reaches.
    """
    n, h, w = planes.shape
    refs = ((h - BLOCK - 2 * RADIUS) // STEP + 1, (w - BLOCK - 2 * RADIUS) // STEP + 1)
    at = _at_references(factor, refs)
    most = np.full(refs, ALIKE * BLOCK * BLOCK * float(spectrum[0].mean()), np.float32)
    if at.shape[2]:
        most *= at.max(2) ** 2  # where only the luminance is clean already, colours still ask for company
    chosen, count = _alike(planes[0], most, check)
    padded = np.pad(planes, ((0, 0), (0, h % 2), (0, SPAN + w % 2)), mode="symmetric")
    both = np.zeros((2, n, padded.shape[1], 2, padded.shape[2] // 2), np.float32)
    totals = Totals(both[0], both[1])
    settings = Settings(spectrum, np.float32(threshold**2), mix, scale, np.float32(scale_step), MOVES // 2)
    # strips begin at multiples of STRIP of the picture; the first one may have begun before this region
    begins = range((corner + RADIUS) // STRIP * STRIP, corner + RADIUS + refs[1] * STEP, STRIP)
    for begin in begins:
        first = max(0, (begin - corner - RADIUS) // STEP)
        last = min(refs[1], (begin + STRIP - corner - RADIUS) // STEP)
        groups = Groups(*(np.ascontiguousarray(a[:, first:last]) for a in (chosen, count, at)))
        ring = _empty_ring(n)
        for i in range(0, refs[0], AT_A_TIME):
            check()
            _strip(padded, first * STEP, i, min(i + AT_A_TIME, refs[0]), groups, settings, WINDOW, totals, ring)
        _end_strip(first * STEP, WINDOW, totals, ring)
    out = np.empty_like(padded)
    divide(both, out)
    return out[:, :h, :w]
