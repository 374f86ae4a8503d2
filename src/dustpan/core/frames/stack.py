"""A sequence made into one picture, strip by strip, so that memory does not grow with the number of exposures.

Every exposure is brought onto the reference once and kept on the disk (`Aligned`). Its sky is levelled with the
reference's by a plane, its light where a thin cloud took some. Then noise is measured on bands of all of them at once,
and combining goes down the picture in strips.
"""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.cancel import Cancel
from dustpan.core.errors import WrongUse
from dustpan.core.frames.combining import Combining, Noise, Way, combine
from dustpan.core.frames.exposures import clean_name, read_exposure
from dustpan.core.frames.motion import aligned
from dustpan.core.frames.sequence import Align, Progress, Sequence
from dustpan.core.frames.spool import Spool, as_it_lies, hashed, name_of
from dustpan.core.language import say

MOST_BYTES = 192 << 20  # of the values of one strip
BANDS, OF_BAND, MOST_VALUES = 12, 24, 6_000_000  # that noise is measured on; rows; values of all exposures
# quantiles of light between which it is told
LEVELS = (0, 0.1, 0.25, 0.5, 0.75, 0.9, 0.95, 0.98, 0.99, 0.995, 0.998, 1)
CLEARLY = 0.02  # share of light that a cloud has to have taken before it is given back
FAR_OFF, PLAIN = 6.0, 0.75  # σ of what strays where noise is measured; quantile of light up to which it is told
STEADY = 3  # rounds of fitting a plane without what strays
TRIMS = (0.0, 5.0, 10.0, 15.0, 20.0, 25.0, 30.0, 35.0, 40.0)  # percentiles that a suggestion is chosen from
PASSED, STRAY = 1.5, 4.0  # times that chance lets through; σ of the result that something which passed stands out

Light = NDArray[np.float32]


class Aligned:
    """The exposures of a sequence that are used, each as it lies in the reference and at its level.

    Parameters
    ----------
    spool : where they are kept; those that find no room are reckoned again whenever they are asked for.
    """

    def __init__(self, sequence: Sequence, spool: Spool, cancel: Cancel | None = None) -> None:
        self.sequence, self.spool, self.cancel = sequence, spool, cancel or Cancel()
        self.used = sequence.used
        if len(self.used) < 2:
            raise WrongUse(
                "At least two exposures have to be used; {0} of {1} are.", len(self.used), len(sequence.frames)
            )
        self._held: dict[int, NDArray] = {}

    def __len__(self) -> int:
        return len(self.used)

    @property
    def size(self) -> tuple[int, int, int]:
        return self.sequence.size

    def prepare(self, progress: Progress = lambda done, of: None) -> None:
        """Bring all of them onto the reference."""
        done = 0

        def one(index: int) -> None:
            nonlocal done
            self.cancel.check()
            self.frame(index)
            done += 1
            progress(done, len(self.used))

        with ThreadPoolExecutor(2) as pool:
            list(pool.map(one, self.used))

    def frame(self, index: int) -> NDArray:
        """(h, w, C) light of one, as it lies in the reference, not levelled; NaN outside."""
        found = self._held.get(index)
        if found is not None:
            return found
        name = self._name(index)
        kept = self.spool.get(name)
        if kept is None:
            made = self._made(index)
            if not self.spool.put(name, made):
                return made
            kept = self.spool.get(name)
            if kept is None:
                return made
        self._held[index] = kept
        return kept

    def _name(self, index: int) -> str:
        frame, s = self.sequence.frames[index], self.sequence
        return name_of(as_it_lies(frame.path), s.motion(index).numbers, s.size, s.masters.name, hashed(frame.hot))

    def _made(self, index: int) -> Light:
        frame, masters = self.sequence.frames[index], self.sequence.masters
        name = clean_name(frame.path, masters, frame.hot)
        light = self.spool.get(name)
        self.spool.remove(name)  # what is mapped can still be read
        if light is None:
            light = read_exposure(frame.path, masters, False, self.cancel.check, frame.hot).light
        motion, size = self.sequence.motion(index), self.size[:2]
        planes = [aligned(np.ascontiguousarray(light[..., c]), motion, size) for c in range(light.shape[2])]
        return np.stack(planes, -1)

    def rows(self, y0: int, y1: int, c: int) -> Light:
        """(N, y1 - y0, w) levelled light of one channel."""
        out = np.empty((len(self.used), y1 - y0, self.size[1]), np.float32)
        for n, index in enumerate(self.used):
            out[n] = self.frame(index)[y0:y1, :, c]
            self._level(out[n], n, y0, c)
        return out

    def _level(self, plane: Light, n: int, y0: int, c: int) -> None:
        """Bring rows of one exposure to the reference's sky and light, in place."""
        (base, across, down), gain = self.levels[n][c], self.gains[n]
        h, w = plane.shape
        if gain != 1:
            plane *= np.float32(gain)
        if across or down:
            plane -= np.arange(w, dtype=np.float32) * np.float32(across)
            plane -= (np.arange(y0, y0 + h, dtype=np.float32) * np.float32(down))[:, None]
        if base:
            plane -= np.float32(base)

    @cached_property
    def gains(self) -> tuple[float, ...]:
        """What each exposure's light is multiplied by."""
        s = self.sequence
        if s.align is Align.CONTENT:
            return self._gains_by_light()
        lights = [s.frames[i].light for i in self.used]
        return tuple(1 / v if abs(v - 1) > CLEARLY else 1.0 for v in lights)

    def _gains_by_light(self) -> tuple[float, ...]:
        """Of exposures without stars: the median of how their light compares with the reference's."""
        h, w, _ = self.size
        step = max(1, int(np.sqrt(h * w / 2e5)))
        here = np.asarray(self.frame(self.sequence.reference)[::step, ::step].mean(2), np.float64)
        found = []
        for index in self.used:
            there = np.asarray(self.frame(index)[::step, ::step].mean(2), np.float64)
            both = np.isfinite(here) & np.isfinite(there) & (here > np.nanmedian(here) / 4)
            ratio = float(np.median(here[both] / np.maximum(there[both], 1e-12))) if both.any() else 1.0
            found.append(ratio if 0.1 < ratio < 10 and abs(ratio - 1) > CLEARLY else 1.0)
        return tuple(found)

    @cached_property
    def levels(self) -> tuple[tuple[tuple[float, float, float], ...], ...]:
        """For each exposure and channel a plane (at the first px, a px across, a px down) that its sky has more."""
        h, w, channels = self.size
        if not self.sequence.align.by_stars:
            return (((0.0, 0.0, 0.0),) * channels,) * len(self.used)
        ours = self.sequence.frames[self.sequence.reference].sky
        assert ours is not None
        rows, columns = ours.shape[:2]
        y, x = np.mgrid[:rows, :columns].astype(np.float64)
        places = np.stack([(x.ravel() + 0.5) * w / columns - 0.5, (y.ravel() + 0.5) * h / rows - 0.5], 1)
        found = []
        for n, index in enumerate(self.used):
            theirs = self.sequence.frames[index].sky
            assert theirs is not None
            at = self.sequence.motion(index).of(places)
            inside = (at[:, 0] > 0) & (at[:, 0] < w - 1) & (at[:, 1] > 0) & (at[:, 1] < h - 1)
            gx, gy = ((at[:, 0] + 0.5) * columns / w - 0.5), ((at[:, 1] + 0.5) * rows / h - 0.5)
            own = []
            for c in range(channels):
                plane = np.ascontiguousarray(theirs[..., c])
                moved = cv2.remap(
                    plane,
                    gx.astype(np.float32),
                    gy.astype(np.float32),
                    cv2.INTER_LINEAR,
                    borderMode=cv2.BORDER_REPLICATE,
                )
                more = self.gains[n] * moved.ravel() - ours[..., c].ravel()
                own.append(
                    _plane(places[inside], more[inside]) if index != self.sequence.reference else (0.0, 0.0, 0.0)
                )
            found.append(tuple(own))
        return tuple(found)

    @cached_property
    def noise(self) -> tuple[Noise, ...]:
        """The noise of the exposures, measured on bands of rows; for each channel."""
        share = np.exp(np.log(np.maximum(self.variances, 1e-12)).mean(0))
        share = np.asarray(share / np.median(share), np.float32)
        width = np.array([getattr(self.sequence.frames[i].figures, "width", np.nan) for i in self.used])
        sharp = np.where(np.isfinite(width), (np.nanmedian(width) if np.isfinite(width).any() else 1) / width, 1)
        weight = np.nan_to_num(sharp, nan=1.0) ** 2 / share
        weight = np.asarray(weight / weight.mean(), np.float32)
        return tuple(Noise(*_by_level(*rests, share), share, weight) for rests in self._rests)

    @cached_property
    def bands(self) -> list[list[Light]]:
        """For each channel, the bands of rows (N, h, w) that noise is measured on."""
        h, w, channels = self.size
        rows = max(4, min(OF_BAND, MOST_VALUES // (len(self.used) * w * BANDS)))
        firsts = np.unique(np.linspace(0, max(h - rows, 0), BANDS).astype(int))
        return [[self.rows(int(y), int(min(y + rows, h)), c) for y in firsts] for c in range(channels)]

    @cached_property
    def variances(self) -> NDArray[np.float64]:
        """(C, N) the variance of each exposure's noise."""
        return np.array([_variance(*rests) for rests in self._rests])

    @cached_property
    def _rests(self) -> list[tuple[NDArray, NDArray]]:
        return [_rests(bands) for bands in self.bands]


def _plane(at: NDArray[np.float64], value: NDArray) -> tuple[float, float, float]:
    """The plane (base, across, down) through values at places (n, 2), without what strays."""
    if len(at) < 6:
        return (float(np.median(value)) if len(value) else 0.0, 0.0, 0.0)
    terms = np.column_stack([np.ones(len(at)), at])
    kept = np.ones(len(at), bool)
    for _ in range(STEADY):
        found = np.linalg.lstsq(terms[kept], value[kept], rcond=None)[0]
        rest = value - terms @ found
        sigma = 1.4826 * float(np.median(np.abs(rest[kept]))) + 1e-12
        kept = np.abs(rest) < 3 * sigma
        if kept.sum() < 6:
            break
    return float(found[0]), float(found[1]), float(found[2])


def _rests(bands: list[Light]) -> tuple[NDArray, NDArray]:
    """What every exposure differs from the mean of all that do not stray, (N, n), and that mean (n,).

    Not from their median, which is one or two of the values themselves.
    """
    count = len(bands[0])
    alike = Noise(*(np.zeros(1, np.float32),) * 2, *(np.ones(count, np.float32),) * 2)
    middles = [combine(b, alike, Combining(Way.SIGMA, FAR_OFF)).value for b in bands]
    known = [np.isfinite(b).all(0) for b in bands]
    rest = np.concatenate([(b - m)[:, k] for b, m, k in zip(bands, middles, known, strict=True)], 1)
    return rest * np.float32(np.sqrt(count / max(count - 1, 1))), np.concatenate(
        [m[k] for m, k in zip(middles, known, strict=True)]
    )


def _variance(rest: NDArray, middle: NDArray) -> NDArray[np.float64]:
    """(N,) the variance of each exposure's noise, from what they differ from the mean."""
    if rest.shape[1] < 50:
        return np.ones(len(rest))
    rest = rest[:, middle <= np.quantile(middle, PLAIN)]
    return np.asarray((1.4826 * np.median(np.abs(rest - np.median(rest, 1, keepdims=True)), 1)) ** 2 + 1e-20)


def _by_level(
    rest: NDArray, middle: NDArray, share: NDArray[np.float32]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Levels of light, rising, and the variance of a usual exposure there."""
    if rest.shape[1] < 50:
        return np.zeros(1, np.float32), np.ones(1, np.float32)
    rest = rest / np.sqrt(share)[:, None]
    edges = np.quantile(middle, LEVELS)
    levels, found = [], []
    for low, high in pairwise(edges):
        own = (middle >= low) & (middle <= high)
        if own.sum() >= 20 and high > low:
            levels.append(float(middle[own].mean()))
            found.append(float((1.4826 * np.median(np.abs(rest[:, own]))) ** 2))
    if not levels:
        return np.array([edges[0]], np.float32), np.array([np.median(rest**2) / 0.4549 + 1e-20], np.float32)
    variance = np.maximum.accumulate(np.array(found)) + 1e-20  # brighter is never quieter
    rise = (variance[-1] - variance[0]) / max(levels[-1] - levels[0], 1e-12)
    far = levels[-1] + 1e3 * max(levels[-1] - levels[0], 1e-12)  # photon noise goes on beyond what was seen
    return (
        np.array([*levels, far], np.float32),
        np.array([*variance, variance[-1] + rise * (far - levels[-1])], np.float32),
    )


# ---------------------------------------------------------------- combining


@dataclass(frozen=True, eq=False)
class Stacked:
    """What exposures were made into.

    Attributes
    ----------
    light : (h, w, C). low, high : (h, w, C) the least and the greatest value that was kept.
    rejected : (N,) share of each exposure's values that was left out. weight : (N,) in the mean.
    noise : σ of it. one : of a usual exposure, as aligned. ideal : what the mean of exposures of such noise has.
    used : indices of the exposures. how : they were combined.
    """

    light: Light
    low: Light
    high: Light
    rejected: NDArray[np.float64]
    weight: NDArray[np.float64]
    noise: float
    one: float
    ideal: float
    used: tuple[int, ...]
    how: Combining

    @property
    def gain(self) -> float:
        """How much of the ideal reduction of noise was reached, 1 all."""
        return self.ideal / self.noise if self.noise > 0 else 1.0


def _strips(size: tuple[int, int, int], count: int) -> Iterator[tuple[int, int]]:
    h, w, _ = size
    rows = max(8, MOST_BYTES // (4 * count * w))
    for y in range(0, h, rows):
        yield y, min(h, y + rows)


def stacked(exposures: Aligned, how: Combining, progress: Progress = lambda done, of: None) -> Stacked:
    """Combine exposures."""
    exposures.prepare(lambda done, of: progress(done, 2 * of))
    h, w, channels = exposures.size
    light, low, high = (np.empty((h, w, channels), np.float32) for _ in range(3))
    noise = exposures.noise
    rejected, counted = np.zeros(len(exposures), np.int64), np.zeros(len(exposures), np.int64)
    parts = [(y0, y1, c) for y0, y1 in _strips(exposures.size, 2 * len(exposures)) for c in range(channels)]
    done = 0

    def one(part: tuple[int, int, int]) -> None:
        nonlocal done
        y0, y1, c = part
        exposures.cancel.check()
        top, end = max(0, y0 - 1), min(h, y1 + 1)
        found = combine(exposures.rows(top, end, c), noise[c], how)
        own = slice(y0 - top, y1 - top)
        for out, plane in ((light, found.value), (low, found.low), (high, found.high)):
            out[y0:y1, :, c] = plane[own]
        rejected.__iadd__(found.rejected)
        counted.__iadd__(found.counted)
        done += 1
        progress(len(parts) + done, 2 * len(parts))

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(one, parts))
    light = _without_holes(light)
    weight = noise[0].weight.astype(np.float64)
    one_sigma, ideal, sigma = _measured(exposures, how)
    return Stacked(
        light, low, high, rejected / np.maximum(counted, 1), weight, sigma, one_sigma, ideal, exposures.used, how
    )


def _measured(exposures: Aligned, how: Combining) -> tuple[float, float, float]:
    """σ of a usual exposure, of the ideal mean of all, and of what they are combined to, of all channels together.

    That of the result is told from the difference of two halves of the exposures, in which nothing but noise is left.
    """
    noise, count = exposures.noise, len(exposures)
    apart = []
    for own, bands in zip(noise, exposures.bands, strict=True):
        for band in bands:
            halves = [combine(np.ascontiguousarray(band[k::2]), own.of(slice(k, None, 2)), how).value for k in (0, 1)]
            plain = halves[0] + halves[1] <= np.nanquantile(halves[0] + halves[1], PLAIN)
            apart.append((halves[0] - halves[1])[plain])
    variance = exposures.variances.mean(0)
    rest = np.concatenate(apart)
    rest = rest[np.isfinite(rest)]
    spread_of = 1.4826 * float(np.median(np.abs(rest))) if rest.size else 0.0
    sizes = (count + 1) // 2, count // 2
    found = spread_of / np.sqrt((1 / sizes[0] + 1 / sizes[1]) * count)
    return float(np.sqrt(np.median(variance))), float(1 / np.sqrt((1 / variance).sum())), float(found)


def _without_holes(light: Light) -> Light:
    """Places that no exposure covers get the usual light, and none is left without a number."""
    empty = ~np.isfinite(light)
    if empty.any():
        usual = np.nanmedian(light.reshape(-1, light.shape[2])[::97], 0)
        light = np.where(empty, usual, light).astype(np.float32)
    return light


# ---------------------------------------------------------------- the widest range


@dataclass(frozen=True)
class Suggested:
    """The widest trimmed mean that still lets nothing through, and the reason."""

    how: Combining
    why: str


def suggest_trim(exposures: Aligned) -> Suggested:
    """Which percentiles to take, told on the bands that noise is measured on.

    Bands are combined by the noise model, which rejects what strays; the widest range is wanted whose mean is not
    further from that, in more places, than its own noise makes likely.
    """
    noise, count = exposures.noise, len(exposures)
    bands = [(band, own) for own, bands in zip(noise, exposures.bands, strict=True) for band in bands]
    clean = [combine(b, n, Combining(Way.MODEL)) for b, n in bands]
    stray = sum(int(c.rejected.sum()) for c in clean) / max(sum(int(c.counted.sum()) for c in clean), 1)

    def passed(low: float, high: float) -> float:
        """Share of places where something has come through."""
        off = total = 0
        for (band, n), good in zip(bands, clean, strict=True):
            found = combine(band, n, Combining(Way.TRIM, low=low, high=high)).value
            sigma = np.sqrt(np.interp(np.nan_to_num(good.value), n.level, n.variance) / count)
            known = np.isfinite(found)
            off += int((np.abs(found - good.value)[known] > STRAY * sigma[known]).sum())
            total += int(known.sum())
        return off / max(total, 1)

    least = passed(45.0, 55.0)
    for cut in TRIMS:
        for low, high in ((0.0, 100 - cut), (cut, 100.0), (cut, 100 - cut)) if cut else ((0.0, 100.0),):
            if passed(low, high) <= PASSED * least + 1e-4:
                told = "{0:.2f} % of the values stray; from {1:g} to {2:g} % none of them comes through."
                return Suggested(Combining(Way.TRIM, low=low, high=high), say(told, 100 * stray, low, high))
    return Suggested(Combining(Way.MEDIAN), say("Too much strays for a trimmed mean of so few exposures."))
