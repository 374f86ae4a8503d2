"""Suggested strengths: what was asked for is reached, and not more than needed."""

from __future__ import annotations

import numpy as np
import pytest

from dustpan.core.judge.suggest import lowest_strength, suggest
from dustpan.core.judge.whole import judge_sweep
from dustpan.core.picture import Picture, from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step

pytestmark = pytest.mark.slow


@pytest.mark.parametrize("wanted", [20.0, 50.0])
def test_the_noise_asked_for_is_left(picture: Picture, wanted: float) -> None:
    with Renderer(picture) as r:
        found = suggest(r, wanted)
        verdict = judge_sweep(r, found.sweep)
        whole = judge_sweep(r, Sweep((make_step("noise"),)))
    assert verdict.noise_left == pytest.approx(wanted, abs=4)
    assert verdict.texture_kept is not None
    assert whole.texture_kept is not None
    assert verdict.texture_kept > whole.texture_kept
    assert f"{wanted:.0f} %" in found.why


@pytest.mark.parametrize("channels", [1, 3])
def test_a_picture_without_colour_gets_no_strength_for_it(noisy: np.ndarray, channels: int) -> None:
    grey = noisy.mean(2, keepdims=True).repeat(channels, 2).astype(np.float32)
    with Renderer(from_array(grey)) as r:
        (step,) = suggest(r).steps
    assert step.params.colour == 0
    assert step.params.luminance > 0.3


def test_less_noise_asked_for_takes_more_strength(picture: Picture) -> None:
    with Renderer(picture) as r:
        strengths = [suggest(r, w).steps[0].params.luminance for w in (60, 40, 20)]
    assert strengths == sorted(strengths)
    assert strengths[0] < strengths[-1]


def test_a_clean_picture_is_left_alone(clean: np.ndarray) -> None:
    with Renderer(from_array(clean.astype(np.float32))) as r:
        found = suggest(r)
    assert found.steps == ()
    assert found.why.startswith("Nothing")


def test_the_lowest_strength_solves_the_quadratic() -> None:
    assert lowest_strength(np.array([1.0, 0.0, 0.0]), 0.2) == pytest.approx(0.8)
    assert lowest_strength(np.array([1.0, 1.0, 1.0]), 0.2) == 1.0  # nothing was taken out: no strength is enough
    assert lowest_strength(np.array([0.0, 0.0, 0.0]), 0.2) == 1.0
