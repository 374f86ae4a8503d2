"""Values between the places of a grid, the same however what is asked for is cut."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def between(grid: NDArray[np.float32], y: NDArray, x: NDArray) -> NDArray[np.float32]:
    """Values (len(y), len(x)) of a grid at rows y and columns x, in its steps: linear, and its ends beyond."""

    def parts(at: NDArray, n: int) -> tuple[NDArray, NDArray, NDArray[np.float32]]:
        place = np.clip(at, 0, n - 1.0)
        low = place.astype(int)
        return low, np.minimum(low + 1, n - 1), (place - low).astype(np.float32)

    (i, i1, v), (j, j1, u) = parts(y, grid.shape[0]), parts(x, grid.shape[1])
    top = grid[i][:, j] * (1 - u) + grid[i][:, j1] * u
    below = grid[i1][:, j] * (1 - u) + grid[i1][:, j1] * u
    return np.asarray(top * (1 - v)[:, None] + below * v[:, None], np.float32)
