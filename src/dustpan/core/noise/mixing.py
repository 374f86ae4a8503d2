"""Mix a picture with its cleaned version, as the strengths, shares by brightness and channel, and *give back* say.

It is done anew with every move of a control, so it is one pass over the pixels.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import LUMA
from dustpan.core.kernels import PLANES, ROW, f4, kernel, seen

TONES = (0.12, 0.40, 0.75)  # cleaned luma at which shadows, middle and highlights are taken in full


def mixed(
    pixels: NDArray[np.float32],
    cleaned: NDArray[np.float32],
    structure: NDArray[np.float32] | None,
    luminance: float,
    colour: float,
    give_back: float,
    tones: NDArray[np.float32],
    channels: NDArray[np.float32],
) -> NDArray[np.float32]:
    """What is between ``pixels`` and ``cleaned``.

    Parameters
    ----------
    pixels, cleaned : (h, w, C) encoded values, C is 1 or 3.
    structure : (h, w) encoded luminance of which the share ``give_back`` is added, or None.
    luminance, colour : 0 to 1, shares of the change of luma and of the rest.
    tones : (3,) shares in shadows, middle and highlights, by the cleaned luma; between them they are interpolated.
    channels : (C,) or more shares.
    """
    back = np.zeros((0, 0), np.float32) if structure is None else np.asarray(structure, np.float32)
    out = np.empty(pixels.shape, np.float32)
    weights = (LUMA if pixels.shape[2] == 3 else np.ones(1)).astype(np.float32)
    strengths = np.array([luminance, colour, give_back], np.float32)
    _mix(pixels, cleaned, back, strengths, tones, channels, weights, out)
    return out


def share_of_tones(bright: NDArray[np.float32], tones: NDArray[np.float32]) -> NDArray[np.float32]:
    """The share (h, w) of each place by its cleaned luma, as `mixed` takes it."""
    return np.interp(bright, TONES, tones).astype(np.float32)


# views come as they are: copying them would take as long as mixing them
@kernel(*[seen(f4[:, :, :])] * 2, seen(f4[:, :]), ROW, ROW, ROW, ROW, PLANES)
def _mix(pixels, cleaned, structure, strengths, tones, channels, weights, out):
    h, w, n = pixels.shape
    luminance, colour, give_back = strengths[0], strengths[1], strengths[2]
    shadows, middle, highlights = TONES
    everywhere = tones[0] >= 1 and tones[1] >= 1 and tones[2] >= 1
    for y in range(h):
        for x in range(w):
            light = bright = np.float32(0)
            for c in range(n):
                light += weights[c] * (cleaned[y, x, c] - pixels[y, x, c])
                bright += weights[c] * cleaned[y, x, c]
            share = np.float32(1)
            if not everywhere:
                if bright < middle:
                    t = min(max((bright - shadows) / (middle - shadows), 0.0), 1.0)
                    share = np.float32(tones[0] + t * (tones[1] - tones[0]))
                else:
                    t = min((bright - middle) / (highlights - middle), 1.0)
                    share = np.float32(tones[1] + t * (tones[2] - tones[1]))
            lift = light + give_back * structure[y, x] if structure.size else light
            for c in range(n):
                tint = cleaned[y, x, c] - pixels[y, x, c] - light
                out[y, x, c] = pixels[y, x, c] + share * channels[c] * (luminance * lift + colour * tint)
