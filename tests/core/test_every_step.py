"""What every step has to do, whatever it does: a new one is tested here as soon as it is in the list.

Each step runs on small made pictures; all of it together takes a few seconds.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dustpan.core.cancel import Cancel
from dustpan.core.colour import decode, encode
from dustpan.core.errors import Cancelled, WrongUse
from dustpan.core.look import LookKind
from dustpan.core.looks.all import LOOKS
from dustpan.core.params import Choice, Number, Params, Places, Switch
from dustpan.core.parts import PARTS
from dustpan.core.picture import Depth, Kind, Picture, Sensor, from_array
from dustpan.core.region import Region
from dustpan.core.render.cache import Cache
from dustpan.core.render.renderer import Renderer
from dustpan.core.step import StepKind
from dustpan.core.steps import STEPS, finder_of
from dustpan.core.sweep import Step, Sweep, sweep_from_json
from dustpan.demo.raw_camera import NEUTRAL, RGGB, SEES, Exposure, counts, seen
from tests.scenes import desk, noisy_b, noisy_c

SIZE = (150, 171)  # two tiles across, and no multiple of anything
EVERY = pytest.mark.parametrize("kind", STEPS, ids=lambda k: k.id)


OF_COLOUR = {"neutral-blacks"}  # of colours alone, so that greys have nothing for them
TELL = {"deblur": {"kind": "round"}}  # what is told to those that find nothing to do in the pictures here


def strong(kind: StepKind) -> Step:
    """A step with parameters that do something."""
    params = kind.make(TELL.get(kind.id, {}))
    if kind.idle(params):
        numbers = {c.name: c.high for c in kind.controls() if isinstance(c, Number)}
        params = kind.make(numbers)
    return Step(kind, params)


@pytest.fixture(scope="module")
def pictures() -> dict[Kind, Picture]:
    colour = noisy_c(desk())[1][60 : 60 + SIZE[0], 100 : 100 + SIZE[1]]
    grey = noisy_b(desk())[1].mean(-1, keepdims=True)[60 : 60 + SIZE[0], 100 : 100 + SIZE[1]]
    return {Kind.RGB: from_array(colour), Kind.MONO: from_array(grey)} | sensors()


def sensors() -> dict[Kind, Picture]:
    """The same scene as a sensor sees it: through a filter, without one, and with all colours in every place."""
    light = decode(desk()[60 : 60 + SIZE[0], 100 : 100 + SIZE[1]])
    taken, rng = Exposure(electrons=400, darker=1), np.random.default_rng(4)
    mosaic = (counts(seen(light, taken), taken, 3).astype(float) - taken.black) / (taken.white - taken.black)
    grey, colours = (light[..., 1:2] / 2, light @ SEES.T * NEUTRAL / 2)
    sensor = Sensor(RGGB, ("red", "green", "blue"), balance=tuple((1 / NEUTRAL).tolist()), daylight=(2.2, 1.0, 1.6))
    made = {}
    for kind, values in ((Kind.MOSAIC, mosaic[..., None]), (Kind.BARE, grey), (Kind.CAMERA, colours)):
        noisy = values if kind is Kind.MOSAIC else values + 0.01 * rng.normal(size=values.shape)
        own = sensor if kind is Kind.MOSAIC else replace(sensor, pattern=((0,),))
        made[kind] = Picture(np.asarray(encode(noisy), np.float32), kind, Depth.SIXTEEN, sensor=own)
    return made


def fitting(kind: StepKind, pictures: dict[Kind, Picture]) -> list[Picture]:
    found = [p for k, p in pictures.items() if k in kind.takes]
    if not found:
        pytest.skip("it takes neither mono nor colour; it has tests of its own")
    return found


def moved(step: Step) -> list[Step]:
    """The step with each of its sliders moved a little, one at a time."""
    found = []
    for control in step.kind.controls():
        if isinstance(control, Number):
            now = getattr(step.params, control.name)
            to = control.low + 0.6 * (now - control.low) if now > control.low else (control.low + control.high) / 2
            found.append(replace(step, params=step.params.model_copy(update={control.name: type(now)(to)})))
    return found


@pytest.mark.slow
@EVERY
def test_a_slider_gives_what_a_new_look_gives(kind: StepKind, pictures: dict[Kind, Picture]) -> None:
    """What is kept of the stages before is gone on from, and that is not seen."""
    picture, step = fitting(kind, pictures)[0], strong(kind)
    region = Region(10, 12, *(n - 9 for n in picture.size))
    with Renderer(picture, threads=2) as renderer:
        renderer.render(Sweep((step,)))
        for other in moved(step):
            with Renderer(picture, threads=2, cache=Cache()) as fresh:
                whole = fresh.render(Sweep((other,)))[region.slices()]
            found = renderer.at_once(Sweep((other,)), region)
            np.testing.assert_allclose(found, whole, atol=2e-5, err_msg=str(other.params))


@EVERY
def test_its_description_is_whole(kind: StepKind) -> None:
    assert kind.id == kind.id.lower().replace(" ", "-")
    assert kind.name[0].isupper()
    assert kind.help.endswith(".")
    assert kind.takes
    assert kind.summary(kind.params())
    assert len({s.name for s in kind.stages}) == len(kind.stages)
    for c in kind.controls():
        assert c.label, c.name
        assert c.help.endswith("."), c.name
        assert c.span(), c.name
        assert c.unit or not isinstance(c, Number), c.name
        assert kind.make({c.name: c.default}) == kind.params()
    schema = kind.params.model_json_schema()
    assert schema["additionalProperties"] is False
    assert all(p["label"] for p in schema["properties"].values())


@EVERY
def test_what_is_wrong_is_refused_by_name(kind: StepKind) -> None:
    with pytest.raises(WrongUse, match="has no parameter “wisdom”"):
        kind.make({"wisdom": 1})
    for c in kind.controls():
        wrong = {Number: "much", Choice: "neither", Switch: "perhaps", Places: "everywhere"}[type(c)]
        with pytest.raises(WrongUse, match=c.name):
            kind.make({c.name: wrong})


@EVERY
def test_it_survives_its_json(kind: StepKind) -> None:
    sweep = Sweep((strong(kind), replace(strong(kind), on=False, opacity=0.25)))
    assert sweep_from_json(sweep.as_json()) == sweep


@EVERY
def test_idle_off_or_invisible_hands_on_the_very_samples(kind: StepKind, pictures: dict[Kind, Picture]) -> None:
    step = strong(kind)
    unseen = [replace(step, on=False), replace(step, opacity=0.0)]
    still = [values for values in ({c.name: c.low for c in kind.controls() if isinstance(c, Number)},) if values]
    unseen += [Step(kind, kind.make(v)) for v in still if kind.idle(kind.make(v))]
    for picture in fitting(kind, pictures):
        with Renderer(picture) as r:
            for one in unseen:
                assert np.array_equal(r.render(Sweep((one,))), picture.pixels)


@pytest.mark.slow
@EVERY
def test_it_does_something_and_keeps_the_size(kind: StepKind, pictures: dict[Kind, Picture]) -> None:
    for picture in fitting(kind, pictures):
        with Renderer(picture) as r:
            result = r.render(Sweep((strong(kind),)))
        assert result.shape[:2] == picture.size
        assert np.isfinite(result).all()
        nothing_found = kind.hits is not None and kind.id not in TELL  # an ordinary answer
        changed = result.shape != picture.pixels.shape or (result != picture.pixels).any()
        assert changed or nothing_found or (kind.id in OF_COLOUR and picture.kind is Kind.MONO)


@pytest.mark.slow
@EVERY
def test_its_bytes_do_not_depend_on_cut_threads_or_order(
    kind: StepKind, pictures: dict[Kind, Picture], monkeypatch: pytest.MonkeyPatch
) -> None:
    sweep = Sweep((strong(kind),))
    parts = [Region(0, 0, 77, 171), Region(33, 60, 150, 171), Region(100, 100, 101, 103)]
    for picture in fitting(kind, pictures):
        with Renderer(picture, threads=1) as r:
            whole = r.render(sweep)
        for threads in (1, 3):
            with Renderer(picture, threads=threads) as r:
                for part in reversed(parts):
                    assert np.array_equal(r.render(sweep, part), whole[part.slices()]), (picture.kind, threads, part)
        monkeypatch.setattr("dustpan.core.render.renderer.AT_ONCE", 0)
        with Renderer(picture, threads=2, cache=Cache(limit=500_000)) as r:
            assert np.array_equal(r.render(sweep), whole), picture.kind
        monkeypatch.undo()


@pytest.mark.slow
@EVERY
def test_a_draft_is_there_at_any_scale_and_leaves_nothing_behind(kind: StepKind, pictures: dict[Kind, Picture]) -> None:
    whole = Region(0, 0, *SIZE)
    for picture in fitting(kind, pictures):
        with Renderer(picture) as r:
            small = Sweep((strong(kind),)).scaled(1 if kind.full_size else 0.125)
            for sweep in (Sweep((strong(kind),)), small):
                draft = r.at_once(sweep, whole, draft=True)
                assert draft.shape[:2] == SIZE
                assert np.isfinite(draft).all()
                assert r.peek(sweep, whole) is None


@EVERY
def test_it_can_be_called_off(kind: StepKind, pictures: dict[Kind, Picture]) -> None:
    cancel = Cancel()
    cancel.set()
    for picture in fitting(kind, pictures):
        with Renderer(picture) as r, pytest.raises(Cancelled):
            r.render(Sweep((strong(kind),) if kind.gives else (Step(kind, kind.params()), strong(kind))), cancel=cancel)


@EVERY
def test_it_refuses_the_kinds_that_it_does_not_take(kind: StepKind) -> None:
    others = set(Kind) - kind.takes
    for other in others:
        picture = Picture(np.zeros((8, 8, other.channels), np.float32), other, from_array(DARK).depth)
        with Renderer(picture) as r, pytest.raises(WrongUse, match=other.value):
            r.render(Sweep((strong(kind),)))


DARK = np.zeros((8, 8), np.float32)


@pytest.mark.slow
@pytest.mark.parametrize("kind", [k for k in STEPS if finder_of(k)], ids=lambda k: k.id)
def test_what_it_finds_can_be_asked_for(kind: StepKind, pictures: dict[Kind, Picture]) -> None:
    finder = finder_of(kind)
    assert finder is not None
    for picture in fitting(kind, pictures):
        with Renderer(picture) as r:
            found = finder.hits({fact: r.fact(fact, Sweep()) for fact in finder.facts})
        assert list(found.score) == sorted(found.score)
        assert found.as_json()["count"] == len(found)


@EVERY
@settings(max_examples=10)
@given(st.data())
def test_sizes_in_px_shrink_with_the_picture_and_nothing_else_does(kind: StepKind, data: st.DataObject) -> None:
    params = strong(kind).params
    factor = data.draw(st.sampled_from([0.5, 0.25, 0.125, 2.0]))
    small = params.scaled(factor)
    for c in kind.controls():
        before, after = getattr(params, c.name), getattr(small, c.name)
        assert after == (pytest.approx(before * factor) if c.unit == "px" and isinstance(c, Number) else before)


def test_ids_and_places_are_their_own() -> None:
    assert len({k.id for k in STEPS}) == len({k.place for k in STEPS}) == len(STEPS)
    assert [k.place for k in STEPS] == sorted(k.place for k in STEPS)
    assert len({k.id for k in PARTS}) == len(PARTS)
    assert len({k.id for k in LOOKS}) == len(LOOKS)


@pytest.mark.parametrize("kind", LOOKS, ids=lambda k: k.id)
def test_every_look_is_described(kind: LookKind) -> None:
    assert kind.name
    assert kind.help
    assert kind.setting is None or kind.setting.low <= kind.setting.default <= kind.setting.high


def test_a_model_made_without_descriptions_is_noticed() -> None:
    class Bare(Params):
        size: float = 1.0

    with pytest.raises(AssertionError, match="size"):
        Bare.controls()
