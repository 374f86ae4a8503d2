from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from dustpan.core.files import exif as ex
from dustpan.core.files import open_picture
from dustpan.core.noise.measure import measure
from dustpan.core.picture import Depth
from dustpan.core.sweep import beside, load_sweep
from dustpan.demo import ensure_demo_data, keepers_desk, write_demo_data

SIZE = {"height": 300, "width": 450, "samples": 1}


@pytest.fixture(scope="module")
def light() -> np.ndarray:
    return keepers_desk.render(**SIZE)


@pytest.fixture(scope="module")
def folder(light: np.ndarray, tmp_path_factory: pytest.TempPathFactory) -> Path:
    made = tmp_path_factory.mktemp("tidewrack")
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(keepers_desk, "render", lambda: light)
        write_demo_data(made)
    return made


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
    for name in ("keepers-desk.tif", "keepers-desk.jpg"):
        assert [s.name for s in load_sweep(beside(folder / name)).steps] == ["Noise", "Edge sharpen"]


def test_demo_data_is_made_once_and_never_left_half_made(
    light: np.ndarray, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    calls = []
    monkeypatch.setattr(keepers_desk, "render", lambda: calls.append(1) or light)
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
    monkeypatch.setattr(keepers_desk, "render", lambda: light)
    ensure_demo_data(tmp_path / "t")
    assert (tmp_path / "t" / "keepers-desk.jpg").is_file()
