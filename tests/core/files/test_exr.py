"""OpenEXR: scene-linear values below 0 and above 1, passes as planes, all of it written back."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import OpenEXR
import pytest

from dustpan.core.errors import FileProblem
from dustpan.core.files import ExportOptions, open_picture, save_picture
from dustpan.core.picture import Depth, Kind, from_array
from tests.core.files.make import exr, samples, write

RNG = np.random.default_rng(3)
LIGHT = (RNG.normal(0.6, 1.2, (30, 44, 3)) ** 3).astype(np.float32)


def channels_of(path: Path) -> dict[str, np.ndarray]:
    with OpenEXR.File(str(path), separate_channels=True) as file:
        return {name: np.array(c.pixels) for name, c in file.parts[0].channels.items()}


@pytest.mark.parametrize("dtype", [np.float16, np.float32])
def test_values_and_their_type_come_back(tmp_path: Path, dtype: type) -> None:
    path = write(tmp_path, "a.exr", exr(LIGHT, dtype))
    picture = open_picture(path)
    assert (picture.kind, picture.depth, picture.scale is not None) == (Kind.RGB, Depth.FLOAT, True)
    assert picture.pixels.min() < 0
    assert picture.pixels.max() > 1
    save_picture(picture.with_pixels(picture.pixels), tmp_path / "b.exr")
    before, after = channels_of(path), channels_of(tmp_path / "b.exr")
    assert {n: c.dtype for n, c in after.items()} == {n: np.dtype(dtype) for n in "RGB"}
    assert all(np.array_equal(after[n], before[n]) for n in "RGB")
    darker = picture.with_pixels(picture.scale.encoded(picture.scale.given_back(picture.pixels) / 2))  # type: ignore[union-attr]
    save_picture(darker, tmp_path / "c.exr", ExportOptions(history="dustpan: darker"))
    halved = channels_of(tmp_path / "c.exr")
    for n in "RGB":
        np.testing.assert_allclose(halved[n].astype(float), before[n].astype(float) / 2, rtol=2e-3, atol=1e-5)


def test_other_passes_are_planes_and_are_written_back_untouched(tmp_path: Path) -> None:
    more = {f"albedo_{c}": RNG.random((30, 44), dtype=np.float32) for c in "RGB"}
    more |= {f"N_{c}": RNG.normal(size=(30, 44)).astype(np.float32) for c in "XYZ"}
    more |= {"A": np.ones((30, 44), np.float16), "Z": RNG.random((30, 44), dtype=np.float32)}
    path = write(tmp_path, "a.exr", exr(LIGHT, np.float16, **more))
    picture = open_picture(path)
    named = {"albedo red", "albedo green", "albedo blue", "normal x", "normal y", "normal z", "alpha"}
    assert set(picture.planes) == named
    assert np.array_equal(picture.planes["normal y"], more["N_Y"])
    save_picture(picture.with_pixels(picture.pixels * np.float32(0.5)), tmp_path / "b.exr")
    before, after = channels_of(path), channels_of(tmp_path / "b.exr")
    assert set(after) == set(before)
    assert all(np.array_equal(after[n], before[n]) for n in before if n not in "RGB")
    assert not np.array_equal(after["R"], before["R"])


def test_a_half_never_becomes_infinite(tmp_path: Path) -> None:
    picture = open_picture(write(tmp_path, "a.exr", exr(LIGHT)))
    bright = picture.with_pixels(picture.scale.encoded(np.full_like(picture.pixels, 1e6)))  # type: ignore[union-attr]
    save_picture(bright, tmp_path / "b.exr")
    assert np.all(channels_of(tmp_path / "b.exr")["G"] == 65504)


def test_other_pictures_are_written_as_light(tmp_path: Path) -> None:
    picture = from_array(samples())
    save_picture(picture, tmp_path / "a.exr")
    again = open_picture(tmp_path / "a.exr")
    np.testing.assert_allclose(again.pixels, picture.pixels, atol=1e-6)


@pytest.mark.parametrize(("names", "why"), [
    ("RG", "its channel B is missing"), ("ZQ", "it has no channels R, G and B, nor Y; it has"),
])  # fmt: skip
def test_a_missing_channel_is_told(tmp_path: Path, names: str, why: str) -> None:
    path = tmp_path / "a.exr"
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    OpenEXR.File(header, {n: np.ones((8, 9), np.float16) for n in names}).write(str(path))
    with pytest.raises(FileProblem, match=rf"a\.exr: {why}"):
        open_picture(path)


def test_several_parts_and_deep_data_are_refused(tmp_path: Path) -> None:
    plain = exr(LIGHT)
    for flag, why in ((0x10, "multi-part"), (0x08, "deep data")):
        data = bytearray(plain)
        data[5] |= flag
        with pytest.raises(FileProblem, match=rf"a\.exr: it .*{why}"):
            open_picture(write(tmp_path, "a.exr", bytes(data)))


def test_all_values_not_numbers(tmp_path: Path) -> None:
    some = np.array(LIGHT)
    some[2, 3] = np.nan
    picture = open_picture(write(tmp_path, "a.exr", exr(some, np.float32)))
    assert picture.notices == ("1 samples are not numbers; they are kept as they are.",)
    save_picture(picture.with_pixels(picture.pixels * np.float32(0.5)), tmp_path / "b.exr")
    assert np.isnan(channels_of(tmp_path / "b.exr")["R"][2, 3])
    with pytest.raises(FileProblem, match="none of its samples is a number"):
        open_picture(write(tmp_path, "n.exr", exr(np.full((8, 9, 3), np.nan), np.float32)))
