"""Inverses of small matrices against NumPy's."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dustpan.core.noise.inverse import IN_HALVES, invert


@given(st.integers(1, 12), st.integers(0, 2**32 - 1), st.floats(0.01, 1))
def test_it_is_the_inverse_of_every_size_that_is_used(quarter: int, seed: int, noise: float) -> None:
    n = 4 * quarter
    rows = np.random.default_rng(seed).normal(size=(n, 56))
    matrix = rows @ rows.T / 55 + noise * np.eye(n)
    found = matrix.astype(np.float32)
    invert(found, np.zeros((4, n), np.float32), np.zeros((7, n * n), np.float32))
    assert found @ matrix == pytest.approx(np.eye(n), abs=2e-3)


@pytest.mark.parametrize("n", [IN_HALVES - 4, IN_HALVES, IN_HALVES + 4])
def test_both_ways_to_it_give_a_symmetric_inverse(n: int) -> None:
    rows = np.random.default_rng(n).normal(size=(n, n + 9))
    found = (rows @ rows.T + np.eye(n)).astype(np.float32)
    invert(found, np.zeros((4, n), np.float32), np.zeros((7, n * n), np.float32))
    assert found == pytest.approx(found.T, abs=1e-5)
