"""Peaks that are narrower than the picture's own can be: hot pixels, singly, in pairs and in small clusters.

Not brightness tells a defect from a star but shape. Three ratios say how narrow a peak is: the mean of its four
neighbours (single), of the three weakest of them (pair), of the five weakest of all eight (cluster), each over the
peak's height above the local median. Their limits come from the picture's *own* peaks: those whose five weakest
neighbours are raised as well, which no single, pair or cluster of four can do.

What is found is filled and the rest is looked at again, for a second defect nearby hides the first. All of it is done
strip by strip, so that a large picture needs little memory; a strip's place never depends on who asks.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

AROUND = 40  # px beyond a strip that its pixels are judged by
PASSES = 4
CANDIDATE = 4.0  # σ that a peak is high, from which it is looked at
SURE, SHARP = 6.0, 3.3  # of a hit at the usual threshold: σ above its surroundings, and of its ratio below the limit
STRONG, FEWEST_OWN, OWN_SHARE = 20.0, 20, 0.02  # the picture's own peaks: σ, how many, and the quantile that limits
USUAL_LIMITS = (0.12, 0.12, 0.0)
MOST_LIMITS, MARGINS, LEAST_CLUSTER = (0.33, 0.25, 0.15), (0.85, 0.85, 0.6), 0.06
NEIGHBOURS = (4, 3, 5)  # that each ratio is the mean of
CROSS = ((-1, 0), (1, 0), (0, -1), (0, 1))
RING = tuple((y, x) for y in range(-2, 3) for x in range(-2, 3) if max(abs(y), abs(x)) == 2)
SPARED = 2
ALL_EIGHT = (*CROSS, (-1, -1), (-1, 1), (1, -1), (1, 1))
SCALE = 1.25  # from mean absolute deviation to sigma, normal distribution
SPREAD = 1.6  # how far a local scale may lie above the median around it
ENOUGH_SHARE = 1e-5  # of the pixels
LEAST_SHARE = 0.7  # of the usual scale, that a local one has
WEAKEST = 2 / 3  # of the usual sureness, that candidates are kept from
PROOF, ENOUGH = 12.0, 3  # a hit as sure as this, or so many, are proof; one or two weak ones are not

Plane = NDArray[np.float32]
Strips = Callable[[], Iterable[tuple[int, int, Plane]]]


@dataclass(frozen=True, eq=False)
class Peaks:
    """Candidates.

    Attributes
    ----------
    at : (n, 2) places. scores : (n, 3) how sure each is, as a single, of a pair and of a cluster; `SURE` at the usual
        threshold. height, sigma : (n,) above the local median, and the scale around it.
    limits : what the picture's own peaks allow for each of the three. pixels : that were looked at;
        peaked : the share of them that is the top of some peak, defect or not.
    """

    at: NDArray[np.intp]
    scores: NDArray[np.float32]
    height: NDArray[np.float32]
    sigma: NDArray[np.float32]
    limits: tuple[float, float, float]
    pixels: int = 0
    peaked: float = 0.0

    def only(self, kept: NDArray[np.bool_]) -> Peaks:
        """Some of the candidates."""
        return replace(
            self, at=self.at[kept], scores=self.scores[kept], height=self.height[kept], sigma=self.sigma[kept]
        )

    def score(self, largest: int = 3) -> NDArray[np.float32]:
        """How sure each is when singles (1), pairs (2) or clusters (3) are the largest that count."""
        return self.scores[:, :largest].max(1, initial=0)

    def chosen(self, least: float, largest: int = 3) -> NDArray[np.bool_]:
        """Those that count at a threshold; none where all of them together prove nothing."""
        score = self.score(largest)
        hit = score >= least
        proven = hit.sum() > max(ENOUGH, ENOUGH_SHARE * self.pixels) or (hit & (score >= max(PROOF, least))).any()
        return hit if proven else np.zeros(len(hit), bool)


@dataclass(frozen=True, eq=False)
class _Seen:
    """Candidate peaks of one pass: place, height, scale, heights of four and of eight neighbours, ascending."""

    at: NDArray[np.intp]
    height: Plane
    sigma: Plane
    four: Plane
    eight: Plane
    top: NDArray[np.bool_]
    alone: NDArray[np.bool_]

    @property
    def ratios(self) -> tuple[Plane, Plane, Plane]:
        return self.four.mean(1), self.four[:, :3].mean(1), self.eight[:, :5].mean(1)


def _scales(plane: Plane) -> tuple[Plane, Plane, float]:
    """Height above the median of 5 x 5, its local scale, and the usual one."""
    height = plane - cv2.medianBlur(plane, 5)
    size = np.abs(height)
    ring = SCALE * (cv2.boxFilter(size, -1, (9, 9)) * 81 - cv2.boxFilter(size, -1, (3, 3)) * 9) / 72
    near = SCALE * SPREAD * cv2.medianBlur(cv2.boxFilter(size, -1, (3, 3)), 5)
    seen = size[::3, ::3]
    usual = max(1.48 * np.median(seen), SCALE * np.mean(np.minimum(seen, np.quantile(seen, 0.9))))
    return height, np.minimum(ring, near), float(usual)


def _candidates(
    plane: Plane, top: int, first: int, last: int, usual: float, same: tuple[tuple[int, int], ...]
) -> _Seen:
    """Peaks of the rows from ``first`` to ``last`` of a strip whose first row is row ``top`` of the picture."""
    height, sigma, _ = _scales(plane)
    sigma = np.maximum(sigma, LEAST_SHARE * usual)
    ys, xs = np.nonzero(height > CANDIDATE * sigma)
    inside = (ys + top >= first) & (ys + top < last)
    ys, xs = ys[inside], xs[inside]
    h, w = plane.shape

    def at(dy: int, dx: int) -> Plane:
        return height[np.clip(ys + dy, 0, h - 1), np.clip(xs + dx, 0, w - 1)]

    own = height[ys, xs]
    eight = np.stack([at(*d) for d in ALL_EIGHT], 1) if len(ys) else np.zeros((0, 8), np.float32)
    ring = np.stack([at(*d) for d in RING], 1) if len(ys) else np.zeros((0, len(RING)), np.float32)
    ordered = np.sort(ring, 1)  # but for two, which another defect may be
    alone = own > ordered[:, -1 - SPARED] - ordered[:, SPARED]  # it stands out more than what is around it differs
    for d in same:
        alone &= own > 2 * at(*d)
    return _Seen(
        np.stack([ys + top, xs], 1), own, sigma[ys, xs], np.sort(eight[:, :4], 1), np.sort(eight, 1),
        own >= eight.max(1, initial=-np.inf), alone,
    )  # fmt: skip


def _joined(parts: list[_Seen]) -> _Seen:
    def put(name: str) -> NDArray:
        return np.concatenate([getattr(p, name) for p in parts])

    return _Seen(*(put(n) for n in ("at", "height", "sigma", "four", "eight", "top", "alone")))


def _limits(seen: _Seen, strong: float) -> tuple[float, float, float]:
    """For each ratio the least that the picture's own peaks have, with a margin."""
    ratios = seen.ratios
    raised = seen.top & (ratios[2] > 4 * seen.sigma / 5**0.5)
    own = raised & (seen.height > strong * seen.sigma)
    if own.sum() < FEWEST_OWN:
        own = raised & (seen.height > strong / 2 * seen.sigma)
    if own.sum() < FEWEST_OWN:
        return USUAL_LIMITS
    least = [float(np.quantile(r[own] / seen.height[own], OWN_SHARE)) for r in ratios]
    single, pair, cluster = (min(m * v, top) for m, v, top in zip(MARGINS, least, MOST_LIMITS, strict=True))
    return single, pair, cluster if least[2] > LEAST_CLUSTER else 0.0


def _scores(seen: _Seen, limits: tuple[float, float, float], unsure: float) -> NDArray[np.float32]:
    """(n, 3) how sure each is: the lesser of its height and of how far it is narrower than each limit, in σ."""
    out = np.zeros((len(seen.height), 3), np.float32)
    for n, (ratio, limit, count) in enumerate(zip(seen.ratios, limits, NEIGHBOURS, strict=True)):
        if limit > 0:
            spread = np.hypot(seen.sigma * np.sqrt(limit * limit + 1.3 / count), unsure * seen.height)
            narrower = (limit * seen.height - ratio) / spread
            out[:, n] = np.where(seen.alone, np.minimum(seen.height / seen.sigma, SURE / SHARP * narrower), 0)
    return np.maximum(out, 0)


def find(
    strips: Strips, same: tuple[tuple[int, int], ...] = (), least_sigma: float = 0.0, unsure: float = 0.0
) -> Peaks:
    """Narrow peaks of a plane.

    Parameters
    ----------
    strips : gives the plane from top to bottom: for each strip the first and last row that it stands for, and the rows
        from `AROUND` above to `AROUND` below as far as there are any; light, or what noise is even in.
    same : in a mosaic, where neighbours of the same colour lie; a defect has to stand out from them as well.
    least_sigma : that noise is taken to have anywhere: what rounding leaves.
    unsure : share of a peak's height that its neighbours are uncertain by, where samples were reckoned back.

    Returns
    -------
    Peaks of at least two thirds of the usual sureness.
    """
    looked = [(_scales(plane)[2], (last - first) * plane.shape[1]) for first, last, plane in strips()]
    usual, pixels = float(np.median([u for u, _ in looked])), sum(n for _, n in looked)
    usual = max(usual, least_sigma / LEAST_SHARE)
    known: dict[tuple[int, int], NDArray[np.float32]] = {}  # best of all scores, the three scores, height, scale
    limits, peaked = (0.0, 0.0, 0.0), 0.0
    for _ in range(PASSES):
        bad = np.array(sorted(p for p, f in known.items() if f[0] >= SURE), np.intp).reshape(-1, 2)
        parts = []
        for first, last, plane in strips():
            top = max(0, first - AROUND)
            parts.append(_candidates(_without(plane, bad, top), top, first, last, usual, same))
        seen = _joined(parts)
        peaked = peaked or float(seen.top.sum()) / max(pixels, 1)
        found = _limits(seen, STRONG)
        limits = tuple(max(a, b) for a, b in zip(limits, found, strict=True))  # type: ignore[assignment]
        scores = _scores(seen, limits, unsure)
        rows = np.column_stack([scores.max(1, initial=0), scores, seen.height, seen.sigma]).astype(np.float32)
        new = False
        for place, row in zip(map(tuple, seen.at.tolist()), rows, strict=True):
            before = known[place][0] if place in known else 0.0
            if row[0] >= SURE * WEAKEST and row[0] > before:
                new |= bool(row[0] >= SURE > before)
                known[place] = row
        if not new:
            break
    places = sorted(known)
    values = np.array([known[p] for p in places], np.float32).reshape(-1, 6)
    at = np.array(places, np.intp).reshape(-1, 2)
    return Peaks(at, values[:, 1:4], values[:, 4], values[:, 5], limits, pixels, peaked)


def _without(plane: Plane, bad: NDArray[np.intp], top: int) -> Plane:
    """A strip with what was found in it filled from the good neighbours."""
    here = bad[(bad[:, 0] >= top) & (bad[:, 0] < top + len(plane))] - np.array([top, 0])
    if not len(here):
        return plane
    mask = np.zeros(plane.shape, bool)
    mask[here[:, 0], here[:, 1]] = True
    total, weight = np.zeros(len(here), np.float32), np.zeros(len(here), np.float32)
    h, w = plane.shape
    for dy, dx in ALL_EIGHT:
        y, x = np.clip(here[:, 0] + dy, 0, h - 1), np.clip(here[:, 1] + dx, 0, w - 1)
        share = np.where(mask[y, x], 0, 1 if 0 in (dy, dx) else 0.5).astype(np.float32)
        total += share * plane[y, x]
        weight += share
    out = plane.copy()
    median = cv2.medianBlur(plane, 5)[here[:, 0], here[:, 1]]
    out[here[:, 0], here[:, 1]] = np.where(weight > 0, total / np.maximum(weight, 1e-6), median)
    return out
