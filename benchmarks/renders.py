"""Renders: fireflies, and noise that depends on light paths, against general libraries on made and traced truth.

Everything goes through the steps at their default parameters. Libraries are told the truth: of several strengths each
gets, picture by picture, the one that comes out best.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi
from skimage.restoration import denoise_nl_means, denoise_tv_chambolle, denoise_wavelet

from benchmarks.common import arguments, noisy_pair, photograph, psnr, publish, table
from benchmarks.rendered import SAMPLES, Case, Made, made, picture, scenes, tone_mapped, traced
from dustpan.core.colour import luma
from dustpan.core.judge.glints import lines
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step
from dustpan.demo.tracer import Render

CASES = [
    (k, s, f, n) for k, s in (("desk", 1), ("surfaces", 2), ("surfaces", 3)) for f in (False, True) for n in (0.4, 1.0)
]
Cleaner = Callable[[NDArray], NDArray]


def done(light: NDArray, *steps: str, passes: Render | None = None) -> NDArray[np.float64]:
    """Light after steps at their default parameters."""
    with Renderer(picture(light, passes)) as r:
        result = r.result(Sweep(tuple(map(make_step, steps))), r.render(Sweep(tuple(map(make_step, steps)))))
    return np.asarray(result.as_stored(), float)


# ---------------------------------------------------------------- fireflies


def _median(light: NDArray, side: int = 3) -> NDArray:
    return ndi.median_filter(light, (side, side, 1))


def _clamped(light: NDArray) -> NDArray:
    """No more than three times the median around."""
    most = 3 * _median(light, 5)
    return np.minimum(light, most)


def firefly_scores(case: Made, clean: Cleaner) -> tuple[float, ...]:
    """Percent: gone, change of highlights, highlights changed by over 2 %, scratches, other pixels; without any."""
    before, after = luma(case.light), luma(clean(case.light))
    truth = luma(case.without)
    at = tuple(case.at.T)
    most = ndi.maximum_filter(truth, 5)[at]
    gone = after[at] <= 1.05 * most + 0.1 * case.added[at]
    reached = ndi.binary_dilation(case.added > 0.01 * truth, np.ones((3, 3)))
    here, line = case.highlights & ~reached, case.scratches & ~reached
    off = np.abs(after / truth - 1)[here]
    contrast = np.maximum(truth - ndi.median_filter(truth, 9), 0)[line]
    changed = np.abs(after - before) > 1e-5 * before
    other = changed & ~reached & ~case.highlights & ~case.scratches
    plain = luma(clean(case.without))
    none = (np.abs(plain - truth) > 1e-5 * truth) & ~case.highlights & ~case.scratches
    return (
        100 * gone.mean(),
        100 * np.abs(after - truth)[here].sum() / truth[here].sum(),
        100 * (off > 0.02).mean(),
        100 * (1 - np.abs(after - truth)[line].sum() / contrast.sum()),
        100 * other.mean(),
        100 * none.mean(),
    )


def fireflies() -> str:
    cases = [made(*case) for case in CASES]
    cleaners: dict[str, Cleaner] = {
        "3 × 3 median": _median, "at most 3 × the 5 × 5 median": _clamped, "Fireflies": lambda p: done(p, "fireflies"),
    }  # fmt: skip
    rows = []
    for name, clean in cleaners.items():
        found = np.array([firefly_scores(case, clean) for case in cases])
        rows.append([name, found[:, 0].mean(), found[:, 0].min(), *(f"{v:.3f}" for v in found[:, 1:].mean(0))])
    head = [
        "percent",
        "gone",
        "least",
        "highlights changed",
        "hurt by > 2 %",
        "scratches kept",
        "others",
        "without any",
    ]
    return table(head, rows)


# ---------------------------------------------------------------- noise


def rivals() -> dict[str, list[Cleaner]]:
    """General denoisers on tone-mapped light, each at several strengths."""

    def nl_means(h: float, light: NDArray) -> NDArray:
        eight = np.rint(255 * light).astype(np.uint8)
        return cv2.fastNlMeansDenoisingColored(eight, None, 255 * h, 255 * h, 7, 21) / 255

    def local_means(h: float, light: NDArray) -> NDArray:
        return np.asarray(denoise_nl_means(light, 5, 9, h, channel_axis=-1, fast_mode=True))

    def wavelets(sigma: float, light: NDArray) -> NDArray:
        return np.asarray(denoise_wavelet(light, sigma, channel_axis=-1, convert2ycbcr=True, rescale_sigma=True))

    def variation(weight: float, light: NDArray) -> NDArray:
        return np.asarray(denoise_tv_chambolle(light, weight, channel_axis=-1))

    strengths = (0.01, 0.02, 0.035, 0.055, 0.08, 0.12, 0.18)
    return {
        "NL-means, OpenCV": [partial(nl_means, s) for s in strengths],
        "NL-means, scikit-image": [partial(local_means, s) for s in strengths],
        "wavelets": [partial(wavelets, s) for s in strengths],
        "total variation": [partial(variation, s) for s in strengths],
    }


def lines_kept(light: NDArray, truth: NDArray) -> float:
    """Percent of the contrast of fine lines of the truth that is there."""
    own, wanted = (lines(np.asarray(luma(tone_mapped(p)), np.float32)) for p in (light, truth))
    return 100 * float(np.sum(own * wanted) / np.sum(wanted * wanted))


def noise(cases: dict[str, Case]) -> tuple[str, str]:
    rows, ours, passed = [], [], []
    for name, case in cases.items():
        truth = done(case.truth, "fireflies")
        for samples in SAMPLES:
            render = case.renders[samples, 1]
            noisy = done(render.beauty, "fireflies")
            best = {
                rival: max(psnr(clean(tone_mapped(noisy)), tone_mapped(truth)) for clean in strengths)
                for rival, strengths in rivals().items()
            }
            result = done(render.beauty, "fireflies", "noise")
            found = psnr(tone_mapped(result), tone_mapped(truth))
            with_passes, with_poor = (
                psnr(tone_mapped(done(render.beauty, "fireflies", "noise", passes=p)), tone_mapped(truth))
                for p in (case.passes, render)
            )
            gain = found - max(best.values())
            ours.append(gain)
            passed.append((samples, with_passes - found, with_poor - found))
            rows.append([
                name, samples, psnr(tone_mapped(noisy), tone_mapped(truth)), *best.values(), found, f"{gain:+.2f}",
                f"{lines_kept(result, truth):.0f}", with_passes, with_poor,
            ])  # fmt: skip
    head = ["dB", "samples", "noisy", *rivals(), "Noise", "over the best", "lines, %", "with passes", "with poor ones"]
    few, many = ([gain for s, gain, _ in passed if (s == max(SAMPLES)) is last] for last in (False, True))
    words = (
        f"Over the best library: {np.mean(ours):+.2f} dB in the mean, {min(ours):+.2f} at least. Passes as good as "
        f"noise-free: {np.mean(few):+.2f} at 4 and 16 samples, {np.mean(many):+.2f} at 64; passes of the render's own "
        f"samples: {min(poor for _, _, poor in passed):+.2f} at least."
    )
    return table(head, rows), words


def two_draws(cases: dict[str, Case]) -> str:
    """Noise left by zone, from the difference of two draws: zones are by strength of the print's map."""
    rows = []
    for name, case in cases.items():
        for samples in SAMPLES:
            lights = [done(case.renders[samples, draw].beauty, "fireflies") for draw in (1, 2)]
            results = [done(light, "noise") for light in lights]
            with Renderer(picture(lights[0])) as r:
                found = r.fact(NOISE_PRINT, Sweep())
                sigma = found.relative * found.places.grid
            whole = [np.log(np.maximum(np.asarray(luma(p)), 0) + found.noise[0].floor) for p in (*lights, *results)]
            h, w = (n // 4 for n in whole[0].shape)
            before, after = (
                ((whole[a] - whole[a + 1])[: 4 * h, : 4 * w] ** 2).reshape(h, 4, w, 4).mean((1, 3)) / 2 for a in (0, 2)
            )
            own = sigma[:h, :w]
            zones = np.digitize(own, np.quantile(own, (1 / 3, 2 / 3)))
            told = [f"{np.sqrt(before[zones == z].mean() / (own[zones == z] ** 2).mean()):.2f}" for z in range(3)]
            left = [f"{100 * np.sqrt(after[zones == z].mean() / before[zones == z].mean()):.0f}" for z in range(3)]
            rows.append([name, samples, " / ".join(told), " / ".join(left)])
    return table(["calm / middle / noisy places", "samples", "true sigma over the map's", "noise left, %"], rows)


# ---------------------------------------------------------------- time


def times() -> str:
    """Of 24 megapixels for Fireflies; of a render for Noise, with and without the map."""
    case = made("desk", 1, False, 1.0)
    light = np.tile(case.light, (12, 12, 1))[:4000, :6000].astype(np.float32)
    eight = np.rint(255 * tone_mapped(light[:1000, :1500])).astype(np.uint8)
    began = time.perf_counter()
    cv2.fastNlMeansDenoisingColored(eight, None, 10, 10, 7, 21)
    rival = (time.perf_counter() - began) * light[..., 0].size / eight[..., 0].size
    rows: list[list] = [["NL-means, colour, OpenCV, 24 MP", rival, 1.0]]
    began = time.perf_counter()
    done(light, "fireflies")
    rows.append(["Fireflies, 24 MP", time.perf_counter() - began, (time.perf_counter() - began) / rival])
    surfaces = np.tile(made("surfaces", 2, False, 1.0).without, (3, 3, 1))
    small = picture(surfaces[:1000, :1500])
    photo = from_array(np.tile(noisy_pair(photograph("coffee"), "C", 3)[1], (3, 3, 1))[:1000, :1500])
    for name, source in (("Noise of a photograph (C), 1.5 MP", photo), ("of a render, with its map", small)):
        took = []
        for _ in range(3):
            with Renderer(source) as r:
                began = time.perf_counter()
                r.render(Sweep((make_step("noise"),)))
                took.append(time.perf_counter() - began)
        rows.append([name, min(took), min(took) / (rows[-1][1] if "render" in name else min(took))])
    return table(["", "s", "ratio"], rows)


def main() -> None:
    options = arguments(__doc__)
    cases = {name: traced(name, scene) for name, scene in scenes().items()}
    by_scene, words = noise(cases)
    parts = [
        "Some 750 fireflies on made light with lamps, glints and scratches, twelve pictures: two thirds of them of "
        "surfaces, noise by place weak and strong, with and without a pixel filter.",
        fireflies(),
        "Three scenes of our own tracer, PSNR of tone-mapped light; fireflies out first, for everybody. " + words,
        by_scene,
        "Two draws of the noise, in thirds of the places by the strength of the map:",
        two_draws(cases),
        times(),
    ]
    publish("renders", "Renders", "\n\n".join(parts), options.write)


if __name__ == "__main__":
    main()
