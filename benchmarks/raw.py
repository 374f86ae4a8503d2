"""Camera raw: made raws of known photographs, developed and cleaned, against LibRaw and the best library denoiser.

The rival is told the truth: the better of two of LibRaw's demosaics and the best of three library denoisers at the best
of several strengths, picture by picture. Dustpan is told nothing.
"""

from __future__ import annotations

import io
import tempfile
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from benchmarks.common import (
    FOUR,
    OTHERS,
    arguments,
    decode,
    encode,
    photograph,
    psnr,
    publish,
    table,
)
from benchmarks.noise_print import BINS, print_error
from dustpan.core.colour import lab
from dustpan.core.files import open_picture
from dustpan.core.judge.whole import noise_print
from dustpan.core.noise.measure import measure
from dustpan.core.picture import Picture
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step
from dustpan.demo.dng import dng
from dustpan.demo.raw_camera import Exposure, counts, seen, shot

MOST = (384, 512)  # px that are taken of a photograph
LENS = 0.5  # px, sigma of the lens's blur
EDGE = 8  # px that are not compared
CASES = {
    "by day, 2500 e": Exposure(2500),
    "3 EV darker, 2500 e": Exposure(2500, 3),
    "3 EV darker, 375 e": Exposure(375, 3),
}


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
            output_bps=16, gamma=(1, 1), bright=2.0**push, user_flip=0, adjust_maximum_thr=0.0,
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


def ours(data: bytes, push: float) -> NDArray[np.float32]:
    """Developed and cleaned at default parameters."""
    picture = opened(data)
    with Renderer(picture) as renderer:
        return renderer.render(Sweep((make_step("develop", {"push": push}), make_step("noise"))))


def quality(names: Sequence[str]) -> str:
    """PSNR after cleaning, against the best that the libraries reach."""
    rows: list[list[Any]] = []
    for title, exposure in CASES.items():
        gains = []
        for name in names:
            truth = scene(name)
            data = taken(truth, exposure, 7)
            best, _, which = rival(data, truth, exposure.darker)
            reached = score(ours(data, exposure.darker), truth)
            gains.append(reached - best)
            rows.append([title, name, best, which, reached, gains[-1]])
        rows.append([title, "**mean / worst**", None, "", None, f"{np.mean(gains):+.2f} / {min(gains):+.2f}"])
    return table(["case", "photograph", "libraries, dB", "which", "Dustpan, dB", "gain, dB"], rows)


def colours() -> str:
    """A chart of flat patches: how far their mean colours are off after developing and cleaning."""
    rng = np.random.default_rng(24)
    patches = rng.uniform(0.15, 0.85, (4, 6, 3))
    patches[3] = np.linspace(0.12, 0.9, 6)[:, None]
    chart = np.kron(patches, np.ones((48, 48, 1)))
    rows = []
    for title, exposure in CASES.items():
        data = taken(chart, exposure, 9)
        found = []
        for pixels in (ours(data, exposure.darker), libraw(data, exposure.darker, "LINEAR")[0]):
            inner_means = pixels.reshape(4, 48, 6, 48, 3)[:, 8:-8, :, 8:-8].mean((1, 3))
            found.append(float(np.sqrt(((lab(inner_means) - lab(patches)) ** 2).sum(-1)).mean()))
        rows.append([title, *found])
    return table(["case", "Dustpan", "LibRaw's development"], rows)


def print_errors(names: Sequence[str]) -> str:
    """How far the print is off: carried from a sensor that is known, from one told blindly, and measured afterwards."""
    edges = np.linspace(0, 1, BINS + 1) ** 1.5
    middle = (edges[1:] + edges[:-1]) / 2
    rows = []
    cases = {t: e for t, e in CASES.items() if e.electrons > 1000} | {"by day, 375 e": Exposure(375)}
    for title, exposure in cases.items():  # where little is clipped
        found: list[list[float]] = []
        for name in names:
            clean = seen(decode(scene(name)), exposure)
            stored = counts(clean, exposure, 7)
            develop = Sweep((make_step("develop", {"push": exposure.darker, "demosaic": "linear"}),))
            errors, truth = [], None
            for told in (True, False):
                picture = opened(dng(stored, shot(exposure, told)))
                with Renderer(picture.with_pixels(encode(clean[..., None]))) as renderer:
                    truth = renderer.render(develop)
                with Renderer(picture) as renderer:
                    developed = renderer.render(develop)
                    errors.append(_off(truth, developed, noise_print(renderer, None, develop), edges, middle))
            errors.append(_off(truth, developed, measure(developed), edges, middle))
            found.append(errors)
        rows.append([title, *np.mean(found, 0).tolist(), *np.max(found, 0).tolist()])
    head = ["case", "sensor known", "told blindly", "measured afterwards", "worst", "worst", "worst"]
    return table(head, rows)


def _off(truth: NDArray, developed: NDArray, found: Any, edges: NDArray, middle: NDArray) -> float:
    errors = print_error(truth, developed, found.channel_sigma(middle), edges)
    return float(100 * np.abs(errors[np.isfinite(errors)]).mean())


def times() -> str:
    """Of 24 megapixels, against LibRaw on the same machine in the same run."""
    exposure = Exposure(2500, 2)
    small = np.random.default_rng(3).random((40, 60, 3))
    light = cv2.resize(small, (6000, 4000), interpolation=cv2.INTER_CUBIC).clip(0, 1) ** 2
    preview = np.uint8(255 * encode(light[::4, ::4] / 4))
    data = dng(counts(seen(light, exposure), exposure, 1), shot(exposure, preview=preview))
    del light
    rows = []
    for way, other in (("linear", "LINEAR"), ("by edges", "AHD")):
        opening, developing, theirs = [], [], []
        for _ in range(3):
            start = time.perf_counter()
            picture = opened(data)
            opening.append(time.perf_counter() - start)
            with Renderer(picture) as renderer:
                start = time.perf_counter()
                renderer.render(Sweep((make_step("develop", {"demosaic": way}),)))
                developing.append(time.perf_counter() - start)
            theirs.append(libraw(data, 0, other)[1])
        mine, rival_s = float(np.median(opening) + np.median(developing)), float(np.median(theirs))
        rows.append([way, float(np.median(opening)), mine, rival_s, mine / rival_s])
    return table(["demosaic", "opened, s", "developed as well, s", "LibRaw, s", "ratio"], rows)


def main() -> None:
    options = arguments(__doc__)
    names = (*FOUR, *OTHERS[:2])
    parts = [
        "Made raws of six photographs (512 × 384 at most, lens blur 0.5 px) of a simulated sensor: RGGB, 14 bits, 4 "
        "electrons of read noise; electrons at the sensor's white, then EV darker and pushed by as much. The libraries "
        "got the better of two of LibRaw's demosaics and the best of three denoisers at the best of several strengths, "
        "picture by picture, by the truth; Dustpan is told nothing.",
        quality(names),
        "Colours of a chart of 24 flat patches, mean CIE 1976 difference of their mean colours after cleaning:",
        colours(),
        "The noise print after a linear development, mean over photographs of |told / true - 1| in percent:",
        print_errors(names),
        "24 megapixels, from bytes in memory to developed pixels:",
        times(),
    ]
    publish("raw", "Camera raw", "\n\n".join(parts), options.write)


if __name__ == "__main__":
    main()
