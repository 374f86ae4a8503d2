from __future__ import annotations

from pathlib import Path
from types import ModuleType

import numpy as np
import pytest

from dustpan.core.files import exif as ex
from dustpan.core.files import open_picture
from dustpan.core.noise.measure import measure
from dustpan.core.picture import Depth
from dustpan.core.sweep import beside, load_sweep
from dustpan.demo import (
    FINISHED,
    catalogue_card,
    ensure_demo_data,
    gallery_stair,
    keepers_desk,
    lamp_room,
    shell_drawer,
    star_field,
    write_demo_data,
)  # fmt: skip

SIZE = {"height": 300, "width": 450, "samples": 1}


@pytest.fixture(scope="module")
def light() -> np.ndarray:
    return keepers_desk.render(**SIZE)


@pytest.fixture(scope="module")
def folder(light: np.ndarray, tmp_path_factory: pytest.TempPathFactory) -> Path:
    made = tmp_path_factory.mktemp("tidewrack")
    small = {
        keepers_desk: light,
        shell_drawer: shell_drawer.render(height=300, width=450),
        catalogue_card: catalogue_card.render(height=300, width=450),
        gallery_stair: gallery_stair.render(height=200, width=300),
        star_field: star_field.render(height=200, width=300),
        lamp_room: lamp_room.render(height=40, width=60, samples=2),
    }
    with pytest.MonkeyPatch.context() as patch:
        for scene, picture in small.items():
            patch.setattr(scene, "render", lambda picture=picture, **as_asked: picture)
        write_demo_data(made)
    return made


@pytest.mark.slow
def test_the_scene_is_the_same_each_time_on_any_number_of_threads(light: np.ndarray) -> None:
    assert np.array_equal(keepers_desk.render(**SIZE, threads=1), light)


def test_the_scene_looks_like_a_photograph_by_lamplight(light: np.ndarray) -> None:
    assert light.shape == (300, 450, 3)
    assert np.isfinite(light).all()
    assert light.min() >= 0
    tones = np.quantile(light.mean(-1), [0.02, 0.5, 0.999])
    assert tones[0] < 0.03
    assert 0.01 < tones[1] < 0.3
    assert tones[2] > 0.4
    assert light[..., 0].mean() > 1.3 * light[..., 2].mean()  # a warm lamp


@pytest.mark.slow
def test_pictures_have_the_noise_that_they_promise(folder: Path) -> None:
    tif, jpg, truth = (
        open_picture(folder / n) for n in ("keepers-desk.tif", "keepers-desk.jpg", "truth/keepers-desk-truth.tif")
    )
    assert (tif.depth, jpg.depth) == (Depth.SIXTEEN, Depth.EIGHT)
    assert measure(tif.pixels).white
    assert not measure(jpg.pixels).white
    assert measure(truth.pixels).strength < 0.2 * measure(tif.pixels).strength
    bright = truth.pixels > 0.3
    assert (tif.pixels - truth.pixels)[bright].mean() == pytest.approx(0, abs=6e-3)


def test_invented_exposure_facts_and_a_thumbnail(folder: Path) -> None:
    exif = ex.parse(open_picture(folder / "keepers-desk.jpg").metadata.exif or b"")
    assert exif.number(ex.ISO) == 12800
    assert exif.text(ex.MAKE) == "Lanthorn"
    assert exif.thumbnail.startswith(b"\xff\xd8\xff")


def test_each_picture_comes_with_a_sweep(folder: Path) -> None:
    for name in FINISHED:
        assert [s.name for s in load_sweep(beside(folder / name)).steps] == ["Noise", "Edge sharpen"]


def test_the_shell_is_sharp_and_what_is_behind_it_is_not(folder: Path) -> None:
    truth = open_picture(folder / "truth" / "shell-drawer-truth.tif").pixels.mean(-1)
    steep = np.hypot(*np.gradient(truth))
    assert np.quantile(steep[100:200, 120:300], 0.9) > 4 * np.quantile(steep[:40, :100], 0.9)
    assert not measure(open_picture(folder / "shell-drawer.jpg").pixels).white


def test_the_card_is_legible_and_its_jpeg_much_compressed(folder: Path) -> None:
    truth = open_picture(folder / "truth" / "catalogue-card-truth.tif").pixels
    jpg = open_picture(folder / "catalogue-card.jpg")
    assert np.quantile(truth.mean(-1), 0.98) > 2.5 * np.quantile(truth.mean(-1), 0.02)
    assert min(jpg.source.quantisation[0]) >= 10
    assert np.sqrt(np.mean((jpg.pixels - truth) ** 2)) < 0.06


@pytest.mark.parametrize("scene", [shell_drawer, catalogue_card])
def test_scenes_are_the_same_each_time(scene: ModuleType) -> None:
    a, b = (scene.render(height=90, width=140) for _ in range(2))
    assert np.array_equal(a, b)
    assert np.isfinite(a).all()
    assert a.min() >= 0


@pytest.mark.slow
def test_demo_data_is_made_once_and_never_left_half_made(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, small_demo: None
) -> None:
    made = keepers_desk.render()
    calls = []
    monkeypatch.setattr(keepers_desk, "render", lambda: calls.append(1) or made)
    ensure_demo_data(tmp_path / "t")
    ensure_demo_data(tmp_path / "t")
    assert len(calls) == 1
    (tmp_path / "t" / "keepers-desk.jpg").unlink()

    def killed() -> np.ndarray:
        raise KeyboardInterrupt

    monkeypatch.setattr(keepers_desk, "render", killed)
    with pytest.raises(KeyboardInterrupt):
        ensure_demo_data(tmp_path / "t")
    assert sorted(p.name for p in tmp_path.iterdir()) == ["t"]
    monkeypatch.setattr(keepers_desk, "render", lambda: made)
    ensure_demo_data(tmp_path / "t")
    assert (tmp_path / "t" / "keepers-desk.jpg").is_file()
