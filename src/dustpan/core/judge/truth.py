"""A result against its clean truth, where that is known."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.errors import FileProblem
from dustpan.core.picture import Picture


def truth_figures(after: Picture, truth: Picture) -> dict[str, float | None]:
    """PSNR in dB (peak 1) and SSIM (Wang et al., 2004) of a result against its clean truth."""
    if after.pixels.shape != truth.pixels.shape:
        raise FileProblem(truth.source.path or Path("truth"), "it does not have the size and kind of the result")
    a, t = (np.clip(p.pixels.astype(np.float64), 0, 1) for p in (after, truth))
    error = float(np.mean((a - t) ** 2))
    psnr = None if error == 0 else round(-10 * float(np.log10(error)), 4)
    return {"psnr": psnr, "ssim": None if min(a.shape[:2]) < 11 else round(_ssim(a, t), 5)}


def _ssim(a: NDArray, b: NDArray) -> float:
    """Mean SSIM with Gaussian windows of sigma 1.5, averaged over the channels.

    Wang, Bovik, Sheikh, Simoncelli, "Image quality assessment: from error visibility to structural similarity", IEEE
    TIP 13(4), 2004.
    """

    def blur(plane: NDArray) -> NDArray:
        return ndi.gaussian_filter(plane, 1.5, truncate=3.5)

    c1, c2, total = 0.01**2, 0.03**2, 0.0
    for c in range(a.shape[2]):
        x, y = a[..., c], b[..., c]
        mx, my = blur(x), blur(y)
        vx, vy, vxy = blur(x * x) - mx * mx, blur(y * y) - my * my, blur(x * y) - mx * my
        s = (2 * mx * my + c1) * (2 * vxy + c2) / ((mx * mx + my * my + c1) * (vx + vy + c2))
        total += float(s[5:-5, 5:-5].mean())
    return total / a.shape[2]
