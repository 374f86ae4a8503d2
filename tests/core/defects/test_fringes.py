"""Coloured rims: what a lens did is found to a tenth of a pixel and undone; violet things and clean pictures stay."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dustpan.core.colour import luma
from dustpan.core.curve import SRGB
from dustpan.core.defects import aberration
from dustpan.core.defects.aberration import Aberration, sharpened, unshifted
from dustpan.core.defects.fringes import FRINGED, Fringed, colours_of, excess_of, hue_of, rim_at
from dustpan.core.judge.repairs import repairs, sentence, with_repairs
from dustpan.core.picture import from_array
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.steps import step_kind
from dustpan.core.sweep import Sweep, make_step
from dustpan.demo.outdoors import FLAGS, harbour, rigging, through_lens
from tests.scenes import desk

CLEAN = rigging()
SEEN = through_lens(CLEAN)
WHOLE = Region(0, 0, *CLEAN.shape[:2])


def cleaned(pixels: np.ndarray, **values: object) -> np.ndarray:
    with Renderer(from_array(pixels)) as r:
        return np.clip(r.render(Sweep((make_step("colour-fringes", values),))), 0, 1)


def found_in(pixels: np.ndarray) -> Fringed:
    with Renderer(from_array(pixels)) as r:
        return r.fact(FRINGED, Sweep((make_step("colour-fringes"),)), 0, None)


def off(a: np.ndarray, b: np.ndarray = CLEAN) -> float:
    """How far the colours of hard edges are from those of the truth."""
    y, x = np.gradient(b[..., 1])
    edge = np.hypot(y, x) > 0.08
    return float(sum(np.abs((a - b)[..., c] - (a - b)[..., 1])[edge].mean() for c in (0, 2)))


@pytest.fixture(scope="module")
def after() -> np.ndarray:
    return cleaned(SEEN)


@pytest.mark.parametrize("encoded", [False, True])
def test_the_lens_is_measured(encoded: bool) -> None:
    lens = found_in(through_lens(CLEAN, encoded=encoded)).lens
    np.testing.assert_allclose(lens.shift, (1.2, -1.0), atol=0.15)
    np.testing.assert_allclose(lens.blur, (0.6, 1.1), atol=0.15)
    assert lens.in_light != encoded


def test_rims_are_gone_and_luma_comes_nearer(after: np.ndarray) -> None:
    assert off(after) < 0.25 * off(SEEN)
    before, now = (np.square(luma(p - CLEAN)).mean() for p in (SEEN, after))
    assert now < before / 2


def test_violet_things_keep_their_colour(after: np.ndarray) -> None:
    for y, x in FLAGS:
        inside = np.s_[y - 2 : y + 3, x - 2 : x + 3]
        violet = [(p[inside] @ np.array([0.5, -1, 0.5])).mean() for p in (CLEAN, after)]
        assert violet[1] > 0.94 * violet[0], (y, x)


@pytest.mark.parametrize("clean", [CLEAN, desk().astype(np.float32), harbour()[0]], ids=["rigging", "desk", "harbour"])
def test_a_clean_picture_stays_to_the_bit(clean: np.ndarray) -> None:
    assert not found_in(clean).lens.any
    np.testing.assert_array_equal(cleaned(clean), clean)


def test_parts_do_what_they_say() -> None:
    alone = cleaned(SEEN, blur=False, rims=0)
    lens = found_in(SEEN).lens
    np.testing.assert_allclose(alone, np.clip(unshifted(SEEN, WHOLE, CLEAN.shape[:2], lens.shift), 0, 1), atol=1e-6)
    np.testing.assert_array_equal(cleaned(SEEN, sideways=False, blur=False, rims=0), SEEN)
    assert off(alone) < 0.95 * off(SEEN)
    np.testing.assert_array_equal(alone[..., 1], SEEN[..., 1])


def violet_rim() -> np.ndarray:
    """Upright dark bars before light ground; the first px beside every edge are violet."""
    x = np.arange(240)
    out = np.repeat(np.where((x // 30) % 2, 0.15, 0.85)[None, :, None], 200, 0).repeat(3, 2).astype(np.float32)
    for edge in range(30, 240, 30):
        out[:, edge - 1 : edge + 1, 0] += 0.12
        out[:, edge - 1 : edge + 1, 2] += 0.2
    return np.clip(out, 0, 1)


def test_rims_of_a_picked_colour_go_and_others_stay() -> None:
    rimmed = violet_rim()
    settled = {"sideways": False, "blur": False, "contrast": 20}
    gone = cleaned(rimmed, colour="picked", hue=rim_at(lambda r: rimmed[r.slices()], (200, 240), 100, 30), **settled)
    others = cleaned(rimmed, colour="picked", hue=100, **settled)
    np.testing.assert_array_equal(others, rimmed)
    rim = np.s_[20:-20, 29:31]
    violet = [np.abs(p[rim][..., 2] - p[rim][..., 1]).mean() for p in (rimmed, gone)]
    assert violet[1] < 0.45 * violet[0]
    np.testing.assert_allclose(luma(gone), luma(rimmed), atol=1e-5)
    half = cleaned(rimmed, colour="any", rims=50, **settled)
    whole = cleaned(rimmed, colour="any", rims=100, **settled)
    np.testing.assert_allclose(half, (rimmed + whole) / 2, atol=1e-5)


def test_a_rim_is_put_back_and_one_is_added() -> None:
    rimmed = violet_rim()
    settled = {"sideways": False, "blur": False, "contrast": 20}
    put_back = cleaned(rimmed, colour="any", spared=((100.0, 30.0),), **settled)
    near, far = np.s_[95:105, 27:33], np.s_[95:105, 147:153]
    np.testing.assert_array_equal(put_back[near], rimmed[near])
    assert np.abs(put_back - rimmed)[far].max() > 0.05
    added = cleaned(rimmed, colour="picked", hue=100, added=((100.0, 30.0),), **settled)
    assert np.abs(added - rimmed)[near].max() > 0.05
    np.testing.assert_array_equal(added[far], rimmed[far])


def test_hits_are_rims_that_count_and_can_be_spared() -> None:
    with Renderer(from_array(violet_rim())) as r:
        kind = step_kind("colour-fringes")
        facts = {f: r.fact(f, Sweep((make_step(kind.id),)), 0, None) for f in kind.facts(kind.params())}
    assert kind.hits is not None
    hits = kind.hits(facts, kind.make({"colour": "any"}))
    assert len(hits) > 20
    assert np.all(np.diff(hits.score) >= 0)
    y, x = hits.at[-1]
    fewer = kind.hits(facts, kind.make({"colour": "any", "spared": ((float(y), float(x)),)}))
    assert len(fewer) < len(hits)
    assert len(kind.hits(facts, kind.make({"colour": "any", "contrast": 90}))) == 0
    assert len(kind.hits(facts, kind.make({"rims": 0}))) == 0


def test_it_is_offered_with_what_was_proven() -> None:
    with Renderer(from_array(SEEN)) as r:
        found = repairs(r, Sweep(()), [step_kind("colour-fringes")])
    assert "red +1.2" in sentence(found)
    assert with_repairs(Sweep(()), found).steps[0].name == "Colour fringes"
    with Renderer(from_array(CLEAN)) as r:
        assert repairs(r, Sweep(()), [step_kind("colour-fringes")]) == ()


@given(y=st.integers(0, 300), x=st.integers(0, 400), h=st.integers(1, 90), w=st.integers(1, 110))
@settings(max_examples=15, deadline=None)
def test_parts_of_the_picture_are_parts_of_the_whole(after: np.ndarray, y: int, x: int, h: int, w: int) -> None:
    part = Region(y, x, y + h, x + w).within(CLEAN.shape[:2])
    with Renderer(from_array(SEEN)) as r:
        found = r.at_once(Sweep((make_step("colour-fringes"),)), part)
    np.testing.assert_allclose(np.clip(found, 0, 1), after[part.slices()], atol=1e-6)


def test_what_was_blurred_is_given_back_and_more_is_never_farther() -> None:
    green = np.ascontiguousarray(CLEAN[..., 1])
    red = np.float32(0.1) + np.float32(0.7) * green
    left = []
    for blur in (0.0, 0.5, 1.0):
        soft = aberration.gaussian(red, 1.0)
        left.append(float(np.abs(sharpened(soft, green, blur) - red).mean()))
    assert left[2] < left[1] < left[0]
    np.testing.assert_array_equal(sharpened(red, green, 0.0), red)


def test_colours_stand_out_only_where_most_rims_have_them() -> None:
    rng = np.random.default_rng(3)
    violet = np.abs(rng.normal(0.1, 0.01, (40, 2)))
    assert len(colours_of(violet)) == 1
    assert abs(colours_of(violet)[0] - 300) < 20
    assert colours_of(rng.normal(0, 0.1, (400, 2))) == ()
    assert colours_of(violet[:5]) == ()
    assert colours_of(np.array([[0.1, 0.0]] * 40)) == ()  # red is the subject's own
    np.testing.assert_allclose(hue_of(np.array([[-0.1, -0.1]])), [120])


@pytest.mark.parametrize("size", [(1, 1), (5, 300), (40, 40)])
def test_small_pictures_are_left_alone(size: tuple[int, int]) -> None:
    small = np.random.default_rng(1).random((*size, 3)).astype(np.float32)
    assert cleaned(small, rims=0).shape == small.shape
    assert aberration.measure(lambda r: small[r.slices()], size, SRGB) == Aberration()


def test_no_rim_leaves_its_sides_without_reason() -> None:
    grey = np.repeat(np.linspace(0, 1, 64, dtype=np.float32)[None, :, None], 50, 0).repeat(3, 2)
    red, blue, _ = excess_of(grey, 3, 0.02)
    assert not red.any()
    assert not blue.any()
