"""Lost texture: where what was removed has structure."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.colour import luma
from dustpan.core.language import mark
from dustpan.core.look import LookContext, LookKind
from dustpan.core.noise.reduce import Work, removed_structure
from dustpan.core.noise.sliding_dct import REACH as SLIDING

SMOOTHED = 6  # px: what is smoothed after the structure was found reaches so far
REACH = SLIDING + SMOOTHED
FULL = 0.8  # sigma: structure as strong as this is drawn in full colour
LOST = np.array([1.0, 0.75, 0.2], np.float32)
FAINTEST = 0.5 / 255


def _lost_texture(context: LookContext) -> NDArray[np.float32]:
    """Luma, dimmed, with what was removed and has structure (is not white under the noise model) in one colour."""
    after, noise = context.inner(context.after), context.noise
    grey = np.repeat(0.6 * np.clip(luma(after), 0, 1)[..., None], 3, 2)
    if noise is None:
        return grey
    around = context.region.grown(SMOOTHED).within(context.size)
    work = Work(context.size, noise)
    before, result = (np.ascontiguousarray(p) for p in (context.before, context.after))
    structure = removed_structure(before, result, context.have, around, work)
    # sharpening removes the opposite of detail; only what lies along the detail that was there counts as lost
    whole_luma = luma(context.after[around.slices(context.have)]) + structure
    detail = whole_luma - ndi.uniform_filter(whole_luma, 5)
    structure = structure * (ndi.uniform_filter(structure * detail, 5) > 0)
    strength = ndi.uniform_filter(np.abs(structure), 3)[context.region.slices(around)]
    sigma = np.maximum(noise.luminance_sigma_of(luma(after)), FAINTEST)
    share = np.clip(strength / (FULL * sigma), 0, 1)[..., None]
    return np.asarray(grey * (1 - share) + LOST * share, np.float32)


LOST_TEXTURE = LookKind(
    "lost",
    mark("lost texture"),
    mark("Where what was removed has structure: texture that was lost"),
    _lost_texture,
    REACH,
)
