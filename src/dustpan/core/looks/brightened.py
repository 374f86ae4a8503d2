"""Brightened for viewing: black, middle and white of one's choice, so that what is faint can be seen."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.finish.levels import Levels, applied
from dustpan.core.language import mark
from dustpan.core.look import LookContext, LookKind


def _brightened(context: LookContext) -> NDArray[np.float32]:
    return applied(context.inner(context.after), context.levels or Levels())


BRIGHTENED = LookKind(
    "brightened",
    mark("brightened"),
    mark("Brightened for viewing: black, middle and white from the sky, or set on the histogram"),
    _brightened,
)
