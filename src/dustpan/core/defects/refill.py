"""Filling of marked pixels from those around them, by the mean of the logarithm of their light."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import EXACT, PLANE, PLANES, b1, i8, kernel, seen

REACH = 12  # px that is read around a mark
NEAR, SOFT, FEWEST = 3, 1.0, 0.02  # px and sigma of the weights; their sum, below which it is looked for farther away
FAR_SOFT = 4.0
LEAST = 1e-7  # light
UNLIKE = 9.0  # squared distance in the guide, from which a pixel tells nothing


def refilled(
    light: NDArray[np.float32],
    at: NDArray[np.integer],
    marked: NDArray[np.bool_],
    guide: NDArray[np.float32] | None = None,
) -> NDArray[np.float32]:
    """Light (n, C) for marked pixels, from those around that are not.

    Parameters
    ----------
    light : (h, w, C). at : (n, 2) places in it. marked : (h, w) those that tell nothing.
    guide : (h, w, G) of what is alike on one surface, where 1 is a clear difference; what differs counts less.
    """
    out = np.empty((len(at), light.shape[2]), np.float32)
    own = np.zeros((*light.shape[:2], 0), np.float32) if guide is None else np.ascontiguousarray(guide, np.float32)
    places = np.ascontiguousarray(at, np.int64)
    _fill(np.ascontiguousarray(light, np.float32), places, np.ascontiguousarray(marked), own, out)
    return out


@kernel(seen(PLANES), i8[:, ::1], seen(b1[:, ::1]), seen(PLANES), PLANE, options=EXACT)
def _fill(light, at, marked, guide, out):
    h, w, channels = light.shape
    total = np.empty(channels)
    for n in range(len(at)):
        y, x = at[n, 0], at[n, 1]
        weight, radius, soft = 0.0, NEAR, SOFT
        for look in range(3):  # near by, farther away, and at last whatever the guide says
            weight = 0.0
            total[:] = 0.0
            for v in range(max(0, y - radius), min(h, y + radius + 1)):
                for u in range(max(0, x - radius), min(w, x + radius + 1)):
                    if marked[v, u]:
                        continue
                    unlike = 0.0
                    if look < 2:
                        for g in range(guide.shape[2]):
                            d = guide[v, u, g] - guide[y, x, g]
                            unlike += d * d
                        if unlike > UNLIKE:
                            continue
                    share = math.exp(-0.5 * (((v - y) ** 2 + (u - x) ** 2) / (soft * soft) + unlike))
                    weight += share
                    for c in range(channels):
                        total[c] += share * math.log(max(light[v, u, c], LEAST))
            if weight > FEWEST:
                break
            radius, soft = REACH, FAR_SOFT
        for c in range(channels):
            out[n, c] = math.exp(total[c] / weight) if weight > 0 else light[y, x, c]
