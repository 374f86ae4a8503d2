"""Boosted regression trees: how likely something is, from a row of figures that tell of it.

Trees are grown beside the application (`tools/learn_specks.py`) and come with it as plain arrays; here they are only
followed.

References
----------
[1] J. H. Friedman, "Greedy function approximation: a gradient boosting machine", Annals of Statistics 29(5), 2001.
"""

from __future__ import annotations

from dataclasses import dataclass, fields
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import EXACT, PLANE, ROW, i4, kernel, seen


@dataclass(frozen=True, eq=False)
class Forest:
    """Trees, all their nodes in one row.

    Attributes
    ----------
    roots : (trees,) first node of each. figure : (nodes,) which figure is asked, -1 in a leaf. limit : (nodes,) up to
        which it goes to the lesser side. lesser, greater : (nodes,) where it goes on. value : (nodes,) of leaves, in
        logarithms of odds. base : of all together.
    """

    roots: NDArray[np.int32]
    figure: NDArray[np.int32]
    limit: NDArray[np.float32]
    lesser: NDArray[np.int32]
    greater: NDArray[np.int32]
    value: NDArray[np.float32]
    base: float

    def likely(self, told: NDArray[np.float32]) -> NDArray[np.float32]:
        """How likely each of (n, figures) is, 0 to 1."""
        odds = np.full(len(told), self.base, np.float32)
        rows = np.ascontiguousarray(told, np.float32)
        _follow(rows, self.roots, self.figure, self.limit, self.lesser, self.greater, self.value, odds)
        return np.asarray(1 / (1 + np.exp(-odds)), np.float32)

    def save(self, path: Path) -> None:
        kept: dict[str, Any] = {f.name: np.asarray(getattr(self, f.name)) for f in fields(self)}
        np.savez_compressed(path, **kept)

    @staticmethod
    def load(path: Path) -> Forest:
        with np.load(path, allow_pickle=False) as kept:
            return Forest(
                **{f.name: kept[f.name] for f in fields(Forest) if f.name != "base"}, base=float(kept["base"])
            )


@kernel(seen(PLANE), *[seen(i4[::1])] * 2, seen(ROW), *[seen(i4[::1])] * 2, seen(ROW), ROW, options=EXACT)
def _follow(told, roots, figure, limit, lesser, greater, value, odds):
    for n in range(len(told)):
        for root in roots:
            node = root
            while figure[node] >= 0:
                node = lesser[node] if told[n, figure[node]] <= limit[node] else greater[node]
            odds[n] += value[node]
