"""Noise by place that a picture tells itself: corners that were lifted, two pictures put together, or neither."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dustpan.core.colour import decode, encode
from dustpan.core.curve import SRGB
from dustpan.core.noise.measure import measure
from dustpan.core.noise.places import LIFTED
from dustpan.core.noise_of.places import Places
from dustpan.core.picture import from_array
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step
from tests.scenes import desk, noisy_a, noisy_b

H, W = 400, 520


def lifted(stops: float, seed: int = 1) -> np.ndarray:
    light = decode(desk(H, W))
    y, x = np.mgrid[:H, :W]
    out = ((y - H / 2) / (H / 2)) ** 2 / 2 + ((x - W / 2) / (W / 2)) ** 2 / 2
    fall = 2.0 ** (-stops * out)[..., None]
    rng = np.random.default_rng(seed)
    raw = rng.poisson(light * fall * 400) / 400 / fall
    return encode(np.clip(raw, 0, 1)).astype(np.float32)


def joined(seed: int = 1) -> tuple[np.ndarray, np.ndarray]:
    """A picture of two, and sigma at every px."""
    sigma = np.full((H, W), 7 / 255)
    sigma[:, 250:] = 21 / 255
    noise = np.random.default_rng(seed).normal(size=(H, W, 3)) * sigma[..., None]
    return np.clip(desk(H, W) + noise, 0, 1).astype(np.float32), sigma


@pytest.mark.parametrize(
    "pixels", [noisy_a(desk(H, W), 15 / 255), noisy_b(desk(H, W))[1], desk(H, W).astype(np.float32)]
)
def test_of_usual_pictures_nothing_is_said(pixels: np.ndarray) -> None:
    found = measure(pixels)
    assert found.places is None
    assert not found.seems_joined


@pytest.mark.slow
def test_lifted_corners_are_told() -> None:
    assert measure(lifted(0.0)).places is None
    found = measure(lifted(2.0))
    assert found.places is not None
    assert found.places.words == LIFTED
    factor = found.places.of(Region(0, 0, H, W))[0]
    corners = np.mean([factor[y, x] for y in (5, -6) for x in (5, -6)]) / factor[H // 2, W // 2]
    assert corners == pytest.approx(2.0, rel=0.25)  # the light was four times less, and its noise a root of that
    assert "lifting" in found.sentence()
    assert found.as_json()["by_place"] > 1.3


def test_two_pictures_are_told_apart_to_a_few_px() -> None:
    pixels, sigma = joined()
    found = measure(pixels)
    assert found.places is not None
    factor = found.places.of(Region(0, 0, H, W))[0]
    wrong = np.abs(factor / factor.min() / (sigma / sigma.min()) - 1) > 0.2
    assert wrong.mean() < 0.03
    assert found.channel_sigma(np.array([0.5])).mean() == pytest.approx(7 / 255, rel=0.12)
    assert "put together" in found.sentence()


@pytest.mark.slow
def test_both_pictures_are_cleaned_as_each_needs_it() -> None:
    pixels, _ = joined()
    truth = desk(H, W)
    results = []
    for seen in (pixels, None):
        with Renderer(from_array(pixels)) as r:
            if seen is None:  # as if it were the same everywhere
                result = r.render(Sweep((make_step("noise"),)))
                plain = replace(measure(pixels), places=None)
                from dustpan.core.noise.reduce import Work, clean_region

                whole = Region(0, 0, H, W)
                result = clean_region(pixels, whole, whole, Work((H, W), plain))
            else:
                result = r.render(Sweep((make_step("noise"),)))
        results.append([np.mean((result - truth)[:, part] ** 2) for part in (np.s_[:230], np.s_[270:])])
    assert results[0][1] < 0.5 * results[1][1]  # the noisy half
    assert results[0][0] < 1.1 * results[1][0]


@pytest.mark.slow
@pytest.mark.parametrize("flips", [(True, False), (False, True), (True, True)])
def test_a_mirrored_picture_has_the_mirrored_factor(flips: tuple[bool, bool]) -> None:
    pixels = lifted(2.0)
    ways = tuple(-1 if f else 1 for f in flips)
    turned = np.ascontiguousarray(pixels[:: ways[0], :: ways[1]])
    a, b = (measure(p).places for p in (pixels, turned))
    assert a is not None
    assert b is not None
    whole = Region(0, 0, H, W)
    assert np.array_equal(a.of(whole)[0], b.of(whole)[0][:: ways[0], :: ways[1]])


@pytest.mark.slow
def test_a_result_keeps_what_its_picture_told() -> None:
    from dustpan.core.noise.measure import NOISE_PRINT

    with Renderer(from_array(lifted(2.0))) as r:
        own = r.fact(NOISE_PRINT, Sweep())
        assert r.fact(NOISE_PRINT, Sweep((make_step("noise"),))).places is own.places


@settings(max_examples=20, deadline=None)
@given(st.integers(1, 40), st.integers(1, 40), st.sampled_from([4, 16]), st.data())
def test_a_part_of_a_factor_is_that_part_of_the_whole(rows: int, columns: int, cell: int, data: st.DataObject) -> None:
    size = rows * 7, columns * 7
    grid = np.random.default_rng(rows).random((-(-size[0] // cell), -(-size[1] // cell))).astype(np.float32)
    places = Places(grid, cell, size, (rows % 2 == 0, columns % 2 == 0))
    whole = places.of(Region(0, 0, *size))
    y, x = (data.draw(st.integers(0, n - 1)) for n in size)
    part = Region(y, x, min(y + 9, size[0]), min(x + 5, size[1]))
    assert np.array_equal(places.of(part), whole[(slice(None), *part.slices())])


@pytest.mark.parametrize("shape", [(20, 20, 3), (60, 2000, 1), (1, 1, 3)])
def test_pictures_too_small_to_tell_say_nothing(shape: tuple[int, ...]) -> None:
    pixels = np.random.default_rng(1).normal(0.5, 0.1, shape).astype(np.float32)
    assert measure(pixels, curve=SRGB).places is None
