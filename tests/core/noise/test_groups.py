"""Groups of patches: taken, and put back."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.fft import dctn

from dustpan.core.noise.groups import GROUP, SIDE, gather, remix, scatter, scatter_alike
from tests.core.compiled import as_kernel


@pytest.fixture
def plane() -> np.ndarray:
    return np.random.default_rng(1).normal(size=(40, 50)).astype(np.float32)


@pytest.fixture(params=["apart", "overlapping"])
def places(request: pytest.FixtureRequest, plane: np.ndarray) -> list[tuple[int, int]]:
    rng = np.random.default_rng(2)
    down, across = (plane.shape[0] - SIDE, plane.shape[1] - SIDE) if request.param == "apart" else (7, 8)
    return [(int(rng.integers(down)), int(rng.integers(across))) for _ in range(GROUP)]


@pytest.fixture
def corners(plane: np.ndarray, places: list[tuple[int, int]]) -> np.ndarray:
    return np.array([y * plane.shape[1] + x for y, x in places])


def taken(plane: np.ndarray, corners: np.ndarray, first: int) -> np.ndarray:
    out = np.zeros(48 * GROUP, np.float32)
    as_kernel(gather)(plane.ravel(), plane.shape[1], corners, out, first)
    return out


def patches(plane: np.ndarray, places: list[tuple[int, int]]) -> np.ndarray:
    return np.stack([plane[y : y + SIDE, x : x + SIDE] for y, x in places])


@pytest.mark.parametrize("first", [0, 16, 32])
def test_a_group_is_taken_and_transformed_into_its_own_rows_only(
    plane: np.ndarray, places: list[tuple[int, int]], corners: np.ndarray, first: int
) -> None:
    rows = taken(plane, corners, first).reshape(48, GROUP)
    expected = dctn(patches(plane, places).astype(float), axes=(1, 2), norm="ortho").reshape(GROUP, 16).T
    assert rows[first : first + 16] == pytest.approx(expected, abs=1e-5)
    assert np.count_nonzero(np.delete(rows, np.s_[first : first + 16], 0)) == 0


@pytest.mark.parametrize("first", [0, 16])
def test_patches_are_put_back_where_they_came_from(
    plane: np.ndarray, places: list[tuple[int, int]], corners: np.ndarray, first: int
) -> None:
    total = np.zeros_like(plane)
    as_kernel(scatter)(taken(plane, corners, first), first, np.float32(0.5), plane.shape[1], corners, total.ravel())
    expected = np.zeros(plane.shape)
    for (y, x), patch in zip(places, patches(plane, places), strict=True):
        expected[y : y + SIDE, x : x + SIDE] += 0.5 * patch
    assert total == pytest.approx(expected, abs=1e-4)


def test_one_patch_for_all_is_put_back_as_if_each_had_it(plane: np.ndarray, corners: np.ndarray) -> None:
    one, each = np.zeros_like(plane), np.zeros_like(plane)
    mean = np.random.default_rng(3).normal(size=16).astype(np.float32)
    as_kernel(scatter)(np.repeat(mean, GROUP), 0, np.float32(0.3), plane.shape[1], corners, each.ravel())
    as_kernel(scatter_alike)(mean.copy(), np.float32(0.3), plane.shape[1], corners, one.ravel())
    assert one == pytest.approx(each, abs=1e-5)


@pytest.mark.slow
@pytest.mark.parametrize("channels", [1, 3])
def test_planes_are_mixed_by_the_matrix(channels: int) -> None:
    rng = np.random.default_rng(channels)
    group = rng.normal(size=(channels, 16 * GROUP)).astype(np.float32)
    matrix = rng.normal(size=(channels, channels)).astype(np.float32)
    mixed = group.copy()
    as_kernel(remix)(mixed.ravel(), matrix)
    assert mixed == pytest.approx(matrix @ group, abs=1e-5)
