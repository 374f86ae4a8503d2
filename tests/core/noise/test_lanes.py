"""Several numbers at once against NumPy, one by one."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from numba import njit
from numba.core.errors import TypingError

from dustpan.core.noise.lanes import (
    LANES,
    LONG,
    add_columns,
    alike,
    columns,
    four_on,
    load,
    load_long,
    one_on,
    spread,
    spread_long,
    store,
    store_totals,
    total,
    two_on,
    up,
)  # fmt: skip


@pytest.fixture
def values() -> np.ndarray:
    return np.random.default_rng(1).normal(size=64).astype(np.float32)


@njit
def _reckon(a, out):
    x, y = load(a, 3), load(a, 20)
    store(out, 0, x + y)
    store(out, 8, x - y)
    store(out, 16, x * y)
    store(out, 24, np.float32(3) * x)
    x += y
    store(out, 32, x)
    x -= spread(np.float32(2))
    store(out, 40, x)
    store(out, 48, alike(a, 5))


@njit
def _reckon_long(a, out):
    x, y = load_long(a, 3), load_long(a, 20)
    store(out, 0, x * y - spread_long(np.float32(2)))
    store(out, LONG, one_on(x, y))
    store(out, 2 * LONG, four_on(x, y))


@njit
def _add_up(a, out):
    out[0] = total(load(a, 1))
    store(out, 8, one_on(load(a, 0), load(a, 40)))
    store(out, 16, two_on(load(a, 0), load(a, 40)))
    store_totals(out, 24, load(a, 0), load(a, 8), load(a, 16), load(a, 24))


@njit
def _turn(plane, corners, m, by, out, back):
    a, b, c, d = columns(plane, corners, m, by)
    store(out, 0, a)
    store(out, 8, b)
    store(out, 16, c)
    store(out, 24, d)
    add_columns(back, corners, m, by, a, b, c, d)


def test_they_are_reckoned_with_place_by_place(values: np.ndarray) -> None:
    out = np.zeros(56, np.float32)
    _reckon(values, out)
    x, y = values[3:11], values[20:28]
    expected = [x + y, x - y, x * y, 3 * x, x + y, x + y - 2, np.full(LANES, values[5])]
    assert out == pytest.approx(np.concatenate(expected), abs=1e-6)


def test_sixteen_are_as_good_as_eight(values: np.ndarray) -> None:
    out = np.zeros(3 * LONG, np.float32)
    _reckon_long(values, out)
    x, y = values[3:19], values[20:36]
    expected = [x * y - 2, np.append(x[1:], y[:1]), np.append(x[4:], y[:4])]
    assert out == pytest.approx(np.concatenate(expected), abs=1e-6)


def test_sums_and_shifts(values: np.ndarray) -> None:
    out = np.zeros(32, np.float32)
    _add_up(values, out)
    assert out[0] == pytest.approx(values[1:9].sum(), abs=1e-5)
    assert out[8:16].tolist() == [*values[1:8], values[40]]
    assert out[16:24].tolist() == [*values[2:8], *values[40:42]]
    assert out[24:28] == pytest.approx(values[:32].reshape(4, 8).sum(1), abs=1e-5)
    assert np.count_nonzero(out[28:]) == 0


def test_rows_of_four_become_columns_of_eight_and_come_back() -> None:
    plane = np.arange(200, dtype=np.float32)
    corners = np.array([5, 90, 17, 60, 33, 44, 71, 120, 0, 12, 24, 36, 48, 64, 80, 100])
    out, back = np.zeros(32, np.float32), np.ones(200, np.float32)
    _turn(plane, corners, 8, 3, out, back)
    rows = [plane[c + 3 : c + 7] for c in corners[8:]]
    assert out.reshape(4, 8).tolist() == np.stack(rows, 1).tolist()
    expected = np.ones(200, np.float32)
    for c, row in zip(corners[8:], rows, strict=True):
        expected[c + 3 : c + 7] += row
    assert back.tolist() == expected.tolist()


def test_patches_that_overlap_are_all_added() -> None:
    plane, back, out = np.ones(40, np.float32), np.zeros(40, np.float32), np.zeros(32, np.float32)
    _turn(plane, np.arange(8), 0, 0, out, back)
    assert back[:12].tolist() == [1, 2, 3, 4, 4, 4, 4, 4, 3, 2, 1, 0]


@pytest.mark.parametrize(("n", "step", "expected"), [(0, 8, 0), (1, 8, 8), (8, 8, 8), (9, 4, 12)])
def test_up_to_the_next_multiple(n: int, step: int, expected: int) -> None:
    rounded: Any = up
    assert rounded(n, step) == expected


def test_lanes_of_different_length_do_not_mix() -> None:
    @njit
    def mixed(a, out):
        store(out, 0, load(a, 0) + load_long(a, 0))

    with pytest.raises(TypingError):
        mixed(np.zeros(32, np.float32), np.zeros(32, np.float32))
