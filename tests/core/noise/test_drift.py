"""The drift of clipped shadows."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import ndimage as ndi

from dustpan.core.noise.drift import BAND, REACH, SHARE, WINDOW, _pooled, without_drift

TWICE = 2 * REACH


@given(st.integers(1, 2 * BAND + 3), st.integers(1, 40), st.integers(0, 1000))
def test_pooling_is_a_box_twice_whatever_the_size(height: int, width: int, seed: int) -> None:
    plane = np.random.default_rng(seed).random((height + TWICE, width + TWICE)).astype(np.float32)
    twice = ndi.uniform_filter(ndi.uniform_filter(plane.astype(float), WINDOW), WINDOW)
    assert _pooled(plane) == pytest.approx(twice[REACH:-REACH, REACH:-REACH], abs=1e-5)


@pytest.mark.parametrize(("scale", "share"), [(0.5, float(SHARE)), (1.0, 0.0)])
def test_what_is_lost_is_given_back_where_noise_is_clipped_only(scale: float, share: float) -> None:
    noisy = np.full((1, 30 + TWICE, 20 + TWICE), 2.0, np.float32)
    out = without_drift(noisy, noisy - 1, np.eye(1, dtype=np.float32), np.full((1, 4), scale, np.float32), 0.1)
    assert out == pytest.approx(np.full((1, 30, 20), 1 + share), abs=1e-4)
