from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from dustpan.core.colour_profile import to_screen, wide_gamut_profile
from dustpan.core.screen import halved, packed


def unpacked(words: np.ndarray) -> np.ndarray:
    return np.stack([(words >> np.uint32(s)) & np.uint32(255) for s in (16, 8, 0)], -1).astype(np.uint8)


@given(arrays(np.float32, (4, 5, 3), elements=st.floats(-2, 3, width=32)))
def test_packing_rounds_as_an_8_bit_export_does(pixels: np.ndarray) -> None:
    words = packed(pixels, None)
    assert np.array_equal(unpacked(words), to_screen(pixels, None))
    assert (words >> np.uint32(24) == 255).all()


def test_mono_and_wide_gamut_are_packed_as_they_are_shown() -> None:
    rng = np.random.default_rng(1)
    grey = rng.random((6, 7, 1)).astype(np.float32)
    assert np.array_equal(unpacked(packed(grey, None)), to_screen(grey, None))
    wide = rng.random((6, 7, 3)).astype(np.float32)
    assert np.array_equal(unpacked(packed(wide, wide_gamut_profile())), to_screen(wide, wide_gamut_profile()))


@pytest.mark.parametrize("shape", [(4, 6), (5, 7), (1, 1), (1, 9)])
def test_half_size_is_the_mean_of_four(shape: tuple) -> None:
    bytes_ = np.random.default_rng(2).integers(0, 256, (*shape, 3)).astype(np.uint8)
    words = packed(bytes_.astype(np.float32) / np.float32(255), None)
    padded = np.pad(bytes_, ((0, shape[0] % 2), (0, shape[1] % 2), (0, 0)), mode="edge").astype(int)
    total = padded[::2, ::2] + padded[1::2, ::2] + padded[::2, 1::2] + padded[1::2, 1::2]
    assert np.array_equal(unpacked(halved(words)), (total + 2) >> 2)
