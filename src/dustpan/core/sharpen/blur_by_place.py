"""How the blur varies over a picture: towards the corners of a lens, and with what is out of focus.

The picture's fall of power and its noise are known from all of it; of each cell of a grid only the level and one round
blur are asked, and how well each blur would explain it. A cell that holds little says little: the field of blurs that
is taken explains the cells as well as it can and changes as little as it may from one to the next.

References
----------
[1] J. Besag, "On the statistical analysis of dirty pictures", J. R. Statist. Soc. B 48(3), 1986: iterated modes.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.between import between
from dustpan.core.fact import Asked, FactKind, Of, Scope
from dustpan.core.region import Region
from dustpan.core.sharpen.blur_of import BLUR, ROUND, BlurOf, Spectrum, mean_power
from dustpan.core.sharpen.transfer import of_gaussian

CELL, OVER = 128, 32  # px between the middles of cells, and px by which one reaches into the next
FEWEST = 20  # frequencies that a cell has to hold to count
HELD = 60  # times as much as anywhere: the fall of power is that of the whole picture
EVEN, ROUNDS = 4.0, 40  # cost of neighbours that differ by a factor of e, in frequencies; rounds until nothing changes
STEP = 1.3  # factor between the blurs that are inverted
SIGMAS = 0.45 * STEP ** np.arange(9)  # px


@dataclass(frozen=True, eq=False)
class BlurMap:
    """grid : (rows, columns) sigma in px of a round blur, in the middle of every cell of `CELL` px."""

    grid: NDArray[np.float32]

    @property
    def span(self) -> tuple[float, float]:
        """The least and the most, px."""
        return float(self.grid.min()), float(self.grid.max())

    def of(self, region: Region) -> NDArray[np.float32]:
        """(h, w) sigma at every pixel of a region."""
        y, x = (np.arange(a, b) / CELL - 0.5 for a, b in ((region.y0, region.y1), (region.x0, region.x1)))
        return between(self.grid, y, x)


def _cells(size: tuple[int, int]) -> Iterator[tuple[int, int, Region]]:
    for i in range(-(-size[0] // CELL)):
        for j in range(-(-size[1] // CELL)):
            around = Region(i * CELL, j * CELL, (i + 1) * CELL, (j + 1) * CELL).grown(OVER)
            yield i, j, around.within(size)


def costs_of(power: NDArray, found: BlurOf) -> NDArray[np.float64]:
    """What each of `ROUND` leaves unexplained of a part of a picture, in frequencies; 0 where it holds too few."""
    seen = Spectrum(power, found.noise, fall=found.fall, held=HELD)
    if len(seen.r) < FEWEST:
        return np.zeros(len(ROUND))
    blurs = [of_gaussian(seen.fy, seen.fx, np.eye(2) * s * s) for s in ROUND]
    return seen.left(blurs) * seen.weight.sum()


def map_of(costs: NDArray[np.float64], usual: float) -> BlurMap:
    """The field that explains the cells best.

    Parameters
    ----------
    costs : (rows, columns, len(ROUND)). usual : px, from which it begins.
    """
    log = np.log(ROUND)
    field = np.full(costs.shape[:2], np.log(max(usual, ROUND[0])))
    cross = np.array([[0, 1, 0], [1, 0, 1], [0, 1, 0]], float)
    beside = ndi.convolve(np.ones_like(field), cross, mode="constant")
    for _ in range(ROUNDS):
        for colour in (0, 1):  # as on a chess board, so that no cell changes together with a neighbour
            around = ndi.convolve(field, cross, mode="constant")
            pull = beside[..., None] * log**2 - 2 * around[..., None] * log
            best = log[np.argmin(costs + EVEN * pull, -1)]
            mine = np.indices(field.shape).sum(0) % 2 == colour
            field = np.where(mine, best, field)
    return BlurMap(np.exp(ndi.gaussian_filter(field, 0.6, mode="nearest")).astype(np.float32))


def _within(read: Callable[[Region], NDArray], cell: Region) -> Callable[[Region], NDArray]:
    """Reads places of a cell."""
    y, x = cell.y0, cell.x0
    return lambda part: read(Region(part.y0 + y, part.x0 + x, part.y1 + y, part.x1 + x))


def _measure(asked: Asked) -> BlurMap:
    found: BlurOf = asked.needs[BLUR]
    costs = np.zeros((-(-asked.size[0] // CELL), -(-asked.size[1] // CELL), len(ROUND)))
    for i, j, cell in _cells(asked.size):
        power = mean_power(_within(asked.read, cell), (cell.height, cell.width), asked.check)
        if power is not None:
            costs[i, j] = costs_of(power, found)
    return map_of(costs, found.sigma)


BLUR_MAP = FactKind("blur-by-place", _measure, of=Of.PICTURE, scope=Scope.WHOLE, needs=(BLUR,))
