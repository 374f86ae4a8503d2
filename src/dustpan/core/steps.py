"""All steps that there are, in their natural order, and what can be found without one."""

from __future__ import annotations

from dustpan.core.defects.compression_marks import COMPRESSION_MARKS
from dustpan.core.defects.fireflies import FIREFLIES
from dustpan.core.defects.fringes import COLOUR_FRINGES
from dustpan.core.defects.haze import HAZE
from dustpan.core.defects.hot_pixels import HOT_PIXELS
from dustpan.core.defects.specks import SPECKS
from dustpan.core.defects.stripes import STRIPES_STEP
from dustpan.core.develop.step import DEVELOP
from dustpan.core.errors import WrongUse
from dustpan.core.finish.tone import TONE
from dustpan.core.hits import Finder
from dustpan.core.noise.blacks import NEUTRAL_BLACKS
from dustpan.core.noise.grain import GRAIN
from dustpan.core.noise.step import NOISE
from dustpan.core.sharpen.deblur import DEBLUR
from dustpan.core.sharpen.edge import EDGE_SHARPEN
from dustpan.core.sharpen.fine_detail import FINE_DETAIL
from dustpan.core.sharpen.local_contrast import LOCAL_CONTRAST
from dustpan.core.sharpen.soften import SOFTEN
from dustpan.core.stars import STAR_FINDER
from dustpan.core.step import StepKind

STEPS: tuple[StepKind, ...] = (
    *(HOT_PIXELS, FIREFLIES, STRIPES_STEP, DEVELOP, COMPRESSION_MARKS, COLOUR_FRINGES, SPECKS, HAZE),
    *(NOISE, NEUTRAL_BLACKS, DEBLUR, EDGE_SHARPEN, FINE_DETAIL, LOCAL_CONTRAST, SOFTEN),
    *(TONE, GRAIN),
)
FINDERS: tuple[Finder, ...] = (STAR_FINDER,)


def step_kind(id: str) -> StepKind:
    """The step of that id; `WrongUse` lists the known ones otherwise."""
    found = next((k for k in STEPS if k.id == id), None)
    if found is None:
        raise WrongUse("There is no step “{0}”; the steps are {1}.", id, ", ".join(k.id for k in STEPS))
    return found


def finders() -> tuple[Finder, ...]:
    """All that can be found: by the steps at their default parameters, and what is no step."""
    return (*(f for f in map(finder_of, STEPS) if f), *FINDERS)


def finder_of(kind: StepKind) -> Finder | None:
    """A step's own finder at its default parameters; None for a step that finds nothing."""
    if kind.hits is None:
        return None
    params, hits = kind.params(), kind.hits
    return Finder(kind.id, kind.name, kind.facts(params), lambda facts: hits(facts, params), kind.takes)
