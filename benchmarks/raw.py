"""Camera raw: made raws of known photographs, developed and cleaned, against LibRaw and the best library denoiser.

The rival is told the truth: the better of two of LibRaw's demosaics and the best of three library denoisers at the best
of several strengths, picture by picture. Dustpan is told nothing.
"""

from __future__ import annotations

import io
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from benchmarks.common import FOUR, decode, encode, photograph, psnr, table
from dustpan.core.colour import lab
from dustpan.core.files import open_picture
from dustpan.core.judge.whole import noise_print
from dustpan.core.noise.measure import measure
from dustpan.core.picture import Picture
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, first_steps, make_step
from dustpan.demo.dng import dng
from dustpan.demo.raw_camera import Exposure, counts, seen, shot

MOST = (384, 512)  # px that are taken of a photograph
LENS = 0.5  # px, sigma of the lens's blur
EDGE = 8  # px that are not compared
BLOCK = 16  # px over which colours are compared
CASES = {
    "by day, 2500 e": Exposure(2500),
    "3 EV darker, 2500 e": Exposure(2500, 3),
    "3 EV darker, 375 e": Exposure(375, 3),
}
DARKEST = "3 EV darker, 375 e"


def scene(name: str) -> NDArray[np.float64]:
    """Encoded truth, as the lens draws it."""
    clean = photograph(name)[: MOST[0], : MOST[1]]
    h, w = (n // 12 * 12 for n in clean.shape[:2])
    return ndi.gaussian_filter(clean[:h, :w], (LENS, LENS, 0))


def taken(truth: NDArray, exposure: Exposure, seed: int, told: bool = False) -> bytes:
    """The DNG of a scene."""
    return dng(counts(seen(decode(truth), exposure), exposure, seed), shot(exposure, told))


def opened(data: bytes) -> Picture:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "made.dng"
        path.write_bytes(data)
        return open_picture(path)


def libraw(data: bytes, push: float, demosaic: str) -> tuple[NDArray[np.float32], float]:
    """LibRaw's development and its seconds."""
    import rawpy

    start = time.perf_counter()
    with rawpy.imread(io.BytesIO(data)) as raw:
        found = raw.postprocess(
            demosaic_algorithm=getattr(rawpy.DemosaicAlgorithm, demosaic), use_camera_wb=True, no_auto_bright=True,
            output_bps=16, gamma=(1, 1), bright=2.0**push, user_flip=0,
        )  # fmt: skip
    light = found.astype(np.float32) / np.float32(65535)
    return np.asarray(encode(light), np.float32), time.perf_counter() - start


def library_denoisers() -> dict[str, Callable[[NDArray[np.float32]], NDArray]]:
    """Name and strength to a function of encoded pixels."""
    from skimage.restoration import denoise_bilateral, denoise_wavelet

    def fast(h: float) -> Callable[[NDArray[np.float32]], NDArray]:
        def run(x: NDArray[np.float32]) -> NDArray:
            eight = np.uint8(np.rint(255 * np.clip(x, 0, 1)))
            return cv2.fastNlMeansDenoisingColored(eight, None, h, h, 7, 21).astype(np.float32) / 255

        return run

    found = {f"NLM {h}": fast(h) for h in (3, 5, 8, 12, 17, 24)}
    found |= {
        f"bilateral {s}": lambda x, s=s: denoise_bilateral(x, sigma_color=s, sigma_spatial=2.5, channel_axis=-1)
        for s in (0.06, 0.12, 0.2, 0.3)
    }
    found |= {
        f"wavelet {s}": lambda x, s=s: denoise_wavelet(x, sigma=s, channel_axis=-1, convert2ycbcr=True)
        for s in (0.02, 0.05, 0.1, 0.15)
    }
    return found


def inner(pixels: NDArray) -> NDArray:
    return pixels[EDGE:-EDGE, EDGE:-EDGE]


def score(result: NDArray, truth: NDArray) -> float:
    return psnr(inner(result), inner(truth))


def colour_error(result: NDArray, truth: NDArray) -> float:
    """Mean CIE 1976 difference of the mean light of blocks."""
    h, w = (n // BLOCK * BLOCK for n in result.shape[:2])

    def means(x: NDArray) -> NDArray:
        light = decode(np.clip(np.asarray(x[:h, :w], float), 0, 1))
        return encode(light.reshape(h // BLOCK, BLOCK, w // BLOCK, BLOCK, 3).mean((1, 3)))

    return float(np.sqrt(((lab(means(result)) - lab(means(truth))) ** 2).sum(-1)).mean())


def rival(data: bytes, truth: NDArray, push: float) -> tuple[float, NDArray, str]:
    """The best that the libraries reach when they are told the truth: PSNR, pixels and which."""
    best: tuple[float, NDArray, str] = (-1.0, truth, "")
    for demosaic in ("LINEAR", "AHD"):
        developed, _ = libraw(data, push, demosaic)
        for name, clean in library_denoisers().items():
            found = clean(developed)
            if (reached := score(found, truth)) > best[0]:
                best = reached, found, f"{demosaic}, {name}"
    return best


def ours(data: bytes, push: float) -> tuple[NDArray[np.float32], Any, Any]:
    """Developed and cleaned at default parameters; the print that was carried, and the one told blindly."""
    picture = opened(data)
    develop = tuple(s for s in first_steps(picture.kind))
    if push:
        develop = (make_step("develop", {"push": push}),)
    with Renderer(picture) as renderer:
        cleaned = renderer.render(Sweep((*develop, make_step("noise"))))
        developed = renderer.render(Sweep(develop))
        return cleaned, noise_print(renderer, None, Sweep(develop)), measure(developed)


def quality(names: tuple[str, ...]) -> tuple[str, dict[str, list[float]]]:
    rows, gains = [], {}
    for title, exposure in CASES.items():
        for name in names:
            truth = scene(name)
            data = taken(truth, exposure, 7)
            best, pixels, which = rival(data, truth, exposure.darker)
            result, _, _ = ours(data, exposure.darker)
            reached = score(result, truth)
            gains.setdefault(title, []).append(reached - best)
            rows.append(
                [
                    title,
                    name,
                    best,
                    which,
                    reached,
                    reached - best,
                    colour_error(pixels, truth),
                    colour_error(result, truth),
                ]
            )
            print(rows[-1], flush=True)
    head = ["case", "photograph", "library, told the truth", "which", "Dustpan", "gain, dB", "its colour error", "ours"]
    return table(head, rows), gains


if __name__ == "__main__":
    print(quality(FOUR)[0])
