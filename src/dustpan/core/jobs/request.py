"""What is wished to be seen of an open picture."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from dustpan.core.look import Look, look_at
from dustpan.core.looks.channels import PICTURE
from dustpan.core.open.exact import Exact
from dustpan.core.region import Region
from dustpan.core.sweep import Sweep

NOTHING = Region(0, 0, 1, 1)


@dataclass(frozen=True)
class Request:
    """What is wished to be seen.

    Attributes
    ----------
    sweep, other : of the result and of the side that it is compared with. look : how both are looked at.
    visible : px of the picture. level : of the pyramid that is drawn: 1 / 2 ** level of the size.
    step : regions that are shown begin at multiples of this. both : whether the other side is on screen as well.
    seen : by side (whether it is the other one), what of it is on screen already.
    aside : what is looked at instead of the result, while a control of the step is moved.
    """

    sweep: Sweep
    other: Sweep = field(default_factory=Sweep)
    look: Look = field(default_factory=lambda: look_at(PICTURE))
    visible: Region = NOTHING
    level: int = 0
    step: int = 1
    both: bool = False
    seen: Mapping[bool, Exact] = field(default_factory=dict)
    aside: Sweep | None = None

    def side(self, other: bool) -> Sweep:
        return self.other if other else self.aside or self.sweep

    def what(self, other: bool) -> tuple[Sweep, Look]:
        """What a side shows."""
        return self.side(other), self.look
