"""How a picture is blurred, told from its own mean spectrum.

In the logarithm, the power of a natural picture above its noise is a sum: a level, a fall by a power of the frequency,
what edges of few directions do (two and four waves round), and the blur. For a known blur the rest is linear, so that
discs, lines and round blurs are tried one after the other; an oval one is quadratic in the frequency and linear itself.
The blur that leaves least is taken, and how much it leaves says how sure it is.

Where the blur has left nothing of the scene at the highest frequencies, what stands there is the noise, and truer than
a print that took fine texture for it. Where all edges run one way, the ratio of gradients after two more blurs at the
crests of edges is asked instead, and everywhere as a check: it may come out too sharp, but hardly ever too blurred.

References
----------
[1] D. J. Field, "Relations between the statistics of natural images and the response properties of cortical cells",
    JOSA A 4(12), 1987: the power law.
[2] S. Zhuo, T. Sim, "Defocus map estimation from a single image", Pattern Recognition 44(9), 2011: re-blurring.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.fact import Asked, FactKind, Of, Scope
from dustpan.core.language import say
from dustpan.core.noise.calm import sigma_of
from dustpan.core.noise.evened import even_noise, quieter
from dustpan.core.noise.measure import PICTURE_PRINT
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.region import Region
from dustpan.core.sharpen.transfer import GRID, of_disc, of_gaussian, of_line, waves

Plane = NDArray[np.float32]
WINDOW, MOST = GRID, 3000  # px of a window, and how many are looked at
OVER_NOISE, LOWEST = 2.0, 6  # times the noise, and waves in a window, from which on a frequency counts
FEWEST, ONE_WAY = 60, 0.4  # frequencies that have to count; agreement of their directions that is too much
FALL = 2.5  # of power, expected
OF_SCENE = (0, 5, 0.3, 0.3, 0.3, 0.3)  # how much each unknown of the scene is held to what is expected
OF_OVAL = (0, 0.05, 0.05)  # and those of an oval blur: its mean, and how its axes differ
HOLD = 0.02  # of the number of frequencies: the weight of what is expected
FAINTEST = 0.002  # of power that a blur leaves: below that, what a frequency holds comes from elsewhere
ROUND = np.arange(0.2, 3.5, 0.05)  # px: sigmas, radii, lengths and degrees that are tried
DISCS = np.arange(1.2, 6, 0.1)  # the smallest of these and of lengths only say that it is smaller, and no such blur
LINES, TURNS, WITH = np.arange(2.5, 15, 0.25), np.arange(-90, 90, 10), (0.0, 0.45)  # the last: sigma besides
FINER = np.arange(-8, 9, 2)  # degrees around the best
DISC_BELOW, LINE_BELOW = 0.85, 1.0  # of what the best Gaussian leaves, from which on these are believed
LINE_LEAVES = 0.25  # at most, where all frequencies lie one way
SURE, UNSURE = 1.05, 1.8  # sureness, and what it loses by what is left
SHAPED, GUESS = 0.45, 0.15  # left at most by a disc or a line; sureness from which on the spectrum is believed
HIGHEST, CHANCE = np.pi, 1.15  # frequencies from which on noise alone may stand, and how uneven that is besides chance
LEAST_OF_PRINT = 0.25  # of the print's power there
NO_BLUR, UNSEEN = 0.6, 0.25  # px that the spectrum may say of a sharp picture, where edges show less than this
LEAST_BLUR, MOST_BLUR = 0.04, 12.0  # px²
CLEAR, CLEARER = 0.2, 0.4  # difference of the axes over their mean, from which on it is oval
OVAL = 0.8  # shorter over longer axis, below which both are told
QUIETEST = 0.3 / 255
MIDDLE = 1400, 2000  # px, down and across, that noise and edges are asked on
CRESTS, STEEPER = 60, 0.4  # that have to be found, and which quantile of their blurs


@dataclass(frozen=True, eq=False)
class BlurOf:
    """A blur, and the scene that it was laid over.

    Attributes
    ----------
    covariance : (2, 2) px² of its Gaussian part, x first. radius : px, of a disc. length, angle : px and degrees, of a
        line. Where there are several, one follows the other.
    fall, level : of the scene's power. sure : 0 to 1.
    quiet : the share of the print's noise that the picture bears out. white : whether its noise is seen to be white.
    power, noise : (64, 64) mean power of the picture, and sigma of its noise, that this was told from.
    """

    covariance: NDArray[np.float64]
    radius: float = 0.0
    length: float = 0.0
    angle: float = 0.0
    fall: float = FALL
    level: float = 1e-4
    sure: float = 0.0
    quiet: float = 1.0
    white: bool = False
    power: NDArray[np.float64] | None = None
    noise: float = 0.0

    def transfer(self, fy: NDArray, fx: NDArray) -> NDArray[np.float64]:
        """What it does to each frequency, see `transfer`."""
        found = of_gaussian(fy, fx, self.covariance)
        if self.radius:
            found = found * of_disc(fy, fx, self.radius)
        return found * of_line(fy, fx, self.length, self.angle) if self.length else found

    @property
    def _whole(self) -> NDArray[np.float64]:
        turn = np.radians(self.angle)
        way = np.array([np.cos(turn), np.sin(turn)])
        return self.covariance + np.eye(2) * self.radius**2 / 4 + np.outer(way, way) * self.length**2 / 12

    @property
    def sigma(self) -> float:
        """Of a round blur as wide, px."""
        return float(np.sqrt(np.trace(self._whole) / 2))

    @property
    def axes(self) -> tuple[float, float, float]:
        """Sigma along its longer and its shorter axis, px, and the direction of the longer one, -90 to 90 degrees."""
        square, along = np.linalg.eigh(self._whole)
        turn = np.degrees(np.arctan2(along[1, 1], along[0, 1]))
        return float(np.sqrt(square[1])), float(np.sqrt(max(square[0], 0))), float((turn + 90) % 180 - 90)

    @property
    def words(self) -> str:
        """What it is and how large."""
        if self.length:
            return say("motion of {0:.1f} px at {1:.0f}°", self.length, self.angle)
        if self.radius:
            return say("a disc of {0:.1f} px radius", self.radius)
        longer, shorter, turn = self.axes
        if shorter < OVAL * longer:
            return say("a blur of {0:.2f} × {1:.2f} px at {2:.0f}°", longer, shorter, turn)
        return say("a blur of {0:.2f} px", self.sigma)

    def scene(self, transfer: NDArray) -> tuple[float, float]:
        """Level and fall of the scene's power, where the blur is known to do that (64, 64)."""
        seen = Spectrum(self.power, self.noise) if self.power is not None else None
        if seen is None or len(seen.r) < FEWEST:
            return self.level, self.fall
        _, found = seen.fit(np.log(np.maximum(transfer * transfer, FAINTEST))[seen.use][None])
        return float(np.exp(found[0, 0])), float(found[0, 1])


def _windows(size: tuple[int, int]) -> list[tuple[int, int]]:
    h, w = size
    at = [(y, x) for y in range(0, h - WINDOW + 1, WINDOW // 2) for x in range(0, w - WINDOW + 1, WINDOW // 2)]
    return at[:: max(1, -(-len(at) // MOST))]


def mean_power(
    read: Callable[[Region], NDArray], size: tuple[int, int], check: Callable[[], None]
) -> NDArray[np.float64] | None:
    """(64, 64) mean power of the luma's half-overlapping windows; None for a smaller picture."""
    bell = np.outer(*[np.hanning(WINDOW + 2)[1:-1]] * 2).astype(np.float32)
    bell /= np.sqrt((bell**2).sum())
    total, at = np.zeros((WINDOW, WINDOW)), _windows(size)
    for n, (y, x) in enumerate(at):
        if n % 32 == 0:
            check()
        part = luma(read(Region(y, x, y + WINDOW, x + WINDOW)))
        total += np.abs(np.fft.fft2((part - part.mean()) * bell)) ** 2
    return total / len(at) if at else None


def white_noise(power: NDArray, windows: int) -> tuple[float, bool]:
    """The largest sigma that white noise can have, and whether it stands alone at the highest frequencies."""
    lowest, middle, highest = np.quantile(power[np.hypot(*waves()) > HIGHEST], (0.1, 0.5, 0.9))
    chance = np.exp(1.28 * np.sqrt(1.8 / windows))
    alone = highest <= lowest * CHANCE * chance * chance
    return float(np.sqrt(middle if alone else lowest * chance)), bool(alone)


def _by_edges(plane: Plane, noise: float) -> float:
    """The sigma of a blur from the ratio of gradients at the crests of the strongest edges."""
    first, second = 0.7, 1.6

    def steep(sigma: float) -> NDArray:
        soft = cv2.GaussianBlur(plane, (0, 0), sigma, borderType=cv2.BORDER_REFLECT)
        dx, dy = (cv2.Sobel(soft, cv2.CV_32F, *d, ksize=1) for d in ((1, 0), (0, 1)))
        return np.hypot(dx, dy) / 2

    a, b = steep(first), steep(second)
    crest = (a >= 0.985 * cv2.dilate(a, np.ones((3, 3)))) & (a > max(float(np.quantile(a, 0.95)), 2.2 * noise))
    crest[:4] = crest[-4:] = False
    crest[:, :4] = crest[:, -4:] = False
    if crest.sum() < CRESTS:
        return float(np.sqrt(LEAST_BLUR))
    ratio = np.maximum((a[crest] / b[crest]) ** 2, 1.0001)
    square = (second**2 - ratio * first**2) / (ratio - 1) - 1 / 3  # a central difference widens by a third of a px²
    return float(np.sqrt(max(float(np.quantile(square, STEEPER)), LEAST_BLUR)))


class Spectrum:
    """A mean power above its noise, and what the scene explains of it.

    Parameters
    ----------
    power : (64, 64), see `mean_power`. noise : sigma. fall, held : what is expected of the scene's fall of power, and
        how much more than otherwise it is held to that.
    """

    def __init__(self, power: NDArray, noise: float, fall: float = FALL, held: float = 1.0) -> None:
        self.fall, self.held = fall, held
        self.least = max(noise, QUIETEST) ** 2
        r = np.hypot(*waves())
        self.use = (power > OVER_NOISE * self.least) & (r > LOWEST * np.pi / WINDOW) & (r < np.pi)
        seen = power[self.use]
        self.fy, self.fx = (np.broadcast_to(f, r.shape)[self.use] for f in waves())
        self.r, self.turn, self.over = r[self.use], np.arctan2(self.fy, self.fx), seen - self.least
        self.weight = self.over / seen / np.sqrt(self.r)
        around = [np.cos(2 * self.turn), np.sin(2 * self.turn), np.cos(4 * self.turn), np.sin(4 * self.turn)]
        self.columns = np.stack([np.ones_like(self.r), -np.log(self.r), *around], 1)

    @property
    def one_way(self) -> bool:
        """Whether all of it lies in one direction, as single edges and motion make it."""
        return bool(abs(np.exp(2j * self.turn).mean()) > ONE_WAY)

    def fit(self, blurs: NDArray, besides: NDArray | None = None) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """What each of some blurs leaves unexplained, and the unknowns.

        Parameters
        ----------
        blurs : (n, k) logarithm of the power that they leave of the k frequencies in use. besides : (k, m) more
            unknowns, of the blur itself.
        """
        design = self.columns if besides is None else np.concatenate([self.columns, besides], 1)
        held = HOLD * len(self.r) * np.array(OF_SCENE if besides is None else OF_SCENE + OF_OVAL)
        expected = np.zeros(len(held))
        expected[1] = self.fall
        held[1] *= self.held
        weighted = (design * self.weight[:, None]).T
        wanted = np.log(self.over)[None] - blurs
        found = np.linalg.solve(weighted @ design + np.diag(held), weighted @ wanted.T + (held * expected)[:, None]).T
        left = ((wanted - found @ design.T) ** 2) @ self.weight + ((found - expected) ** 2) @ held
        return left / self.weight.sum(), found

    def left(self, transfers: list[NDArray]) -> NDArray[np.float64]:
        """What blurs leave unexplained, by what they do to the frequencies in use."""
        return self.fit(np.log(np.maximum(np.square(transfers), FAINTEST)))[0]

    def best(self, transfers: list[NDArray]) -> tuple[float, int, NDArray[np.float64]]:
        """Of blurs by what they do to the frequencies in use: what is left, which it is, and the unknowns."""
        blurs = np.log(np.maximum(np.square(transfers), FAINTEST))
        left, found = self.fit(blurs)
        at = int(np.argmin(left))
        return float(left[at]), at, found[at]


def _oval(seen: Spectrum) -> tuple[float, NDArray[np.float64], NDArray[np.float64]]:
    """What an oval Gaussian leaves, its covariance, and the scene; round unless it clearly is not."""
    squares = np.stack([-(seen.r**2), seen.fy**2 - seen.fx**2, -2 * seen.fx * seen.fy], 1)
    _, (found,) = seen.fit(np.zeros((1, len(seen.r))), squares)
    mean, d, e = float(np.clip(found[6], LEAST_BLUR, MOST_BLUR)), found[7], found[8]
    apart = max(float(np.hypot(d, e)), 1e-9)
    clear = np.clip((apart / mean - CLEAR) / (CLEARER - CLEAR), 0, 1) * min(1, 0.95 * mean / apart)
    covariance = np.array([[mean + clear * d, clear * e], [clear * e, mean - clear * d]])
    left, _, scene = seen.best([of_gaussian(seen.fy, seen.fx, covariance)])
    return left, covariance, scene


def _line(seen: Spectrum) -> tuple[float, tuple[float, float, float], NDArray[np.float64]]:
    """What a line leaves, its length, angle and the sigma of what is besides, and the scene."""

    def tried(lengths: NDArray, turns: NDArray) -> tuple[float, tuple[float, float, float], NDArray]:
        asked = [(n, a, s) for n in lengths for a in turns for s in WITH]
        soft = {s: of_gaussian(seen.fy, seen.fx, np.eye(2) * s * s) for s in WITH}
        left, at, scene = seen.best([of_line(seen.fy, seen.fx, n, a) * soft[s] for n, a, s in asked])
        return left, asked[at], scene

    first = min((tried(LINES, np.array([a])) for a in TURNS), key=lambda t: t[0])
    length, angle, _ = first[1]
    near = tried(np.array([length]), angle + FINER)
    return near if near[0] < first[0] else first


def _of_edges(seen: Spectrum, sigma: float, power: NDArray, noise: float) -> BlurOf:
    """What edges say where the spectrum says nothing."""
    shape = seen.r**-FALL * np.exp(-((sigma * seen.r) ** 2))
    level = float(np.median(seen.over / shape)) if len(shape) else 1e-4
    return BlurOf(np.eye(2) * sigma**2, level=level, sure=0.3, power=power, noise=noise)


def blur_of(power: NDArray, noise: float, plane: Callable[[], Plane]) -> BlurOf:
    """The blur of a picture.

    Parameters
    ----------
    power : (64, 64), see `mean_power`. noise : sigma of the luma's noise. plane : gives luma, where edges are asked.
    """
    seen, edges = Spectrum(power, noise), _by_edges(plane(), noise)
    if len(seen.r) < FEWEST:
        return _of_edges(seen, edges, power, noise)
    line, (length, angle, soft), along = _line(seen)
    if seen.one_way and line > LINE_LEAVES:
        return _of_edges(seen, edges, power, noise)
    left, covariance, scene = _oval(seen)
    even, at, alone = seen.best([of_gaussian(seen.fy, seen.fx, np.eye(2) * s * s) for s in ROUND])
    if even < left:
        left, covariance, scene = even, np.eye(2) * ROUND[at] ** 2, alone
    radius = 0.0
    disc, at, alone = seen.best([of_disc(seen.fy, seen.fx, radius) for radius in DISCS])
    if LINES[0] < length and line < min(LINE_BELOW * left, disc, SHAPED):
        left, covariance, scene = line, np.eye(2) * soft**2, along
        length, angle = float(length), float((angle + 90) % 180 - 90)
    elif at > 0 and disc < min(DISC_BELOW * left, SHAPED):
        left, covariance, scene, radius, length = disc, np.zeros((2, 2)), alone, float(DISCS[at]), 0.0
    else:
        length = angle = 0.0
    sure = float(np.clip(SURE - UNSURE * left, 0, 1))
    if sure < GUESS:
        return replace(_of_edges(seen, edges, power, noise), sure=sure)
    fall, level = float(scene[1]), float(np.exp(scene[0]))
    found = BlurOf(covariance, radius, length, angle, fall, level, sure, power=power, noise=noise)
    if radius or length:
        return found
    if edges < UNSEEN and found.axes[0] < NO_BLUR:
        return replace(found, covariance=np.eye(2) * LEAST_BLUR)
    return replace(found, covariance=covariance * max(1.0, edges**2 / found.sigma**2))


def _measure(asked: Asked) -> BlurOf:
    noise: NoisePrint = asked.needs[PICTURE_PRINT]
    power = mean_power(asked.read, asked.size, asked.check)
    if power is None:
        return BlurOf(np.eye(2) * LEAST_BLUR)
    h, w = asked.size
    top, left = max(0, h // 2 - MIDDLE[0] // 2), max(0, w // 2 - MIDDLE[1] // 2)
    middle = luma(asked.read(Region(top, left, top + MIDDLE[0], left + MIDDLE[1]).within(asked.size)))
    middle = np.ascontiguousarray(middle, np.float32)
    evened, usual = even_noise(middle, noise)
    spectrum = np.asarray(noise.luma_spectrum, float).reshape(8, 8)
    quiet = quieter(evened, spectrum, usual)
    asked.check()
    most, alone = white_noise(power, len(_windows(asked.size)))
    told = most**2 >= LEAST_OF_PRINT * spectrum[-1, -1] * (quiet * usual) ** 2
    if not noise.sure or (alone and told):
        sigma = most if alone else min(most, quiet * usual)
        around = float(np.sqrt(np.mean(sigma_of(middle, noise) ** 2)))
        return replace(blur_of(power, sigma, lambda: middle), quiet=min(1.0, sigma / around), white=True)
    return replace(blur_of(power, quiet * usual, lambda: middle), quiet=quiet)


# of the picture before it is cleaned: cleaning changes the spectrum, and not the blur
BLUR = FactKind("blur", _measure, of=Of.PICTURE, scope=Scope.WHOLE, needs=(PICTURE_PRINT,))
# how much of the blur was taken out already, 0 to 1: what sharpens next has so much less to do
DEBLURRED = FactKind("deblurred", lambda asked: 0.0, scope=Scope.NOTHING, lasting=True)
