"""A demosaiced picture gives its sensor back: which matrix mixed the colours, and where each colour was measured.

In the sensor's own colours the fine noise of the channels is independent at each of the four sites of a 2 x 2 pattern,
and strongest in the channel that was measured there. So one matrix makes the covariances of the four sites diagonal
(joint diagonalisation; after J.-F. Cardoso, A. Souloumiac, 1993). It fails honestly, on resized pictures for one.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

SITES = ((0, 0), (0, 1), (1, 0), (1, 1))
PAIRS = (((0, 0), (1, 1)), ((0, 1), (1, 0)))
FEWEST = 500  # samples of a site
CALM = (0.05, 0.8)  # quantiles of fine detail that are noise, neither flat nor edges
APART, REST = 0.2, 0.25  # of covariances: between sites of different colours, at least; off the diagonal, at most


@dataclass(frozen=True, eq=False)
class Mixing:
    """``matrix`` : (3, 3), its columns are the sensor's colours in the picture's; ``pattern`` : colour of each site."""

    matrix: NDArray[np.float64]
    pattern: tuple[tuple[int, int], tuple[int, int]]

    def sites(self, size: tuple[int, int], y0: int = 0, x0: int = 0) -> NDArray[np.intp]:
        """The colour of every sample of a region that begins at (y0, x0)."""
        rows, columns = (np.arange(n) + at for n, at in zip(size, (y0, x0), strict=True))
        return np.asarray(self.pattern)[rows[:, None] % 2, columns % 2]


def unmix(tiles: list[NDArray[np.float32]]) -> Mixing | None:
    """The mixing of light (h, w, 3), from parts that begin at even places; None where it cannot be told."""
    covariances = {}
    for site in SITES:
        samples = [_fine(t, site) for t in tiles]
        fine, size = (np.concatenate([s[n] for s in samples]) for n in (0, 1))
        known = np.isfinite(size)
        if known.sum() < FEWEST:
            return None
        low, high = np.quantile(size[known], CALM)
        kept = fine[known & (size > low) & (size < high)].astype(np.float64)
        if len(kept) < FEWEST // 2:
            return None
        covariances[site] = kept.T @ kept / len(kept)
    values, vectors = np.linalg.eigh(sum(covariances.values()) / 4)
    if values[0] < 1e-6 * values[2] or values[2] <= 0:
        return None
    whiten, back = vectors / np.sqrt(values) @ vectors.T, vectors * np.sqrt(values) @ vectors.T
    white = {q: whiten @ c @ whiten for q, c in covariances.items()}
    spread, coloured = max((float(np.abs(np.linalg.eigvalsh(white[p] - white[q])).max()), (p, q)) for p, q in PAIRS)
    if spread < APART:
        return None
    _, turn = np.linalg.eigh(white[coloured[0]] - white[coloured[1]])
    turned = {q: turn.T @ c @ turn for q, c in white.items()}
    rest = max(float(np.abs(c - np.diag(np.diag(c))).max()) for c in turned.values())
    colour = {q: int(np.argmax(np.diag(c))) for q, c in turned.items()}
    green = next(pair for pair in PAIRS if pair != coloured)
    three = len({colour[coloured[0]], colour[coloured[1]], colour[green[0]]}) == 3
    if rest > REST or colour[green[0]] != colour[green[1]] or not three:
        return None
    matrix = back @ turn
    matrix *= np.sign(matrix.sum(0))
    pattern = ((colour[0, 0], colour[0, 1]), (colour[1, 0], colour[1, 1]))
    return Mixing(matrix / np.linalg.norm(matrix, axis=0), pattern)


def _fine(light: NDArray[np.float32], site: tuple[int, int]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """What each sample of a site differs from its neighbours by, (n, 3), and how much; NaN near what is clipped."""
    around = np.zeros((3, 3), np.float32)
    around[[0, 1, 1, 2], [1, 0, 2, 1]] = 0.25
    fine = light - cv2.filter2D(light, -1, around, borderType=cv2.BORDER_REFLECT_101)
    size = np.abs(fine).sum(2)
    clipped = ((light.min(2) <= 0) | (light.max(2) >= 0.999 * light.max())).astype(np.uint8)
    size[cv2.dilate(clipped, np.ones((5, 5), np.uint8)) > 0] = np.nan
    y, x = site
    return fine[y::2, x::2][2:-2, 2:-2].reshape(-1, 3), size[y::2, x::2][2:-2, 2:-2].ravel()


def samples_of(light: NDArray[np.float32], mixing: Mixing, y0: int, x0: int) -> NDArray[np.float32]:
    """The sensor's samples (h, w) of a demosaiced part that begins at (y0, x0).

    Where a channel was clipped to black after the matrix, a hot red leaves green at 0 and unmixing would raise its
    neighbours; there the sample is told from the channel that has most of its colour, and from the local median.
    """
    inverse = np.linalg.inv(mixing.matrix).T.astype(np.float32)
    own = light @ inverse
    median = np.dstack([cv2.medianBlur(np.ascontiguousarray(own[..., c]), 5) for c in range(3)])
    site = mixing.sites(light.shape[:2], y0, x0)
    cut = light.min(2) <= 0
    out = np.take_along_axis(own, site[..., None], 2)[..., 0]
    for c in range(3):
        here = cut & (site == c)
        if here.any():
            q = int(np.argmax(mixing.matrix[:, c]))
            usual = median[here]
            told = (light[here][:, q] - usual @ mixing.matrix[q].astype(np.float32)) / np.float32(mixing.matrix[q, c])
            out[here] = np.where(light[here][:, q] > 0, told + usual[:, c], usual[:, c])
    return np.ascontiguousarray(out, np.float32)
