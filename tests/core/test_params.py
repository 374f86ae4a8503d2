"""Parameters of every type: typed, checked, described, shrunk."""

from __future__ import annotations

import json
from enum import StrEnum

import pytest

from dustpan.core.errors import WrongUse
from dustpan.core.params import Choice, Number, Params, Places, Switch, choice, number, parse_values, places, switch


class Way(StrEnum):
    NEAR = "near"
    FAR = "far"


class Several(Params):
    size: float = number(3, 0, 50, label="Size", unit="px", help="How large.", digits=1, group="Shape")
    share: float = number(10, 0, 100, label="Share", unit="%", help="How much.", deeper=True)
    way: Way = choice(Way, Way.NEAR, label="Way", help="Which way.")
    dark: bool = switch(False, label="Dark", help="Dark ones as well.")
    spared: tuple[tuple[float, float], ...] = places(label="Spared", help="What stays.")


def test_each_type_is_described() -> None:
    found = {c.name: c for c in Several.controls()}
    assert [type(c) for c in found.values()] == [Number, Number, Choice, Switch, Places]
    assert (found["size"].default, found["size"].group, found["share"].deeper) == (3, "Shape", True)
    assert found["size"].span() == "0 to 50"
    assert found["way"].span() == "near, far"
    schema = json.loads(json.dumps(Several.model_json_schema()))["properties"]
    assert (schema["size"]["minimum"], schema["size"]["maximum"], schema["size"]["unit"]) == (0, 50, "px")
    assert schema["way"]["options"] == ["near", "far"]


@pytest.mark.parametrize(
    ("name", "text", "value"),
    [
        ("size", "4.5", 4.5), ("way", "far", Way.FAR), ("dark", "1", True), ("dark", "off", False),
        ("spared", "3/4;5.5/6", ((3, 4), (5.5, 6))), ("spared", "", ()),
    ],
)  # fmt: skip
def test_what_is_typed_becomes_a_value(name: str, text: str, value: object) -> None:
    made = Several.make("Several", parse_values(Several, [(name, text)]))
    assert getattr(made, name) == value


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        ("size", "51", "Several: size must be a number from 0 to 50 px, not 51.0"),
        ("size", "large", "not 'large'"), ("size", "nan", "must be a number"), ("way", "up", "one of near, far"),
        ("dark", "perhaps", "one of 1, 0"), ("spared", "here", "one of y/x"), ("wisdom", "7", "no parameter “wisdom”"),
    ],
)  # fmt: skip
def test_what_makes_no_sense_is_refused_with_what_would(name: str, text: str, words: str) -> None:
    with pytest.raises(WrongUse, match=words):
        Several.make("Several", parse_values(Several, [(name, text)]))


def test_sizes_and_places_shrink_beyond_their_range_and_the_rest_stays() -> None:
    params = Several(size=1, share=40, spared=((8.0, 16.0),))
    small = params.scaled(0.125)
    assert (small.size, small.share, small.spared, small.way) == (0.125, 40, ((1, 2),), Way.NEAR)
    assert params.size == 1


def test_a_value_never_changes_in_place() -> None:
    with pytest.raises(ValueError, match="frozen"):
        Several().size = 4  # type: ignore[misc]
