"""Many values for one place made into one, and those left out that do not belong to it.

*By the noise model* is usual: a value is rejected where it lies further from the median of those that are kept than a
few sigma, and sigma is not told from these few values but *measured*: on all of the picture, against brightness, with
what each exposure has more or less of it; where the picture is steep, the last bit of misalignment adds to it. Telling
sigma from the values themselves (sigma clipping) costs some noise and lets faint trails through.

References
----------
[1] P. B. Stetson, "DAOPHOT", PASP 99, 1987: noise by a model, and what lies off it.
[2] C. A. R. Hoare, "Algorithm 65: find", Comm. ACM 4, 1961.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.errors import WrongUse
from dustpan.core.kernels import PLANE, PLANES, ROW, f8, i8, kernel, part, seen, u1
from dustpan.core.language import mark

Stack = NDArray[np.float32]
ROUNDS = 5
ENOUGH = 32  # values whose median rejecting begins with
SEVERAL, BESIDE = 2, 0.5  # rejected within 3 x 3, that are a trail's or a lamp's; and their share of the limit
MISALIGNED = 0.35  # of the slope from pixel to pixel, that two aligned exposures may differ


class Way(StrEnum):
    """How values are made into one."""

    MODEL = mark("noise model")
    SIGMA = mark("sigma")
    TRIM = mark("trimmed mean")
    MEDIAN = mark("median")
    MEAN = mark("mean")


@dataclass(frozen=True)
class Combining:
    """A way with its limits: ``sigma`` for the noise model and for sigma clipping, percentiles for a trimmed mean."""

    way: Way = Way.MODEL
    sigma: float = 3.5
    low: float = 0.0
    high: float = 100.0

    @property
    def text(self) -> str:
        """As it is typed, see `combining_of`."""
        if self.way is Way.TRIM:
            return f"trim:{self.low:g}-{self.high:g}"
        if self.way in (Way.MODEL, Way.SIGMA):
            return f"{'model' if self.way is Way.MODEL else 'sigma'}:{self.sigma:g}"
        return self.way.value


TYPED = re.compile(r"(mean|median)|(model|sigma)(?::([\d.]+))?|trim:([\d.]+)-([\d.]+)")


def combining_of(text: str) -> Combining:
    """A way from how it is typed: ``mean``, ``median``, ``trim:LO-HI``, ``sigma:K`` or ``model:K``.

    Examples
    --------
    >>> combining_of("trim:10-90").high, combining_of("model:3").sigma, combining_of("median").text
    (90.0, 3.0, 'median')
    """
    wrong = WrongUse("“{0}” is no way to combine; use mean, median, trim:LO-HI, sigma:K or model:K.", text)
    found = TYPED.fullmatch(text)
    if found is None:
        raise wrong
    plain, clipped, sigma, low, high = found.groups()
    try:
        if plain:
            return Combining(Way(plain))
        if clipped:
            made = Combining(Way.MODEL if clipped == "model" else Way.SIGMA, float(sigma or 3.5))
            if not 1 <= made.sigma <= 20:
                raise WrongUse("The limit in sigma goes from 1 to 20.")
            return made
        made = Combining(Way.TRIM, low=float(low), high=float(high))
    except ValueError:
        raise wrong from None
    if not 0 <= made.low < made.high <= 100:
        raise WrongUse("A trimmed mean goes from a lower to a higher percentile, within 0 to 100.")
    return made


@dataclass(frozen=True, eq=False)
class Noise:
    """The measured noise of aligned exposures, for one channel.

    level, variance : (n,) the variance at some levels of light of a usual exposure, rising levels.
    share : (N,) what each exposure has of that variance. weight : (N,) in the mean.
    """

    level: NDArray[np.float32]
    variance: NDArray[np.float32]
    share: NDArray[np.float32]
    weight: NDArray[np.float32]

    def of(self, some: slice) -> Noise:
        """That of some of the exposures."""
        own = (np.ascontiguousarray(v[some]) for v in (self.share, self.weight))
        return Noise(self.level, self.variance, *own)


@dataclass(frozen=True, eq=False)
class Combined:
    """Of one channel of a strip.

    value : (h, w); NaN where no exposure has one. low, high : (h, w) the least and the greatest value that was kept.
    rejected : (N,) values of each exposure that were left out. counted : (N,) that there were.
    """

    value: NDArray[np.float32]
    low: NDArray[np.float32]
    high: NDArray[np.float32]
    rejected: NDArray[np.int64]
    counted: NDArray[np.int64]


def combine(stack: Stack, noise: Noise, how: Combining) -> Combined:
    """Values of one channel (N, h, w), NaN where an exposure has none, to one.

    With a border of one row above and below that the slopes are told from, where the strip has neighbours.
    """
    n, h, w = stack.shape
    value, low, high = (np.empty((h, w), np.float32) for _ in range(3))
    rejected, counted = np.zeros(n, np.int64), np.zeros(n, np.int64)
    if how.way is Way.MODEL:
        middle = medians(np.ascontiguousarray(stack[:: max(1, n // ENOUGH)]))
        filled = np.nan_to_num(middle)
        steep = np.hypot(*(cv2.Sobel(filled, cv2.CV_32F, *d, scale=1 / 8) for d in ((1, 0), (0, 1))))
        own = np.interp(filled, noise.level, noise.variance).astype(np.float32)
        more = np.square(np.float32(MISALIGNED) * steep).astype(np.float32)
        near, gone, again = np.zeros((n, h, w), np.uint8), np.zeros((n, h, w), np.uint8), np.ones((h, w), np.uint8)
        for _ in range(2):
            by_model = stack, near, again, middle, own, more, noise.share, noise.weight, how.sigma, how.sigma * BESIDE
            _clipped(*by_model, value, low, high, gone)
            again = _beside(gone, near)
        gone_of, there = gone.reshape(n, -1), np.isfinite(stack.reshape(n, -1))
        rejected += gone_of.sum(1, dtype=np.int64)
        counted += there.sum(1)
    elif how.way is Way.SIGMA:
        _by_spread(stack, how.sigma, noise.weight, value, low, high, rejected, counted)
    elif how.way is Way.MEAN:
        _weighted(stack, noise.weight, value, low, high, counted)
    else:
        limits = (50.0, 50.0) if how.way is Way.MEDIAN else (how.low, how.high)
        _ranked(stack, *limits, value, low, high, rejected, counted)
        if how.way is Way.MEDIAN:  # which takes the middle of all
            rejected[:] = 0
    return Combined(value, low, high, rejected, counted)


def _beside(gone: NDArray[np.uint8], near: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Mark in ``near`` what lies beside several rejected values of its own exposure; gives where there is any."""
    again = np.zeros(gone.shape[1:], np.uint8)
    for mine, beside in zip(gone, near, strict=True):
        if mine.any():
            around = cv2.boxFilter(mine, -1, (3, 3), normalize=False, borderType=cv2.BORDER_CONSTANT)
            beside[:] = around >= SEVERAL
            again |= beside
    return again


def medians(stack: Stack) -> NDArray[np.float32]:
    """(h, w) of values (N, h, w); NaN where there are none."""
    found = np.empty(stack.shape[1:], np.float32)
    _medians(stack, found)
    return found


COUNTS = i8[::1]


@kernel(seen(PLANES), seen(ROW), PLANE, PLANE, PLANE, COUNTS)
def _weighted(stack, weight, value, low, high, counted):
    """The weighted mean of all that there is."""
    n, h, w = stack.shape
    for y in range(h):
        for x in range(w):
            total = weights = 0.0
            least, most = np.float32(np.inf), np.float32(-np.inf)
            for i in range(n):
                v = stack[i, y, x]
                if v == v:
                    total += weight[i] * v
                    weights += weight[i]
                    counted[i] += 1
                    least, most = min(least, v), max(most, v)
            value[y, x] = total / weights if weights > 0 else np.nan
            low[y, x], high[y, x] = least, most


@part()
def _sorted(stack, y, x, values, which):
    """The values of a place in rising order, and whose they are; gives how many there are."""
    count = 0
    for i in range(stack.shape[0]):
        v = stack[i, y, x]
        if v == v:
            values[count] = v
            which[count] = i
            count += 1
    _in_order(values, which, count)
    return count


@part()
def _in_order(values, which, count):
    gap = 1
    while gap < count // 3:
        gap = 3 * gap + 1
    while gap > 0:
        for i in range(gap, count):
            v, own, j = values[i], which[i], i
            while j >= gap and values[j - gap] > v:
                values[j], which[j] = values[j - gap], which[j - gap]
                j -= gap
            values[j], which[j] = v, own
        gap //= 3


@part()
def _put_in_place(values, count, place):
    """Move values so that the one of this rank stands in its place, the lesser ones before it [2]."""
    first, last = 0, count - 1
    while first < last:
        pivot = values[(first + last) // 2]
        i, j = first, last
        while i <= j:
            while values[i] < pivot:
                i += 1
            while values[j] > pivot:
                j -= 1
            if i <= j:
                values[i], values[j] = values[j], values[i]
                i += 1
                j -= 1
        if place <= j:
            last = j
        elif place >= i:
            first = i
        else:
            return


@kernel(seen(PLANES), PLANE)
def _medians(stack, out):
    n, h, w = stack.shape
    values = np.empty(n, np.float32)
    for y in range(h):
        for x in range(w):
            count = 0
            for i in range(n):
                v = stack[i, y, x]
                if v == v:
                    values[count] = v
                    count += 1
            if count == 0:
                out[y, x] = np.nan
                continue
            half = count // 2
            _put_in_place(values, count, half)
            found = values[half]
            if count % 2 == 0:
                below = values[0]
                for i in range(1, half):
                    below = max(below, values[i])
                found = (found + below) / 2
            out[y, x] = found


@kernel(seen(PLANES), f8, f8, PLANE, PLANE, PLANE, COUNTS, COUNTS)
def _ranked(stack, low_share, high_share, value, low, high, rejected, counted):
    """The mean of the values between two percentiles, at least of the middle one or two."""
    n, h, w = stack.shape
    values, which = np.empty(n, np.float32), np.empty(n, np.int64)
    for y in range(h):
        for x in range(w):
            count = _sorted(stack, y, x, values, which)
            if count == 0:
                value[y, x] = low[y, x] = high[y, x] = np.nan
                continue
            first = int(np.floor(low_share / 100 * count))
            last = int(np.ceil(high_share / 100 * count)) - 1
            if first > last or low_share == high_share:
                first, last = (count - 1) // 2, count // 2
            total = 0.0
            for i in range(first, last + 1):
                total += values[i]
            value[y, x] = total / (last + 1 - first)
            low[y, x], high[y, x] = values[first], values[last]
            for i in range(count):
                counted[which[i]] += 1
                if i < first or i > last:
                    rejected[which[i]] += 1


@part()
def _middle_of_kept(values, kept, count, left):
    """The median of the values that are kept, which stand in rising order."""
    first, second = (left - 1) // 2, left // 2
    passed, one = 0, values[0]
    for i in range(count):
        if kept[i]:
            if passed == first:
                one = values[i]
            if passed == second:
                return (one + values[i]) / 2
            passed += 1
    return one


@part()
def _mean_of_kept(values, which, kept, count, weight, y, x, value, low, high):
    total = weights = 0.0
    least, most = np.float32(np.inf), np.float32(-np.inf)
    for i in range(count):
        if kept[i]:
            total += weight[which[i]] * values[i]
            weights += weight[which[i]]
            least, most = min(least, values[i]), max(most, values[i])
    value[y, x] = total / weights
    low[y, x], high[y, x] = least, most


@part()
def _all_mean(stack, near, middle, own, more, share, weight, limit, closer, y, x, value, low, high):
    """The weighted mean of all values of a place, if none has to be rejected; whether that is so."""
    centre, total, weights, count = middle[y, x], 0.0, 0.0, 0
    least, most = np.float32(np.inf), np.float32(-np.inf)
    for i in range(stack.shape[0]):
        v = stack[i, y, x]
        if v == v:
            off, allowed = v - centre, closer if near[i, y, x] else limit
            if off * off > allowed * allowed * (own[y, x] * share[i] + more[y, x]):
                return False
            total += weight[i] * v
            weights += weight[i]
            least, most = min(least, v), max(most, v)
            count += 1
    value[y, x] = total / weights if count else np.nan
    low[y, x], high[y, x] = least, most
    return True


BYTES = u1[:, :, ::1]


@kernel(
    *(seen(PLANES), seen(BYTES), seen(u1[:, ::1]), seen(PLANE), seen(PLANE), seen(PLANE), seen(ROW), seen(ROW)),
    *(f8, f8, PLANE, PLANE, PLANE, BYTES),
)
def _clipped(stack, near, again, middle, own, more, share, weight, limit, closer, value, low, high, gone):
    """The weighted mean of what lies within some sigma of the median of what is kept; ``closer`` for what is near."""
    n, h, w = stack.shape
    values, which, kept = np.empty(n, np.float32), np.empty(n, np.int64), np.empty(n, np.bool_)
    for y in range(h):
        for x in range(w):
            if not again[y, x]:
                continue
            if _all_mean(stack, near, middle, own, more, share, weight, limit, closer, y, x, value, low, high):
                continue
            count = _sorted(stack, y, x, values, which)
            centre, before = middle[y, x], -1
            for _ in range(ROUNDS):
                left = 0
                for i in range(count):
                    off, mine = values[i] - centre, which[i]
                    allowed = closer if near[mine, y, x] else limit
                    kept[i] = off * off <= allowed * allowed * (own[y, x] * share[mine] + more[y, x])
                    left += kept[i]
                if left == 0:  # two that have nothing in common: none is better
                    kept[:count] = True
                    break
                if left in (before, count):
                    break
                before = left
                centre = _middle_of_kept(values, kept, count, left)
            _mean_of_kept(values, which, kept, count, weight, y, x, value, low, high)
            for i in range(count):
                gone[which[i], y, x] = not kept[i]


@kernel(seen(PLANES), f8, seen(ROW), PLANE, PLANE, PLANE, COUNTS, COUNTS)
def _by_spread(stack, limit, weight, value, low, high, rejected, counted):
    """The weighted mean of what lies within some sigma of the median, sigma told from the values' own deviations."""
    n, h, w = stack.shape
    values, which, kept = np.empty(n, np.float32), np.empty(n, np.int64), np.empty(n, np.bool_)
    away, whose = np.empty(n, np.float32), np.empty(n, np.int64)
    for y in range(h):
        for x in range(w):
            count = _sorted(stack, y, x, values, which)
            if count == 0:
                value[y, x] = low[y, x] = high[y, x] = np.nan
                continue
            kept[:count] = True
            left = count
            for _ in range(ROUNDS):
                centre = _middle_of_kept(values, kept, count, left)
                inside = 0
                for i in range(count):
                    if kept[i]:
                        away[inside], whose[inside] = abs(values[i] - centre), i
                        inside += 1
                _in_order(away, whose, inside)
                sigma = 1.4826 * (away[(inside - 1) // 2] + away[inside // 2]) / 2
                before = left
                for i in range(count):
                    if kept[i] and abs(values[i] - centre) > limit * sigma and left > 1:
                        kept[i] = False
                        left -= 1
                if left == before:
                    break
            _mean_of_kept(values, which, kept, count, weight, y, x, value, low, high)
            for i in range(count):
                counted[which[i]] += 1
                rejected[which[i]] += not kept[i]
