"""Collaborative filtering: what alike blocks share is kept, and what one of them has alone is not."""

from __future__ import annotations

import numpy as np
import pytest

from dustpan.core.errors import Cancelled
from dustpan.core.noise.collaborative import REACH, STEP, _walsh_hadamard, collaborate
from dustpan.core.noise.sliding_dct import sliding_dct
from tests.core.compiled import as_kernel

WHITE = np.ones((1, 64), np.float32)
EVEN = np.ones((1, 1), np.float32), np.ones((1, 2), np.float32), 1.0
INSIDE = (slice(REACH, -REACH), slice(REACH, -REACH))


def filtered(plane: np.ndarray, threshold: float = 2.0) -> np.ndarray:
    return collaborate(np.ascontiguousarray(plane[None], np.float32), 0, WHITE, threshold, *EVEN)[0]


def rms(plane: np.ndarray) -> float:
    return float(np.sqrt(np.mean(plane**2)))


@pytest.mark.parametrize("n", [1, 2, 4, 8])
def test_the_transform_along_a_stack_is_its_own_inverse_and_keeps_energy(n: int) -> None:
    stack = np.random.default_rng(n).standard_normal((8, 64)).astype(np.float32)
    flat = stack.ravel().copy()
    as_kernel(_walsh_hadamard)(flat, 64, n)
    assert np.sum(flat[: n * 64] ** 2) == pytest.approx(n * np.sum(stack[:n] ** 2), rel=1e-4)
    assert flat[:64] == pytest.approx(stack[:n].sum(0), abs=1e-4)
    as_kernel(_walsh_hadamard)(flat, 64, n)
    assert flat.reshape(8, 64)[:n] == pytest.approx(n * stack[:n], abs=1e-3)
    assert np.array_equal(flat.reshape(8, 64)[n:], stack[n:])


def test_a_flat_plane_stays_as_it_is() -> None:
    assert filtered(np.full((120, 140), 6.0))[INSIDE] == pytest.approx(6.0, abs=1e-4)


def test_without_a_threshold_nothing_is_lost() -> None:
    noise = np.random.default_rng(1).standard_normal((120, 120))
    assert filtered(noise, 0.0)[INSIDE] == pytest.approx(noise[INSIDE], abs=2e-3)


def test_more_threshold_never_leaves_more_of_pure_noise() -> None:
    noise = np.random.default_rng(2).standard_normal((160, 160))
    left = [rms(filtered(noise, t)[INSIDE]) for t in (0.5, 1.0, 2.0, 3.0)]
    assert left == sorted(left, reverse=True)
    assert left[2] < 0.35


def test_what_repeats_is_found_where_single_blocks_hide_it() -> None:
    """A weak pattern that comes again and again: alone below the threshold, together above it."""
    rng = np.random.default_rng(3)
    y, x = np.mgrid[0:192, 0:192]
    pattern = 0.9 * np.sin(2 * np.pi * x / 8) * np.sin(2 * np.pi * y / 8)
    noisy = (pattern + rng.standard_normal(pattern.shape)).astype(np.float32)
    together = rms((filtered(noisy, 2.7) - pattern)[INSIDE])
    alone = rms((sliding_dct(noisy[None], WHITE, 2.7, *EVEN)[0] - pattern)[INSIDE])
    assert together < 0.85 * alone


def test_colours_are_filtered_beside_the_brightness_that_groups_them() -> None:
    rng = np.random.default_rng(4)
    planes = rng.standard_normal((3, 120, 260)).astype(np.float32)
    planes[1] += np.where(np.arange(260) < 130, -4, 4)[None]
    mix, scale = np.eye(3, dtype=np.float32), np.ones((3, 2), np.float32)
    out = collaborate(planes, 0, np.ones((3, 64), np.float32), 2.5, mix, scale, 1.0)
    assert out.shape == planes.shape
    rows = slice(REACH, -REACH)
    assert rms(out[1, rows, REACH:115] + 4) < 0.5
    assert rms(out[1, rows, 145:-REACH] - 4) < 0.5
    assert rms(out[2, rows, REACH:-REACH]) < 0.5


@pytest.mark.parametrize("corner", [STEP, 5 * STEP, 28 * STEP])
def test_a_region_gives_the_bytes_of_the_whole_wherever_it_begins(corner: int) -> None:
    plane = np.random.default_rng(5).standard_normal((112, 420)).astype(np.float32)[None]
    whole = collaborate(plane, 0, WHITE, 2.0, *EVEN)
    part = collaborate(np.ascontiguousarray(plane[:, :, corner : corner + 240]), corner, WHITE, 2.0, *EVEN)
    inner = slice(corner + REACH, corner + 240 - REACH)
    assert np.array_equal(part[0, REACH:-REACH, REACH:-REACH], whole[0, REACH:-REACH, inner])


def test_it_can_be_called_off() -> None:
    left = iter(range(3))

    def check() -> None:
        if next(left, None) is None:
            raise Cancelled

    noise = np.random.default_rng(6).standard_normal((1, 300, 300)).astype(np.float32)
    with pytest.raises(Cancelled):
        collaborate(noise, 0, WHITE, 2.0, *EVEN, check=check)
