"""Take the drift out of clipped shadows.

Where noise is clipped its distribution is skewed, and patches that were clipped more look more alike: averages over
such patches drift below the true mean there, a little darker and in another colour. What averages over a window of
fixed shape have lost against the noisy picture is given back in part, where values are clipped, pooled over such
places.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

SHARE = np.float32(0.55)  # that is given back; all of it would bring back noise as well
WINDOW = 13  # px, twice
REACH = WINDOW - 1
CLIPPED_FROM, CLIPPED_FULL = 0.95, 0.7  # noise scale from which, and at which in full, values count as clipped


def without_drift(
    noisy: NDArray[np.float32], cleaned: NDArray[np.float32], scale: NDArray[np.float32], scale_step: float
) -> NDArray[np.float32]:
    """Cleaned stabilised channels whose mean in clipped parts is that of the noisy ones.

    Parameters
    ----------
    noisy, cleaned : (h, w, C) stabilised channels, right from `REACH` px inside on.
    scale, scale_step : noise scale against the stabilised level, see `Stabiliser`.
    """
    out = cleaned.copy()
    last = scale.shape[1] - 1
    for c in range(cleaned.shape[2]):
        at = np.clip(cleaned[..., c] * np.float32(scale_step), 0, last).astype(np.int32)
        weight = np.clip((CLIPPED_FROM - scale[c][at]) / (CLIPPED_FROM - CLIPPED_FULL), 0, 1)
        if not weight.any():
            continue
        lost = _pooled(weight * (noisy[..., c] - cleaned[..., c]))
        out[..., c] += SHARE * weight * lost / np.maximum(_pooled(weight), np.float32(0.02))
    return out


def _pooled(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    for _ in range(2):
        plane = ndi.uniform_filter(plane, WINDOW, mode="nearest")
    return plane
