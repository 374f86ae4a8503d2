"""Inverses of small matrices against NumPy's."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dustpan.core.noise.inverse import WIDE, invert
from tests.core.compiled import as_kernel


@pytest.mark.slow
@given(st.integers(1, 12), st.integers(0, 2**32 - 1), st.floats(0.01, 1))
def test_it_is_the_inverse_of_every_size_that_is_used(quarter: int, seed: int, noise: float) -> None:
    n = 4 * quarter
    rows = np.random.default_rng(seed).normal(size=(n, 56))
    matrix = rows @ rows.T / 55 + noise * np.eye(n)
    held = np.zeros((WIDE, WIDE), np.float32)
    held[:n, :n] = matrix
    as_kernel(invert)(held.ravel(), n, np.zeros(2 * WIDE, np.float32))
    found = held[:n, :n]
    assert found @ matrix == pytest.approx(np.eye(n), abs=2e-3)
    assert found == pytest.approx(found.T, abs=1e-3 * float(np.abs(found).max()))
    assert np.count_nonzero(held[n:]) == np.count_nonzero(held[:, n:]) == 0
