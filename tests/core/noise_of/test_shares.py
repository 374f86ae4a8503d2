"""Shares of the noise that several steps take out together."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dustpan.core.colour import LUMA, luma, opponent_matrix
from dustpan.core.noise_of.shares import Share, left_by, shared, together

RNG = np.random.default_rng(5)
SOURCE, CLEANED = (RNG.random((12, 15, 3)).astype(np.float32) for _ in range(2))


def taken(luminance: float = 1.0, colour: float = 1.0, channels: tuple[float, ...] = (1, 1, 1)) -> np.ndarray:
    own = np.array([luminance, colour], np.float32)[:, None, None, None]
    return own * np.array(channels, np.float32)[:, None, None]


def results_of(shares: list[Share]) -> np.ndarray:
    """What steps give one after the other."""
    first = shares[0]
    below = shared(SOURCE, SOURCE, CLEANED, None, [], first)
    for n in range(1, len(shares)):
        below = shared(below, SOURCE, CLEANED, None, shares[:n], shares[n])
    return below


@settings(max_examples=40, deadline=None)
@given(st.integers(1, 5), st.integers(0, 1000), st.randoms(use_true_random=False))
def test_masks_that_share_out_a_picture_equal_one_step(number: int, seed: int, order: object) -> None:
    weights = np.random.default_rng(seed).random((number, 12, 15)).astype(np.float32)
    masks = list(weights / weights.sum(0))
    order.shuffle(masks)  # type: ignore[attr-defined]
    found = results_of([Share(taken(), mask, 1.0, 1.0) for mask in masks])
    assert found == pytest.approx(CLEANED, abs=1e-5)


@pytest.mark.parametrize(
    "parts",
    [
        [taken(1, 0), taken(0, 1)],
        [taken(0, 1), taken(1, 0)],
        [taken(channels=(1, 0, 1)), taken(channels=(0, 1, 0))],
        [taken(0.3, 0.6), taken(0.5, 0.2), taken(0.2, 0.2)],
    ],
)
def test_kinds_of_noise_in_several_steps_equal_one(parts: list[np.ndarray]) -> None:
    assert results_of([Share(p, None, 1.0, 1.0) for p in parts]) == pytest.approx(CLEANED, abs=1e-5)


def test_no_more_is_taken_than_there_was() -> None:
    once = results_of([Share(taken(), None, 1.0, 1.0)])
    assert np.array_equal(results_of([Share(taken(), None, 1.0, 1.0)] * 3), once)
    assert together([Share(taken(), None, 0.7, 1.0)] * 3).max() == 1


def test_opacity_and_masks_are_strengths() -> None:
    half = results_of([Share(taken(), None, 0.5, 1.0)])
    assert half == pytest.approx((SOURCE + CLEANED) / 2, abs=1e-6)
    assert results_of([Share(taken(), None, 0.5, 1.0)] * 2) == pytest.approx(CLEANED, abs=1e-5)


def test_a_stronger_step_goes_over_what_others_have_left() -> None:
    stronger = Share(taken(), None, 1.0, 2.0)
    assert results_of([Share(taken(), None, 0.5, 1.0), stronger]) == pytest.approx(CLEANED, abs=1e-5)


def test_what_was_left_before_counts_as_all() -> None:
    """With other steps between, a mask is a share of what was there at first."""
    left = np.full((2, 3, 1, 1), 0.25, np.float32)
    assert float(Share(taken(0.25, 0.25), None, 1.0, 1.0, left).here.max()) == 1
    assert float(Share(taken(0.1, 0.1), None, 1.0, 1.0, left).here.max()) == pytest.approx(0.4)


@pytest.mark.slow
@settings(max_examples=30, deadline=None)
@given(
    st.lists(st.floats(0, 1), min_size=3, max_size=3), st.lists(st.floats(0, 1), min_size=3, max_size=3),
    st.integers(0, 99),
)  # fmt: skip
def test_what_is_left_is_what_a_draw_of_noise_shows(light: list[float], rest: list[float], seed: int) -> None:
    rng = np.random.default_rng(seed)
    sigma, root = rng.uniform(0.5, 2, 3), rng.normal(size=(3, 3)) + 2 * np.eye(3)
    cov = root @ root.T
    correlation = cov / np.sqrt(np.outer(np.diag(cov), np.diag(cov)))
    draws = rng.multivariate_normal(np.zeros(3), correlation * np.outer(sigma, sigma), 40_000)
    shares = np.stack([light, rest]).astype(np.float32)[..., None, None]
    own = luma(draws)[:, None]
    after = draws - (shares[0, :, 0, 0] * own + shares[1, :, 0, 0] * (draws - own))
    found = left_by(shares, sigma, correlation)[:, 0, 0]
    rows = opponent_matrix(3)[1:]
    true = (
        np.std(after @ LUMA) / np.std(draws @ LUMA),
        np.sqrt(np.sum(np.var(after @ rows.T, axis=0)) / np.sum(np.var(draws @ rows.T, axis=0))),
    )
    assert found == pytest.approx(true, rel=0.05, abs=0.02)


def test_of_one_channel_there_is_only_luminance() -> None:
    shares = np.full((2, 1, 1, 1), 0.3, np.float32)
    assert left_by(shares, np.ones(1), np.eye(1)) == pytest.approx(np.full((1, 1, 1), 0.7))
