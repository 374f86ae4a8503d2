"""Grain: fine, grey, in the measure of the picture's noise, and the same wherever tiles are cut."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dustpan.core.colour import luma
from dustpan.core.noise.grain import grain
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.picture import from_array
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step


@pytest.mark.parametrize("size", [0, 0.5, 1.5, 3.0])
def test_grain_is_normal_and_of_unit_strength(size: float) -> None:
    g = grain(Region(0, 0, 512, 512), size)
    assert abs(g.mean()) < 0.05
    assert g.std() == pytest.approx(1, rel=0.05)
    inside = np.mean(np.abs(g) < 1)
    assert inside == pytest.approx(0.683, abs=0.03)


def test_unsoftened_grain_is_white() -> None:
    g = grain(Region(0, 0, 256, 256), 0)
    power = np.abs(np.fft.fft2(g)) ** 2 / g.size
    coarse = power.reshape(8, 32, 8, 32).mean((1, 3))
    assert coarse.min() > 0.8
    assert coarse.max() < 1.2


@given(st.integers(0, 5000), st.integers(0, 5000), st.integers(1, 40), st.sampled_from([0.0, 0.7, 2.0]))
def test_a_place_has_the_same_grain_in_every_region(y: int, x: int, side: int, size: float) -> None:
    large = Region(y, x, y + side + 30, x + side + 30)
    small = Region(y + 11, x + 7, y + 11 + side, x + 7 + side)
    assert np.allclose(grain(large, size)[small.slices(large)], grain(small, size), atol=1e-5)


def test_grain_is_grey_and_as_strong_as_asked_at_every_brightness(noisy: np.ndarray) -> None:
    ramp = np.repeat(np.linspace(0.1, 0.7, 400, dtype=np.float32)[None, :, None], 3, 2)
    picture = from_array(np.clip(np.repeat(ramp, 288, 0) + 0.05 * np.random.default_rng(4).standard_normal(
        (288, 400, 3)).astype(np.float32), 0, 1))  # fmt: skip
    with Renderer(picture) as r:
        noise = r.fact(NOISE_PRINT, Sweep(), 0)
        calm = r.render(Sweep((make_step("noise"),)))
        grainy = r.render(Sweep((make_step("noise"), make_step("grain", {"amount": 0.4, "size": 0}))))
    added = grainy - calm
    assert np.abs(added - luma(added)[..., None]).max() < 1e-5
    for part in (slice(0, 100), slice(150, 250), slice(300, 400)):
        level = float(luma(calm)[:, part].mean())
        assert added[:, part, 0].std() == pytest.approx(
            0.4 * float(noise.luminance_sigma(np.array([level]))[0]), rel=0.1
        )
