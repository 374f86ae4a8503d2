"""Finding: what a finder finds in a picture as it is."""

from __future__ import annotations

from dustpan.core.hits import Finder, Hits
from dustpan.core.render.cache import Cancel
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep


def find_in(renderer: Renderer, finder: Finder, sweep: Sweep = Sweep(), cancel: Cancel | None = None) -> Hits:
    """The hits of a finder in a sweep's result, the doubtful ones first; in the picture itself when left out."""
    return finder.hits({fact: renderer.fact(fact, sweep, cancel=cancel) for fact in finder.facts})
