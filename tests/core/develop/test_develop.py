"""Develop: what was clean light comes back; white, push, highlights and primaries do what they say."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dustpan.core.colour import decode, encode, lab
from dustpan.core.colour_profile import profile_curve, to_screen_fine
from dustpan.core.curve import SRGB
from dustpan.core.develop.half_size import camera_colours
from dustpan.core.develop.light import Primaries, profile
from dustpan.core.develop.white import COLDEST, MOST_TINT, WARMEST, factors, temperature_of
from dustpan.core.errors import WrongUse
from dustpan.core.files import open_picture, save_picture
from dustpan.core.jobs.one import State, Task, run
from dustpan.core.picture import Kind, Picture, Sensor
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step, suggested, sweep_from_json, with_first_steps
from dustpan.demo.raw_camera import RGGB, SIX_BY_SIX, Exposure, counts, seen, shot
from tests.core.files.make import mosaic_dng, write
from tests.scenes import desk

CLEAN = Exposure(electrons=4e6, read=0)


def taken(folder: Path, light: np.ndarray, exposure: Exposure = CLEAN, seed: int = 1, **about: object) -> Picture:
    stored = counts(seen(light, exposure), exposure, seed)
    return open_picture(write(folder, "taken.dng", mosaic_dng(stored, replace(shot(exposure), **about))))


def developed(picture: Picture, **values: object) -> np.ndarray:
    with Renderer(picture) as r:
        return r.render(Sweep((make_step("develop", values),)))


def scene() -> np.ndarray:
    return decode(desk()[:150, :210])


@pytest.mark.parametrize("pattern", [RGGB, ((2, 1), (1, 0)), SIX_BY_SIX], ids=["RGGB", "BGGR", "six by six"])
def test_colours_of_clean_light_come_back(tmp_path: Path, pattern: tuple) -> None:
    patches = np.random.default_rng(5).uniform(0.02, 0.8, (4, 6, 3))
    light = np.kron(patches, np.ones((24, 24, 1)))
    result = developed(taken(tmp_path, light, replace(CLEAN, pattern=pattern)))
    inner = result.reshape(4, 24, 6, 24, 3)[:, 6:-6, :, 6:-6].mean((1, 3))
    assert np.sqrt(((lab(inner) - lab(encode(patches))) ** 2).sum(-1)).max() < 0.5


@pytest.mark.slow
def test_the_same_bytes_from_window_and_command_line_by_way_of_a_task(tmp_path: Path) -> None:
    picture = taken(tmp_path, scene(), Exposure(2500, 1))
    sweep = Sweep((make_step("develop", {"push": 1.0}), make_step("noise")))
    source, target = tmp_path / "taken.dng", tmp_path / "out.tif"
    outcome = run(Task(str(source), str(target), sweep.as_json()))
    assert outcome.state is State.DONE, outcome.error
    with Renderer(picture) as r:
        save_picture(r.result(sweep, r.render(sweep)), tmp_path / "window.tif")
    assert (tmp_path / "window.tif").read_bytes() == target.read_bytes()
    assert open_picture(target).depth.value == "16"


def test_a_push_is_so_many_stops_of_light(tmp_path: Path) -> None:
    picture = taken(tmp_path, scene() / 8)
    plain, pushed = (SRGB.decode(developed(picture, push=p).astype(float)) for p in (0, 2))
    np.testing.assert_allclose(pushed, np.clip(4 * plain, 0, 1), atol=2e-3)


def test_full_samples_are_white_or_are_recovered(tmp_path: Path) -> None:
    light = np.full((40, 60, 3), 0.3)
    light[:, 20:40] = [3.0, 2.4, 2.0]  # green is full first
    picture = taken(tmp_path, light)
    clipped, recovered = (developed(picture, highlights=h)[12:-12, 26:34].mean((0, 1)) for h in ("clip", "recover"))
    assert clipped.min() > 0.99
    assert recovered.max() < 1
    assert np.ptp(recovered) < 0.05  # bright, and no magenta
    around = [developed(picture, highlights=h)[12:-12, 4:14].mean() for h in ("clip", "recover")]
    assert around[0] == pytest.approx(around[1], abs=1e-5)


@pytest.mark.parametrize("primaries", list(Primaries))
def test_other_primaries_show_the_same_colours(tmp_path: Path, primaries: Primaries) -> None:
    picture = taken(tmp_path, scene())
    sweep = Sweep((make_step("develop", {"primaries": primaries}),))
    with Renderer(picture) as r:
        result = r.result(sweep, r.render(sweep))
    assert result.kind is Kind.RGB
    assert result.metadata.icc == profile(primaries)
    assert profile_curve(result.metadata.icc) == SRGB
    shown = to_screen_fine(result.pixels, result.metadata.icc)
    apart = np.abs(shown - developed(picture))  # but for the few that one of both cannot hold
    assert np.quantile(apart, 0.999) < 0.01


@pytest.mark.slow
@settings(max_examples=40)
@given(st.floats(WARMEST + 50, COLDEST - 500), st.floats(-0.8 * MOST_TINT, 0.8 * MOST_TINT))
def test_temperature_and_tint_are_found_again(kelvin: float, tint: float) -> None:
    sensor = Sensor(RGGB, ("red", "green", "blue"), daylight=(2.1, 1.0, 1.5))
    wanted = factors(sensor, kelvin, tint)
    found = factors(sensor, *temperature_of(sensor, wanted))
    np.testing.assert_allclose(found, wanted, rtol=0.02)


def test_warmer_is_warmer_and_daylight_is_what_it_is() -> None:
    sensor = Sensor(RGGB, ("red", "green", "blue"), daylight=(2.1, 1.0, 1.5))
    np.testing.assert_allclose(factors(sensor, 6504, 0), sensor.daylight, rtol=0.02)
    red_to_blue = [f[0] / f[2] for f in (factors(sensor, k, 0) for k in (2500, 4000, 6500, 9000))]
    assert red_to_blue == sorted(red_to_blue)
    green = [f[1] / (f[0] * f[2]) ** 0.5 for f in (factors(sensor, 5000, t) for t in (-50, 0, 50))]
    assert green == sorted(green, reverse=True)


def test_an_order_that_cannot_work_is_refused(tmp_path: Path) -> None:
    picture = taken(tmp_path, scene())
    with Renderer(picture) as r:
        with pytest.raises(WrongUse, match=r"Noise does not work on a picture of this kind \(mosaic\)\."):
            r.render(Sweep((make_step("noise"), make_step("develop"))))
        with pytest.raises(WrongUse, match=r"Develop does not work on a picture of this kind \(rgb\)\."):
            r.render(Sweep((make_step("develop"), make_step("develop"))))
    assert [s.name for s in with_first_steps(Sweep((make_step("noise"),)), Kind.MOSAIC).steps] == ["Develop", "Noise"]
    assert with_first_steps(suggested(), Kind.RGB) == suggested()
    newer = {"step": "develop", "version": 999, "params": {"moonlight": 1}}
    kept = sweep_from_json({"dustpan_sweep": 1, "steps": [newer]})
    assert with_first_steps(kept, Kind.MOSAIC) == kept  # one is there, if none that can run here


@pytest.mark.parametrize("pattern", [RGGB, SIX_BY_SIX], ids=["RGGB", "six by six"])
@pytest.mark.parametrize("factor", [2, 4, 8])
def test_a_reduced_mosaic_has_the_colours_of_the_whole(tmp_path: Path, pattern: tuple, factor: int) -> None:
    light = np.broadcast_to(np.array([0.5, 0.2, 0.1]), (61, 83, 3))
    picture = taken(tmp_path, light, replace(CLEAN, pattern=pattern))
    assert picture.sensor is not None
    small = camera_colours(picture.pixels, picture.sensor, factor)
    assert small.shape == (61 // factor, 83 // factor, 3)
    reduced = picture.reduced(small)
    assert reduced.kind is Kind.CAMERA
    whole = developed(picture)[4:-4, 4:-4].mean((0, 1))
    np.testing.assert_allclose(developed(reduced)[1:-1, 1:-1].mean((0, 1)), whole, atol=4e-3)
