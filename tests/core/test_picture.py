from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dustpan.core.picture import Depth, Kind, Picture, from_array, to_samples


@given(st.integers(0, 65535))
def test_16_bit_samples_survive_float32(value: int) -> None:
    picture = from_array(np.full((1, 1), value, np.uint16))
    assert picture.depth is Depth.SIXTEEN
    assert int(to_samples(picture.pixels, Depth.SIXTEEN)[0, 0, 0]) == value


@given(st.integers(0, 255))
def test_8_bit_samples_survive_float32(value: int) -> None:
    assert int(to_samples(from_array(np.full((1, 1), value, np.uint8)).pixels, Depth.EIGHT)[0, 0, 0]) == value


def test_a_picture_is_never_changed_in_place() -> None:
    picture = from_array(np.zeros((4, 4, 3)))
    with pytest.raises(ValueError, match="read-only"):
        picture.pixels[0, 0, 0] = 1
    with pytest.raises(TypeError):
        picture.planes["alpha"] = np.ones((4, 4))  # type: ignore[index]


def test_shapes_that_do_not_fit_the_kind_are_refused() -> None:
    with pytest.raises(ValueError, match="do not fit"):
        Picture(np.zeros((4, 4, 1), np.float32), Kind.RGB, Depth.FLOAT)
    with pytest.raises(ValueError, match="float32"):
        Picture(np.zeros((4, 4, 3)), Kind.RGB, Depth.FLOAT)  # type: ignore[arg-type]


def test_the_key_tells_pictures_apart() -> None:
    a, b = np.zeros((4, 4, 3), np.float32), np.zeros((4, 4, 3), np.float32)
    b[3, 3, 2] = 1e-6
    assert from_array(a).key == from_array(a.copy()).key
    assert from_array(a).key != from_array(b).key
    assert from_array(np.zeros((4, 4))).key != from_array(np.zeros((2, 8))).key


def test_out_of_range_values_are_clipped_only_for_integers() -> None:
    values = np.array([-0.5, 0.5, 2.0], np.float32)
    assert to_samples(values, Depth.EIGHT).tolist() == [0, 128, 255]
    assert np.array_equal(to_samples(values, Depth.FLOAT), values)
