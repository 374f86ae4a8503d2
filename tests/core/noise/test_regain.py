"""Winning back: the filter that softened noise and picture alike is undone in part, and never too far."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import ndimage as ndi
from scipy.fft import dctn

from dustpan.core.noise.regain import REACH, SHARE, regain

WHITE = np.ones(64, np.float32)


def spectrum_of(sigma: float) -> np.ndarray:
    """What noise that was softened by a Gaussian looks like in 8 x 8 blocks."""
    noise = ndi.gaussian_filter(np.random.default_rng(1).standard_normal((800, 800)), sigma)
    blocks = noise.reshape(100, 8, 100, 8).swapaxes(1, 2).reshape(-1, 8, 8)
    power = np.mean(dctn(blocks, axes=(1, 2), norm="ortho") ** 2, axis=0)
    power[0, 0] = (power[0, 1] + power[1, 0]) / 2
    return power.ravel().astype(np.float32)


@pytest.fixture
def scene() -> np.ndarray:
    y, x = np.mgrid[0:120, 0:140]
    return (0.5 + 0.3 * np.sin(x / 1.7) * np.sin(y / 2.3) + 0.2 * (x > 70)).astype(np.float32)


def trimmed(plane: np.ndarray) -> np.ndarray:
    return plane[REACH:-REACH, REACH:-REACH]


def test_where_noise_is_white_nothing_was_softened_and_nothing_changes(scene: np.ndarray) -> None:
    assert regain(scene, WHITE) == pytest.approx(trimmed(scene), abs=1e-5)


def test_no_trust_changes_nothing(scene: np.ndarray) -> None:
    assert regain(scene, spectrum_of(0.7), share=0.0) == pytest.approx(trimmed(scene), abs=1e-6)


def test_a_flat_plane_keeps_its_level() -> None:
    flat = np.full((40, 50), 0.37, np.float32)
    assert regain(flat, spectrum_of(0.8)) == pytest.approx(np.full((34, 44), 0.37), abs=1e-5)


@pytest.mark.parametrize("sigma", [0.5, 0.7])
def test_what_was_softened_comes_nearer_to_what_it_was(scene: np.ndarray, sigma: float) -> None:
    soft = ndi.gaussian_filter(scene, sigma).astype(np.float32)
    won = regain(soft, spectrum_of(sigma))
    before, after = (np.mean((p - trimmed(scene)) ** 2) for p in (trimmed(soft), won))
    assert after < 0.75 * before


def test_only_a_part_of_the_loss_is_won_back_and_contrast_never_exceeds_what_was(scene: np.ndarray) -> None:
    soft = ndi.gaussian_filter(scene, 0.6).astype(np.float32)
    won = regain(soft, spectrum_of(0.6))
    contrast = [float(p.std()) for p in (trimmed(soft), won, trimmed(scene))]
    assert contrast[0] < contrast[1] < contrast[2]
    assert (contrast[1] - contrast[0]) / (contrast[2] - contrast[0]) < 1.6 * SHARE


def test_the_share_is_in_proportion_to_the_trust(scene: np.ndarray) -> None:
    soft = ndi.gaussian_filter(scene, 0.6).astype(np.float32)
    moved = [np.abs(regain(soft, spectrum_of(0.6), s) - trimmed(soft)).mean() for s in (0.25, 0.5, 1.0)]
    assert moved[1] == pytest.approx(2 * moved[0], rel=0.01)
    assert moved[2] == pytest.approx(4 * moved[0], rel=0.01)
