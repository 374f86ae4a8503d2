from __future__ import annotations

import numpy as np
import pytest
from benchmarks.sharpen import ASKED
from benchmarks.slanted_edge import make_edge, score
from hypothesis import given, settings
from hypothesis import strategies as st

from dustpan.core.grammar import parse_step
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.sharpen.halo_guard import guard, local_range
from dustpan.core.sweep import Sweep, make_step
from tests.scenes import noisy_a

NARROW = slice(0, 300)


def sharpen(pixels: np.ndarray, **values: float) -> np.ndarray:
    with Renderer(from_array(pixels)) as r:
        return r.render(Sweep((make_step("edge-sharpen", values),)))


@pytest.mark.parametrize("noise", [0, 2])
@pytest.mark.parametrize("contrast", [0.5, 0.8])
def test_the_slanted_edge(contrast: float, noise: int) -> None:
    """The figures that the step promises; benchmarks/sharpen.py prints them all."""
    halos, gains = [], []
    for blur in (0.8, 1.2, 2.0):
        picture, distance = make_edge(contrast, blur, noise)
        before = score(picture, distance, contrast)
        with Renderer(from_array(picture.astype(np.float32))) as r:
            after = score(r.render(Sweep((parse_step(ASKED),)))[..., 0], distance, contrast)
        assert before.mtf50 is not None
        assert after.mtf50 is not None
        halos.append(after.halo)
        gains.append(after.mtf50 / before.mtf50)
        assert after.mtf50 <= 0.45
    assert np.mean(halos) < 3
    assert np.mean(gains) >= 1.4
    assert min(gains) >= 1.2


@settings(max_examples=25)
@given(st.floats(0, 60), st.floats(0, 60))
def test_the_guard_holds_light_and_dark_apart(light: float, dark: float) -> None:
    rng = np.random.default_rng(8)
    plane = rng.random((40, 40)).astype(np.float32)
    low, high = local_range(plane)
    result = guard(plane + rng.normal(0, 1, plane.shape).astype(np.float32), low, high, light, dark)
    span = high - low
    assert (result <= high + light / 100 * span + 1e-5).all()
    assert (result >= low - dark / 100 * span - 1e-5).all()


def test_halo_limits_are_separate_on_a_picture() -> None:
    picture, _ = make_edge(0.6, 1.2, 0)
    pixels = picture[NARROW].astype(np.float32)
    base = {"amount": 4.0, "radius": 1.5, "threshold": 0.0}
    none = sharpen(pixels, **base, halo_light=0, halo_dark=0)
    light = sharpen(pixels, **base, halo_light=40, halo_dark=0)
    dark = sharpen(pixels, **base, halo_light=0, halo_dark=40)
    assert none.max() < 0.81
    assert none.min() > 0.19
    assert light.max() > none.max() + 0.01
    assert light.min() == pytest.approx(none.min(), abs=2e-3)
    assert dark.min() < none.min() - 0.01
    assert dark.max() == pytest.approx(none.max(), abs=2e-3)


def test_noise_below_the_threshold_is_left_alone() -> None:
    flat = noisy_a(np.full((200, 200, 3), 0.5), 6 / 255)
    for threshold in (2.0, 4.0):
        assert sharpen(flat, amount=4, threshold=threshold).std() <= 1.05 * flat.std()


def test_a_higher_threshold_sharpens_less(clean: np.ndarray) -> None:
    pixels = noisy_a(clean, 4 / 255)
    change = [np.abs(sharpen(pixels, amount=3, threshold=t) - pixels).mean() for t in (0, 2, 6, 10)]
    assert change == sorted(change, reverse=True)
    assert change[0] > 1.5 * change[-1]


def test_colours_stay_as_they_are(clean: np.ndarray) -> None:
    result = sharpen(clean.astype(np.float32), amount=3)
    added = result - clean.astype(np.float32)
    assert np.abs(added - added[..., :1]).max() < 1e-6
    assert np.abs(added).max() > 0.02


def test_the_smooth_wall_is_not_touched(clean: np.ndarray) -> None:
    result = sharpen(clean.astype(np.float32), amount=3)
    wall = (slice(20, 76), slice(20, 130))
    assert np.abs(result - clean)[wall].max() < 1e-3
