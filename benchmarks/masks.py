"""Where: masks that find their place, against the nearest way of general libraries, on made truth.

Sharp subjects before blurred ones; strokes that are wrong by some px; textures under noise; edges; a clicked colour.
Everything at default parameters.
"""

from __future__ import annotations

import time

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi
from skimage.feature import canny
from skimage.filters import threshold_otsu
from tests.scenes import noisy_a, noisy_b, noisy_c

from benchmarks.common import arguments, photograph, publish, table
from dustpan.core.colour import luma
from dustpan.core.grammar import parse_step
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep
from dustpan.core.where.refine import refined

PAIRS = (
    ("coffee", "chelsea", 3.0), ("motorcycle_left", "astronaut", 2.5), ("motorcycle_left", "coffee", 4.0),
    ("coffee", "astronaut", 3.5), ("brick", "chelsea", 2.5), ("gravel", "coffee", 3.0), ("grass", "astronaut", 3.0),
    ("brick", "motorcycle_left", 4.0),
)  # fmt: skip
NOISES = {"none": lambda c: c, "A": noisy_a, "B": lambda c: noisy_b(c)[1], "C": lambda c: noisy_c(c)[1]}
Mask = NDArray[np.bool_]


def mask_of(text: str, pixels: NDArray) -> NDArray[np.float32]:
    with Renderer(from_array(np.asarray(pixels, np.float32))) as r:
        return r.mask(r.settled(Sweep((parse_step(f"noise {text}"),))), 0)


def overlap(a: Mask, b: Mask) -> float:
    """Intersection over union."""
    return float((a & b).sum() / max((a | b).sum(), 1))


def shape_of(size: tuple[int, int], seed: int, share: float = 0.35) -> Mask:
    """A made outline around the middle."""
    h, w = size
    wild = ndi.gaussian_filter(np.random.default_rng(seed).normal(size=size), h / 7)
    y, x = np.mgrid[:h, :w]
    wild = wild / wild.std() - 5 * ((y / h - 0.5) ** 2 + (x / w - 0.5) ** 2)
    return np.asarray(wild > np.quantile(wild, 1 - share))


def _colour(name: str) -> NDArray:
    pixels = photograph(name)[:400, :600]
    return pixels if pixels.shape[2] == 3 else np.repeat(pixels, 3, 2)


def local_contrast(pixels: NDArray) -> Mask:
    """What is done with general tools: local variance of the luma, cut by Otsu."""
    y = luma(pixels)
    spread = np.sqrt(np.maximum(ndi.gaussian_filter(y * y, 5) - ndi.gaussian_filter(y, 5) ** 2, 0))
    return np.asarray(spread > threshold_otsu(spread))


def grab_cut(pixels: NDArray, stroke: Mask, wide: int) -> Mask:
    """OpenCV's, told what is sure inside and outside."""
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * wide + 1,) * 2)
    inner, outer = cv2.erode(stroke.astype(np.uint8), disc), cv2.dilate(stroke.astype(np.uint8), disc)
    told = np.where(inner > 0, cv2.GC_FGD, np.where(outer == 0, cv2.GC_BGD, cv2.GC_PR_FGD)).astype(np.uint8)
    models = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.grabCut(np.rint(pixels[..., ::-1] * 255).astype(np.uint8), told, None, *models, 5, cv2.GC_INIT_WITH_MASK)
    return np.asarray((told == cv2.GC_FGD) | (told == cv2.GC_PR_FGD))


def composites() -> str:
    rows = []
    for sigma in (1.5, 5.0):
        ours, contrast, strokes, followed, cut, seconds = [], [], [], [], [], []
        for front, back, blur in PAIRS:
            a, b = _colour(front), _colour(back)
            h, w = min(a.shape[0], b.shape[0]), min(a.shape[1], b.shape[1])
            shape = shape_of((h, w), len(front) + len(back))
            soft = ndi.gaussian_filter(shape.astype(float), 0.6)[..., None]
            seen = a[:h, :w] * soft + ndi.gaussian_filter(b[:h, :w], (blur, blur, 0)) * (1 - soft)
            seen = np.clip(seen + np.random.default_rng(2).normal(0, sigma / 255, seen.shape), 0, 1).astype(np.float32)
            began = time.perf_counter()
            ours.append(overlap(mask_of("@in-focus", seen) > 0.5, shape))
            seconds.append((time.perf_counter() - began) / (h * w) * 1e6)
            contrast.append(overlap(local_contrast(seen), shape))
            away = ndi.distance_transform_edt(shape) - ndi.distance_transform_edt(~shape)
            wobble = ndi.gaussian_filter(np.random.default_rng(1).normal(size=shape.shape), 14)
            stroke = away + 6 * wobble / wobble.std() > 0
            strokes.append(overlap(stroke, shape))
            followed.append(overlap(refined(seen, stroke.astype(np.float32), 10) > 0.5, shape))
            cut.append(overlap(grab_cut(seen, stroke, 10), shape))
        row: list = [sigma]
        for values in (ours, contrast):
            row += [float(np.mean(values)), min(values)]
        row += [float(np.mean(seconds)), float(np.mean(strokes))]
        for values in (followed, cut):
            row += [float(np.mean(values)), min(values)]
        rows.append(row)
    head = ["noise, of 255", "in focus", "worst", "local variance, Otsu", "worst", "s/MP", "stroke"]
    return table([*head, "followed", "worst", "GrabCut", "worst"], rows)


def textures() -> str:
    rng, (h, w) = np.random.default_rng(7), (320, 480)
    y, x = np.mgrid[:h, :w].astype(float)

    def grain(sigma: float | tuple[float, float]) -> NDArray:
        made = ndi.gaussian_filter(rng.normal(size=(h, w)), sigma)
        return made / made.std()

    rough = {
        "rope": 18 * np.sin(2 * np.pi * (x + 0.6 * y) / 9) + 7 * grain(1.2),
        "driftwood": 15 * grain((1.0, 9.0)) + 8 * grain((2.0, 20.0)), "felt": 11 * grain(0.9),
    }  # fmt: skip
    smooth = {"plaster": 0.5 * grain(25) + 0.4 * grain(1.5), "sky": 20 * (y / h - 0.5)}
    shape, rows = ndi.gaussian_filter(rng.normal(size=(h, w)), 55) > 0, []
    for name, own in rough.items():
        for behind, other in smooth.items():
            base = np.where(shape, own, other)[..., None] / 255 * np.array([1, 0.95, 0.9])
            clean = np.clip(np.array([0.42, 0.38, 0.33]) + base, 0, 1)
            wrong = [100 * float(((mask_of("@texture", n(clean)) > 0.5) != shape).mean()) for n in NOISES.values()]
            rows.append([f"{name} before {behind}", *wrong])
    return table(["% of the area wrong", *(f"noise {n}" for n in NOISES)], rows)


def edges() -> str:
    rows = []
    for sigma in (3.0, 10.0):
        for name in ("astronaut", "chelsea", "coffee", "motorcycle_left"):
            scene = _colour(name).copy()
            scene[:120, :160] = 0.5
            seen = np.clip(scene + np.random.default_rng(1).normal(0, sigma / 255, scene.shape), 0, 1)
            found, true = mask_of("@edges", seen) > 0.5, canny(luma(scene), 1.5, 0.06, 0.15)
            flat = found[20:100, 20:140]
            rows.append([sigma, name, *(100 * float(v) for v in (flat.mean(), found[true].mean(), found.mean()))])
    return table(["noise, of 255", "photograph", "flat part, %", "true edges, %", "of the picture, %"], rows)


def colours() -> str:
    h, w = 320, 480
    y, x = np.mgrid[:h, :w].astype(float)
    shape, rows = np.hypot(x - 160, y - 150) < 80, []
    things = {
        "red on grey": ((0.65, 0.2, 0.18), (0.45, 0.44, 0.42)), "teal on wood": ((0.2, 0.5, 0.48), (0.5, 0.36, 0.24)),
        "blue on navy": ((0.25, 0.35, 0.75), (0.12, 0.14, 0.2)),
        "ochre on cream": ((0.7, 0.5, 0.15), (0.8, 0.76, 0.66)),
        "green on brown": ((0.3, 0.5, 0.25), (0.4, 0.3, 0.2)),
    }  # fmt: skip
    for name, (thing, rest) in things.items():
        clean = np.where(shape[..., None], thing, rest) * (0.8 + 0.4 * x / w)[..., None]
        row: list = [name]
        for noise in ("none", "B", "C"):
            found = mask_of("@colour:at=150/160", NOISES[noise](ndi.gaussian_filter(clean, (0.7, 0.7, 0)))) > 0.5
            row += [100 * float(found[shape].mean()), 100 * float(found[~shape].mean())]
        rows.append(row)
    head = [f"{part}, noise {noise}" for noise in ("none", "B", "C") for part in ("found", "of the rest")]
    return table(["one click, %", *head], rows)


def main() -> None:
    options = arguments(__doc__)
    parts = [
        "Sharp photographs before blurred ones (sigma 2.5 to 4 px), outline made, intersection over union with the "
        "truth; and strokes wrong by some px that follow edges within 10 px:",
        composites(),
        "Rough shapes before smooth ones:",
        textures(),
        "Edges against those that a library finds in the picture without noise, beside a flat part:",
        edges(),
        "A thing of one colour, in light that falls off by a third:",
        colours(),
    ]
    publish("masks", "Where", "\n\n".join(parts), options.write)


if __name__ == "__main__":
    main()
