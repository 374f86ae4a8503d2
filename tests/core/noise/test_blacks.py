"""Neutral blacks: a made cast is found and taken out; noise that was clipped is not taken for one."""

from __future__ import annotations

import numpy as np
import pytest

from dustpan.core.colour import decode, encode
from dustpan.core.noise.blacks import measure_blacks
from dustpan.core.noise.measure import measure
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step
from dustpan.demo.camera import develop, expose
from tests.scenes import desk

CAST = np.array([0.0, 0.004, 0.02])  # linear light


def dim_scene() -> np.ndarray:
    """Grey patches from black up, in linear light."""
    light = np.zeros((320, 480, 3))
    for n, level in enumerate((0.0, 0.0, 0.002, 0.01, 0.03, 0.1)):
        light[:, 80 * n : 80 * n + 80] = level
    return light


def test_a_made_cast_is_found_and_taken_out() -> None:
    light = dim_scene()
    tinted = np.float32(develop(expose(light + CAST, 3)))
    with Renderer(from_array(tinted)) as r:
        before = r.render(Sweep((make_step("noise"),)))
        after = r.render(Sweep((make_step("noise"), make_step("neutral-blacks"))))
    black = (slice(20, 300), slice(20, 140))
    tint = [p[black].mean((0, 1)) - p[black].mean() for p in (before, after)]
    assert np.abs(tint[0]).max() > 15 / 255
    assert np.abs(tint[1]).max() < 3 / 255
    bright = (slice(20, 300), slice(410, 470))
    assert np.abs(after[bright] - before[bright]).max() < 1e-6


def test_clipped_noise_is_not_a_cast() -> None:
    noisy = np.float32(develop(expose(dim_scene(), 5)))
    blacks = measure_blacks(noisy, measure(noisy))
    stored = noisy[20:300, 20:140].mean((0, 1))
    assert np.ptp(stored) > 5 / 255  # red and blue were lifted by their stronger noise
    assert np.abs(blacks.cast).max() < 3.5 / 255


def test_a_neutral_picture_hardly_changes() -> None:
    clean = np.float32(encode(decode(desk(288, 400))))
    grey = np.repeat(clean.mean(2, keepdims=True), 3, 2)
    with Renderer(from_array(grey)) as r:
        result = r.render(Sweep((make_step("neutral-blacks"),)))
    assert np.abs(result - grey).max() < 1 / 255


@pytest.mark.parametrize("shape", [(1, 1, 3), (15, 400, 3), (40, 40, 1)])
def test_small_and_mono_pictures_pass(shape: tuple[int, int, int]) -> None:
    pixels = np.full(shape, 0.1, np.float32)
    with Renderer(from_array(pixels)) as r:
        result = r.render(Sweep((make_step("neutral-blacks"), make_step("grain"))))
    assert result.shape == shape
    assert np.isfinite(result).all()
