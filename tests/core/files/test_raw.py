"""Camera raw: samples, levels, pattern, orientation, balance and facts as the file says; what cannot be is refused."""

from __future__ import annotations

import struct
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from dustpan.core.curve import SRGB
from dustpan.core.errors import FileProblem
from dustpan.core.files import exif as ex
from dustpan.core.files import open_picture, save_picture, writable
from dustpan.core.picture import Depth, Kind
from dustpan.demo.dng import Shot
from dustpan.demo.raw_camera import NEUTRAL, RGGB, SIX_BY_SIX, Exposure, shot
from tests.core.files.make import exif_block, mosaic_dng, write

BLACK, WHITE = 512, 16383


def counts(height: int = 60, width: int = 84, planes: int = 0) -> np.ndarray:
    rng = np.random.default_rng(2)
    return rng.integers(BLACK - 40, WHITE + 1, (height, width, planes) if planes else (height, width)).astype(np.uint16)


def light_of(stored: np.ndarray) -> np.ndarray:
    return (stored.astype(float) - BLACK) / (WHITE - BLACK)


def made(pattern: tuple, **about: object) -> Shot:
    return replace(shot(Exposure(pattern=pattern)), facts=ex.parse(exif_block()), **about)


@pytest.mark.parametrize("pattern", [RGGB, ((2, 1), (1, 0)), ((1, 0), (2, 1)), ((1, 2), (0, 1)), SIX_BY_SIX])
def test_samples_are_the_sensors_own_with_their_levels_and_pattern(tmp_path: Path, pattern: tuple) -> None:
    stored = counts()
    picture = open_picture(write(tmp_path, "a.dng", mosaic_dng(stored, made(pattern))))
    assert (picture.kind, picture.depth, picture.size) == (Kind.MOSAIC, Depth.SIXTEEN, (60, 84))
    assert picture.sensor is not None
    assert picture.sensor.pattern == pattern
    np.testing.assert_allclose(SRGB.decode(picture.pixels[..., 0].astype(float)), light_of(stored), atol=2e-7)
    assert picture.pixels.min() < 0  # what lies below black is half of the noise
    np.testing.assert_allclose(picture.sensor.balance, 1 / NEUTRAL, rtol=1e-4)
    assert picture.sensor.black == (BLACK,) * 3
    assert picture.sensor.white == (WHITE,) * 3
    facts = ex.parse(picture.metadata.exif or b"")
    assert (facts.text(ex.MODEL), facts.number(ex.ISO)) == ("Lanthorn N2", 12800)


@pytest.mark.parametrize(("orientation", "turn"), [(1, 0), (3, 2), (6, -1), (8, 1)])
@pytest.mark.parametrize("pattern", [RGGB, SIX_BY_SIX])
@pytest.mark.parametrize("size", [(60, 84), (59, 83)])
def test_pixels_and_pattern_are_turned_upright_together(
    tmp_path: Path, orientation: int, turn: int, pattern: tuple, size: tuple[int, int]
) -> None:
    stored = counts(*size)
    picture = open_picture(write(tmp_path, "a.dng", mosaic_dng(stored, made(pattern, orientation=orientation))))
    np.testing.assert_allclose(
        SRGB.decode(picture.pixels[..., 0].astype(float)), light_of(np.rot90(stored, turn)), atol=2e-7
    )
    site = np.asarray(pattern)[np.arange(size[0])[:, None] % len(pattern), np.arange(size[1]) % len(pattern[0])]
    turned = np.rot90(site, turn)
    assert picture.sensor is not None
    own, (h, w) = np.asarray(picture.sensor.pattern), picture.size
    assert np.array_equal(own[np.arange(h)[:, None] % own.shape[0], np.arange(w) % own.shape[1]], turned)
    assert ex.parse(picture.metadata.exif or b"").orientation == 1


def test_a_sensor_without_a_filter_and_one_already_demosaiced(tmp_path: Path) -> None:
    grey = counts()
    bare = open_picture(write(tmp_path, "bare.dng", mosaic_dng(grey, Shot(pattern=((0,),)))))
    assert (bare.kind, bare.pixels.shape) == (Kind.BARE, (60, 84, 1))
    np.testing.assert_allclose(SRGB.decode(bare.pixels[..., 0].astype(float)), light_of(grey), atol=2e-7)
    three = counts(planes=3)
    colours = open_picture(write(tmp_path, "three.dng", mosaic_dng(three, made(RGGB))))
    assert (colours.kind, colours.pixels.shape) == (Kind.CAMERA, (60, 84, 3))
    np.testing.assert_allclose(SRGB.decode(colours.pixels.astype(float)), light_of(three), atol=2e-7)


def test_a_raw_is_known_by_its_content_and_is_never_written(tmp_path: Path) -> None:
    path = write(tmp_path, "renamed.tif", mosaic_dng(counts(), made(RGGB)))
    picture = open_picture(path)
    assert picture.source.format == "camera raw"
    assert all(f.name != "camera raw" for f in writable())
    with pytest.raises(FileProblem, match=r"out\.dng: its ending says no format that can be written"):
        save_picture(picture, tmp_path / "out.dng")
    with pytest.raises(FileProblem, match=r"out\.tif: the picture has not been developed; add the step Develop\."):
        save_picture(picture, tmp_path / "out.tif")


def test_the_preview_comes_along_upright(tmp_path: Path) -> None:
    preview = np.zeros((150, 210, 3), np.uint8)
    preview[:75] = 220  # bright above
    data = mosaic_dng(counts(), made(RGGB, preview=preview, orientation=3))
    found = open_picture(write(tmp_path, "a.dng", data)).preview
    assert found is not None
    assert found[10].mean() < 60 < 180 < found[-10].mean()
    assert open_picture(write(tmp_path, "b.dng", mosaic_dng(counts(), made(RGGB)))).preview is None


def test_a_noise_profile_is_read(tmp_path: Path) -> None:
    data = mosaic_dng(counts(), made(RGGB, profile=(4e-4, 2.5e-6)))
    sensor = open_picture(write(tmp_path, "a.dng", data)).sensor
    assert sensor is not None
    assert sensor.noise == pytest.approx((4e-4, 2.5e-6))


def test_wrong_levels_are_told(tmp_path: Path) -> None:
    with pytest.raises(FileProblem, match=r"a\.dng: its levels are wrong: black 512, white 500\."):
        open_picture(write(tmp_path, "a.dng", mosaic_dng(counts(), made(RGGB, white=500))))
    low = open_picture(write(tmp_path, "b.dng", mosaic_dng(counts(), made(RGGB, white=9000))))
    assert "lie above its white level" in low.notices[0]


def test_one_colour_without_a_pattern_is_refused(tmp_path: Path) -> None:
    """A damaged header opens in the library as if the sensor had no filter; only the file itself may say that."""
    data = bytearray(mosaic_dng(counts(), made(RGGB)))
    at = data.index(struct.pack("<HHI", 33422, 1, 4))
    struct.pack_into("<H", data, at, 33999)
    with pytest.raises(FileProblem, match=r"a\.dng: .*"):
        open_picture(write(tmp_path, "a.dng", bytes(data)))


def test_what_the_library_prints_does_not_reach_the_person(tmp_path: Path, capfd: pytest.CaptureFixture) -> None:
    for share in (0.3, 0.7):
        data = mosaic_dng(counts(), made(SIX_BY_SIX))
        with pytest.raises(FileProblem, match=r"cut\.dng: the raw file is damaged or cut off \([^b'][a-z /-]+\)"):
            open_picture(write(tmp_path, "cut.dng", data[: int(share * len(data))]))
    assert capfd.readouterr() == ("", "")


def test_nonsense_with_a_raws_ending(tmp_path: Path) -> None:
    with pytest.raises(FileProblem, match=r"a\.nef: it is no raw file that LibRaw knows\."):
        open_picture(write(tmp_path, "a.nef", bytes(range(256)) * 40))
