"""Haze is proven, lifted by what lies before every place, and the noise that this raises is known by place."""

from __future__ import annotations

import numpy as np
import pytest

from dustpan.core.colour import decode, encode, luma
from dustpan.core.defects.airlight import airlight_of, dark_channel, planes_of
from dustpan.core.defects.haze import HAZE_FOUND, Hazy
from dustpan.core.picture import from_array
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.steps import step_kind
from dustpan.core.sweep import Sweep, make_step
from dustpan.demo.outdoors import harbour, in_mist, rigging

TRUTH, DEPTH = harbour()
MIST, THROUGH = in_mist(TRUTH, DEPTH)
SKY = np.s_[10:80]


def lifted(pixels: np.ndarray, *more: str, **values: object) -> np.ndarray:
    steps = make_step("haze", values), *(make_step(s) for s in more)
    with Renderer(from_array(pixels)) as r:
        return r.render(Sweep(steps))


def found_in(pixels: np.ndarray) -> Hazy:
    with Renderer(from_array(pixels)) as r:
        return r.fact(HAZE_FOUND, Sweep((make_step("haze"),)), 0, None)


def psnr(a: np.ndarray, b: np.ndarray) -> float:
    return float(-10 * np.log10(np.square(np.clip(a, 0, 1) - b).mean()))


@pytest.fixture(scope="module")
def after() -> np.ndarray:
    return lifted(MIST)


def test_the_veil_is_lifted(after: np.ndarray) -> None:
    assert found_in(MIST).proven
    land = DEPTH < 0.95  # of the sky nobody can know
    assert psnr(after[land], TRUTH[land]) > psnr(MIST[land], TRUTH[land]) + 5


def test_the_air_has_its_colour() -> None:
    np.testing.assert_allclose(found_in(MIST).airlight, (0.72, 0.76, 0.8), atol=0.1)


@pytest.mark.parametrize("air", [(0.72, 0.76, 0.8), (0.8, 0.74, 0.68), (0.7, 0.7, 0.7)])
def test_a_blue_sky_does_not_colour_the_air(air: tuple[float, float, float]) -> None:
    found = found_in(in_mist(TRUTH, DEPTH, air=air)[0]).airlight
    np.testing.assert_allclose(found / found.mean(), np.array(air) / np.mean(air), atol=0.025)


def test_no_cast_is_left(after: np.ndarray) -> None:
    hills = (DEPTH > 0.4) & (DEPTH < 0.9)
    off = [(p[hills] - p[hills].mean(1, keepdims=True)).mean(0) for p in (after, TRUTH)]
    np.testing.assert_allclose(off[0], off[1], atol=0.05)


def test_surfaces_lay_planes_through_the_air() -> None:
    normals, unsure = planes_of(np.asarray(decode(MIST), np.float32))
    air = np.array([0.72, 0.76, 0.8]) / np.linalg.norm([0.72, 0.76, 0.8])
    sure = unsure < np.quantile(unsure, 0.1)
    assert np.median(np.abs(normals[sure] @ air)) < 0.02


def test_the_sky_is_held(after: np.ndarray) -> None:
    assert (after[SKY].max(2) > 0.999).mean() < 0.002
    spread = [np.std(np.diff(p[SKY], axis=1)) for p in (MIST, after)]
    assert spread[1] < 2.5 * spread[0]
    assert np.std(np.diff(lifted(MIST, sky=0)[SKY], axis=1)) > spread[1]


def test_near_things_keep_their_light(after: np.ndarray) -> None:
    near = THROUGH > 0.75
    assert abs(decode(after[near]).mean() / decode(TRUTH[near]).mean() - 1) < 0.1


@pytest.mark.parametrize("clear", [TRUTH, rigging()], ids=["harbour", "rigging"])
def test_a_clear_picture_stays_to_the_bit(clear: np.ndarray) -> None:
    assert not found_in(clear).proven
    np.testing.assert_array_equal(lifted(clear), clear)


def test_strength_and_exposure_do_what_they_say(after: np.ndarray) -> None:
    np.testing.assert_array_equal(lifted(MIST, strength=0), MIST)
    contrast = [np.std(luma(lifted(MIST, strength=s))) for s in (0, 40, 80)]
    assert contrast == sorted(contrast)
    brighter = lifted(MIST, exposure=1)
    dark = after.max(2) < 0.5
    np.testing.assert_allclose(decode(brighter[dark]), 2 * decode(after[dark]), atol=1e-4)
    neutral = lifted(MIST, veil="neutral")
    assert np.abs(neutral - after).mean() > 1e-3


def test_parts_of_the_picture_are_parts_of_the_whole(after: np.ndarray) -> None:
    with Renderer(from_array(MIST)) as r:
        for part in (Region(0, 0, 33, 41), Region(120, 200, 207, 301), Region(380, 500, 400, 560)):
            found = r.at_once(Sweep((make_step("haze"),)), part)
            np.testing.assert_allclose(found, after[part.slices()], atol=1e-6)


def test_the_noise_is_known_by_place() -> None:
    """Two draws of the noise through the same step, against the factor that it tells."""
    still = in_mist(TRUTH, DEPTH, noise=0)[0]
    a, b = (still + np.random.default_rng(s).normal(0, 3 / 255, still.shape) for s in (1, 2))
    with Renderer(from_array(a.astype(np.float32))) as r:
        sweep = Sweep((make_step("haze"),))
        one = r.render(sweep)
        place = r.by_place(sweep, Region(0, 0, *still.shape[:2]))
    assert place is not None
    two = lifted(b.astype(np.float32))
    far, near = (DEPTH > 0.5) & (DEPTH < 0.9), (DEPTH < 0.15) & (DEPTH > 0)
    one, two = np.clip(one, 0, 1), np.clip(two, 0, 1)  # nobody sees what lies below black
    raised = [np.std(luma(one - two)[m]) / np.std(luma(a - b)[m]) for m in (far, near)]
    told = [float(np.sqrt(np.square(place[0][m]).mean())) for m in (far, near)]
    assert raised[0] > 1.3 * raised[1]
    np.testing.assert_allclose(told, raised, rtol=0.2)  # the noise is alike at every brightness


def test_noise_after_haze_takes_it_out_far_and_near() -> None:
    still, _ = in_mist(TRUTH, DEPTH, noise=0)
    noisy = (still + np.random.default_rng(1).normal(0, 4 / 255, still.shape)).astype(np.float32)
    hazed, both = lifted(noisy), lifted(noisy, "noise")
    clean = lifted(still)
    far = (DEPTH > 0.5) & (DEPTH < 0.9)
    before, after = (np.square(np.clip(p, 0, 1) - np.clip(clean, 0, 1))[far].mean() for p in (hazed, both))
    assert after < before


def test_weak_noise_is_taken_out_where_haze_made_it_strong() -> None:
    """Two draws of noise that is too weak to be touched by itself."""
    still, _ = in_mist(TRUTH, DEPTH, noise=0)
    draws = [(still + np.random.default_rng(s).normal(0, 1.5 / 255, still.shape)).astype(np.float32) for s in (1, 2)]
    with Renderer(from_array(draws[0])) as r:
        np.testing.assert_array_equal(r.render(Sweep((make_step("noise"),))), draws[0])
    far = (DEPTH > 0.5) & (DEPTH < 0.9)
    left = [np.std(luma(one - two)[far]) for one, two in (map(lifted, draws), (lifted(d, "noise") for d in draws))]
    assert left[1] < 0.6 * left[0]


def test_hits_say_whether_and_how_much() -> None:
    kind = step_kind("haze")
    assert kind.hits is not None
    hazy = kind.hits({HAZE_FOUND: found_in(MIST)}, kind.params())
    clear = kind.hits({HAZE_FOUND: found_in(TRUTH)}, kind.params())
    assert hazy.proven
    assert "%" in hazy.proof
    assert hazy.map is not None
    assert hazy.curve is not None
    assert abs(hazy.curve[1].sum() - 1) < 1e-6
    assert not clear.any
    assert "haze" in clear.nothing


def test_the_airlight_is_no_single_bright_spot() -> None:
    light = decode(MIST)
    spot = light.copy()
    spot[200:203, 100:103] = 1.0
    np.testing.assert_allclose(airlight_of(spot, 6), airlight_of(light, 6), atol=0.01)
    assert np.all(dark_channel(light, 6) <= light.min(2) + 1e-7)


@pytest.mark.parametrize("size", [(1, 1), (3, 200), (47, 47)])
def test_small_pictures_are_left_alone(size: tuple[int, int]) -> None:
    small = np.full((*size, 3), 0.5, np.float32)
    np.testing.assert_array_equal(lifted(small), small)


def test_a_picture_of_one_channel_is_lifted_too() -> None:
    grey = encode(decode(MIST).mean(2, keepdims=True)).astype(np.float32)
    assert np.std(lifted(grey)) > np.std(grey)
