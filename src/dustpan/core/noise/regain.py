"""Win back what softened the picture together with its noise.

Demosaicing and compression that correlate noise are low-pass filters, and the picture went through them as well. The
noise was white before, so its spectrum shows the filter: H = sqrt(P / P(0)). The cleaned luminance is lifted by a part
of 1 / H where that is safe, and not at all where the filter left next to nothing (a damped inverse filter; Wiener,
1949).

References
----------
[1] N. Wiener, "Extrapolation, interpolation, and smoothing of stationary time series", Wiley, 1949.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import FAST, PLANE, kernel

SIDE = 7
REACH = SIDE // 2
SHARE = 0.4  # of the loss that is won back
DEPTH = 0.5  # filter gains below this are not trusted


@lru_cache(maxsize=8)
def _kernel(spectrum: bytes, share: float) -> NDArray[np.float32]:
    power = np.frombuffer(spectrum, np.float32).astype(float).reshape(8, 8)
    power = (power + power.T) / 2
    gain = np.sqrt(np.clip(power / power[0, 0], 1e-4, 1))
    lift = (1 + SHARE * (1 / gain - 1)) * np.minimum(1, gain / DEPTH)
    at = np.minimum(np.abs(np.fft.fftfreq(16) * 16).astype(int), 7)
    around = slice(8 - REACH, 9 + REACH)
    kernel = np.fft.fftshift(np.fft.ifft2(lift[np.ix_(at, at)]).real)[around, around]
    taper = np.sqrt(np.hanning(SIDE + 2)[1:-1])
    kernel = kernel * np.outer(taper, taper)
    kernel /= kernel.sum()
    identity = np.zeros((SIDE, SIDE))
    identity[REACH, REACH] = 1
    return (identity + share * (kernel - identity)).astype(np.float32)


def regain(plane: NDArray[np.float32], spectrum: NDArray[np.float32], share: float = 1.0) -> NDArray[np.float32]:
    """Lift the fine detail of a cleaned luminance plane.

    Parameters
    ----------
    plane : (h, w) with `REACH` px more on every side than is wanted.
    spectrum : (64,) noise power over the frequencies of an 8 x 8 DCT.
    share : 0 to 1, less where the print deserves less trust.

    Returns
    -------
    (h - 2 REACH, w - 2 REACH).
    """
    out = np.empty((plane.shape[0] - 2 * REACH, plane.shape[1] - 2 * REACH), np.float32)
    _convolve(np.ascontiguousarray(plane), _kernel(np.asarray(spectrum, np.float32).tobytes(), float(share)), out)
    return out


@kernel(PLANE, PLANE, PLANE, options=FAST)
def _convolve(plane, kernel, out):
    h, w = out.shape
    for y in range(h):
        line = out[y]
        line[:] = 0
        for i in range(SIDE):
            source = plane[y + i]
            for j in range(SIDE):
                k = kernel[i, j]
                shifted = source[j : j + w]
                for x in range(w):
                    line[x] += k * shifted[x]
