from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dustpan.core.colour import LUMA, decode, encode, lab, luma, opponent_matrix
from dustpan.core.colour_profile import needs_conversion, srgb_profile, to_screen, wide_gamut_profile


@given(st.floats(0, 4))
def test_encode_undoes_decode(value: float) -> None:
    assert float(encode(decode(value))) == pytest.approx(value, abs=1e-9)


def test_the_curve_has_the_values_of_the_standard() -> None:
    assert decode(np.array([0.0, 0.04045, 0.5, 1.0])) == pytest.approx([0, 0.0031308, 0.214041, 1], abs=1e-6)


@pytest.mark.parametrize("channels", [1, 3])
def test_opponent_planes_are_orthonormal(channels: int) -> None:
    m = opponent_matrix(channels)
    assert m @ m.T == pytest.approx(np.eye(channels), abs=1e-12)


def test_luma_of_grey_is_the_grey() -> None:
    assert LUMA.sum() == pytest.approx(1)
    assert luma(np.full((2, 2, 3), 0.3)) == pytest.approx(np.full((2, 2), 0.3))


def test_srgb_pixels_reach_the_screen_as_an_8_bit_export_holds_them() -> None:
    pixels = np.random.default_rng(0).random((9, 7, 3)).astype(np.float32)
    eight = np.clip(np.rint(pixels * np.float32(255)), 0, 255).astype(np.uint8)
    for icc in (None, srgb_profile()):
        assert not needs_conversion(icc)
        assert np.array_equal(to_screen(pixels, icc), eight)


def test_a_wide_gamut_profile_is_honoured_on_screen() -> None:
    icc = wide_gamut_profile()
    assert needs_conversion(icc)
    grey, green = (np.full((1, 1, 3), 0, np.float32) + np.float32(v) for v in ([0.5, 0.5, 0.5], [0.4, 0.6, 0.4]))
    assert to_screen(grey, icc)[0, 0] == pytest.approx([128, 128, 128], abs=2)
    shown, plain = to_screen(green, icc)[0, 0].astype(int), to_screen(green, None)[0, 0].astype(int)
    assert shown[1] > plain[1]
    assert shown[0] < plain[0] - 10  # a wide-gamut green is more saturated than the same numbers in sRGB


def test_a_damaged_profile_is_shown_as_srgb() -> None:
    pixels = np.full((2, 2, 3), 0.25, np.float32)
    assert np.array_equal(to_screen(pixels, b"\1" * 400), to_screen(pixels, None))


@pytest.mark.parametrize(
    ("rgb", "expected"),
    [
        ((1, 1, 1), (100, 0, 0)),
        ((0, 0, 0), (0, 0, 0)),
        ((1, 0, 0), (53.24, 80.09, 67.20)),
        ((0, 0, 1), (32.30, 79.19, -107.86)),
    ],
)
def test_lab_of_known_colours(rgb: tuple, expected: tuple) -> None:
    assert lab(np.array(rgb, float)) == pytest.approx(expected, abs=0.05)
