from __future__ import annotations

from pathlib import Path

import imagecodecs
import numpy as np
import pytest
import tifffile
from hypothesis import given
from hypothesis import strategies as st

from dustpan.core.colour import decode, encode
from dustpan.core.colour_profile import linear_profile, profile_curve, srgb_profile, wide_gamut_profile
from dustpan.core.curve import LINEAR, SRGB, Curve, Scale, gamma
from dustpan.core.files import ExportOptions, Opening, open_picture, save_picture
from dustpan.core.jobs.one import State, Task, run
from dustpan.core.judge.whole import judge_sweep, noise_print
from dustpan.core.look import Look
from dustpan.core.looks.shadows import SHADOWS
from dustpan.core.noise.measure import measure
from dustpan.core.noise.model import ChannelNoise
from dustpan.core.picture import Depth
from dustpan.core.render.renderer import Renderer
from dustpan.core.screen import packed
from dustpan.core.sweep import Sweep, make_step
from dustpan.demo.camera import expose
from tests.scenes import desk, psnr

CURVES = (SRGB, LINEAR, gamma(1.8), gamma(2.2))
NOISE = Sweep((make_step("noise"),))


@pytest.mark.parametrize("curve", CURVES, ids=lambda c: c.name)
@given(values=st.lists(st.floats(-0.5, 8), min_size=1, max_size=20))
def test_encoding_and_decoding_undo_each_other(curve: Curve, values: list[float]) -> None:
    light = np.array(values)
    assert curve.decode(curve.encode(light)) == pytest.approx(light, rel=1e-6, abs=1e-6)


@pytest.mark.parametrize("curve", CURVES, ids=lambda c: c.name)
def test_a_curve_rises_from_black_to_white_without_a_gap(curve: Curve) -> None:
    values = curve.encode(np.linspace(-0.01, 1.5, 200_001))
    assert np.diff(values).min() > 0
    assert np.diff(values).max() < 1e-3
    assert curve.encode([0.0, 1.0]) == pytest.approx([0, 1], abs=1e-12)


@pytest.mark.parametrize("curve", CURVES, ids=lambda c: c.name)
def test_noise_of_light_is_what_it_is_on_any_curve(curve: Curve) -> None:
    """The model against made noise: mean and sigma of what is stored."""
    rng = np.random.default_rng(3)
    gain, read, light = 0.002, 1e-5, np.array([0.002, 0.05, 0.4, 0.9])
    seen = light + np.sqrt(gain * light + read) * rng.standard_normal((400_000, 4))
    stored = curve.encode(np.clip(seen, 0, 1))
    mean, sigma = ChannelNoise(False, gain=gain, read=read, curve=curve).stored(light)
    assert mean == pytest.approx(stored.mean(0), abs=2e-3)
    assert sigma == pytest.approx(stored.std(0), rel=0.02)


@pytest.mark.slow
@pytest.mark.parametrize("curve", [gamma(1.8), LINEAR], ids=lambda c: c.name)
def test_a_print_is_measured_on_the_pictures_own_curve(curve: Curve) -> None:
    light = decode(desk()) / 4
    pixels = curve.encode(np.clip(expose(light, 2), 0, 1)).astype(np.float32)
    own, assumed = measure(pixels, curve=curve), measure(pixels)
    truth = measure(encode(np.clip(expose(light, 2), 0, 1)).astype(np.float32))
    assert own.curve == curve
    assert not own.noise[0].constant
    gains = [np.array([c.gain for c in p.noise]) for p in (own, assumed, truth)]
    errors = [float(np.abs(g / gains[2] - 1).max()) for g in gains]
    assert errors[0] < 0.12
    assert errors[1] > errors[0]  # another curve would have told another noise


# ---------------------------------------------------------------- profiles


@pytest.mark.parametrize(
    ("icc", "curve"), [(srgb_profile, SRGB), (wide_gamut_profile, SRGB), (linear_profile, LINEAR)]
)  # fmt: skip
def test_the_curve_of_a_profile_is_measured(icc: object, curve: Curve) -> None:
    assert profile_curve(icc()) == curve  # type: ignore[operator]


@pytest.mark.parametrize("exponent", [1.8, 2.2])
def test_the_power_law_of_a_profile_is_found(exponent: float) -> None:
    icc = imagecodecs.cms_profile(
        "rgb", whitepoint=(0.3127, 0.329, 1.0), primaries=(0.64, 0.33, 1, 0.21, 0.71, 1, 0.15, 0.06, 1), gamma=exponent
    )
    assert profile_curve(icc).exponent == pytest.approx(exponent, abs=0.03)


def test_a_profile_that_cannot_be_used_is_taken_for_srgb() -> None:
    assert profile_curve(b"\0" * 200) == SRGB


# ---------------------------------------------------------------- scene-linear files


@pytest.fixture
def linear_file(tmp_path: Path) -> Path:
    """A scene-linear float TIFF: the desk two stops darker with shot noise, and a lamp far above white."""
    light = np.clip(expose(decode(desk()) / 4, 2), 0, 1).astype(np.float32)
    light[40:60, 300:320] = 6.25
    path = tmp_path / "linear.tif"
    tifffile.imwrite(path, light, photometric="rgb", iccprofile=linear_profile())
    return path


@pytest.mark.slow
def test_a_scene_linear_file_is_encoded_at_the_door_and_keeps_its_numbers(linear_file: Path, tmp_path: Path) -> None:
    picture = open_picture(linear_file)
    stored = tifffile.imread(linear_file)
    assert (picture.scale, picture.depth) == (Scale(), Depth.FLOAT)
    assert picture.pixels == pytest.approx(encode(stored), abs=1e-6)
    save_picture(picture, tmp_path / "same.tif")
    assert np.array_equal(tifffile.imread(tmp_path / "same.tif"), stored)
    assert run(Task(str(linear_file), str(tmp_path / "off.tif"), Sweep().as_json())).state is State.DONE
    assert np.array_equal(tifffile.imread(tmp_path / "off.tif"), stored)


@pytest.mark.slow
def test_it_goes_through_noise_and_comes_out_scene_linear(linear_file: Path, tmp_path: Path) -> None:
    picture = open_picture(linear_file)
    with Renderer(picture) as r:
        found = noise_print(r)
        verdict = judge_sweep(r, NOISE)
    assert not found.noise[0].constant
    assert verdict.noise_left is not None
    assert verdict.noise_left < 30
    assert run(Task(str(linear_file), str(tmp_path / "out.tif"), NOISE.as_json())).state is State.DONE
    out, stored = tifffile.imread(tmp_path / "out.tif"), tifffile.imread(linear_file)
    assert out[45:55, 305:315] == pytest.approx(np.full((10, 10, 3), 6.25), rel=0.02)
    truth = decode(desk()) / 4
    part = slice(70, None)
    assert psnr(encode(out[part]), encode(truth[part])) > psnr(encode(stored[part]), encode(truth[part])) + 6
    again = open_picture(tmp_path / "out.tif")
    assert again.scale == Scale()
    assert np.array_equal(again.as_stored(), out)


@pytest.mark.slow
def test_it_is_seen_as_an_encoded_picture_of_it_would_be(linear_file: Path, tmp_path: Path) -> None:
    picture = open_picture(linear_file)
    words = packed(picture.for_screen(picture.pixels), picture.metadata.icc)
    red = ((words >> np.uint32(16)) & np.uint32(255)).astype(int)
    expected = np.rint(255 * np.clip(encode(tifffile.imread(linear_file)[..., 0]), 0, 1))
    assert np.abs(red - expected).max() <= 1
    pushed = Look(SHADOWS, 2.0).view(picture.pixels, picture.pixels, curve=picture.curve)
    assert decode(pushed[100:140]) == pytest.approx(np.clip(4 * decode(picture.pixels[100:140]), 0, 1), abs=1e-4)


@pytest.mark.parametrize(("suffix", "depth"), [("png", Depth.SIXTEEN), ("jpg", Depth.EIGHT), ("tif", Depth.EIGHT)])
def test_fewer_bits_are_written_encoded(linear_file: Path, tmp_path: Path, suffix: str, depth: Depth) -> None:
    """Linear steps would be far too coarse in the dark."""
    picture = open_picture(linear_file)
    save_picture(picture, tmp_path / f"out.{suffix}", ExportOptions(depth, 100))
    written = open_picture(tmp_path / f"out.{suffix}")
    assert written.scale is None
    expected = np.clip(picture.pixels, 0, 1)
    assert np.abs(written.pixels - expected).mean() < 1.5 / 255
    assert profile_curve(written.metadata.icc or b"") == SRGB


@pytest.mark.parametrize("told", [True, False])
def test_it_can_be_said_of_any_file(tmp_path: Path, linear_file: Path, told: bool) -> None:
    values = np.random.default_rng(1).random((20, 30)).astype(np.float32)
    path = tmp_path / "bare.tif"
    tifffile.imwrite(path, values, photometric="minisblack")
    assert (open_picture(path, Opening(told)).scale is not None) is told
    assert (open_picture(linear_file, Opening(told)).scale is not None) is told
    assert open_picture(path).scale is None
    picture = open_picture(path, Opening(told))
    save_picture(picture, tmp_path / "out.tif")
    assert np.array_equal(tifffile.imread(tmp_path / "out.tif"), values)


@given(st.lists(st.floats(-100, 70000, width=32), min_size=1, max_size=30), st.floats(-50, 50), st.floats(100, 66000))
def test_a_floor_and_a_white_are_taken_off_and_given_back(values: list[float], floor: float, white: float) -> None:
    stored, scale = np.array(values, np.float32), Scale(floor, white)
    back = scale.given_back(scale.encoded(stored))
    assert back == pytest.approx(stored, rel=2e-6, abs=(white - floor) * 2e-6)
    assert scale.encoded(np.array([floor, white], np.float32)) == pytest.approx([0, 1], abs=1e-4)
