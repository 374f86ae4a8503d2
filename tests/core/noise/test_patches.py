"""The compiled estimate of a group against the textbook formula in plain NumPy."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.fft import dctn

from dustpan.core.colour import opponent_matrix
from dustpan.core.noise.groups import GROUP, SIDE, average
from dustpan.core.noise.patches import TIMES, Grid, GroupNoise, Layout, Trust, estimate

ACROSS, DOWN = 8, 7  # patches of the group, side by side, so that each can be read back
ALL, NONE = 0.0, 1e9  # share of the noise's power from which coefficients are estimated
CONTENT, LEFT = 0.9, 0.03


def planes(channels: int, seed: int) -> np.ndarray:
    """Content that varies along a few directions only, as alike patches do, around a level."""
    rng = np.random.default_rng(seed)
    shapes = rng.normal(size=(4, channels, SIDE, SIDE))
    out = np.full((channels, DOWN * SIDE, ACROSS * SIDE), 12.0, np.float32)
    for y in range(DOWN):
        for x in range(ACROSS):
            patch = np.tensordot(rng.normal(size=4) * (1, 0.7, 0.5, 0.3), shapes, 1)
            out[:, SIDE * y : SIDE * y + SIDE, SIDE * x : SIDE * x + SIDE] += patch
    return out


NOWHERE = np.empty(0, np.float32)  # a factor of 1


def coefficients(image: np.ndarray) -> np.ndarray:
    """(patches, 16 C) DCT coefficients, plane by plane."""
    cut = image.reshape(len(image), DOWN, SIDE, ACROSS, SIDE).transpose(1, 3, 0, 2, 4)
    return dctn(cut.astype(float), axes=(-2, -1), norm="ortho").reshape(GROUP, -1)


def estimated(
    noisy: np.ndarray,
    guide: np.ndarray,
    cov: np.ndarray,
    white: bool,
    least: float,
    scale: float,
    factor: np.ndarray = NOWHERE,
) -> tuple[np.ndarray, np.ndarray]:
    n, h, w = noisy.shape
    moves = np.array([(SIDE * y, SIDE * x) for y in range(DOWN) for x in range(ACROSS)], np.int32)
    total, weights = np.zeros((n, h, w), np.float32), np.zeros((h, w), np.float32)
    mix, cov = opponent_matrix(n).astype(np.float32), cov.astype(np.float32)
    noise = GroupNoise(mix, cov, white, np.full((n, 2), scale, np.float32), np.float32(0.01), factor)
    trust = Trust(np.float32(least), np.float32(CONTENT), np.float32(LEFT))
    estimate(
        noisy.ravel(), guide.ravel(), Layout(h * w, w), Grid(0, 0, 1, 1, 1), moves,
        np.arange(GROUP, dtype=np.int32)[None], noise, trust, total.ravel(), weights.ravel(),
    )  # fmt: skip
    out = np.empty_like(total)
    average(total, weights, guide, out)
    return out, weights


def textbook(guide: np.ndarray, noisy: np.ndarray, noise: np.ndarray) -> np.ndarray:
    """The linear estimate of least error of (patches, n) coefficients, around a mean that noisy patches set right."""
    eye = np.eye(len(noise))
    filt = eye - noise @ np.linalg.inv(CONTENT * np.cov(guide.T) + (1 - LEFT) * noise)
    mean = guide.mean(0)
    shift = noisy.mean(0) - mean  # counts as far as TIMES filters let it through
    mean = mean + shift - np.linalg.matrix_power((1 - LEFT) * (eye - filt), TIMES) @ shift
    return (noisy - mean) @ filt.T + mean


@pytest.mark.parametrize("channels", [1, 3])
@pytest.mark.parametrize("scale", [1.0, 0.5])
@pytest.mark.parametrize("white", [True, False])
def test_all_coefficients_together_are_the_linear_estimate_of_least_error(
    channels: int, scale: float, white: bool
) -> None:
    rng = np.random.default_rng(7)
    size = 16 * channels
    root = np.eye(size) if white else np.eye(size) + 0.3 * rng.normal(size=(size, size)) / np.sqrt(size)
    cov = root @ root.T
    guide = planes(channels, 1)
    noisy = guide + rng.normal(size=guide.shape).astype(np.float32)
    out, _ = estimated(noisy, guide, cov, white, ALL, scale)
    # the scale is the same for all channels, so the way through the opponent planes changes nothing
    expected = textbook(coefficients(guide), coefficients(noisy), scale**2 * cov)
    assert coefficients(out) == pytest.approx(expected, abs=2e-3)


@pytest.mark.parametrize("scale", [1.0, 0.5])
def test_without_content_levels_and_slopes_are_estimated_and_all_else_becomes_the_mean_of_the_guide(
    scale: float,
) -> None:
    guide = planes(3, 2)
    noisy = guide + np.random.default_rng(3).normal(size=guide.shape).astype(np.float32)
    out, _ = estimated(noisy, guide, np.eye(48), True, NONE, scale)
    g, y, found = coefficients(guide), coefficients(noisy), coefficients(out)
    smooth = np.isin(np.arange(48) % (SIDE * SIDE), (0, 1, SIDE))
    expected = textbook(g[:, smooth], y[:, smooth], scale**2 * np.eye(9))
    assert found[:, smooth] == pytest.approx(expected, abs=2e-3)
    assert found[:, ~smooth] == pytest.approx(np.broadcast_to(g.mean(0), g.shape)[:, ~smooth], abs=1e-3)


@pytest.mark.parametrize("scale", [1.0, 0.5])
def test_planes_without_content_beside_others_with_it_become_their_mean(scale: float) -> None:
    guide = planes(3, 5)
    noisy = guide + np.random.default_rng(6).normal(size=guide.shape).astype(np.float32)
    guide[1:] = 3.0
    out, _ = estimated(noisy, guide, np.eye(48), True, 0.03, scale)
    assert out[1:] == pytest.approx(np.full_like(out[1:], 3.0), abs=1e-3)
    assert np.abs(out[0] - guide[0]).mean() < 0.8 * np.abs(noisy[0] - guide[0]).mean()


def test_a_guide_whose_mean_is_off_is_set_right_where_it_varies() -> None:
    truth = planes(3, 8)
    noisy = truth + np.random.default_rng(9).normal(size=truth.shape).astype(np.float32)
    first, second = (truth[:, SIDE * i : SIDE * i + SIDE, :SIDE] for i in (0, 1))
    off = truth + np.float32(0.3) * np.tile(first - second, (1, DOWN, ACROSS))
    out, _ = estimated(noisy, off, np.eye(48), True, 0.03, 1.0)
    before, after = (coefficients(p).mean(0) - coefficients(truth).mean(0) for p in (off, out))
    assert np.sum(after**2) < 0.2 * np.sum(before**2)


def test_groups_that_keep_less_noise_weigh_more() -> None:
    noisy = planes(3, 4)
    flat = np.full_like(noisy, 12.0)
    _, of_flat = estimated(noisy, flat, np.eye(48), True, 0.03, 1.0)
    _, of_content = estimated(noisy, noisy, np.eye(48), True, 0.03, 1.0)
    _, of_clipped = estimated(noisy, flat, np.eye(48), True, 0.03, 0.5)
    assert of_clipped.max() > of_flat.max() > of_content.max() > 0


def test_where_no_group_reaches_the_guide_stands() -> None:
    total, weights = np.zeros((1, 9, 11), np.float32), np.zeros((9, 11), np.float32)
    weights[2, 3], total[0, 2:6, 3:7] = 2.0, 10.0
    guide = np.full((1, 9, 11), -1, np.float32)
    out = np.empty_like(total)
    average(total, weights, guide, out)
    assert out[0, 2:6, 3:7] == pytest.approx(np.full((4, 4), 5.0))
    assert np.count_nonzero(out == -1) == 99 - 16


@pytest.mark.parametrize("white", [True, False])
@pytest.mark.parametrize("factor", [1.0, 0.4, 3.0])
def test_a_factor_is_so_much_more_noise(white: bool, factor: float) -> None:
    """As if the noise's own covariance were the square of it as strong; a factor of 1 changes no bit."""
    rng = np.random.default_rng(7)
    root = np.eye(48) if white else np.eye(48) + 0.3 * rng.normal(size=(48, 48)) / np.sqrt(48)
    cov, guide = root @ root.T, planes(3, 1)
    noisy = guide + factor * rng.normal(size=guide.shape).astype(np.float32)
    by_place = np.full(guide[0].size, factor, np.float32)
    told, weight = estimated(noisy, guide, cov, white, 0.06, 1.0, by_place)
    plain, other = estimated(noisy, guide, cov * factor**2, white and factor == 1, 0.06, 1.0)
    if factor == 1:
        assert np.array_equal(told, plain)
    assert told == pytest.approx(plain, abs=2e-4)
    assert weight * factor**2 == pytest.approx(other, rel=2e-3)  # what keeps more noise counts less
