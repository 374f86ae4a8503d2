"""Recipes: what belongs to one picture is left out and named; the rest carries over; the shelf loses nothing."""

from __future__ import annotations

import json
from pathlib import Path

import jsonschema
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dustpan.core.errors import DustpanError, FileProblem, WrongUse
from dustpan.core.files import open_picture
from dustpan.core.grammar import parse_step
from dustpan.core.judge.whole import judge_sweep
from dustpan.core.paths import demo_folder
from dustpan.core.picture import Picture, from_array
from dustpan.core.recipes.recipe import MadeOn, Recipe, load_recipe, recipe_from_json, recipe_of, schema, sweep_in
from dustpan.core.recipes.shelf import SHIPPED, Shelf, SortedBy, sweep_named
from dustpan.core.recipes.shipped import MADE, SHOWN_ON
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.steps import STEPS
from dustpan.core.sweep import Step, Sweep, describe, make_step, save_sweep, with_first_steps
from dustpan.core.where.mask import How
from dustpan.demo import ensure_demo_data

SHIPPED_FILES = sorted(SHIPPED.glob("*.recipe.json"))
DOCS = Path(__file__).resolve().parents[3] / "docs"


def sweep(*steps: str) -> Sweep:
    return Sweep(tuple(map(parse_step, steps)))


@pytest.fixture
def shelf(tmp_path: Path) -> Shelf:
    return Shelf(tmp_path / "shelf")


def test_what_belongs_to_one_picture_is_left_out_and_named() -> None:
    made = recipe_of(
        sweep("hot-pixels:spared=3/4,added=5/6;7/8", "noise @brush:strokes=20@3/4>9/9 &tones:squared=1",
              "edge-sharpen @ellipse:x=9,y=9", "deblur @in-focus"),
        "Mine",
    )  # fmt: skip
    told = " | ".join(made.left_out)
    for words in ("Hot pixels: Put back, 1", "Hot pixels: Added, 2", "Noise: brush", "Edge sharpen: ellipse",
                  "Edge sharpen: it counts everywhere"):  # fmt: skip
        assert words in told
    hot, noise, edge, deblur = made.steps().steps
    assert isinstance(noise, Step)
    assert isinstance(hot, Step)
    assert isinstance(edge, Step)
    assert isinstance(deblur, Step)
    assert hot.params == make_step("hot-pixels").params
    assert [p.kind.id for p in noise.where.parts] == ["tones"]
    assert noise.where.parts[0].how is How.ONLY
    assert edge.where.parts == ()
    assert [p.kind.id for p in deblur.where.parts] == ["in-focus"]


def test_what_was_typed_in_px_is_told_and_what_is_relative_is_not() -> None:
    fixed = recipe_of(
        sweep("noise:luminance=0.7", "edge-sharpen:radius=2.2,amount=2", "deblur:kind=round,size=3"), "x"
    ).fixed()
    assert fixed == ["Edge sharpen: Radius 2.2 px", "Deblur: Size 3 px"]


@pytest.mark.slow
def test_strengths_carry_over_to_other_noise(truth: np.ndarray) -> None:
    left = []
    steps = recipe_of(sweep("noise:luminance=0.8,colour=0.8"), "x").steps()
    for sigma in (6, 20):
        noisy = np.clip(truth + np.random.default_rng(2).normal(0, sigma / 255, truth.shape), 0, 1)
        with Renderer(from_array(noisy.astype(np.float32))) as r:
            left.append(judge_sweep(r, steps).noise_left)
    assert left[0] == pytest.approx(left[1], abs=8)


def test_words_say_what_it_holds() -> None:
    words = recipe_of(sweep("noise:luminance=0.8", "edge-sharpen @in-focus:inverted=1"), "x").words()
    assert words.startswith("Noise 0.8×")
    assert "→ Edge sharpen" in words
    assert "(not in focus)" in words


@pytest.mark.slow
@pytest.mark.parametrize("path", SHIPPED_FILES, ids=lambda p: p.name.split(".")[0])
def test_every_shipped_recipe_is_valid_and_does_what_it_says(path: Path, picture: Picture) -> None:
    published = json.loads((DOCS / "recipe.schema.json").read_text())
    jsonschema.Draft202012Validator(published).validate(json.loads(path.read_text()))
    recipe = load_recipe(path)
    assert recipe.when.endswith(".")
    assert not recipe.left_out
    assert all(isinstance(s, Step) for s in recipe.steps().steps)
    with Renderer(picture) as r:
        done = r.render(recipe.steps())
        verdict = judge_sweep(r, recipe.steps())
    assert done.shape == picture.pixels.shape
    assert np.isfinite(done).all()
    cleans = any(s.kind.id == "noise" for s in recipe.steps().steps if isinstance(s, Step))
    assert verdict.noise_left is not None
    assert verdict.noise_left < (60 if cleans else 130)


@pytest.mark.slow
@pytest.mark.parametrize("file", MADE)
def test_every_shipped_recipe_suits_its_demo_picture(file: str) -> None:
    ensure_demo_data(demo_folder())
    picture = open_picture(demo_folder() / SHOWN_ON[file])
    recipe = load_recipe(SHIPPED / f"{file}.recipe.json")
    sweep = with_first_steps(recipe.steps(), picture.kind)
    h, w = picture.size
    middle = Region(h // 2 - 96, w // 2 - 96, h // 2 + 96, w // 2 + 96)
    with Renderer(picture) as r:
        before, after = (r.at_once(s, middle) for s in (r.reference(sweep), sweep))
    assert np.isfinite(after).all()
    assert 1e-5 < np.abs(after - before).mean() < 0.1
    assert recipe.did.before != recipe.did.after
    assert after.mean() == pytest.approx(before.mean(), abs=0.03)


def test_what_was_typed_absolutely_is_marked() -> None:
    assert "2.2 px *" in recipe_of(sweep("edge-sharpen:radius=2.2"), "x").words()
    assert "*" not in recipe_of(sweep("edge-sharpen:amount=2"), "x").words()


def test_the_published_schema_is_that_of_this_version() -> None:
    assert json.loads((DOCS / "recipe.schema.json").read_text()) == json.loads(
        json.dumps(schema(lambda: describe(STEPS)))
    )


def test_the_schema_refuses_what_the_reader_refuses() -> None:
    validator = jsonschema.Draft202012Validator(schema(lambda: describe(STEPS)))
    good = json.loads(recipe_of(sweep("noise"), "x").model_dump_json())
    validator.validate(good)
    for spoil in (
        lambda d: d.update(name=""), lambda d: d["sweep"].update(steps=[]),
        lambda d: d["sweep"]["steps"][0].update(step="sweeping"),
        lambda d: d["sweep"]["steps"][0]["params"].update(luminance=99),
    ):  # fmt: skip
        bad = json.loads(json.dumps(good))
        spoil(bad)
        assert not validator.is_valid(bad)


def test_kept_renamed_doubled_removed_and_put_back(shelf: Shelf, tmp_path: Path) -> None:
    made = recipe_of(
        sweep("noise"), "Über / Nacht", MadeOn(picture="a.tif", camera="Lanthorn", iso=3200), when="At night."
    )
    kept = shelf.keep(made)
    again = shelf.keep(made)
    assert kept.path != again.path
    kept = shelf.change(kept, name="Night", about="Long.")
    assert shelf.named("night").about == "Long."
    double = shelf.double(kept)
    assert double.name == "Night 2"
    undo = shelf.remove(double)
    assert not double.path.exists()
    undo()
    assert load_recipe(double.path).name == "Night 2"
    brought = shelf.bring(kept.path)
    assert brought.name == "Night 3"
    own = [s for s in shelf.all() if not s.shipped]
    assert len(own) == 4
    assert {s.name for s in shelf.found("lanthorn 3200")} == {s.name for s in own}
    assert [s.name for s in shelf.found("night", SortedBy.NAME)][:2] == ["Concert at night", "Night"]


def test_shipped_ones_stay_as_they_are(shelf: Shelf) -> None:
    first = next(s for s in shelf.all() if s.shipped)
    with pytest.raises(WrongUse, match="came with Dustpan"):
        shelf.change(first, name="mine")
    with pytest.raises(WrongUse):
        shelf.remove(first)
    assert not shelf.double(first).shipped


def test_a_damaged_file_is_told_and_the_others_are_there(shelf: Shelf) -> None:
    shelf.keep(recipe_of(sweep("noise"), "Good"))
    (shelf.folder / "bad.recipe.json").write_text('{"dustpan_recipe": 1, "name": "x", "sweep"')
    assert "Good" in [s.name for s in shelf.all()]
    assert "bad.recipe.json" in shelf.problems[0]


@pytest.mark.slow
@settings(max_examples=60)
@given(
    st.recursive(
        st.none() | st.booleans() | st.floats() | st.text(),
        lambda c: st.lists(c) | st.dictionaries(st.text(), c),
        max_leaves=12,
    )
)
def test_anything_that_is_no_recipe_is_refused_with_a_sentence(data: object) -> None:
    for tried in (
        data,
        {"dustpan_recipe": 1, "name": "x", "sweep": data},
        {"dustpan_recipe": data, "name": "x", "sweep": {}},
    ):
        with pytest.raises(DustpanError):
            recipe_from_json(tried)


def test_a_name_a_recipe_file_and_a_sweep_file_all_say_what_to_do(tmp_path: Path) -> None:
    save_sweep(sweep("noise:luminance=0.5"), tmp_path / "a.sweep.json")
    made = recipe_of(sweep("noise:luminance=0.5"), "x")
    (tmp_path / "b.recipe.json").write_text(made.model_dump_json())
    assert sweep_in(tmp_path / "a.sweep.json") == sweep_in(tmp_path / "b.recipe.json")
    assert len(sweep_named("Concert at night").steps) == 4
    with pytest.raises(WrongUse, match="There is no recipe"):
        sweep_named("nowhere")
    with pytest.raises(FileProblem):
        sweep_named(str(tmp_path / "none.json"))
    with pytest.raises(WrongUse, match="at least one step"):
        recipe_of(Sweep(), "empty")


def test_a_chain_is_laid_in_as_one_and_found_again() -> None:
    chain = Recipe(name="Detail", sweep=sweep("fine-detail", "fine-detail:radius=6").as_json(), chain=True)
    laid = sweep("noise", "tone").with_recipe(chain.steps(), chain.name)
    assert [s.name for s in laid.steps] == ["Noise", "Fine detail", "Fine detail", "Tone"]
    assert laid.chain_of(1) == laid.chain_of(2) == range(1, 3)
    assert laid.chain_of(0) == range(1)
    loose = sweep("edge-sharpen").with_recipe(sweep("noise", "grain"))
    assert [s.name for s in loose.steps] == ["Noise", "Edge sharpen", "Grain"]
