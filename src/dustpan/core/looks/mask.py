"""The mask of the chosen step, laid over the picture by whoever shows it; the picture itself stays as it is."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.language import mark
from dustpan.core.look import LookContext, LookKind


def _as_it_is(context: LookContext) -> NDArray[np.float32]:
    return context.inner(context.after)


MASK = LookKind("mask", mark("mask"), mark("Where the chosen step applies, over the picture"), _as_it_is)
