"""Grain raised: told when noise came out stronger or stringier, and not otherwise."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import ndimage as ndi

from dustpan.core.judge.grain import grain
from dustpan.core.judge.verdict import Verdict

NOISE = np.random.default_rng(4).normal(0, 5 / 255, (192, 192))
FLAT = np.ones((11, 11), bool)


def raised(after: np.ndarray) -> float:
    found = grain(0.4 + NOISE, 0.4 + after, FLAT)
    assert found is not None
    return found.raised


def test_noise_that_is_kept_or_taken_out_is_not_raised() -> None:
    assert raised(NOISE) == 0
    assert raised(0.1 * NOISE) == 0
    assert raised(0.2 * ndi.gaussian_filter(NOISE, 1.5)) == 0


@pytest.mark.parametrize("factor", [1.2, 1.6])
def test_stronger_noise_is_told_by_how_much(factor: float) -> None:
    assert raised(factor * NOISE) == pytest.approx(100 * (factor - 1), abs=0.5)


def test_strings_are_told_though_the_noise_is_no_stronger() -> None:
    strings = ndi.gaussian_filter(NOISE, (0.4, 3.0))
    assert raised(strings * (NOISE.std() / strings.std())) > 6


def test_without_flat_parts_nothing_is_told() -> None:
    assert grain(NOISE, NOISE, None) is None
    assert Verdict(100, 100, 0, 2, 2).grain() == ""


def test_the_verdict_says_it_and_names_the_step() -> None:
    found = Verdict(120, 100, 0, 2, 2, grain_raised=20)
    assert "grain raised by 20 %" in found.sentence()
    assert found.worsens(Verdict(100, 100, 0, 2, 2, grain_raised=0)) == "grain raised by 20 %"
