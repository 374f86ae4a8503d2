"""Masks: parts are the same wherever they are cut, are joined as they say, and are kept in the sweep."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dustpan.core.colour import luma
from dustpan.core.errors import FileProblem, WrongUse
from dustpan.core.files import save_picture
from dustpan.core.grammar import parse_mask, parse_step
from dustpan.core.params import Stroke
from dustpan.core.parts import PARTS, part_kind
from dustpan.core.picture import from_array
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import KeptStep, Step, Sweep, load_sweep, save_sweep, sweep_from_json
from dustpan.core.where.brush import painted
from dustpan.core.where.clean_up import Finish
from dustpan.core.where.mask import How, Mask, Part
from tests.scenes import desk, noisy_b

SIZE = (150, 220)
PIXELS = noisy_b(desk())[1][: SIZE[0], : SIZE[1]].astype(np.float32)
TEXTS = {
    "brush": "@brush:strokes=40@50/60>90/150;20!@60/80,follow=6",
    "ellipse": "@ellipse:x=90,y=70,across=60,down=40,angle=30", "gradient": "@gradient:ends=30/50;100/90",
    "tones": "@tones:from=0.2,to=0.6", "colour": "@colour:at=40/60,tolerance=20",
    "edges": "@edges:thickness=2", "texture": "@texture:scale=2", "in-focus": "@in-focus", "stars": "@stars",
}  # fmt: skip


def step(where: str | Mask, opacity: float = 1.0) -> Step:
    mask = parse_mask(where) if isinstance(where, str) else where
    return replace(parse_step("edge-sharpen:amount=3"), where=mask, opacity=opacity)


def mask_of(where: str | Mask, pixels: np.ndarray = PIXELS) -> np.ndarray:
    with Renderer(from_array(pixels)) as r:
        return r.mask(r.settled(Sweep((step(where),))), 0)


@pytest.fixture(scope="module")
def renderer() -> Iterator[Renderer]:
    with Renderer(from_array(PIXELS)) as r:
        yield r


# -------------------------------------------------------------- every part


def test_every_part_is_tried_here() -> None:
    assert set(TEXTS) | {"kept", "picture"} == {k.id for k in PARTS}


@pytest.mark.parametrize("text", [
    *TEXTS.values(), "@edges &tones:from=0.1,to=0.9 -ellipse:x=90,y=70,inverted=1,feather=9,faded=20",
    "@tones:from=0.3,to=1 @finish:fill=9,drop=5,grow=-2,smooth=4,follow=5,feather=6",
    "@edges @finish:grow=3,joined=extremes",
])  # fmt: skip
def test_a_mask_is_the_same_however_it_is_cut(text: str, renderer: Renderer) -> None:
    h, w = SIZE
    sweep = renderer.settled(Sweep((step(text),)))
    whole = renderer.mask(sweep, 0)
    assert whole.shape == SIZE
    assert whole.dtype == np.float32
    assert 0 <= whole.min() <= whole.max() <= 1
    with Renderer(from_array(PIXELS)) as other:
        for region in (Region(0, 0, 61, 77), Region(61, 0, h, 101), Region(37, 101, 120, w)):
            assert np.array_equal(other.mask(sweep, 0, region), whole[region.slices()])


@pytest.mark.parametrize("text", TEXTS.values())
def test_a_masked_step_blends_as_its_mask_says(text: str, renderer: Renderer) -> None:
    sweep = renderer.settled(Sweep((step(text),)))
    mask, everywhere = renderer.mask(sweep, 0), renderer.render(Sweep((step(Mask()),)))
    result = renderer.render(sweep)
    assert np.array_equal(result[mask == 0], PIXELS[mask == 0])
    assert np.array_equal(result[mask == 1], everywhere[mask == 1])
    assert np.allclose(result, PIXELS + mask[..., None] * (everywhere - PIXELS), atol=1e-6)


@pytest.mark.parametrize("text", TEXTS.values())
def test_a_part_is_written_down_and_read_again(text: str) -> None:
    sweep = Sweep((step(f"{text}"),)).keeping("own", parse_mask("@edges @finish:feather=3"))
    again = sweep_from_json(sweep.as_json())
    assert again == sweep
    assert again.as_json() == sweep.as_json()


# -------------------------------------------------------------- how they are joined

ELLIPSES = st.builds(
    lambda x, y, a, d: f"ellipse:x={x},y={y},across={a},down={d}",
    st.integers(0, 219), st.integers(0, 149), st.integers(2, 150), st.integers(2, 150),
)  # fmt: skip


@pytest.mark.slow
@given(ELLIPSES, ELLIPSES, st.sampled_from(["product", "extremes"]))
@settings(max_examples=12)
def test_union_intersection_and_difference_behave(a: str, b: str, joined: str) -> None:
    one, two = mask_of(f"@{a}"), mask_of(f"@{b}")
    finish = f"@finish:joined={joined}"
    union, both, without = (mask_of(f"@{a} {sign}{b} {finish}") for sign in "+&-")
    assert (union >= np.maximum(one, two) - 1e-6).all()
    assert (both <= np.minimum(one, two) + 1e-6).all()
    assert (without <= one + 1e-6).all()
    assert np.allclose(union, mask_of(f"@{b} +{a} {finish}"), atol=1e-6)
    if joined == "product":
        assert np.allclose(both + without, one, atol=1e-6)


@pytest.mark.slow
@given(ELLIPSES)
@settings(max_examples=8)
def test_inverting_twice_is_nothing_and_fading_all_is_none(a: str) -> None:
    mask = parse_mask(f"@{a}")
    twice = mask.changed(0, inverted=True).changed(0, inverted=False)
    assert np.array_equal(mask_of(twice), mask_of(mask))
    assert np.allclose(mask_of(f"@{a},inverted=1"), 1 - mask_of(mask), atol=1e-6)
    assert not mask_of(f"@{a},faded=100").any()
    everywhere = Mask((replace(mask.parts[0], how=How.EXCEPT),))
    assert np.allclose(mask_of(everywhere), 1 - mask_of(mask), atol=1e-6)


def test_a_feather_softens_and_none_is_hard() -> None:
    hard = mask_of("@brush:strokes=60@70/100")
    soft = mask_of("@brush:strokes=60@70/100,feather=20")
    rim = (hard > 0) & (hard < 1)
    assert np.abs(np.diff(soft, axis=1)).max() < 0.5 * np.abs(np.diff(hard, axis=1)).max()
    assert rim.any()
    assert soft.sum() == pytest.approx(hard.sum(), rel=0.03)


def test_parts_that_are_off_do_not_count() -> None:
    mask = parse_mask("@edges +tones")
    assert np.array_equal(mask_of(mask.changed(1, on=False)), mask_of("@edges"))
    off = mask.changed(0, on=False).changed(1, on=False)
    assert (mask_of(off) == 1).all()


def test_moving_the_picture_moves_the_mask() -> None:
    for text in ("@tones", "@edges", "@texture"):
        whole, part = mask_of(text, desk().astype(np.float32)), mask_of(text, desk()[8:, 8:].astype(np.float32))
        inner = np.s_[64:-64, 64:-64]
        assert np.allclose(whole[8:, 8:][inner], part[inner], atol=0.02)


# -------------------------------------------------------------- the whole


def test_holes_are_filled_crumbs_dropped_and_outlines_moved() -> None:
    disc = "ellipse:x=110,y=75,across=50,down=50,inner=100"
    hole, crumb = "ellipse:x=110,y=75,across=3,down=3,inner=100", "ellipse:x=30,y=30,across=3,down=3,inner=100"
    rough = f"@{disc} -{hole} +{crumb}"
    plain = mask_of(f"@{disc}")
    assert np.abs(mask_of(rough) - plain).sum() > 40
    assert np.abs(mask_of(f"{rough} @finish:fill=10,drop=10") - plain).sum() < 12
    grown, shrunk = (mask_of(f"@{disc} @finish:grow={g}") for g in (4, -4))
    assert (shrunk <= plain).all()
    assert (plain <= grown).all()
    assert grown.sum() > 1.12 * plain.sum() > 1.2 * shrunk.sum()
    assert np.array_equal(mask_of(f"@{disc} @finish:grow=0"), plain)


# -------------------------------------------------------------- the brush


def test_going_over_a_place_again_does_not_exceed_the_opacity() -> None:
    there = ((20.0, 20.0, 1.0), (20.0, 80.0, 1.0))
    once = Stroke(size=16, opacity=0.6, flow=0.3, points=there)
    to_and_fro = Stroke(size=16, opacity=0.6, flow=0.3, points=there * 6)
    a, b, c = (painted(s, 0, 0, 40, 100) for s in ([once], [to_and_fro], [to_and_fro, to_and_fro]))
    assert a.max() <= 0.6
    assert (b >= a - 1e-6).all()
    assert b.max() == pytest.approx(0.6, abs=0.01)
    assert np.allclose(b, c, atol=0.02)


def test_erasing_takes_away_and_pressure_makes_it_narrower() -> None:
    line = ((20.0, 10.0, 1.0), (20.0, 90.0, 1.0))
    paint, erase = Stroke(size=20, points=line), Stroke(size=10, erase=True, points=line)
    full, less = painted([paint], 0, 0, 40, 100), painted([paint, erase], 0, 0, 40, 100)
    assert full[20, 50] == 1
    assert less[20, 50] == 0
    assert (less <= full).all()
    light = painted([Stroke(size=20, points=tuple((y, x, 0.3) for y, x, _ in line))], 0, 0, 40, 100)
    assert (light > 0.5).sum() < 0.5 * (full > 0.5).sum()


# -------------------------------------------------------------- kept masks and pictures


def test_a_kept_mask_is_used_by_name_and_a_change_of_it_changes_all(renderer: Renderer) -> None:
    kept = part_kind("kept")
    used = Mask((Part(kind=kept, params=kept.make({"name": "shell"})),))
    sweep = Sweep((step(used), step(used))).keeping("shell", parse_mask("@tones:from=0.2,to=0.5"))
    spelled = Sweep((step("@tones:from=0.2,to=0.5"), step("@tones:from=0.2,to=0.5")))
    for n in (0, 1):
        assert np.array_equal(renderer.mask(sweep, n), renderer.mask(spelled, n))
    changed = sweep.keeping("shell", parse_mask("@edges"))
    assert np.array_equal(renderer.mask(changed, 0), renderer.mask(Sweep((step("@edges"),)), 0))
    assert not np.array_equal(renderer.render(changed), renderer.render(sweep))
    assert not renderer.mask(sweep.keeping("shell", None), 0).any()
    assert sweep_from_json(sweep.as_json()) == sweep


def test_kept_masks_that_lead_back_to_themselves_end(renderer: Renderer) -> None:
    kept = part_kind("kept")
    a, b = (Mask((Part(kind=kept, params=kept.make({"name": n})),)) for n in "ab")
    sweep = Sweep((step(a),)).keeping("a", b).keeping("b", a)
    assert not renderer.mask(sweep, 0).any()


def test_a_grey_picture_is_a_mask_and_is_told_by_what_it_held(tmp_path: Path) -> None:
    path, (h, w) = tmp_path / "own.png", SIZE
    own = np.linspace(0, 65535, h * w).astype(np.uint16).reshape(h, w, 1)
    save_picture(from_array(own), path)
    assert np.allclose(mask_of(f"@picture:file={path}"), own[..., 0] / 65535, atol=1e-4)
    with pytest.raises(WrongUse, match="has changed"):
        mask_of(f"@picture:file={path},digest={'0' * 32}")
    save_picture(from_array(own[:-1].copy()), path)
    with pytest.raises(WrongUse, match="220 × 149"):
        mask_of(f"@picture:file={path}")
    with pytest.raises(FileProblem):
        mask_of(f"@picture:file={tmp_path / 'none.png'}")


# -------------------------------------------------------------- files and texts


@pytest.mark.parametrize("raw", [
    [{"part": "moon"}], [{"part": "edges", "version": 9}], [{"part": "edges", "glow": 1}], [{"finish": {"glow": 1}}],
])  # fmt: skip
def test_what_this_dustpan_does_not_know_is_kept_word_for_word(raw: list) -> None:
    data = {**Sweep((step(Mask()),)).as_json(), "masks": {"new": [{"part": "moon"}], "own": [{"part": "edges"}]}}
    data["steps"][0]["where"] = raw
    sweep = sweep_from_json(data)
    assert isinstance(sweep.steps[0], KeptStep)
    written = sweep.as_json()
    assert written["steps"] == data["steps"]
    assert written["masks"]["new"] == [{"part": "moon"}]
    assert [name for name, _ in sweep.masks] == ["own"]


@pytest.mark.parametrize("raw", [
    7, {"part": "edges"}, [3], [{"part": "edges", "faded": 200}], [{"part": "edges", "how": "maybe"}],
    [{"part": "edges", "params": {"strength": "much"}}], [{"finish": {"grow": 1e9}}],
    *([{"part": "brush", "params": {"strokes": [{"size": 9, "points": points}]}}]
      for points in ("", "3", "3/x", "3/4/2", "1/2/1/1", 7)),
])  # fmt: skip
def test_a_damaged_mask_ends_in_a_sentence(raw: object) -> None:
    data = Sweep((step(Mask()),)).as_json()
    data["steps"][0]["where"] = raw
    with pytest.raises(WrongUse):
        sweep_from_json(data)


@pytest.mark.slow
def test_a_painted_mask_is_small_in_its_file_and_comes_back_as_it_was(tmp_path: Path) -> None:
    rng = np.random.default_rng(6)
    strokes = [
        Stroke(
            size=40, points=tuple((round(y, 2), round(x, 2), p) for y, x, p in rng.random((500, 3)) * (4000, 6000, 1))
        )
        for _ in range(200)
    ]
    strokes.append(Stroke(size=2.5, soft=0.1, erase=True, points=((-3.0, 1 / 3, 1.0), (5e-7, 12.0, 0.0))))
    mask = Mask((Part(part_kind("brush"), part_kind("brush").make({"strokes": tuple(strokes)})),))
    path = tmp_path / "painted.sweep.json"
    save_sweep(Sweep((step(mask),)), path)
    assert path.stat().st_size < 40 * 200 * 500
    assert load_sweep(path).steps[0].where == mask


def test_strokes_are_read_as_lists_too() -> None:
    data = Sweep((step(Mask()),)).as_json()
    data["steps"][0]["where"] = [
        {"part": "brush", "params": {"strokes": [{"size": 9, "points": [[3, 4.5, 1], [5, 6, 0.5]]}]}}
    ]
    found = sweep_from_json(data).steps[0].where.parts[0].params.strokes
    assert found == (Stroke(size=9, points=((3.0, 4.5, 1.0), (5.0, 6.0, 0.5))),)


@pytest.mark.parametrize("text", [
    "edges", "+edges", "@edges tones", "@moon", "@edges:strength=much", "@edges:faded=200", "@edges:feather=x",
    "@ellipse:depth=3", "@brush:strokes=40", "@finish:grow=far", "@colour:colours=1/2",
])  # fmt: skip
def test_a_text_that_makes_no_mask_is_refused(text: str) -> None:
    with pytest.raises(WrongUse):
        parse_mask(text)


def test_sizes_shrink_with_the_picture() -> None:
    mask = parse_mask("@brush:strokes=40@50/60>90/150 +ellipse:x=90,y=70,feather=10 @finish:grow=8").scaled(0.5)
    stroke, ellipse = mask.parts[0].params.strokes[0], mask.parts[1]
    assert (stroke.size, stroke.points[1][:2]) == (20, (45, 75))
    assert (ellipse.params.x, ellipse.feather, mask.finish.grow) == (45, 5, 4)
    assert mask.finish.acts
    assert not Finish().acts


def test_tones_are_luminance_squared_and_ranges_with_gentle_shoulders() -> None:
    ramp = np.repeat(np.linspace(0, 1, 256, dtype=np.float32)[None, :, None], 64, 0).repeat(3, 2)
    assert np.allclose(mask_of("@tones", ramp), luma(ramp), atol=0.004)
    assert np.allclose(mask_of("@tones:squared=1", ramp), luma(ramp) ** 2, atol=0.004)
    middle = mask_of("@tones:from=0.3,to=0.6,soft=13", ramp)[32]
    assert middle[115] == 1
    assert middle[20] == middle[230] == 0
    assert np.abs(np.diff(middle)).max() <= 0.12
