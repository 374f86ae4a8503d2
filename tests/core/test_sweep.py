from __future__ import annotations

import contextlib
import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dustpan.core.blend import Blend
from dustpan.core.errors import FileProblem, WrongUse
from dustpan.core.grammar import parse_step
from dustpan.core.history import History
from dustpan.core.params import Choice, Number
from dustpan.core.steps import STEPS
from dustpan.core.sweep import (
    KeptStep,
    Step,
    Sweep,
    beside,
    describe,
    load_sweep,
    make_step,
    save_sweep,
    sweep_from_json,
)

UNKNOWN = {"step": "moon-dust", "version": 3, "on": True, "craters": [1, 2, {"deep": None}], "name": "Straße"}
NEWER = {"step": "noise", "version": 99, "params": {"luminance": 1, "wisdom": 7}}


@st.composite
def sweeps(draw: st.DrawFn) -> Sweep:
    steps = []
    for kind in draw(st.lists(st.sampled_from(STEPS), max_size=5)):
        values = {
            c.name: draw(st.sampled_from(c.options) if isinstance(c, Choice) else st.floats(c.low, c.high))
            for c in kind.controls()
            if isinstance(c, Choice | Number)
        }
        step = Step(
            kind, kind.make(values), draw(st.booleans()), draw(st.floats(0, 1)), draw(st.sampled_from(list(Blend)))
        )
        steps.append(step)
    return Sweep(tuple(steps))


@pytest.mark.slow
@given(sweeps())
def test_a_sweep_survives_its_json(sweep: Sweep) -> None:
    assert sweep_from_json(json.loads(json.dumps(sweep.as_json()))) == sweep


@given(sweeps(), st.data())
def test_moving_there_and_back_is_the_same_sweep(sweep: Sweep, data: st.DataObject) -> None:
    if sweep.steps:
        a, b = (data.draw(st.integers(0, len(sweep.steps) - 1)) for _ in range(2))
        assert sweep.moved(a, b).moved(b, a) == sweep


def test_unknown_and_newer_steps_are_kept_word_for_word_and_off(tmp_path: Path) -> None:
    data = {"dustpan_sweep": 1, "steps": [UNKNOWN, make_step("noise").as_json(), NEWER], "mood": "calm"}
    sweep = sweep_from_json(data)
    assert [isinstance(s, KeptStep) for s in sweep.steps] == [True, False, True]
    assert [s.on for s in sweep.steps] == [False, True, False]
    assert "newer" in sweep.steps[2].reason
    assert len(sweep.active) == 1
    save_sweep(sweep.moved(1, 0), tmp_path / "x.json")
    saved = json.loads((tmp_path / "x.json").read_text("utf-8"))
    assert saved["steps"][1:] == [UNKNOWN, NEWER]
    assert saved["mood"] == "calm"


@pytest.mark.parametrize("extra", [{"where": [{"part": "moon"}]}, {"blend": "stardust"}])
def test_what_a_newer_version_added_to_a_step_is_kept_too(extra: dict) -> None:
    raw = {**make_step("noise").as_json(), **extra}
    (step,) = sweep_from_json({"dustpan_sweep": 1, "steps": [raw]}).steps
    assert isinstance(step, KeptStep)
    assert step.as_json() == raw


def test_a_kept_step_cannot_be_changed_and_says_why() -> None:
    sweep = Sweep((KeptStep(UNKNOWN, "this Dustpan does not know it"),))
    with pytest.raises(WrongUse, match=r"moon-dust.*does not know"):
        sweep.changed(0, opacity=0.5)


@pytest.mark.parametrize(
    "text",
    [
        "", "{", "[]", "null", '{"steps": []}', '{"dustpan_sweep": true, "steps": []}',
        '{"dustpan_sweep": 1, "steps": [5]}', '{"dustpan_sweep": 2, "steps": []}', '{"dustpan_sweep": 1, "steps": {}}',
        '{"dustpan_sweep": 1, "steps": [{"step": "noise", "version": 1, "opacity": 7}]}',
        '{"dustpan_sweep": 1, "steps": [{"step": "noise", "version": 1, "params": {"luminance": "loud"}}]}',
        "[" * 5000, "\x00\x01", '{"dustpan_sweep": 1, "steps": [], "more": ' + "9" * 5000 + "}",
        '{"dustpan_sweep": 1, "steps": ' + '[{"step": "noise", "params": {"x": ' * 400 + "}",
        '{"dustpan_sweep": 1, "steps": [' + ", ".join(['{"step": "noise"}'] * 1500) + "]}",
        '{"dustpan_sweep": 1, "steps": [{"step": "noise", "params": {"luminance": ' + "9" * 400 + "}}]}",
        '{"dustpan_sweep": 1, "more": ' + "[" * 100_000 + "]" * 100_000 + ', "steps": []}',
    ],
)  # fmt: skip
def test_a_damaged_sweep_file_ends_in_one_sentence_with_its_name(tmp_path: Path, text: str) -> None:
    path = tmp_path / "harbour.sweep.json"
    path.write_text(text)
    with pytest.raises(FileProblem, match=r"^harbour\.sweep\.json: [^\n]+\.$"):
        load_sweep(path)


def test_a_sweep_file_that_is_no_text_or_is_missing(tmp_path: Path) -> None:
    path = tmp_path / "a.json"
    with pytest.raises(FileProblem, match="no such file"):
        load_sweep(path)
    path.write_bytes(b"\xff\xfe\x00" * 50)
    with pytest.raises(FileProblem, match="holds no text"):
        load_sweep(path)


@given(st.binary(max_size=300))
def test_any_bytes_as_a_sweep_file_give_a_sweep_or_a_sentence(tmp_path: Path, data: bytes) -> None:
    path = tmp_path / "any.json"
    path.write_bytes(data)
    with contextlib.suppress(FileProblem):
        load_sweep(path)


def test_a_sweep_is_saved_beside_its_picture() -> None:
    assert beside(Path("/a/moon.tif")) == Path("/a/moon.tif.sweep.json")


def test_a_new_step_lands_at_its_natural_place() -> None:
    sweep, at = Sweep((make_step("edge-sharpen"),)).added(make_step("noise"))
    assert (at, [s.name for s in sweep.steps]) == (0, ["Noise", "Edge sharpen"])
    sweep, at = sweep.added(make_step("noise"))
    assert (at, len(sweep.steps)) == (1, 3)


def test_steps_of_the_command_line() -> None:
    step = parse_step("noise:luminance=0.5, give_back=20")
    assert (step.params.luminance, step.params.colour, step.params.give_back) == (0.5, 1.0, 20)
    for text, part in [
        ("dust", "There is no step"), ("noise:loud=1", "no parameter"), ("noise:luminance=9", "from 0 to 4"),
        ("noise:luminance", "name=value"),
        ("noise:quality=best", "one of quick, exact, finest"), ("noise:luminance=nan", "must be a number"),
    ]:  # fmt: skip
        with pytest.raises(WrongUse, match=part):
            parse_step(text)


def test_steps_are_described_as_json_schema() -> None:
    found = {d["id"]: d for d in describe(STEPS)}
    luminance = found["noise"]["params"]["properties"]["luminance"]
    assert (luminance["minimum"], luminance["maximum"], luminance["default"]) == (0, 4, 1.0)
    assert luminance["unit"] == "×noise"
    assert all(d["params"]["additionalProperties"] is False for d in found.values())


def test_every_control_says_what_it_does() -> None:
    for kind in STEPS:
        assert kind.help.endswith(".")
        for c in kind.controls():
            assert c.label, (kind.id, c.name)
            assert c.unit or not isinstance(c, Number), (kind.id, c.name)
            assert c.help.endswith("."), (kind.id, c.name)
            assert kind.make({c.name: c.default})
            assert c.span()


def test_every_step_has_an_id_and_a_place_of_its_own() -> None:
    assert len({k.id for k in STEPS}) == len({k.place for k in STEPS}) == len(STEPS)
    assert [k.place for k in STEPS] == sorted(k.place for k in STEPS)


def test_a_copy_with_other_values_is_checked_like_a_new_one() -> None:
    params = make_step("noise").params
    assert params.model_copy(update={"luminance": 0.5}).luminance == 0.5
    for update in ({"luminance": 9}, {"loud": 1}, {"quality": "best"}, {"blue": float("nan")}):
        with pytest.raises(WrongUse):
            params.model_copy(update=update)


# ---------------------------------------------------------------- history


def test_undo_and_redo_by_name() -> None:
    history = History(Sweep())
    one = Sweep((make_step("noise"),))
    two, _ = one.added(make_step("edge-sharpen"))
    history.change("add Noise", one)
    history.change("add Edge sharpen", two)
    assert (history.undo_name, history.redo_name, history.dirty) == ("add Edge sharpen", "", True)
    assert history.undo() == one
    assert (history.undo_name, history.redo_name) == ("add Noise", "add Edge sharpen")
    assert history.redo() == two
    assert history.undo() == one
    assert history.undo() == Sweep()
    assert history.undo() == Sweep()
    assert not history.dirty
    history.change("add Edge sharpen", two)
    assert history.redo_name == ""


def test_a_drag_is_one_change_and_the_next_drag_another() -> None:
    history = History(Sweep((make_step("noise"),)))

    def drag(values: list[float]) -> None:
        for v in values:
            history.change("Noise: Luminance", Sweep((make_step("noise", {"luminance": v}),)), ongoing=True)
        history.settle()

    drag([0.9, 0.8, 0.7])
    drag([0.6, 0.5])
    assert history.undo().steps[0].params.luminance == 0.7
    assert history.undo().steps[0].params.luminance == 1.0


def test_saving_makes_the_work_clean_and_undoing_makes_it_dirty() -> None:
    history = History(Sweep())
    history.change("add Noise", Sweep((make_step("noise"),)))
    history.mark_saved()
    assert not history.dirty
    history.undo()
    assert history.dirty


@pytest.mark.parametrize("version", [1, 2])
def test_noise_of_older_versions_is_read_as_it_was(version: int) -> None:
    old = {"step": "noise", "version": version, "params": {"luminance": 0.7}}
    step = sweep_from_json({"dustpan_sweep": 1, "steps": [old]}).active[0]
    assert (step.params.luminance, step.params.quality, step.params.blotches) == (0.7, "exact", 0)
    assert step.as_json()["version"] == 3
