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
    before, after : keys of the pixels that it looks at and of those that it gives.
    kind : of the picture that it gives.
    start : how many layers lie below the pixels that it looks at.
    run : those right below that take out their shares of the same noise, see `noise_of.shares`. All of them look at
        what lies below the first; it is only their results that are laid one over the other.
    after_others : some of the same kind have taken out shares, and there are other steps between.
    facts : those that its stages ask for, once they are there; held as long as the layers are, so that whoever
        computes a dropped tile anew need not wait for a measurement.
    """

    step: Step
    before: str
    after: str
    kind: Kind
    start: int
    run: tuple[Layer, ...] = ()
    after_others: bool = False
    facts: dict[FactKind, Any] = field(default_factory=dict)

    @property
    def where(self) -> tuple[Bound, ...]:
        """The stages of its mask; empty where it counts everywhere."""
        return self.step.where.chain

    def what(self, draft: bool = False) -> tuple[Bound, ...]:
        """The stages of its step."""
        chain = self.step.draft_chain if draft else self.step.chain
        shares = self.step.kind.noise.shares
        return tuple(b for b in chain if b.stage.name != shares.mixed) if self.shares and shares else chain

    @property
    def shares(self) -> bool:
        """Whether its result is laid by what it takes out of the noise, after others have taken their shares."""
        return bool(self.run) or self.after_others

    @property
    def too_late(self) -> bool:
        """Whether a step of its run has taken out everywhere all that it could."""
        shares = self.step.kind.noise.shares
        if shares is None:
            return False
        whole = (b.step for b in self.run if not in_part(b))
        return any(shares.strength(s.params) >= shares.strength(self.step.params) for s in whole)

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


def in_part(layer: Layer) -> bool:
    """Whether a step did something to the noise that is not the same everywhere, or not all of what it could do."""
    step, effect = layer.step, layer.step.kind.noise
    return not effect.leaves_it and (bool(step.where.acting) or step.opacity < 1 or not effect.whole(step.params))


def handed_on(layers: Layers) -> Layers:
    """The layers whose noise print still holds after all of them: those below the first that acted in part."""
    changing = [n for n, layer in enumerate(layers, 1) if layer.step.kind.gives]
    after = changing[-1] if changing else 0
    return layers[: next((n for n in range(after, len(layers)) if in_part(layers[n])), len(layers))]


def input_of(layers: Layers) -> Layers:
    """The layers below the pixels that the last one looks at."""
    return layers[: layers[-1].start]


def on_top_of(picture: Picture, below: Layers, step: Step) -> Layer:
    """The layer of a step over others.

    Raises
    ------
    WrongUse : the step does not work on the kind of picture that it would get.
    """
    last = below[-1] if below else None
    key, kind = (last.after, last.kind) if last else (picture.key, picture.kind)
    if kind not in step.kind.takes:
        raise WrongUse("{0} does not work on a picture of this kind ({1}).", step.name, say(kind.value))
    if kind in step.kind.gives:
        if step.opacity != 1 or step.blend is not Blend.NORMAL or step.where.acting:
            raise WrongUse("{0} makes another kind of picture; it cannot be blended or limited.", step.name)
        kind = step.kind.gives[kind]
    after = digest(key, step.key)
    if last and _share(last.step, step):
        return Layer(step, last.before, after, kind, last.start, (*last.run, last), last.after_others)
    return Layer(step, key, after, kind, len(below), (), _others(below, step))


def _others(below: Layers, step: Step) -> bool:
    """Whether steps of this kind that take out shares acted in part before."""
    if step.kind.noise.shares is None or step.blend is not Blend.NORMAL:
        return False
    return any(layer.step.kind is step.kind for layer in below[len(handed_on(below)) :])


def _share(first: Step, second: Step) -> bool:
    """Whether two steps that follow each other take out shares of the same noise."""
    plain = first.blend is Blend.NORMAL and second.blend is Blend.NORMAL
    return plain and first.kind is second.kind and first.kind.noise.shares is not None


def layers_of(picture: Picture, sweep: Sweep) -> list[Layer]:
    """The layers of a sweep on a picture.

    Raises
    ------
    WrongUse : a step does not work on the kind of picture that it would get.
    """
    found: list[Layer] = []
    for step in sweep.active:
        found.append(on_top_of(picture, found, step))
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
