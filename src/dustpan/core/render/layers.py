"""Layers: the acting steps of a sweep on one picture, with the kinds of picture between them and the keys of all.

A layer has two chains of stages. Those of the step make its result; those of its mask say where it counts. Both read
the layer's input.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from dustpan.core.blend import Blend
from dustpan.core.errors import WrongUse
from dustpan.core.fact import FactKind
from dustpan.core.language import say
from dustpan.core.picture import Kind, Picture
from dustpan.core.stage import Bound, digest
from dustpan.core.sweep import Step, Sweep


@dataclass(frozen=True, eq=False)
class Layer:
    """One acting step within a sweep.

    Attributes
    ----------
    before, after : keys of the pixels that it gets and of those that it gives.
    kind : of the picture that it gives.
    facts : those that its stages ask for, once they are there; held as long as the layers are, so that whoever
        computes a dropped tile anew need not wait for a measurement.
    """

    step: Step
    before: str
    after: str
    kind: Kind
    facts: dict[FactKind, Any] = field(default_factory=dict)

    @property
    def where(self) -> tuple[Bound, ...]:
        """The stages of its mask; empty where it counts everywhere."""
        return self.step.where.chain

    def what(self, draft: bool = False) -> tuple[Bound, ...]:
        """The stages of its step."""
        return self.step.draft_chain if draft else self.step.chain

    @property
    def slow(self) -> Bound:
        """The stage whose result tells that the slow work is done."""
        wanted = self.step.kind.slow_stage
        return next((b for b in self.step.chain if b.stage is wanted), self.step.chain[0])

    def key_of(self, bound: Bound) -> str:
        """The key of a stage's result."""
        return digest(self.before, self.step.kind.id, str(self.step.kind.version), bound.key)

    def bound(self, name: str) -> Bound:
        """A stage of either chain by its whole name."""
        return next(b for b in (*self.what(), *self.where) if b.name == name)


Layers = Sequence[Layer]


def layers_of(picture: Picture, sweep: Sweep) -> list[Layer]:
    """The layers of a sweep on a picture.

    Raises
    ------
    WrongUse : a step does not work on the kind of picture that it would get.
    """
    found: list[Layer] = []
    key, kind = picture.key, picture.kind
    for step in sweep.active:
        if kind not in step.kind.takes:
            raise WrongUse("{0} does not work on a picture of this kind ({1}).", step.name, say(kind.value))
        if kind in step.kind.gives:
            if step.opacity != 1 or step.blend is not Blend.NORMAL or step.where.acting:
                raise WrongUse("{0} makes another kind of picture; it cannot be blended or limited.", step.name)
            kind = step.kind.gives[kind]
        after = digest(key, step.key)
        found.append(Layer(step, key, after, kind))
        key = after
    return found


def repaired_of(picture: Picture, sweep: Sweep) -> Sweep:
    """The reference with all repairs: what a result is judged against."""
    last = sweep.changes_kind(picture.kind)
    kept = [s for n, s in enumerate(sweep.active) if s.kind.repairs or s.kind.finishing or (n < last and s.kind.gives)]
    return Sweep(tuple(kept))


def reference_of(picture: Picture, sweep: Sweep) -> Sweep:
    """The steps that change the kind, and those that finish: what a result is compared with."""
    last = sweep.changes_kind(picture.kind)
    changing = tuple(s for s in sweep.active[:last] if s.kind.gives)
    finishing = tuple(s for s in sweep.active[last:] if s.kind.finishing)
    return Sweep(changing + finishing)
