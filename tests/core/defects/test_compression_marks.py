"""Blocks and ringing are taken out of a JPEG within the steps of its file, and good or unproven ones are left alone."""

from __future__ import annotations

import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from scipy import ndimage as ndi
from scipy.fft import dctn

from dustpan.core.colour import luma
from dustpan.core.defects import older_tables
from dustpan.core.defects.blocks import TO_YCC
from dustpan.core.defects.compression_marks import WITHIN
from dustpan.core.defects.quantised import QUANTISED
from dustpan.core.files.registry import open_picture
from dustpan.core.picture import Picture, from_array
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.steps import finder_of, step_kind
from dustpan.core.sweep import Sweep, make_step
from tests.scenes import desk

CLEAN = Sweep((make_step("compression-marks"),))
SCENE = desk()[:200, :264]  # no whole number of blocks of colour


def stored(folder: Path, pixels: np.ndarray, quality: int, turned: int = 1, colours: int = 2) -> Picture:
    path = folder / f"{quality}-{turned}-{colours}.jpg"
    exif = Image.Exif()
    exif[0x0112] = turned
    image = Image.fromarray(np.rint(pixels * 255).astype(np.uint8))
    image.save(path, quality=quality, exif=exif, subsampling=colours)
    return open_picture(path)


def cleaned(picture: Picture, sweep: Sweep = CLEAN) -> np.ndarray:
    with Renderer(picture) as r:
        return r.render(sweep)


def gain(before: np.ndarray, after: np.ndarray, truth: np.ndarray) -> float:
    """dB."""
    return float(10 * np.log10(np.mean((before - truth) ** 2) / np.mean((after - truth) ** 2)))


@pytest.mark.slow
@pytest.mark.parametrize("quality", [10, 30, 60, 85])
@pytest.mark.parametrize("colours", [0, 2])
def test_a_coarse_jpeg_comes_nearer_to_the_truth_everywhere(tmp_path: Path, quality: int, colours: int) -> None:
    picture = stored(tmp_path, SCENE, quality, colours=colours)
    after = cleaned(picture)
    assert gain(luma(picture.pixels), luma(after), luma(SCENE)) > 1.2
    assert gain(picture.pixels, after, SCENE) > 0.5
    for part in (np.s_[:100, :132], np.s_[:100, 132:], np.s_[100:, :132], np.s_[100:, 132:]):
        assert gain(luma(picture.pixels[part]), luma(after[part]), luma(SCENE[part])) >= 0


def test_blocks_can_be_seen_less(tmp_path: Path) -> None:
    y, x = np.mgrid[:128, :256].astype(np.float32)
    smooth = np.repeat((0.2 + 0.002 * x + 0.05 * np.sin(y / 30))[..., None], 3, 2)
    picture = stored(tmp_path, smooth, 12)

    def seams(pixels: np.ndarray) -> float:
        steps = np.abs(np.diff(luma(pixels), 2, axis=1)).mean(0)
        return float(steps[6::8].mean() + steps[7::8].mean()) / float(steps.mean())

    assert seams(picture.pixels) > 4
    assert seams(cleaned(picture)) < 0.7 * seams(picture.pixels)


@pytest.mark.slow
def test_every_coefficient_could_have_been_stored_as_it_was(tmp_path: Path) -> None:
    picture = stored(tmp_path, SCENE, 40)
    after = cleaned(picture)
    table = np.array(picture.source.quantisation[0], float).reshape(8, 8)

    def spectra(pixels: np.ndarray) -> np.ndarray:
        plane = (pixels[:200, :264] * 255 @ TO_YCC[0]).reshape(25, 8, 33, 8).transpose(0, 2, 1, 3) - 128
        return np.asarray(dctn(plane, axes=(2, 3), norm="ortho"))

    unclipped = ((after > 0) & (after < 1)).all(-1).reshape(25, 8, 33, 8).all((1, 3))
    index = np.rint(spectra(picture.pixels) / table)
    off = np.abs(spectra(after) / table - index)[unclipped]
    assert unclipped.mean() > 0.5
    assert off.max() < WITHIN + 0.01


@pytest.mark.slow
@pytest.mark.parametrize("turned", [2, 3, 6, 8])
def test_a_turned_file_is_cleaned_the_same(tmp_path: Path, turned: int) -> None:
    plain, other = stored(tmp_path, SCENE, 30), stored(tmp_path, SCENE, 30, turned)
    with Renderer(other) as r:
        assert r.fact(QUANTISED, Sweep()).planes
    back = {2: lambda a: a[:, ::-1], 3: lambda a: a[::-1, ::-1], 6: lambda a: np.rot90(a), 8: lambda a: np.rot90(a, -1)}
    assert np.array_equal(back[turned](other.pixels), plain.pixels)
    a, b = cleaned(plain), back[turned](cleaned(other))
    middle = np.s_[24:-24, 24:-24]
    assert np.abs(a - b)[middle].mean() < 0.25 * np.abs(a - plain.pixels)[middle].mean()  # groups are chosen in order


@pytest.mark.slow
def test_good_unproven_and_other_pictures_are_left_alone(tmp_path: Path) -> None:
    good = stored(tmp_path, SCENE, 95)
    coarse = stored(tmp_path, SCENE, 30)
    rng = np.random.default_rng(1)
    other = replace(coarse, pixels=(SCENE + rng.normal(0, 0.02, SCENE.shape)).astype(np.float32))
    for picture in (good, other, from_array(SCENE), from_array(SCENE[:9, :9])):
        assert np.array_equal(cleaned(picture), picture.pixels)
        with Renderer(picture) as r:
            finder = finder_of(step_kind("compression-marks"))
            assert finder is not None
            found = finder.hits({f: r.fact(f, Sweep()) for f in finder.facts})
        assert found.proven is False
    asked = Sweep((make_step("compression-marks", {"coarser": 1}),))
    assert not np.array_equal(cleaned(good, asked), good.pixels)


@pytest.mark.slow
@pytest.mark.parametrize("quality", [20, 50])
@pytest.mark.parametrize("way", ["as it was", "cut", "stored again", "cut and stored again"])
def test_an_older_jpeg_shows_in_the_picture_itself(tmp_path: Path, quality: int, way: str) -> None:
    cut = np.s_[5:197, 3:259] if "cut" in way else np.s_[:]
    once, truth = stored(tmp_path, SCENE, quality).pixels[cut], SCENE[cut]
    picture = stored(tmp_path, once, 90) if "again" in way else from_array(np.ascontiguousarray(once))
    with Renderer(picture) as r:
        found = r.fact(QUANTISED, Sweep())
    assert found.older
    assert [at % 8 for at in found.origin] == ([3, 5] if "cut" in way else [0, 0])
    known = older_tables.tables(quality)[0]
    assert np.abs(found.planes[0].table / known - 1).max() < 0.05  # 49 and 50 hardly differ
    after = cleaned(picture)
    assert gain(luma(picture.pixels), luma(after), luma(truth)) > 1.0
    assert gain(picture.pixels, after, truth) > 0.4


def textured(height: int = 320, width: int = 448) -> np.ndarray:
    """Patches, edges and grain: what a photograph has all over."""
    rng = np.random.default_rng(5)
    out = np.full((height, width, 3), 0.4)
    for _ in range(400):
        y, x, h, w = rng.integers(0, height), rng.integers(0, width), rng.integers(6, 60), rng.integers(6, 60)
        out[y : y + h, x : x + w] = 0.6 * out[y : y + h, x : x + w] + 0.4 * rng.uniform(0.1, 0.9, 3)
    grain = ndi.gaussian_filter(rng.normal(0, 0.05, (height, width, 1)), (1, 1, 0))
    return np.clip(ndi.gaussian_filter(out, (0.8, 0.8, 0)) + grain, 0, 1)


@pytest.mark.slow
@pytest.mark.parametrize("share", [0.75, 0.9])
def test_one_that_was_made_smaller_is_cleaned_at_the_size_it_was_stored_with(tmp_path: Path, share: float) -> None:
    scene = textured()
    size = round(448 * share), round(320 * share)

    def smaller(pixels: np.ndarray) -> np.ndarray:
        made = Image.fromarray(np.rint(pixels * 255).astype(np.uint8)).resize(size, Image.Resampling.LANCZOS)
        return np.asarray(made, np.float32) / np.float32(255)

    picture, truth = from_array(smaller(stored(tmp_path, scene, 20).pixels)), smaller(scene)
    with Renderer(picture) as r:
        found = r.fact(QUANTISED, Sweep())
        after = r.render(CLEAN)
    assert found.older
    assert np.abs(np.subtract(found.size, (320, 448))).max() <= 1
    assert gain(luma(picture.pixels), luma(after), luma(truth)) > 0.5
    with Renderer(picture) as r:
        for region in (Region(0, 0, 70, 90), Region(70, 90, 181, 301)):
            assert np.array_equal(r.at_once(CLEAN, region), after[region.slices()])
    with Renderer(from_array(truth)) as r:
        assert not r.fact(QUANTISED, Sweep()).planes


@pytest.mark.parametrize("quality", [10, 20, 35, 50, 75, 90])
def test_a_file_that_was_stored_once_has_no_older_one(tmp_path: Path, quality: int) -> None:
    with Renderer(stored(tmp_path, SCENE, quality)) as r:
        assert not r.fact(QUANTISED, Sweep()).older


@pytest.mark.slow
def test_brightness_and_colour_are_cleaned_by_themselves(tmp_path: Path) -> None:
    picture = stored(tmp_path, SCENE, 30)
    parts = [cleaned(picture, Sweep((make_step("compression-marks", {n: False}),))) for n in ("brightness", "colour")]
    colour, brightness = ((p - picture.pixels) * 255 @ TO_YCC.T for p in parts)
    inner = ((parts[0] > 0) & (parts[0] < 1) & (parts[1] > 0) & (parts[1] < 1)).all(-1)
    assert np.abs(colour[inner][:, 0]).max() < 0.01 < np.abs(colour[inner][:, 1:]).mean()
    assert np.abs(brightness[inner][:, 1:]).max() < 0.01 < np.abs(brightness[inner][:, 0]).mean()


def test_grey_files_have_one_plane(tmp_path: Path) -> None:
    path = tmp_path / "grey.jpg"
    grey = luma(SCENE)
    Image.fromarray(np.rint(grey * 255).astype(np.uint8)).save(path, quality=30)
    picture = open_picture(path)
    after = cleaned(picture)
    assert after.shape[2] == 1
    assert gain(picture.pixels[..., 0], after[..., 0], grey) > 1.2


@pytest.mark.slow
@settings(max_examples=12)
@given(st.integers(0, 199), st.integers(0, 263), st.integers(1, 150), st.integers(1, 150), st.integers(0, 3))
def test_the_result_does_not_depend_on_how_it_is_cut(y: int, x: int, h: int, w: int, turn: int) -> None:
    picture, whole = _cut_case(turn)
    size = picture.size
    part = Region(min(y, size[0] - 1), min(x, size[1] - 1), min(y + h, size[0]), min(x + w, size[1]))
    with Renderer(picture, threads=2) as r:
        if part.height > 0 and part.width > 0:
            assert np.array_equal(r.render(CLEAN, part), whole[part.slices()])


_CASES: dict[int, tuple[Picture, np.ndarray]] = {}


def _cut_case(turn: int) -> tuple[Picture, np.ndarray]:
    if turn not in _CASES:
        with tempfile.TemporaryDirectory() as folder:
            picture = stored(Path(folder), SCENE[:187, :251], 25, (1, 3, 6, 8)[turn])
        _CASES[turn] = picture, cleaned(picture)
    return _CASES[turn]
