"""What a step is.

A step is one module: a parameter model, stages that compute, perhaps facts, and a `StepKind` that describes it all.
Everything else (opacity, blend, where, tiles, caches, undo, JSON, controls, help, the command line) is made from that
description.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from dustpan.core.blend import Blend
from dustpan.core.fact import Carry, FactKind
from dustpan.core.hits import Hits
from dustpan.core.noise_of.effect import AS_IT_WAS, Effect
from dustpan.core.params import Control, Params
from dustpan.core.picture import Kind
from dustpan.core.stage import Stage

EVERY_KIND = frozenset({Kind.MONO, Kind.RGB})


@dataclass(frozen=True, eq=False)
class Aside:
    """What a step works with, to be looked at by itself: a layer, or where it acts.

    Attributes
    ----------
    words : what it is. stages : that make it from the step's input and parameters; those that the step has as well are
        computed once. controls : by name, of which it is shown while they are moved.
    """

    words: str
    stages: tuple[Stage, ...]
    controls: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class StepKind:
    """The description of a step.

    Attributes
    ----------
    id, name : lower case with hyphens for files and the command line; as shown.
    place : its natural place in a sweep; smaller is earlier.
    help : one sentence on what it does to the picture.
    params : its parameter model.
    stages : in order.
    summary : what stands on its chip.
    facts : what it needs to know with these parameters.
    idle : whether these parameters change nothing, so that the input is passed on untouched.
    version, migrate : of the parameters; ``migrate`` turns those of an older version into today's.
    takes : the kinds of picture that it works on.
    gives : the kind that it makes of each, where that is another one. Such a step is not blended with its input.
    profile : the ICC profile of what it gives, of a step that gives another kind of picture.
    carries : by the name of a fact, how it is known about the step's result without measuring.
    finishing : it changes how bright and colourful the picture is and not what is in it, so that what it is compared
        with gets it as well.
    repairs : what it takes out was never in the scene, so that a result is judged against the repaired picture.
    full_size : it means nothing on a reduced picture, and is left out there.
    unused : by name, which controls do nothing on a picture of this kind, with these parameters, and why.
    hits : what it found, from its facts and parameters, where it finds something. offered : whether it is offered on
        opening a picture in which it does.
    blend : how its result is laid over its input when nothing else is said.
    instrument : the name of its chart in the window's registry; empty for none.
    aside : what can be looked at besides its result.
    noise : what it does to the noise of its input.
    """

    id: str
    name: str
    place: int
    help: str
    params: type[Params]
    stages: tuple[Stage, ...]
    summary: Callable[[Any], str]
    facts: Callable[[Any], frozenset[FactKind]] = lambda p: frozenset()
    idle: Callable[[Any], bool] = lambda p: False
    version: int = 1
    migrate: Callable[[dict, int], dict] = lambda values, version: values
    takes: frozenset[Kind] = EVERY_KIND
    gives: Mapping[Kind, Kind] = field(default_factory=dict)
    profile: Callable[[Any], bytes] | None = None
    carries: Mapping[str, Carry] = field(default_factory=dict)
    finishing: bool = False
    full_size: bool = False
    repairs: bool = False
    unused: Callable[[Kind, Any], Mapping[str, str]] = lambda kind, p: {}
    hits: Callable[[Mapping[FactKind, Any], Any], Hits] | None = None
    offered: bool = True
    blend: Blend = Blend.NORMAL
    instrument: str = ""
    aside: Aside | None = None
    noise: Effect = AS_IT_WAS

    @property
    def slow_stage(self) -> Stage:
        """The one whose result tells that the slow work is done: the last with a draft, or the first of all."""
        return next((s for s in reversed(self.stages) if s.draft), self.stages[0])

    def controls(self) -> tuple[Control, ...]:
        """Its parameters, described."""
        return self.params.controls()

    def make(self, values: Mapping[str, Any]) -> Params:
        """Parameters from names and values; `WrongUse` says which are wrong and what is allowed."""
        return self.params.make(self.name, values)
