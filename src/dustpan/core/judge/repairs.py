"""Repairs: which steps would find something in a picture, so that a person can be asked; nothing is done."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from dustpan.core.cancel import Cancel
from dustpan.core.hits import Hits
from dustpan.core.language import say
from dustpan.core.picture import Kind
from dustpan.core.render.renderer import Renderer
from dustpan.core.step import StepKind
from dustpan.core.sweep import Step, Sweep, make_step


@dataclass(frozen=True)
class Repair:
    """A step that has something to do, and what it has found."""

    step: Step
    hits: Hits

    @property
    def words(self) -> str:
        """Such as "Hot pixels (142)"."""
        name = say(self.step.kind.name)
        if not self.hits.as_a_whole:
            return f"{name} ({', '.join(filter(None, (self.hits.proof, str(len(self.hits)))))})"
        what = self.hits.proof if self.hits.any else say(self.hits.asks)
        return f"{name} ({what})" if what else name


def repairs(
    renderer: Renderer, sweep: Sweep, kinds: Sequence[StepKind], cancel: Cancel | None = None
) -> tuple[Repair, ...]:
    """What steps of these kinds that are not in a sweep would find at their natural places, at default parameters.

    Those that find something come with it; so do those that ask, as only a person can tell.
    """
    found = []
    for kind in kinds:
        if kind.hits is None or not kind.offered or any(s.name == kind.name for s in sweep.steps):
            continue
        step = make_step(kind.id)
        longer, at = sweep.added(step)
        acting = len(Sweep(longer.steps[:at]).active)
        if _kind_before(renderer.picture.kind, longer, at) not in kind.takes:
            continue
        facts = kind.facts(step.params)
        hits = kind.hits({f: renderer.fact(f, longer, acting, cancel) for f in facts}, step.params)
        if hits.any or hits.asks:
            found.append(Repair(step, hits))
        if cancel:
            cancel.check()
    return tuple(found)


def _kind_before(kind: Kind, sweep: Sweep, at: int) -> Kind:
    for step in Sweep(sweep.steps[:at]).active:
        kind = step.kind.gives.get(kind, kind)
    return kind


def with_repairs(sweep: Sweep, found: Sequence[Repair]) -> Sweep:
    """A sweep with the steps that have found something, each at its natural place; not those that only ask."""
    for repair in found:
        if repair.hits.any:
            sweep, _ = sweep.added(repair.step)
    return sweep


def sentence(found: Sequence[Repair]) -> str:
    """What was found, in one line; empty when that is nothing."""
    return say("Found: {0}.", "; ".join(r.words for r in found)) if found else ""
