"""The luminance/colour split, and CIE colours. Luma weights follow ITU-R BT.709; values have 0 black and 1 white."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from dustpan.core.curve import SRGB, Curve

LUMA = np.array([0.2126, 0.7152, 0.0722])

# Rows: brightness, red against blue, magenta against green. Orthonormal, so white noise stays white in it.
OPPONENT = np.array(
    [
        [3**-0.5, 3**-0.5, 3**-0.5],
        [2**-0.5, 0.0, -(2**-0.5)],
        [6**-0.5, -2 * 6**-0.5, 6**-0.5],
    ]
)


decode, encode = SRGB.decode, SRGB.encode  # of the curve that most pictures have (IEC 61966-2-1)


def luma(pixels: NDArray) -> NDArray:
    """Luma Y' of encoded pixels.

    Parameters
    ----------
    pixels : (..., 3) or (..., 1) array.

    Returns
    -------
    (...) array of the same dtype.

    Examples
    --------
    >>> luma(np.array([[0.5, 0.5, 0.5], [1.0, 0.0, 0.0]])).round(4)
    array([0.5   , 0.2126])
    """
    if pixels.shape[-1] == 1:
        return pixels[..., 0]
    w = LUMA.astype(pixels.dtype)
    return pixels[..., 0] * w[0] + pixels[..., 1] * w[1] + pixels[..., 2] * w[2]


def opponent_matrix(channels: int) -> NDArray[np.float64]:
    """The orthonormal opponent transform for 3 channels, or the 1 x 1 identity for mono."""
    return OPPONENT if channels == 3 else np.eye(1)


_XYZ = np.array(
    [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
)


def lab(pixels: ArrayLike, curve: Curve = SRGB) -> NDArray[np.floating]:
    """CIE 1976 L*a*b* (D65) of values (..., 3) with sRGB's primaries, encoded by a curve.

    Examples
    --------
    >>> lab([[1.0, 1.0, 1.0], [0.5, 0.5, 0.5]]).round(1) + 0.0
    array([[100. ,   0. ,   0. ],
           [ 53.4,   0. ,   0. ]])
    """
    xyz = curve.decode(pixels) @ _XYZ.T / _XYZ.sum(1)
    f = np.where(xyz > (6 / 29) ** 3, np.cbrt(xyz), xyz / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1)
