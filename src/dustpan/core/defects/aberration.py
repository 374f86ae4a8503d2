"""What a lens does to colours: red and blue are magnified otherwise than green, and are blurrier than it.

Both are measured against green and undone. The magnification is told by cells that hold detail: how far red or blue
follows the change of green per pixel, weighed by how surely a cell tells it. The blur is that of green which red or
blue follows best; then detail of green that the blur took is given back to them, as far as they follow green there.
Blur mixes light, so that encoded values follow it badly; pictures that were blurred as they are encoded exist as well.
Which of both a picture is, is told from what red and blue look like beside green when each has been undone.

References
----------
[1] T. E. Boult, G. Wolberg, "Correcting chromatic aberrations using image warping", CVPR 1992.
[2] S. B. Kang, "Automatic removal of chromatic aberration from a single image", CVPR 2007.
[3] P. H. Van Cittert, "Zum Einfluss der Spaltbreite auf die Intensitätsverteilung in Spektrallinien II", 1931.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.curve import Curve
from dustpan.core.region import Region
from dustpan.core.smooth import gaussian, reach_of

Plane = NDArray[np.float32]
Read = Callable[[Region], NDArray[np.float32]]

ASIDE = (0, 2)  # red and blue
CELL, FEWEST = 32, 24  # px across what is looked at by itself; cells that have to tell something
FINE, LEAST_DETAIL, FOLLOWS = 1.0, 0.03, 0.2  # px, sigma of smoothing; of green's values, sigma; least slope
FEWEST_IN_QUARTER, QUARTERS = 5, 3.0  # and how much less the spread of a picture's quarters counts
TIMES = 25  # rounds of the robust mean
REDUCED = 1500  # px of the longer side that the magnification is first told at
LEAST_SHIFT, SURE, MOST_SHIFT = 0.3, 4.0, 12.0  # px at the corner, and sigma; px
SUBPIXEL = 32  # steps that a pixel is warped by
PATCH, SECTORS, ROWS = 128, 6, 256  # px of a patch that the blur is told in; as many across and down; px of a strip
BLURS = (0.0, 0.3, 0.45, 0.6, 0.75, 0.9, 1.1, 1.3, 1.6, 2.0, 2.5)  # px, sigma
BUSIEST = 0.85  # quantile of the activity, above which the blur is told
DIAGONAL = np.outer([1, -2, 1], [1, -2, 1]).astype(np.float32) / 6  # gives white noise of sigma 1 a sigma of 1
ABOVE_NOISE = 42.0  # variances of the noise, that a window has at least where a blur is told
BETTER = 0.87  # of what is left by no blur, that the best has to go below
TOLD_IN, WINDOW, EVEN = 2.5, 1.5, 1e-4  # px, sigma of the windows: of telling, and of giving back; variance
LOWEST, HIGHEST = -0.3, 2.0  # slopes of a channel on green that are believed
LIKELY = 0.3  # log ratio by which encoded values have to fit better before light is not believed
REACH = reach_of(BLURS[-1]) + reach_of(WINDOW) + reach_of(BLURS[-1])  # px that `sharpened` reads around


class Aberration(NamedTuple):
    """What was proven of red and of blue; 0 where nothing was.

    Attributes
    ----------
    shift : px that they lie farther out at the corner of the picture. blur : px, sigma, that they are blurrier by.
    in_light : whether light was blurred, and not the encoded values.
    """

    shift: tuple[float, float] = (0.0, 0.0)
    blur: tuple[float, float] = (0.0, 0.0)
    in_light: bool = True

    @property
    def any(self) -> bool:
        return any(self.shift) or any(self.blur)

    @property
    def warp_reach(self) -> int:
        """How far `unshifted` reads, in px."""
        return math.ceil(max(map(abs, self.shift))) + 5 if any(self.shift) else 0


# -------------------------------------------------------------- sideways


class Told(NamedTuple):
    """What cells tell: their places (n, 2) from the centre in halves of the diagonal, shifts (n, 2) in px, and how
    surely (n, 2, 2), as the inverse of their covariance but for a factor."""

    at: NDArray
    shift: NDArray
    weight: NDArray


def cells(pixels: NDArray[np.float32], channel: int, first: tuple[float, float], half: float) -> Told:
    """What the cells of pixels (h, w, 3) tell of a channel; ``first`` is the place of the first from the centre."""
    planes: dict[str, NDArray] = {"g": gaussian(np.ascontiguousarray(pixels[..., 1]), FINE)}
    planes["a"] = gaussian(np.ascontiguousarray(pixels[..., channel]), FINE)
    planes["y"], planes["x"] = (np.asarray(p, np.float32) for p in np.gradient(planes["g"]))
    rows, columns = (n // CELL for n in pixels.shape[:2])

    def mean(plane: NDArray) -> NDArray:
        whole = np.asarray(plane[: rows * CELL, : columns * CELL], float)
        return np.asarray(whole.reshape(rows, CELL, columns, CELL).mean((1, 3)))

    means = {name: mean(plane) for name, plane in planes.items()}

    def together(a: str, b: str) -> NDArray:
        return mean(planes[a] * planes[b]) - means[a] * means[b]

    known = np.stack([np.stack([together(a, b) for b in "gyx"], -1) for a in "gyx"], -2)
    cross = np.stack([together(a, "a") for a in "gyx"], -1)
    slopes = np.linalg.solve(known + 1e-7 * np.eye(3), cross[..., None])[..., 0]
    follows, own = slopes[..., 0], together("a", "a")
    rest = np.maximum(own - (slopes * cross).sum(-1), 1e-8)
    ok = (follows > FOLLOWS) & (known[..., 0, 0] > LEAST_DETAIL**2)
    certain = known[..., 1:, 1:] - known[..., 1:, :1] * known[..., :1, 1:] / np.maximum(known[..., :1, :1], 1e-9)
    weight = certain * (follows**2 / rest)[..., None, None]
    y, x = ((np.arange(n) + 0.5) * CELL - 0.5 + a for n, a in zip((rows, columns), first, strict=True))
    at = np.stack(np.meshgrid(y, x, indexing="ij"), -1) / half
    return Told(at[ok], (-slopes[..., 1:] / np.maximum(follows, FOLLOWS)[..., None])[ok], weight[ok])


def magnification(told: Told) -> tuple[float, float]:
    """The shift in px at the corner that cells agree on, and its standard error: by what they say, or by quarters.

    Cauchy's weights, as some are wrong; and the quarters of a picture have to say the same, as a subject may shift
    what is red or blue in it, but not away from the centre everywhere.
    """
    if len(told.at) < FEWEST:
        return 0.0, math.inf
    found, error = _agreed(told)
    sides = [(told.at[:, 0] < 0) == up for up in (True, False)], [(told.at[:, 1] < 0) == left for left in (True, False)]
    quarters = [
        _agreed(_only(told, a & b))[0] for a in sides[0] for b in sides[1] if (a & b).sum() >= FEWEST_IN_QUARTER
    ]
    if len(quarters) < 3:
        return 0.0, math.inf
    return found, max(error, float(np.std(quarters, ddof=1)) / math.sqrt(len(quarters)) / QUARTERS)


def _only(told: Told, which: NDArray[np.bool_]) -> Told:
    return Told(*(values[which] for values in told))


def _agreed(told: Told) -> tuple[float, float]:
    """The shift that cells agree on, and its standard error."""
    at, shift, weight = told
    bend, pull = np.einsum("ni,nij,nj->n", at, weight, at), np.einsum("ni,nij,nj->n", at, weight, shift)
    share, found = np.ones(len(at)), 0.0
    for _ in range(TIMES):
        total = (share * bend).sum() + 1e-12
        found = float((share * pull).sum() / total)
        off = shift - found * at
        unlike = np.einsum("ni,nij,nj->n", off, weight, off)
        share = 1 / (1 + unlike / (np.median(unlike) + 1e-12))
    score = share * (pull - found * bend)
    return found, float(math.sqrt((score**2).sum()) / total)


def joined(parts: list[Told]) -> Told:
    """Several as one."""
    return Told(*(np.concatenate(values) for values in zip(*parts, strict=True)))


def unshifted(
    pixels: NDArray[np.float32], have: Region, size: tuple[int, int], shift: tuple[float, float]
) -> NDArray[np.float32]:
    """Pixels (h, w, 3) of a region with red and blue brought back to where green is; Lanczos's window of 8 px."""
    out = pixels
    centre, half = ((size[0] - 1) / 2, (size[1] - 1) / 2), math.hypot(*size) / 2
    for channel, px in zip(ASIDE, shift, strict=True):
        if not px:
            continue
        out = pixels.copy() if out is pixels else out
        times = 1 + px / half
        ys = (np.arange(have.y0, have.y1) - centre[0]) * times + centre[0]
        xs = (np.arange(have.x0, have.x1) - centre[1]) * times + centre[1]
        y, x = (np.rint(v * SUBPIXEL) / SUBPIXEL - a for v, a in ((ys, have.y0), (xs, have.x0)))
        grid = np.meshgrid(x.astype(np.float32), y.astype(np.float32))
        plane = np.ascontiguousarray(pixels[..., channel])
        out[..., channel] = cv2.remap(plane, grid[0], grid[1], cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REFLECT)
    return out


# -------------------------------------------------------------- blur


class _Told(NamedTuple):
    """A plane, with what is told of it in windows of a sigma: its local mean, and its variance."""

    plane: Plane
    window: float
    mean: Plane
    whole: Plane

    @staticmethod
    def of(plane: Plane, window: float) -> _Told:
        mean = gaussian(plane, window)
        return _Told(plane, window, mean, gaussian(plane * plane, window) - mean**2)

    def on(self, other: Plane) -> tuple[Plane, Plane]:
        """The local slope of the plane on another, and the variance that it explains."""
        mean = gaussian(other, self.window)
        both = gaussian(other * self.plane, self.window) - mean * self.mean
        slope = both / (gaussian(other * other, self.window) - mean**2 + np.float32(EVEN))
        return slope, slope * both


def _noise(plane: Plane) -> float:
    """The variance of a plane's noise, from its finest diagonal detail (Immerkær 1996) and that an octave lower.

    The lower one holds most of what is left of noise after a demosaic and in a JPEG.
    """
    lower = cv2.resize(plane, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    fine = (cv2.filter2D(p, -1, DIAGONAL) for p in (plane, 2 * lower))
    return float(max(1.4826 * np.median(np.abs(p)) for p in fine) ** 2)


def _left(of: Plane, on: Sequence[Plane], busy: NDArray[np.bool_]) -> list[float]:
    """The shares of a plane's variance that others do not explain, where it is busy; 1 where nothing is.

    Only of what stands far above the noise: noise that channels share would be taken for what follows.
    """
    told = _Told.of(of, TOLD_IN)
    allowed = busy & (told.whole > ABOVE_NOISE * _noise(of))
    left = []
    for other in on:
        slope, explained = told.on(other)
        seen = allowed & (slope > FOLLOWS)
        rest = np.maximum(told.whole - explained, 0)[seen] / (told.whole[seen] + np.float32(1e-5))
        left.append(float(np.median(rest)) if rest.size > CELL**2 / 4 else 1.0)
    return left


def _blurred(plane: Plane, sigma: float) -> Plane:
    return gaussian(plane, sigma) if sigma else plane


def _best(of: Plane, green: Plane, busy: NDArray[np.bool_]) -> tuple[float, float]:
    """The blur of green that a plane follows best, and what is left then, over what is left without."""
    left = _left(of, [_blurred(green, s) for s in BLURS], busy)
    n = int(np.argmin(left))
    share = left[n] / max(left[0], 1e-9)
    if n in (0, len(BLURS) - 1):  # at the end of what is tried nothing is proven
        return 0.0, 1.0
    a, b, _ = np.polyfit(BLURS[n - 1 : n + 2], left[n - 1 : n + 2], 2)
    return float(np.clip(-b / (2 * a), BLURS[n - 1], BLURS[n + 1])) if a > 0 else BLURS[n], share


def sharpened(plane: Plane, green: Plane, blur: float) -> Plane:
    """A plane that is as blurry as green is after a blur, with what the blur took given back."""
    if blur == 0:
        return plane
    soft = gaussian(green, blur)
    slope, _ = _Told.of(plane, WINDOW).on(soft)
    out = plane + np.clip(slope, LOWEST, HIGHEST) * (green - soft)
    out += gaussian(plane - gaussian(out, blur), blur)  # one round of [3]
    return np.clip(out, np.minimum(plane, 0), np.maximum(plane, 1))


def _blur_of(pixels: NDArray[np.float32], curve: Curve) -> Aberration:
    """How much blurrier red and blue are in some pixels that have been brought back sideways."""
    encoded = [np.ascontiguousarray(pixels[..., c], np.float32) for c in range(3)]
    light = [np.asarray(curve.decode(plane), np.float32) for plane in encoded]
    activity = gaussian(np.hypot(*np.gradient(encoded[1])).astype(np.float32), 2.0)
    busy = activity > np.quantile(activity, BUSIEST)
    found, for_encoded = {True: [0.0, 0.0], False: [0.0, 0.0]}, 0.0
    for n, channel in enumerate(ASIDE):
        odd = {}  # what is left in either kind of values, of each way of undoing
        for in_light, planes in ((True, light), (False, encoded)):
            blur, share = _best(planes[channel], planes[1], busy)
            found[in_light][n] = blur if share < BETTER else 0.0
            done = sharpened(planes[channel], planes[1], blur)
            as_light = done if in_light else np.asarray(curve.decode(done), np.float32)
            as_encoded = np.asarray(curve.encode(done), np.float32) if in_light else done
            both = (light[1], as_light), (encoded[1], as_encoded)
            odd[in_light] = math.prod(_left(green, [plane], busy)[0] for green, plane in both)
        for_encoded += math.log(max(odd[True], 1e-12) / max(odd[False], 1e-12))
    in_light = for_encoded < LIKELY
    return Aberration(blur=(found[in_light][0], found[in_light][1]), in_light=in_light)


# -------------------------------------------------------------- measuring


def measure(read: Read, size: tuple[int, int], curve: Curve, check: Callable[[], None] = lambda: None) -> Aberration:
    """What is proven of a picture of (height, width), of which ``read`` gives encoded pixels (h, w, 3) of a region."""
    by = max(1, -(-max(size) // REDUCED))
    if min(size) // by < 3 * CELL:
        return Aberration()
    reduced, patches = _seen(read, size, by, check)
    shift = [0.0, 0.0]
    small, whole = (reduced.shape[0], reduced.shape[1]), math.hypot(*size) / 2
    for _ in range(2):
        back = unshifted(reduced, Region(0, 0, *small), small, (shift[0] / by, shift[1] / by))
        centre = -(small[0] - 1) / 2, -(small[1] - 1) / 2
        for n, channel in enumerate(ASIDE):
            more, error = magnification(cells(back, channel, centre, math.hypot(*small) / 2))
            shift[n] = _believed(shift[n] + by * more, by * error)
        check()
    if by > 1:  # once more on patches of the picture itself
        for n, channel in enumerate(ASIDE):
            told = []
            for patch in patches:
                pixels = _patch(read, size, patch, (shift[0], shift[1]))
                told.append(cells(pixels, channel, (patch.y0 - (size[0] - 1) / 2, patch.x0 - (size[1] - 1) / 2), whole))
                check()
            more, error = magnification(joined(told))
            shift[n] = _believed(shift[n] + more, error) if math.isfinite(error) else shift[n]
    moved = (shift[0], shift[1])
    beside = np.concatenate([_patch(read, size, patch, moved) for patch in patches], 1)
    check()
    return _blur_of(beside, curve)._replace(shift=moved)


def _believed(shift: float, error: float) -> float:
    sure = abs(shift) > max(LEAST_SHIFT, SURE * error) and abs(shift) < MOST_SHIFT
    return shift if sure else 0.0


def _seen(
    read: Read, size: tuple[int, int], by: int, check: Callable[[], None]
) -> tuple[NDArray[np.float32], list[Region]]:
    """The picture reduced, and the busiest patch of every sector of it."""
    h, w = (n // by for n in size)
    reduced = np.empty((h, w, 3), np.float32)
    step = max(1, ROWS // by)
    for y in range(0, h, step):
        check()
        strip = Region(y * by, 0, min(y + step, h) * by, w * by)
        pixels = np.asarray(read(strip), np.float32)
        reduced[y : y + step] = cv2.resize(pixels, (w, strip.height // by), interpolation=cv2.INTER_AREA)
    side = min(PATCH, *size)
    rows, columns = (n // side for n in size)
    detail = np.hypot(*np.gradient(np.ascontiguousarray(reduced[..., 1])))
    cell = max(1, side // by)
    busy = detail[: rows * cell, : columns * cell].reshape(rows, cell, columns, cell).mean((1, 3))
    patches = []
    for ys in np.array_split(np.arange(rows), min(SECTORS, rows)):
        for xs in np.array_split(np.arange(columns), min(SECTORS, columns)):
            part = busy[np.ix_(ys, xs)]
            row, column = divmod(int(np.argmax(part)), part.shape[1])
            top, left = int(ys[row]) * side, int(xs[column]) * side
            patches.append(Region(top, left, top + side, left + side))
    return reduced, patches


def _patch(read: Read, size: tuple[int, int], patch: Region, shift: tuple[float, float]) -> NDArray[np.float32]:
    have = patch.grown(Aberration(shift).warp_reach).within(size)
    back = unshifted(np.asarray(read(have), np.float32), have, size, shift)
    return np.ascontiguousarray(back[patch.slices(have)])
