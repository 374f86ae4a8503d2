"""Noise reduction: Dustpan, blind, against the libraries at their best setting of a small grid.

Every method runs in a process of its own, beside OpenCV's NL-means on the same pictures in the same process, whose time
it is a multiple of (median of three after a warm-up). Memory is what the whole process took at its peak.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from benchmarks.common import (
    CASES,
    FOUR,
    OTHERS,
    TEXTURES,
    answer_apart,
    apart,
    arguments,
    case,
    peak_megabytes,
    psnr,
    publish,
    table,
)
from benchmarks.common import ssim as similarity

Method = Callable[[NDArray[np.float32]], NDArray]
PHOTOGRAPHS = {"four": FOUR, "others": OTHERS, "textures": TEXTURES}


def _bytes(x: NDArray) -> NDArray[np.uint8]:
    return np.round(x * 255).astype(np.uint8)


def reference(x: NDArray, strength: int = 10) -> NDArray:
    """OpenCV's NL-means for colour pictures, patches of 7 and windows of 21 px."""
    import cv2

    return cv2.fastNlMeansDenoisingColored(_bytes(x), None, strength, strength, 7, 21) / 255.0


def bilateral(x: NDArray, sigma: float) -> NDArray:
    import cv2

    return cv2.bilateralFilter(x, 9, sigma, 3.0)


def wavelets(x: NDArray, spins: int = 3) -> NDArray:
    from skimage.restoration import cycle_spin, denoise_wavelet

    options = {"channel_axis": -1, "convert2ycbcr": True, "method": "BayesShrink", "rescale_sigma": True}
    return cycle_spin(x, func=denoise_wavelet, max_shifts=spins, func_kw=options, channel_axis=-1, num_workers=2)


def wavelets_plain(x: NDArray, factor: float) -> NDArray:
    """PyWavelets: soft threshold at ``factor`` times the noise of the finest diagonal band, in luma and colour."""
    import pywt

    from dustpan.core.colour import opponent_matrix

    mix = opponent_matrix(3)
    out = []
    for plane in np.moveaxis(x.astype(float) @ mix.T, -1, 0):
        bands = pywt.wavedec2(plane, "sym8", mode="symmetric", level=4)
        sigma = np.median(np.abs(bands[-1][2])) / 0.6745
        bands[1:] = [tuple(pywt.threshold(b, factor * sigma, "soft") for b in level) for level in bands[1:]]
        out.append(pywt.waverec2(bands, "sym8", mode="symmetric")[: plane.shape[0], : plane.shape[1]])
    return np.stack(out, -1) @ mix


def nl_means(x: NDArray, h: float) -> NDArray:
    from skimage.restoration import denoise_nl_means, estimate_sigma

    sigma = float(np.mean(estimate_sigma(x, channel_axis=-1)))
    options: dict[str, Any] = {"patch_size": 5, "patch_distance": 6, "fast_mode": True, "channel_axis": -1}
    return denoise_nl_means(x, h=h * sigma, sigma=sigma, **options)


def dustpan(x: NDArray, quality: str) -> NDArray:
    from dustpan.core.picture import from_array
    from dustpan.core.render.renderer import Renderer
    from dustpan.core.sweep import Sweep, make_step

    with Renderer(from_array(x)) as renderer:
        return renderer.render(Sweep((make_step("noise", {"quality": quality}),)))


METHODS: Mapping[str, list[Method]] = {
    "OpenCV NL-means, colour": [partial(reference, strength=s) for s in (5, 10, 15, 20)],
    "OpenCV bilateral": [partial(bilateral, sigma=s) for s in (0.1, 0.2, 0.3, 0.45)],
    "scikit-image wavelets, BayesShrink, cycle spins": [wavelets],
    "PyWavelets, soft threshold": [partial(wavelets_plain, factor=f) for f in (1.0, 1.5, 2.0)],
    "scikit-image NL-means": [partial(nl_means, h=h) for h in (0.6, 0.8, 1.0)],
    "Dustpan, quick": [partial(dustpan, quality="quick")],
    "Dustpan, exact": [partial(dustpan, quality="exact")],
    "Dustpan, finest": [partial(dustpan, quality="finest")],
}


def measure(name: str, kind: str, group: str) -> dict[str, Any]:
    """One method on one case: figures per photograph at the setting that is best in the mean, and its time."""
    import cv2

    cv2.setNumThreads(2)
    pairs = [case(n, kind) for n in PHOTOGRAPHS[group]]
    results = [[method(x) for _, x in pairs] for method in METHODS[name]]
    quality = [[psnr(y, t) for y, (t, _) in zip(ys, pairs, strict=True)] for ys in results]
    best = int(np.argmax([np.mean(q) for q in quality]))
    alike = [similarity(y, t) for y, (t, _) in zip(results[best], pairs, strict=True)]
    memory = peak_megabytes()
    ratios = []
    for _, x in pairs:
        tries = []
        for _ in range(2):
            began = time.perf_counter()
            reference(x)
            middle = time.perf_counter()
            METHODS[name][best](x)
            tries.append((time.perf_counter() - middle) / (middle - began))
        ratios.append(float(np.median(tries)))
    return {"psnr": quality[best], "ssim": alike, "ratio": ratios, "memory": memory}


def noisy_row(kind: str, group: str) -> list[Any]:
    pairs = [case(n, kind) for n in PHOTOGRAPHS[group]]
    quality = [psnr(x, t) for t, x in pairs]
    alike = [similarity(x, t) for t, x in pairs]
    return ["noisy", *quality, float(np.mean(quality)), f"{np.mean(alike):.3f}", None, None]


def compare(kind: str, group: str) -> str:
    """The table of one case on one group of photographs."""
    rows = [noisy_row(kind, group)]
    for name in METHODS:
        found = apart("benchmarks.noise", name, kind, group)
        mean = float(np.mean(found["psnr"]))
        time_ratio = float(np.mean(found["ratio"]))
        rows.append([name, *found["psnr"], mean, f"{np.mean(found['ssim']):.3f}", time_ratio, f"{found['memory']:.0f}"])
    head = ["method", *PHOTOGRAPHS[group], "mean PSNR, dB", "mean SSIM", "time × OpenCV NL-means", "peak MB"]
    return table(head, rows)


def main() -> None:
    if answer_apart(measure):
        return
    options = arguments(__doc__, cases=CASES, groups="four,others,textures")
    parts = [
        "PSNR in dB against the clean truth. Dustpan is told nothing about the noise; every library got the best of a "
        "small grid of settings. Cases: A white noise of 25/255; B two stops darker with shot and read noise, clipped; "
        "C is B through a colour filter mosaic, its interpolation and a JPEG of quality 92."
    ]
    words = {
        "four": "The four photographs",
        "others": "Other photographs, looked at less while writing Dustpan",
        "textures": "Photographs that are texture all over",
    }
    for group in options.groups.split(","):
        for kind in options.cases:
            parts.append(f"### {words[group]}, case {kind}\n\n{compare(kind, group)}")
    publish("noise", "Noise reduction", "\n\n".join(parts), options.write)


if __name__ == "__main__":
    main()
