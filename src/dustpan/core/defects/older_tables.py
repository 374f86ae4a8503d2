"""The steps of a JPEG that a picture once was, where its file does not tell: saved again, or cropped off its blocks.

Coefficients that were quantised once lie near whole steps, and nearer, in steps, the coarser those were: for the right
place of the blocks and the right table, and for no other, they are far nearer than chance allows. Only the tables that
the standard gives as examples are tried, at every scale that encoders make of them.

References
----------
[1] ITU-T T.81, annex K: the tables.
[2] Z. Fan, R. L. de Queiroz, "Identification of bitmap compression history: JPEG detection and quantizer estimation",
    IEEE Trans. Image Processing 12(2), 2003.
[3] H. Farid, "Exposing digital forgeries from JPEG ghosts", IEEE Trans. Inf. Forensics Security 4(1), 2009: the coarser
    of two quantisations shows in the finer one.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]
BRIGHTNESS = """
16 11 10 16 24 40 51 61      12 12 14 19 26 58 60 55      14 13 16 24 40 57 69 56      14 17 22 29 51 87 80 62
18 22 37 56 68 109 103 77    24 35 55 64 81 104 113 92    49 64 78 87 103 121 120 101  72 92 95 98 112 100 103 99
"""
COLOUR = """
17 18 24 47 99 99 99 99      18 21 26 66 99 99 99 99      24 26 56 99 99 99 99 99      47 66 99 99 99 99 99 99
99 99 99 99 99 99 99 99      99 99 99 99 99 99 99 99      99 99 99 99 99 99 99 99      99 99 99 99 99 99 99 99
"""
QUALITIES = range(10, 91)
LOW = 4  # the sum of both indices up to which coefficients are looked at
BLOCKS, LEAST = 800, 150  # the most active ones of a place that are looked at; coefficients that have to be large
SEEN, CHANCE, FITS = 0.75, 0.25, 0.14  # steps
BETTER = 0.8  # of the next best place that is no neighbour's: by chance all are alike


def tables(quality: int) -> tuple[Plane, Plane]:
    """(8, 8) steps of brightness and of colours in 255ths, as encoders scale the standard's examples (1 to 100)."""
    scale = 5000 / quality if quality < 50 else 200 - 2 * quality
    own = (np.array(t.split(), float).reshape(8, 8) for t in (BRIGHTNESS, COLOUR))
    first, second = (np.clip(np.floor((t * scale + 50) / 100), 1, 255).astype(np.float32) for t in own)
    return first, second


def _low(spectra: Plane) -> Plane:
    """(n, k) low coefficients of the most active blocks of (..., 8, 8)."""
    u, v = np.mgrid[:8, :8]
    low = np.ascontiguousarray(spectra.reshape(-1, 8, 8)[:, (u + v > 0) & (u + v <= LOW)])
    if len(low) > BLOCKS:
        active = np.square(low).sum(1)
        low = low[active >= np.partition(active, -BLOCKS)[-BLOCKS]]
    return np.asarray(low, np.float32)


def _off(low: Plane, steps: Plane) -> float:
    index = np.abs(low / steps)
    index = index[index > SEEN]
    return float(np.abs(index - np.rint(index)).mean()) if index.size >= LEAST else CHANCE


def coarseness(table: Plane) -> float:
    """The mean of the nine lowest steps."""
    return float(table[:3, :3].mean())


def best(spectra: Plane, coarser_than: float = 0.0) -> tuple[float, int]:
    """How far coefficients (..., 8, 8) of brightness are from whole steps on average, and the quality at which that is
    least, among those whose steps are coarser than this.
    """
    low = _low(spectra)
    return min(((_off(low, steps), q) for steps, q, of in _low_steps() if of > coarser_than), default=(CHANCE, 0))


@lru_cache(maxsize=1)
def _low_steps() -> tuple[tuple[Plane, int, float], ...]:
    """Steps of the low coefficients, quality and coarseness of all tables that are tried."""
    u, v = np.mgrid[:8, :8]
    tried = ((tables(q)[0], q) for q in QUALITIES)
    return tuple((t[(u + v > 0) & (u + v <= LOW)], q, coarseness(t)) for t, q in tried)


def found(
    spectra_at: Callable[[tuple[int, int]], Plane], coarser_than: float = 0.0, fits: float = FITS
) -> tuple[float, int, tuple[int, int]] | None:
    """How far off, quality and place (y, x) of the blocks of an older quantisation; None where none is proven.

    Parameters
    ----------
    spectra_at : coefficients (..., 8, 8) of the blocks that begin at a place (0 to 7, 0 to 7).
    coarser_than : `coarseness` of what is known already. fits : how far off is still proven.
    """
    tried = sorted((*best(spectra_at((y, x)), coarser_than), (y, x)) for y in range(8) for x in range(8))
    off, quality, at = tried[0]
    other = min(o for o, _, (y, x) in tried if y != at[0] and x != at[1])
    return (off, quality, at) if off < fits and off < BETTER * other else None
