"""White balance: which factors on a sensor's colours make things neutral under a light of some temperature.

References
----------
[1] CIE 15:2018, the daylight locus. [2] B. Kim et al., US patent 7 024 034, 2006: cubic fits of the Planckian locus, as
    used throughout the field below 4000 K. [3] D. B. Judd, 1968: tint along the CIE 1960 isotherm.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from dustpan.core.picture import Sensor

COLDEST, WARMEST, MOST_TINT = 15000.0, 1800.0, 100.0
TINT_STEP = 3e-4  # of CIE 1960 uv, for one unit of tint
XYZ_TO_SRGB = np.array(
    [[3.2404542, -1.5371385, -0.4985314], [-0.9692660, 1.8760108, 0.0415560], [0.0556434, -0.2040259, 1.0572252]]
)
MOST_FACTOR = 40.0  # beyond this a balance is no balance


def chromaticity(kelvin: float) -> tuple[float, float]:
    """CIE 1931 x, y of daylight [1], or of a black body below 4000 K [2].

    Examples
    --------
    >>> x, y = chromaticity(6504)
    >>> round(x, 3), round(y, 3)
    (0.313, 0.329)
    """
    t = 1e3 / kelvin
    if kelvin >= 4000:
        if kelvin <= 7000:
            x = ((-4.6070 * t + 2.9678) * t + 0.09911) * t + 0.244063
        else:
            x = ((-2.0064 * t + 1.9018) * t + 0.24748) * t + 0.237040
        return x, -3.0 * x * x + 2.870 * x - 0.275
    x = ((-0.2661239 * t - 0.2343589) * t + 0.8776956) * t + 0.179910
    if kelvin >= 2222:
        y = ((-0.9549476 * x - 1.37418593) * x + 2.09137015) * x - 0.16748867
    else:
        y = ((-1.1063814 * x - 1.34811020) * x + 2.18555832) * x - 0.20219683
    return x, y


def _uv(x: float, y: float) -> NDArray[np.float64]:
    """CIE 1960."""
    d = -2 * x + 12 * y + 3
    return np.array([4 * x / d, 6 * y / d])


def light(kelvin: float, tint: float) -> NDArray[np.float64]:
    """CIE XYZ of a light, Y being 1; positive tint is what has to be answered with magenta: a greener light."""
    here = _uv(*chromaticity(kelvin))
    along = _uv(*chromaticity(kelvin * 1.01)) - _uv(*chromaticity(kelvin / 1.01))
    across = np.array([along[1], -along[0]]) / np.hypot(*along)
    if across[1] < 0:
        across = -across
    u, v = here + tint * TINT_STEP * across
    d = 2 * u - 8 * v + 4
    x, y = 3 * u / d, 2 * v / d
    return np.array([x / y, 1.0, (1 - x - y) / y])


def factors(sensor: Sensor, kelvin: float, tint: float) -> tuple[float, ...]:
    """What makes a neutral thing neutral in this light, on a sensor's red, green and blue; the smallest is 1."""
    matrix = np.asarray(sensor.matrix).reshape(3, 3)
    seen = np.linalg.solve(matrix, XYZ_TO_SRGB @ light(kelvin, tint)) / np.asarray(sensor.daylight)
    return normal(1 / np.maximum(seen, 1e-3))


def normal(found: Sequence[float] | NDArray) -> tuple[float, ...]:
    """Factors, the smallest of which is 1, so that what is clipped stays white."""
    f = np.asarray(found, float)
    f = np.clip(f / f.min(), 1.0, MOST_FACTOR)
    return tuple(float(v) for v in f)


def temperature_of(sensor: Sensor, wanted: Sequence[float]) -> tuple[float, float]:
    """Temperature in K and tint whose `factors` come nearest to the wanted ones, such as those as shot."""
    from scipy.optimize import least_squares  # slow to import

    goal = np.log(np.asarray(wanted, float)) - np.log(wanted[1])

    def apart(q: NDArray) -> NDArray:
        found = np.log(factors(sensor, float(np.exp(q[0])), float(q[1])))
        return (found - found[1] - goal)[[0, 2]]

    ends = [np.log(WARMEST), -MOST_TINT], [np.log(COLDEST), MOST_TINT]
    tries = [least_squares(apart, [np.log(k), 0.0], bounds=ends, x_scale=[0.1, 10.0]) for k in (3000.0, 5500.0)]
    best = min(tries, key=lambda t: t.cost)
    return float(np.exp(best.x[0])), float(best.x[1])
