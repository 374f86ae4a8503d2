"""What must survive from file to file: every sample, the profile, the metadata, the orientation."""

from __future__ import annotations

import io
from dataclasses import replace
from pathlib import Path

import imagecodecs
import numpy as np
import pytest
import tifffile
from PIL import Image

from dustpan.core.colour_profile import to_screen, wide_gamut_profile
from dustpan.core.errors import FileProblem
from dustpan.core.files import ExportOptions, Opening, open_picture, save_picture
from dustpan.core.files import exif as ex
from dustpan.core.picture import Depth, Kind, Metadata, from_array, to_samples
from tests.core.files.make import MAKERS, XMP, avif, exif_block, heic, jpeg, jpeg_xl, png, samples, tiff, webp, write


@pytest.mark.parametrize(
    ("name", "dtype", "channels"),
    [
        ("a.png", np.uint8, 1), ("a.png", np.uint8, 2), ("a.png", np.uint8, 3), ("a.png", np.uint8, 4),
        ("a.png", np.uint16, 1), ("a.png", np.uint16, 3), ("a.png", np.uint16, 4), ("a.tif", np.uint8, 1),
        ("a.tif", np.uint8, 3), ("a.tif", np.uint8, 4), ("a.tif", np.uint16, 1), ("a.tif", np.uint16, 3),
        ("a.tif", np.uint16, 4), ("a.tif", np.float32, 1), ("a.tif", np.float32, 3), ("a.tif", np.float32, 4),
        ("a.webp", np.uint8, 3), ("a.webp", np.uint8, 4),
    ],
)  # fmt: skip
def test_lossless_files_hold_exactly_the_samples(tmp_path: Path, name: str, dtype: type, channels: int) -> None:
    values = samples(channels=channels, dtype=dtype)
    data = {
        "a.png": lambda: imagecodecs.png_encode(values[..., 0] if channels == 1 else values),
        "a.webp": lambda: webp(values),
        "a.tif": lambda: tiff(
            values[..., 0] if channels == 1 else values, **({"extrasamples": ["unassalpha"]} if channels == 4 else {})
        ),
    }[name]()
    picture = open_picture(write(tmp_path, name, data))
    assert picture.kind is (Kind.RGB if channels >= 3 else Kind.MONO)
    assert ("alpha" in picture.planes) == (channels in (2, 4))
    out = tmp_path / f"out-{name}"
    save_picture(picture, out, ExportOptions(quality=100))
    again = open_picture(out)
    assert np.array_equal(again.pixels, picture.pixels)
    assert again.depth is picture.depth
    own = to_samples(picture.pixels, picture.depth)
    assert np.array_equal(own, values[..., : own.shape[2]])
    if channels in (2, 4):
        assert np.array_equal(again.planes["alpha"], picture.planes["alpha"])


@pytest.mark.parametrize("target", ["jpg", "png", "tif", "webp", "avif", "jxl"])
@pytest.mark.parametrize("source", ["jpg", "png", "tif", "webp", "avif"])
def test_metadata_travels_between_all_formats(tmp_path: Path, source: str, target: str) -> None:
    made = from_array(samples())
    first = tmp_path / f"first.{source}"
    save_picture(replace(made, metadata=Metadata(wide_gamut_profile(), exif_block(), XMP)), first)
    picture = open_picture(first)
    second = tmp_path / f"second.{target}"
    save_picture(picture, second)
    found = open_picture(second).metadata
    if target != "jxl":  # whose colours are those of sRGB
        assert found.icc == wide_gamut_profile()
    assert found.xmp == XMP
    exif = ex.parse(found.exif or b"")
    assert exif.text(ex.MODEL) == "Lanthorn N2"
    assert exif.number(ex.ISO) == 12800
    assert exif.number(ex.EXPOSURE) == pytest.approx(1 / 15)
    assert exif.photo[0x9999].data == b"secret"
    assert exif.gps[1].data == b"N\0"


@pytest.mark.parametrize("target", ["jpg", "png", "tif", "webp"])
@pytest.mark.parametrize("letters", ["東©Nü 2", "L\xfcnt 東1"], ids=["東", "ü"])
def test_letters_beyond_ascii_in_a_tag_stop_no_export(tmp_path: Path, target: str, letters: str) -> None:
    block = exif_block()
    model = letters.encode() + b" " * (11 - len(letters.encode()))
    assert len(model) == len(b"Lanthorn N2")
    path = tmp_path / f"out.{target}"
    told = replace(from_array(samples()), metadata=Metadata(exif=block.replace(b"Lanthorn N2", model)))
    save_picture(told, path)
    again = open_picture(path)
    assert again.size == (24, 36)
    assert ex.parse(again.metadata.exif or b"").main[ex.MODEL].data.rstrip(b"\0 ") == letters.encode()


@pytest.mark.parametrize("target", ["jpg", "png", "tif", "webp"])
def test_other_programs_find_profile_and_exif_in_what_was_written(tmp_path: Path, target: str) -> None:
    path = tmp_path / f"out.{target}"
    save_picture(replace(from_array(samples()), metadata=Metadata(wide_gamut_profile(), exif_block(), XMP)), path)
    with Image.open(path) as image:
        assert image.info["icc_profile"] == wide_gamut_profile()
        exif = image.getexif()
        assert exif[ex.MODEL] == "Lanthorn N2"
        assert exif.get_ifd(ex.EXIF_IFD)[ex.ISO] == 12800
        assert np.asarray(image.convert("RGB")).shape == (24, 36, 3)


def test_an_embedded_thumbnail_shows_the_result(tmp_path: Path) -> None:
    picture = open_picture(write(tmp_path, "a.jpg", jpeg()))
    green = np.zeros_like(picture.pixels)
    green[..., 1] = 0.7
    save_picture(replace(picture.with_pixels(green), metadata=Metadata(exif=exif_block())), tmp_path / "out.jpg")
    exif = ex.parse(open_picture(tmp_path / "out.jpg").metadata.exif or b"")
    small = np.asarray(Image.open(io.BytesIO(exif.thumbnail)).convert("RGB"), int)
    assert np.abs(small.mean((0, 1)) - (0, 178, 0)).max() < 12  # the old one was red
    assert max(small.shape[:2]) <= 160


@pytest.mark.parametrize("orientation", range(1, 9))
@pytest.mark.parametrize("order", ["<", ">"])
def test_pixels_are_turned_upright_and_orientation_is_1_then(tmp_path: Path, orientation: int, order: str) -> None:
    stored = samples(20, 30)
    path = write(tmp_path, "a.png", png(stored))
    with Image.open(path) as image:
        image.save(path, exif=exif_block(orientation, order=order))
        turned = Image.open(path)
        exif = turned.getexif()
        assert exif[ex.ORIENTATION] == orientation
        from PIL import ImageOps

        expected = np.asarray(ImageOps.exif_transpose(turned))
    picture = open_picture(path)
    assert np.array_equal(to_samples(picture.pixels, Depth.EIGHT), expected)
    save_picture(picture, tmp_path / "b.tif")
    again = open_picture(tmp_path / "b.tif")
    assert np.array_equal(again.pixels, picture.pixels)
    assert ex.parse(again.metadata.exif or b"").orientation == 1


@pytest.mark.parametrize("compression", [None, "zlib", "lzw", "packbits", "zstd", "lzma"])
@pytest.mark.parametrize("layout", ["strips", "tiles", "planes"])
def test_tiff_layouts_and_compressions(tmp_path: Path, compression: str | None, layout: str) -> None:
    values = samples(70, 90, dtype=np.uint16)
    options: dict = {"strips": {"rowsperstrip": 16}, "tiles": {"tile": (32, 32)}, "planes": {"planarconfig": 2}}[layout]
    stored = np.moveaxis(values, -1, 0) if layout == "planes" else values
    data = tiff(np.ascontiguousarray(stored), compression=compression, photometric="rgb", **options)
    picture = open_picture(write(tmp_path, "a.tif", data))
    assert np.array_equal(to_samples(picture.pixels, Depth.SIXTEEN), values)


def test_big_endian_and_big_tiff(tmp_path: Path) -> None:
    values = samples(dtype=np.uint16)
    for n, options in enumerate(({"byteorder": ">"}, {"bigtiff": True})):
        picture = open_picture(write(tmp_path, f"{n}.tif", tiff(values, **options)))
        assert np.array_equal(to_samples(picture.pixels, Depth.SIXTEEN), values)


def test_a_float_tiff_keeps_values_above_1(tmp_path: Path) -> None:
    values = samples(dtype=np.float32)
    assert values.max() > 2
    picture = open_picture(write(tmp_path, "a.tif", tiff(values)))
    save_picture(picture, tmp_path / "b.tif")
    assert np.array_equal(tifffile.imread(tmp_path / "b.tif"), values)
    save_picture(picture, tmp_path / "b.png")
    assert imagecodecs.imread(tmp_path / "b.png").dtype == np.uint16  # the deepest that PNG holds


def test_palette_grey_cmyk_and_one_bit(tmp_path: Path) -> None:
    rgb = Image.fromarray(samples())
    palette = rgb.quantize(16)
    palette.save(tmp_path / "p.png")
    expected = np.asarray(palette.convert("RGB"))
    assert np.array_equal(to_samples(open_picture(tmp_path / "p.png").pixels, Depth.EIGHT), expected)
    sixteen = samples(channels=1, dtype=np.uint16)
    picture = open_picture(write(tmp_path, "g.png", imagecodecs.png_encode(sixteen[..., 0])))
    assert (picture.kind, picture.depth) == (Kind.MONO, Depth.SIXTEEN)
    rgb.convert("CMYK").save(tmp_path / "c.jpg")
    with pytest.raises(FileProblem, match=r"c\.jpg: it is CMYK without a colour profile"):
        open_picture(tmp_path / "c.jpg")
    rgb.convert("1").save(tmp_path / "1.png")
    assert set(np.unique(open_picture(tmp_path / "1.png").pixels)) <= {0.0, 1.0}


def test_nan_in_a_float_tiff_is_filled_and_told(tmp_path: Path) -> None:
    values = samples(dtype=np.float32)
    values[5, 6, 1] = np.nan
    values[7, 8] = np.inf
    picture = open_picture(write(tmp_path, "lamp.tif", tiff(values)))
    assert np.isfinite(picture.pixels).all()
    assert picture.pixels[5, 6, 1] in values[4:7, 5:8, 1]
    assert any("4 samples of lamp.tif" in n for n in picture.notices)
    values[:] = np.nan
    with pytest.raises(FileProblem, match=r"lamp\.tif: most of its samples are not numbers"):
        open_picture(write(tmp_path, "lamp.tif", tiff(values)))


def test_the_quantisation_tables_of_a_jpeg_are_kept_as_source_facts(tmp_path: Path) -> None:
    picture = open_picture(write(tmp_path, "a.jpg", jpeg()))
    assert len(picture.source.quantisation[0]) == 64
    assert picture.source.format == "JPEG"


def test_content_decides_how_a_file_is_read(tmp_path: Path) -> None:
    for suffix, maker in MAKERS.items():
        picture = open_picture(write(tmp_path, f"{suffix}.wrong", maker()))
        assert picture.size[0] == 24
    assert open_picture(write(tmp_path, "really-a-png.jpg", png())).source.format == "PNG"


def test_what_a_format_cannot_hold_is_refused_in_one_sentence(tmp_path: Path) -> None:
    picture = from_array(samples())
    with pytest.raises(FileProblem, match="JPEG cannot hold 16 bits"):
        save_picture(picture, tmp_path / "a.jpg", ExportOptions(Depth.SIXTEEN))
    with pytest.raises(FileProblem, match="use one of"):
        save_picture(picture, tmp_path / "a.xyz")
    wide = from_array(np.zeros((1, 17000, 3), np.uint8))
    with pytest.raises(FileProblem, match="at most 16383 px"):
        save_picture(wide, tmp_path / "a.webp")
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("suffix", ["jpg", "webp"])
@pytest.mark.slow
def test_pure_noise_at_the_highest_quality_can_be_written(tmp_path: Path, suffix: str) -> None:
    noise = np.random.default_rng(1).integers(0, 256, (300, 400, 3)).astype(np.uint8)
    save_picture(from_array(noise), tmp_path / f"noise.{suffix}", ExportOptions(quality=100))
    assert np.abs(open_picture(tmp_path / f"noise.{suffix}").pixels - noise / 255).mean() < 2 / 255


@pytest.mark.parametrize("channels", [1, 3, 4])
def test_jpeg_xl_at_its_best_holds_exactly_the_samples(tmp_path: Path, channels: int) -> None:
    values = samples(channels=channels)
    flat = values[..., 0] if channels == 1 else values
    picture = open_picture(write(tmp_path, "a.jxl", bytes(imagecodecs.jpegxl_encode(flat, lossless=True))))
    assert np.array_equal(to_samples(picture.pixels, picture.depth), values[..., : picture.pixels.shape[2]])
    save_picture(picture, tmp_path / "b.jxl", ExportOptions(quality=100))
    again = open_picture(tmp_path / "b.jxl")
    assert np.array_equal(again.pixels, picture.pixels)
    assert again.depth is picture.depth


def test_jpeg_xl_of_16_bits_says_that_it_is_light(tmp_path: Path) -> None:
    values = samples(dtype=np.uint16)
    picture = open_picture(write(tmp_path, "a.jxl", bytes(imagecodecs.jpegxl_encode(values, lossless=True))))
    assert picture.depth is Depth.SIXTEEN
    assert picture.scale is not None
    assert np.array_equal(to_samples(picture.as_stored(), Depth.SIXTEEN), values)


def test_colours_of_another_profile_look_the_same_in_jpeg_xl(tmp_path: Path) -> None:
    calm = from_array((0.3 + 0.3 * samples(dtype=np.float32) / 2.5).astype(np.float32))
    picture = replace(calm, metadata=Metadata(wide_gamut_profile()), depth=Depth.EIGHT)
    save_picture(picture, tmp_path / "a.jxl", ExportOptions(quality=100))
    again = open_picture(tmp_path / "a.jxl")
    shown = [to_screen(p.pixels, p.metadata.icc).astype(int) for p in (picture, again)]
    assert np.abs(shown[0] - shown[1]).max() <= 4  # both were rounded to 8 bits, one of them in a wider space


@pytest.mark.parametrize("suffix", ["avif", "heic", "jxl"])
def test_lossy_pictures_are_near_and_upright(tmp_path: Path, suffix: str) -> None:
    makers = {"avif": avif, "heic": heic, "jxl": jpeg_xl}
    values = samples(64, 96)
    picture = open_picture(write(tmp_path, f"a.{suffix}", makers[suffix](values)))
    assert picture.size == (64, 96)
    assert np.abs(picture.pixels * 255 - values).mean() < 4
    if suffix != "jxl":
        assert picture.metadata.icc == wide_gamut_profile()
        assert ex.parse(picture.metadata.exif or b"").number(ex.ISO) == 12800


def test_of_several_pages_one_is_chosen(tmp_path: Path) -> None:
    pages = [samples(10 + n, 20, 3, np.uint16) for n in range(3)]
    with tifffile.TiffWriter(tmp_path / "a.tif") as tif:
        for page in pages:
            tif.write(page, photometric="rgb")
    first = open_picture(tmp_path / "a.tif")
    assert first.notices == ("It holds 3 pages; the first was opened.",)
    assert first.source.parts == ("page 1, 20 × 10 px", "page 2, 20 × 11 px", "page 3, 20 × 12 px")
    third = open_picture(tmp_path / "a.tif", Opening(part=3))
    assert np.array_equal(to_samples(third.pixels, Depth.SIXTEEN), pages[2])
    assert third.notices == ()
    with pytest.raises(FileProblem, match="it has 3 pages, so there is no page 4"):
        open_picture(tmp_path / "a.tif", Opening(part=4))


@pytest.mark.parametrize(
    ("source", "target", "depth"),
    [
        ("a.jpg", "b.tif", Depth.SIXTEEN),
        ("a.jpg", "b.png", Depth.SIXTEEN),
        ("a.jpg", "b.webp", Depth.EIGHT),
        ("a.png", "b.png", Depth.EIGHT),
        ("a.tif", "b.tif", Depth.EIGHT),
    ],
)
def test_what_leaves_eight_bits_for_a_format_that_holds_more_gets_more(
    tmp_path: Path, source: str, target: str, depth: Depth
) -> None:
    pixels = np.random.default_rng(1).integers(0, 256, (32, 40, 3)).astype(np.uint8)
    save_picture(from_array(pixels), tmp_path / source)
    picture = open_picture(tmp_path / source)
    save_picture(picture, tmp_path / target)
    assert open_picture(tmp_path / target).depth is depth
    if depth is Depth.SIXTEEN:
        save_picture(picture, tmp_path / target, ExportOptions(Depth.EIGHT))
        assert open_picture(tmp_path / target).depth is Depth.EIGHT
        np.testing.assert_array_equal(open_picture(tmp_path / target).pixels, picture.pixels)
