"""What a blur does to each frequency: of a Gaussian, a disc and a line; and filters made from what is wished for each.

Frequencies are in radians per px, across (x) and down (y); results lie between -1 and 1, 1 where nothing changes.

References
----------
[1] J. W. Goodman, "Introduction to Fourier Optics", 1968: the disc of defocus, and motion.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.special import j1

GRID = 64  # frequencies each way
Waves = NDArray[np.float64]


def waves() -> tuple[Waves, Waves]:
    """(64, 1) down and (1, 64) across, in the order of an FFT."""
    f = np.asarray(2 * np.pi * np.fft.fftfreq(GRID), np.float64)
    return f[:, None], f[None]


def of_gaussian(fy: Waves, fx: Waves, covariance: NDArray) -> Waves:
    """covariance : (2, 2) px², x first."""
    (xx, xy), (_, yy) = covariance
    return np.asarray(np.exp(-(xx * fx * fx + 2 * xy * fx * fy + yy * fy * fy) / 2))


def of_disc(fy: Waves, fx: Waves, radius: float) -> Waves:
    """radius : px."""
    x = np.maximum(np.hypot(fy, fx) * radius, 1e-6)
    return np.asarray(2 * j1(x) / x)


def of_line(fy: Waves, fx: Waves, length: float, angle: float) -> Waves:
    """length : px. angle : degrees, from across towards down."""
    turn = np.radians(angle)
    return np.asarray(np.sinc((fx * np.cos(turn) + fy * np.sin(turn)) * length / (2 * np.pi)))


def filter_of(gains: Waves, reach: int, fade: float) -> NDArray[np.float32]:
    """(2 reach + 1, 2 reach + 1) filter with about these gains (64, 64), faded out at its rim; it keeps the mean.

    Parameters
    ----------
    fade : power of the window; smaller keeps more of the rim.
    """
    taps, middle = np.fft.fftshift(np.real(np.fft.ifft2(gains))), GRID // 2
    cut = taps[middle - reach : middle + reach + 1, middle - reach : middle + reach + 1]
    window = np.hanning(2 * reach + 3)[1:-1] ** fade
    cut = cut * window[:, None] * window[None]
    return np.asarray(cut / cut.sum(), np.float32)
