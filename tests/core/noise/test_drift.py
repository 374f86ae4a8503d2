"""The drift of clipped shadows."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import ndimage as ndi

from dustpan.core.noise.drift import AROUND, CELL, POOL, SHARE, _pooled, without_drift

EYE = np.eye(1, dtype=np.float32)


def scales(value: float) -> np.ndarray:
    return np.full((1, 4), value, np.float32)


def test_pools_are_boxes_of_five_cells_thrice() -> None:
    cells = np.random.default_rng(1).random((30, 25)).astype(np.float32)
    thrice = cells.astype(float)
    for _ in range(3):
        thrice = ndi.uniform_filter(thrice, 5)
    edge = len(POOL) // 2
    assert _pooled(cells, POOL) == pytest.approx(thrice[edge:-edge, edge:-edge], abs=1e-5)


@pytest.mark.parametrize(("scale", "share"), [(0.5, float(SHARE)), (1.0, 0.0)])
def test_what_is_lost_is_given_back_where_noise_is_clipped_only(scale: float, share: float) -> None:
    noisy = np.full((1, 32 + 2 * AROUND, 20 + 2 * AROUND), 2.0, np.float32)
    out = without_drift(noisy, noisy - 1, EYE, scales(scale), 0.1)
    assert out == pytest.approx(np.full((1, 32, 20), 1 + share), abs=1e-4)


def test_what_is_lost_on_a_slope_is_given_back_as_a_slope() -> None:
    """Between the middles of cells it is drawn out evenly: no steps from cell to cell."""
    h, w = 24, 40
    lost = np.add.outer(0.01 * np.arange(h + 2 * AROUND), 0.02 * np.arange(w + 2 * AROUND)).astype(np.float32)[None]
    calm = np.full_like(lost, 2.0)
    out = without_drift(calm + lost, calm, EYE, scales(0.5), 0.1)
    inside = lost[:, AROUND:-AROUND, AROUND:-AROUND]
    assert out == pytest.approx(2 + float(SHARE) * inside, abs=1e-3)


def test_a_part_is_as_the_whole() -> None:
    rng = np.random.default_rng(3)
    noisy = rng.normal(2, 1, (1, 60 + 2 * AROUND, 48 + 2 * AROUND)).astype(np.float32)
    calm = np.full_like(noisy, 1.9)
    whole = without_drift(noisy, calm, EYE, scales(0.6), 0.1)
    y, x = 3 * CELL, 5 * CELL
    part = without_drift(noisy[:, y:, x:], calm[:, y:, x:], EYE, scales(0.6), 0.1)
    assert part == pytest.approx(whole[:, y:, x:], abs=1e-6)
