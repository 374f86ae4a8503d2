"""Plans: what is done at each quality, and how far that reads around a region."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from dustpan.core.language import mark
from dustpan.core.noise import collaborative, drift, regain
from dustpan.core.noise.groups import SIDE
from dustpan.core.noise.lit import GIVEN
from dustpan.core.noise.lit import REACH as REACH_OF_LIT


@dataclass(frozen=True)
class Round:
    """One round of patch estimates: reference lattice, size of what is compared, search radius, in px.

    Patches of 8 px are compared in every second row and column: a guide is smooth.
    ``least`` : coefficients in which the guide varies by less than this share of the noise's power are not estimated.
    ``content`` : factor on the guide's covariance. ``left`` : share of the noise's power that is taken to be in it.
    """

    step: int
    size: int
    radius: int
    least: float = 0.03
    content: float = 0.85
    left: float = 0.02

    @property
    def reach(self) -> int:
        """How far from a pixel the estimate may look, in px."""
        return 2 * self.radius + 2 * SIDE + (self.size - SIDE) // 2


class Quality(StrEnum):
    """How thoroughly noise is told from content."""

    QUICK = mark("quick")
    EXACT = mark("exact")
    FINEST = mark("finest")


@dataclass(frozen=True)
class Plan:
    """What is done at a quality: whether the guide looks for alike blocks, and the rounds of patch estimates.

    ``threshold`` : of the guide, in sigma of each coefficient, for white noise and for correlated noise. The rounds
    take more noise out of it, but cannot bring back what it has lost, so it is lower than for a result.
    ``colour`` : factor on the threshold of colours where the noise is correlated.
    ``fine_colour`` : whether colours are looked at at full size as well and not only at half size, for the same two.
    ``evened`` : whether faint outlines of patches, which correlated noise leaves in gradients, are taken out.
    """

    together: bool
    rounds: tuple[Round, ...]
    threshold: tuple[float, float]
    row_step: int = 2
    colour: float = 1.0
    fine_colour: tuple[bool, bool] = (True, False)
    evened: bool = False

    @property
    def guide_reach(self) -> int:
        """How far from a pixel its guide looks, in px."""
        return collaborative.REACH + collaborative.STEP if self.together else TWO_SCALE + LATTICE

    @property
    def reach(self) -> int:
        """How far beyond a region its pixels are read for all parts, in px."""
        return self.guide_reach + reach_of(self.rounds) + (REACH_OF_FINISH if self.rounds else GIVEN)


def reach_of(rounds: Sequence[Round]) -> int:
    return sum(r.reach for r in rounds)


TWO_SCALE, LATTICE = 20, 4  # px that a sliding DCT at two scales looks beyond its lattice, and between its rows
REACH_OF_FINISH = max(drift.REACH, regain.REACH + TWO_SCALE + 4, REACH_OF_LIT)
DRAFT = Plan(together=False, rounds=(), threshold=(3.0, 2.8), row_step=4, colour=1.25, fine_colour=(False, False))
PLANS = {
    Quality.QUICK: Plan(
        together=False,
        rounds=(Round(step=6, size=4, radius=12, least=0.06, content=0.75, left=0.05),),
        threshold=(2.4, 2.3),
        colour=1.3,
    ),
    Quality.EXACT: Plan(
        together=True,
        rounds=(
            Round(step=6, size=8, radius=16, least=0.10, content=1.0, left=0.08),
            Round(step=5, size=4, radius=16),
        ),
        threshold=(2.0, 2.0),
        colour=1.4,
        evened=True,
    ),
    Quality.FINEST: Plan(
        together=True,
        rounds=(
            Round(step=4, size=8, radius=16, least=0.04, content=1.0, left=0.08),
            Round(step=3, size=4, radius=20),
        ),
        threshold=(2.0, 2.0),
        colour=1.4,
        evened=True,
    ),
}
