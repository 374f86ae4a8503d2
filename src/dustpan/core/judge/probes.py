"""Probes: patches that show what a person keeps an eye on.

On an ordinary picture these are a dark, a middle and a bright flat spot, the finest texture and the hardest edge; on a
render a middle flat spot, the clearest glint, fine scratches, the finest texture and the hardest edge; on a star field
empty sky, faint structure, a small star, a bright star and a corner.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from dustpan.core.language import mark
from dustpan.core.region import Region

SIDE, SMALLEST = 92, 32  # px of the picture that a probe shows at 100 % and is measured on; less on small pictures
SHARE = 6  # of a small picture's shorter side


class Role(StrEnum):
    """What a probe watches."""

    DARK_FLAT = mark("dark flat")
    MIDDLE_FLAT = mark("middle flat")
    BRIGHT_FLAT = mark("bright flat")
    TEXTURE = mark("finest texture")
    EDGE = mark("hardest edge")
    GLINT = mark("glint")
    SCRATCHES = mark("fine scratches")
    SKY = mark("empty sky")
    FAINT = mark("faint structure")
    SMALL_STAR = mark("small star")
    BRIGHT_STAR = mark("bright star")
    CORNER = mark("corner")
    FOUND = mark("what was found")
    OWN = mark("own")


FLAT_ROLES = (Role.DARK_FLAT, Role.MIDDLE_FLAT, Role.BRIGHT_FLAT, Role.SKY)


MOST = 5  # that fit down the side


def with_found(probes: tuple[Probe, ...], y: int, x: int) -> tuple[Probe, ...]:
    """Probes with one on what a step has found; it takes the place of an older one, or of a flat spot where many are.

    Examples
    --------
    >>> [p.role.value for p in with_found((Probe(Role.EDGE, 8, 8),), 4, 5)]
    ['hardest edge', 'what was found']
    """
    found = Probe(Role.FOUND, y, x)
    given_up = [Role.FOUND, *(FLAT_ROLES[::-1] if len(probes) >= MOST else ())]
    at = next((n for role in given_up for n, p in enumerate(probes) if p.role is role), None)
    if at is not None:
        return (*probes[:at], found, *probes[at + 1 :])
    return (*probes, found) if len(probes) < MOST else probes


def side_in(size: tuple[int, int]) -> int:
    """The side in px of what a probe is measured on, in a picture of (height, width).

    Examples
    --------
    >>> side_in((4000, 6000)), side_in((288, 400)), side_in((100, 100))
    (92, 48, 32)
    """
    return min(max(min(size) // SHARE // 8 * 8, SMALLEST), SIDE)


@dataclass(frozen=True)
class Probe:
    """A watched place: what for, and its centre in px."""

    role: Role
    y: int
    x: int

    def region(self, size: tuple[int, int], side: int = 0) -> Region:
        """The square around it, pushed inside a picture of (height, width); what it is measured on without a side."""
        h, w = size
        side = side or side_in(size)
        y0 = min(max(self.y - side // 2, 0), max(h - side, 0))
        x0 = min(max(self.x - side // 2, 0), max(w - side, 0))
        return Region(y0, x0, y0 + side, x0 + side).within(size)

    def as_json(self) -> dict[str, Any]:
        return {"role": self.role.value, "y": self.y, "x": self.x}


def probe_from_json(raw: Mapping[str, Any]) -> Probe | None:
    """A probe that a sweep file keeps; None for what cannot be one."""
    try:
        y, x = raw["y"], raw["x"]
        return Probe(Role(raw["role"]), int(y), int(x)) if min(y, x) >= 0 else None
    except (KeyError, TypeError, ValueError, OverflowError):
        return None
