"""The noise of a sensor, told blindly or by the file, and carried through development."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest

from dustpan.core.colour import decode, encode
from dustpan.core.develop.sensor_noise import SENSOR_NOISE, measure_blind, tiles_at
from dustpan.core.files import open_picture
from dustpan.core.judge.whole import noise_print
from dustpan.core.noise.measure import measure
from dustpan.core.picture import Picture
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step, suggested
from dustpan.demo.raw_camera import RGGB, SIX_BY_SIX, Exposure, counts, seen, shot
from tests.core.files.make import mosaic_dng, write
from tests.scenes import desk


def taken(folder: Path, exposure: Exposure, told: bool = False, seed: int = 3) -> tuple[Picture, np.ndarray]:
    """A picture of the desk, and its clean samples."""
    clean = seen(decode(desk()[:300, :420]), exposure)
    about = shot(exposure, told)
    return open_picture(write(folder, "a.dng", mosaic_dng(counts(clean, exposure, seed), about))), clean


def sigma_at(noise: tuple[float, float], x: float) -> float:
    return float(np.sqrt(noise[0] * x + noise[1]))


@pytest.mark.parametrize("pattern", [RGGB, SIX_BY_SIX, ((0,),)], ids=["RGGB", "six by six", "no filter"])
@pytest.mark.parametrize("electrons", [300, 3000])
def test_gain_and_read_noise_of_smooth_light_are_found(pattern: tuple, electrons: float) -> None:
    y, x = np.mgrid[0:336, 0:504] / 336
    colours = np.array([0.5, 1.0, 0.7])[
        np.asarray(pattern)[(np.arange(336) % len(pattern))[:, None], np.arange(504) % len(pattern)]
    ]
    clean = (0.02 + 0.5 * (0.5 + 0.5 * np.sin(3 * x + 2 * y)) ** 2) * colours
    exposure = Exposure(electrons, read=4)
    stored = (counts(clean, exposure, 6).astype(float) - 512) / (16383 - 512)
    found = measure_blind([stored], (len(pattern), len(pattern[0])))
    assert found is not None
    for level in (0.02, 0.1, 0.4):
        assert sigma_at(found, level) == pytest.approx(sigma_at(exposure.noise, level), rel=0.08)


def test_too_little_to_tell_from_is_said() -> None:
    assert measure_blind([np.full((10, 10), 0.3)], (2, 2)) is None
    assert measure_blind([], (2, 2)) is None


def test_tiles_begin_at_whole_periods_and_lie_inside() -> None:
    for size in ((100, 900), (252, 252), (4000, 6000), (3001, 4507)):
        for t in tiles_at(size):
            assert (t.y0 % 12, t.x0 % 12) == (0, 0)
            assert t.within(size) == t
    assert len(tiles_at((4000, 6000))) <= 60


def test_a_profile_in_the_file_is_used_when_it_fits_and_not_otherwise(tmp_path: Path) -> None:
    exposure = Exposure(800, 1)
    picture, _ = taken(tmp_path, exposure, told=True)
    assert picture.sensor is not None
    with Renderer(picture) as r:
        found = r.fact(SENSOR_NOISE, Sweep())
    assert (found.told, found.doubt) == (True, False)
    assert (found.gain, found.read) == pytest.approx(exposure.noise, rel=1e-6)
    wrong = replace(picture, sensor=replace(picture.sensor, noise=(exposure.noise[0] * 30, 1e-3)))
    with Renderer(wrong) as r:
        found = r.fact(SENSOR_NOISE, Sweep())
    assert (found.told, found.doubt) == (False, True)
    assert found.gain == pytest.approx(exposure.noise[0], rel=0.5)


@pytest.mark.slow
@pytest.mark.parametrize("way", ["smooth", "linear"])
@pytest.mark.parametrize("pattern", [RGGB, SIX_BY_SIX], ids=["RGGB", "six by six"])
def test_the_carried_print_is_the_noise_that_is_there(tmp_path: Path, way: str, pattern: tuple) -> None:
    """Against the difference of two draws, developed alike, at each level of each channel."""
    exposure = replace(Exposure(700, 1), pattern=pattern)
    develop = Sweep((make_step("develop", {"push": 1.0, "demosaic": way}),))
    draws = []
    for seed in (3, 4):
        picture, _ = taken(tmp_path, exposure, told=True, seed=seed)
        with Renderer(picture) as r:
            draws.append(r.render(develop))
            found = noise_print(r, None, develop)
    assert found.on_sensor
    assert found.trust == 1
    mean, apart = (draws[0] + draws[1]) / 2, (draws[0] - draws[1]) / np.sqrt(2)
    levels = np.linspace(0.3, 0.9, 13)
    errors = []
    for c in range(3):
        for low, high in pairwise(levels):
            here = (mean[..., c] > low) & (mean[..., c] < high)
            if here.sum() > 1500:
                errors.append(
                    found.channel_sigma(np.array([mean[..., c][here].mean()]))[c, 0] / apart[..., c][here].std() - 1
                )
    assert len(errors) > 10
    assert np.mean(np.abs(errors)) < (0.05 if pattern is RGGB else 0.06)


@pytest.mark.slow
def test_the_print_says_where_it_was_measured_and_noise_uses_it(tmp_path: Path) -> None:
    exposure = Exposure(400, 2)
    picture, _ = taken(tmp_path, exposure)
    sweep = Sweep((make_step("develop", {"push": 2.0}), make_step("noise")))
    with Renderer(picture) as r:
        found = noise_print(r, None, sweep)
        cleaned = r.render(sweep)
        developed = r.render(Sweep(sweep.steps[:1]))
    assert found.sentence().startswith("Measured on the sensor: ")
    assert found.as_json()["measured_on"] == "sensor"
    truth = encode(decode(desk()[:300, :420]))
    errors = [np.mean((x - truth) ** 2) for x in (developed, cleaned)]
    assert errors[1] < errors[0] / 6
    blind = measure(developed)
    assert blind.as_json()["measured_on"] == "picture"


def test_a_picture_that_is_nearly_all_clipped_is_measured_as_it_is(tmp_path: Path) -> None:
    exposure = Exposure(400, -6)
    picture, _ = taken(tmp_path, exposure)
    with Renderer(picture) as r:
        assert not noise_print(r, None, suggested(picture.kind)).on_sensor
