"""Hot pixels are found by shape and filled; stars stay, clean pictures stay, and what is decided by hand counts."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage as ndi

from dustpan.core.colour import decode, encode
from dustpan.core.defects.hot_pixels import HOT, HotPixelsParams, filled
from dustpan.core.defects.peaks import AROUND, SURE, find
from dustpan.core.defects.unmix import unmix
from dustpan.core.develop.demosaic import by_edges, linear
from dustpan.core.files import open_picture
from dustpan.core.picture import Picture, from_array
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step
from dustpan.demo.raw_camera import RGGB, Exposure, counts, seen, shot, with_hot_pixels
from tests.core.files.make import fits, mosaic_dng, write
from tests.scenes import desk, noisy_b, noisy_c

SIZE = (420, 480)


def stars(fwhm: float, seed: int) -> np.ndarray:
    """Electrons of a star field without noise."""
    rng = np.random.default_rng(seed)
    field = np.zeros(SIZE)
    field[tuple(rng.integers(12, min(SIZE) - 12, (2, 160)))] = 10 ** rng.uniform(2, 6, 160)
    return ndi.gaussian_filter(field, fwhm / 2.3548) + 300


def exposed(clean: np.ndarray, seed: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    return np.minimum(rng.poisson(clean) + rng.normal(0, 6, clean.shape), 60000).astype(np.float32)


def strips(plane: np.ndarray, rows: int = 200):
    def go():
        for y in range(0, len(plane), rows):
            last = min(y + rows, len(plane))
            yield y, last, np.ascontiguousarray(plane[max(0, y - AROUND) : last + AROUND])

    return go


def marked(clean: np.ndarray, share: float, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """Electrons with hot pixels from 8 σ up, and where they are."""
    rng = np.random.default_rng(seed)
    hot = rng.random(clean.shape) < share
    return clean + np.where(hot, 18.3 * 10 ** rng.uniform(0.9, 3.5, clean.shape), 0), hot


@pytest.mark.parametrize("fwhm", [1.5, 2.2, 3.0, 4.0])
@pytest.mark.parametrize("share", [0.0005, 0.005])
def test_they_are_found_in_a_star_field_and_nothing_else_is(fwhm: float, share: float) -> None:
    with_hot, hot = marked(stars(fwhm, 7), share, 8)
    found = find(strips(exposed(with_hot, 9)))
    at = found.at[found.chosen(SURE)]
    right = hot[at[:, 0], at[:, 1]]
    assert right.sum() / hot.sum() > 0.85
    assert right.mean() > 0.99


@pytest.mark.parametrize("fwhm", [1.5, 2.2, 3.0, 4.0])
def test_a_clean_star_field_is_untouched(tmp_path: Path, fwhm: float) -> None:
    picture = open_picture(write(tmp_path, "a.fits", fits(exposed(stars(fwhm, 7), 9).astype(np.uint16))))
    with Renderer(picture) as r:
        assert np.array_equal(r.render(Sweep((make_step("hot-pixels"),))), picture.pixels)


@pytest.mark.parametrize("made", [desk, lambda: noisy_b(desk())[1], lambda: noisy_c(desk())[1]])
def test_clean_and_noisy_scenes_are_untouched(made) -> None:
    picture = from_array(np.asarray(made(), np.float32))
    with Renderer(picture) as r:
        assert np.array_equal(r.render(Sweep((make_step("hot-pixels"),))), picture.pixels)


def test_the_same_is_found_however_it_is_cut() -> None:
    with_hot, _ = marked(stars(2.2, 3), 0.003, 4)
    plane = exposed(with_hot, 5)
    whole, *others = (find(strips(plane, rows)) for rows in (1000, 257, 130, 64))
    sure = {tuple(p) for p in whole.at[whole.chosen(SURE)].tolist()}
    assert len(sure) > 100
    for other in others:
        again = {tuple(p) for p in other.at[other.chosen(SURE)].tolist()}
        assert len(sure & again) > 0.97 * len(sure | again)


@pytest.mark.slow
@pytest.mark.parametrize("by", [linear, by_edges])
def test_small_stars_of_a_demosaiced_field_stay(by: Callable[..., np.ndarray]) -> None:
    """As sharp as optics make them, some of them saturated, in a file that says nothing of its curve."""
    for seed in (115, 101):
        field = np.minimum(exposed(stars(1.5, seed), seed + 1), 60000) / 60000
        whole = Region(0, 0, *SIZE)
        colours = np.clip(by(field.astype(np.float32), whole, whole, RGGB), 0, 1)
        picture = from_array(np.rint(65535 * colours).astype(np.uint16))
        with Renderer(picture) as r:
            assert np.array_equal(r.render(Sweep((make_step("hot-pixels"),))), picture.pixels)


@pytest.mark.slow
@pytest.mark.parametrize(("by", "fwhm", "least"), [
    (partial(linear, smooth=True), 1.5, 0.8), (partial(linear, smooth=True), 2.2, 0.85),
    (linear, 1.8, 0.5), (by_edges, 1.5, 0.45), (by_edges, 1.8, 0.5),
])  # fmt: skip
def test_stars_beside_the_hot_pixels_of_a_demosaiced_field_keep_their_light(
    by: Callable[..., np.ndarray], fwhm: float, least: float
) -> None:
    """In proportion to light, in a file that does not say so; what is found there is what linear means explain."""
    whole = Region(0, 0, *SIZE)
    for seed in (115, 101):
        clean = exposed(stars(fwhm, seed), seed + 1)
        with_hot, hot = marked(clean, 0.002, seed + 2)
        colours = by((np.minimum(with_hot, 60000) / 60000).astype(np.float32), whole, whole, RGGB)
        picture = from_array(np.rint(65535 * np.clip(colours, 0, 1)).astype(np.uint16))
        with Renderer(picture) as r:
            result = r.render(Sweep((make_step("hot-pixels"),)))
        changed = (result != picture.pixels).any(2)
        assert changed[hot].mean() > least
        far = ndi.binary_dilation(hot, np.ones((3, 3)), iterations=3)
        assert not (changed & ~far).any()


def raw(folder: Path, share: float) -> tuple[Picture, np.ndarray, np.ndarray]:
    """A raw with hot pixels, the clean samples, and where the strong ones are."""
    taken = Exposure(3000, 1)
    clean = seen(decode(np.kron(desk(), np.ones((1, 1, 1)))), taken)
    plain = counts(clean, taken, 2)
    stored = with_hot_pixels(plain, taken, 5, share)
    picture = open_picture(write(folder, "a.dng", mosaic_dng(stored, shot(taken))))
    return picture, clean, stored.astype(int) - plain > 900


def test_on_a_sensors_samples_and_out_of_the_developed_picture(tmp_path: Path) -> None:
    picture, clean, strong = raw(tmp_path, 0.002)
    with Renderer(picture) as r:
        found = r.fact(HOT, Sweep())
        at = found.chosen(HotPixelsParams())[0].astype(int)
        assert strong[at[:, 0], at[:, 1]].sum() > 0.5 * strong.sum()
        repaired = r.render(Sweep((make_step("hot-pixels"),)))
    light = decode(repaired[..., 0].astype(float))
    assert (
        np.abs(light - clean)[strong].mean()
        < 0.6 * np.abs(decode(picture.pixels[..., 0].astype(float)) - clean)[strong].mean()
    )
    assert ((repaired != picture.pixels).any(2).sum()) == len(at)


def test_a_demosaiced_picture_gives_its_sensor_back() -> None:
    rng = np.random.default_rng(3)
    scene = decode(desk()) * 0.5
    mix = np.array([[1.6, -0.5, -0.1], [-0.25, 1.5, -0.25], [0.05, -0.5, 1.45]])
    camera = scene @ np.linalg.inv(mix).T
    site = np.array([[0, 1], [1, 2]])[np.arange(288)[:, None] % 2, np.arange(400) % 2]
    clean = np.take_along_axis(camera, site[..., None], 2)[..., 0]
    mosaic = (clean + rng.normal(0, 0.004, clean.shape)).astype(np.float32)
    whole = Region(0, 0, 288, 400)
    light = linear(mosaic, whole, whole, ((0, 1), (1, 2)), smooth=True) @ mix.T.astype(np.float32)
    found = unmix([light.astype(np.float32)])
    assert found is not None
    corner = found.pattern
    assert corner[0][1] == corner[1][0] != corner[0][0]
    for (y, x), c in (((0, 0), 0), ((0, 1), 1), ((1, 1), 2)):
        own = found.matrix[:, corner[y][x]]
        assert np.abs(own @ mix[:, c]) / np.linalg.norm(mix[:, c]) > 0.95
    assert unmix([np.asarray(ndi.zoom(light, (0.7, 0.7, 1), order=1), np.float32)]) is None


def test_put_back_twice_is_the_identity_and_added_is_filled(tmp_path: Path) -> None:
    with_hot, hot = marked(stars(2.2, 3), 0.002, 4)
    picture = open_picture(write(tmp_path, "a.fits", fits(exposed(with_hot, 5).astype(np.uint16))))
    places = tuple((float(y), float(x)) for y, x in np.argwhere(hot))
    with Renderer(picture) as r:
        spared = r.render(Sweep((make_step("hot-pixels", {"spared": places, "which": "bright"}),)))
        assert np.array_equal(spared, picture.pixels)
        added = r.render(Sweep((make_step("hot-pixels", {"added": ((200.0, 210.0),), "sure": 40}),)))
        plain = r.render(Sweep((make_step("hot-pixels", {"sure": 40}),)))
    assert np.argwhere((added != plain).any(2)).tolist() == [[200, 210]]


@settings(max_examples=20)
@given(st.floats(4, 40), st.integers(1, 3))
def test_a_higher_threshold_never_finds_more(least: float, largest: int) -> None:
    with_hot, _ = marked(stars(2.2, 3), 0.003, 4)
    found = _FOUND or _FOUND.append(find(strips(exposed(with_hot, 5)))) or _FOUND
    counts_ = [found[0].chosen(s, largest).sum() for s in (least, least * 1.3)]
    assert counts_[1] <= counts_[0]


_FOUND: list = []


def test_a_filled_site_is_no_calm_hole_and_follows_edges() -> None:
    rng = np.random.default_rng(1)
    y, x = np.mgrid[0:120, 0:160]
    clean = np.where(x + 0.0 * y > 80, 0.6, 0.2)
    noisy = (clean + rng.normal(0, 0.02, clean.shape)).astype(np.float32)
    at = np.stack([rng.integers(3, 117, 300), rng.integers(3, 157, 300)], 1)
    at = np.unique(
        np.concatenate([at, [(k, 80) for k in range(5, 110, 4)], [(k, 81) for k in range(7, 110, 4)]]), axis=0
    )
    values = filled(noisy, at, np.full(len(at), 0.02, np.float32), ((0,),), (0, 0))
    error = values - clean[at[:, 0], at[:, 1]]
    assert 0.012 < np.std(error) < 0.035
    beside = np.abs(at[:, 1] - 80.5) < 1
    assert np.abs(error[beside]).max() < 0.2


def test_a_coarse_jpeg_is_left_alone(tmp_path: Path) -> None:
    picture = from_array(encode(decode(desk())))
    coarse = replace(picture, source=replace(picture.source, quantisation={0: (40,) * 64}))
    with Renderer(coarse) as r:
        assert not r.fact(HOT, Sweep()).peaks
