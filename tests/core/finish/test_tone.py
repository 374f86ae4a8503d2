"""Tone and levels: what they say is what happens; hues stay, order stays, nothing is the identity."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dustpan.core.colour import decode, encode, luma
from dustpan.core.finish.levels import SKY_SHOWN, Levels, applied, automatic, bent, levels_from_json
from dustpan.core.finish.tone import ToneParams, contrasty, pushed, toned, values_of
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step

RAMP = np.linspace(-0.2, 1.4, 400, dtype=np.float32)
COLOURS = np.random.default_rng(2).random((20, 30, 3)).astype(np.float32)


def hue(pixels: np.ndarray) -> np.ndarray:
    return np.arctan2(3**0.5 * (pixels[..., 1] - pixels[..., 2]), 2 * pixels[..., 0] - pixels[..., 1] - pixels[..., 2])


@settings(max_examples=60)
@given(st.floats(0.002, 0.998), st.floats(-1, 1))
def test_curves_keep_the_order_and_both_ends(middle: float, contrast: float) -> None:
    for after in (bent(RAMP, middle), contrasty(RAMP, contrast)):
        assert (np.diff(after) >= 0).all()
        ends = np.array([0, 1], np.float32)
        np.testing.assert_allclose(contrasty(bent(ends, middle), contrast), ends, atol=1e-5)
    assert float(bent(np.array([middle], np.float32), middle)[0]) == pytest.approx(0.5, abs=1e-4)


@settings(max_examples=40)
@given(st.floats(-2, 2), st.floats(-60, 100), st.floats(0, 200), st.floats(5, 95))
def test_hues_stay(push: float, contrast: float, colour: float, middle: float) -> None:
    p = ToneParams(push=round(push, 2), contrast=contrast, colour=colour, middle=middle)
    after = toned(COLOURS * 0.8 + 0.1, p)
    assert np.isfinite(after).all()
    strong = np.ptp(after, axis=2) > 0.02
    turned = np.abs(np.angle(np.exp(1j * (hue(after) - hue(COLOURS * 0.8 + 0.1)))))[strong]
    assert turned.size == 0 or np.quantile(turned, 0.99) < (0.02 if push == 0 else 0.15)


def test_a_push_is_light_and_rolls_off() -> None:
    dark = COLOURS * 0.3
    np.testing.assert_allclose(decode(pushed(dark, 1.0)), 2 * decode(dark), rtol=0.02)
    bright = pushed(np.ones((1, 1, 3), np.float32), 2.0)
    np.testing.assert_allclose(bright, 1, atol=1e-5)
    ramp = np.repeat(np.linspace(0, 1, 100, dtype=np.float32)[None, :, None], 3, 2)
    after = pushed(ramp, 1.5)[0, :, 0]
    assert (np.diff(after) > 0).all()
    assert after.max() <= 1 + 1e-6


def test_without_colour_it_is_grey_and_luma_does_what_the_curve_says() -> None:
    grey = toned(COLOURS, ToneParams(colour=0))
    assert np.ptp(grey, axis=2).max() < 1e-6
    np.testing.assert_allclose(grey[..., 0], luma(COLOURS), atol=1e-5)
    lifted = toned(COLOURS * 0.5, ToneParams(middle=30))
    np.testing.assert_allclose(luma(lifted), bent(luma(COLOURS * 0.5), 0.3), atol=2e-3)


def test_ends_become_black_and_white_in_every_channel() -> None:
    levels = Levels((0.1, 0.2, 0.05), 0.5, (0.6, 0.9, 0.7))
    ends = np.array([[levels.black, levels.white]], np.float32)
    np.testing.assert_allclose(applied(ends, levels), [[[0] * 3, [1] * 3]], atol=1e-5)
    again = ToneParams(**values_of(levels)).levels
    np.testing.assert_allclose(
        [*again.black, again.middle, *again.white], [*levels.black, levels.middle, *levels.white], atol=1e-3
    )


@pytest.mark.parametrize("linked", [True, False])
def test_levels_from_the_sky_show_it_dark_grey_and_keep_its_noise_above_black(linked: bool) -> None:
    rng = np.random.default_rng(3)
    sky = 0.3 + np.array([0.05, 0.0, -0.04]) + rng.normal(0, 0.01, (200, 260, 3))
    sky[::37, ::41] += 0.6
    pixels = sky.astype(np.float32)
    levels = automatic(pixels, linked)
    assert levels.linked is linked
    shown = applied(pixels, levels)
    middle = np.median(shown.reshape(-1, 3), 0)
    assert middle.mean() == pytest.approx(SKY_SHOWN, abs=0.06)
    assert (np.ptp(middle) < 0.03) is not linked
    assert np.mean(luma(shown) <= 0) < 0.06
    assert levels_from_json(levels.as_json()) == levels


@pytest.mark.parametrize("raw", [None, [], {"black": [0, 0, 0]}, {"black": 1, "middle": 0.5, "white": 2},
                                 {"black": [1, 1, 1], "middle": 0.5, "white": [0, 0, 0]},
                                 {"black": [0, 0, 0], "middle": 7, "white": [1, 1, 1]}])  # fmt: skip
def test_levels_that_make_no_sense_are_passed_over(raw: object) -> None:
    assert levels_from_json(raw) is None


def test_tone_belongs_to_what_a_result_is_compared_with() -> None:
    picture = from_array(encode(COLOURS))
    sweep = Sweep((make_step("noise"), make_step("tone", {"push": 1.0})))
    with Renderer(picture) as r:
        assert [s.name for s in r.reference(sweep).steps] == ["Tone"]
        np.testing.assert_allclose(r.render(r.reference(sweep)), toned(picture.pixels, ToneParams(push=1.0)), atol=1e-6)
