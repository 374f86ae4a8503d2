"""What a step is, and the registry of steps.

A step is one module: a parameter model, stages that compute, and a `StepKind` that describes both. Everything else
(opacity, blend, tiles, caches, undo, JSON, controls, help, the command line) is made from that description.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, ValidationError
from pydantic.fields import FieldInfo

from dustpan.core.errors import WrongUse
from dustpan.core.language import say
from dustpan.core.picture import Kind
from dustpan.core.region import Region

INPUT = "input"


class Params(BaseModel):
    """Base of every parameter model: values never change in place, unknown names are refused."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


def parameter(
    default: float,
    low: float,
    high: float,
    *,
    label: str,
    unit: str,
    help: str,
    digits: int = 2,
    group: str = "",
    deeper: bool = False,
) -> Any:
    """A number with its range, unit and help.

    Parameters
    ----------
    label, unit, help : as shown beside the control; ``help`` says what happens to the picture.
    digits : decimals shown. group : parameters of one group stand together.
    deeper : shown one click deeper.
    """
    shown: Any = {"label": label, "unit": unit, "digits": digits, "group": group, "deeper": deeper}
    return Field(default, ge=low, le=high, description=help, json_schema_extra=shown)


def choice(options: type[StrEnum], default: StrEnum, *, label: str, help: str, deeper: bool = False) -> Any:
    """One of several ways; the values of ``options`` are shown as they are."""
    shown: Any = {"label": label, "unit": "", "digits": 0, "group": "", "deeper": deeper}
    shown["options"] = tuple(o.value for o in options)
    return Field(default, description=help, json_schema_extra=shown)


@dataclass(frozen=True)
class Control:
    """One parameter as a front end shows it; a number from ``low`` to ``high``, or one of ``options``."""

    name: str
    label: str
    unit: str
    help: str
    default: Any
    low: float
    high: float
    digits: int
    group: str
    deeper: bool
    options: tuple[str, ...] = ()


class Fact(StrEnum):
    """What can be asked about a step's input, or about the picture itself; measured once, never per tile."""

    NOISE_PRINT = "noise print"
    PICTURE_PRINT = "noise print of the picture"
    BLACKS = "blacks of the picture"

    @property
    def of_picture(self) -> bool:
        """Whether it is about the picture, whatever was done to it before the step."""
        return self is not Fact.NOISE_PRINT


class Context(Protocol):
    """What a stage gets: its parameters, facts about the step's input, and pixels on request."""

    @property
    def params(self) -> Any:
        """The step's parameters."""

    @property
    def facts(self) -> Mapping[Fact, Any]:
        """Those that the step asked for."""

    @property
    def region(self) -> Region:
        """What is to be computed."""

    @property
    def size(self) -> tuple[int, int]:
        """(height, width) of the picture."""

    def get(self, stage: str, grow: int = 0) -> tuple[NDArray[np.float32], Region]:
        """The step's input (`INPUT`) or an earlier stage on the region grown by ``grow`` px within the picture."""

    def check(self) -> None:
        """Raise when the work was cancelled; call it every few milliseconds."""


@dataclass(frozen=True)
class Stage:
    """A part of a step whose result is cached by itself.

    Attributes
    ----------
    name : unique within the step; the last stage gives the step's result.
    run : computes (h, w, ...) float32 for ``context.region``; must not depend on how the picture is cut into regions.
    key : the part of the parameters that the result depends on.
    reach : how far ``run`` reads beyond the region, in px, of the step's input and of earlier stages; a number, or what
        gives it from the parameters.
    needed : whether this stage is used with these parameters.
    draft : the same done quickly, for a first look; its result is never kept.
    """

    name: str
    run: Callable[[Context], NDArray[np.float32]]
    key: Callable[[Any], tuple] = lambda p: tuple(p.model_dump().values())
    reach: int | Callable[[Any], int] = 0
    needed: Callable[[Any], bool] = lambda p: True
    draft: Stage | None = None

    def reach_with(self, params: Any) -> int:
        """How far it reads with these parameters."""
        return self.reach(params) if callable(self.reach) else self.reach


@dataclass(frozen=True)
class StepKind:
    """The description of a step.

    Attributes
    ----------
    id, name : lower case with hyphens for files and the command line; as shown.
    place : its natural place in a sweep; smaller is earlier.
    help : one sentence on what it does to the picture.
    params : its parameter model.
    stages : in order.
    facts : which facts about its input it needs with these parameters.
    idle : whether these parameters change nothing, so that the input is passed on untouched.
    summary : what stands on its chip.
    version, migrate : of the parameters; ``migrate`` turns those of an older version into today's.
    takes : the kinds of picture that it works on.
    """

    id: str
    name: str
    place: int
    help: str
    params: type[Params]
    stages: tuple[Stage, ...]
    summary: Callable[[Any], str]
    facts: Callable[[Any], frozenset[Fact]] = lambda p: frozenset()
    idle: Callable[[Any], bool] = lambda p: False
    version: int = 1
    migrate: Callable[[dict, int], dict] = lambda values, version: values
    takes: frozenset[Kind] = field(default_factory=lambda: frozenset({Kind.MONO, Kind.RGB}))

    def stages_for(self, params: Any, draft: bool = False) -> list[Stage]:
        """The stages that are used with these parameters; of a draft, the quick ones where there are."""
        chosen = [(s.draft if draft else None) or s for s in self.stages]
        return [s for s in chosen if s.needed(params)]

    @property
    def slow_stage(self) -> Stage:
        """The one whose result tells that the slow work is done: the last with a draft, or the first of all."""
        return next((s for s in reversed(self.stages) if s.draft), self.stages[0])

    def controls(self) -> list[Control]:
        """Its parameters, described."""
        return [_control(name, info) for name, info in self.params.model_fields.items()]

    def make(self, values: Mapping[str, Any]) -> Params:
        """Parameters from names and values; `WrongUse` says which are wrong and what is allowed."""
        try:
            return self.params(**values)
        except ValidationError as error:
            raise self._explain(error) from None

    def _explain(self, error: ValidationError) -> WrongUse:
        first = error.errors()[0]
        name = ".".join(str(p) for p in first["loc"])
        known = {c.name: c for c in self.controls()}
        if name not in known:
            return WrongUse("{0} has no parameter “{1}”; it has {2}.", say(self.name), name, ", ".join(known))
        c = known[name]
        if c.options:
            return WrongUse("{0}: {1} must be one of {2}.", say(self.name), name, ", ".join(c.options))
        unit = f" {say(c.unit)}" if c.unit else ""
        bounds = (c.low, c.high, unit, first["input"])
        return WrongUse("{0}: {1} must be a number from {2:g} to {3:g}{4}, not {5!r}.", say(self.name), name, *bounds)


def _control(name: str, info: FieldInfo) -> Control:
    low = next((m.ge for m in info.metadata if hasattr(m, "ge")), 0)
    high = next((m.le for m in info.metadata if hasattr(m, "le")), 0)
    shown: Any = info.json_schema_extra
    return Control(name=name, help=info.description or "", default=info.default, low=low, high=high, **shown)


_REGISTRY: dict[str, StepKind] = {}


def register(kind: StepKind) -> StepKind:
    """Make a step known; its id and its place must be its own."""
    for other in _REGISTRY.values():
        if other.id == kind.id or other.place == kind.place:
            raise ValueError(f"step {kind.id!r} clashes with {other.id!r}")
    _REGISTRY[kind.id] = kind
    return kind


def step_kinds() -> list[StepKind]:
    """All steps in their natural order."""
    from dustpan.core import steps  # noqa: F401  importing the modules registers them

    return sorted(_REGISTRY.values(), key=lambda k: k.place)


def step_kind(id: str) -> StepKind:
    """The step of that id; `WrongUse` lists the known ones otherwise."""
    known = {k.id: k for k in step_kinds()}
    if id not in known:
        raise WrongUse("There is no step “{0}”; the steps are {1}.", id, ", ".join(known))
    return known[id]
