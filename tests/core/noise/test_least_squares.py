from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import least_squares

from dustpan.core.noise.least_squares import robust_least_squares


def decay(x: np.ndarray, y: np.ndarray, p: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Residuals and slopes of y = exp(p0 - exp(p1) x)."""
    value, rate = np.exp(p[0] - np.exp(p[1]) * x), np.exp(p[1])
    return (value - y) / 0.05, np.stack([value, -value * rate * x], 1) / 0.05


@settings(max_examples=40, deadline=None)
@given(st.floats(-1, 1), st.floats(-2, 1), st.integers(0, 10**6))
def test_it_finds_what_the_general_solver_finds(height: float, rate: float, seed: int) -> None:
    rng = np.random.default_rng(seed)
    x = np.linspace(0, 3, 25)
    y = np.exp(height - np.exp(rate) * x) + rng.normal(0, 0.05, 25)
    y[rng.integers(0, 25, 2)] += 1.5  # outliers
    bounds, start = (-4.0, 4.0), np.array([height, rate]) + rng.uniform(-0.3, 0.3, 2)
    found, misfit = robust_least_squares(lambda p: decay(x, y, p), start, bounds)
    theirs = least_squares(
        lambda p: decay(x, y, p)[0], start, lambda p: decay(x, y, p)[1], bounds, loss="soft_l1", ftol=1e-10
    )
    assert np.array_equal(misfit, decay(x, y, found)[0])
    assert np.sum(np.sqrt(1 + misfit**2)) <= np.sum(np.sqrt(1 + theirs.fun**2)) * (1 + 1e-4)


def test_outliers_hardly_count() -> None:
    x = np.linspace(0, 3, 25)
    y = np.exp(0.5 - np.exp(-0.2) * x)
    y[::6] += 2
    found, _ = robust_least_squares(lambda p: decay(x, y, p), np.zeros(2), (-4.0, 4.0))
    assert found == pytest.approx([0.5, -0.2], abs=0.05)


def test_it_stays_within_bounds_and_leaves_a_parameter_without_effect_alone() -> None:
    def residuals(p: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        return np.array([p[0] - 7.0, p[0] - 7.0]), np.array([[1.0, 0.0], [1.0, 0.0]])

    found, misfit = robust_least_squares(residuals, np.array([0.0, 0.3]), (-2.0, 3.0))
    assert found == pytest.approx([3.0, 0.3])
    assert misfit == pytest.approx([-4.0, -4.0])
