"""Motions: fitted, followed there and back, enlarged; and what is aligned by them."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dustpan.core.frames.motion import STILL, Freedom, Motion, aligned, fitted, motion_of

ANGLES, SHIFTS = st.floats(-20, 20), st.floats(-100, 100)


def turned(degrees: float, x: float, y: float) -> Motion:
    a = np.radians(degrees)
    return motion_of(np.array([[np.cos(a), -np.sin(a), x], [np.sin(a), np.cos(a), y]]))


@given(ANGLES, SHIFTS, SHIFTS)
def test_there_and_back(degrees: float, x: float, y: float) -> None:
    points = np.array([[0.0, 0.0], [30.0, 5.0], [7.0, 90.0]])
    motion = turned(degrees, x, y)
    np.testing.assert_allclose(motion.back(motion.of(points)), points, atol=1e-9)
    assert motion.rotation == pytest.approx(degrees, abs=1e-9)


@given(ANGLES, SHIFTS, SHIFTS)
def test_a_rigid_motion_is_found_again(degrees: float, x: float, y: float) -> None:
    points = np.random.default_rng(1).uniform(0, 200, (12, 2))
    motion = turned(degrees, x, y)
    for freedom in (Freedom.RIGID, Freedom.AFFINE):
        found = fitted(points, motion.of(points), np.ones(12), freedom)
        np.testing.assert_allclose(found.numbers, motion.numbers, atol=1e-6)


def test_freedoms_allow_what_they_say() -> None:
    points = np.random.default_rng(2).uniform(0, 100, (20, 2))
    stretched = motion_of(np.array([[1.02, 0.01, 4], [0.0, 0.97, -3]])).of(points)
    misses = []
    for freedom in Freedom:
        found = fitted(points, stretched, np.ones(20), freedom)
        misses.append(np.abs(found.of(points) - stretched).max())
        if freedom is not Freedom.AFFINE:
            assert np.linalg.det(found.matrix[:, :2]) == pytest.approx(1)
    assert min(misses[:2]) > 0.5 > misses[2]
    assert misses[2] < 1e-9


def test_enlarged_keeps_the_middles_of_pixels() -> None:
    motion, by = turned(3, 5, -2), 4
    small = np.array([[10.0, 20.0]])
    large = by * small + (by - 1) / 2
    expected = by * motion.of(small) + (by - 1) / 2
    np.testing.assert_allclose(motion.enlarged(by).of(large), expected)


def test_an_aligned_plane_lies_where_its_motion_says() -> None:
    rng = np.random.default_rng(3)
    plane = cv2.GaussianBlur(rng.normal(size=(90, 120)).astype(np.float32), (0, 0), 3)
    motion = turned(2, 3.4, -1.7)
    found = aligned(plane, motion, (90, 120))
    at = np.array([[60.0, 40.0], [30.0, 55.0]])
    there = motion.of(at)
    exact = cv2.remap(plane, *(there[:, k].astype(np.float32)[None] for k in (0, 1)), cv2.INTER_CUBIC)[0]
    np.testing.assert_allclose([found[40, 60], found[55, 30]], exact, atol=0.02 * plane.std())
    assert np.isnan(found).any()
    assert aligned(plane, STILL, (90, 120)) is plane


def test_nothing_is_made_up_beyond_the_border() -> None:
    found = aligned(np.ones((20, 20), np.float32), Motion((1.0, 0.0, 5.0, 0.0, 1.0, 0.0)), (20, 20))
    assert np.isnan(found[:, 15:]).all()
    np.testing.assert_allclose(found[:, :15], 1, atol=1e-5)


def test_what_follows_a_point_leaves_it_in_place() -> None:
    motion = turned(1, 2, 3)
    np.testing.assert_allclose(motion.moved(4, 5).of(np.array([[10.0, 10.0]])), motion.of(np.array([[14.0, 15.0]])))
