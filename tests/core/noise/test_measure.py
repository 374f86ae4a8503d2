from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
from scipy import ndimage as ndi

from dustpan.core.colour import luma
from dustpan.core.noise.blocks import DCT_2D, RING
from dustpan.core.noise.measure import measure
from dustpan.core.noise.model import ChannelNoise
from dustpan.core.noise.noise_print import CLEAN_SIGMA, MONO_CLEAN, MONO_NOISY
from dustpan.core.noise.octaves import with_octaves
from tests.scenes import WALL, desk, noisy_a, noisy_b, noisy_c

pytestmark = pytest.mark.slow

NOISY_LEVELS = np.array([0.1, 0.2, 0.3, 0.4])


@pytest.fixture(scope="module")
def large() -> np.ndarray:
    return desk(600, 800)


@pytest.mark.parametrize("sigma", [8 / 255, 25 / 255])
def test_white_noise_is_measured_within_5_percent(large: np.ndarray, sigma: float) -> None:
    found = measure(noisy_a(large, sigma))
    assert found.white
    assert found.sure
    assert not found.clean
    assert found.channel_sigma(np.array([0.4, 0.5, 0.6])) == pytest.approx(np.full((3, 3), sigma), rel=0.05)


def test_shot_noise_is_measured_within_8_percent_at_every_brightness(large: np.ndarray) -> None:
    found = measure(noisy_b(large)[1])
    true = [ChannelNoise(False, gain=g / 250, read=(3 * g / 250) ** 2).sigma_at(NOISY_LEVELS) for g in (2.0, 1.0, 1.6)]
    assert found.white
    assert found.channel_sigma(NOISY_LEVELS) == pytest.approx(np.array(true), rel=0.08)


def test_demosaiced_noise_is_found_to_be_correlated(large: np.ndarray) -> None:
    truth, noisy = noisy_c(large)
    found = measure(noisy)
    assert not found.white
    flat = noisy[WALL][8:-8, 8:-8] - truth[WALL][8:-8, 8:-8]
    level = truth[WALL][48, 75]
    estimate = [c.sigma_at(np.array(v)) for c, v in zip(found.noise, level, strict=True)]
    assert estimate == pytest.approx(flat.std((0, 1)), rel=0.2)


def test_grain_that_is_the_same_in_all_channels_is_measured_as_that(large: np.ndarray) -> None:
    grain = np.random.default_rng(3).normal(0, 12 / 255, large.shape[:2])
    found = measure((large + grain[..., None]).astype(np.float32))
    assert found.alike
    assert not found.clean
    assert "fine grain" in found.sentence()
    soft = ndi.gaussian_filter(grain, 1)
    clumped = measure((large + (12 / 255 / soft.std()) * soft[..., None]).astype(np.float32))
    assert clumped.alike
    assert "soft, clumped grain" in clumped.sentence()
    levels = np.array([0.4, 0.5, 0.6])
    assert found.channel_sigma(levels) == pytest.approx(np.full((3, 3), 12 / 255), rel=0.15)
    assert found.luminance_sigma(levels) == pytest.approx(np.full(3, 12 / 255), rel=0.15)
    assert found.colour_sigma(levels).max() < 2 / 255


@pytest.mark.parametrize(("size", "deviation"), [(1.2, 0.06), (1.5, 0.08), (2.0, 0.1)])
def test_in_a_picture_that_is_texture_all_over_colour_tells_how_strong_the_noise_is(
    large: np.ndarray, size: float, deviation: float
) -> None:
    texture = ndi.gaussian_filter(np.random.default_rng(6).normal(size=large.shape[:2]), size)
    grey = np.clip(0.5 + deviation * texture / texture.std(), 0.02, 1)
    found, calm = (measure(noisy_c(p)[1]) for p in (grey[..., None] * (1, 0.97, 0.9), large))
    levels = np.array([0.15, 0.2, 0.25])
    assert found.luminance_sigma(levels) == pytest.approx(calm.luminance_sigma(levels), rel=0.15)
    assert found.trust == 1
    assert measure(grey[..., None] * np.ones(3, np.float32)).clean


def test_weak_correlated_noise_has_to_be_more_even_than_strong(large: np.ndarray) -> None:
    """Fine texture is as strong as that, and as clumped."""
    strong = replace(measure(noisy_c(large)[1]), evenness=0.34)
    weak = replace(strong, noise=tuple(replace(c, gain=c.gain / 8, read=c.read / 64) for c in strong.noise))
    assert CLEAN_SIGMA < weak.strength < MONO_CLEAN < MONO_NOISY < strong.strength
    assert strong.trust > 0.5
    assert weak.trust == 0
    assert replace(weak, evenness=0.4).trust > 0


@pytest.mark.parametrize("factor", [0.5, 2.0])
def test_twice_the_noise_is_twice_the_print(large: np.ndarray, factor: float) -> None:
    one, other = (measure(noisy_a(large, s)).strength for s in (10 / 255, 10 * factor / 255))
    assert other / one == pytest.approx(factor, rel=0.04)


def test_a_mirrored_picture_has_the_same_print(noisy: np.ndarray) -> None:
    a, b = measure(noisy), measure(noisy[:, ::-1])
    assert b.channel_sigma(NOISY_LEVELS) == pytest.approx(a.channel_sigma(NOISY_LEVELS), rel=0.05)


def test_a_clean_picture_is_told_from_a_noisy_one(clean: np.ndarray, noisy: np.ndarray) -> None:
    assert measure(clean).clean
    assert measure(np.round(clean * 255) / 255).clean
    assert measure(noisy_a(clean, 1 / 255)).clean
    assert not measure(noisy).clean
    assert not measure(noisy_a(clean, 6 / 255)).clean


def test_it_says_when_it_is_unsure() -> None:
    rng = np.random.default_rng(0)
    felt, fold = (ndi.gaussian_filter(rng.normal(size=(400, 400)), s) for s in (1.2, 12))
    amplitude = (fold - fold.min()) / np.ptp(fold)
    texture = measure(np.clip(np.repeat((0.5 + 0.15 * amplitude * felt / felt.std())[..., None], 3, 2), 0, 1))
    clipped = measure(np.where(rng.random((200, 200, 3)) < 0.5, 0.0, 1.0))
    tiny = measure(np.full((20, 20, 3), 0.5))
    black = measure(np.zeros((200, 200, 3)))
    for found in (texture, clipped, tiny, black):
        assert not found.sure
        assert found.sentence().startswith("Not sure")
    assert texture.clean  # and is left alone


def test_the_sentence_says_where_the_noise_is(noisy: np.ndarray, clean: np.ndarray) -> None:
    assert "ery strong noise in the" in measure(noisy).sentence()
    assert "all tones" in measure(noisy_a(clean, 10 / 255)).sentence()
    assert "Hardly any noise" in measure(clean).sentence()
    soft = noisy_c(desk(600, 800))[1]
    assert "blotches" in with_octaves(measure(soft), soft).sentence()


def test_the_json_has_what_the_contract_says(noisy: np.ndarray) -> None:
    found = with_octaves(measure(noisy), noisy).as_json()
    n = len(found["levels"])
    assert found["levels"][0] == 0
    assert found["levels"][-1] == 1
    assert set(found["sigma"]) == {"red", "green", "blue", "luminance", "colour"}
    assert all(len(v) == n for v in found["sigma"].values())
    assert [s["name"] for s in found["scales"]] == ["fine", "medium", "coarse"]
    assert all(s["period_px"][0] * 2 == s["period_px"][1] for s in found["scales"])


def test_mono_has_one_curve_and_no_colour_noise(clean: np.ndarray) -> None:
    found = measure(noisy_a(clean.mean(-1, keepdims=True), 12 / 255))
    assert found.channels == 1
    assert float(found.channel_sigma(np.array([0.5]))[0, 0]) == pytest.approx(12 / 255, rel=0.06)
    assert max(found.as_json()["sigma"]["colour"]) == 0


def test_scales_fall_by_half_for_white_noise(large: np.ndarray) -> None:
    noisy = noisy_a(large, 20 / 255)
    scales = with_octaves(measure(noisy), noisy).scales
    mirrored = noisy[::-1, ::-1]
    assert with_octaves(measure(mirrored), mirrored).scales == scales
    ratios = [b.luminance / a.luminance for a, b in itertools.pairwise(scales)]
    assert ratios == pytest.approx([0.5] * len(ratios), abs=0.12)


def test_a_large_picture_is_measured_on_a_part_of_it_just_as_well(
    clean: np.ndarray, monkeypatch: pytest.MonkeyPatch
) -> None:
    from dustpan.core.noise import measure as module

    whole = noisy_a(np.tile(clean, (4, 4, 1)), 12 / 255)
    monkeypatch.setattr(module, "MOST_MEASURED", 500_000)
    part = module.sampled(whole)
    assert part.shape[0] * part.shape[1] <= 500_000
    assert np.array_equal(part[:256, :256], whole[:256, :256])
    assert measure(whole).channel_sigma(np.array([0.5]))[:, 0] == pytest.approx(np.full(3, 12 / 255), rel=0.05)
    for shape in ((20, 60_000, 1), (60_000, 20, 1)):
        assert module.sampled(np.zeros(shape, np.float32)).size < 1_000_000


def test_the_spectrum_of_the_lumas_noise_is_the_one_that_it_has() -> None:
    noisy = noisy_c(np.full((512, 512, 3), (0.42, 0.38, 0.33)))[1]
    seen = luma(noisy) - luma(noisy).mean()
    blocks = seen.reshape(64, 8, 64, 8).transpose(0, 2, 1, 3).reshape(-1, 64) @ DCT_2D.T
    power = (blocks**2).mean(0)
    rings = [np.array([p[k == RING].mean() for k in range(1, 13)]) for p in (power, measure(noisy).luma_spectrum)]
    assert rings[1] == pytest.approx(rings[0] / power[1:].mean(), rel=0.15)
    assert measure(noisy_a(np.full((256, 256, 3), 0.4), 0.05)).luma_spectrum == pytest.approx(np.ones(64), rel=1e-3)


@pytest.mark.parametrize("share", [0.1, 0.5, 1.0])
@pytest.mark.parametrize("noisy_of", [noisy_b, noisy_c])
def test_what_a_step_left_is_measured_as_well_from_the_print_before_it_on(
    large: np.ndarray, noisy_of: Callable[[np.ndarray], tuple[np.ndarray, np.ndarray]], share: float
) -> None:
    truth, noisy = noisy_of(large)
    left = truth + np.float32(share) * (noisy - truth)
    alone, helped = measure(left), measure(left, before=measure(noisy))
    assert helped.white == alone.white
    assert helped.channel_sigma(NOISY_LEVELS) == pytest.approx(alone.channel_sigma(NOISY_LEVELS), rel=0.03)


def test_a_print_before_that_is_unsure_or_clean_does_not_mislead(noisy: np.ndarray, clean: np.ndarray) -> None:
    alone = measure(noisy).channel_sigma(NOISY_LEVELS)
    for before in (measure(clean), measure(np.zeros_like(clean))):
        assert np.array_equal(measure(noisy, before=before).channel_sigma(NOISY_LEVELS), alone)


def test_what_is_left_of_known_noise_is_not_taken_for_texture() -> None:
    """Weak and grey, it looks like fine texture to whoever does not know what was there before."""
    rng = np.random.default_rng(5)
    ramp = np.repeat(np.linspace(0.25, 0.75, 400)[:, None], 400, 1)[..., None].repeat(3, 2)
    noise = ndi.gaussian_filter(rng.normal(size=(400, 400)), 0.7)
    grey = (noise / noise.std())[..., None]
    colour = ndi.gaussian_filter(rng.normal(size=(400, 400, 3)), (0.7, 0.7, 0))
    source = measure(np.clip(ramp + 12 / 255 * grey + 8 / 255 * colour / colour.std(), 0, 1))
    left = np.clip(ramp + 3 / 255 * grey, 0, 1)
    assert source.sure
    assert not source.white
    assert not measure(left).sure
    assert measure(left, before=source).sure
