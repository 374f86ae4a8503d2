from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dustpan.core.colour import encode
from dustpan.core.noise.blocks import DCT_2D, Blocks, cell_means, usual_power
from dustpan.core.noise.model import (
    LINEAR_STEPS,
    NODES,
    WEIGHTS,
    ChannelNoise,
    shot_sigma,
    stored_constant,
    stored_shot,
)


@given(st.floats(0.002, 0.2), st.floats(0, 1))
def test_stored_moments_of_clipped_constant_noise(sigma: float, true: float) -> None:
    rng = np.random.default_rng(1)
    stored = np.clip(true + sigma * rng.normal(size=200_000), 0, 1)
    mean, spread = stored_constant(sigma, np.array([true]))
    assert mean[0] == pytest.approx(stored.mean(), abs=0.02 * sigma + 1e-4)
    assert spread[0] == pytest.approx(stored.std(), rel=0.06, abs=0.02 * sigma)


@pytest.mark.slow
@given(st.floats(1e-4, 1e-2), st.floats(0.5, 6), st.floats(0, 0.8))
def test_stored_moments_of_shot_and_read_noise(gain: float, electrons: float, true: float) -> None:
    rng = np.random.default_rng(2)
    read = (electrons * gain) ** 2
    stored = encode(np.clip(true + np.sqrt(gain * true + read) * rng.normal(size=200_000), 0, 1))
    mean, spread = stored_shot(gain, read, np.array([true]))
    assert mean[0] == pytest.approx(stored.mean(), abs=0.012)
    assert spread[0] == pytest.approx(stored.std(), rel=0.15, abs=0.004)


@given(st.floats(1e-5, 0.05), st.floats(0, 0.02))
def test_the_compiled_quadrature_is_the_one_over_encoded_values(gain: float, read: float) -> None:
    spread = np.sqrt(gain * LINEAR_STEPS + read)[:, None] * NODES
    stored = encode(np.clip(LINEAR_STEPS[:, None] + spread, 0, 1))
    mean, sigma = stored_shot(gain, read, LINEAR_STEPS)
    assert mean == pytest.approx(stored @ WEIGHTS, abs=1e-7)
    variance = np.maximum((stored - (stored @ WEIGHTS)[:, None]) ** 2 @ WEIGHTS, 0)
    assert sigma**2 == pytest.approx(variance, abs=1e-7)


@given(st.floats(-8, -3.5), st.floats(-1.5, 2))
def test_slopes_of_sigma_are_what_small_moves_give(gain: float, electrons: float) -> None:
    level, move = np.linspace(0.0137, 0.97, 23), 1e-6
    sigma, by_gain, by_electrons = shot_sigma(level, gain, electrons)
    mean, spread = stored_shot(np.exp(gain), np.exp(2 * (gain + electrons)), LINEAR_STEPS)
    assert np.exp(sigma) == pytest.approx(np.interp(level, mean, spread), rel=1e-9)
    moved = [(shot_sigma(level, gain + a, electrons + b)[0] - sigma) / move for a, b in ((move, 0), (0, move))]
    apart = np.abs(np.subtract(moved, (by_gain, by_electrons)))
    assert np.median(apart) < 1e-4
    assert (apart > 1e-3).mean() < 0.1  # where a move crosses a step of the ladder


def test_sigma_is_read_at_stored_levels_and_shrunk() -> None:
    whole = ChannelNoise(False, gain=0.004, read=1e-4)
    shrunk = ChannelNoise(False, gain=0.004, read=1e-4, shrink=0.7)
    levels = np.array([0.1, 0.3, 0.6])
    assert shrunk.sigma_at(levels) == pytest.approx(0.7 * whole.sigma_at(levels))
    assert ChannelNoise(True, sigma=0.05).sigma_at(levels) == pytest.approx([0.05] * 3, rel=0.03)


def test_blocks_see_unit_noise_as_unit_power_at_every_frequency() -> None:
    plane = np.random.default_rng(3).normal(size=(600, 600)).astype(np.float32)
    cells = cell_means(plane[None])
    blocks = Blocks(cells, cells)
    power = usual_power(blocks.spectra(plane, np.arange(len(blocks))) ** 2)
    assert power == pytest.approx(np.ones(64), abs=0.2)
    assert pytest.approx(np.eye(64), abs=1e-9) == DCT_2D @ DCT_2D.T


def test_blocks_of_a_coarser_search_are_some_of_a_finer_one() -> None:
    plane = np.random.default_rng(12).normal(size=(1, 256, 320)).astype(np.float32)
    cells = cell_means(plane)
    fine, coarse = Blocks(cells, cells, cells[0].size), Blocks(cells, cells, cells[0].size // 9, wide=False)
    rows, cols = (n - 3 for n in cells.shape[1:])
    assert len(fine) == rows * cols > 8 * len(coarse)
    some = np.arange(rows * cols).reshape(rows, cols)[::3, ::3].ravel()
    assert coarse.score == pytest.approx(fine.score[some], rel=1e-9)
    assert coarse.level == pytest.approx(fine.level[:, some], rel=1e-6)


def test_the_flattest_blocks_are_those_of_the_flat_half() -> None:
    plane = np.random.default_rng(4).normal(0, 0.02, size=(320, 320))
    plane[:, 160:] += np.add.outer(np.zeros(320), np.tile([0, 0, 0, 0, 0, 0, 1, 1, 1, 1], 16))
    cells = cell_means(plane[None].astype(np.float32))
    blocks = Blocks(cells, cells)
    assert (blocks.x[blocks.flattest(100)] < 160).all()


@pytest.mark.parametrize("shape", [(3, 3), (15, 400), (400, 15)])
def test_pictures_too_small_for_a_window_have_no_blocks(shape: tuple) -> None:
    cells = cell_means(np.zeros((1, *shape), np.float32))
    assert len(Blocks(cells, cells)) == 0
