"""Masks, kinds that walk along the layers, facts of whole pictures and hits, shown with made steps and parts."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dustpan.core.errors import WrongUse
from dustpan.core.jobs.find import find_in
from dustpan.core.judge.whole import judge_sweep, noise_print
from dustpan.core.picture import Kind, Picture, from_array
from dustpan.core.region import Region
from dustpan.core.render.cache import Cache
from dustpan.core.render.renderer import Renderer
from dustpan.core.steps import finder_of
from dustpan.core.sweep import Step, Sweep, make_step
from dustpan.core.where.mask import How, Mask, Part
from tests.core.made import BRIGHT, DEVELOPED, GREY, PEAK, RAMP
from tests.scenes import desk, noisy_b

RAMPED = Part(RAMP, RAMP.params(start=100, width=150))


def masked(*parts: Part, step: Step | None = None) -> Sweep:
    return Sweep((replace(step or make_step("noise"), where=Mask(parts)),))


@pytest.fixture(scope="module")
def plain(picture: Picture) -> np.ndarray:
    with Renderer(picture) as r:
        return r.render(Sweep((make_step("noise"),)))


# ---------------------------------------------------------------- masks


@pytest.mark.slow
def test_a_mask_lets_through_by_its_share(picture: Picture, plain: np.ndarray) -> None:
    with Renderer(picture) as r:
        result = r.render(masked(RAMPED))
    share = np.clip((np.arange(400) - 100) / 150, 0, 1)[None, :, None]
    assert np.array_equal(result[:, :101], picture.pixels[:, :101])
    assert np.array_equal(result[:, 250:], plain[:, 250:])
    assert result == pytest.approx(picture.pixels + share * (plain - picture.pixels), abs=1e-6)


def test_nothing_masked_and_all_masked_are_bit_for_bit(picture: Picture, plain: np.ndarray) -> None:
    everywhere, nowhere = (Part(RAMP, RAMP.params(start=0, width=1), inverted=i) for i in (False, True))
    with Renderer(picture) as r:
        all_of_it = r.render(masked(replace(everywhere, params=RAMP.params(start=0, width=1)), nowhere))
        assert np.array_equal(all_of_it, plain)  # together they let everything through
        assert np.array_equal(r.render(masked(everywhere, replace(everywhere, how=How.EXCEPT))), picture.pixels)


def test_where_nothing_shows_the_step_is_not_computed(picture: Picture, monkeypatch: pytest.MonkeyPatch) -> None:
    from dustpan.core.noise import step as noise_step

    right = Part(RAMP, RAMP.params(start=390, width=5))
    seen: list[Region] = []
    original = noise_step.finished
    monkeypatch.setattr(noise_step, "finished", lambda *a: seen.append(a[5]) or original(*a))
    monkeypatch.setattr("dustpan.core.render.renderer.AT_ONCE", 0)
    with Renderer(picture) as r:
        r.render(masked(right))
    assert seen
    assert min(region.x0 for region in seen) >= 384  # of four tiles across, the last alone


@pytest.mark.slow
@pytest.mark.parametrize("threads", [1, 3])
@pytest.mark.parametrize("cut", [0, 10**9])
def test_a_masked_step_is_the_same_however_it_is_cut(
    picture: Picture, threads: int, cut: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    bright = Part(BRIGHT, BRIGHT.params(reach=7), How.ONLY)
    sweep = Sweep((*masked(RAMPED, bright).steps, make_step("edge-sharpen")))
    with Renderer(picture, threads=1) as r:
        whole = r.render(sweep)
    monkeypatch.setattr("dustpan.core.render.renderer.AT_ONCE", cut)
    with Renderer(picture, threads=threads, cache=Cache(5_000_000)) as r:
        for region in (Region(100, 90, 288, 280), Region(0, 0, *picture.size)):
            assert np.array_equal(r.render(sweep, region), whole[region.slices()])


@pytest.mark.slow
def test_a_mask_that_changes_leaves_the_slow_stages_alone(picture: Picture) -> None:
    whole = Region(0, 0, *picture.size)
    from dustpan.core.render.tiling import tiles_of

    with Renderer(picture) as r:
        r.render(masked(RAMPED))
        assert r.slow_done(masked(replace(RAMPED, faded=30)), tiles_of(whole, r.size))
        assert r.peek(masked(replace(RAMPED, faded=30)), whole) is None


@pytest.mark.slow
@settings(max_examples=25, deadline=None)
@given(st.lists(st.tuples(st.sampled_from(list(How)), st.booleans(), st.floats(0, 100)), min_size=1, max_size=4))
def test_masks_stay_between_nothing_and_everything(told: list[tuple[How, bool, float]]) -> None:
    parts = tuple(Part(RAMP, RAMP.params(start=5 * n, width=20), *t) for n, t in enumerate(told))
    grain = Step(make_step("grain").kind, make_step("grain", {"amount": 1, "size": 0}).params)
    black = from_array(np.full((8, 64, 1), 0.5, np.float32))
    with Renderer(black) as r:
        whole, part = r.render(Sweep((grain,))) - 0.5, r.render(masked(*parts, step=grain)) - 0.5
    share = part[whole != 0] / whole[whole != 0]
    assert share.min() >= -1e-4
    assert share.max() <= 1 + 1e-4


@pytest.mark.slow
def test_a_part_inverted_twice_is_itself_and_one_that_is_off_does_nothing(picture: Picture) -> None:
    with Renderer(picture) as r:
        result = r.render(masked(RAMPED))
        once = r.render(masked(replace(RAMPED, inverted=True)))
        assert not np.array_equal(once, result)
        except_it = (Part(RAMP, RAMP.params(start=0, width=1)), replace(RAMPED, how=How.EXCEPT, inverted=True))
        assert r.render(masked(*except_it))[:, 5:] == pytest.approx(result[:, 5:], abs=1e-6)
        off = Part(BRIGHT, BRIGHT.params(), on=False)
        assert np.array_equal(r.render(masked(RAMPED, off)), result)


def test_a_masks_sizes_shrink_with_the_picture() -> None:
    small = masked(RAMPED).scaled(0.25).steps[0]
    assert isinstance(small, Step)
    params = small.where.parts[0].params
    assert (params.start, params.width) == (25, 37.5)  # type: ignore[attr-defined]


# ---------------------------------------------------------------- kinds


@pytest.mark.slow
def test_a_step_may_give_another_kind_and_the_next_one_gets_it(picture: Picture) -> None:
    grey = Step(GREY, GREY.params())
    sweep = Sweep((grey, make_step("noise")))
    with Renderer(picture) as r:
        result = r.render(sweep)
        assert result.shape == (288, 400, 1)
        assert r.reference(sweep) == Sweep((grey,))
        assert r.reference(Sweep((make_step("noise"),))) == Sweep()
        assert r.result(sweep, result).kind is Kind.MONO
        assert noise_print(r, sweep=sweep).channels == 1
        assert noise_print(r).channels == 3
        left = judge_sweep(r, sweep).noise_left
        assert left is not None
        assert left < 40
        with pytest.raises(WrongUse, match="Grey does not work on a picture of this kind"):
            r.render(Sweep((grey, grey)))


def test_a_mosaic_is_developed_before_it_is_cleaned() -> None:
    clean = desk()[..., 1:2]
    pixels = noisy_b(np.repeat(clean, 3, 2))[1][..., 1:2]
    mosaic = Picture(np.ascontiguousarray(pixels), Kind.MOSAIC, from_array(pixels).depth)
    developed = Step(DEVELOPED, DEVELOPED.params())
    with Renderer(mosaic) as r:
        whole = r.render(Sweep((developed, make_step("noise"), make_step("neutral-blacks"))))
        assert whole.shape == (288, 400, 3)
        part = Region(70, 60, 230, 300)
        sweep = Sweep((developed, make_step("noise"), make_step("neutral-blacks")))
        assert np.array_equal(r.at_once(sweep, part), whole[part.slices()])
        with pytest.raises(WrongUse, match="Noise does not work"):
            r.render(Sweep((make_step("noise"), developed)))


def test_what_changes_the_kind_is_not_blended_or_limited(picture: Picture) -> None:
    grey = Step(GREY, GREY.params())
    with Renderer(picture) as r:
        for step in (replace(grey, opacity=0.5), replace(grey, where=Mask((RAMPED,)))):
            with pytest.raises(WrongUse, match="cannot be blended or limited"):
                r.render(Sweep((step,)))


# ---------------------------------------------------------------- hits


@pytest.fixture
def spotted() -> Picture:
    pixels = np.full((130, 90, 3), 0.1, np.float32)
    for y, x, v in ((3, 4, 0.9), (64, 80, 0.6), (39, 40, 0.7), (40, 41, 0.3), (129, 0, 1.0)):
        pixels[y, x] = v
    return from_array(pixels)


def test_hits_follow_from_a_fact_and_the_parameters_at_once(spotted: Picture) -> None:
    finder = finder_of(PEAK)
    assert finder is not None
    with Renderer(spotted) as r:
        found = find_in(r, finder)
        facts = {fact: r.fact(fact, Sweep()) for fact in PEAK.facts(None)}
    assert [tuple(p) for p in found.at] == [(64, 80), (39, 40), (3, 4), (129, 0)]  # the doubtful ones first
    assert found.as_json()["hits"][0] == [80, 64]
    assert PEAK.hits is not None
    fewer = PEAK.hits(facts, PEAK.params(least=0.65, spared=((3, 4),)))
    assert [tuple(p) for p in fewer.at] == [(39, 40), (129, 0)]


def test_a_step_that_finds_acts_on_its_hits_wherever_it_is_cut(spotted: Picture) -> None:
    sweep = Sweep((Step(PEAK, PEAK.params(spared=((3.0, 4.0),))),))
    with Renderer(spotted) as r:
        whole = r.render(sweep)
        assert np.argwhere((whole != spotted.pixels).any(-1)).tolist() == [[39, 40], [64, 80], [129, 0]]
        part = Region(35, 30, 70, 90)
        assert np.array_equal(r.at_once(sweep, part), whole[part.slices()])
