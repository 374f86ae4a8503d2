"""Grain raised: whether the noise of flat parts came out stronger than it was, or drawn into strings.

Sharpening that takes noise for detail joins grains into worms. They show as gradients that agree on a direction: the
coherence of the structure tensor, which noise that nothing was done to has only by chance.

References
----------
[1] J. Weickert, "Coherence-enhancing diffusion filtering", IJCV 31, 1999: the coherence of the structure tensor.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.judge.flat import residuals

OVER = 2.0  # px: sigma that gradients are gathered with
STRONGER, STRINGIER = 1.05, 0.06  # times the strength, and more coherence than before, from which on it is told
SEEN = 0.5  # of the strength before: fainter strings are not seen
Check = Callable[[], None]


@dataclass(frozen=True)
class Grain:
    """strength : of the luma's noise in flat parts, after over before. strings : by how much more it is coherent."""

    strength: float
    strings: float

    @property
    def raised(self) -> float:
        """Percent by which it is stronger, or stringier, than before; 0 when neither can be seen."""
        stronger = self.strength - 1 if self.strength > STRONGER else 0.0
        drawn = self.strings if self.strings > STRINGIER and self.strength > SEEN else 0.0
        return 100 * max(stronger, drawn)


def coherence(patches: NDArray[np.float64]) -> float:
    """How much the gradients of patches (n, side, side) agree on a direction, 0 to 1; the mean."""
    found = []
    for patch in patches:
        plane = np.ascontiguousarray(patch, np.float32)
        dy, dx = np.gradient(plane)
        xx, yy, xy = (cv2.GaussianBlur(np.asarray(p), (0, 0), OVER) for p in (dx * dx, dy * dy, dx * dy))
        found.append(np.sqrt((xx - yy) ** 2 + 4 * xy * xy).sum() / max(float((xx + yy).sum()), 1e-12))
    return float(np.mean(found)) if found else 0.0


def grain(before: NDArray, after: NDArray, flat: NDArray[np.bool_] | None, check: Check = lambda: None) -> Grain | None:
    """What became of the noise in flat parts.

    Parameters
    ----------
    before, after : (H, W) luma. flat : which patches are flat, see `flat_patches`; None where there are none.
    """
    if flat is None or not flat.any():
        return None
    x, y = residuals(before, flat), residuals(after, flat)
    check()
    power = float(np.mean(x * x))
    if power < 1e-9:
        return None
    return Grain(float(np.sqrt(np.mean(y * y) / power)), coherence(y) - coherence(x))
