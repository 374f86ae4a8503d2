"""What background work tells: one record for each thing that was found, carried by one signal or callback.

An `Event` is about an open picture; one that is `Wished` belongs to a request, so that what was found for a wish that
is no longer one can be let go. Whoever wants to know of something hears its class and no other.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.finish.levels import Levels
from dustpan.core.hits import Hits
from dustpan.core.jobs.one import Outcome
from dustpan.core.jobs.request import Request
from dustpan.core.judge.probe_figures import Figure
from dustpan.core.judge.probes import Probe
from dustpan.core.judge.repairs import Repair
from dustpan.core.judge.suggest import Suggestion
from dustpan.core.judge.verdict import Verdict
from dustpan.core.judge.worst import FigureName
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.open.document import Document
from dustpan.core.open.profile import Profile
from dustpan.core.params import Params
from dustpan.core.region import Region
from dustpan.core.sweep import Sweep

Words = NDArray[np.uint32]  # packed pixels for the screen
Bytes = NDArray[np.uint8]  # of a mask, 0 to 255


@dataclass(frozen=True, eq=False)
class Event:
    """Something about an open picture."""

    document: Document


@dataclass(frozen=True, eq=False)
class Wished(Event):
    """Something about what is wished to be seen."""

    request: Request


Tell = Callable[[Event], object]


# ---------------------------------------------------------------- of a request, in the order in which they come


@dataclass(frozen=True, eq=False)
class Measured(Wished):
    noise_print: NoisePrint


@dataclass(frozen=True, eq=False)
class Pixels(Wished):
    """A region of a side at full size; a draft unless it is exact."""

    other: bool
    region: Region
    words: Words
    exact: bool


@dataclass(frozen=True, eq=False)
class ReducedPixels(Wished):
    """A region of a side at 1 / 2 ** level of its size; ``region`` counts pixels of that level."""

    other: bool
    level: int
    region: Region
    words: Words


@dataclass(frozen=True, eq=False)
class Drafted(Wished):
    """What is seen is a draft."""


@dataclass(frozen=True, eq=False)
class Seen(Wished):
    """The view is exact (None), or apart from exact pixels by so many steps of 255 at most nearly everywhere."""

    apart: float | None


@dataclass(frozen=True, eq=False)
class Progressed(Wished):
    done: int
    total: int


@dataclass(frozen=True, eq=False)
class Found(Wished):
    """By step number, what the steps have found in their inputs."""

    hits: dict[int, Hits]


@dataclass(frozen=True, eq=False)
class Placed(Wished):
    probes: tuple[Probe, ...]


@dataclass(frozen=True)
class ProbeView:
    """A probe as it is shown: packed pixels of both sides, its figures, and its luma 0..1 before anything is done."""

    probe: Probe
    before: Words
    after: Words
    figures: tuple[Figure, ...]
    level: float


@dataclass(frozen=True, eq=False)
class ProbeSeen(Wished):
    number: int
    view: ProbeView


@dataclass(frozen=True, eq=False)
class Judged(Wished):
    verdict: Verdict


@dataclass(frozen=True, eq=False)
class Warned(Wished):
    """By step number, what a step makes worse."""

    warnings: dict[int, str]


@dataclass(frozen=True, eq=False)
class Done(Wished):
    """All of the picture is exact."""


@dataclass(frozen=True, eq=False)
class Failed(Event):
    """Work came to no end; ``request`` where it was for one."""

    why: str
    request: Request | None = None


# ---------------------------------------------------------------- answers to questions


@dataclass(frozen=True, eq=False)
class WorstFound(Wished):
    """The worst places (y, x) for a figure, the worst first."""

    figure: FigureName
    places: list[tuple[int, int]]


@dataclass(frozen=True, eq=False)
class ThumbnailSeen(Wished):
    """What a step removed in the middle of the view."""

    index: int
    words: Words


@dataclass(frozen=True, eq=False)
class VariantSeen(Event):
    """One place with one of several sweeps."""

    number: int
    words: Words
    verdict: Verdict


@dataclass(frozen=True, eq=False)
class StrengthsFound(Event):
    suggestion: Suggestion


@dataclass(frozen=True, eq=False)
class SharpeningFound(Event):
    suggestion: Suggestion


@dataclass(frozen=True, eq=False)
class RepairsFound(Event):
    """What steps would find that are not in the sweep."""

    repairs: tuple[Repair, ...]


@dataclass(frozen=True, eq=False)
class MaskSeen(Event):
    """Where a step counts, on a region, as fine as the view is drawn."""

    sweep: Sweep
    index: int
    region: Region
    mask: Bytes


@dataclass(frozen=True, eq=False)
class ProbeMaskSeen(Event):
    """Where a step counts, at a probe."""

    sweep: Sweep
    index: int
    number: int
    mask: Bytes


@dataclass(frozen=True, eq=False)
class Covered(Event):
    """The share of the picture that a step counts on."""

    sweep: Sweep
    index: int
    share: float


@dataclass(frozen=True, eq=False)
class ColourPicked(Event):
    """The colour (L*, a*, b*) of a place, for a part of the mask of a step."""

    index: int
    part: int
    colour: tuple[float, float, float]


@dataclass(frozen=True, eq=False)
class PartSettled(Event):
    """Parameters of a part of a mask that no longer point at places, and what they were made of."""

    index: int
    part: int
    params: Params
    name: str


@dataclass(frozen=True, eq=False)
class Picked(Event):
    """The parameters of step ``index`` that a place of the picture asks for."""

    index: int
    values: Mapping[str, Any]


@dataclass(frozen=True, eq=False)
class LevelsFound(Event):
    """Levels from the sky, for the view or for the step Tone."""

    levels: Levels
    for_step: bool


@dataclass(frozen=True, eq=False)
class SampleSeen(Event):
    """(h, w, C) of what the result is compared with, for histograms."""

    sample: NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class LightSeen(Event):
    """Light of a sensor's samples by colour, and the sigma of their noise in the dark."""

    light: Sequence[NDArray[np.float32]]
    floor: float


@dataclass(frozen=True, eq=False)
class ProfileSeen(Event):
    profile: Profile


@dataclass(frozen=True, eq=False)
class OutputSeen(Event):
    """The middle of the view at an output's size: made smaller alone, and sharpened as well."""

    smaller: Words
    sharpened: Words


@dataclass(frozen=True, eq=False)
class RecipeSeen(Event):
    """What a sweep would do to places of a picture: both sides of each, and the verdict once it is known."""

    sweep: Sweep
    places: Sequence[tuple[Words, Words]]
    verdict: Verdict | None


@dataclass(frozen=True, eq=False)
class CostsFound(Event):
    """Seconds that the whole picture takes at each quality of Noise."""

    seconds: Mapping[str, float]


# ---------------------------------------------------------------- of the program


@dataclass(frozen=True, eq=False)
class Opened(Event):
    """A picture has been opened."""


@dataclass(frozen=True, eq=False)
class OpenFailed:
    path: Path
    why: str


@dataclass(frozen=True, eq=False)
class DemoMade:
    """A demo picture is there."""

    path: Path


@dataclass(frozen=True, eq=False)
class DemoOver:
    """No more of them come; ``why`` where that is a fault."""

    why: str


@dataclass(frozen=True, eq=False)
class Compiling:
    """The name of a kernel that somebody waits for; empty when it is there."""

    name: str


@dataclass(frozen=True, eq=False)
class ExportProgressed:
    token: int
    done: int
    total: int


@dataclass(frozen=True, eq=False)
class Exported:
    token: int
    outcome: Outcome
