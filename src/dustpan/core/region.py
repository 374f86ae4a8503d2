"""Rectangles in picture coordinates, and reading arrays across the picture's edge by reflection."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray


class Region(NamedTuple):
    """Half-open rectangle [y0, y1) x [x0, x1) in px of the picture.

    Examples
    --------
    >>> part = Region(10, 20, 60, 90)
    >>> part.height, part.width, part.area
    (50, 70, 3500)
    >>> part.grown(15).within((100, 100))
    Region(y0=0, x0=5, y1=75, x1=100)
    >>> part.common(Region(0, 0, 40, 40))
    Region(y0=10, x0=20, y1=40, x1=40)
    """

    y0: int
    x0: int
    y1: int
    x1: int

    @property
    def height(self) -> int:
        return self.y1 - self.y0

    @property
    def width(self) -> int:
        return self.x1 - self.x0

    @property
    def area(self) -> int:
        return self.height * self.width

    def grown(self, by: int) -> Region:
        """Larger by ``by`` px on every side, also past the picture's edge."""
        return Region(self.y0 - by, self.x0 - by, self.y1 + by, self.x1 + by)

    def aligned(self, to: int) -> Region:
        """The smallest region around this one whose sides lie on multiples of ``to``."""
        return Region(self.y0 // to * to, self.x0 // to * to, -(-self.y1 // to) * to, -(-self.x1 // to) * to)

    def flipped(self, size: tuple[int, int], flips: tuple[bool, bool]) -> Region:
        """The same place in the picture of (height, width) turned upside down, left to right, or both."""
        (h, w), (down, across) = size, flips
        y0, y1 = (h - self.y1, h - self.y0) if down else (self.y0, self.y1)
        x0, x1 = (w - self.x1, w - self.x0) if across else (self.x0, self.x1)
        return Region(y0, x0, y1, x1)

    def within(self, size: tuple[int, int]) -> Region:
        """The part inside a picture of (height, width)."""
        h, w = size
        return Region(max(self.y0, 0), max(self.x0, 0), min(self.y1, h), min(self.x1, w))

    def common(self, other: Region) -> Region:
        """The part that both cover; empty or turned inside out where there is none."""
        return Region(max(self.y0, other.y0), max(self.x0, other.x0), min(self.y1, other.y1), min(self.x1, other.x1))

    def meets(self, other: Region) -> bool:
        return self.y0 < other.y1 and other.y0 < self.y1 and self.x0 < other.x1 and other.x0 < self.x1

    def inside(self, other: Region) -> bool:
        return other.y0 <= self.y0 and other.x0 <= self.x0 and self.y1 <= other.y1 and self.x1 <= other.x1

    def slices(self, origin: Region | None = None) -> tuple[slice, slice]:
        """Row and column slices into an array that covers ``origin`` (or the whole picture).

        Raises
        ------
        ValueError : when this does not lie inside; negative places would else count from the other end.
        """
        if origin is None:
            origin = Region(0, 0, self.y1, self.x1)
        if not self.inside(origin):
            raise ValueError(f"{self} does not lie inside {origin}")
        oy, ox = origin.y0, origin.x0
        return slice(self.y0 - oy, self.y1 - oy), slice(self.x0 - ox, self.x1 - ox)


def flipped(planes: NDArray, flips: tuple[bool, bool]) -> NDArray:
    """A view of planes (C, h, w) turned upside down, left to right, or both."""
    down, across = (-1 if f else 1 for f in flips)
    return planes[:, ::down, ::across]


def mirrored(first: int, last: int, length: int) -> NDArray[np.intp]:
    """Indices first..last-1 folded back into 0..length-1, mirrored about the outer edge of the first and last px."""
    i = np.arange(first, last) % (2 * length)
    return np.where(i < length, i, 2 * length - 1 - i)


def fetch(planes: NDArray, have: Region, want: Region, size: tuple[int, int]) -> NDArray:
    """Read ``want`` out of planes (C, h, w) that cover ``have``; beyond the picture's edge it is mirrored.

    The result may be a view. ``have`` must cover the part of ``want`` inside the picture and its mirror images.

    Raises
    ------
    ValueError : when it does not. Compiled code, which reads where it is told, would else read what is not there.
    """
    inner = want.within(size)
    if not inner.inside(have) or planes.shape[1:] != (have.height, have.width):
        raise ValueError(f"{inner} is wanted, {have} is there with {planes.shape}")
    if inner == want:
        ys, xs = want.slices(have)
        return planes[:, ys, xs]
    beyond = (inner.y0 - want.y0, want.y1 - inner.y1), (inner.x0 - want.x0, want.x1 - inner.x1)
    if max(beyond[0]) <= inner.height and max(beyond[1]) <= inner.width:  # all mirror images lie in the inner part
        ys, xs = inner.slices(have)
        return np.pad(planes[:, ys, xs], ((0, 0), *beyond), mode="symmetric")
    ys_ = mirrored(want.y0, want.y1, size[0]) - have.y0
    xs_ = mirrored(want.x0, want.x1, size[1]) - have.x0
    return planes[:, ys_[:, None], xs_]
