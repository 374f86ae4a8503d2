from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage as ndi

from dustpan.core.blend import Blend
from dustpan.core.cancel import Cancel
from dustpan.core.errors import Cancelled, WrongUse
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.picture import Kind, Picture, from_array
from dustpan.core.region import Region
from dustpan.core.render.at_once import SAMPLE_SIZE
from dustpan.core.render.cache import Cache
from dustpan.core.render.renderer import Renderer
from dustpan.core.render.tiling import TILE, run_groups, tile_region, tiles_of
from dustpan.core.steps import STEPS
from dustpan.core.sweep import Step, Sweep, make_step
from tests.scenes import desk, noisy_a, noisy_b

pytestmark = pytest.mark.slow

BOTH = Sweep((make_step("noise", {"give_back": 30}), make_step("edge-sharpen")))


@pytest.fixture(scope="module")
def large() -> Picture:
    """Of several tiles, with sides that are no multiple of anything."""
    return from_array(noisy_b(np.tile(desk(), (2, 2, 1)))[1][:551, :787])


@pytest.fixture(scope="module")
def whole(large: Picture) -> np.ndarray:
    with Renderer(large, threads=1) as r:
        return r.render(BOTH)


def test_everything_off_gives_the_very_samples(picture: Picture, renderer: Renderer) -> None:
    for sweep in (Sweep(), Sweep(tuple(Step(k, k.params(), on=False) for k in STEPS))):
        assert np.array_equal(renderer.render(sweep), picture.pixels)
    invisible = Sweep(tuple(Step(k, k.params(), opacity=0.0) for k in STEPS))
    assert np.array_equal(renderer.render(invisible), picture.pixels)


def test_zero_strength_changes_nothing(picture: Picture, renderer: Renderer) -> None:
    for step in (make_step("noise", {"luminance": 0, "colour": 0}), make_step("edge-sharpen", {"amount": 0})):
        assert np.array_equal(renderer.render(Sweep((step,))), picture.pixels)


def test_bytes_do_not_depend_on_threads(large: Picture, whole: np.ndarray) -> None:
    for threads in (2, 3):
        with Renderer(large, threads=threads) as r:
            assert np.array_equal(r.render(BOTH), whole)


@pytest.mark.parametrize("threads", [1, 2])
def test_tiled_equals_untiled(large: Picture, whole: np.ndarray, threads: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """The whole was computed without tiles, as pictures of its size are; here it is made of them."""
    monkeypatch.setattr("dustpan.core.render.renderer.AT_ONCE", 0)
    with Renderer(large, threads=threads) as r:
        tiled = r.render(BOTH)
        assert r.peek(BOTH, Region(0, 0, *large.size)) is not None
    assert np.abs(tiled - whole).max() <= 1 / 2048


def test_a_result_is_never_the_source_itself(clean: np.ndarray) -> None:
    source = from_array(clean.astype(np.float32))
    with Renderer(source) as r:
        result = r.render(Sweep((make_step("noise"),)))  # left alone: there is no noise
    assert np.array_equal(result, source.pixels)
    assert not np.shares_memory(result, source.pixels)


def test_what_is_handed_out_cannot_change_what_is_kept(large: Picture, whole: np.ndarray) -> None:
    region = Region(0, 0, *large.size)
    with Renderer(large) as r:
        found = r.at_once(BOTH, region)
        with pytest.raises(ValueError, match="read-only"):
            found[0, 0] = 9
        r.render(BOTH)[:] = 9
        assert np.array_equal(r.render(BOTH), whole)


def test_order_of_requests_and_a_tiny_cache_do_not_change_bytes(large: Picture, whole: np.ndarray) -> None:
    with Renderer(large, threads=2, cache=Cache(limit=25_000_000)) as r:
        for place in reversed(tiles_of(Region(0, 0, *large.size), large.size)):
            tile = r.tiles(BOTH, [place])[place]
            y, x = place[0] * TILE, place[1] * TILE
            assert np.array_equal(tile, whole[y : y + TILE, x : x + TILE])


@settings(max_examples=15)
@given(st.data())
def test_any_region_is_a_part_of_the_whole(large: Picture, whole: np.ndarray, data: st.DataObject) -> None:
    with Renderer(large, threads=2, cache=_shared) as r:
        h, w = large.size
        y0, x0 = data.draw(st.integers(0, h - 1)), data.draw(st.integers(0, w - 1))
        y1, x1 = data.draw(st.integers(y0 + 1, h)), data.draw(st.integers(x0 + 1, w))
        assert np.array_equal(r.render(BOTH, Region(y0, x0, y1, x1)), whole[y0:y1, x0:x1])


_shared = Cache()


def test_half_opacity_is_half_way(picture: Picture, renderer: Renderer) -> None:
    full = renderer.render(Sweep((make_step("noise"),)))
    step = make_step("noise")
    half = renderer.render(Sweep((Step(step.kind, step.params, opacity=0.5),)))
    assert half == pytest.approx((full + picture.pixels) / 2, abs=1e-6)


def test_only_mix_runs_again_where_only_mix_changes(picture: Picture, monkeypatch: pytest.MonkeyPatch) -> None:
    runs = []
    from dustpan.core.noise import step as noise_step

    original = noise_step.refined
    monkeypatch.setattr(noise_step, "refined", lambda *a, **k: runs.append(1) or original(*a, **k))
    with Renderer(picture) as r:
        r.render(Sweep((make_step("noise"),)))
        after_first = len(runs)
        assert after_first > 0
        for values in ({"luminance": 0.4}, {"shadows": 30}, {"blue": 10}, {"give_back": 50}, {"colour": 0}):
            r.render(Sweep((make_step("noise", values),)))
        assert len(runs) == after_first
        r.render(Sweep((make_step("noise", {"luminance": 1.5}),)))
        assert len(runs) > after_first


def test_a_fact_about_a_steps_input_is_measured_once(picture: Picture, monkeypatch: pytest.MonkeyPatch) -> None:
    from dustpan.core.noise import measure

    runs = []
    original = measure.measure
    monkeypatch.setattr(measure, "measure", lambda *a: runs.append(1) or original(*a))
    with Renderer(picture) as r:
        r.render(BOTH)
        assert len(runs) == 2  # of the source, and of what Noise leaves for Edge sharpen
        r.render(BOTH)
        assert len(runs) == 2
        left = r.fact(NOISE_PRINT, BOTH, index=1)
        assert left.strength < 0.4 * r.fact(NOISE_PRINT, BOTH, index=0).strength


def test_progress_ends_complete_and_never_goes_back(large: Picture, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("dustpan.core.render.renderer.AT_ONCE", 0)
    seen: list[tuple[int, int]] = []
    with Renderer(large) as r:
        r.render(Sweep((make_step("edge-sharpen"),)), progress=lambda done, total: seen.append((done, total)))
    assert seen[-1][0] == seen[-1][1] == len(tiles_of(Region(0, 0, *large.size), large.size))
    assert seen == sorted(seen)


def test_progress_without_tiles_tells_of_every_stage(large: Picture) -> None:
    seen: list[tuple[int, int]] = []
    with Renderer(large) as r:
        r.render(BOTH, progress=lambda done, total: seen.append((done, total)))
    assert seen == sorted(seen)
    assert seen[-1][0] == seen[-1][1]
    assert len(seen) > 4


def test_cancel_before(large: Picture) -> None:
    cancel = Cancel()
    cancel.set()
    with Renderer(large) as r, pytest.raises(Cancelled):
        r.render(BOTH, cancel=cancel)


def test_cancel_during_ends_the_work_and_leaves_the_renderer_of_use(
    large: Picture, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Called off while the first region is refined: no other one is begun after those that run already."""
    from dustpan.core.noise import step as noise_step

    runs, cancel, original = [], Cancel(), noise_step.refined

    def refined(*given: object) -> np.ndarray:
        runs.append(1)
        cancel.set()
        return original(*given)  # type: ignore[arg-type]

    monkeypatch.setattr(noise_step, "refined", refined)
    monkeypatch.setattr("dustpan.core.render.renderer.AT_ONCE", 0)
    monkeypatch.setattr("dustpan.core.render.tiles.SMALL", 0)
    monkeypatch.setattr("dustpan.core.render.tiles.RUN", TILE * TILE)
    monkeypatch.setattr("dustpan.core.render.tiles.LARGEST_RUN", TILE * TILE)
    with Renderer(large, threads=2) as r:
        with pytest.raises(Cancelled):
            r.render(BOTH, cancel=cancel)
        assert len(runs) <= 2
        assert r.render(Sweep(), Region(0, 0, 4, 4)).shape == (4, 4, 3)


def test_a_step_refuses_a_kind_of_picture_that_it_does_not_take() -> None:
    mosaic = Picture(np.zeros((8, 8, 1), np.float32), Kind.MOSAIC, from_array(np.zeros((8, 8))).depth)
    with (
        Renderer(mosaic) as r,
        pytest.raises(WrongUse, match=r"Noise does not work on a picture of this kind \(mosaic\)"),
    ):
        r.render(Sweep((make_step("noise"),)))


@pytest.mark.parametrize("shape", [(1, 1, 3), (1, 400, 3), (400, 1, 1), (3, 7, 3), (47, 300, 1), (64, 64, 1)])
def test_pictures_of_any_shape_come_through(shape: tuple) -> None:
    rng = np.random.default_rng(4)
    pixels = np.clip(0.5 + 0.1 * rng.normal(size=shape), 0, 1).astype(np.float32)
    with Renderer(from_array(pixels)) as r:
        result = r.render(BOTH)
    assert result.shape == shape
    assert np.isfinite(result).all()


def test_mono_is_cleaned_as_well() -> None:
    clean = desk().mean(-1, keepdims=True)
    noisy = noisy_a(clean, 15 / 255)
    with Renderer(from_array(noisy)) as r:
        result = r.render(Sweep((make_step("noise"),)))
    assert np.mean((result - clean) ** 2) < 0.2 * np.mean((noisy - clean) ** 2)


def test_values_above_white_stay(noisy: np.ndarray) -> None:
    bright = noisy.copy()
    bright[40:60, 40:60] = 3.5
    with Renderer(from_array(bright)) as r:
        for sweep in (Sweep((make_step("noise"),)), BOTH):
            result = r.render(sweep)
            assert result[45:55, 45:55] == pytest.approx(np.full((10, 10, 3), 3.5), abs=0.05)


@pytest.mark.parametrize("blend", [Blend.SOFT_LIGHT, Blend.OVERLAY])
def test_blends_are_applied_outside_the_step(picture: Picture, renderer: Renderer, blend: Blend) -> None:
    from dustpan.core.blend import lay_over

    step = make_step("noise")
    plain = renderer.render(Sweep((step,)))
    laid = renderer.render(Sweep((Step(step.kind, step.params, opacity=0.7, blend=blend),)))
    assert np.array_equal(laid, lay_over(picture.pixels, plain, blend, 0.7))


def test_a_draft_is_near_the_exact_result_and_leaves_it_alone(picture: Picture, renderer: Renderer) -> None:
    exact = renderer.render(BOTH)
    with Renderer(picture) as r:  # it has seen nothing but the draft
        draft = r.at_once(BOTH, Region(0, 0, *picture.size), draft=True)
        assert 0 < np.sqrt(np.mean((draft - exact) ** 2)) < 5 / 255
        assert np.array_equal(r.render(BOTH), exact)


@pytest.mark.parametrize("region", [Region(0, 0, 77, 301), Region(33, 190, 288, 400), Region(100, 100, 101, 103)])
def test_a_region_at_once_is_the_same_to_the_byte_and_fills_the_cache(picture: Picture, region: Region) -> None:
    with Renderer(picture, threads=1) as r:
        whole = r.render(BOTH)
    for threads in (1, 3):
        with Renderer(picture, threads=threads) as r:
            assert np.array_equal(r.at_once(BOTH, region), whole[region.slices()])
            inside = [p for p in tiles_of(region, picture.size) if tile_region(p, picture.size).area == TILE * TILE]
            kept = [p for p in inside if tile_region(p, picture.size).within((region.y1, region.x1)).area == TILE**2]
            kept = [p for p in kept if p[0] * TILE >= region.y0 and p[1] * TILE >= region.x0]
            assert all(r.peek(BOTH, tile_region(p, picture.size)) is not None for p in kept)
            assert np.array_equal(r.render(BOTH), whole)
            assert np.array_equal(r.at_once(BOTH, region), whole[region.slices()])  # now from the tiles


@pytest.mark.parametrize("values", [{"luminance": 0.6}, {"give_back": 30, "shadows": 40}, {"blotches": 12}])
def test_a_mix_at_once_from_tiles_of_the_slow_stage_is_the_same_to_the_byte(large: Picture, values: dict) -> None:
    mixed = Sweep((make_step("noise", values), make_step("edge-sharpen")))
    region = Region(70, 60, 430, 600)
    with Renderer(large, threads=1) as r:
        fresh = r.render(mixed)[region.slices()]
    for threads in (1, 3):
        with Renderer(large, threads=threads) as r:
            for place in tiles_of(Region(0, 0, 551, 500), large.size):  # not all that the region needs
                r.tiles(Sweep((make_step("noise"),)), [place])
            assert np.array_equal(r.at_once(mixed, region), fresh)
            assert np.array_equal(r.render(mixed)[region.slices()], fresh)


def test_a_draft_of_a_mono_picture_is_the_same_on_any_number_of_threads() -> None:
    rng = np.random.default_rng(3)
    soft = ndi.gaussian_filter(rng.normal(size=(400, 300)), 0.8)
    pixels = (0.4 + 0.08 * soft / soft.std())[..., None].astype(np.float32)
    drafts = []
    for threads in (1, 3):
        with Renderer(from_array(pixels), threads=threads) as r:
            drafts.append(r.at_once(Sweep((make_step("noise"),)), Region(0, 0, 400, 300), draft=True))
    assert not np.array_equal(drafts[0], pixels)
    assert np.array_equal(*drafts)


def test_nothing_of_a_draft_is_kept(picture: Picture) -> None:
    whole = Region(0, 0, *picture.size)
    with Renderer(picture) as r:
        r.at_once(BOTH, whole, draft=True)
        assert r.peek(BOTH, whole) is None
        assert not r.slow_done(BOTH, tiles_of(whole, picture.size))


def test_no_draft_is_needed_where_only_mix_changes(picture: Picture) -> None:
    places = tiles_of(Region(0, 0, *picture.size), picture.size)
    with Renderer(picture) as r:
        sweep = Sweep((make_step("noise"),))
        assert not r.slow_done(sweep, places)
        r.render(sweep)
        assert r.slow_done(sweep, places)
        assert r.slow_done(Sweep((make_step("noise", {"luminance": 0.5}),)), places)
        assert not r.slow_done(Sweep((make_step("noise", {"luminance": 1.5}),)), places)
        assert r.slow_done(Sweep((make_step("edge-sharpen"),)), places)


@pytest.mark.parametrize("held", [True, False])
def test_what_is_held_outlives_what_is_computed_after_it(large: Picture, held: bool) -> None:
    sweep = Sweep((make_step("noise", {"quality": "quick"}),))
    first, *others = run_groups(tiles_of(Region(0, 0, *large.size), large.size), large.size, 4 * TILE**2)
    with Renderer(large, cache=Cache(9_000_000)) as r:
        r.tiles(sweep, first)
        for places in others:
            r.tiles(sweep, places)
            if held:
                r.hold(sweep, first)
        assert r.slow_done(sweep, first) == held


def test_where_only_a_fact_is_missing_the_slow_work_is_done(picture: Picture) -> None:
    places = tiles_of(Region(0, 0, *picture.size), picture.size)
    with Renderer(picture) as r:
        r.render(BOTH)
        mixed, anew = (
            Sweep((make_step("noise", {"luminance": value}), make_step("edge-sharpen"))) for value in (0.5, 1.5)
        )
        assert r.slow_done(mixed, places)
        assert not r.slow_done(anew, places)


def test_what_is_cleaned_to_be_measured_is_kept(large: Picture) -> None:
    noise, *_ = BOTH.steps
    with Renderer(large) as r:
        r.fact(NOISE_PRINT, BOTH, 1)
        done = [r.slow_done(Sweep((noise,)), [place]) for place in tiles_of(Region(0, 0, *large.size), large.size)]
    assert sum(done) == 2 * np.prod(SAMPLE_SIZE) // TILE**2


def test_a_draft_takes_stale_facts_instead_of_measuring(picture: Picture, monkeypatch: pytest.MonkeyPatch) -> None:
    from dustpan.core.noise import measure

    with Renderer(picture) as r:
        r.render(BOTH)
        monkeypatch.setattr(measure, "measure", lambda *a: pytest.fail("measured for a draft"))
        sweep = Sweep((make_step("noise", {"luminance": 2}), make_step("edge-sharpen")))
        r.at_once(sweep, Region(0, 0, *picture.size), draft=True)
