"""A defect map put to use in a sweep."""

from __future__ import annotations

from dataclasses import replace

from dustpan.core.defects.defect_map import DefectMap
from dustpan.core.defects.hot_pixels import HOT_PIXELS, HotPixelsParams
from dustpan.core.errors import WrongUse
from dustpan.core.sweep import Step, Sweep, make_step


def with_map(sweep: Sweep, found: DefectMap, size: tuple[int, int]) -> Sweep:
    """A sweep whose Hot pixels fill the places of a map as well; the step is added where there is none.

    Raises
    ------
    WrongUse : the map is of pictures of another size.
    """
    if found.size != size:
        (h, w), (own_h, own_w) = found.size, size
        raise WrongUse("The defect map is of pictures of {0} × {1} px, and this one has {2} × {3}.", w, h, own_w, own_h)
    at = next((n for n, s in enumerate(sweep.steps) if isinstance(s, Step) and s.kind is HOT_PIXELS), -1)
    if at < 0:
        sweep, at = sweep.added(make_step(HOT_PIXELS.id))
    step = sweep.steps[at]
    assert isinstance(step, Step)
    assert isinstance(step.params, HotPixelsParams)
    known = {(round(y), round(x)) for y, x in step.params.added}
    more = tuple(p for p in found.places if (round(p[0]), round(p[1])) not in known)
    changed = replace(step, params=step.params.model_copy(update={"added": (*step.params.added, *more)}))
    return replace(sweep, steps=(*sweep.steps[:at], changed, *sweep.steps[at + 1 :]))
