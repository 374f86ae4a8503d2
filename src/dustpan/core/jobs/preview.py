"""What a picture will be for an output, on a part of it: made smaller, and sharpened for it."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.cancel import Cancel
from dustpan.core.finish.output import Output, made_smaller, sharpened
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep


def preview(
    renderer: Renderer,
    sweep: Sweep,
    output: Output,
    middle: tuple[int, int],
    side: tuple[int, int],
    cancel: Cancel | None = None,
) -> tuple[NDArray[np.uint32], NDArray[np.uint32]]:
    """Packed pixels at the output's size: made smaller alone, and sharpened as well.

    Parameters
    ----------
    middle : (y, x) in px of the picture. side : (height, width) in px of the output, of what is shown at most.
    """
    size, wanted = renderer.size, output.size(renderer.size)
    factor = size[1] / wanted[1]
    rows, columns = (min(a, b) for a, b in zip(side, wanted, strict=True))
    h, w = (min(round(n * factor), most) for n, most in zip((rows, columns), size, strict=True))
    top, left = (int(np.clip(m - n // 2, 0, most - n)) for m, n, most in zip(middle, (h, w), size, strict=True))
    pixels = renderer.at_once(sweep, Region(top, left, top + h, left + w), cancel)
    small = made_smaller(pixels, (rows, columns), renderer.picture.curve)
    noise = renderer.fact(NOISE_PRINT, sweep, cancel=cancel)
    told = noise.times(1 / factor) if noise.sure else None
    place = renderer.by_place(sweep, Region(top, left, top + h, left + w), cancel)
    by = None if place is None else cv2.resize(place[0], (columns, rows), interpolation=cv2.INTER_AREA)
    sharp = sharpened(small, output, factor > 1, told, None if by is None else np.asarray(by, np.float32))
    return renderer.for_screen(sweep, small), renderer.for_screen(sweep, sharp)
