"""Finding: what a finder finds in a picture as it is."""

from __future__ import annotations

from collections.abc import Iterator

from dustpan.core.cancel import Cancel
from dustpan.core.hits import Finder, Hits
from dustpan.core.picture import Kind
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Step, Sweep, first_steps


def needed_for(finder: Finder, kind: Kind) -> Sweep:
    """What has to be done to a picture of this kind before this can be looked for: samples of a sensor are developed,
    unless the finder takes them as they are.
    """
    return Sweep() if kind in finder.takes else Sweep(first_steps(kind))


def find_in(renderer: Renderer, finder: Finder, sweep: Sweep = Sweep(), cancel: Cancel | None = None) -> Hits:
    """The hits of a finder in a sweep's result, the doubtful ones first; in the picture itself when left out."""
    return finder.hits({fact: renderer.fact(fact, sweep, cancel=cancel) for fact in finder.facts})


def found_by_steps(renderer: Renderer, sweep: Sweep, cancel: Cancel | None = None) -> Iterator[tuple[int, Step, Hits]]:
    """The number of each step that finds something, the step, and what it has found in its input."""
    acting = 0
    for n, step in enumerate(sweep.steps):
        if not isinstance(step, Step):
            continue
        if step.kind.hits is not None:
            known = {f: renderer.fact(f, sweep, acting, cancel) for f in step.kind.facts(step.params)}
            yield n, step, step.kind.hits(known, step.params)
        acting += step.acts
