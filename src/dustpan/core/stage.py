"""Stages: the parts of a step, or of a mask, whose results are cached by themselves."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Protocol

import numpy as np
import xxhash
from numpy.typing import NDArray

from dustpan.core.fact import FactKind
from dustpan.core.region import Region

INPUT = "input"


class Context(Protocol):
    """What a stage gets: its parameters, facts about the step's input, and pixels on request."""

    @property
    def params(self) -> Any:
        """The parameters of the step, or of the part of a mask."""

    @property
    def facts(self) -> Mapping[FactKind, Any]:
        """Those that were asked for."""

    @property
    def region(self) -> Region:
        """What is to be computed."""

    @property
    def size(self) -> tuple[int, int]:
        """(height, width) of the picture."""

    def get(self, stage: str, grow: int = 0) -> tuple[NDArray[np.float32], Region]:
        """The step's input (`INPUT`) or an earlier stage on the region grown by ``grow`` px within the picture."""

    def by_place(self, grow: int = 0) -> NDArray[np.float32] | None:
        """How much stronger than its print the input's noise is on the region grown by ``grow`` px within the picture.

        (1 or 2, h, w) factors of luminance and of colour; None where the print holds as it is.
        """

    def check(self) -> None:
        """Raise when the work was cancelled; call it every few milliseconds."""


@dataclass(frozen=True)
class Stage:
    """A part of a step whose result is cached by itself.

    Attributes
    ----------
    name : unique within the step; the last stage gives the step's result.
    run : computes (h, w, ...) float32 for ``context.region``; must not depend on how the picture is cut into regions.
    key : the part of the parameters that the result depends on.
    reach : how far ``run`` reads beyond the region, in px, of the step's input and of earlier stages; a number, or what
        gives it from the parameters.
    needed : whether this stage is used with these parameters.
    draft : the same done quickly, for a first look; its result is never kept.
    """

    name: str
    run: Callable[[Context], NDArray[np.float32]]
    key: Callable[[Any], tuple] = lambda p: tuple(p.model_dump().values())
    reach: int | Callable[[Any], int] = 0
    needed: Callable[[Any], bool] = lambda p: True
    draft: Stage | None = None


@dataclass(frozen=True, eq=False)
class Bound:
    """A stage with the parameters that it runs with.

    ``group`` keeps the stages of several parts of one mask apart; a stage asks for others of its own group by their
    plain names, and for those of all groups by `name`.
    """

    stage: Stage
    params: Any
    group: str = ""

    @property
    def name(self) -> str:
        return f"{self.group}/{self.stage.name}" if self.group else self.stage.name

    @cached_property
    def reach(self) -> int:
        """How far it reads beyond a region, in px."""
        reach = self.stage.reach
        return reach(self.params) if callable(reach) else reach

    @cached_property
    def key(self) -> str:
        """A digest of its name and of the parameters that its result depends on; made once."""
        return digest(self.name, repr(self.stage.key(self.params)))

    def resolve(self, name: str, known: Mapping[str, Any]) -> str:
        """The whole name of a stage that it asks for by ``name``, among the known ones."""
        own = f"{self.group}/{name}"
        return own if self.group and name != INPUT and own in known else name


def bind(stages: tuple[Stage, ...], params: Any, group: str = "", draft: bool = False) -> tuple[Bound, ...]:
    """The stages that are used with these parameters; of a draft, the quick ones where there are."""
    chosen = ((s.draft if draft else None) or s for s in stages)
    return tuple(Bound(s, params, group) for s in chosen if s.needed(params))


def digest(*parts: str) -> str:
    """A short name for these texts together, different for different ones (xxHash, 128 bit)."""
    return xxhash.xxh3_128_hexdigest("\0".join(parts).encode("utf-8", "surrogatepass"))
