"""What the bench shows, as plain values. No Qt here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from enum import StrEnum

from dustpan.core.hits import Hits
from dustpan.core.jobs.events import Wished
from dustpan.core.jobs.request import Request
from dustpan.core.judge.worst import FigureName
from dustpan.core.look import Look, LookKind, look_at
from dustpan.core.looks.channels import PICTURE
from dustpan.core.looks.file_pass import FILE_PASS
from dustpan.core.open.document import Document
from dustpan.core.open.viewing import VIEWING
from dustpan.core.region import Region
from dustpan.core.sweep import AnyStep, Step, Sweep
from dustpan.core.where.mask import Mask

ORIGINAL, BEFORE_STEP = 0, 1  # the first two sides to compare with; kept states follow
MEASURED, BRIGHTEN = -1, -2  # the numbers of what was measured and of how it is brightened; others are those of steps


class Half(StrEnum):
    """The halves of a step: its controls, and where it applies."""

    WHAT = "what"
    WHERE = "where"


@dataclass
class BenchState:
    """Which picture, which step and half in the tray, compared with what, looked at how.

    ``settings`` remembers the setting of each look; ``warnings`` says by step number what a step makes worse; ``worst``
    holds the figure whose worst places are visited, the places and which one is next. ``hits`` : by step
    number, what was found; ``hit`` : which of the chosen step is looked at. ``part`` : of its mask; ``covered`` : by
    mask, the share of the picture. ``request`` is what is shown. ``aside`` : whether what the chosen step works with is
    looked at instead of its result. ``opened`` : names of the chains whose steps are shown one by one.
    """

    document: Document | None = None
    chosen: int = 0
    half: Half = Half.WHAT
    part: int = 0
    compared: int = ORIGINAL
    look: Look = field(default_factory=lambda: look_at(PICTURE))
    settings: dict[str, float] = field(default_factory=dict)
    warnings: dict[int, str] = field(default_factory=dict)
    worst: tuple[FigureName, list[tuple[int, int]], int] | None = None
    hits: dict[int, Hits] = field(default_factory=dict)
    hit: int = -1
    covered: dict[Mask, float] = field(default_factory=dict)
    request: Request | None = None
    rendering: bool = False
    aside: bool = False
    opened: set[str] = field(default_factory=set)

    def show(self, document: Document | None) -> None:
        """Another picture, with its first step in the tray and the original to compare with."""
        self.document = document
        self.chosen, self.half, self.compared, self.warnings, self.worst = 0, Half.WHAT, ORIGINAL, {}, None
        self.request, self.hits, self.hit, self.part, self.covered, self.aside = None, {}, -1, 0, {}, False
        if document:
            document.probes_seen = None
            self.look = document.viewing.look or (look_at(PICTURE) if self.look.kind in VIEWING else self.look)

    @property
    def sweep(self) -> Sweep:
        return self.document.sweep if self.document else Sweep()

    def any_step(self, index: int) -> AnyStep | None:
        """The step of that number; None for what was measured or without a picture."""
        steps = self.sweep.steps
        return steps[index] if 0 <= index < len(steps) else None

    def step(self, index: int | None = None) -> Step | None:
        """The chosen step, or that of a number, where it is one that can run here."""
        found = self.any_step(self.chosen if index is None else index)
        return found if isinstance(found, Step) else None

    def found(self) -> Hits | None:
        """What the chosen step has found; what it had last while it looks anew."""
        return self.hits.get(self.chosen)

    def together(self, index: int) -> range:
        """The numbers of the steps that stand in one entry of the sweep line with a step."""
        step = self.any_step(index)
        name = getattr(step, "part_of", "")
        return self.sweep.chain_of(index) if name and name not in self.opened else range(index, index + 1)

    def keep_chosen(self) -> None:
        """Choose a step that is there."""
        self.chosen = min(self.chosen, len(self.sweep.steps) - 1)

    def other(self) -> Sweep:
        """The sweep of the side that is compared with."""
        d = self.document
        if d is None:
            return Sweep()
        if self.compared == ORIGINAL:
            return d.reference
        if self.compared == BEFORE_STEP:
            return d.sweep.first(self.chosen)
        return d.kept[self.compared - 2].sweep

    def sides(self, say: Callable[[str], str]) -> list[str]:
        """The names of all sides that can be compared with; ``say`` translates."""
        d = self.document
        step = self.any_step(max(self.chosen, 0))
        before = say("Before {0}").format(step.name if step else say("this step"))
        return [say("Original"), before, *(k.name for k in d.kept)] if d else []

    def look_of(self, kind: LookKind) -> Look | None:
        """A look with the setting that it had last; None for one whose levels have to be found first."""
        if kind in VIEWING and self.document:
            return self.document.viewing.look_of(kind)
        names = tuple(self.document.picture.source.layers) if kind is FILE_PASS and self.document else ()
        return Look(kind, self.settings.get(kind.id, look_at(kind).setting), names=names)

    def next_request(self, visible: Region, level: int, both: bool) -> Request:
        """What is to be shown now; notes which parts of it are on screen already."""
        d = self.document
        assert d is not None
        sweep, other = d.sweep, self.other()
        aside = sweep.aside(self.chosen) if self.aside else None
        for is_other, what in ((False, aside or sweep), (True, other)):
            d.exact[is_other].begin((what, self.look))
        seen = {side: exact.copy() for side, exact in d.exact.items()}
        self.request = Request(sweep, other, self.look, visible, level, d.before.step, both, seen, aside)
        return self.request

    def is_wanted(self, event: Wished) -> bool:
        """Whether what was found for a request is still what is to be shown, wherever the view has moved."""
        now, then = self.request, event.request
        return (
            event.document is self.document
            and now is not None
            and (now.sweep, now.other, now.look, now.aside) == (then.sweep, then.other, then.look, then.aside)
        )

    def is_newest(self, event: Wished) -> bool:
        """Whether it belongs to what was wished last."""
        return event.document is self.document and event.request is self.request
