"""Noise of renders: measured blindly by place, taken out with and without passes, and never where there is none."""

from __future__ import annotations

from dataclasses import replace
from functools import cache

import numpy as np
import pytest
from scipy import ndimage as ndi

from dustpan.core.colour import decode, luma
from dustpan.core.noise.guides import DIVIDED
from dustpan.core.noise.lit import light_given_back
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.noise.regress import REACH, regressed
from dustpan.core.noise.stabilise import make_stabiliser
from dustpan.core.picture import Picture
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step
from tests.renders import H, W, decibel, made, picture
from tests.scenes import desk

WHOLE = Region(0, 0, H, W)
NOISE = Sweep((make_step("noise"),))
pytestmark = pytest.mark.slow


def print_of(source: Picture, sweep: Sweep = Sweep()) -> NoisePrint:
    with Renderer(source) as r:
        found: NoisePrint = r.fact(NOISE_PRINT, sweep)
    return found


def cleaned(source: Picture) -> np.ndarray:
    with Renderer(source) as r:
        return np.asarray(r.result(NOISE, r.render(NOISE)).as_stored(), float)


@cache
def _of(strength: float, draw: int, passes: str) -> np.ndarray:
    scene = made(strength)
    chance = np.random.default_rng(8)
    given = {
        "none": (),
        "both": (scene.albedo, scene.normal),
        "albedo": (scene.albedo,),
        "noisy": (
            np.clip(scene.albedo * (1 + 0.4 * chance.normal(size=scene.albedo.shape)), 0, 1),
            scene.normal + 0.3 * chance.normal(size=scene.normal.shape),
        ),
        "blank": (np.ones_like(scene.albedo), np.zeros_like(scene.normal)),
    }[passes]
    return cleaned(picture(scene.draw(draw), *given))


def test_its_strength_is_told_by_place() -> None:
    scene = made(0.2)
    found = print_of(picture(scene.draw(1)))
    assert found.in_proportion
    assert found.places is not None
    told = found.relative * found.places.at(WHOLE)
    # noise that is mostly grey: its luminance is what is told; away from where it changes within few px
    ratio = np.log(told / scene.sigma)
    assert abs(np.median(ratio)) < 0.25
    assert np.std(ratio) < 0.25
    assert "paths that light took" in found.sentence()
    assert found.as_json()["by_place"] > 2


def test_photographs_and_clean_renders_are_no_renders_with_noise() -> None:
    light = decode(desk(H, W))
    photo = np.random.default_rng(1).poisson(light * 400) / 400
    assert not print_of(picture(photo)).in_proportion
    scene = made(0.2)
    assert print_of(picture(scene.truth)).clean
    assert np.array_equal(cleaned(picture(scene.truth)), np.asarray(scene.truth, np.float32))


def test_a_file_of_encoded_values_is_measured_as_before() -> None:
    source = replace(picture(made(0.2).draw(1)), scale=None, stored=None)
    assert not print_of(source).in_proportion


@pytest.mark.parametrize("strength", [0.12, 0.35])
def test_noise_goes_and_light_stays(strength: float) -> None:
    scene = made(strength)
    noisy, after = scene.draw(1), _of(strength, 1, "none")
    assert decibel(after, scene.truth) > decibel(noisy, scene.truth) + 5
    assert luma(after).mean() == pytest.approx(luma(scene.truth).mean(), rel=0.02)
    fine = np.arange(145, 165), slice(60, 80)  # a scratch: its contrast over the rows around
    contrast = [np.ptp(luma(p[fine]).mean(1)) for p in (after, scene.truth)]
    assert contrast[0] > (0.6 if strength < 0.2 else 0.3) * contrast[1]


def test_two_draws_say_that_little_is_left_in_calm_and_in_noisy_places() -> None:
    scene = made(0.25)
    before = np.log(luma(scene.draw(1)) + 0.02) - np.log(luma(scene.draw(2)) + 0.02)
    after = np.log(luma(_of(0.25, 1, "none")) + 0.02) - np.log(luma(_of(0.25, 2, "none")) + 0.02)
    zones = np.digitize(scene.sigma, np.quantile(scene.sigma, (1 / 3, 2 / 3)))
    left = [np.std(after[zones == z]) / np.std(before[zones == z]) for z in range(3)]
    assert max(left) < 0.4


@pytest.mark.parametrize("strength", [0.12, 0.35])
def test_passes_help_where_they_are_good_and_never_harm(strength: float) -> None:
    truth = made(strength).truth
    plain, albedo, both, noisy, blank = (
        decibel(_of(strength, 1, p), truth) for p in ("none", "albedo", "both", "noisy", "blank")
    )
    assert albedo > plain + 0.5
    assert both > plain + 0.8
    assert noisy > plain - 0.1
    assert blank > plain - 0.1


def test_noisy_passes_are_refused() -> None:
    scene = made(0.2)
    chance = np.random.default_rng(8)
    noisy = np.clip(scene.albedo * (1 + 0.4 * chance.normal(size=scene.albedo.shape)), 0, 1)
    good, poor = (print_of(picture(scene.draw(1), a)).in_passes for a in (scene.albedo, noisy))
    assert good is not None
    assert poor is not None
    assert good.white["albedo"].grid.mean() < DIVIDED[0]
    assert poor.white["albedo"].grid.mean() > DIVIDED[1]


def test_a_region_is_what_the_whole_gives() -> None:
    scene = made(0.3)
    with Renderer(picture(scene.draw(1), scene.albedo, scene.normal), threads=2) as r:
        whole, part = r.render(NOISE), Region(41, 90, 150, 230)
        assert np.array_equal(r.at_once(NOISE, part), whole[part.slices()])


def test_a_draft_and_all_controls_work_on_renders() -> None:
    scene = made(0.3)
    every = Sweep((make_step("noise", {"give_back": 40, "blotches": 16, "shadows": 50, "quality": "quick"}),))
    with Renderer(picture(scene.draw(1), scene.albedo, scene.normal)) as r:
        part = Region(41, 90, 150, 230)
        draft, whole = r.at_once(NOISE, part, draft=True), r.at_once(every, part)
    truth = np.asarray(picture(scene.truth).pixels)[part.slices()]
    noisy = np.asarray(picture(scene.draw(1)).pixels)[part.slices()]
    for found in (draft, whole):
        assert np.std(found - truth) < 0.7 * np.std(noisy - truth)


def test_above_white_nothing_is_cut_off() -> None:
    scene = made(0.1)
    light = scene.draw(1)
    light[40:60, 200:230] = 300.0
    after = cleaned(picture(light))
    assert after[45:55, 208:222] == pytest.approx(np.full((10, 14, 3), 300.0), rel=0.02)


def test_a_black_ground_changes_nothing_for_what_stands_before_it() -> None:
    scene = made(0.25)
    light = scene.draw(1)
    light[:, W // 2 :] = 0
    after = cleaned(picture(light))
    assert np.abs(after[:, W // 2 + 12 :]).max() < 1e-3
    part = np.s_[:, : W // 2 - 12]
    assert decibel(after[part], scene.truth[part]) > decibel(_of(0.25, 1, "none")[part], scene.truth[part]) - 0.7


def test_mono_and_mirrored_renders() -> None:
    light = made(0.25).draw(1)
    grey = luma(light)[..., None]
    after = cleaned(picture(grey))
    assert np.std(np.log(after[100:130, 240:300])) < np.std(np.log(grey[100:130, 240:300]))
    turned = cleaned(picture(np.ascontiguousarray(light[:, ::-1])))[:, ::-1]
    assert decibel(turned, _of(0.25, 1, "none")) > 60


def test_what_a_step_leaves_is_known() -> None:
    source = picture(made(0.3).draw(1))
    with Renderer(source) as r:
        before, after = r.fact(NOISE_PRINT, Sweep()), r.fact(NOISE_PRINT, NOISE)
    assert after.in_proportion
    assert after.relative < 0.3 * before.relative
    assert after.clean or after.trust < 1


def test_strength_is_by_place_in_the_trust_as_well() -> None:
    scene = made(0.004)
    assert print_of(picture(scene.draw(1))).trust < 0.5


def test_tables_of_noise_in_proportion_go_both_ways() -> None:
    found = print_of(picture(made(0.25).draw(1)))
    tables = make_stabiliser(found.noise)
    values = np.linspace(0, tables.top, 300, dtype=np.float32)[None, :, None].repeat(3, 2)
    there = tables.stabilise(values)
    assert tables.restore(there) == pytest.approx(values, abs=2e-3)
    assert tables.undo(there) == pytest.approx(values, abs=2e-3)
    twice = found.times(2.0)
    assert twice.relative == pytest.approx(2 * found.relative)


def test_light_is_given_back_to_its_local_mean() -> None:
    rng = np.random.default_rng(1)
    before = rng.lognormal(0, 0.6, (80, 80, 3)).astype(np.float32)
    after = np.exp(ndi.uniform_filter(np.log(before), (15, 15, 0)))
    given = light_given_back(before, after)
    assert given.mean() == pytest.approx(before.mean(), rel=0.02)
    assert after.mean() < 0.9 * before.mean()


def test_a_regression_finds_what_passes_explain_and_does_not_depend_on_the_cut() -> None:
    rng = np.random.default_rng(2)
    h, w = 70, 90
    passes = np.stack([np.sin(np.arange(w) / 5)[None].repeat(h, 0), rng.random((h, w)) > 0.5], -1).astype(np.float32)
    truth = np.stack([2 * passes[..., 0] + passes[..., 1], -passes[..., 0]]).astype(np.float32)
    noisy = truth + 0.2 * rng.normal(size=truth.shape).astype(np.float32)
    sigma, wanted = np.full((h, w), 0.2, np.float32), np.ones((h, w), bool)
    whole = regressed(noisy, truth, sigma, passes, wanted, Region(0, 0, h, w), (h, w))
    assert np.std(whole - truth) < 0.35 * np.std(noisy - truth)
    inner = Region(25, 30, 50, 64)
    area = inner.grown(REACH)
    cut = (slice(None), *area.slices())
    part = regressed(noisy[cut], truth[cut], sigma[cut[1:]], passes[cut[1:]], wanted[cut[1:]], area, (h, w))
    assert np.array_equal(part[(slice(None), *inner.slices(area))], whole[(slice(None), *inner.slices())])
