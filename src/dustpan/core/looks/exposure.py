"""Exposure: scene-linear light made brighter or darker for viewing, so that what lies above white can be seen."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.language import mark
from dustpan.core.look import LookContext, LookKind, Setting


def _exposed(context: LookContext) -> NDArray[np.float32]:
    light = context.curve.decode(context.inner(context.after)) * 2**context.setting
    return context.curve.encode(np.clip(light, 0, 1)).astype(np.float32)


EXPOSURE = LookKind(
    "exposure",
    mark("exposure"),
    mark("Light brighter or darker for viewing; Alt and the wheel change by how much"),
    _exposed,
    setting=Setting(0.0, -10, 10, 0.5, mark("exposure {0:+g} EV")),
)
