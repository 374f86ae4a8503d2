"""Variance stabilising with an inverse that leaves no bias.

A square root makes the noise of a shot-noise picture equally strong everywhere (Anscombe, 1948); dividing by sigma does
it for constant noise. Clipping breaks both: near black stored values pile up, so their mean lies above the true one.
The inverse used here is therefore a table of E[stabilised stored | true] for the measured noise, read backwards
(Mäkitalo and Foi, 2013), which returns clipped shadows to their true, darker mean.

References
----------
[1] F. J. Anscombe, "The transformation of Poisson, binomial and negative-binomial data", Biometrika 35, 1948.
[2] M. Mäkitalo, A. Foi, "Optimal inversion of the generalized Anscombe transformation for Poisson-Gaussian noise",
    IEEE TIP 22(1), 2013.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import opponent_matrix
from dustpan.core.kernels import EXACT, PLANE, PLANES, ROW, f4, kernel, part, seen
from dustpan.core.noise.blocks import CELL, cell_means
from dustpan.core.noise.model import NODES, WEIGHTS, ChannelNoise

TABLE = 4096
AT_A_TIME = 64 * CELL  # rows
SCALE_STEPS = 1024
_FAST = EXACT | {"fastmath": {"contract", "nsz", "arcp"}}


@dataclass(frozen=True)
class Stabiliser:
    """Tables between encoded values and values of unit noise, per channel.

    Attributes
    ----------
    forward : (C, TABLE + 2) stabilised value over the encoded value 0..``top``.
    backward : (C, TABLE + 2) unbiased encoded value over the stabilised value ``low .. low + TABLE / step``.
    low, step : (C,) start and entries per unit of ``backward``.
    usual : (C, TABLE + 2) mean of the stabilised stored values over the true encoded value 0..``top``.
    scale : (C, SCALE_STEPS) sigma of the stabilised value against the stabilised level: 1, less where clipped.
    scale_step : entries of ``scale`` per unit.
    top : the highest encoded value; what lies beyond is clipped to it.
    """

    forward: NDArray[np.float32]
    backward: NDArray[np.float32]
    low: NDArray[np.float32]
    step: NDArray[np.float32]
    usual: NDArray[np.float32]
    scale: NDArray[np.float32]
    scale_step: float
    top: float = 1.0

    def stabilise(self, pixels: NDArray[np.float32]) -> NDArray[np.float32]:
        """Encoded pixels (H, W, C), clipped to 0..top on the way, to opponent planes (C, H, W) of unit noise."""
        return self._through(self.forward, pixels)

    def cells(self, pixels: NDArray, check: Callable[[], None] = lambda: None) -> NDArray[np.float32]:
        """Means (C, H // 4, W // 4) of 4 x 4 px of the stabilised planes; ``check`` is called every few ten ms."""
        found = []
        for y in range(0, max(len(pixels), 1), AT_A_TIME):
            check()
            found.append(cell_means(self.stabilise(pixels[y : y + AT_A_TIME])))
        return np.concatenate(found, 1)

    def expect(self, cleaned: NDArray[np.float32]) -> NDArray[np.float32]:
        """Cleaned pixels (H, W, C) to what `restore` makes them from: the mean planes (C, H, W) of their noisy version.

        Near black that is not what `stabilise` would give, because noise that was clipped has a higher mean.
        """
        return self._through(self.usual, cleaned)

    def _through(self, table: NDArray[np.float32], pixels: NDArray[np.float32]) -> NDArray[np.float32]:
        out = np.empty((pixels.shape[2], *pixels.shape[:2]), np.float32)
        entries = np.float32(TABLE / self.top)
        _forward(np.ascontiguousarray(pixels, np.float32), table, entries, _mix(pixels.shape[2]), out)
        return out

    def restore(self, planes: NDArray[np.float32]) -> NDArray[np.float32]:
        """Cleaned opponent planes (C, H, W) to encoded pixels (H, W, C) by the unbiased inverse."""
        out = np.empty((*planes.shape[1:], planes.shape[0]), np.float32)
        _backward(np.ascontiguousarray(planes), self.backward, self.low, self.step, _mix(planes.shape[0]), out)
        return out

    def undo(self, planes: NDArray[np.float32]) -> NDArray[np.float32]:
        """Planes (C, H, W) to encoded pixels (H, W, C) by the plain inverse, for values whose noise is gone already."""
        channels = np.tensordot(_mix(len(planes)).T, planes, 1)
        entries = np.linspace(0, self.top, TABLE + 1, dtype=np.float32)
        found = [np.interp(v, table[:-1], entries) for v, table in zip(channels, self.forward, strict=True)]
        return np.stack(found, -1).astype(np.float32)


def _mix(channels: int) -> NDArray[np.float32]:
    return opponent_matrix(channels).astype(np.float32)


def _stabilised_moments(noise: ChannelNoise) -> tuple[NDArray, NDArray, NDArray, NDArray]:
    """True encoded levels, mean and sigma of the stabilised stored value there, and the forward table."""
    entries = np.linspace(0, 1, TABLE + 1)
    if noise.constant:
        true: NDArray = np.linspace(0, 1, 256)
        values = np.clip(true[:, None] + noise.sigma * NODES, 0, 1) / noise.sigma
        forward = entries / noise.sigma
    else:
        a, b = noise.gain, noise.read
        linear = np.concatenate([np.linspace(0, 0.01, 100), np.geomspace(0.0101, 1.4, 160)])
        true = noise.curve.encode(np.minimum(linear, 1))
        seen = np.clip(linear[:, None] + np.sqrt(a * linear + b)[:, None] * NODES, 0, 1)
        values = 2 / a * np.sqrt(a * seen + b)
        forward = 2 / a * np.sqrt(a * noise.curve.decode(entries) + b)
    mean = values @ WEIGHTS
    sigma = np.sqrt(np.maximum((values * values) @ WEIGHTS - mean * mean, 1e-6))
    mean = np.maximum.accumulate(mean + 1e-9 * np.arange(len(mean)))
    return true, mean, np.clip(sigma, 0.3, 1.1), forward


def make_stabiliser(noise: Sequence[ChannelNoise]) -> Stabiliser:
    """Tables for the measured noise of each channel (1 or 3)."""
    n = len(noise)
    if noise[0].in_proportion:
        return _in_proportion(noise)
    forward, backward, usual = (np.empty((n, TABLE + 2), np.float32) for _ in range(3))
    low, step = np.empty(n, np.float32), np.empty(n, np.float32)
    moments = []
    for c, channel in enumerate(noise):
        true, mean, sigma, forward[c, :-1] = _stabilised_moments(channel)
        moments.append((mean, sigma))
        backward[c, :-1] = np.interp(np.linspace(mean[0], mean[-1], TABLE + 1), mean, true)
        low[c], step[c] = mean[0], TABLE / (mean[-1] - mean[0])
        within = np.searchsorted(true, 1) + 1  # beyond white the true value stays there
        usual[c, :-1] = np.interp(np.linspace(0, 1, TABLE + 1), true[:within], mean[:within])
    for table in (forward, backward, usual):
        table[:, -1] = table[:, -2]
    scale_step = SCALE_STEPS / (max(mean[-1] for mean, _ in moments) * 1.02)
    grid = (np.arange(SCALE_STEPS) + 0.5) / scale_step
    scale = np.stack([np.interp(grid, mean, sigma) for mean, sigma in moments]).astype(np.float32)
    return Stabiliser(forward, backward, low, step, usual, scale, float(scale_step))


def _in_proportion(noise: Sequence[ChannelNoise]) -> Stabiliser:
    """Tables for noise in proportion to light: logarithms, of which nothing is clipped."""
    n, one = len(noise), noise[0]
    top = float(one.curve.encode(one.top))
    entries = np.linspace(0, top, TABLE + 1)
    forward, backward = np.empty((n, TABLE + 2), np.float32), np.empty((n, TABLE + 2), np.float32)
    low, step = np.empty(n, np.float32), np.empty(n, np.float32)
    for c, channel in enumerate(noise):
        values = np.log(np.maximum(channel.curve.decode(entries), 0) / channel.floor + 1) / channel.sigma
        even = np.linspace(0, values[-1], TABLE + 1)
        forward[c, :-1] = values
        backward[c, :-1] = channel.curve.encode(np.expm1(even * channel.sigma) * channel.floor)
        low[c], step[c] = 0, TABLE / values[-1]
    for table in (forward, backward):
        table[:, -1] = table[:, -2]
    return Stabiliser(forward, backward, low, step, forward, np.ones((n, 2), np.float32), 1.0, top)


@part(_FAST)
def _look_up(table, line):
    """Replace positions in a table, clipped to it, by the values there."""
    top = np.float32(len(table) - 2)
    for x in range(len(line)):
        v = min(max(line[x], np.float32(0)), top)
        k = np.uint32(v)
        f = v - np.float32(k)
        line[x] = table[k] + f * (table[k + np.uint32(1)] - table[k])


@kernel(seen(PLANES), PLANE, f4, PLANE, PLANES, options=_FAST)
def _forward(pixels, table, entries, mix, out):
    h, w, n = pixels.shape
    line = np.empty(w, np.float32)
    for y in range(h):
        source = pixels[y]
        for c in range(n):
            for x in range(w):
                line[x] = source[x, c] * entries
            _look_up(table[c], line)
            for k in range(n):
                target, f = out[k, y], mix[k, c]
                if c == 0:
                    for x in range(w):
                        target[x] = f * line[x]
                else:
                    for x in range(w):
                        target[x] += f * line[x]


@kernel(PLANES, PLANE, ROW, ROW, PLANE, PLANES, options=_FAST)
def _backward(planes, table, low, step, mix, out):
    n, h, w = planes.shape
    line = np.empty(w, np.float32)
    for y in range(h):
        target = out[y]
        for c in range(n):
            for x in range(w):
                line[x] = -low[c]
            for k in range(n):
                source, f = planes[k, y], mix[k, c]
                for x in range(w):
                    line[x] += f * source[x]
            for x in range(w):
                line[x] *= step[c]
            _look_up(table[c], line)
            for x in range(w):
                target[x, c] = line[x]
