"""Models of noise fitted to pairs of level and sigma: shot plus read noise, and one constant sigma.

References
----------
[1] Foi et al., "Practical Poissonian-Gaussian noise modeling and fitting for single-image raw-data", IEEE TIP 2008.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from dustpan.core.curve import SRGB, Curve
from dustpan.core.noise.model import ENCODED_STEPS, ChannelNoise, shot_sigma, stored_constant

# Chosen on the photographs of `benchmarks.noise_print`, cases A to C.
TOLERANCE = 0.08  # usual relative error of one measured sigma
SMALL_STEP = 1e-6  # of an encoded value, for the slope of the transfer curve
TINY = 1e-12  # a power that is none
NEAR_ENDS, OFF_ENDS = (0.02, 0.98), (0.04, 0.96)  # encoded levels that count as neither black nor white
WORST_ERROR = 0.5  # of log sigma at one brightness, that counts towards the choice of a model
TOGETHER, PULL, USUAL_READ = 0.6, 0.05, 1.2  # read noises: held together, pulled to exp(1.2) electrons
LOG_BOUNDS = (-14, 6)  # of the logarithms of gain and read noise
CALMER = 0.4  # quantile over brightnesses that texture does not reach

Observed = list[tuple[NDArray[np.float64], NDArray[np.float64]]]


def lies_within(level: NDArray, ends: tuple[float, float]) -> NDArray[np.bool_]:
    """Which levels lie between two ends."""
    return (level > ends[0]) & (level < ends[1])


def fit_constant(level: NDArray, sigma: NDArray) -> tuple[float, float]:
    """The constant sigma that the calmer levels agree on, and its mean relative error over all levels."""
    s = max(float(np.quantile(sigma, CALMER)), 1e-5)
    ratio = np.ones_like(sigma)
    for _ in range(4):
        ratio = sigma / np.interp(level, *stored_constant(s, ENCODED_STEPS))
        s *= float(np.quantile(ratio, CALMER))
    error = np.abs(np.log(ratio / np.quantile(ratio, CALMER)))
    return s, float(np.minimum(error, WORST_ERROR).mean())


def fit_shot(
    observed: Observed, shrink: float, start: NDArray | None, curve: Curve = SRGB
) -> tuple[list[tuple[float, float]], float, NDArray]:
    """Gain and read noise of every channel by robust least squares on log sigma.

    Parameters are log(gain) and log(sqrt(read) / gain), the read noise in electrons; one sensor has one read noise, so
    the latter are held together across the channels, with a weak pull to three electrons.
    """
    n = len(observed)
    held = np.zeros((n + 1, 2 * n))  # how the read noises, and their mean, pull
    held[:n, n:] = (np.eye(n) - 1 / n) * TOGETHER / TOLERANCE
    held[n, n:] = PULL / n / TOLERANCE
    aim = np.r_[np.zeros(n), USUAL_READ * PULL / TOLERANCE]
    ends = np.cumsum([0] + [len(level) for level, _ in observed])
    rows = [slice(first, last) for first, last in pairwise(ends)]
    seen = np.concatenate([np.log(sigma / shrink) for _, sigma in observed])

    @lru_cache(maxsize=2)
    def expected(p: tuple[float, ...]) -> NDArray:
        return np.concatenate([shot_sigma(observed[c][0], p[c], p[n + c], curve) for c in range(n)], 1) / TOLERANCE

    def misfit(p: NDArray) -> NDArray:
        return expected(tuple(p))[0] - seen / TOLERANCE

    def residuals(p: NDArray) -> NDArray:
        return np.concatenate([misfit(p), held @ p - aim])

    def slopes(p: NDArray) -> NDArray:
        """Jacobian of the residuals: those of a channel hang on its own two parameters alone."""
        out = np.zeros((ends[-1], 2 * n))
        for c in range(n):
            out[rows[c], c], out[rows[c], n + c] = expected(tuple(p))[1:, rows[c]]
        return np.concatenate([out, held])

    from scipy.optimize import least_squares  # slow to import

    if start is None:
        start = np.r_[[_gain_of(level, sigma / shrink, curve) for level, sigma in observed], np.zeros(n)]
    best = least_squares(
        residuals, start, slopes, LOG_BOUNDS, loss="soft_l1", x_scale=1.0, ftol=1e-4, xtol=1e-4, max_nfev=40
    )
    error = float(np.minimum(np.abs(misfit(best.x)) * TOLERANCE, WORST_ERROR).mean())
    gain = np.exp(best.x[:n])
    read = (np.exp(best.x[n:]) * gain) ** 2
    return [(float(a), float(b)) for a, b in zip(gain, read, strict=True)], error, best.x


def less_of(noise: Sequence[ChannelNoise], observed: Observed) -> NDArray | None:
    """Parameters of `fit_shot` for the same noise at the share of its sigma that was observed."""
    if noise[0].constant:
        return None
    left = [np.log(sigma / c.sigma_at(level)) for c, (level, sigma) in zip(noise, observed, strict=True)]
    share = float(np.median(np.concatenate(left)))
    gain, read = (np.log(np.maximum(v, TINY)) for v in zip(*((c.gain, c.read) for c in noise), strict=True))
    return np.clip(np.r_[gain + 2 * share, read / 2 - gain - share], LOG_BOUNDS[0] + 1, LOG_BOUNDS[1] - 1)


def _gain_of(level: NDArray, sigma: NDArray, curve: Curve) -> float:
    """The logarithm of the gain that would explain the noise at these levels (encoded) without any read noise."""
    told = lies_within(level, NEAR_ENDS)
    if not told.any():
        return float(np.log(2e-3))
    linear = curve.decode(level[told])
    rise = (curve.decode(level[told] + SMALL_STEP) - linear) / SMALL_STEP
    return float(np.clip(np.log(np.median((sigma[told] * rise) ** 2 / linear)), LOG_BOUNDS[0] + 1, 0))
