"""How coarse the noise is: its strength in each octave of period, for people to read; cleaning does not need it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import LUMA, opponent_matrix
from dustpan.core.fact import Asked, FactKind, Of, Scope
from dustpan.core.noise.blocks import Blocks, cell_means, usual_power
from dustpan.core.noise.measure import PICTURE_PRINT, SMALLEST, sampled, sampled_of, turned
from dustpan.core.noise.noise_print import SCALE_NAMES, NoisePrint, ScaleNoise

AT_A_TIME = 256  # rows between two looks at whether the work was cancelled


def with_octaves(found: NoisePrint, pixels: NDArray, check: Callable[[], None] = lambda: None) -> NoisePrint:
    """The print of ``pixels`` (H, W, C), with the noise of its octaves as well; a picture too small has none.

    ``check`` is called now and then, and raises to cancel.
    """
    return _with_octaves(found, sampled(turned(pixels, found.flips)), check)


def _with_octaves(found: NoisePrint, seen: NDArray, check: Callable[[], None]) -> NoisePrint:
    check()
    return replace(found, scales=_octaves(np.asarray(seen, np.float32).transpose(2, 0, 1), check))


def _octaves(planes: NDArray[np.float32], check: Callable[[], None]) -> tuple[ScaleNoise, ...]:
    """Periods of 2-4, 4-8, 8-16 and 16-32 px in the flattest blocks near the usual brightness."""
    mix = np.stack([LUMA, *opponent_matrix(3)[1:]]).astype(np.float32) if len(planes) == 3 else np.ones((1, 1))
    split: NDArray = np.empty(planes.shape, np.float32)
    for y in range(0, planes.shape[1], AT_A_TIME):
        check()
        rows = slice(y, y + AT_A_TIME)
        split[:, rows] = np.tensordot(mix, np.clip(planes[:, rows], 0, 1), 1)
    out = []
    for octave, name in enumerate(SCALE_NAMES):
        check()
        if octave:
            h, w = (n // 2 * 2 for n in split.shape[1:])
            rows = split[:, 0:h:2, :w] + split[:, 1:h:2, :w]
            split = (rows[..., ::2] + rows[..., 1::2]) / 4
        if min(split.shape[1:]) < SMALLEST:
            break
        check()
        cells = cell_means(split)
        check()
        blocks = Blocks(cells, cells, 4000)
        brightness = blocks.level[0]
        near = np.abs(brightness - np.median(brightness)) <= np.quantile(
            np.abs(brightness - np.median(brightness)), 0.5
        )
        flat = blocks.flattest(max(60, len(blocks) // 20), near)
        # in an 8 x 8 DCT frequency 4 and up is the octave of 2 to 4 px of this level of the pyramid
        edge = np.maximum(*np.divmod(np.arange(64), 8))
        share = [float(np.sqrt(usual_power(blocks.spectra(p, flat) ** 2)[edge >= 4].sum() / 64)) for p in split]
        colour = float(np.sqrt(np.mean(np.square(share[1:])))) if len(share) == 3 else 0.0
        out.append(ScaleNoise(name, (2.0 * 2**octave, 4.0 * 2**octave), share[0], colour))
    return tuple(out)


def _measure_asked(asked: Asked) -> NoisePrint:
    found: NoisePrint = asked.needs[PICTURE_PRINT]
    return _with_octaves(found, sampled_of(asked, found.flips), asked.check)


FULL_PRINT = FactKind(
    "full noise print", _measure_asked, Of.PICTURE, Scope.WHOLE, needs=(PICTURE_PRINT,), as_json=NoisePrint.as_json
)
