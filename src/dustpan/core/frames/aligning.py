"""What brings an exposure onto the reference: its stars, or, where there are none, all that is in it.

*By stars*: triangles of bright ones are told from their sides' ratios [1], and the best pairs of triangles vote for a
motion; all stars then refine it, each with the say that its place deserves, until only pairs that fit have one. *By
content*: a turn is tried on a small version of both, the shift that fits it best comes from the phases of their spectra
[2], and a rigid motion is refined from level to level by the correlation of their light [3].

References
----------
[1] E. J. Groth, "A pattern-matching algorithm for two-dimensional coordinate lists", AJ 91, 1986.
[2] C. D. Kuglin, D. C. Hines, "The phase correlation image alignment method", 1975.
[3] G. D. Evangelidis, E. Z. Psarakis, "Parametric image alignment using enhanced correlation coefficient
    maximization", IEEE PAMI 30, 2008.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import combinations

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from dustpan.core.frames.motion import Freedom, Motion, fitted, motion_of
from dustpan.core.frames.points import Points

FEWEST = 4  # stars in common; three of them can lie alike by chance
BRIGHT, NEAREST, SHORTEST = 32, 6, 8.0  # stars that triangles are made of; of each; px of a triangle's shortest side
TRIED, VOTERS, VOTE = 250, 80, 2.0  # pairs of triangles; stars that vote; px that a vote may be off
AS_LARGE = 0.3  # how much the size of a triangle counts beside its shape
ROUNDS, FIRST, NARROWEST, SPREAD = 10, 3.0, 0.15, 3.0  # of refining; px that pairs may be off at first and at last
SMALL, LARGEST = 200, 4_000_000  # px of the side that turns are tried at; px of the finest level
TURN, TURN_STEP = 4.0, 0.5  # degrees that are tried
ITERATIONS, CLOSE, GAUSS = 100, 1e-8, 5  # of the refinement on each level; its end; px of its own smoothing
SOFT = 1.0  # px, sigma, before the logarithm of light is compared
ALIKE = 0.12  # correlation of two exposures of one thing


def by_stars(here: Points, there: Points, freedom: Freedom) -> Motion | None:
    """How an exposure with the stars ``there`` lies against a reference with those ``here``; None if it is not told."""
    if min(len(here), len(there)) < FEWEST:
        return None
    motion = _first_guess(here, there)
    if motion is None:
        return None
    tree, tolerance = cKDTree(there.at), FIRST
    for n in range(ROUNDS):
        away, pair = tree.query(motion.of(here.at))
        near = away < tolerance
        if near.sum() < FEWEST:
            return None
        weight = 1 / (here.unsure[near] ** 2 + there.unsure[pair[near]] ** 2)
        motion = fitted(here.at[near], there.at[pair[near]], weight, freedom if n else Freedom.RIGID)
        tolerance = max(NARROWEST, SPREAD * float(np.median(away[near])))
    return motion


def in_common(here: Points, there: Points, motion: Motion) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Which stars of the reference are found again, and which those are."""
    if not len(here) or not len(there):
        return np.zeros(0, np.intp), np.zeros(0, np.intp)
    away, pair = cKDTree(there.at).query(motion.of(here.at))
    near = np.flatnonzero(away < 1.0)
    return near, pair[near]


def _first_guess(here: Points, there: Points) -> Motion | None:
    """The rigid motion that most stars vote for."""
    (shapes, corners), (other_shapes, other_corners) = _triangles(here.at), _triangles(there.at)
    if not len(shapes) or not len(other_shapes):
        return None
    apart, pair = cKDTree(other_shapes).query(shapes)
    tree, most, best = cKDTree(there.at), 0, None
    even = np.ones(3)
    for n in np.argsort(apart, kind="stable")[:TRIED]:
        motion = fitted(here.at[corners[n]], there.at[other_corners[pair[n]]], even, Freedom.RIGID)
        votes = int((tree.query(motion.of(here.at[:VOTERS]))[0] < VOTE).sum())
        if votes > most:
            most, best = votes, motion
    return best if most >= FEWEST else None


def _triangles(at: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.intp]]:
    """Shapes (n, 3) of triangles of bright neighbours, and their corners (n, 3), those of the shorter sides first."""
    at = at[:BRIGHT]
    tree = cKDTree(at)
    near = tree.query(at, min(NEAREST + 1, len(at)))[1]
    names = sorted({tuple(sorted(three)) for row in near for three in combinations(row.tolist(), 3)})
    if not names:
        return np.zeros((0, 3)), np.zeros((0, 3), np.intp)
    corners = np.array(names, np.intp)
    sides = np.stack([np.linalg.norm(at[corners[:, k - 2]] - at[corners[:, k - 1]], axis=1) for k in range(3)], 1)
    order = np.argsort(sides, 1, kind="stable")
    sides, corners = np.take_along_axis(sides, order, 1), np.take_along_axis(corners, order, 1)
    large = sides[:, 0] > SHORTEST
    sides, corners = sides[large], corners[large]
    shapes = np.stack([sides[:, 0] / sides[:, 2], sides[:, 1] / sides[:, 2], AS_LARGE * np.log(sides[:, 2])], 1)
    return shapes, corners


# ---------------------------------------------------------------- by content


def by_content(
    here: NDArray[np.float32], there: NDArray[np.float32], check: Callable[[], None] = lambda: None
) -> Motion | None:
    """How an exposure (h, w) of light lies against a reference; None where they have nothing in common."""
    if here.shape != there.shape or min(here.shape) < 16:
        return None
    one, other = _even(here), _even(there)
    level = 2 ** max(0, int(np.ceil(np.log2(max(here.shape) / SMALL))))
    motion = _turned_and_shifted(_reduced(one, level), _reduced(other, level), check)
    ends = cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, ITERATIONS, CLOSE
    while True:
        check()
        a, b = _reduced(one, level), _reduced(other, level)
        start, everywhere = motion.matrix.astype(np.float32), np.ones(b.shape, np.uint8)
        try:
            alike, found = cv2.findTransformECC(a, b, start, cv2.MOTION_EUCLIDEAN, ends, everywhere, GAUSS)
        except cv2.error:
            return None
        motion = motion_of(found)
        if level == 1 or a.size * 4 > LARGEST:
            return motion.enlarged(level) if alike > ALIKE else None
        level //= 2
        motion = motion.enlarged(2)


def _even(light: NDArray[np.float32]) -> NDArray[np.float32]:
    """The logarithm of light, softened, of mean 0 and spread 1: a lamp then weighs no more than a wall."""
    soft = cv2.GaussianBlur(light, (0, 0), SOFT)
    least = float(light.min())
    found = np.log1p(np.maximum(soft - least, 0) / (float(np.median(light)) - least + 1e-6))
    return np.asarray((found - found.mean()) / (found.std() + 1e-6), np.float32)


def _reduced(plane: NDArray[np.float32], by: int) -> NDArray[np.float32]:
    h, w = plane.shape
    if by == 1:
        return plane
    whole = plane[: h // by * by, : w // by * by]
    return np.asarray(cv2.resize(whole, (w // by, h // by), interpolation=cv2.INTER_AREA), np.float32)


def _turned_and_shifted(here: NDArray[np.float32], there: NDArray[np.float32], check: Callable[[], None]) -> Motion:
    h, w = here.shape
    window = cv2.createHanningWindow((w, h), cv2.CV_32F)
    best, found = -1.0, np.eye(2, 3)
    for degrees in np.arange(-TURN, TURN + TURN_STEP / 2, TURN_STEP):
        check()
        turn = cv2.getRotationMatrix2D(((w - 1) / 2, (h - 1) / 2), float(degrees), 1)
        turned = cv2.warpAffine(here, turn, (w, h), borderMode=cv2.BORDER_REFLECT)
        (dx, dy), response = cv2.phaseCorrelate(turned, there, window)
        if response > best:
            best, found = response, turn + np.array([[0, 0, dx], [0, 0, dy]])
    return motion_of(found)
