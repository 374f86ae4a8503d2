"""The mask of a step: parts that add to it, limit it or take away from it.

A mask is rendered like a step: its parts are stages, and so is putting them together. It is the same wherever it is cut
and kept by tiles. What it does to the picture is done in one place, `blend.lay_over`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property, partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.errors import WrongUse
from dustpan.core.fact import FactKind
from dustpan.core.language import mark, say
from dustpan.core.params import Params
from dustpan.core.region import Region
from dustpan.core.smooth import gaussian, reach_of
from dustpan.core.stage import Bound, Context, Stage, bind
from dustpan.core.where.clean_up import CLEAN_UP, Finish, Joined, softness

JOINED = "where"  # the stage that puts the parts together
DEEPEST, MOST_PARTS = 4, 1000  # kept masks that use each other; parts that a mask may come to have by that
WIDEST = 200.0  # px, of a feather
Read = Callable[[Region], NDArray[np.float32]]


class How(StrEnum):
    """What a part does to those before it."""

    ADD = mark("add")
    ONLY = mark("only where")
    EXCEPT = mark("except")


@dataclass(frozen=True)
class Offer:
    """A part as the first of a mask, one click away: what it is called and means there, and how it begins."""

    words: str
    help: str
    how: How = How.ADD
    inverted: bool = False
    values: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class PartKind:
    """The description of a part of a mask.

    Attributes
    ----------
    id, name, help : as of a step. params : its parameter model.
    stages : in order; the last one gives (h, w) float32, 0 where the step leaves the picture alone and 1 where it acts.
    facts : what it needs to know about the step's input or the picture. version : of the parameters.
    points : whether parameters point at places of the picture. settled : gives some that no longer do, from these, what
        reads it and its size.
    chosen : gives what else changes with parameters that a person has chosen, from their names and values.
    placed : it has its place in one picture, and means nothing in another.
    stands_for : the name of the kept mask that it stands for; empty for one that is itself.
    tool, instrument : names of the canvas tool and of the chart that set it, among those that the interface lists.
    begin : gives parameters of one that is new, from the region that is seen and the names of the kept masks.
    offers : see `Offer`; one with its own name and help when left out. not_it : what it is called when inverted.
    """

    id: str
    name: str
    help: str
    params: type[Params]
    stages: tuple[Stage, ...]
    facts: Callable[[Any], frozenset[FactKind]] = lambda p: frozenset()
    version: int = 1
    points: Callable[[Any], bool] = lambda p: False
    settled: Callable[[Any, Read, tuple[int, int]], Any] = lambda p, read, size: p
    chosen: Callable[[dict[str, Any]], dict[str, Any]] = lambda values: values
    placed: bool = False
    stands_for: Callable[[Any], str] | None = None
    tool: str = ""
    instrument: str = ""
    begin: Callable[[Region, Sequence[str]], dict[str, Any]] = lambda seen, kept: {}
    offers: tuple[Offer, ...] | None = None
    not_it: str = ""

    def first_offers(self) -> tuple[Offer, ...]:
        """How it is offered as the first part of a mask."""
        return (Offer(self.name, self.help),) if self.offers is None else self.offers

    def make(self, values: Mapping[str, Any]) -> Params:
        """Parameters from names and values; `WrongUse` says which are wrong and what is allowed."""
        return self.params.make(self.name, values)


@dataclass(frozen=True)
class Part:
    """One part of a mask.

    Attributes
    ----------
    kind, params : which, and what it was told. how : joined to those before it. inverted : black for white.
    faded : percent taken off. feather : px over which it is softened. on : whether it counts.
    title : its own name; empty for that of its kind. inner : the kept mask that it stands for, once that is known.
    """

    kind: PartKind
    params: Params
    how: How = How.ADD
    inverted: bool = False
    faded: float = 0.0
    on: bool = True
    feather: float = 0.0
    title: str = ""
    inner: Mask | None = None

    @property
    def name(self) -> str:
        return self.title or say(self.kind.name)

    def bound(self, group: str) -> tuple[Bound, ...]:
        """Its stages; the last one gives the part."""
        found = self.inner.bound(group) if self.inner else bind(self.kind.stages, self.params, group)
        if self.feather:
            soft = Stage("feather", partial(_feathered, found[-1].name), reach=reach_of(softness(self.feather)),
                         key=lambda p: (self.feather,))  # fmt: skip
            found = (*found, Bound(soft, self.feather, group))
        return found

    def as_json(self) -> dict[str, Any]:
        said: dict[str, Any] = {
            "part": self.kind.id,
            "version": self.kind.version,
            "how": self.how.value,
            "inverted": self.inverted,
            "faded": self.faded,
            "on": self.on,
            "params": self.params.as_json(),
        }
        return (
            said | ({"feather": self.feather} if self.feather else {}) | ({"title": self.title} if self.title else {})
        )


@dataclass(frozen=True)
class Mask:
    """An ordered tuple of parts, and what is done to the whole; no part means everywhere."""

    parts: tuple[Part, ...] = ()
    finish: Finish = field(default_factory=Finish)

    @cached_property
    def acting(self) -> tuple[Part, ...]:
        return tuple(p for p in self.parts if p.on)

    @cached_property
    def chain(self) -> tuple[Bound, ...]:
        """Its stages, bound; the last one gives the mask. Empty where it lets everything through."""
        return self.bound("")

    def bound(self, group: str) -> tuple[Bound, ...]:
        """Its stages within a group, such as that of the part which stands for it."""
        if not self.acting:
            return ()
        found: list[Bound] = []
        ends: list[str] = []
        for number, part in enumerate(self.acting):
            found += part.bound(f"{group}.{number}" if group else str(number))
            ends.append(found[-1].name)
        told = tuple((p.how, p.inverted, p.faded) for p in self.acting)
        about = (told, self.finish.joined)
        joined = Stage(JOINED, partial(_joined, tuple(ends), *about), key=lambda p: about)
        found.append(Bound(joined, None, group))
        return (*found, *(bind((CLEAN_UP,), self.finish, group) if self.finish.acts else ()))

    @cached_property
    def facts(self) -> frozenset[FactKind]:
        own = (p.kind.facts(p.params) | (p.inner.facts if p.inner else frozenset()) for p in self.acting)
        return frozenset[FactKind]().union(*own)

    def scaled(self, factor: float) -> Mask:
        """The same in a picture ``factor`` times as large."""
        parts = (
            replace(p, params=p.params.scaled(factor), feather=p.feather * factor,
                    inner=p.inner.scaled(factor) if p.inner else None)
            for p in self.parts
        )  # fmt: skip
        return Mask(tuple(parts), self.finish.scaled(factor))

    def changed(self, index: int, **values: Any) -> Mask:
        """With fields of one part replaced."""
        parts = (*self.parts[:index], replace(self.parts[index], **values), *self.parts[index + 1 :])
        return replace(self, parts=parts)

    def added(self, part: Part) -> Mask:
        return replace(self, parts=(*self.parts, part))

    def removed(self, index: int) -> Mask:
        return replace(self, parts=self.parts[:index] + self.parts[index + 1 :])

    def moved(self, index: int, to: int) -> Mask:
        parts = list(self.parts)
        parts.insert(to, parts.pop(index))
        return replace(self, parts=tuple(parts))

    def names(self) -> Iterator[str]:
        """Of the kept masks that it uses."""
        return (p.kind.stands_for(p.params) for p in self.parts if p.kind.stands_for)

    def resolved(self, kept: Mapping[str, Mask], depth: int = 0) -> Mask:
        """With kept masks in the place of their names; what leads back to itself is let go."""
        return self._resolved(kept, depth, [MOST_PARTS])

    def _resolved(self, kept: Mapping[str, Mask], depth: int, left: list[int]) -> Mask:
        left[0] -= len(self.parts)
        if left[0] < 0:
            raise WrongUse("The masks in it use each other so often that they cannot be computed.")
        if not kept or not any(p.kind.stands_for for p in self.parts):
            return self
        parts = []
        for p in self.parts:
            name = p.kind.stands_for(p.params) if p.kind.stands_for else ""
            found = kept.get(name) if name and depth < DEEPEST else None
            inner = found._resolved({k: v for k, v in kept.items() if k != name}, depth + 1, left) if found else None
            parts.append(replace(p, inner=inner if inner and inner.acting else None))
        return replace(self, parts=tuple(parts))

    def settled(self, read: Read, size: tuple[int, int]) -> Mask:
        """With what points at places of the picture replaced by what is there."""
        return replace(self, parts=tuple(replace(p, params=p.kind.settled(p.params, read, size)) for p in self.parts))

    def as_json(self) -> list[dict[str, Any]]:
        done = {k: v for k, v in self.finish.as_json().items() if v != getattr(Finish(), k)}
        return [*(p.as_json() for p in self.parts), *([{"finish": done}] if done else [])]


EVERYWHERE = Mask()
Joins = tuple[tuple[How, bool, float], ...]


def _feathered(end: str, context: Context) -> NDArray[np.float32]:
    sigma = softness(context.params)
    plane, have = context.get(end, reach_of(sigma))
    return gaussian(np.ascontiguousarray(plane), sigma)[context.region.slices(have)]


def _joined(ends: tuple[str, ...], told: Joins, joined: Joined, context: Context) -> NDArray[np.float32]:
    """The parts put together: unions, intersections and differences of soft masks, by products or by extremes."""
    first = told[0][0]
    h, w = context.region.height, context.region.width
    out = np.full((h, w), 0 if first is How.ADD else 1, np.float32)
    product = joined is Joined.PRODUCT
    for end, (how, inverted, faded) in zip(ends, told, strict=True):
        part = np.clip(context.get(end)[0], 0, 1)
        if inverted:
            part = 1 - part
        if faded:
            part = part * np.float32(1 - faded / 100)
        if how is How.ADD:
            out = out + part - out * part if product else np.maximum(out, part)
        else:
            part = part if how is How.ONLY else 1 - part
            out = out * part if product else np.minimum(out, part)
    return np.ascontiguousarray(out, np.float32)


KNOWN = {"part", "version", "how", "inverted", "faded", "on", "params", "feather", "title"}


def read_part(raw: Mapping[str, Any], known: Mapping[str, PartKind]) -> Part | None:
    """A part from parsed JSON; None for what this Dustpan does not know."""
    kind = known.get(str(raw.get("part")))
    if kind is None or set(raw) - KNOWN:
        return None
    if raw.get("version", 1) != kind.version:
        return None
    how = How(raw.get("how", How.ADD.value))
    params = kind.params.make(kind.name, raw.get("params", {}))
    faded, feather = float(raw.get("faded", 0)), float(raw.get("feather", 0))
    if not (0 <= faded <= 100 and 0 <= feather <= WIDEST):
        raise ValueError(faded)
    title = str(raw.get("title", ""))[:200]
    return Part(kind, params, how, bool(raw.get("inverted")), faded, bool(raw.get("on", True)), feather, title)


def read_mask(raw: Any, known: Mapping[str, PartKind]) -> Mask | None:
    """A mask from parsed JSON; None when it holds anything that this Dustpan does not know.

    Raises
    ------
    WrongUse : it is damaged.
    """
    if not isinstance(raw, list) or not all(isinstance(r, dict) for r in raw):
        raise WrongUse("the mask of a step in it is damaged")
    finish = Finish()
    try:
        if raw and set(raw[-1]) == {"finish"}:
            given = raw[-1]["finish"]
            if not isinstance(given, dict) or set(given) - set(Finish.model_fields):
                return None
            finish, raw = Finish(**given), raw[:-1]
        parts = [read_part(r, known) for r in raw]
    except (TypeError, ValueError):
        raise WrongUse("the mask of a step in it is damaged") from None
    found = tuple(p for p in parts if p is not None)
    return Mask(found, finish) if len(found) == len(parts) else None
