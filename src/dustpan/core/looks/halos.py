"""The halo map: rims that leave the picture's local range, by more than texture may."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.colour import luma
from dustpan.core.language import mark
from dustpan.core.look import LookContext, LookKind
from dustpan.core.sharpen.halo_guard import LOOSE, PLATEAUS_REACH, local_range, plateaus, room

REACH = PLATEAUS_REACH + 1  # px: and the median before
FULL = 0.2  # of the local range: a halo as high as this is drawn in full colour
LIGHT, DARK = np.array([1.0, 0.75, 0.2], np.float32), np.array([0.25, 0.6, 1.0], np.float32)


def _halo_map(context: LookContext) -> NDArray[np.float32]:
    """Luma with what lies above the input's local range in one colour and what lies below it in another."""
    calm = np.ascontiguousarray(ndi.median_filter(luma(context.before), 3, mode="nearest"), np.float32)
    y = luma(context.after)
    low, high = local_range(calm)
    span = np.maximum(high - low, 0.05)
    top, bottom = plateaus(calm, low, high)
    light, dark = (y - high) / span - LOOSE * room(top), (low - y) / span - LOOSE * room(bottom)
    grey = np.repeat(0.6 * np.clip(y, 0, 1)[..., None], 3, 2)
    for height, colour in ((light, LIGHT), (dark, DARK)):
        share = np.clip(height / FULL, 0, 1)[..., None]
        grey = grey * (1 - share) + colour * share
    return np.asarray(context.inner(grey), np.float32)


HALOS = LookKind(
    "halos",
    mark("halo map"),
    mark("Rims that rise above (amber) or fall below (blue) the local range"),
    _halo_map,
    REACH,
)
