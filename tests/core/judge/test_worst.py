"""Spoil one place of a good result; the worst place must be that one."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import ndimage as ndi

from dustpan.core.judge.whole import worst
from dustpan.core.judge.worst import APART, COUNT, FigureName, worst_places
from dustpan.core.noise.measure import measure
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step
from tests.scenes import desk, noisy_b

pytestmark = pytest.mark.slow

NOISE = Sweep((make_step("noise"),))


@pytest.fixture(scope="module")
def case() -> tuple[np.ndarray, np.ndarray]:
    """Noisy picture and its cleaned version."""
    noisy = noisy_b(desk(480, 640))[1]
    with Renderer(from_array(noisy)) as r:
        return noisy, r.render(NOISE)


def test_noise_that_was_left_is_found(case: tuple) -> None:
    noisy, calm = case
    spoiled = calm.copy()
    spoiled[10:80, 20:90] = noisy[10:80, 20:90]
    y, x = worst_places(FigureName.NOISE_LEFT, noisy, spoiled, calm, measure(noisy))[0]
    assert 0 < y < 90
    assert 0 < x < 110


def test_texture_that_was_lost_is_found(case: tuple) -> None:
    noisy, calm = case
    spoiled = calm.copy()
    part = (slice(150, 215), slice(10, 130))
    spoiled[part] = ndi.gaussian_filter(calm, (4, 4, 0))[part]
    y, x = worst_places(FigureName.TEXTURE_KEPT, noisy, spoiled, calm, measure(noisy))[0]
    assert 130 < y < 235
    assert 0 < x < 150


def test_a_rim_is_found(case: tuple) -> None:
    noisy, calm = case
    spoiled = calm.copy()
    spoiled[30:60, 146:149] += 0.15
    y, x = worst_places(FigureName.HALO_HEIGHT, noisy, spoiled, calm, measure(noisy))[0]
    assert 25 <= y <= 65
    assert 142 <= x <= 153


def test_nothing_to_find_on_a_blank_picture() -> None:
    blank = np.full((200, 200, 3), 0.5, np.float32)
    found = measure(blank)
    for figure in (FigureName.TEXTURE_KEPT, FigureName.HALO_HEIGHT, FigureName.EDGE_WIDTH):
        assert worst_places(figure, blank, blank, blank, found) == []


@pytest.mark.parametrize("figure", FigureName)
def test_places_lie_inside_and_apart(case: tuple, figure: FigureName) -> None:
    noisy, calm = case
    places = worst_places(figure, noisy, calm, calm, measure(noisy))
    assert len(places) <= COUNT
    assert all(0 <= y < noisy.shape[0] and 0 <= x < noisy.shape[1] for y, x in places)
    if figure is not FigureName.EDGE_WIDTH:
        for n, a in enumerate(places):
            assert all(max(abs(a[0] - b[0]), abs(a[1] - b[1])) >= APART for b in places[:n])


def test_a_sweeps_worst_places_are_those_of_its_result(case: tuple) -> None:
    noisy, calm = case
    with Renderer(from_array(noisy)) as r:
        found = worst(r, NOISE, FigureName.TEXTURE_KEPT)
    assert found == worst_places(FigureName.TEXTURE_KEPT, noisy, calm, calm, measure(noisy))
