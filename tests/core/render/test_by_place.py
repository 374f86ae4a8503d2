"""Noise by place: steps that act in part, what stands behind them, and the factor that is handed on."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dustpan.core.cancel import Cancel
from dustpan.core.colour import luma
from dustpan.core.grammar import parse_mask, parse_step
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.picture import Picture, from_array
from dustpan.core.region import Region
from dustpan.core.render.at_once import Terms, place_at_once
from dustpan.core.render.layers import layers_of
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Step, Sweep, make_step
from tests.scenes import desk, noisy_a

SIGMA = 20 / 255
HALF = "@gradient:ends=128/40;128/200"
NOTHING = "local-contrast:coarse=0,fine=0.0001"  # next to nothing, but another picture


def sweep(*texts: str) -> Sweep:
    return Sweep(tuple(parse_step(t) for t in texts))


def factor_of(renderer: Renderer, of: Sweep, region: Region) -> np.ndarray:
    """The factor that the next step after these would be given."""
    found = place_at_once(renderer._shop, layers_of(renderer.picture, of), region, Terms(Cancel()))
    assert found is not None
    return found


@pytest.fixture(scope="module")
def clean() -> np.ndarray:
    return desk()


@pytest.fixture(scope="module")
def noisy(clean: np.ndarray) -> Picture:
    return from_array(noisy_a(clean, SIGMA))


@pytest.fixture(scope="module")
def one(noisy: Picture) -> np.ndarray:
    with Renderer(noisy) as r:
        return r.render(sweep("noise"))


def error(result: np.ndarray, clean: np.ndarray) -> float:
    return float(-10 * np.log10(np.mean((result - clean) ** 2)))


# ---------------------------------------------------------------- shares


@pytest.mark.slow
@pytest.mark.parametrize(
    "steps",
    [
        (f"noise {HALF}", f"noise {HALF},inverted=1"),
        ("noise @texture:inverted=1", "noise @texture"),
        ("noise @tones:from=0,to=0.4", "noise @tones:from=0,to=0.4,inverted=1"),
        ("noise:colour=0", "noise:luminance=0"),
        ("noise:shadows=0", "noise:middle=0,highlights=0"),
        ("noise:green=0", "noise:red=0,blue=0"),
        ("noise opacity=0.3", "noise opacity=0.7"),
        ("noise", "noise"),
    ],
)
def test_steps_that_share_out_a_picture_equal_one(noisy: Picture, one: np.ndarray, steps: tuple[str, ...]) -> None:
    texts = [parse_step(t) if "opacity" not in t else replace(make_step("noise"), opacity=float(t[-3:])) for t in steps]
    for order in (texts, texts[::-1]):
        with Renderer(noisy) as r:
            assert r.render(Sweep(tuple(order))) == pytest.approx(one, abs=2e-5)


@pytest.mark.slow
def test_three_masks_cut_anyhow_equal_one_and_each_other(noisy: Picture, one: np.ndarray) -> None:
    ellipse, stroke = "ellipse:x=120,y=120,across=80,down=60", "brush:strokes=60@40/40>200/280"
    of = sweep(f"noise @{ellipse}", f"noise @{stroke} -{ellipse}", f"noise @{ellipse},inverted=1 -{stroke}")
    with Renderer(noisy) as r:
        whole = r.render(of)
    assert whole == pytest.approx(one, abs=2e-5)
    with Renderer(noisy) as r:
        tiles = r.tiles(of, [(0, 0), (1, 2)])
        part = r.at_once(of, Region(37, 51, 190, 233))
    assert part == pytest.approx(whole[37:190, 51:233], abs=1e-6)
    for (y, x), tile in tiles.items():
        assert tile == pytest.approx(whole[128 * y : 128 * y + 128, 128 * x : 128 * x + 128], abs=1e-6)


def test_a_second_step_analyses_nothing_anew(noisy: Picture, monkeypatch: pytest.MonkeyPatch) -> None:
    from dustpan.core.noise import step as noise_step

    runs: list[int] = []
    original = noise_step.refined
    monkeypatch.setattr(noise_step, "refined", lambda *a: runs.append(1) or original(*a))
    with Renderer(noisy) as r:
        r.render(sweep("noise"))
        once = len(runs)
        r.render(sweep(f"noise {HALF}", f"noise {HALF},inverted=1", "noise:colour=0"))
    assert len(runs) == once


@pytest.mark.slow
def test_give_back_and_blotches_hold_in_a_shared_step(noisy: Picture) -> None:
    for values in ({"give_back": 60.0}, {"blotches": 12.0}):
        alone, first = make_step("noise", values), make_step("noise", {"luminance": 0, "colour": 0.0001})
        with Renderer(noisy) as r:
            wanted = r.render(Sweep((alone,)))
            assert r.render(Sweep((first, alone))) == pytest.approx(wanted, abs=5e-4)


@pytest.mark.slow
def test_a_stronger_second_step_acts(noisy: Picture, one: np.ndarray) -> None:
    with Renderer(noisy) as r:
        stronger = r.render(sweep("noise:luminance=2,colour=2"))
        assert r.render(sweep("noise", "noise:luminance=2,colour=2")) == pytest.approx(stronger, abs=2e-5)
    assert np.abs(stronger - one).max() > 1e-3


@pytest.mark.slow
def test_another_blend_breaks_the_run(noisy: Picture, one: np.ndarray) -> None:
    from dustpan.core.blend import Blend

    steps = (make_step("noise"), replace(make_step("noise"), blend=Blend.OVERLAY))
    with Renderer(noisy) as r:
        assert np.abs(r.render(Sweep(steps)) - one).max() > 0.01
    assert [bool(layer.run) for layer in layers_of(noisy, Sweep(steps))] == [False, False]


# ---------------------------------------------------------------- what is handed on


def test_the_print_is_handed_on_and_not_measured_where_it_is_clean(noisy: Picture) -> None:
    with Renderer(noisy) as r:
        own = r.fact(NOISE_PRINT, Sweep())
        assert r.fact(NOISE_PRINT, sweep(f"noise {HALF}")) is own
        assert r.fact(NOISE_PRINT, sweep("noise:luminance=0.5", "edge-sharpen")) is own
        assert r.fact(NOISE_PRINT, sweep("noise")) is not own  # which leaves the same everywhere, and is measured
        assert r.fact(NOISE_PRINT, sweep("edge-sharpen @ellipse")) is not own


@pytest.mark.slow
@pytest.mark.parametrize(
    ("steps", "tolerance"),
    [
        (("noise:luminance=0.5,colour=0.25",), 0.06),
        (("noise:luminance=0.7 @gradient:ends=128/0;128/1",), 0.06),
        (("soften:radius=1 @ellipse:x=2000",), 0.06),
        (("noise:luminance=0.4", "tone:push=0.5"), 0.15),
        (("noise:luminance=0.6,colour=0.6", "grain:amount=0.4,size=0"), 0.1),
    ],
)
def test_the_factor_is_what_two_draws_show(steps: tuple[str, ...], tolerance: float) -> None:
    """On a flat field, luminance and colour apart."""
    flat = np.full((256, 320, 3), (0.42, 0.45, 0.5))
    draws = [noisy_a(flat, SIGMA, seed) for seed in (1, 2)]
    region, results, before = Region(40, 40, 216, 280), [], []
    for draw in draws:
        with Renderer(from_array(draw)) as r:
            results.append(r.at_once(sweep(*steps), region))
            before.append(draw[region.slices()])
            found = factor_of(r, sweep(*steps), region) if len(results) == 2 else None
            noise = r.fact(NOISE_PRINT, Sweep())
    assert found is not None
    off = results[0] - results[1]
    if "grain" in steps[-1]:  # which is the same in both draws, and comes to what differs
        off = off + np.sqrt(2) * (results[0] - sum(results) / 2 - off / 2)
        level = float(luma(results[0]).mean())
        added = 0.4 * float(noise.luminance_sigma(np.array([level]))[0])
        shown = np.hypot(np.std(luma(off)) / np.sqrt(2), added)
    else:
        shown = np.std(luma(off)) / np.sqrt(2)
    level = np.array([luma(np.mean(results, axis=(0, 1, 2))[None, None])[0, 0]])
    told = float(np.median(found[0])) * float(noise.luminance_sigma(level)[0])
    assert told == pytest.approx(shown, rel=tolerance + 0.06)


@pytest.mark.slow
def test_two_steps_with_another_between_hardly_lose_anything(
    noisy: Picture, clean: np.ndarray, one: np.ndarray
) -> None:
    with Renderer(noisy) as r:
        parted = r.render(sweep(f"noise {HALF}", NOTHING, f"noise {HALF},inverted=1"))
        again = r.render(sweep("noise", NOTHING, "noise"))
    assert error(parted, clean) > error(one, clean) - 0.3
    assert 255 * np.abs(again - one).max() < 0.3


@pytest.mark.slow
def test_a_factor_is_the_same_however_it_is_cut(noisy: Picture) -> None:
    of = sweep("noise @texture", NOTHING, "noise @texture:inverted=1", "edge-sharpen @edges")
    with Renderer(noisy) as r:
        whole = r.render(of)
    with Renderer(noisy) as r:
        part = r.at_once(of, Region(50, 33, 200, 277))
    with Renderer(noisy, threads=1) as r:
        tile = r.tiles(of, [(1, 1)])[1, 1]
    assert np.abs(part - whole[50:200, 33:277]).max() < 1 / 2048
    assert np.abs(tile - whole[128:256, 128:256]).max() < 1 / 2048


@pytest.mark.slow
def test_edge_sharpen_raises_no_grain_where_noise_was_left() -> None:
    flat = np.full((256, 320, 3), 0.45)
    flat[100:110] = 0.8
    with Renderer(from_array(noisy_a(flat, SIGMA))) as r:
        kept = parse_step("noise @gradient:ends=128/100;128/160")
        sides = [luma(r.render(Sweep(s))) for s in ((kept,), (kept, make_step("edge-sharpen")))]
    left = np.s_[130:240, 180:300]
    assert np.std(sides[1][left]) < 1.02 * np.std(sides[0][left])


@pytest.mark.slow
def test_masks_see_the_noise_where_it_was_left(clean: np.ndarray) -> None:
    """Texture of a flat field is none, in the half that was cleaned and in the other."""
    flat = noisy_a(np.full((256, 320, 3), 0.5), SIGMA)
    with Renderer(from_array(flat)) as r:
        mask = r.mask(Sweep((parse_step(f"noise {HALF}"), parse_step("edge-sharpen @texture"))), 1)
        edges = r.mask(Sweep((parse_step(f"noise {HALF}"), parse_step("edge-sharpen @edges"))), 1)
    assert mask.mean() < 0.02
    assert edges.mean() < 0.02


@pytest.mark.slow
def test_in_focus_reads_the_same_where_noise_was_taken_out_in_part(clean: np.ndarray) -> None:
    with Renderer(from_array(noisy_a(clean, 10 / 255))) as r:
        plain = r.mask(Sweep((parse_step("edge-sharpen @in-focus"),)), 0)
        parted = r.mask(Sweep((parse_step(f"noise {HALF}"), parse_step("edge-sharpen @in-focus"))), 1)
    assert np.mean(np.abs(plain - parted)) < 0.25


@pytest.mark.slow
def test_every_part_of_a_mask_is_shown_where_it_acts(noisy: Picture) -> None:
    """The mask of a later step of a run is that of the picture before the run."""
    of = sweep("noise @texture", "noise @texture:inverted=1")
    with Renderer(noisy) as r:
        assert r.mask(of, 0) + r.mask(of, 1) == pytest.approx(np.ones(noisy.size), abs=1e-6)


def test_a_draft_of_parts_measures_nothing_anew(noisy: Picture, monkeypatch: pytest.MonkeyPatch) -> None:
    from dustpan.core.noise import measure

    runs: list[int] = []
    original = measure.measure
    monkeypatch.setattr(measure, "measure", lambda *a: runs.append(1) or original(*a))
    with Renderer(noisy) as r:
        r.fact(NOISE_PRINT, Sweep())
        r.at_once(sweep(f"noise {HALF}", "edge-sharpen"), Region(10, 10, 120, 120), draft=True)
    assert len(runs) == 1


@pytest.mark.slow
@pytest.mark.parametrize("draft", [False, True])
def test_edges_after_a_weaker_noise_and_a_whole_deblur_are_numbers(noisy: Picture, draft: bool) -> None:
    """Deblur leaves hardly any noise, and what it has measured is known to a draft as well."""
    of = sweep("noise:luminance=0.8", "deblur:kind=round,size=1", "edge-sharpen", "fine-detail")
    with Renderer(noisy) as r:
        found = r.at_once(of, Region(20, 20, 180, 220), draft=draft)
    assert np.isfinite(found).all()


def test_mask_text_is_understood() -> None:
    assert isinstance(parse_step(f"noise {HALF}"), Step)
    assert parse_mask(HALF).parts
