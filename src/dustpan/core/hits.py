"""Hits: what was found in a picture, with how sure it is."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.fact import FactKind
from dustpan.core.language import mark
from dustpan.core.params import Params, places
from dustpan.core.picture import Kind

CLICK = 2.5  # px around a hit that a click means


@dataclass(frozen=True, eq=False)
class Hits:
    """Places, the surest last, so that those that a person should look at come first.

    Attributes
    ----------
    at : (n, 2) places (y, x) in px. score : (n,) how sure each is, in the unit that ``unit`` names; ascending.
    unit : of the scores, such as "σ above the sky". proven : of what is there or not as a whole; None for places.
    asks : what a person has to decide first, of what is proven and yet not taken. calm : what is said of what was found
        to be in order, where nothing has to be repaired. short : what stands on the chip instead of a count.
    curve : what it was told from, where that is one: places along it, and how far it stands out there.
    peaks : places along the curve that count. map : (h, w) what was found all over the reduced picture, 0 to 1.
    proof : what was found as a whole, in a few words of the language of the person; besides places, where there are.
    watch : a place (y, x) in px where a probe shows best what becomes of it.
    """

    at: NDArray[np.floating]
    score: NDArray[np.floating]
    unit: str = ""
    proven: bool | None = None
    curve: tuple[NDArray, NDArray] | None = None
    asks: str = ""
    proof: str = ""
    calm: str = ""
    short: str = ""
    peaks: tuple[float, ...] = ()
    map: NDArray | None = None
    watch: tuple[int, int] | None = None

    @property
    def any(self) -> bool:
        """Whether something was found that is repaired."""
        return len(self) > 0 or bool(self.proof) if self.proven is None else self.proven

    @property
    def as_a_whole(self) -> bool:
        """Whether what was found is one thing, of which no places are told."""
        return self.proven is not None or (len(self) == 0 and bool(self.proof))

    @property
    def nothing(self) -> str:
        """What is said when nothing is repaired; to be translated."""
        return self.asks or self.calm or mark("nothing proven")

    def __len__(self) -> int:
        return len(self.at)

    def as_json(self) -> dict[str, Any]:
        """The object of ``dustpan find --json``: places as [x, y]."""
        said: dict[str, Any] = {} if self.proven is None else {"proven": self.proven}
        said |= {"proof": self.proof} if self.proof else {}
        said |= {"count": len(self), "hits": [[round(float(x), 2), round(float(y), 2)] for y, x in self.at]}
        return said | {"scores": [round(float(s), 3) for s in self.score], "unit": self.unit}


def in_order(at: NDArray, score: NDArray, unit: str = "") -> Hits:
    """Hits from places (n, 2) and their scores in any order."""
    order = np.argsort(np.asarray(score), kind="stable")
    return Hits(np.asarray(at, float).reshape(-1, 2)[order], np.asarray(score, float)[order], unit)


class Decided(Params):
    """What a person has decided about hits: the parameters of steps whose hits are put back and added by a click."""

    spared: tuple[tuple[float, float], ...] = places(
        label="Put back", help="Found ones that stay as they are.", deeper=True
    )
    added: tuple[tuple[float, float], ...] = places(
        label="Added", help="Places that are taken although nothing was found.", deeper=True
    )


def near_any(at: NDArray, marked: tuple[tuple[float, float], ...]) -> NDArray[np.bool_]:
    """Which places (n, 2) a person has clicked at."""
    out = np.zeros(len(at), bool)
    for y, x in marked:
        out |= (np.abs(at[:, 0] - y) <= CLICK) & (np.abs(at[:, 1] - x) <= CLICK)
    return out


@dataclass(frozen=True)
class Finder:
    """What can be looked for without a step, such as stars: the facts that it needs, and the hits that follow.

    ``takes`` : the kinds of picture that it looks at.
    """

    id: str
    name: str
    facts: frozenset[FactKind]
    hits: Callable[[Mapping[FactKind, Any]], Hits]
    takes: frozenset[Kind] = frozenset({Kind.MONO, Kind.RGB})
