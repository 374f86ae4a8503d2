"""A picture some rows at a time, so that work on all of it can be called off and shared among threads."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma

ROWS = 128  # a multiple of 8
Check = Callable[[], None]
Each = Callable[..., Iterable[Any]]  # `map`, or that of a pool of threads


def bands(height: int, rows: int = ROWS) -> list[slice]:
    """Rows of a picture, so many at a time.

    Examples
    --------
    >>> bands(300, 128)
    [slice(0, 128, None), slice(128, 256, None), slice(256, 300, None)]
    """
    return [slice(y, min(y + rows, height)) for y in range(0, height, rows)]


def shown_luma(pixels: NDArray[np.float32], check: Check, each: Each = map) -> NDArray[np.float32]:
    """(H, W) luma of what can be shown."""
    out = np.empty(pixels.shape[:2], np.float32)

    def fill(rows: slice) -> None:
        check()
        out[rows] = luma(np.clip(pixels[rows], 0, 1))

    list(each(fill, bands(len(out))))
    return out


def filtered(
    filtering: Callable[[NDArray], NDArray], plane: NDArray, reach: int, check: Check, each: Each = map
) -> NDArray:
    """A filter that looks ``reach`` px far, on `ROWS` rows at a time."""
    out = np.empty_like(plane)

    def fill(rows: slice) -> None:
        check()
        first = max(rows.start - reach, 0)
        out[rows] = filtering(plane[first : rows.stop + reach])[rows.start - first :][: rows.stop - rows.start]

    list(each(fill, bands(len(plane))))
    return out
