"""Take the drift out of clipped shadows.

Where noise is clipped its distribution is skewed, and patches that were clipped more look more alike: averages over
such patches drift below the true mean there, a little darker and in another colour. What averages over a window of
fixed shape have lost against the noisy picture is given back in part, where values are clipped, pooled over such
places.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

SHARE = np.float32(0.8)  # that is given back; all of it would bring back noise as well
WINDOW = 25  # px, twice; `_box` is made for this
REACH = WINDOW - 1
BAND = 64  # rows
CLIPPED_FROM, CLIPPED_FULL = np.float32(0.95), np.float32(0.7)  # noise scale from which, and at which in full
LEAST = np.float32(0.02)  # weight of the surroundings
_FAST: Any = dict(nogil=True, cache=True, fastmath=True, error_model="numpy")


def without_drift(
    noisy: NDArray[np.float32],
    cleaned: NDArray[np.float32],
    mix: NDArray[np.float32],
    scale: NDArray[np.float32],
    scale_step: float,
) -> NDArray[np.float32]:
    """Cleaned planes whose mean in clipped parts is that of the noisy ones.

    Parameters
    ----------
    noisy, cleaned : (C, h, w) stabilised opponent planes, with `REACH` px more on every side than is wanted.
    mix : (C, C) from channels to the planes.
    scale, scale_step : noise scale against the stabilised level, see `Stabiliser`.

    Returns
    -------
    (C, h - 2 REACH, w - 2 REACH).
    """
    _, h, w = cleaned.shape
    out = np.ascontiguousarray(cleaned[:, REACH : h - REACH, REACH : w - REACH])
    weight, lost = (np.empty((h, w), np.float32) for _ in range(2))
    for c in range(len(mix)):
        if _loss(noisy, cleaned, np.ascontiguousarray(mix[:, c]), scale[c], np.float32(scale_step), weight, lost):
            own = weight[REACH : h - REACH, REACH : w - REACH]
            _give_back(own, _pooled(lost), _pooled(weight), np.ascontiguousarray(mix[:, c]), out)
    return out


def _pooled(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    """Mean over the window, twice: (h, w) to (h - 2 REACH, w - 2 REACH)."""
    for _ in range(2):
        out = np.empty((plane.shape[0] - REACH, plane.shape[1] - REACH), np.float32)
        _box(plane, out)
        plane = out
    return plane


@njit(**_FAST)
def _loss(noisy, cleaned, mix, scale, scale_step, weight, lost):
    """Of one channel, how much each pixel counts as clipped, and what cleaning took there; whether any does."""
    n, h, w = cleaned.shape
    last = len(scale) - 1
    level, change = np.empty(w, np.float32), np.empty(w, np.float32)
    most = np.float32(0)
    for y in range(h):
        level[:] = 0
        change[:] = 0
        for k in range(n):
            a, b, f = noisy[k, y], cleaned[k, y], mix[k]
            for x in range(w):
                level[x] += f * b[x]
                change[x] += f * (a[x] - b[x])
        for x in range(w):
            s = scale[min(max(int(level[x] * scale_step), 0), last)]
            s = min(max((CLIPPED_FROM - s) / (CLIPPED_FROM - CLIPPED_FULL), np.float32(0)), np.float32(1))
            most = max(most, s)
            weight[y, x] = s
            lost[y, x] = s * change[x]
    return most > 0


@njit(**_FAST)
def _give_back(own, lost, weight, mix, out):
    n, h, w = out.shape
    for y in range(h):
        line = lost[y]
        for x in range(w):
            line[x] *= SHARE * own[y, x] / max(weight[y, x], LEAST)
        for k in range(n):
            target, f = out[k, y], mix[k]
            for x in range(w):
                target[x] += f * line[x]


@njit(**_FAST)
def _box(plane, out):
    """Means over WINDOW x WINDOW px, from sums over 2, 4 and 8 neighbours: 25 is 8 + 8 + 8 + 1.

    No sum is carried along, so that none depends on where a region begins. Goes down in bands that fit the cache.
    """
    h, w = out.shape
    one, eight = np.empty((BAND + REACH, w), np.float32), np.empty((BAND + REACH, w), np.float32)
    line = np.empty(plane.shape[1], np.float32)
    for top in range(0, h, BAND):
        down = min(BAND, h - top)
        rows = down + REACH
        for y in range(rows):
            source = plane[top + y]
            line[:] = source
            for far in (1, 2, 4):
                for x in range(len(line) - far):
                    line[x] += line[x + far]
            target, other = one[y], eight[y]
            for x in range(w):
                s = (line[x] + line[x + 8]) + (line[x + 16] + source[x + 24])
                target[x] = s
                other[x] = s
        for far in (1, 2, 4):
            for y in range(rows - far):
                target, other = eight[y], eight[y + far]
                for x in range(w):
                    target[x] += other[x]
        for y in range(down):
            a, b, c, d, target = eight[y], eight[y + 8], eight[y + 16], one[y + 24], out[top + y]
            for x in range(w):
                target[x] = ((a[x] + b[x]) + (c[x] + d[x])) * np.float32(1 / WINDOW**2)
