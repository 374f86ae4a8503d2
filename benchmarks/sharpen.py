"""Sharpening: the slanted edge, and photographs that were blurred and are to be won back."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from benchmarks.common import FOUR, arguments, photograph, psnr, publish, table
from benchmarks.slanted_edge import make_edge, score
from dustpan.core.grammar import parse_step
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep

Sharpen = Callable[[NDArray[np.float32]], NDArray]
ASKED = "edge-sharpen:amount=3,radius=1.5,threshold=0,halo_light=0,halo_dark=0"
CONTRASTS, BLURS, NOISES = (0.2, 0.5, 0.8), (0.8, 1.2, 2.0), (0, 2, 5)


def dustpan(step: str) -> Sharpen:
    def run(x: NDArray[np.float32]) -> NDArray:
        with Renderer(from_array(x)) as renderer:
            return renderer.render(Sweep(tuple(parse_step(s) for s in step.split(" "))))

    return run


def unsharp(radius: float, amount: float) -> Sharpen:
    """OpenCV: difference from a Gaussian blur."""

    def run(x: NDArray[np.float32]) -> NDArray:
        import cv2

        return x + amount * (x - cv2.GaussianBlur(x, (0, 0), radius).reshape(x.shape))

    return run


def richardson_lucy(sigma: float, rounds: int) -> Sharpen:
    """scikit-image, with the true blur."""

    def run(x: NDArray[np.float32]) -> NDArray:
        from skimage.restoration import richardson_lucy as restore

        r = int(np.ceil(4 * sigma))
        g = np.exp(-(np.arange(-r, r + 1) ** 2) / (2 * sigma**2))
        psf = np.outer(g, g) / g.sum() ** 2
        pad = np.pad(np.clip(x, 1e-3, 1), ((16, 16), (16, 16), (0, 0)), mode="symmetric")
        out = np.stack([restore(pad[..., c], psf, num_iter=rounds) for c in range(x.shape[2])], -1)
        return out[16:-16, 16:-16]

    return run


def edge_scores(method: Callable[[float], Sharpen], contrasts: tuple, noises: tuple) -> dict[str, float]:
    """Means and extremes over all edges; ``method`` is told the true blur, which only some use."""
    halos, gains, limits, flats = [], [], [], []
    for contrast in contrasts:
        for blur in BLURS:
            for noise in noises:
                picture, distance = make_edge(contrast, blur, noise)
                before = score(picture, distance, contrast)
                result = method(blur)(picture.astype(np.float32)[..., None])[..., 0]
                after = score(result, distance, contrast)
                halos.append(after.halo)
                gains.append((after.mtf50 or np.inf) / (before.mtf50 or np.nan))
                limits.append(after.mtf50 or np.inf)
                flats.append(after.flat * 255)
    return {
        "halo": float(np.mean(halos)), "halo_max": float(np.max(halos)), "gain": float(np.mean(gains)),
        "gain_min": float(np.min(gains)), "mtf50_max": float(np.max(limits)), "flat": float(np.mean(flats)),
    }  # fmt: skip


METHODS: Mapping[str, Callable[[float], Sharpen]] = {
    "OpenCV unsharp, radius 1.5, amount 3": lambda blur: unsharp(1.5, 3),
    "scikit-image Richardson-Lucy 20, true blur": lambda blur: richardson_lucy(blur, 20),
    "Dustpan, amount 3, radius 1.5, limits 0": lambda blur: dustpan(ASKED),
    "Dustpan, default": lambda blur: dustpan("edge-sharpen"),
}


def edge_table(contrasts: tuple, noises: tuple) -> str:
    rows = []
    for name, method in METHODS.items():
        s = edge_scores(method, contrasts, noises)
        rows.append([name, s["gain"], s["gain_min"], s["mtf50_max"], s["halo"], s["halo_max"], s["flat"]])
    head = ["method", "MTF50 gain", "least", "highest MTF50", "halo, mean %", "halo, max %", "flat noise of 255"]
    return table(head, rows)


def halo_excess(result: NDArray, truth: NDArray) -> float:
    """Mean excursion beyond the original's 7 x 7 range where that range is over 0.25, in percent of full scale."""
    y, t = result.mean(-1), truth.mean(-1)
    low, high = ndi.minimum_filter(t, 7), ndi.maximum_filter(t, 7)
    strong = high - low > 0.25
    return float(100 * np.maximum(np.maximum(y - high, low - y), 0)[strong].mean())


def texture_table() -> str:
    """Sharp photographs blurred by sigma 1.2 with noise of 3/255."""
    methods: dict[str, Sharpen] = {
        "as it is": lambda x: x,
        "OpenCV unsharp, radius 1.2, amount 0.5": unsharp(1.2, 0.5),
        "OpenCV unsharp, radius 1.5, amount 3": unsharp(1.5, 3),
        "scikit-image Richardson-Lucy 8, true blur": richardson_lucy(1.2, 8),
        "Dustpan, default": dustpan("edge-sharpen"),
        "Dustpan, amount 3, radius 1.5": dustpan("edge-sharpen:amount=3,radius=1.5"),
    }
    pairs = []
    for name in FOUR:
        sharp = photograph(name)
        soft = ndi.gaussian_filter(sharp, (1.2, 1.2, 0))
        noise = np.random.default_rng(sum(map(ord, name))).normal(0, 3 / 255, soft.shape)
        pairs.append((sharp, np.clip(soft + noise, 0, 1).astype(np.float32)))
    rows = []
    for name, method in methods.items():
        results = [(method(x), t) for t, x in pairs]
        quality = [psnr(y, t) for y, t in results]
        rows.append([name, *quality, float(np.mean(quality)), float(np.mean([halo_excess(y, t) for y, t in results]))])
    return table(["method", *FOUR, "mean PSNR, dB", "halo excess %"], rows)


def main() -> None:
    options = arguments(__doc__)
    parts = [
        "Edges of contrast 0.5 and 0.8, blur 0.8 to 2.0 px, noise 0 and 2 of 255:\n\n" + edge_table((0.5, 0.8), (0, 2)),
        "All edges, contrast 0.2 to 0.8 and noise 0 to 5 of 255:\n\n" + edge_table(CONTRASTS, NOISES),
        "Photographs blurred by a sigma of 1.2 px, with noise of 3/255:\n\n" + texture_table(),
    ]
    publish("sharpen", "Sharpening", "\n\n".join(parts), options.write)


if __name__ == "__main__":
    main()
