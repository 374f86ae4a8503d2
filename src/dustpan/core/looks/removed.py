"""What a sweep took away, amplified."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.language import mark
from dustpan.core.look import LookContext, LookKind, Setting


def _removed(context: LookContext) -> NDArray[np.float32]:
    difference = context.inner(context.before) - context.inner(context.after)
    return np.float32(0.5) + np.float32(context.setting) * difference


REMOVED = LookKind(
    "removed",
    mark("removed"),
    mark("What was taken away, amplified; Alt and the wheel change the factor"),
    _removed,
    setting=Setting(8.0, 1, 64, 2, mark("removed ×{0:g}"), by_factor=True),
)
