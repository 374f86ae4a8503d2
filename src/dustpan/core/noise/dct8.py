"""The 8-point DCT-II and its inverse as straight-line code for kernels (orthonormal, even/odd decomposition).

References
----------
[1] K. R. Rao, P. Yip, "Discrete Cosine Transform", Academic Press, 1990, section 4.
"""

from __future__ import annotations

import numpy as np
from scipy.fft import dct

from dustpan.core.kernels import FAST, part

DCT_8 = dct(np.eye(8), axis=0, norm="ortho")  # the same as a matrix, frequency by sample
_f = np.float32
_H = _f(8**-0.5)
_C1, _C2, _C3, _C5, _C6, _C7 = (_f(0.5 * np.cos(k * np.pi / 16)) for k in (1, 2, 3, 5, 6, 7))


def _dct8(a, b, c, d, e, f, g, h):
    """Coefficients 0..7 of eight samples."""
    s0, s1, s2, s3 = a + h, b + g, c + f, d + e
    t0, t1, t2, t3 = a - h, b - g, c - f, d - e
    outer, inner = s0 + s3, s1 + s2
    slope, bend = s0 - s3, s1 - s2
    return (
        _H * (outer + inner),
        _C1 * t0 + _C3 * t1 + _C5 * t2 + _C7 * t3,
        _C2 * slope + _C6 * bend,
        _C3 * t0 - _C7 * t1 - _C1 * t2 - _C5 * t3,
        _H * (outer - inner),
        _C5 * t0 - _C1 * t1 + _C7 * t2 + _C3 * t3,
        _C6 * slope - _C2 * bend,
        _C7 * t0 - _C5 * t1 + _C3 * t2 - _C1 * t3,
    )


def _idct8(a, b, c, d, e, f, g, h):
    """Eight samples from coefficients 0..7."""
    p, q = _H * (a + e), _H * (a - e)
    r, s = _C2 * c + _C6 * g, _C6 * c - _C2 * g
    even0, even1, even2, even3 = p + r, q + s, q - s, p - r
    odd0 = _C1 * b + _C3 * d + _C5 * f + _C7 * h
    odd1 = _C3 * b - _C7 * d - _C1 * f - _C5 * h
    odd2 = _C5 * b - _C1 * d + _C7 * f + _C3 * h
    odd3 = _C7 * b - _C5 * d + _C3 * f - _C1 * h
    return (
        even0 + odd0,
        even1 + odd1,
        even2 + odd2,
        even3 + odd3,
        even3 - odd3,
        even2 - odd2,
        even1 - odd1,
        even0 - odd0,
    )


# as parts of kernels that add up in any order, and of those that keep to theirs
dct8, idct8 = (part(FAST, inline=True)(f) for f in (_dct8, _idct8))
exact_dct8, exact_idct8 = (part(inline=True)(f) for f in (_dct8, _idct8))
