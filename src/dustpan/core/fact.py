"""Facts: what is measured once, of the picture or of what the steps before a step left, and never per tile.

A fact is declared by the module that measures it: a pure function, what it is about, and how much of the picture it
has to see. Facts do not depend on the parameters of the step that asks for them: finders give candidates with scores,
and thresholds act in the stages and in `hits`, so that a threshold can be moved without measuring anew.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from enum import Enum, auto
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.curve import SRGB, Curve, Scale
from dustpan.core.passes import Passes
from dustpan.core.picture import Kind, Sensor
from dustpan.core.region import Region


class Of(Enum):
    """What a fact is about: the input of the step that asks, or the picture that it is compared with."""

    INPUT = auto()
    PICTURE = auto()


class Scope(Enum):
    """How much of a result has to be seen: none of it, a sample of whole tiles, or all of it (read in strips)."""

    NOTHING = auto()
    SAMPLE = auto()
    WHOLE = auto()


@dataclass(frozen=True)
class Asked:
    """What a measuring function is given.

    Attributes
    ----------
    size : (height, width) of the picture. read : gives the pixels (h, w, C) of a region of what is measured.
    sample : a part to measure on, of a result that is not computed as a whole; None where all of it is at hand.
    curve, scale, kind, sensor : those of the picture that is measured.
    quantisation, sampling : of a JPEG that the picture comes from, see `Source`.
    blocks : the regions that the sample was taken from, laid one below the other. passes : of a render, where it has
        them (`Passes`).
    before : the same fact of the picture, when it is measured of a step's result; None otherwise.
    by_place : gives how much stronger than its print the noise is on a region (1 or 2, h, w), see `Context.by_place`.
    needs : the facts that this one asked for. check : called every few ten ms; raises to cancel.
    """

    size: tuple[int, int]
    read: Callable[[Region], NDArray[np.float32]]
    sample: NDArray[np.float32] | None = None
    curve: Curve = SRGB
    scale: Scale | None = None
    kind: Kind = Kind.RGB
    sensor: Sensor | None = None
    quantisation: Mapping[int, tuple[int, ...]] = field(default_factory=dict)
    sampling: tuple[int, int] | None = None
    blocks: tuple[Region, ...] = ()
    passes: Passes | None = None
    before: Any = None
    by_place: Callable[[Region], NDArray[np.float32] | None] = lambda region: None
    needs: Mapping[FactKind, Any] = field(default_factory=dict)
    check: Callable[[], None] = lambda: None

    @property
    def pixels(self) -> NDArray[np.float32]:
        """(h, w, C): the sample, or all of it."""
        return self.read(Region(0, 0, *self.size)) if self.sample is None else self.sample

    def strips(self, rows: int = 512, around: int = 0) -> Iterator[tuple[Region, Region, NDArray[np.float32]]]:
        """All of it from top to bottom: each strip, the region that is read for it, and the pixels of that."""
        h, w = self.size
        for y in range(0, h, rows):
            self.check()
            strip = Region(y, 0, min(y + rows, h), w)
            seen = strip.grown(around).within(self.size)
            yield strip, seen, self.read(seen)


@dataclass(frozen=True, eq=False)
class FactKind:
    """The description of a fact; kept under its name and what it is about.

    Attributes
    ----------
    name : of its own; two kinds of one name differ in ``of`` alone and share what was measured.
    measure : a pure function; what it gives is never changed.
    of, scope : see `Of`, `Scope`.
    needs : other facts about the same pixels, measured before.
    draft : what is taken for a draft instead of measuring, from the last that was measured after such a step (or None)
        and the picture's own; without it a draft measures as well.
    as_json : for the command line.
    lasting : it holds on after steps that do not carry it themselves.
    handed_on : it is not measured after steps that acted in part; that of what lies below them is handed on.
    """

    name: str
    measure: Callable[[Asked], Any]
    of: Of = Of.INPUT
    scope: Scope = Scope.SAMPLE
    needs: tuple[FactKind, ...] = ()
    draft: Callable[[Any, Any], Any] | None = None
    as_json: Callable[[Any], Any] = lambda value: value
    lasting: bool = False
    handed_on: bool = False

    def __repr__(self) -> str:
        return f"FactKind({self.name!r}, of={self.of.name})"


CURVE = FactKind("curve", lambda asked: asked.curve, scope=Scope.NOTHING)  # how values relate to light
PASSES = FactKind("passes", lambda asked: asked.passes, of=Of.PICTURE, scope=Scope.NOTHING)  # of a render


@dataclass(frozen=True, eq=False)
class Carry:
    """How a step knows a fact about its result without measuring it.

    Attributes
    ----------
    needs : facts about the step's input. kinds : of input for which it can be told.
    make : gives the fact from what was asked about the input and the step's parameters; None where it cannot, and the
        result is measured.
    """

    needs: tuple[FactKind, ...]
    kinds: frozenset[Kind]
    make: Callable[[Asked, Any], Any]


def bytes_of(value: Any, seen: set[int] | None = None) -> int:
    """About how much memory a fact takes: the arrays that it holds, and a little for everything else."""
    seen = set() if seen is None else seen
    if id(value) in seen:
        return 0
    seen.add(id(value))
    if isinstance(value, np.ndarray):
        return value.nbytes + 100
    if isinstance(value, Mapping):
        return 200 + sum(bytes_of(v, seen) for v in value.values())
    if isinstance(value, tuple | list | frozenset | set):
        return 60 + sum(bytes_of(v, seen) for v in value)
    if hasattr(value, "__dict__"):
        return 100 + sum(bytes_of(v, seen) for v in vars(value).values())
    return 60
