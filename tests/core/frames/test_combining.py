"""Values of many exposures made into one."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dustpan.core.errors import WrongUse
from dustpan.core.frames.combining import Combining, Noise, Way, combine, combining_of, medians

COUNT, SIGMA, LEVEL = 14, 5.0, 100.0
ALIKE = Noise(
    np.array([0, 1000], np.float32), np.full(2, SIGMA**2, np.float32), *(np.ones(COUNT, np.float32) for _ in range(2))
)
TRAIL = np.s_[3, 20:22]


def values(trail: float = 0.0, size: tuple[int, int] = (50, 60)) -> np.ndarray:
    found = np.random.default_rng(0).normal(LEVEL, SIGMA, (COUNT, *size)).astype(np.float32)
    found[TRAIL] += trail
    return found


@pytest.mark.parametrize("text", ["mean", "median", "trim:10-90", "sigma:3", "model:3.5"])
def test_ways_are_typed_as_they_are_told(text: str) -> None:
    assert combining_of(text).text == text


@pytest.mark.parametrize("text", ["", "best", "trim:90-10", "trim:0-101", "sigma:0.1", "model:x", "trim:1.2.3-4"])
def test_what_makes_no_sense_is_refused(text: str) -> None:
    with pytest.raises(WrongUse):
        combining_of(text)


@given(st.sampled_from([2, 3, 4, 7, 31, 40]), st.integers(0, 50))
def test_ways_are_those_of_numpy(count: int, seed: int) -> None:
    stack = np.random.default_rng(seed).normal(size=(count, 3, 4)).astype(np.float32)
    even = Noise(*(np.zeros(1, np.float32),) * 2, *(np.ones(count, np.float32),) * 2)
    np.testing.assert_allclose(medians(stack), np.median(stack, 0), rtol=1e-6)
    np.testing.assert_allclose(combine(stack, even, Combining(Way.MEDIAN)).value, np.median(stack, 0), rtol=1e-5)
    np.testing.assert_allclose(combine(stack, even, Combining(Way.MEAN)).value, stack.mean(0), rtol=1e-4, atol=1e-6)
    kept = np.sort(stack, 0)[int(0.2 * count) : int(np.ceil(0.8 * count))]
    trimmed = combine(stack, even, Combining(Way.TRIM, low=20, high=80))
    np.testing.assert_allclose(trimmed.value, kept.mean(0), rtol=1e-4, atol=1e-6)
    np.testing.assert_array_equal(trimmed.high, kept[-1])


def test_clipping_takes_a_trail_out_and_keeps_the_noise_low() -> None:
    clean, spoilt = values(), values(200.0)
    ideal = clean.mean(0).std()
    model, mean, middle = (combine(spoilt, ALIKE, combining_of(t)) for t in ("model:3.5", "mean", "median"))
    there = np.s_[20:22]
    assert abs(model.value[there].mean() - LEVEL) < 0.02 * abs(mean.value[there].mean() - LEVEL)
    assert model.value[:19].std() < 1.01 * ideal < middle.value[:19].std()
    assert model.rejected[3] >= 120
    assert model.rejected.sum() - model.rejected[3] < 0.002 * clean.size


def test_what_lies_beside_a_trail_goes_with_it() -> None:
    faint = values(200.0)
    faint[3, 22] += 2.5 * SIGMA  # the foot of the trail, below the limit
    found = combine(faint, ALIKE, combining_of("model:3.5"))
    assert found.value[22].mean() - LEVEL < 0.5 * (faint.mean(0)[22].mean() - LEVEL)


def test_a_steep_place_may_differ_more() -> None:
    stack = np.tile(np.where(np.arange(60) < 30, 0, 2000).astype(np.float32), (COUNT, 50, 1))
    stack[1::2] = np.roll(stack[1::2], 1, 2) * 0.1 + stack[1::2] * 0.9  # a tenth of a pixel off
    found = combine(np.ascontiguousarray(stack[:, :, 5:-5]), ALIKE, combining_of("model:3.5"))
    assert found.rejected.sum() == 0


def test_places_that_some_do_not_have() -> None:
    stack = values()
    stack[5, :, :10] = np.nan
    stack[:, 0, 0] = np.nan
    for text in ("mean", "median", "trim:10-90", "sigma:3", "model:3.5"):
        found = combine(stack, ALIKE, combining_of(text))
        assert np.isnan(found.value[0, 0])
        assert np.isfinite(found.value).sum() == found.value.size - 1
        assert found.counted[5] == 50 * 50


def test_two_that_have_nothing_in_common_are_both_kept() -> None:
    stack = np.stack([np.zeros((4, 4)), np.full((4, 4), 1e4)]).astype(np.float32)
    two = Noise(*(np.ones(1, np.float32),) * 2, *(np.ones(2, np.float32),) * 2)
    np.testing.assert_allclose(combine(stack, two, Combining()).value, 5e3)


def test_noisier_ones_weigh_less() -> None:
    rng = np.random.default_rng(1)
    stack = rng.normal(LEVEL, SIGMA, (COUNT, 60, 60)).astype(np.float32)
    stack[7:] = LEVEL + 4 * (stack[7:] - LEVEL)
    share = np.where(np.arange(COUNT) < 7, 1, 16).astype(np.float32)
    weighted = Noise(ALIKE.level, ALIKE.variance, share, 1 / share)
    found = [combine(stack, n, Combining()).value.std() for n in (ALIKE, weighted)]
    equal = np.sqrt(share.sum()) / 14  # what the mean and the best weights leave of one
    best = 1 / np.sqrt((1 / share).sum())
    assert found[1] / SIGMA == pytest.approx(best, rel=0.08)
    assert found[0] > found[1]
    assert stack.mean(0).std() / SIGMA == pytest.approx(equal, rel=0.08)


@given(st.floats(1.5, 6), st.floats(0.1, 3))
def test_a_wider_limit_never_rejects_more(limit: float, more: float) -> None:
    stack = values(40.0, (24, 20))
    counts = [combine(stack, ALIKE, Combining(Way.MODEL, v)).rejected.sum() for v in (limit, limit + more)]
    assert counts[1] <= counts[0]
