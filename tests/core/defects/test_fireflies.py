"""Fireflies are found by how narrow they are and filled; glints, scratches and pictures without any stay."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dustpan.core.colour import luma
from dustpan.core.curve import SRGB
from dustpan.core.defects import fireflies
from dustpan.core.defects.fireflies import AROUND, FIREFLIES, FIREFLIES_FOUND, ROWS, FirefliesParams, find
from dustpan.core.defects.refill import refilled
from dustpan.core.judge.repairs import repairs
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.picture import Picture, from_array
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step
from tests.renders import GLINTS, LINES, H, W, made, picture, with_flies

SCENE = made(0.15)
PLAIN = SCENE.draw(1)
FLIES, AT = with_flies(PLAIN)
PLACES = tuple(AT.T)


def cleaned(source: Picture, **values: object) -> np.ndarray:
    with Renderer(source) as r:
        sweep = Sweep((make_step("fireflies", values),))
        return np.asarray(r.result(sweep, r.render(sweep)).as_stored())


@pytest.fixture(scope="module")
def after() -> np.ndarray:
    return cleaned(picture(FLIES))


def test_they_are_gone(after: np.ndarray) -> None:
    left, was, true = (luma(p)[PLACES] for p in (after, FLIES, PLAIN))
    assert np.mean(left - true < 0.1 * (was - true)) > 0.95


def test_glints_scratches_and_all_other_pixels_stay_to_the_bit(after: np.ndarray) -> None:
    for y, x in GLINTS:
        assert np.array_equal(after[y - 3 : y + 4, x - 3 : x + 4], FLIES[y - 3 : y + 4, x - 3 : x + 4])
    for y, x in LINES:
        assert np.array_equal(after[y, x + 3 : x + 37], FLIES[y, x + 3 : x + 37])
    changed = np.any(after != FLIES, axis=2)
    for y, x in AT:
        changed[y - 2 : y + 3, x - 2 : x + 3] = False
    assert changed.mean() < 3e-4


def test_a_render_without_any_is_hardly_touched() -> None:
    assert np.mean(np.any(cleaned(picture(PLAIN)) != PLAIN, axis=2)) < 1e-4
    assert np.array_equal(cleaned(picture(SCENE.truth)), np.asarray(SCENE.truth, np.float32))


def test_clumps_and_those_of_a_pixel_filter_go_as_well() -> None:
    light = np.full((80, 80, 3), 0.2) * np.random.default_rng(1).normal(1, 0.05, (80, 80, 1))
    light[20, 20:22] += 30
    light[50, 50] += 40
    for dy, dx in ((0, 1), (1, 0), (0, -1), (-1, 0)):
        light[50 + dy, 50 + dx] += 5
    found = cleaned(picture(light))
    assert found.max() < 0.3


def test_what_is_put_back_stays_and_what_is_added_is_filled() -> None:
    y, x = (int(v) for v in AT[0])
    kept = cleaned(picture(FLIES), spared=((y, x),))
    assert np.array_equal(kept[y, x], FLIES[y, x])
    assert luma(kept)[tuple(AT[1])] < luma(FLIES)[tuple(AT[1])]
    more = cleaned(picture(PLAIN), added=((100.0, 100.0),))
    assert not np.array_equal(more[100, 100], PLAIN[100, 100])
    assert luma(more)[100, 100] == pytest.approx(luma(SCENE.truth)[100, 100], rel=0.3)


@given(st.floats(3, 20), st.floats(3, 20), st.floats(0.3, 20), st.floats(0.3, 20))
@settings(max_examples=20)
def test_a_higher_threshold_never_takes_more(a: float, b: float, c: float, d: float) -> None:
    flies = find(luma(FLIES))
    low, high = FirefliesParams(sure=min(a, b), above=min(c, d)), FirefliesParams(sure=max(a, b), above=max(c, d))
    whole = Region(0, 0, H, W)
    assert not np.any(flies.marks(high, whole) & ~flies.marks(low, whole))


def test_light_is_spread_instead_of_lost() -> None:
    lost, spread = (cleaned(picture(FLIES), spread=s).sum(dtype=float) for s in (0, 100))
    whole = FLIES.sum(dtype=float)
    assert lost < 0.98 * whole
    assert spread == pytest.approx(whole, rel=0.01)  # but for what lies beyond the picture's edge


def test_tiles_and_a_region_are_what_the_whole_gives() -> None:
    sweep = Sweep((make_step("fireflies", {"spread": 30.0}),))
    with Renderer(picture(FLIES, SCENE.albedo, SCENE.normal), threads=2) as r:
        whole, part = r.render(sweep), Region(37, 50, 150, 211)
        assert np.array_equal(r.at_once(sweep, part), whole[part.slices()])


def test_strips_are_what_one_piece_gives(monkeypatch: pytest.MonkeyPatch) -> None:
    light = np.tile(luma(FLIES), (4, 1))
    assert len(light) > ROWS + 2 * AROUND
    found = find(light)
    monkeypatch.setattr(fireflies, "ROWS", len(light))
    again = find(light)
    assert len(found.at) > 200
    assert len(np.unique(found.at, axis=0)) == len(found.at)
    assert {tuple(p) for p in found.at} == {tuple(p) for p in again.at}


def test_passes_tell_small_things_from_fireflies() -> None:
    albedo, normal = SCENE.albedo.copy(), SCENE.normal.copy()
    light = PLAIN.copy()
    light[100, 100] = 4.5 * np.median(light[96:105, 96:105], (0, 1))  # a grain of chalk
    albedo[98:103, 98:103] = 0.1
    albedo[100, 100] = 0.95
    light[230, 100] = 4.5 * np.median(light[226:235, 96:105], (0, 1))  # the head of a screw
    normal[230, 100] = (-0.9, 0.4, 0.1)
    plain, told = cleaned(picture(light)), cleaned(picture(light, albedo, normal))
    for at in ((100, 100), (230, 100)):
        assert not np.array_equal(plain[at], light[at])
        assert np.array_equal(told[at], light[at])


def test_only_renders_are_looked_at() -> None:
    photograph = from_array(np.asarray(SRGB.encode(np.clip(FLIES, 0, 1)), np.float32))
    with Renderer(photograph) as r:
        assert not r.fact(FIREFLIES_FOUND, Sweep()).looked
        assert repairs(r, Sweep(), (FIREFLIES,)) == ()
    with Renderer(picture(FLIES)) as r:
        (found,) = repairs(r, Sweep(), (FIREFLIES,))
        assert len(found.hits) == pytest.approx(len(AT), abs=3)
        assert list(found.hits.score) == sorted(found.hits.score)


def test_the_noise_print_is_handed_on() -> None:
    sweep = Sweep((make_step("fireflies"),))
    with Renderer(picture(FLIES)) as r:
        assert r.fact(NOISE_PRINT, sweep) is r.fact(NOISE_PRINT, Sweep())


@pytest.mark.parametrize("size", [(1, 1), (3, 200), (9, 9)])
def test_small_and_odd_pictures(size: tuple[int, int]) -> None:
    light = np.full((*size, 3), 0.3, np.float32)
    light[0, 0] = 1e6
    assert cleaned(picture(light, np.full((*size, 3), np.nan), np.zeros((*size, 3)))).shape == (*size, 3)
    assert cleaned(picture(light[..., :1])).shape == (*size, 1)


def test_filling_keeps_to_one_surface() -> None:
    light = np.full((15, 15, 1), 1.0, np.float32)
    light[:, 8:] = 9
    marked = np.zeros((15, 15), bool)
    marked[7, 7] = True
    at = np.array([(7, 7)])
    guide = np.zeros((15, 15, 1), np.float32)
    guide[:, 8:] = 10
    assert refilled(light, at, marked, guide)[0, 0] == pytest.approx(1)
    assert refilled(light, at, marked)[0, 0] > 1.5
    assert refilled(light, at, np.ones((15, 15), bool))[0, 0] == pytest.approx(1)  # nothing around: as it was


def test_clicks_count_within_a_few_pixels() -> None:
    flies = find(luma(FLIES))
    p = FirefliesParams(spared=tuple((float(y) + 1, float(x) - 1) for y, x in AT))
    assert flies.chosen(p).sum() < 4
