"""FITS: values in the file's own units, kept as they are, and written back with the header and a line of history."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pytest
import tifffile
from astropy.io import fits
from hypothesis import given, settings
from hypothesis import strategies as st

from dustpan.core.errors import FileProblem
from dustpan.core.files import ExportOptions, Opening, open_picture, save_picture
from dustpan.core.files.fits import scale_of
from dustpan.core.jobs.one import State, Task, run
from dustpan.core.picture import Depth, Kind
from dustpan.core.sweep import Sweep, make_step
from tests.core.files.make import fits as made
from tests.core.files.make import write

RNG = np.random.default_rng(8)
SHAPE = (40, 52)
TYPES = {
    "8 bit": (RNG.integers(0, 256, SHAPE).astype(np.uint8), Depth.EIGHT),
    "16 bit": (RNG.integers(900, 1200, SHAPE).astype(np.uint16), Depth.SIXTEEN),
    "signed 16": (RNG.integers(-900, 1200, SHAPE).astype(np.int16), Depth.SIXTEEN),
    "32 bit": (RNG.integers(-(2**30), 2**30, SHAPE).astype(np.int32), Depth.FLOAT),
    "float": (RNG.normal(4, 1, SHAPE).astype(np.float32), Depth.FLOAT),
    "double": (RNG.normal(1e6, 3e4, SHAPE), Depth.FLOAT),
    "planes": (RNG.normal(4, 1, (*SHAPE, 3)).astype(np.float32), Depth.FLOAT),
}


@pytest.mark.parametrize("name", TYPES)
def test_what_is_not_changed_is_written_back_bit_for_bit(tmp_path: Path, name: str) -> None:
    values, depth = TYPES[name]
    path = write(tmp_path, "a.fits", made(values, OBJECT="Star field", EXPTIME=120.0))
    picture = open_picture(path)
    assert picture.depth is depth
    assert picture.kind is (Kind.RGB if values.ndim == 3 else Kind.MONO)
    save_picture(picture.with_pixels(picture.pixels), tmp_path / "b.fits", ExportOptions(history="dustpan: nothing"))
    before, after = fits.getdata(path), fits.getdata(tmp_path / "b.fits")
    assert after.dtype.itemsize == before.dtype.itemsize
    assert np.array_equal(before, after)
    header = fits.getheader(tmp_path / "b.fits")
    assert header["OBJECT"] == "Star field"
    assert header["EXPTIME"] == 120.0
    assert "dustpan: nothing" in str(header["HISTORY"])
    assert np.array_equal(open_picture(tmp_path / "b.fits").pixels, picture.pixels)


@pytest.mark.parametrize("name", TYPES)
def test_what_is_changed_comes_back_in_the_files_own_units(tmp_path: Path, name: str) -> None:
    values, _ = TYPES[name]
    picture = open_picture(write(tmp_path, "a.fits", made(values)))
    pixels = np.array(picture.pixels)
    pixels[5:9] = pixels[20:24]
    save_picture(picture.with_pixels(pixels), tmp_path / "b.fits")
    after = fits.getdata(tmp_path / "b.fits")
    after = np.moveaxis(after, 0, -1) if values.ndim == 3 else after
    span = float(np.ptp(values.astype(float)))
    np.testing.assert_allclose(after[5:9].astype(float), values[20:24].astype(float), atol=1e-5 * span)
    assert np.array_equal(after[:5], values[:5])
    assert np.array_equal(after[9:], values[9:])


def test_16_bits_may_be_written_as_float_and_into_other_formats(tmp_path: Path) -> None:
    picture = open_picture(write(tmp_path, "a.fits", made(TYPES["16 bit"][0])))
    save_picture(picture, tmp_path / "b.fits", ExportOptions(Depth.FLOAT))
    assert fits.getdata(tmp_path / "b.fits").dtype == ">f4"
    assert np.array_equal(fits.getdata(tmp_path / "b.fits"), TYPES["16 bit"][0].astype(np.float32))
    save_picture(picture, tmp_path / "c.tif", ExportOptions(as_shown=True))
    again = open_picture(tmp_path / "c.tif")
    np.testing.assert_allclose(again.pixels, np.clip(picture.pixels, 0, 1), atol=1e-5)


def test_other_formats_get_light_in_its_own_counts_where_they_fit(tmp_path: Path) -> None:
    counts = TYPES["16 bit"][0].astype(np.uint16)
    picture = open_picture(write(tmp_path, "a.fits", made(counts)))
    save_picture(picture, tmp_path / "c.tif")
    assert np.array_equal(tifffile.imread(tmp_path / "c.tif"), counts)
    again = open_picture(tmp_path / "c.tif")
    assert again.scale is not None  # its profile says that it is linear
    np.testing.assert_allclose(again.as_stored()[..., 0] * 65535, counts, atol=0.5)
    large = open_picture(write(tmp_path, "b.fits", made(counts.astype(np.float32) * 1000)))
    save_picture(large, tmp_path / "d.tif", ExportOptions(Depth.SIXTEEN))
    found = tifffile.imread(tmp_path / "d.tif").astype(float)
    np.testing.assert_allclose(found / found.max(), counts / counts.max(), atol=1e-4)
    save_picture(picture, tmp_path / "e.jpg")
    assert np.median(open_picture(tmp_path / "e.jpg").pixels) == pytest.approx(np.median(picture.pixels), abs=0.02)


def test_a_mosaic_that_is_only_repaired_stays_one(tmp_path: Path) -> None:
    rng = np.random.default_rng(0)
    counts = rng.poisson(400, (160, 200)).astype(np.uint16)
    counts[80, 90] = 30000
    path = write(tmp_path, "mosaic.fits", made(counts, BAYERPAT="RGGB", XBAYROFF=1))
    repair = make_step("hot-pixels")
    done = run(Task(str(path), str(tmp_path / "out.fits"), Sweep((repair,)).as_json()))
    assert done.state is State.DONE, done.error
    header, after = fits.getheader(tmp_path / "out.fits"), fits.getdata(tmp_path / "out.fits")
    assert (header["BAYERPAT"], header["XBAYROFF"], header["BITPIX"], after.shape) == ("RGGB", 1, 16, counts.shape)
    assert after[80, 90] < 1000
    assert (after != counts).mean() < 0.01
    for target, more in (("out.tif", ()), ("developed.fits", (make_step("noise"),))):
        run(Task(str(path), str(tmp_path / target), Sweep((repair, *more)).as_json()))
        assert open_picture(tmp_path / target).kind is Kind.RGB


def test_samples_that_are_not_numbers_are_told_and_stay(tmp_path: Path) -> None:
    values = np.array(TYPES["float"][0])
    values[3, 4], values[10:12, 7] = np.nan, np.inf
    picture = open_picture(write(tmp_path, "a.fits", made(values)))
    assert picture.notices[0] == "3 samples are not numbers; they are kept as they are."
    assert np.isfinite(picture.pixels).all()
    assert picture.valid is not None
    assert int((~picture.valid).sum()) == 3
    save_picture(picture.with_pixels(picture.pixels * np.float32(0.9)), tmp_path / "b.fits")
    after = fits.getdata(tmp_path / "b.fits")
    assert np.isnan(after[3, 4])
    assert np.isinf(after[10:12, 7]).all()
    assert np.isfinite(np.delete(after.ravel(), [3 * 52 + 4, 10 * 52 + 7, 11 * 52 + 7])).all()
    with pytest.raises(FileProblem, match=r"n\.fits: none of its samples is a number\."):
        open_picture(write(tmp_path, "n.fits", made(np.full(SHAPE, np.nan, np.float32))))


def test_saturated_samples_are_told(tmp_path: Path) -> None:
    values = np.array(TYPES["16 bit"][0])
    values[2, 2:5] = 65535
    assert open_picture(write(tmp_path, "a.fits", made(values))).notices == ("3 samples are saturated.",)
    assert "samples are saturated" in open_picture(write(tmp_path, "b.fits", made(values, SATURATE=1150))).notices[0]


def several() -> bytes:
    held = io.BytesIO()
    primary = fits.PrimaryHDU()
    primary.header["TELESCOP"] = "Tidewrack"
    images = [fits.CompImageHDU(RNG.integers(900, 1200, SHAPE).astype(np.int16), name="LIGHT")]
    images.append(fits.ImageHDU(RNG.normal(0, 1, (30, 32)).astype(np.float32), name="WEIGHT"))
    table = fits.BinTableHDU.from_columns([fits.Column("X", "E", array=np.zeros(3))])
    fits.HDUList([primary, *images, table]).writeto(held)
    return held.getvalue()


def test_of_several_images_one_is_chosen(tmp_path: Path) -> None:
    path = write(tmp_path, "a.fits", several())
    first, second = open_picture(path), open_picture(path, Opening(part=2))
    assert (first.size, second.size) == (SHAPE, (30, 32))
    assert first.notices == ("It holds 2 images; the first was opened.",)
    assert first.source.parts == ("LIGHT, 52 × 40", "WEIGHT, 32 × 30")
    assert second.notices == ()
    assert second.source.part == 2
    save_picture(first, tmp_path / "b.fits")  # compressed in tiles, written plainly
    assert np.array_equal(fits.getdata(tmp_path / "b.fits"), fits.getdata(path, 1))
    assert fits.getheader(tmp_path / "b.fits")["TELESCOP"] == "Tidewrack"
    with pytest.raises(FileProblem, match="it holds 2 images, so there is no image 3"):
        open_picture(path, Opening(part=3))


@pytest.mark.parametrize(("header", "wish", "pattern"), [
    ({"BAYERPAT": "GRBG"}, "", ((1, 0), (2, 1))),
    ({"BAYERPAT": "RGGB", "XBAYROFF": 1, "YBAYROFF": 0}, "", ((1, 0), (2, 1))),
    ({}, "BGGR", ((2, 1), (1, 0))),
    ({"BAYERPAT": "GRBG"}, "RGGB", ((0, 1), (1, 2))),
])  # fmt: skip
def test_a_mosaic_by_its_header_or_as_chosen(tmp_path: Path, header: dict, wish: str, pattern: tuple) -> None:
    path = write(tmp_path, "a.fits", made(TYPES["16 bit"][0], **header))
    picture = open_picture(path, Opening(pattern=wish))
    assert picture.kind is Kind.MOSAIC
    assert picture.sensor is not None
    assert picture.sensor.pattern == pattern
    assert open_picture(write(tmp_path, "b.fits", made(TYPES["16 bit"][0]))).kind is Kind.MONO


@pytest.mark.parametrize(("shape", "why"), [((4, 30, 32), "4"), ((2, 3, 30, 32), "2"), ((40,), "it holds no image")])
def test_odd_axes_are_told(tmp_path: Path, shape: tuple[int, ...], why: str) -> None:
    held = io.BytesIO()
    fits.PrimaryHDU(np.zeros(shape, np.float32)).writeto(held)
    with pytest.raises(
        FileProblem, match=r"a\.fits: (its axes .* are not those of one picture|it holds no image)\."
    ) as e:
        open_picture(write(tmp_path, "a.fits", held.getvalue()))
    assert why in str(e.value)


def test_a_cut_data_block_is_told(tmp_path: Path) -> None:
    data = made(RNG.normal(0, 1, (200, 220)).astype(np.float32))
    with pytest.raises(FileProblem, match=r"a\.fits: .*cut off"):
        open_picture(write(tmp_path, "a.fits", data[:60000]))


@settings(max_examples=40)
@given(st.floats(1e-3, 1e5), st.floats(-10, 10), st.floats(1e-4, 0.2))
def test_the_scale_keeps_sky_and_noise_well_inside(unit: float, offset: float, noise: float) -> None:
    """Whatever the units: black lies below the sky's noise, and the noise is strong enough to be measured."""
    sky = np.random.default_rng(1).normal(1 + offset, noise, (60, 70, 1)) * unit
    full = max(float(sky.max()), 1e-30)
    scale = scale_of(sky, full)
    encoded = scale.encoded(sky)
    assert scale.white > scale.floor
    assert encoded.min() > 0
    assert encoded.std() > 2 / 255
    np.testing.assert_allclose(scale.given_back(encoded), sky, atol=2e-5 * abs(scale.white - scale.floor))


@pytest.mark.parametrize(
    ("steps", "as_shown", "light"), [((), None, True), (("tone",), None, False), (("tone",), False, True)]
)
def test_what_was_stretched_is_written_as_shown(
    tmp_path: Path, steps: tuple, as_shown: bool | None, light: bool
) -> None:
    path = write(tmp_path, "a.fits", made(np.random.default_rng(1).normal(900, 20, (200, 260)).astype(np.uint16)))
    made_steps = tuple(make_step(s, {"push": 1.0}) for s in steps) or (make_step("noise"),)
    done = run(Task(str(path), str(tmp_path / "b.tif"), Sweep(made_steps).as_json(), as_shown=as_shown))
    assert done.state is State.DONE, done.error
    assert (open_picture(tmp_path / "b.tif").scale is not None) == light
