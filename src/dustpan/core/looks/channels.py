"""The picture itself, its luminance, its colour, and one channel at a time."""

from __future__ import annotations

from functools import partial

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.language import mark
from dustpan.core.look import LookContext, LookKind


def _picture(context: LookContext) -> NDArray[np.float32]:
    return context.inner(context.after)


def _luminance(context: LookContext) -> NDArray[np.float32]:
    after = context.inner(context.after)
    return np.repeat(luma(after)[..., None], after.shape[2], 2)


def _colour(context: LookContext) -> NDArray[np.float32]:
    after = context.inner(context.after)
    return np.float32(0.5) + after - luma(after)[..., None]


def _channel(number: int, context: LookContext) -> NDArray[np.float32]:
    after = context.inner(context.after)
    channel = min(number, after.shape[2] - 1)
    return np.repeat(after[..., channel : channel + 1], after.shape[2], 2)


PICTURE = LookKind("picture", mark("picture"), mark("The picture as it is"), _picture)
LUMINANCE = LookKind("luminance", mark("luminance"), mark("Brightness alone, without colour"), _luminance)
COLOUR = LookKind("colour", mark("colour"), mark("Colour alone, on grey"), _colour)
RED = LookKind("red", mark("red"), mark("The red channel as grey"), partial(_channel, 0))
GREEN = LookKind("green", mark("green"), mark("The green channel as grey"), partial(_channel, 1))
BLUE = LookKind("blue", mark("blue"), mark("The blue channel as grey"), partial(_channel, 2))
