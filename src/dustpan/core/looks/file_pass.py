"""A pass of the file: what a render says beside the picture, such as colour, slope and depth of what was hit."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.curve import SRGB
from dustpan.core.language import mark
from dustpan.core.look import LookContext, LookKind, Setting
from dustpan.core.passes import ALBEDO, KNOWN_AS, NORMAL

NOTHING = 0.15  # grey of a picture without passes
ENDS = (0.01, 0.99)  # quantiles of a pass that are black and white
SAMPLES = 200  # places across and down that they are told from
MOST = 99  # passes that can be gone through


def _pass(context: LookContext) -> NDArray[np.float32]:
    """The pass of the number that is set: normals from -1 to 1, colours as light, others between their own ends."""
    region, names = context.region, list(context.layers)
    if not names:
        return np.full((region.height, region.width, context.before.shape[2]), NOTHING, np.float32)
    name = names[int(context.setting) % len(names)]
    planes, last = context.layers[name], name.rpartition(".")[2].lower()
    step = max(1, round(planes[0].shape[0] / context.size[0]))  # of a reduced view
    ys, xs = (slice(a * step, b * step, step) for a, b in ((region.y0, region.y1), (region.x0, region.x1)))
    values = np.nan_to_num(np.stack([p[ys, xs] for p in planes], -1).astype(np.float32), posinf=0, neginf=0)
    h, w = planes[0].shape
    few = np.stack([p[:: max(1, h // SAMPLES), :: max(1, w // SAMPLES)] for p in planes])
    few = few[np.isfinite(few)].astype(float)
    low, high = np.quantile(few, ENDS) if few.size else (0.0, 1.0)
    if last in KNOWN_AS[NORMAL]:
        shown: NDArray = (values + 1) / 2
    elif last in KNOWN_AS[ALBEDO] or (len(planes) > 2 and low >= 0):
        shown = np.asarray(SRGB.encode(values), np.float32)
    else:
        shown = (values - np.float32(low)) / np.float32(max(high - low, 1e-6))
    if len(planes) == 2:
        shown = np.concatenate([shown, shown[..., :1] * 0], -1)
    return np.clip(np.repeat(shown, 3, 2) if shown.shape[2] == 1 else shown[..., :3], 0, 1)


FILE_PASS = LookKind(
    "file-pass",
    mark("pass of the file"),
    mark("What a render has beside the picture; Alt and the wheel go through its passes"),
    _pass,
    setting=Setting(0, 0, MOST, 1, mark("pass: {0}")),
)
