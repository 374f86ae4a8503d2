"""The sliding DCT against its definition, written out slowly, and what it must leave alone."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import ndimage as ndi
from scipy.fft import dctn, idctn

from dustpan.core.noise.sliding_dct import REACH, WINDOW, half_size, half_spectrum, sliding_dct, two_scale_dct

WHITE = np.ones((1, 64), np.float32)
ONE = np.ones((1, 1), np.float32)
EVEN = ONE, np.ones((1, 2), np.float32), 1.0


def slowly(plane: np.ndarray, threshold: float) -> np.ndarray:
    """Every 8 x 8 block on every second row and column: kept or not by coefficient, averaged by inverse kept noise."""
    h, w = plane.shape
    total, weights = np.zeros((h, w)), np.zeros((h, w))
    window = np.outer(WINDOW, WINDOW)
    for y in range(0, h - 7, 2):
        for x in range(0, w - 7, 2):
            spectrum = dctn(plane[y : y + 8, x : x + 8].astype(float), norm="ortho")
            kept = spectrum**2 >= threshold**2
            kept[0, 0] = True
            weight = 1 / kept.sum()
            total[y : y + 8, x : x + 8] += window * weight * idctn(spectrum * kept, norm="ortho")
            weights[y : y + 8, x : x + 8] += window * weight
    return total / np.maximum(weights, 1e-12)


@pytest.fixture
def noisy() -> np.ndarray:
    rng = np.random.default_rng(4)
    x = np.arange(72)[None]
    return (5 * np.sin(x / 5) + rng.standard_normal((60, 72))).astype(np.float32)


@pytest.mark.parametrize("threshold", [1.5, 2.7, 4.0])
def test_it_is_what_its_definition_says(noisy: np.ndarray, threshold: float) -> None:
    found = sliding_dct(noisy[None], WHITE, threshold, *EVEN)[0]
    expected = slowly(noisy, threshold)
    inside = slice(REACH, -REACH)
    assert found[inside, inside] == pytest.approx(expected[inside, inside], abs=2e-3)


def test_without_a_threshold_nothing_is_lost(noisy: np.ndarray) -> None:
    inside = slice(REACH, -REACH)
    assert sliding_dct(noisy[None], WHITE, 0.0, *EVEN)[0][inside, inside] == pytest.approx(
        noisy[inside, inside], abs=1e-3
    )


def test_a_flat_plane_stays_and_without_its_mean_nothing_is_left() -> None:
    flat = np.full((1, 48, 48), 7.0, np.float32)
    assert sliding_dct(flat, WHITE, 3.0, *EVEN)[0, REACH:-REACH, REACH:-REACH] == pytest.approx(7.0, abs=1e-4)
    assert np.abs(sliding_dct(flat, WHITE, 3.0, *EVEN, keep_mean=False)[0, REACH:-REACH, REACH:-REACH]).max() < 1e-4


def test_more_threshold_never_leaves_more_of_pure_noise() -> None:
    noise = np.random.default_rng(1).standard_normal((1, 96, 96)).astype(np.float32)
    left = [float(sliding_dct(noise, WHITE, t, *EVEN)[0, REACH:-REACH].std()) for t in (0.5, 1.5, 2.5, 3.5)]
    assert left == sorted(left, reverse=True)
    assert left[-1] < 0.2


def test_the_threshold_follows_the_noises_own_spectrum() -> None:
    """Noise that is strong at one frequency goes where the spectrum says so, and stays where it does not."""
    spectrum = np.full((1, 64), 0.05, np.float32)
    spectrum[0, 3] = 40.0
    x = np.tile(np.arange(64), (64, 1))
    wave = 1.5 * np.cos(np.pi * 3 * (2 * x + 1) / 16)
    left = [
        float(np.abs(sliding_dct(wave[None].astype(np.float32), s, 2.5, *EVEN)[0, REACH:-REACH, REACH:-REACH]).mean())
        for s in (spectrum, np.full((1, 64), 0.05, np.float32))
    ]
    assert left[0] < 0.35 * left[1]


def test_a_strip_gives_what_the_whole_gives(noisy: np.ndarray) -> None:
    wide = np.tile(noisy, (1, 5))[None]
    whole = sliding_dct(wide, WHITE, 2.7, *EVEN)
    part = sliding_dct(np.ascontiguousarray(wide[:, 16:48, 40:200]), WHITE, 2.7, *EVEN)
    inside = (slice(None), slice(REACH + 1, -REACH - 1), slice(REACH + 1, -REACH - 1))
    assert np.array_equal(part[inside], whole[:, 16:48, 40:200][inside])


def test_half_size_keeps_white_noise_at_unit_sigma() -> None:
    noise = np.random.default_rng(2).standard_normal((2, 400, 600)).astype(np.float32)
    half = half_size(noise)
    assert half.shape == (2, 200, 300)
    assert half.std(axis=(1, 2)) == pytest.approx([1, 1], abs=0.02)
    assert half[0, 3, 5] == pytest.approx(noise[0, 6:8, 10:12].sum() / 2)


def test_the_spectrum_at_half_size_is_that_of_the_noise_there() -> None:
    """For noise that is soft, as what comes out of a demosaic is: there is nothing above to fold back."""
    noise = ndi.gaussian_filter(np.random.default_rng(5).standard_normal((1024, 1024)), 1.2).astype(np.float32)

    def spectrum(plane: np.ndarray) -> np.ndarray:
        n = len(plane) // 8
        blocks = plane.reshape(n, 8, n, 8).swapaxes(1, 2).reshape(-1, 8, 8).astype(float)
        return np.mean(dctn(blocks, axes=(1, 2), norm="ortho") ** 2, axis=0).ravel()

    expected = spectrum(half_size(noise[None])[0])
    found = half_spectrum(spectrum(noise).astype(np.float32)[None])[0]
    strong = expected > 0.1 * expected.max()
    assert strong.sum() > 6
    assert found[strong] == pytest.approx(expected[strong], rel=0.35)


def test_two_scales_take_out_blotches_that_one_cannot_see() -> None:
    """Noise with periods above 8 px passes a block's threshold as its mean."""
    rng = np.random.default_rng(3)
    coarse = np.kron(rng.standard_normal((40, 40)), np.ones((4, 4))).astype(np.float32)[None]
    spectrum = np.zeros((1, 64), np.float32)
    blocks = coarse[0].reshape(20, 8, 20, 8).swapaxes(1, 2).reshape(-1, 8, 8)
    spectrum[0] = np.mean([dctn(b.astype(float), norm="ortho") ** 2 for b in blocks], axis=0).ravel() + 0.01
    one = sliding_dct(coarse, spectrum, 2.5, *EVEN)[0, 24:-24, 24:-24].std()
    two = two_scale_dct(coarse, spectrum, 2.5, *EVEN)[0, 24:-24, 24:-24].std()
    assert two < 0.9 * one
