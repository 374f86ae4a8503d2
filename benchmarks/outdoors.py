"""Fringes, specks and haze, made on photographs with known truth, against general libraries and a paper's method.

Everything goes through the steps at their default parameters. The true sideways shift, the true mask of the marks and
the true airlight's place are told to the others where it says so.
"""

from __future__ import annotations

import time
from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi
from skimage.color import rgb2lab

from benchmarks.common import FOUR, OTHERS, arguments, photograph, psnr, publish, table
from dustpan.core.colour import decode, luma
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step
from dustpan.demo.marks import baited, marked
from dustpan.demo.outdoors import in_mist, through_lens

NAMES = (*FOUR, *(n for n in OTHERS if n != "camera"))
LONG_SIDE = 700  # px
EDGE, PLAIN = 0.25, 0.03  # contrast at which rims are looked for; roughness of plain ground
SHIFT = 1.2, -1.0  # px at the corner
LARGE = 2400, 2500  # px of the picture that times are taken on
Pixels = NDArray[np.float32]


def seen(name: str, long_side: int = LONG_SIDE) -> Pixels:
    clean = photograph(name).astype(np.float32)
    share = min(1.0, long_side / max(clean.shape))
    size = round(clean.shape[1] * share), round(clean.shape[0] * share)
    return np.ascontiguousarray(cv2.resize(clean, size, interpolation=cv2.INTER_AREA), np.float32)


def done(pixels: Pixels, *steps: str) -> Pixels:
    """After steps at their default parameters."""
    with Renderer(from_array(pixels)) as r:
        return np.clip(r.render(Sweep(tuple(map(make_step, steps)))), 0, 1)


# ---------------------------------------------------------------- fringes


def rim_colour(pixels: Pixels, truth: Pixels) -> float:
    """How far red and blue beside green leave the truth, all together, at hard edges of the truth."""
    green = ndi.gaussian_filter(truth[..., 1], 0.7)
    edge = cv2.dilate(green, np.ones((5, 5))) - cv2.erode(green, np.ones((5, 5)))
    near = cv2.dilate((edge > EDGE).astype(np.uint8), np.ones((5, 5))) > 0
    off = [(pixels[..., c] - pixels[..., 1]) - (truth[..., c] - truth[..., 1]) for c in (0, 2)]
    return float(sum(np.abs(o[near]).sum() for o in off))


def shifted_back(pixels: Pixels) -> Pixels:
    """The true shift undone, and nothing else."""
    h, w = pixels.shape[:2]
    out = pixels.copy()
    for channel, px in zip((0, 2), SHIFT, strict=True):
        s = 1 + px / (np.hypot(h, w) / 2)
        turn = np.array([[s, 0, (1 - s) * (w - 1) / 2], [0, s, (1 - s) * (h - 1) / 2]])
        how = cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP
        out[..., channel] = cv2.warpAffine(pixels[..., channel], turn, (w, h), flags=how, borderMode=cv2.BORDER_REFLECT)
    return out


def fringes() -> str:
    rows = []
    for encoded in (False, True):
        for name in NAMES:
            clean = seen(name)
            spoilt = through_lens(clean, SHIFT, encoded=encoded)
            ours, known = done(spoilt, "colour-fringes"), rim_colour(spoilt, clean)
            rows.append(
                [
                    f"{name}, {'encoded' if encoded else 'light'}",
                    *(100 * rim_colour(p, clean) / known for p in (shifted_back(spoilt), ours)),
                    psnr(luma(ours), luma(clean)) - psnr(luma(spoilt), luma(clean)),
                    psnr(ours, clean) - psnr(spoilt, clean),
                    min(psnr(done(clean, "colour-fringes"), clean), 99.0),
                ]
            )
    head = ["photograph, blur in", "true shift alone: left, %", "left, %", "luma, dB", "RGB, dB", "clean one, dB"]
    return table(head, with_mean(rows))


def with_mean(rows: list[list]) -> list[list]:
    figures = np.array([row[1:] for row in rows], float)
    return [*rows, ["**mean**", *map(float, np.nanmean(figures, 0))]]


# ---------------------------------------------------------------- specks


def specks() -> str:
    rows = []
    for n, name in enumerate(NAMES):
        rng = np.random.default_rng(n)
        clean = seen(name, 500)
        clean = (np.rint(255 * np.clip(clean + rng.normal(0, 1.5 / 255, clean.shape), 0, 1)) / 255).astype(np.float32)
        spoilt, labels = marked(clean, rng)
        on = labels > 0
        filled = cv2.dilate(on.astype(np.uint8), np.ones((5, 5), np.uint8))
        steps = np.rint(255 * spoilt).astype(np.uint8)
        results = [
            cv2.medianBlur(spoilt, 5),
            np.asarray(cv2.inpaint(steps, filled, 3, cv2.INPAINT_TELEA) / np.float32(255)),
            done(spoilt, "specks"),
        ]
        away = ~ndi.binary_dilation(on, iterations=3)
        gains = [10 * np.log10(_error(spoilt, clean)[on].mean() / _error(p, clean)[on].mean()) for p in results]
        ours = results[-1]
        numbers = np.arange(1, labels.max() + 1)
        before, after = (np.asarray(ndi.mean(_error(p, clean), labels, numbers)) for p in (spoilt, ours))
        plain = np.asarray(ndi.mean(_roughness(clean), labels, numbers)) < PLAIN
        bait = baited(clean, rng)
        rows.append(
            [
                name,
                *map(float, gains),
                100 * float((after < 0.2 * before)[plain].mean()) if plain.any() else None,
                float(-10 * np.log10(max(_error(ours, clean)[away].mean(), 1e-10))),
                100 * float(_touched(spoilt, ours)[away].mean()),
                *(100 * float(_touched(p, done(p, "specks")).mean()) for p in (clean, bait)),
            ]
        )
    head = ["photograph", "median 5 × 5: gain, dB", "true mask, inpainting: gain, dB", "gain in the marks, dB"]
    head += ["mended on plain ground, %", "elsewhere, dB", "touched, marked, %", "unmarked, %", "baited, %"]
    return table(head, with_mean([[np.nan if v is None else v for v in row] for row in rows]))


def _error(pixels: Pixels, truth: Pixels) -> NDArray:
    return np.square(pixels - truth).mean(-1)


def _touched(before: Pixels, after: Pixels) -> NDArray[np.bool_]:
    return np.abs(before - after).max(-1) > 1 / 255


def _roughness(pixels: Pixels) -> NDArray:
    soft = ndi.gaussian_filter(pixels.mean(2), 1)
    return np.sqrt(np.maximum(ndi.uniform_filter(soft * soft, 31) - ndi.uniform_filter(soft, 31) ** 2, 0))


# ---------------------------------------------------------------- haze


def made_depth(size: tuple[int, int], rng: np.random.Generator) -> NDArray[np.float32]:
    """0 near to 1 far: farther higher up, and uneven."""
    y, x = np.linspace(0, 1, size[0])[:, None], np.linspace(-1, 1, size[1])[None]
    far = 1 - y + 0.15 * x * rng.normal() + 0.1 * np.sin(3 * x + rng.uniform(0, 6))
    return ((far - far.min()) / np.ptp(far)).astype(np.float32)


def paper(pixels: Pixels, radius: int = 7, kept: float = 0.95, least: float = 0.1) -> Pixels:
    """The dark channel of He, Sun and Tang (2009) on encoded values, refined by a guided filter."""
    square = np.ones((2 * radius + 1, 2 * radius + 1))
    dark = cv2.erode(np.ascontiguousarray(pixels.min(2)), square)
    first = pixels.reshape(-1, 3)[np.argsort(dark.ravel())[-max(1, dark.size // 1000) :]]
    air = first[first.sum(1).argmax()]
    t = 1 - kept * cv2.erode(np.ascontiguousarray((pixels / air).min(2)), square)
    guide = cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY)

    def mean(plane: NDArray) -> NDArray:
        return cv2.blur(plane, (81, 81))

    slope = (mean(guide * t) - mean(guide) * mean(t)) / (mean(guide * guide) - mean(guide) ** 2 + 1e-3)
    t = np.clip(mean(slope) * guide + mean(mean(t) - slope * mean(guide)), least, 1)
    return np.clip((pixels - air) / t[..., None] + air, 0, 1)


def haze() -> str:
    rows = []
    for n, name in enumerate(NAMES):
        rng = np.random.default_rng(n)
        clean = seen(name, 600)
        air = rng.uniform(0.6, 0.95) * (1 + rng.uniform(-0.08, 0.08) * np.array([-1, 0, 1]))
        spoilt, t = in_mist(clean, made_depth(clean.shape[:2], rng), rng.uniform(1, 1.8), (air[0], air[1], air[2]))
        theirs, ours = paper(spoilt), done(spoilt, "haze")
        near = t > 0.75
        rows.append(
            [
                name,
                *(psnr(p, clean) for p in (spoilt, theirs, ours)),
                *(float(np.linalg.norm(rgb2lab(p) - rgb2lab(clean), axis=-1).mean()) for p in (theirs, ours)),
                100 * abs(float(decode(ours)[near].mean() / decode(clean)[near].mean()) - 1),
                "yes" if np.array_equal(done(clean, "haze"), clean) else "no",
            ]
        )
    head = ["photograph", "hazy, dB", "dark channel, dB", "ours, dB", "dark channel, ΔE", "ours, ΔE"]
    figures = np.array([row[1:-1] for row in rows], float)
    rows.append(["**mean**", *map(float, figures.mean(0)), ""])
    return table([*head, "near light off, %", "clear one as it was"], rows)


# ---------------------------------------------------------------- times


def times() -> str:
    """On one large picture, beside a library's noise reduction of it."""
    clean = seen("chelsea")
    repeats = (-(-LARGE[0] // clean.shape[0]), -(-LARGE[1] // clean.shape[1]), 1)
    large = np.tile(clean, repeats)[: LARGE[0], : LARGE[1]]
    spoilt = through_lens(large, SHIFT)
    hazy = in_mist(large, made_depth(LARGE, np.random.default_rng(0)))[0]
    many = marked(large[:1000, :1000], np.random.default_rng(1), 60)[0]
    dirty = large.copy()
    dirty[:1000, :1000] = many
    steps = np.rint(255 * spoilt).astype(np.uint8)
    library = _timed(lambda: cv2.fastNlMeansDenoisingColored(steps, None, 5, 5))
    rows: list[list] = [["OpenCV's NL-means in colour", library, 1.0]]
    for name, pixels in (("colour-fringes", spoilt), ("specks", dirty), ("haze", hazy)):
        took = _timed(lambda pixels=pixels, name=name: done(pixels, name))  # type: ignore[misc]
        rows.append([name, took, took / library])
    return table([f"{LARGE[1]} × {LARGE[0]} px", "s", "ratio"], rows)


def _timed(run: Callable[[], object]) -> float:
    start = time.perf_counter()
    run()
    return time.perf_counter() - start


def main() -> None:
    options = arguments(__doc__)
    parts = [
        "Rims: red and blue magnified, blurred and glowing; what is left of the rims' colour.", fringes(),
        "36 made marks a photograph: spots, hairs and scratches; and things that look like them.", specks(),
        "Mist of made depth.", haze(), times(),
    ]  # fmt: skip
    publish("outdoors", "Fringes, specks and haze", "\n\n".join(parts), options.write)


if __name__ == "__main__":
    main()
