"""Take out colour blotches: coarse colour noise, larger than the patches and windows of the other parts can see.

The cleaned picture is looked at in cells of 4 x 4 px. The colour of each is drawn to that of the cells around it, as
far as a blotch is large, that differ from it by little in colour and in brightness (a joint bilateral filter; Tomasi
and Manduchi, 1998; Petschnigg et al., 2004). Only the change is enlarged and added, so that no edge moves, and it is
never larger than a fraction of the noise that was.

References
----------
[1] C. Tomasi, R. Manduchi, "Bilateral filtering for gray and color images", ICCV 1998.
[2] G. Petschnigg et al., "Digital photography with flash and no-flash image pairs", ACM TOG 23(3), 2004.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import FAST, PLANES, f4, i8, kernel

CELL = 4  # px
AT_A_TIME = 8  # rows of cells between two looks at whether the work was cancelled
TIMES = 2
WIDER = 1.5  # how much farther than a blotch is large cells are looked at
COLOUR, BRIGHTNESS = 0.5, 1.0  # noise sigmas: differences from which cells count as something else
MOST = 0.6  # noise sigmas that a colour is changed by at most


def cells_around(size: float) -> int:
    """How many cells to each side blotches of ``size`` px are looked for."""
    return max(1, round(WIDER * size / CELL))


def reach(size: float) -> int:
    """How far from a pixel that is, in px; a multiple of `CELL`."""
    return CELL * (TIMES * cells_around(size) + 2)


def without_blotches(
    planes: NDArray[np.float32], size: float, check: Callable[[], None] = lambda: None
) -> NDArray[np.float32]:
    """Cleaned opponent planes without blotches.

    Parameters
    ----------
    planes : (3, h, w) of unit noise, h and w multiples of `CELL`, with `reach` px more on every side than is wanted.
    size : px, of the largest blotches.
    check : called every few milliseconds; raises to cancel.

    Returns
    -------
    (3, h - 2 reach, w - 2 reach).
    """
    n, h, w = planes.shape
    margin = reach(size)
    out = np.ascontiguousarray(planes[:, margin : h - margin, margin : w - margin])
    cells = planes.reshape(n, h // CELL, CELL, w // CELL, CELL).mean((2, 4))
    calm = cells.copy()
    radius = cells_around(size)
    for _ in range(TIMES):
        after = calm.copy()
        for first in range(radius, calm.shape[1] - radius, AT_A_TIME):
            check()
            last = min(first + AT_A_TIME, calm.shape[1] - radius)
            _draw_together(calm, radius, first, last, np.float32(1 / COLOUR**2), np.float32(1 / BRIGHTNESS**2), after)
        calm = after
    change = np.clip(calm[1:] - cells[1:], -MOST, MOST)
    edge = margin // CELL - 1  # one cell more than is wanted, to enlarge from
    change = np.ascontiguousarray(change[:, edge:-edge, edge:-edge])
    _enlarge_onto(change, out)
    return out


@kernel(PLANES, i8, i8, i8, f4, f4, PLANES, options=FAST)
def _draw_together(cells, radius, top, bottom, by_colour, by_brightness, out):
    """Weighted means of the colours around every cell of some rows whose surroundings are there."""
    w = cells.shape[2]
    first, second, weight = np.empty(w, np.float32), np.empty(w, np.float32), np.empty(w, np.float32)
    spread = np.float32(1.5 / (radius * radius))
    for y in range(top, bottom):
        l, a, b = cells[0, y], cells[1, y], cells[2, y]
        first[:] = 0
        second[:] = 0
        weight[:] = 0
        for dy in range(-radius, radius + 1):
            for dx in range(-radius, radius + 1):
                near = np.float32(dy * dy + dx * dx) * spread
                if near > 1.6:
                    continue
                l2, a2, b2 = cells[0, y + dy], cells[1, y + dy], cells[2, y + dy]
                for x in range(radius, w - radius):
                    p, q, r = l2[x + dx] - l[x], a2[x + dx] - a[x], b2[x + dx] - b[x]
                    away = near + p * p * by_brightness + (q * q + r * r) * by_colour
                    # close to exp(-away), and quick: the fourth power of a falling line
                    s = max(np.float32(1) - np.float32(0.25) * away, np.float32(0))
                    s *= s
                    s *= s
                    weight[x] += s
                    first[x] += s * q
                    second[x] += s * r
        for x in range(radius, w - radius):
            out[1, y, x] = a[x] + first[x] / weight[x]
            out[2, y, x] = b[x] + second[x] / weight[x]


@kernel(PLANES, PLANES, options=FAST)
def _enlarge_onto(change, out):
    """Add the bilinear enlargement of cells (2, h / 4 + 2, w / 4 + 2) to the colours of ``out`` (3, h, w)."""
    _, h, w = out.shape
    for c in range(2):
        for y in range(h):
            v = (np.float32(y) + np.float32(0.5)) / CELL + np.float32(0.5)
            i = int(v)
            f = v - np.float32(i)
            upper, lower, target = change[c, i], change[c, i + 1], out[c + 1, y]
            for x in range(w):
                u = (np.float32(x) + np.float32(0.5)) / CELL + np.float32(0.5)
                j = int(u)
                g = u - np.float32(j)
                top = upper[j] + g * (upper[j + 1] - upper[j])
                bottom = lower[j] + g * (lower[j + 1] - lower[j])
                target[x] += top + f * (bottom - top)
