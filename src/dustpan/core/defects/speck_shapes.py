"""Small things that stand out, dark or light, and what tells of each whether it lies on the picture or belongs to it.

Everything narrower than a hat of three widths, and everything long and thin, is a candidate where it stands out more
than what the same hat has round about. Each is told by its shape, its sharpness, its evenness, what is like it near by
and how quiet its surroundings are; what counts is learnt (`specks`).

References
----------
[1] F. Meyer, "Contrast feature extraction", 1979: the top hat.
[2] A. C. Kokaram, "On missing data treatment for degraded video and film archives", IEEE Trans. Image Processing
    13(3), 2004: blotches and line scratches.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numba import types
from numpy.typing import NDArray

from dustpan.core.kernels import EXACT, FAST, PLANE, PLANES, b1, i4, i8, kernel, part, seen
from dustpan.core.smooth import gaussian

Plane = NDArray[np.float32]
Beyond = tuple[int, int, int, int]
WIDTHS = 5, 9, 17  # px of the hats; of long things `LINE_HAT`
LINE_HAT, LONG_SPAN, ANGLES = 7, 18, 16  # px, px that a line is looked for along, directions
SOFT = 0.7  # px, sigma: what everything is looked at in
ROUND_ABOUT, PEAK = 81, 9  # px across, that peaks are compared with; of one peak
STANDS_OUT, LINE_STANDS_OUT = 1.2, 1.6  # of the peaks round about
FAINTEST, FAINTEST_LINE, MOST_OF_LINE = 0.025, 0.02, 0.25  # encoded
GROWS, GROWS_TO = 0.42, 0.35  # of the height near by, and of what has to stand out, that belongs to it
LONGEST, THICKEST, FEWEST, FEWEST_LINE = 260, 15, 4, 12  # px
BACKGROUND = 25  # px of the median that surroundings are compared with
AROUND = 150  # px beyond a tile, that candidates with their middle in it are told by
PAD = 10  # px of a window beyond its candidate
RING = 2.0, 8.0, 6.0  # px from a candidate, that its surroundings begin and end at; and end beside long ones
SLIM, LEAST_SLIM = 3.5, 14  # times longer than thick, and px, of long ones
AT_BORDER = 4  # px
ALIKE_WITHIN = 60, 3  # px that others are looked for within, and beyond
COMPANY_WITHIN = 40  # px that any are looked for within
LEAST_NOISE, NOISE_OF_FINE = 0.5 / 255, 1.75  # encoded; from the mean of what is finer than `SOFT` to sigma
FEWEST_AROUND = 8  # px of surroundings that tell
FEATURES = (
    "outstanding", "strength", "uneven_around", "area", "thick", "slim", "solid", "sharp", "least_sharp", "colour",
    "at_border", "uneven", "slope_around", "sign", "width", "line", "tone", "goes_on", "goes_on_too", "contrast",
    "least_step", "second_step", "sides", "alike", "crowd", "company",
)  # fmt: skip
NAMED = "strength", "area", "thick", "slim", "sign", "width", "contrast", "alike", "crowd", "company"
STRENGTH, AREA, THICK, SLIM_BY, SIGN, WIDTH, CONTRAST, ALIKE, CROWD, COMPANY = map(FEATURES.index, NAMED)


@dataclass(frozen=True, eq=False)
class Shapes:
    """Candidates of a plane.

    Attributes
    ----------
    told : (n, `FEATURES`) of each. middle : (n, 2) places. pixels : (m, 2) places.
    first : (n + 1,) where the pixels of each begin.
    """

    told: Plane
    middle: Plane
    first: NDArray[np.int64]
    pixels: NDArray[np.int32]

    def __len__(self) -> int:
        return len(self.middle)

    def of(self, number: int) -> NDArray[np.int32]:
        """(n, 2) the pixels of one of them."""
        return self.pixels[self.first[number] : self.first[number + 1]]

    def only(self, kept: NDArray[np.bool_]) -> Shapes:
        """Some of them."""
        sizes = np.diff(self.first)
        mine = np.repeat(kept, sizes)
        return Shapes(
            self.told[kept], self.middle[kept], np.concatenate([[0], np.cumsum(sizes[kept])]), self.pixels[mine]
        )

    def in_order(self, order: NDArray[np.intp]) -> Shapes:
        """The same in another order."""
        sizes = np.diff(self.first)[order]
        first = np.concatenate([[0], np.cumsum(sizes)])
        own = np.arange(first[-1]) + np.repeat(self.first[order] - first[:-1], sizes)
        return Shapes(self.told[order], self.middle[order], first, self.pixels[own])

    def moved(self, y: int, x: int) -> Shapes:
        """In a plane that begins farther up and to the left."""
        by = np.array([y, x])
        return Shapes(self.told, self.middle + by.astype(np.float32), self.first, self.pixels + by.astype(np.int32))


def joined(parts: list[Shapes]) -> Shapes:
    """Several as one."""
    sizes = np.concatenate([np.diff(p.first) for p in parts])
    told, middle, pixels = (np.concatenate([getattr(p, n) for p in parts]) for n in ("told", "middle", "pixels"))
    return Shapes(told, middle, np.concatenate([[0], np.cumsum(sizes)]), pixels)


def _ellipse(width: int) -> NDArray[np.uint8]:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (width, width)), np.uint8)


def hat(plane: Plane, width: int, dark: bool) -> Plane:
    """How far what is narrower than ``width`` px is darker (or lighter) than what is around it."""
    kind = cv2.MORPH_BLACKHAT if dark else cv2.MORPH_TOPHAT
    return np.asarray(cv2.morphologyEx(plane, kind, _ellipse(width)), np.float32)


def _round_about(height: Plane) -> Plane:
    """The usual height of peaks, each counted up to twice the mean."""
    top = cv2.dilate(height, np.ones((PEAK, PEAK), np.uint8))

    def mean(plane: Plane) -> Plane:
        return np.asarray(cv2.blur(plane, (ROUND_ABOUT, ROUND_ABOUT), borderType=cv2.BORDER_REFLECT))

    usual = mean(np.asarray(np.minimum(top, 2 * mean(np.asarray(top, np.float32))), np.float32))
    return usual + np.float32(1e-4)


def _directions() -> NDArray[np.int64]:
    """(angles, span, 2) places along lines through the middle."""
    angle = np.pi * np.arange(ANGLES)[:, None] / ANGLES
    along = np.arange(LONG_SPAN) - (LONG_SPAN - 1) / 2
    return np.rint(np.stack([along * np.sin(angle), along * np.cos(angle)], -1)).astype(np.int64)


DIRECTIONS = _directions()


def lines_of(height: Plane) -> Plane:
    """The most that all three thirds of some line through a pixel have in the mean."""
    far = LONG_SPAN // 2 + 1
    wide = cv2.copyMakeBorder(height, far, far, far, far, cv2.BORDER_REPLICATE)
    out = np.zeros(height.shape, np.float32)
    _lines(wide, DIRECTIONS + far, out)
    return out


@kernel(seen(PLANE), seen(i8[:, :, ::1]), PLANE, options=FAST)
def _lines(height, places, out):
    h, w = out.shape
    third = places.shape[1] // 3
    share = np.float32(1) / np.float32(third)
    total, weakest = np.zeros(w, np.float32), np.zeros(w, np.float32)
    for y in range(h):  # whole rows at a time, which compilers turn into wide instructions
        for a in range(places.shape[0]):
            for k in range(3):
                total[:] = 0
                for j in range(k * third, (k + 1) * third):
                    first = places[a, j, 1]
                    row = height[y + places[a, j, 0], first : first + w]
                    for x in range(w):
                        total[x] += row[x]
                if k == 0:
                    weakest[:] = total
                else:
                    for x in range(w):
                        weakest[x] = min(weakest[x], total[x])
            best = out[y]
            for x in range(w):
                best[x] = max(best[x], weakest[x] * share)


def find_in(pixels: NDArray[np.float32], beyond: Beyond = (0, 0, 0, 0)) -> Shapes:
    """The candidates of encoded pixels (h, w, C) of a part of a picture.

    ``beyond`` : px of the picture above, to the left, below and to the right of it.
    """
    plane = np.ascontiguousarray(pixels.mean(2))
    soft = gaussian(plane, SOFT)
    steps = np.clip(plane * 255 + 0.5, 0, 255).astype(np.uint8)
    off = gaussian(plane - cv2.medianBlur(steps, BACKGROUND) / np.float32(255), SOFT)
    slope = np.hypot(*np.gradient(soft)).astype(np.float32)
    fine = np.abs(plane - soft)
    colours = np.ascontiguousarray(pixels, np.float32)
    found = []
    for dark in (True, False):
        thin = hat(soft, LINE_HAT, dark)
        lines = lines_of(np.minimum(thin, np.float32(MOST_OF_LINE)))
        hats = {width: hat(soft, width, dark) for width in WIDTHS}
        for width in (*WIDTHS, 0):
            height = hats[width] if width else lines
            least = (STANDS_OUT, FAINTEST) if width else (LINE_STANDS_OUT, FAINTEST_LINE)
            own = hats.get(width, thin)
            told_from = _Planes(plane, height, own, lines, off, slope, fine, colours)
            found.append(_shapes(told_from, *least, width, dark, beyond))
    return _with_alike(joined(found))


@dataclass(frozen=True)
class _Planes:
    """What shapes are told from, all (h, w) but for ``colours`` (h, w, C)."""

    plane: Plane
    height: Plane
    own: Plane
    lines: Plane
    off: Plane
    slope: Plane
    fine: Plane
    colours: Plane


def _shapes(p: _Planes, stands_out: float, faintest: float, width: int, dark: bool, beyond: Beyond) -> Shapes:
    usual = _round_about(p.height)
    out = p.height / usual
    hot = (out > stands_out) & (p.height > faintest)
    near = cv2.dilate(np.where(hot, p.height, 0), np.ones((11, 11), np.uint8))
    grown = (near > 0) & (p.height > GROWS * near) & (out > GROWS_TO * stands_out)
    n, labels, stats, _ = cv2.connectedComponentsWithStats(grown.astype(np.uint8), connectivity=8)
    with_hot = np.zeros(n, bool)
    with_hot[labels[hot]] = True
    with_hot[0] = False
    long = np.hypot(stats[:, cv2.CC_STAT_WIDTH], stats[:, cv2.CC_STAT_HEIGHT])
    fewest = FEWEST if width else FEWEST_LINE
    kept = np.flatnonzero(with_hot & (long <= LONGEST) & (stats[:, cv2.CC_STAT_AREA] >= fewest))
    areas = stats[kept, cv2.CC_STAT_AREA]
    boxes = np.ascontiguousarray(stats[kept, :4], np.int64)
    first = np.concatenate([[0], np.cumsum(areas)]).astype(np.int64)
    told = np.zeros((len(kept), len(FEATURES)), np.float32)
    middle = np.zeros((len(kept), 2), np.float32)
    counts = np.zeros(len(kept), np.int64)
    pixels = np.zeros((int(first[-1]), 2), np.int32)
    _describe(
        np.ascontiguousarray(labels, np.int32), kept.astype(np.int64), boxes, first, p.plane, p.height, p.own, usual,
        p.lines, p.off, p.slope, p.fine, p.colours, width, dark, beyond, told, middle, counts, pixels,
    )  # fmt: skip
    within = np.arange(first[-1]) - np.repeat(first[:-1], areas)
    packed = Shapes(told, middle, np.concatenate([[0], np.cumsum(counts)]), pixels[within < np.repeat(counts, areas)])
    return packed.only(counts > 0)


@part()
def _distances(inside, rows, columns, left_out, far, deep):
    """How far each place of a window is from what is inside, and how deep in it, in steps of 1 and 1.4.

    ``left_out`` : whether beyond each side of the window (top, left, bottom, right) the picture ends.
    """
    for j in range(rows):
        for i in range(columns):
            ends = (j == 0 and left_out[0]) or (i == 0 and left_out[1])
            ends |= (j == rows - 1 and left_out[2]) or (i == columns - 1 and left_out[3])
            far[j, i] = 0.0 if inside[j, i] else 1e6
            deep[j, i] = 0.0 if not inside[j, i] else (1.0 if ends else 1e6)
    for turn in range(2):
        s = -1 if turn == 0 else 1
        for jj in range(rows):
            j = jj if turn == 0 else rows - 1 - jj
            for ii in range(columns):
                i = ii if turn == 0 else columns - 1 - ii
                for k in range(4):
                    v, u = (j, i + s) if k == 0 else (j + s, i + k - 2)
                    if v < 0 or u < 0 or v >= rows or u >= columns:
                        continue
                    step = np.float32(1.0 if v == j or u == i else 1.4)
                    far[j, i] = min(far[j, i], far[v, u] + step)
                    deep[j, i] = min(deep[j, i], deep[v, u] + step)


@part()
def _quantile(values, count, share):
    return np.sort(values[:count])[min(count - 1, int(share * count))]


@part()
def _sector(dy, dx, slim, long, cosine, sine):
    """Which of eight parts of the surroundings a place lies in: around a spot, or along both sides of a line."""
    if not slim:
        return (4 if dy < 0 else 0) + (2 if dx < 0 else 0) + (1 if abs(dy) > abs(dx) else 0)
    along, across = dx * cosine + dy * sine, -dx * sine + dy * cosine
    return 2 * min(max(int((along / (0.5 * long) + 1.2) / 2.4 * 4), 0), 3) + (1 if across > 0 else 0)


@part()
def _sides(sums, counts, near, beyond, near_counts, within, sign, strength):
    """What the eight parts of the surroundings tell: how uneven they are, how far it goes on, how steep it ends."""
    low, high, goes_on, goes_on_too, least, second = 1e9, -1e9, 0.0, 0.0, 9.0, 9.0
    ordered, n = np.zeros(8), 0
    for k in range(8):
        if counts[k] > 0:
            ordered[n] = sums[k] / counts[k]
            low, high = min(low, ordered[n]), max(high, ordered[n])
            n += 1
        if near_counts[k] > 0:
            here = near[k] / near_counts[k]
            goes_on_too = max(goes_on_too, min(goes_on, here))
            goes_on = max(goes_on, here)
            step = sign * (beyond[k] / near_counts[k] - within) / strength
            second = min(second, max(least, step))
            least = min(least, step)
    middle, off = _quantile(ordered, n, 0.5), 0.0
    for k in range(n):
        off += abs(ordered[k] - middle) / n
    return (high - low) / strength, off / strength, goes_on / strength, goes_on_too / strength, least, second


@kernel(
    seen(i4[:, ::1]), seen(i8[::1]), seen(i8[:, ::1]), seen(i8[::1]), *[seen(PLANE)] * 8, seen(PLANES),
    i8, b1, types.UniTuple(i8, 4), PLANE, PLANE, i8[::1], i4[:, ::1], options=EXACT,
)  # fmt: skip
def _describe(
    labels, kept, boxes, first, plane, height, own, usual, lines, off, slope, fine, colours,
    width, dark, beyond_all, told, middle, counts, pixels,
):  # fmt: skip
    h, w = labels.shape
    channels = colours.shape[2]
    side = LONGEST + 2 * PAD + 2
    inside = np.zeros((side, side), np.bool_)
    far, deep = np.zeros((side, side), np.float32), np.zeros((side, side), np.float32)
    heights, stands, line_heights, rims = np.zeros((4, side * side), np.float32)
    own_colour, ring_colour = np.zeros(channels), np.zeros(channels)
    sums, numbers, near, beyond, near_numbers = np.zeros((5, 8))
    for n in range(len(kept)):
        x0, y0 = boxes[n, 0], boxes[n, 1]
        x1, y1 = x0 + boxes[n, 2], y0 + boxes[n, 3]
        top, left = max(0, y0 - PAD), max(0, x0 - PAD)
        bottom, right = min(h, y1 + PAD), min(w, x1 + PAD)
        rows, columns = bottom - top, right - left
        least = 0.0
        if width == 0:  # lines are found with a filter that goes on beyond them
            m = 0
            for y in range(y0, y1):
                for x in range(x0, x1):
                    if labels[y, x] == kept[n]:
                        heights[m] = own[y, x]
                        m += 1
            least = GROWS_TO * _quantile(heights, m, 0.7)
        area, my, mx = 0, 0.0, 0.0
        for y in range(top, bottom):
            for x in range(left, right):
                it = labels[y, x] == kept[n] and (width > 0 or own[y, x] > least)
                inside[y - top, x - left] = it
                if it:
                    pixels[first[n] + area, 0], pixels[first[n] + area, 1] = y, x
                    heights[area], line_heights[area] = own[y, x], lines[y, x]
                    stands[area] = height[y, x] / usual[y, x]
                    area += 1
                    my += y
                    mx += x
        if area < (FEWEST if width else FEWEST_LINE):
            continue
        my, mx = my / area, mx / area
        _distances(inside, rows, columns, (top == 0, left == 0, bottom == h, right == w), far, deep)
        deepest, vyy, vxx, vxy = 0.0, 0.0, 0.0, 0.0
        for k in range(first[n], first[n] + area):
            dy, dx = pixels[k, 0] - my, pixels[k, 1] - mx
            deepest = max(deepest, deep[pixels[k, 0] - top, pixels[k, 1] - left])
            vyy += dy * dy / area
            vxx += dx * dx / area
            vxy += dy * dx / area
        thick, long = 2 * deepest - 1, math.hypot(y1 - y0, x1 - x0)
        if thick > THICKEST:
            continue
        slim = long > SLIM * thick and long >= LEAST_SLIM
        strength = max(_quantile(heights, area, 0.75), 1e-4)
        mean, spread = 0.0, 0.0
        for k in range(area):
            mean += heights[k] / area
        for k in range(area):
            spread += (heights[k] - mean) ** 2 / area
        # what is around it
        angle = 0.5 * math.atan2(2 * vxy, vxx - vyy)  # of its long side, from x
        cosine, sine = math.cos(angle), math.sin(angle)
        ring_end = RING[2] if slim else RING[1]
        sums[:], numbers[:], near[:], beyond[:], near_numbers[:] = 0.0, 0.0, 0.0, 0.0, 0.0
        own_colour[:], ring_colour[:] = 0.0, 0.0
        ring, rim, steep, tone, grain, within = 0, 0, 0.0, 0.0, 0.0, 0.0
        for y in range(top, bottom):
            for x in range(left, right):
                d = far[y - top, x - left]
                if d <= 1 and deep[y - top, x - left] <= 1:
                    rims[rim] = slope[y, x]
                    rim += 1
                if d == 0:
                    within += plane[y, x] / area
                    for c in range(channels):
                        own_colour[c] += colours[y, x, c] / area
                if d <= 1.5 or d >= ring_end:
                    continue
                k = _sector(y - my, x - mx, slim, long, cosine, sine)
                if d < 4:
                    near[k] += own[y, x]
                    beyond[k] += plane[y, x]
                    near_numbers[k] += 1
                if d <= RING[0]:
                    continue
                ring += 1
                sums[k] += off[y, x]
                numbers[k] += 1
                steep += slope[y, x]
                tone += plane[y, x]
                grain += fine[y, x]
                for c in range(channels):
                    ring_colour[c] += colours[y, x, c]
        if ring < FEWEST_AROUND:
            continue
        low_colour, high_colour, all_colour = 1e9, -1e9, 0.0
        for c in range(channels):
            d = ring_colour[c] / ring - own_colour[c]
            low_colour, high_colour = min(low_colour, d), max(high_colour, d)
            all_colour += abs(d) / channels
        sign = 1.0 if dark else -1.0
        uneven, sides, goes_on, goes_on_too, least_step, second_step = _sides(
            sums, numbers, near, beyond, near_numbers, within, sign, strength
        )
        at_border = min(y0 + beyond_all[0], x0 + beyond_all[1]) < AT_BORDER
        at_border |= min(h + beyond_all[2] - y1, w + beyond_all[3] - x1) < AT_BORDER
        figures = (
            math.log(max(_quantile(stands, area, 0.9), 1e-3)),
            math.log(strength),
            uneven,
            math.log(area),
            thick,
            long / max(thick, 1.0),
            area / (4 * math.pi * math.sqrt(max(vyy * vxx - vxy * vxy, 0.0)) + long),
            _quantile(rims, rim, 0.75) / strength,
            _quantile(rims, rim, 0.2) / strength,
            min((high_colour - low_colour) / max(all_colour, 1e-3), 5.0),
            1.0 if at_border else 0.0,
            math.sqrt(spread) / strength,
            steep / ring / strength,
            sign,
            float(width),
            _quantile(line_heights, area, 0.8) / strength,
            tone / ring,
            goes_on,
            goes_on_too,
            strength / max(NOISE_OF_FINE * grain / ring, LEAST_NOISE),
            least_step,
            second_step,
            sides,
        )
        for k in range(len(figures)):
            told[n, k] = figures[k]
        middle[n, 0], middle[n, 1] = my, mx
        counts[n] = area


def _with_alike(found: Shapes) -> Shapes:
    """The same with how many like it there are near each, of its own hat and of any."""
    out = found.told.copy()
    own = (out[:, SIGN] * 100 + out[:, WIDTH]).astype(np.int64)
    out[:, ALIKE], out[:, CROWD] = _near(found, own, ALIKE_WITHIN[0])
    out[:, COMPANY] = _near(found, out[:, SIGN].astype(np.int64), COMPANY_WITHIN)[1]
    return Shapes(out, found.middle, found.first, found.pixels)


def _near(found: Shapes, kinds: NDArray[np.int64], within: int) -> NDArray[np.float32]:
    """(2, n) how many of its kind there are near each: as strong and as large, and at least about as strong."""
    order = np.lexsort((found.middle[:, 1], found.middle[:, 0], kinds))
    counts, out = np.zeros((2, len(found)), np.float32), np.zeros((2, len(found)), np.float32)
    logs = np.ascontiguousarray(found.told[order][:, (STRENGTH, AREA)])
    _count_alike(np.ascontiguousarray(found.middle[order]), kinds[order], logs, within, counts)
    out[:, order] = counts
    return out


@kernel(seen(PLANE), seen(i8[::1]), seen(PLANE), i8, PLANE, options=EXACT)
def _count_alike(middle, kinds, logs, within, out):
    beyond = ALIKE_WITHIN[1]
    for n in range(len(kinds)):
        for m in range(n + 1, len(kinds)):
            dy = middle[m, 0] - middle[n, 0]
            if kinds[m] != kinds[n] or dy > within:
                break
            d = math.hypot(dy, middle[m, 1] - middle[n, 1])
            if d <= beyond or d >= within:
                continue
            stronger, area = logs[m, 0] - logs[n, 0], abs(logs[m, 1] - logs[n, 1])
            if abs(stronger) < 0.7 and area < 0.9:
                out[0, n] += 1
                out[0, m] += 1
            if stronger > -0.7:
                out[1, n] += 1
            if stronger < 0.7:
                out[1, m] += 1
