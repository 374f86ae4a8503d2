"""What a step does to the noise of its input, declared by the step.

A print says how strong the noise of a picture is at every brightness. Once a step has acted in part (in a mask, by
brightness, at less than its full strength) no print can say it: what is left differs from place to place, and where it
was taken out there is nothing to measure. What is left is known, though, from the step itself. It is told as a factor
by place on the print that was measured before, of luminance and of colour.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.curve import SRGB, Curve
from dustpan.core.fact import Asked, FactKind, Scope
from dustpan.core.noise_of.shares import Shares
from dustpan.core.region import Region

Left = tuple[NDArray | float, NDArray | float]


@dataclass(frozen=True)
class Seen:
    """What an effect is told.

    Attributes
    ----------
    params : of the step. noise : the print of its input (a `NoisePrint`).
    pixels : gives the step's input (h, w, C) with its noise averaged out. facts : those of the step.
    stage : gives what a stage of the step made of it.
    """

    params: Any
    noise: Any
    pixels: Callable[[], NDArray[np.float32]]
    facts: Mapping[FactKind, Any]
    curve: Curve = SRGB
    stage: Callable[[str], NDArray[np.float32]] = lambda name: np.zeros((0, 0, 0), np.float32)


def _as_it_was(seen: Seen) -> Left:
    return 1.0, 1.0


@dataclass(frozen=True, eq=False)
class Effect:
    """What a step does to noise.

    Attributes
    ----------
    left : how much of the luminance and of the colour noise is left where the step acts fully, as factors; more than 1
        where it is raised. added : luminance noise that comes to it, as a factor on the print.
    whole : whether the step does, with these parameters, the same to all of it. What it leaves everywhere is then
        measured; otherwise, and where it is masked or not opaque, it is told by `left`.
    shares : of a step that takes out shares of the noise, see `Shares`.
    """

    left: Callable[[Seen], Left] = _as_it_was
    added: Callable[[Any], float] = lambda p: 0.0
    whole: Callable[[Any], bool] = lambda p: True
    shares: Shares | None = None

    @property
    def leaves_it(self) -> bool:
        """Whether noise comes out of it as it was."""
        return self is AS_IT_WAS


AS_IT_WAS = Effect()
LATTICE, PATCH = 5, 32  # places across and down, and px, that the factor is asked at


def _usually(asked: Asked) -> float:
    """The median factor on the luminance noise over places all over the picture; 1 where the print holds."""
    h, w = asked.size
    found = []
    for i in range(LATTICE * LATTICE):
        y, x = (int((k + 0.5) * n / LATTICE) for k, n in zip(divmod(i, LATTICE), (h, w), strict=True))
        factor = asked.by_place(Region(y - PATCH // 2, x - PATCH // 2, y + PATCH // 2, x + PATCH // 2).within((h, w)))
        if factor is None:
            return 1.0
        asked.check()
        found.append(float(np.median(factor[0])))
    return float(np.median(found))


USUALLY = FactKind("noise by place, usually", _usually, scope=Scope.NOTHING, draft=lambda last, own: last or own)
