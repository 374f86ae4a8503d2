"""Shadows, pushed by some EV so that what is in them can be seen."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.language import mark
from dustpan.core.look import LookContext, LookKind, Setting


def _pushed(context: LookContext) -> NDArray[np.float32]:
    light = context.curve.decode(np.maximum(context.inner(context.after), 0)) * 2**context.setting
    return context.curve.encode(np.clip(light, 0, 1)).astype(np.float32)


SHADOWS = LookKind(
    "shadows",
    mark("shadows"),
    mark("Shadows brightened; Alt and the wheel change by how much"),
    _pushed,
    setting=Setting(2.0, 0.5, 6, 0.5, mark("shadows +{0:g} EV")),
)
