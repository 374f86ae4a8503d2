"""The mask of a step: parts that add to it, limit it or take away from it.

A mask is rendered like a step: its parts are stages, and so is putting them together. It is the same wherever it is cut
and kept by tiles. What it does to the picture is done in one place, `blend.lay_over`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cached_property, partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.fact import FactKind
from dustpan.core.language import mark, say
from dustpan.core.params import Params
from dustpan.core.stage import Bound, Context, Stage, bind

JOINED = "where"  # the stage that puts the parts together


class How(StrEnum):
    """What a part does to those before it."""

    ADD = mark("add")
    ONLY = mark("only where")
    EXCEPT = mark("except")


@dataclass(frozen=True, eq=False)
class PartKind:
    """The description of a part of a mask.

    Attributes
    ----------
    id, name, help : as of a step. params : its parameter model.
    stages : in order; the last one gives (h, w) float32, 0 where the step leaves the picture alone and 1 where it acts.
    facts : what it needs to know about the step's input or the picture. version : of the parameters.
    """

    id: str
    name: str
    help: str
    params: type[Params]
    stages: tuple[Stage, ...]
    facts: Callable[[Any], frozenset[FactKind]] = lambda p: frozenset()
    version: int = 1


@dataclass(frozen=True)
class Part:
    """One part of a mask: of which kind, with what parameters, and how it is joined to those before it."""

    kind: PartKind
    params: Params
    how: How = How.ADD
    inverted: bool = False
    faded: float = 0.0
    on: bool = True

    @property
    def name(self) -> str:
        return say(self.kind.name)

    def as_json(self) -> dict[str, Any]:
        return {
            "part": self.kind.id,
            "version": self.kind.version,
            "how": self.how.value,
            "inverted": self.inverted,
            "faded": self.faded,
            "on": self.on,
            "params": self.params.as_json(),
        }


@dataclass(frozen=True)
class Mask:
    """An ordered tuple of parts; none means everywhere."""

    parts: tuple[Part, ...] = ()

    @cached_property
    def acting(self) -> tuple[Part, ...]:
        return tuple(p for p in self.parts if p.on)

    @cached_property
    def chain(self) -> tuple[Bound, ...]:
        """Its stages, bound; the last one gives the mask. Empty where it lets everything through."""
        if not self.acting:
            return ()
        found: list[Bound] = []
        ends: list[str] = []
        for number, part in enumerate(self.acting):
            found += bind(part.kind.stages, part.params, str(number))
            ends.append(found[-1].name)
        told = tuple((p.how, p.inverted, p.faded) for p in self.acting)
        joined = Stage(JOINED, partial(_joined, tuple(ends), told), key=lambda p: told)
        return (*found, Bound(joined, None))

    @cached_property
    def facts(self) -> frozenset[FactKind]:
        return frozenset[FactKind]().union(*(p.kind.facts(p.params) for p in self.acting))

    def scaled(self, factor: float) -> Mask:
        """The same in a picture ``factor`` times as large."""
        return Mask(tuple(replace(p, params=p.params.scaled(factor)) for p in self.parts))

    def as_json(self) -> list[dict[str, Any]]:
        return [p.as_json() for p in self.parts]


EVERYWHERE = Mask()
Told = tuple[tuple[How, bool, float], ...]


def _joined(ends: tuple[str, ...], told: Told, context: Context) -> NDArray[np.float32]:
    """The parts put together: unions, intersections and differences of soft masks as products."""
    first = told[0][0]
    h, w = context.region.height, context.region.width
    out = np.full((h, w), 0 if first is How.ADD else 1, np.float32)
    for end, (how, inverted, faded) in zip(ends, told, strict=True):
        part = np.clip(context.get(end)[0], 0, 1)
        if inverted:
            part = 1 - part
        if faded:
            part = part * np.float32(1 - faded / 100)
        if how is How.ADD:
            out = out + part - out * part
        else:
            out = out * (part if how is How.ONLY else 1 - part)
    return np.ascontiguousarray(out, np.float32)


def read_part(raw: Mapping[str, Any], known: Mapping[str, PartKind]) -> Part | None:
    """A part from parsed JSON; None for what this Dustpan does not know."""
    kind = known.get(str(raw.get("part")))
    if kind is None or set(raw) - {"part", "version", "how", "inverted", "faded", "on", "params"}:
        return None
    if raw.get("version", 1) != kind.version:
        return None
    how = How(raw.get("how", How.ADD.value))
    params = kind.params.make(kind.name, raw.get("params", {}))
    return Part(kind, params, how, bool(raw.get("inverted")), float(raw.get("faded", 0)), bool(raw.get("on", True)))
