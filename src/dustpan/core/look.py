"""Looks: special views of a picture that show what is hard to see. They never change it.

A look is one module in ``looks/``: a function `draw` from a `LookContext` to pixels, and a `LookKind` that describes
it. Palette, menu, keys and badge are made from that description.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from dustpan.core.curve import SRGB, Curve
from dustpan.core.finish.levels import Levels
from dustpan.core.language import say
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.region import Region


@dataclass(frozen=True)
class LookContext:
    """What a look is given.

    Attributes
    ----------
    before, after : (h, w, C) encoded values of the picture and of the side that is shown, covering ``have``.
    region : what is to be drawn, in px of the picture. have : at least the region grown by the look's reach, within.
    size : (height, width) of the picture. setting : of the look, where it has one.
    noise : the print of the picture; None while it is not known. curve : of the picture.
    levels : of a look that has them. layers : the file's further passes by name, planes (H, W) of the whole picture.
    """

    before: NDArray[np.float32]
    after: NDArray[np.float32]
    region: Region
    have: Region
    size: tuple[int, int]
    setting: float = 0.0
    noise: NoisePrint | None = None
    curve: Curve = SRGB
    levels: Levels | None = None
    layers: Mapping[str, tuple[NDArray, ...]] = field(default_factory=dict)

    def inner(self, pixels: NDArray) -> NDArray:
        """The region's part of what covers ``have``."""
        return pixels[self.region.slices(self.have)]


@dataclass(frozen=True)
class Setting:
    """One number that a look can be told: the wheel changes it by ``step``, or by the factor ``step``."""

    default: float
    low: float
    high: float
    step: float
    words: str
    by_factor: bool = False

    def stepped(self, value: float, way: int) -> float:
        """One notch up or down."""
        moved = value * self.step**way if self.by_factor else value + self.step * way
        return float(np.clip(moved, self.low, self.high))


@dataclass(frozen=True, eq=False)
class LookKind:
    """The description of a look.

    Attributes
    ----------
    id, name, help : as of a step. draw : gives (h, w, C) or (h, w, 3) encoded values of the region.
    reach : how far beyond a region it reads, in px. setting : what can be changed, if anything.
    """

    id: str
    name: str
    help: str
    draw: Callable[[LookContext], NDArray[np.float32]]
    reach: int = 0
    setting: Setting | None = None


@dataclass(frozen=True)
class Look:
    """A kind of look with its setting, or with the levels that it shows black, middle and white at.

    ``names`` : what its settings are called, of a look that goes through a list.
    """

    kind: LookKind
    setting: float = 0.0
    levels: Levels | None = None
    names: tuple[str, ...] = ()

    @property
    def plain(self) -> bool:
        """Whether this is the picture as it is."""
        return self.kind.id == "picture"

    @property
    def reach(self) -> int:
        return self.kind.reach

    def stepped(self, way: int) -> Look:
        """With its setting one notch up or down."""
        setting = self.kind.setting
        if self.names:
            return replace(self, setting=(self.setting + way) % len(self.names))
        return replace(self, setting=setting.stepped(self.setting, way)) if setting else self

    def words(self) -> str:
        """Its name, with its setting, as the badge says it."""
        setting = self.kind.setting
        if setting is None:
            return say(self.kind.name)
        return say(setting.words, self.names[int(self.setting) % len(self.names)] if self.names else self.setting)

    def view(
        self,
        before: NDArray[np.float32],
        after: NDArray[np.float32],
        noise: NoisePrint | None = None,
        curve: Curve = SRGB,
        region: Region | None = None,
        have: Region | None = None,
        size: tuple[int, int] | None = None,
        layers: Mapping[str, tuple[NDArray, ...]] | None = None,
    ) -> NDArray[np.float32]:
        """Draw a region; of a whole picture all three places can be left out. See `LookContext`."""
        h, w = after.shape[:2]
        have = have or Region(0, 0, h, w)
        place = region or have, have, size or (h, w)
        return self.kind.draw(LookContext(before, after, *place, self.setting, noise, curve, self.levels, layers or {}))


def look_at(kind: LookKind) -> Look:
    """A look with its usual setting."""
    return Look(kind, kind.setting.default if kind.setting else 0.0)
