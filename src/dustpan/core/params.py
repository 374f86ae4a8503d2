"""Parameters: what a step or a part of a mask can be told, described once for every front end.

A parameter model is a subclass of `Params` with one `number(...)`, `choice(...)`, `switch(...)`, `places(...)`,
`triples(...)`, `text(...)` or `strokes(...)` a field. The description of a field is a `Control`. A new type of
parameter is a new subclass of it, and a widget for it in the window's registry of controls; nothing else has to know.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cache, cached_property
from typing import Annotated, Any, ClassVar, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_serializer, field_validator, model_validator
from pydantic.fields import FieldInfo
from pydantic_core import PydanticCustomError

from dustpan.core.errors import WrongUse
from dustpan.core.language import say

FAR = 300_000.0  # px, from the corner of a picture: no place lies farther out
PX = "px"  # the unit of parameters that shrink with the picture


@dataclass(frozen=True)
class Control:
    """One parameter as front ends show it.

    Attributes
    ----------
    label, help : as shown beside the control; ``help`` says what happens to the picture.
    unit : as shown behind the value; empty for none.
    group : parameters of one group stand together. deeper : shown one click deeper.
    typed : its name on the command line, where that is another one.
    name, default : filled in from the field.
    """

    label: str
    help: str
    unit: str = ""
    group: str = ""
    deeper: bool = False
    name: str = ""
    default: Any = None
    typed: str = ""
    type: ClassVar[str] = ""

    def __call__(self, schema: dict[str, Any]) -> None:
        """Add what is shown to a field's JSON Schema (pydantic calls this)."""
        schema |= {"label": self.label, "unit": self.unit, "group": self.group, "deeper": self.deeper}

    def parse(self, text: str) -> Any:
        """A value from what was typed on the command line; one that makes no sense is refused later."""
        return text

    def span(self) -> str:
        """What values are allowed, in words."""
        return ""

    def wrong(self, owner: str, given: object) -> WrongUse:
        """The error for a value that is not allowed."""
        return WrongUse("{0}: {1} must be one of {2}.", say(owner), self.name, self.span())

    def scaled(self, value: Any, factor: float) -> Any:
        """The value that does the same in a picture ``factor`` times as large."""
        return value

    def texts(self) -> tuple[str, ...]:
        """All that is shown of it, in English."""
        return (self.label, self.help, self.unit, self.group)


@dataclass(frozen=True)
class Number(Control):
    """A number from ``low`` to ``high``, shown with so many ``digits``."""

    low: float = 0
    high: float = 1
    digits: int = 2
    type: ClassVar[str] = "number"

    def __call__(self, schema: dict[str, Any]) -> None:
        super().__call__(schema)
        schema["digits"] = self.digits

    def parse(self, text: str) -> Any:
        try:
            return float(text)
        except ValueError:
            return text

    def span(self) -> str:
        return f"{self.low:g} to {self.high:g}"

    def wrong(self, owner: str, given: object) -> WrongUse:
        unit = f" {say(self.unit)}" if self.unit else ""
        words = "{0}: {1} must be a number from {2:g} to {3:g}{4}, not {5!r}."
        return WrongUse(words, say(owner), self.name, self.low, self.high, unit, given)

    def scaled(self, value: Any, factor: float) -> Any:
        return value * factor if self.unit == PX else value


@dataclass(frozen=True)
class Choice(Control):
    """One of several ways, shown as they are."""

    options: tuple[str, ...] = ()
    type: ClassVar[str] = "choice"

    def __call__(self, schema: dict[str, Any]) -> None:
        super().__call__(schema)
        schema["options"] = list(self.options)

    def span(self) -> str:
        return ", ".join(self.options)

    def texts(self) -> tuple[str, ...]:
        return (*super().texts(), *self.options)


@dataclass(frozen=True)
class Switch(Control):
    """On or off; typed as 1 or 0."""

    type: ClassVar[str] = "switch"

    def parse(self, text: str) -> Any:
        return {"1": True, "on": True, "true": True, "0": False, "off": False, "false": False}.get(text.lower(), text)

    def span(self) -> str:
        return "1, 0"


@dataclass(frozen=True)
class Places(Control):
    """Places (y, x) in px of the picture; typed as y/x, parted by semicolons."""

    unit: str = PX
    type: ClassVar[str] = "places"

    def parse(self, text: str) -> Any:
        try:
            return tuple((float(y), float(x)) for y, x in (p.split("/") for p in filter(None, text.split(";"))))
        except ValueError:
            return text

    def span(self) -> str:
        return "y/x;y/x …"

    def scaled(self, value: Any, factor: float) -> Any:
        return tuple((y * factor, x * factor) for y, x in value)


@dataclass(frozen=True)
class Triples(Control):
    """Colours of three numbers each; typed as a/b/c, parted by semicolons."""

    type: ClassVar[str] = "triples"

    def parse(self, text: str) -> Any:
        try:
            return tuple(
                (float(a), float(b), float(c)) for a, b, c in (p.split("/") for p in filter(None, text.split(";")))
            )
        except ValueError:
            return text

    def span(self) -> str:
        return "L/a/b;L/a/b …"


@dataclass(frozen=True)
class Text(Control):
    """A name, or a file."""

    type: ClassVar[str] = "text"


Point = tuple[float, float, Annotated[float, Field(ge=0, le=1)]]


class Stroke(BaseModel):
    """One stroke of a brush.

    size : px, of a dab. soft : 0 hard to 1 soft all the way. opacity : the most that it reaches. flow : how much nearer
    to that one dab brings. erase : it takes away. points : (y, x, pressure) in px of the picture, pressure 0 to 1.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    size: float = Field(ge=0.5, le=20_000)
    soft: float = Field(default=0.5, ge=0, le=1)
    opacity: float = Field(default=1.0, ge=0, le=1)
    flow: float = Field(default=1.0, ge=0.01, le=1)
    erase: bool = False
    points: tuple[Point, ...] = Field(min_length=1, max_length=100_000)

    @field_validator("points")
    @classmethod
    def _within_reach(cls, points: tuple[Point, ...]) -> tuple[Point, ...]:
        if any(not (abs(y) <= FAR and abs(x) <= FAR and 0 <= press <= 1) for y, x, press in points):
            raise ValueError("a point lies beyond any picture")
        return points

    @field_validator("points", mode="before")
    @classmethod
    def _read(cls, points: Any) -> Any:
        """Also as files keep them."""
        if not isinstance(points, str):
            return points
        found = ([float(v) for v in point.split("/")] for point in points.split())
        return tuple((*values, 1.0) if len(values) == 2 else tuple(values) for values in found)

    @field_serializer("points", when_used="json")
    def _kept(self, points: tuple[Point, ...]) -> str:
        """As y/x/pressure with spaces between, without a pressure of 1: a painted mask is thousands of them."""
        said = ((y, x) if p == 1 else (y, x, p) for y, x, p in points)
        return " ".join("/".join(repr(v).removesuffix(".0") for v in values) for values in said)

    @cached_property
    def key(self) -> str:
        """What tells it from every other."""
        return repr(self)

    def scaled(self, factor: float) -> Stroke:
        """The same in a picture ``factor`` times as large."""
        points = tuple((y * factor, x * factor, p) for y, x, p in self.points)
        return Stroke.model_construct(**{**dict(self), "size": self.size * factor, "points": points})


@dataclass(frozen=True)
class Strokes(Control):
    """Strokes of a brush; typed as SIZE@y/x>y/x …, with ! behind the size to erase, parted by semicolons."""

    unit: str = PX
    type: ClassVar[str] = "strokes"

    def parse(self, text: str) -> Any:
        try:
            return tuple(self._stroke(t) for t in filter(None, text.split(";")))
        except (ValueError, ValidationError):
            return text

    @staticmethod
    def _stroke(text: str) -> Stroke:
        size, at, places = text.partition("@")
        if not at:
            raise ValueError(text)
        points = tuple((float(y), float(x), 1.0) for y, x in (p.split("/") for p in places.split(">")))
        return Stroke(size=float(size.rstrip("!")), erase=size.endswith("!"), points=points)

    def span(self) -> str:
        return "SIZE@y/x>y/x;SIZE!@y/x …"

    def scaled(self, value: Any, factor: float) -> Any:
        return tuple(s.scaled(factor) for s in value)


def number(default: float, low: float, high: float, *, label: str, unit: str, help: str, **shown: Any) -> Any:
    """A field that holds a number; ``shown`` are further attributes of `Number`."""
    control = Number(label=label, help=help, unit=unit, low=low, high=high, **shown)
    return Field(default, ge=low, le=high, description=help, json_schema_extra=control)


def choice(options: type[StrEnum], default: StrEnum, *, label: str, help: str, **shown: Any) -> Any:
    """A field that holds one of ``options``."""
    control = Choice(label=label, help=help, options=tuple(o.value for o in options), **shown)
    return Field(default, description=help, json_schema_extra=control)


def switch(default: bool, *, label: str, help: str, **shown: Any) -> Any:
    """A field that is on or off."""
    return Field(default, description=help, json_schema_extra=Switch(label=label, help=help, **shown))


def places(*, label: str, help: str, **shown: Any) -> Any:
    """A field that holds places of the picture; its type is ``tuple[tuple[float, float], ...]``."""
    return Field((), description=help, json_schema_extra=Places(label=label, help=help, **shown))


def triples(*, label: str, help: str, **shown: Any) -> Any:
    """A field that holds colours; its type is ``tuple[tuple[float, float, float], ...]``."""
    return Field((), description=help, json_schema_extra=Triples(label=label, help=help, **shown))


def text(*, label: str, help: str, **shown: Any) -> Any:
    """A field that holds a text of at most 4096 characters."""
    return Field("", max_length=4096, description=help, json_schema_extra=Text(label=label, help=help, **shown))


def strokes(*, label: str, help: str, **shown: Any) -> Any:
    """A field that holds strokes; its type is ``tuple[Stroke, ...]``."""
    return Field((), description=help, json_schema_extra=Strokes(label=label, help=help, **shown))


class Params(BaseModel):
    """Base of every parameter model: values never change in place, unknown names are refused."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    @model_validator(mode="after")
    def _within_reach(self) -> Self:
        """Places lie where a picture can be."""
        for name in _places_of(type(self)):
            if any(abs(v) > FAR for place in getattr(self, name) for v in place):
                raise PydanticCustomError("far", "a place lies beyond any picture", {"name": name})
        return self

    @classmethod
    def controls(cls) -> tuple[Control, ...]:
        """Its parameters, described."""
        return tuple(_control(name, info) for name, info in cls.model_fields.items())

    @classmethod
    def control(cls, name: str) -> Control:
        """One of them by its name."""
        return _control(name, cls.model_fields[name])

    @classmethod
    def make(cls, owner: str, values: Mapping[str, Any]) -> Self:
        """Parameters from names and values, checked.

        Raises
        ------
        WrongUse : which value of ``owner`` (a name as shown) is wrong, and what is allowed.
        """
        try:
            return cls(**values)
        except ValidationError as error:
            first = error.errors()[0]
        name = str(first["loc"][0] if first["loc"] else first.get("ctx", {}).get("name", ""))
        if name not in cls.model_fields:
            raise WrongUse("{0} has no parameter “{1}”; it has {2}.", say(owner), name, ", ".join(cls.model_fields))
        raise cls.control(name).wrong(owner, first["input"])

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """With some values replaced; checked like new ones, unlike pydantic's own."""
        return type(self).make(type(self).__name__, {**dict(self), **(update or {})})

    def scaled(self, factor: float) -> Self:
        """What does the same in a picture ``factor`` times as large; sizes in px may leave their range for that."""
        values = {c.name: c.scaled(getattr(self, c.name), factor) for c in self.controls()}
        return type(self).model_construct(**values)

    def as_json(self) -> dict[str, Any]:
        """Names and values as a sweep file keeps them."""
        return self.model_dump(mode="json")


@cache
def _places_of(params: type[Params]) -> tuple[str, ...]:
    """The names of the parameters that hold places."""
    return tuple(n for n, info in params.model_fields.items() if isinstance(info.json_schema_extra, Places))


def _control(name: str, info: FieldInfo) -> Control:
    shown = info.json_schema_extra
    assert isinstance(shown, Control), f"{name} has to be made by number, choice, switch or another of these"
    return replace(shown, name=name, default=info.default)


def parse_values(params: type[Params], pairs: Iterable[tuple[str, str]]) -> dict[str, Any]:
    """Values from names and typed texts; an unknown name keeps its text, for `Params.make` to refuse."""
    known = {c.typed or c.name: c for c in params.controls()}
    return {known[n].name if n in known else n: known[n].parse(text) if n in known else text for n, text in pairs}
