"""What a sensor's noise looks like once it is stored.

Light arrives as photons and is read with an error, so the variance in linear light is ``gain * x + read`` for a true
value x (Foi et al., 2008). The file then clips it to 0..1 and encodes it. A constant sigma on the encoded value is the
other model, for pictures whose noise was made or evened out later. Both are integrated over the normal distribution
by Gauss-Hermite quadrature, so that mean and sigma of the *stored* value are known for every true value.

The noise of a render comes from light paths: it is in proportion to the light, as textures multiply light and noise
alike, and it is not clipped. Its sigma is that of ``log(light + floor)``.

References
----------
[1] Foi, Trimeche, Katkovnik, Egiazarian, "Practical Poissonian-Gaussian noise modeling and fitting for single-image
    raw-data", IEEE TIP 17(10), 2008.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from dustpan.core.curve import SRGB, Curve, CurveNumbers
from dustpan.core.kernels import f8, kernel, part, tuple_of

_X, _W = np.polynomial.hermite_e.hermegauss(41)
NODES: NDArray[np.float64] = _X
WEIGHTS: NDArray[np.float64] = _W / _W.sum()

LINEAR_STEPS = np.concatenate([[0.0], np.geomspace(5e-5, 1.2, 60)])
ENCODED_STEPS = np.linspace(0, 1, 41)
PROPORTION_STEPS = 200  # of light, closer together towards black


@dataclass(frozen=True)
class ChannelNoise:
    """The noise of one channel.

    Attributes
    ----------
    constant : sigma is the same for every encoded value (``sigma``); otherwise shot and read noise in linear light.
    sigma : sigma of the encoded value before clipping, 0 to 1, when constant.
    gain, read : variance in linear light is ``gain * x + read``.
    shrink : what demosaicing and chroma subsampling left of the stored sigma, 0.6 to 1.
    curve : how encoded values relate to light.
    floor : of noise in proportion to light, the light below which it no longer falls; 0 for noise of other kinds.
        ``sigma`` is then that of log(light + floor). top : the brightest light that there is, 1 unless it is more.
    """

    constant: bool
    sigma: float = 0.0
    gain: float = 0.0
    read: float = 0.0
    shrink: float = 1.0
    curve: Curve = SRGB
    floor: float = 0.0
    top: float = 1.0

    @property
    def in_proportion(self) -> bool:
        """Whether it is in proportion to the light."""
        return self.floor > 0

    def stored(self, true: NDArray | None = None) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Mean and sigma of the stored (clipped, encoded) value.

        Parameters
        ----------
        true : true values, encoded when ``constant`` and in linear light otherwise; a standard ladder when left out.
        """
        if self.in_proportion:
            light = np.linspace(0, 1, PROPORTION_STEPS) ** 4 * self.top if true is None else true
            return np.asarray(self.curve.encode(light), float), self.sigma * (light + self.floor) * _rise(
                self.curve, light
            )
        if self.constant:
            return stored_constant(self.sigma, ENCODED_STEPS if true is None else true)
        mean, sigma = stored_shot(self.gain, self.read, LINEAR_STEPS if true is None else true, self.curve)
        return mean, sigma * self.shrink

    def sigma_at(self, level: NDArray) -> NDArray[np.float64]:
        """Sigma of the stored value where its mean is ``level`` (encoded, 0 to 1)."""
        mean, sigma = _ladder(self)
        return np.interp(level, mean, sigma)


@lru_cache(maxsize=256)
def _ladder(noise: ChannelNoise) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    return noise.stored()


def _rise(curve: Curve, light: NDArray) -> NDArray[np.float64]:
    """How much encoded values rise with light."""
    step = 1e-4 * np.maximum(light, 1e-3)
    return np.asarray((curve.encode(light + step) - curve.encode(light)) / step, np.float64)


def _moments(values: NDArray) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    mean = values @ WEIGHTS
    return mean, np.sqrt(np.maximum((values * values) @ WEIGHTS - mean * mean, 1e-12))


def stored_constant(sigma: float, true: NDArray) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Mean and sigma of clip(true + sigma * n, 0, 1) for encoded true values."""
    return _moments(np.clip(true[:, None] + sigma * NODES, 0, 1))


def stored_shot(
    gain: float, read: float, true: NDArray, curve: Curve = SRGB
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Mean and sigma of encode(clip(true + sqrt(gain * true + read) * n, 0, 1)) for true values in linear light."""
    out = np.empty((2, len(true)))
    _stored_shot(gain, read, np.asarray(true, float), NODES, WEIGHTS, curve.numbers, *out)
    return out[0], out[1]


def shot_sigma(level: NDArray[np.float64], gain: float, electrons: float, curve: Curve = SRGB) -> NDArray[np.float64]:
    """Sigma of the stored value where its mean is ``level``, on the line between two steps of the ladder.

    Parameters
    ----------
    level : (n,) encoded values.
    gain, electrons : logarithms of the gain and of sqrt(read) / gain.

    Returns
    -------
    (3, n) the logarithm of sigma, and its slopes by both parameters.
    """
    out = np.empty((3, len(level)))
    _shot_sigma(level, np.exp(gain), np.exp(2 * (electrons + gain)), LINEAR_STEPS, NODES, WEIGHTS, curve.numbers, out)
    return out


_CURVE = tuple_of(CurveNumbers, f8)


# so short that to let other threads go first would take longer
@kernel(f8[::1], f8, f8, f8[::1], f8[::1], f8[::1], _CURVE, f8[:, ::1], options={"error_model": "numpy"})
def _shot_sigma(level, gain, read, true, nodes, weights, curve, out):
    last = len(true) - 1
    ladder = np.empty((last + 1, 4))  # mean, sigma and their slopes by the spread; of the steps that are looked at
    known = np.zeros(last + 1, np.bool_)
    for i in range(len(level)):
        low, k = 0, last
        while k - low > 1:
            middle = (low + k) // 2
            if not known[middle]:
                _step(middle, ladder, known, gain, read, true, nodes, weights, curve)
            if ladder[middle, 0] >= level[i]:
                k = middle
            else:
                low = middle
        for j in (k - 1, k):
            if not known[j]:
                _step(j, ladder, known, gain, read, true, nodes, weights, curve)
        mean, sigma, mean_slope, sigma_slope = ladder[:, 0], ladder[:, 1], ladder[:, 2], ladder[:, 3]
        across = max(mean[k] - mean[k - 1], 1e-12)
        t = min(max((level[i] - mean[k - 1]) / across, 0.0), 1.0)
        found = sigma[k - 1] + t * (sigma[k] - sigma[k - 1])
        # when both ends of the line move, so does what stands at this level; beyond the ladder nothing stands there
        along = (sigma[k] - sigma[k - 1]) / across if 0.0 < t < 1.0 else 0.0
        out[0, i] = np.log(found)
        out[1, i] = out[2, i] = 0.0
        for j, share in ((k - 1, 1 - t), (k, t)):
            spread = np.sqrt(gain * true[j] + read)
            moved = share * (sigma_slope[j] - along * mean_slope[j]) / (found * spread)
            out[1, i] += moved * (gain * true[j] / 2 + read)
            out[2, i] += moved * read


@kernel(f8, f8, f8[::1], f8[::1], f8[::1], _CURVE, f8[::1], f8[::1])
def _stored_shot(gain, read, true, nodes, weights, curve, mean, sigma):
    for i in range(len(true)):
        mean[i], sigma[i], _, _ = _stored_at(gain, read, true[i], nodes, weights, curve)


@part()
def _step(i, ladder, known, gain, read, true, nodes, weights, curve):
    mean, sigma, mean_slope, sigma_slope = _stored_at(gain, read, true[i], nodes, weights, curve)
    ladder[i, 0], ladder[i, 1], ladder[i, 2], ladder[i, 3] = mean, sigma, mean_slope, sigma_slope
    known[i] = True


@part()
def _stored_at(gain, read, true, nodes, weights, curve):
    """Mean and sigma of the stored value for one true value, and their slopes by the spread of the light."""
    spread = np.sqrt(gain * true + read)
    m = s = slope = product = 0.0
    for k in range(len(nodes)):
        u = true + spread * nodes[k]
        inside = 0.0 < u < 1.0
        u = min(max(u, 0.0), 1.0)
        if u <= curve.cut:  # as `Curve.encode`
            v = u * curve.slope
            rise = curve.slope
        else:
            v = curve.scale * u ** (1 / curve.exponent) - curve.offset
            rise = (v + curve.offset) / (curve.exponent * u)
        m += weights[k] * v
        s += weights[k] * v * v
        if inside:
            slope += weights[k] * nodes[k] * rise
            product += weights[k] * nodes[k] * rise * v
    sigma = np.sqrt(max(s - m * m, 1e-12))
    return m, sigma, slope, (product - m * slope) / sigma
