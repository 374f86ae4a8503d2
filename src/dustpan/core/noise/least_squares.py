"""Robust least squares for a handful of parameters.

Levenberg's and Marquardt's damped steps on the soft absolute value of the residuals, 2 (sqrt(1 + r^2) - 1), whose
curvature is known in closed form. A print is measured with every move of a control before a sharpening step, on so few
figures that a general solver would spend most of the time on itself; that one is what the tests compare this with.

References
----------
[1] D. Marquardt, "An algorithm for least-squares estimation of nonlinear parameters", SIAM J. Appl. Math. 11(2), 1963.
[2] B. Triggs et al., "Bundle adjustment: a modern synthesis", 2000, section 4.3 (curvature of robust costs).
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

MOST_STEPS = 60
DAMPING, LESS, MORE = 1e-2, 0.1, 8.0  # at first; factors after a step that helped, and after one that did not
NO_GAIN = 1e-7  # of the cost
FLAT = 1e-9  # curvature that is always there, so that a parameter without any effect stays where it is


def robust_least_squares(
    residuals: Callable[[NDArray], tuple[NDArray, NDArray]], start: NDArray, bounds: tuple[float, float]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Parameters near ``start`` at which the soft absolute residuals are least.

    Parameters
    ----------
    residuals : gives residuals (m,), about 1 where they are usual, and their slopes (m, n) at parameters (n,).
    start : (n,). bounds : the least and largest value of every parameter.

    Returns
    -------
    The parameters, and the residuals there.
    """
    best = np.clip(start, *bounds)
    misfit, slopes = residuals(best)
    spread, damping = np.sqrt(1 + misfit * misfit), DAMPING
    for _ in range(MOST_STEPS):
        fall, curved = slopes.T @ (misfit / spread), (slopes.T / spread**3) @ slopes
        curved[np.diag_indices(len(best))] = curved.diagonal() * (1 + damping) + FLAT
        tried = np.clip(best - np.linalg.solve(curved, fall), *bounds)
        new_misfit, new_slopes = residuals(tried)
        new_spread = np.sqrt(1 + new_misfit * new_misfit)
        gain = float(spread.sum() - new_spread.sum())
        damping *= LESS if gain > 0 else MORE
        done = abs(gain) < NO_GAIN * spread.sum()
        if gain > 0:
            best, misfit, slopes, spread = tried, new_misfit, new_slopes, new_spread
        if done:
            break
    return best, misfit
