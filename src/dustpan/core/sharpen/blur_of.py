"""How a picture is blurred, told from its own mean spectrum.

In the logarithm, the power of a natural picture above its noise is a sum: a level, a fall by a power of the frequency,
what edges of few directions do (two and four waves round), and the blur, which is quadratic in the frequency. That is
linear, so one weighted least squares finds it, without edges and without iteration. Where all edges run one way, the
ratio of gradients after two more blurs at the crests of edges is asked instead.

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
from dustpan.core.noise.evened import even_noise, quieter
from dustpan.core.noise.measure import PICTURE_PRINT
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.region import Region

Plane = NDArray[np.float32]
WINDOW, MOST = 64, 3000  # px of a window, and how many are looked at
OVER_NOISE, LOWEST = 2.0, 6  # times the noise, and waves in a window, from which on a frequency counts
FEWEST, ONE_WAY = 60, 0.4  # frequencies that have to count; agreement of their directions that is too much
FALL = 2.5  # of power, expected
HELD = (0, 1, 0.3, 0.3, 0.3, 0.3, 0, 0.05, 0.05)  # how much each unknown is held to what is expected
LEAST_BLUR, MOST_BLUR = 0.04, 12.0  # px²
CLEAR, CLEARER = 0.2, 0.4  # difference of the axes over their mean, from which on it is directional
QUIETEST = 0.3 / 255
MIDDLE = 1400, 2000  # px, down and across, that noise and edges are asked on
CRESTS, STEEPER = 60, 0.4  # that have to be found, and which quantile of their blurs


@dataclass(frozen=True, eq=False)
class BlurOf:
    """covariance : (2, 2) px² of the blur, x first. fall, level : of the scene's power. sure : 0 to 1.

    quiet : the share of the print's noise that the flattest parts of the picture bear out.
    """

    covariance: NDArray[np.float64]
    fall: float = FALL
    level: float = 1e-4
    sure: float = 0.0
    quiet: float = 1.0

    @property
    def sigma(self) -> float:
        """Of a round blur as wide."""
        return float(np.sqrt(np.trace(self.covariance) / 2))


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
        return 0.5
    ratio = np.maximum((a[crest] / b[crest]) ** 2, 1.0001)
    square = (second**2 - ratio * first**2) / (ratio - 1) - 1 / 3  # a central difference widens by a third of a px²
    return float(np.sqrt(max(float(np.quantile(square, STEEPER)), 0.04)))


def blur_of(power: NDArray, noise: float, plane: Callable[[], Plane]) -> BlurOf:
    """The blur of a picture.

    Parameters
    ----------
    power : (64, 64), see `mean_power`. noise : sigma of the luma's noise. plane : gives luma, where edges are asked.
    """
    least = max(noise, QUIETEST) ** 2
    f = 2 * np.pi * np.fft.fftfreq(WINDOW)
    fx, fy = np.meshgrid(f, f)
    r = np.hypot(fx, fy)
    use = (power > OVER_NOISE * least) & (r > LOWEST * np.pi / WINDOW) & (r < np.pi)
    seen, fx, fy, r = power[use], fx[use], fy[use], r[use]
    turn = np.arctan2(fy, fx)
    if use.sum() < FEWEST or abs(np.exp(2j * turn).mean()) > ONE_WAY:
        sigma = _by_edges(plane(), noise)
        shape = r**-FALL * np.exp(-((sigma * r) ** 2))
        level = float(np.median((seen - least) / shape)) if use.any() else 1e-4
        return BlurOf(np.eye(2) * sigma**2, FALL, level, 0.3)
    waves = [np.cos(2 * turn), np.sin(2 * turn), np.cos(4 * turn), np.sin(4 * turn)]
    columns = [np.ones_like(r), -np.log(r), *waves, -r * r, fy * fy - fx * fx, -2 * fx * fy]
    design = np.stack(columns, 1)
    weight = (seen - least) / seen / np.sqrt(r)
    held, expected = 0.02 * len(r) * np.array(HELD), np.zeros(len(HELD))
    expected[1] = FALL
    normal, right = (design * weight[:, None]).T @ design + np.diag(held), np.log(seen - least)
    found = np.linalg.solve(normal, (design * weight[:, None]).T @ right + held * expected)
    level, fall, mean, d, e = found[0], found[1], found[6], found[7], found[8]
    left = right - design @ found
    spread = np.sqrt(np.average(left**2, weights=weight) * np.linalg.inv(normal)[6, 6])
    mean = float(np.clip(mean, LEAST_BLUR, MOST_BLUR))
    apart = max(float(np.hypot(d, e)), 1e-9)
    clear = np.clip((apart / mean - CLEAR) / (CLEARER - CLEAR), 0, 1) * min(1, 0.95 * mean / apart)
    d, e = d * clear, e * clear
    covariance = np.array([[mean + d, e], [e, mean - d]])
    return BlurOf(covariance, float(fall), float(np.exp(level)), float(np.clip(1 - 4 * spread / mean, 0, 1)))


def _measure(asked: Asked) -> BlurOf:
    noise: NoisePrint = asked.needs[PICTURE_PRINT]
    power = mean_power(asked.read, asked.size, asked.check)
    if power is None:
        return BlurOf(np.eye(2) * LEAST_BLUR)
    h, w = asked.size
    top, left = max(0, h // 2 - MIDDLE[0] // 2), max(0, w // 2 - MIDDLE[1] // 2)
    middle = luma(asked.read(Region(top, left, top + MIDDLE[0], left + MIDDLE[1]).within(asked.size)))
    evened, usual = even_noise(np.ascontiguousarray(middle, np.float32), noise)
    quiet = quieter(evened, np.asarray(noise.luma_spectrum, float).reshape(8, 8), usual)
    asked.check()
    sigma = quiet * usual if noise.sure else 0.0
    return replace(blur_of(power, sigma, lambda: np.ascontiguousarray(middle, np.float32)), quiet=quiet)


# of the picture before it is cleaned: cleaning changes the spectrum, and not the blur
BLUR = FactKind("blur", _measure, of=Of.PICTURE, scope=Scope.WHOLE, needs=(PICTURE_PRINT,))
