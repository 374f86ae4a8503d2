from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pytest
from benchmarks.common import noisy_pair, photograph
from benchmarks.slanted_edge import make_edge
from benchmarks.verdict import middle_of, true_halo, true_noise_left, true_texture_kept
from scipy import ndimage as ndi

from dustpan.core.colour import decode, encode
from dustpan.core.errors import Cancelled, FileProblem
from dustpan.core.judge.edges import edge_width, find_edges
from dustpan.core.judge.truth import truth_figures
from dustpan.core.judge.verdict import Verdict, judge
from dustpan.core.judge.whole import combined, judge_files, judge_sweep, noise_print, windows
from dustpan.core.noise.measure import measure
from dustpan.core.picture import Picture, from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step
from tests.scenes import psnr

pytestmark = pytest.mark.slow


@pytest.fixture(scope="module", params=["coffee", "motorcycle_left"])
def scene(request: pytest.FixtureRequest) -> tuple[np.ndarray, np.ndarray]:
    """Photographs that the constants of the verdict were not chosen on."""
    return noisy_pair(middle_of(photograph(request.param)), "B", 50)


@pytest.fixture(scope="module")
def verdicts(scene: tuple) -> dict[str, tuple[Verdict, np.ndarray]]:
    noisy = scene[1]
    with Renderer(from_array(noisy)) as r:
        found = noise_print(r)
        calm = r.render(Sweep((make_step("noise"),)))
        right = r.render(Sweep((make_step("noise"), make_step("edge-sharpen"))))
    results = {
        "right": right,
        "calm": calm,
        "identity": noisy,
        "blur": ndi.gaussian_filter(noisy, (3, 3, 0)),
        "unsharp": noisy + 3 * (noisy - ndi.gaussian_filter(noisy, (1.5, 1.5, 0))),
    }
    return {k: (judge(noisy, v, calm, found), v) for k, v in results.items()}


def test_what_each_bad_result_spoils_shows_in_its_figure(verdicts: dict) -> None:
    right = verdicts["right"][0]
    assert verdicts["identity"][0].noise_left == pytest.approx(100)
    assert right.noise_left < 20
    assert verdicts["blur"][0].texture_kept < right.texture_kept - 40
    assert verdicts["blur"][0].edge_width_after > right.edge_width_after + 3
    assert verdicts["unsharp"][0].halo_height > right.halo_height + 50
    assert verdicts["unsharp"][0].noise_left > 200
    assert right.edge_width_after < verdicts["calm"][0].edge_width_after


@pytest.mark.parametrize("name", ["calm", "right", "identity"])
def test_blind_figures_agree_with_those_with_truth(verdicts: dict, scene: tuple, name: str) -> None:
    truth, noisy = scene
    v, result = verdicts[name]
    with Renderer(from_array(noisy)) as r:
        found = noise_print(r)
    whole = true_texture_kept(noisy, truth, found)
    assert v.noise_left == pytest.approx(true_noise_left(noisy, result, truth), abs=5)
    assert v.texture_kept == pytest.approx(100 * true_texture_kept(result, truth, found) / whole, abs=5)
    assert v.halo_height == pytest.approx(true_halo(result, truth), abs=10)


def test_the_width_of_a_known_edge() -> None:
    for blur in (1.2, 2.0, 3.0):
        picture = make_edge(0.6, blur, 0)[0]
        edges = find_edges(picture)
        assert len(edges) >= 5
        assert edge_width(picture, edges) == pytest.approx(2.563 * blur, rel=0.08)  # 10 to 90 % of a Gaussian step


def test_figures_that_cannot_be_measured_are_none() -> None:
    flat = from_array(np.full((200, 200, 3), 0.5, np.float32))
    v = judge_files(flat, flat)
    assert (v.noise_left, v.texture_kept, v.halo_height, v.edge_width_before) == (None, None, None, None)
    assert v.as_json()["noise_left"] is None
    assert "noise left – %" in v.sentence()
    dot = from_array(np.full((1, 1, 3), 0.5, np.float32))
    assert judge_files(dot, dot).edge_width_after is None


def test_a_sweep_and_its_exported_file_get_the_same_verdict(picture: Picture, renderer: Renderer) -> None:
    sweep = Sweep((make_step("noise"), make_step("edge-sharpen")))
    after = picture.with_pixels(renderer.render(sweep))
    assert judge_files(picture, after) == judge_sweep(renderer, sweep)


def test_large_pictures_are_judged_on_windows_inside_them() -> None:
    assert windows((300, 400)) == [(0, 0, 300, 400)]
    found = windows((4000, 6000))
    assert len(found) == 5
    assert all(0 <= r.y0 < r.y1 <= 4000 and 0 <= r.x0 < r.x1 <= 6000 for r in found)
    assert all(r.y1 - r.y0 >= 500 for r in windows((700, 100_000)))


def test_combining_takes_the_median_of_what_is_known() -> None:
    a, b, c = (Verdict(v, None, 1.0, None, None) for v in (10.0, 20.0, 60.0))
    assert combined([a, b, c]) == Verdict(20.0, None, 1.0, None, None)


def test_psnr_and_ssim_against_the_truth(noisy: np.ndarray, truth: np.ndarray) -> None:
    from skimage.metrics import structural_similarity

    a, t = from_array(noisy), from_array(truth.astype(np.float32))
    found = truth_figures(a, t)
    assert found["psnr"] == pytest.approx(psnr(noisy, truth), abs=1e-3)
    options = {"gaussian_weights": True, "sigma": 1.5, "use_sample_covariance": False}
    theirs = structural_similarity(noisy.astype(float), truth, channel_axis=-1, data_range=1.0, **options)
    assert found["ssim"] == pytest.approx(theirs, abs=2e-3)
    assert truth_figures(t, t)["psnr"] is None
    with pytest.raises(FileProblem, match="size and kind"):
        truth_figures(a, from_array(np.zeros((4, 4, 3))))


def test_the_verdict_says_by_how_much_brightness_moved_and_why() -> None:
    held = Verdict(20, 90, 1, 2, 2, 0.1, 5.0)
    assert held.brightness() == ""
    assert "brightness" not in held.sentence()
    moved = Verdict(20, 90, 1, 2, 2, -3.84, 12.0)
    assert moved.brightness().startswith("brightness -3.8 %: noise clipped at black")
    assert "12.0 %" in moved.sentence()
    assert Verdict(20, 90, 1, 2, 2, 2.0, 12.0).brightness() == "brightness +2.0 %"  # brighter has another reason


def test_brightness_moves_where_noise_was_clipped_at_black() -> None:
    truth = np.full((200, 200, 3), 0.02)
    noisy = np.clip(truth + np.random.default_rng(1).normal(0, 0.06, truth.shape), 0, 1).astype(np.float32)
    with Renderer(from_array(noisy)) as r:
        found = judge_sweep(r, Sweep((make_step("noise"),)))
    assert found.clipped is not None
    assert found.clipped > 20
    assert found.mean_moved is not None
    assert found.mean_moved < -15
    assert "clipped at black" in found.brightness()


def test_brightness_of_light_is_held(scene: tuple) -> None:
    clean = decode(np.clip(scene[0], 0.1, 0.9))
    light = clean + np.random.default_rng(4).normal(size=clean.shape) * np.sqrt(clean * 0.001)
    pixels = encode(np.clip(light, 0, 1)).astype(np.float32)
    with Renderer(from_array(pixels)) as r:
        found = judge_sweep(r, Sweep((make_step("noise"),)))
    assert found.brightness() == ""


def test_judging_looks_often_whether_it_is_called_off(scene: tuple) -> None:
    noisy = scene[1]
    found = measure(noisy)
    looks: list[int] = []
    judge(noisy, noisy, noisy, found, lambda: looks.append(1))
    assert len(looks) > 60
    for most in (1, 5, 20, len(looks) - 1):
        left = iter(range(most))

        def check(left: Iterator[int] = left) -> None:
            if next(left, None) is None:
                raise Cancelled

        with pytest.raises(Cancelled):
            judge(noisy, noisy, noisy, found, check)
