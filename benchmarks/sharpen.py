"""Sharpening: the slanted edge, photographs that were blurred, thin lines, and flat parts that may become worms.

Libraries are told the true blur where they can use it; Dustpan is told nothing. Their gains are the best of a grid.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw
from scipy import ndimage as ndi
from tools.small_png import keep_small

from benchmarks.common import FOUR, OTHERS, ROOT, arguments, jpeg, photograph, psnr, publish, table
from benchmarks.slanted_edge import make_edge, score
from dustpan.core.colour import luma
from dustpan.core.files import open_picture
from dustpan.core.grammar import parse_step
from dustpan.core.judge.grain import coherence
from dustpan.core.paths import demo_folder
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.sharpen.blur_of import BLUR
from dustpan.core.sweep import Sweep
from dustpan.demo import ensure_demo_data
from dustpan.demo.camera import hand_held

Sharpen = Callable[[NDArray[np.float32]], NDArray]
ASKED = "edge-sharpen:amount=3,radius=1.5,threshold=0,halo_light=0,halo_dark=0"
CONTRASTS, BLURS, NOISES = (0.2, 0.5, 0.8), (0.8, 1.2, 2.0), (0, 2, 5)
BLENDS = ("overlay", "soft-light", "hard-light", "linear-light", "vivid-light")


# ---------------------------------------------------------------- methods


def dustpan(steps: str) -> Sharpen:
    """Steps as they are typed, parted by spaces."""

    def run(x: NDArray[np.float32]) -> NDArray:
        with Renderer(from_array(np.ascontiguousarray(x, np.float32))) as renderer:
            return renderer.render(Sweep(tuple(map(parse_step, steps.split()))))

    return run


def unsharp(radius: float, amount: float) -> Sharpen:
    """OpenCV: difference from a Gaussian blur."""
    return lambda x: x + amount * (x - cv2.GaussianBlur(x, (0, 0), radius).reshape(x.shape))


def skimage_unsharp(radius: float, amount: float) -> Sharpen:
    from skimage.filters import unsharp_mask

    return lambda x: np.stack([unsharp_mask(x[..., c], radius, amount) for c in range(x.shape[2])], -1)


def by_channel(restore: Callable[[NDArray], NDArray]) -> Sharpen:
    """A restoration of one plane, of a picture that goes on as a mirror beyond its edges."""

    def run(x: NDArray[np.float32]) -> NDArray:
        pad = np.pad(np.clip(x, 1e-3, 1), ((16, 16), (16, 16), (0, 0)), mode="symmetric").astype(float)
        return np.stack([restore(pad[..., c]) for c in range(x.shape[2])], -1)[16:-16, 16:-16]

    return run


def richardson_lucy(psf: NDArray, rounds: int) -> Sharpen:
    """scikit-image, with the true blur."""
    from skimage.restoration import richardson_lucy as restore

    return by_channel(lambda plane: restore(plane, psf, num_iter=rounds))


def wiener(psf: NDArray) -> Sharpen:
    """scikit-image's unsupervised Wiener filter, with the true blur."""
    from skimage.restoration import unsupervised_wiener as restore

    return by_channel(lambda plane: restore(plane, psf, rng=1)[0])


def high_pass(radius: float, blend: str) -> Sharpen:
    """The layer that retouchers make by hand: the difference from a blur around grey, laid over by a blend."""

    def run(x: NDArray[np.float32]) -> NDArray:
        b = np.clip(0.5 + x - cv2.GaussianBlur(x, (0, 0), radius).reshape(x.shape), 0, 1)
        a = np.clip(x, 0, 1)
        if blend == "linear-light":
            return a + 2 * b - 1
        if blend == "soft-light":
            d = np.where(a <= 0.25, ((16 * a - 12) * a + 4) * a, np.sqrt(a))
            return np.where(b <= 0.5, a - (1 - 2 * b) * a * (1 - a), a + (2 * b - 1) * (d - a))
        if blend == "vivid-light":
            burn = 1 - np.minimum(1, (1 - a) / np.maximum(2 * b, 1e-6))
            return np.where(b <= 0.5, burn, np.minimum(1, a / np.maximum(2 - 2 * b, 1e-6)))
        top, under = (a, b) if blend == "overlay" else (b, a)
        return np.where(top <= 0.5, 2 * top * under, 1 - 2 * (1 - top) * (1 - under))

    return run


def gaussian(sigma: float) -> NDArray[np.float64]:
    at = np.arange(-8, 9)
    g = np.exp(-(at**2) / (2 * sigma**2))
    return np.outer(g, g) / g.sum() ** 2


def disc(radius: float) -> NDArray[np.float64]:
    y, x = np.mgrid[-8:9, -8:9]
    shape = np.clip(radius + 0.5 - np.hypot(y, x), 0, 1)
    return shape / shape.sum()


def motion(length: int) -> NDArray[np.float64]:
    shape = np.zeros((17, 17))
    shape[8, 8 - length // 2 : 9 + length // 2] = 1 / length
    return shape


SHAPES: Mapping[str, NDArray] = {
    "round 0.8": gaussian(0.8), "round 1.2": gaussian(1.2), "round 1.6": gaussian(1.6),
    "motion 3": motion(3), "disc 2": disc(2),
}  # fmt: skip


# ---------------------------------------------------------------- edges


def edge_scores(method: Callable[[float], Sharpen], contrasts: Sequence[float], noises: Sequence[int]) -> list[float]:
    """Means and extremes over all edges; ``method`` is told the true blur, which only some use."""
    gains, limits, halos, flats = [], [], [], []
    for contrast in contrasts:
        for blur in BLURS:
            for noise in noises:
                picture, distance = make_edge(contrast, blur, noise)
                before = score(picture, distance, contrast)
                result = method(blur)(np.repeat(picture.astype(np.float32)[..., None], 3, 2)).mean(-1)
                after = score(result, distance, contrast)
                halos.append(after.halo)
                gains.append((after.mtf50 or np.inf) / (before.mtf50 or np.nan))
                limits.append(after.mtf50 or np.inf)
                flats.append(after.flat * 255)
    return [*map(float, (np.mean(gains), min(gains), max(limits), np.mean(halos), max(halos), np.mean(flats)))]


EDGE_METHODS: Mapping[str, Callable[[float], Sharpen]] = {
    "OpenCV unsharp, radius 1.5, amount 3": lambda blur: unsharp(1.5, 3),
    "scikit-image unsharp, radius 1.5, amount 3": lambda blur: skimage_unsharp(1.5, 3),
    "scikit-image Richardson-Lucy 20, true blur": lambda blur: richardson_lucy(gaussian(blur), 20),
    "scikit-image unsupervised Wiener, true blur": lambda blur: wiener(gaussian(blur)),
    "Dustpan: Edge sharpen, amount 3, radius 1.5, limits 0": lambda blur: dustpan(ASKED),
    "Dustpan: Edge sharpen": lambda blur: dustpan("edge-sharpen"),
    "Dustpan: Deblur": lambda blur: dustpan("deblur"),
    "Dustpan: Deblur, Edge sharpen": lambda blur: dustpan("deblur edge-sharpen"),
}


def edge_table(contrasts: Sequence[float], noises: Sequence[int]) -> str:
    rows = [[name, *edge_scores(method, contrasts, noises)] for name, method in EDGE_METHODS.items()]
    head = ["method", "MTF50 gain", "least", "highest MTF50", "halo, mean %", "halo, max %", "flat noise of 255"]
    return table(head, rows)


# ---------------------------------------------------------------- photographs


def halo_excess(result: NDArray, truth: NDArray) -> float:
    """Mean excursion beyond the original's 7 x 7 range where that range is over 0.25, in percent of full scale."""
    y, t = luma(result), luma(truth)
    low, high = ndi.minimum_filter(t, 7), ndi.maximum_filter(t, 7)
    strong = high - low > 0.25
    return float(100 * np.maximum(np.maximum(y - high, low - y), 0)[strong].mean())


def texture(result: NDArray, truth: NDArray) -> float:
    """How much of the truth's band of 2 to 8 px the result has, in percent."""
    t, y = (luma(p) - ndi.uniform_filter(luma(p), 9) for p in (truth, result))
    return float(100 * (t * y).sum() / (t * t).sum())


def blurred(names: Sequence[str]) -> Iterator[tuple[str, NDArray, NDArray, NDArray[np.float32]]]:
    """Name of the blur, its shape, a sharp photograph, and what is seen of it."""
    for name in names:
        sharp = photograph(name)
        for blur, shape in SHAPES.items():
            soft = np.stack([ndi.convolve(sharp[..., c], shape, mode="reflect") for c in range(3)], -1)
            noise = np.random.default_rng(sum(map(ord, name))).normal(0, 3 / 255, soft.shape)
            yield blur, shape, sharp, np.clip(soft + noise, 0, 1).astype(np.float32)


def texture_table(names: Sequence[str]) -> str:
    """Gains over what was given, of luma, by blur."""
    ways: dict[str, Callable[[NDArray], list[Sharpen]]] = {
        "OpenCV unsharp, best of a grid": lambda s: [unsharp(r, a) for r in (0.8, 1.2, 2) for a in (0.3, 0.6, 1)],
        "scikit-image Richardson-Lucy, true blur, best of 3 to 16": lambda s: [
            richardson_lucy(s, n) for n in (3, 6, 10, 16)
        ],
        "scikit-image unsupervised Wiener, true blur": lambda s: [wiener(s)],
        **{f"high pass, 2 px, {b}": partial(lambda b, s: [high_pass(2, b)], b) for b in BLENDS},
        "Dustpan: Edge sharpen": lambda s: [dustpan("edge-sharpen")],
        "Dustpan: Fine detail": lambda s: [dustpan("fine-detail")],
        "Dustpan: Deblur": lambda s: [dustpan("deblur")],
        "Dustpan: Deblur, Edge sharpen": lambda s: [dustpan("deblur edge-sharpen")],
    }
    pairs = list(blurred(names))
    rows = []
    for label, make in ways.items():
        gains: dict[str, list[float]] = {blur: [] for blur in SHAPES}
        besides = []
        for blur, shape, sharp, given in pairs:
            truth, before = luma(sharp), psnr(luma(given), luma(sharp))
            results = [method(given) for method in make(shape)]
            best = max(results, key=lambda r: psnr(luma(r), truth))
            gains[blur].append(psnr(luma(best), truth) - before)
            besides.append([halo_excess(best, sharp), texture(best, sharp)])
        every = [g for of in gains.values() for g in of]
        means = [float(np.mean(of)) for of in gains.values()]
        rows.append([label, *means, float(np.mean(every)), min(every), *np.mean(besides, 0)])
    given_texture = float(np.mean([texture(given, sharp) for _, _, sharp, given in pairs]))
    head = ["method", *SHAPES, "mean, dB", "worst, dB", "halo excess %", f"texture % (given {given_texture:.0f})"]
    return table(head, rows)


def blur_table(names: Sequence[str]) -> str:
    """The blur that is found, with the photograph's own taken into account nowhere."""
    rows = []
    for blur, shape in SHAPES.items():
        at = np.arange(-8, 9)
        across, down = (shape.sum(0) * at**2).sum(), (shape.sum(1) * at**2).sum()
        off, sure, turns = [], [], []
        for name, _, _, given in blurred(names):
            if name != blur:
                continue
            with Renderer(from_array(given)) as renderer:
                found = renderer.fact(BLUR, Sweep())
            off.append(found.axes[0] / np.sqrt(max(across, down)) - 1)
            sure.append(100 * found.sure)
            turns.append(abs((found.axes[2] + 90) % 180 - 90))
        direction = f"{np.median(turns):.0f}" if across > 2 * down else "–"
        within = 100 * np.mean(np.abs(off) < 0.2)
        rows.append([blur, 100 * float(np.median(np.abs(off))), within, direction, float(np.median(sure))])
    return table(["blur", "median error, %", "within 20 %", "direction off, °", "sure, %"], rows)


# ---------------------------------------------------------------- lines and worms


def line_picture(width: float, angle: float, dark: bool) -> tuple[NDArray[np.float32], NDArray, float]:
    """A line on a plateau through a lens of 0.7 px, the distance of each pixel from its middle, and its contrast."""
    y, x = np.mgrid[:160, :160] - 79.5
    turn = np.radians(angle)
    distance = x * np.sin(turn) + y * np.cos(turn)
    line = np.clip(width / 2 + 0.5 - np.abs(distance), 0, 1)
    plane = 0.7 - 0.4 * line if dark else 0.25 + 0.4 * line
    seen = ndi.gaussian_filter(plane, 0.7) + np.random.default_rng(int(angle)).normal(0, 1 / 255, plane.shape)
    return np.repeat(seen.astype(np.float32)[..., None], 3, 2), distance, -0.4 if dark else 0.4


def line_table() -> str:
    """Rims beside lines in percent of their contrast; how much wider they became, and how much ink they have."""
    methods = {
        "OpenCV unsharp, radius 1.2, amount 1": unsharp(1.2, 1),
        "scikit-image Richardson-Lucy 10": richardson_lucy(gaussian(0.7), 10),
        "high pass, 2 px, linear light": high_pass(2, "linear-light"),
        "Dustpan: Edge sharpen": dustpan("edge-sharpen"),
        "Dustpan: Fine detail": dustpan("fine-detail"),
        "Dustpan: Deblur": dustpan("deblur"),
        "Dustpan: Deblur, Edge sharpen": dustpan("deblur edge-sharpen"),
    }
    rows = []
    for label, method in methods.items():
        rims, widths, inks = [], [], []
        for width in (1.0, 1.5, 2.0, 3.0):
            for angle in (3, 31, 62):
                for dark in (True, False):
                    given, distance, contrast = line_picture(width, angle, dark)
                    before, after = (_profile(p, distance) / contrast for p in (given, method(given)))
                    rims.append(100 * max(0.0, -float(after.min())))
                    widths.append(float((after > after.max() / 2).sum() / (before > before.max() / 2).sum()))
                    inks.append(100 * (after.sum() / before.sum() - 1))
        rows.append([label, np.mean(rims), max(rims), max(widths), np.mean(inks), max(map(abs, inks))])
    return table(["method", "rims, mean %", "worst %", "widest, ×", "ink, mean %", "most off %"], rows)


def _profile(pixels: NDArray, distance: NDArray) -> NDArray[np.float64]:
    """Across a line in steps of a quarter px, over its surroundings."""
    plane = luma(pixels)[24:-24, 24:-24].ravel()
    at = np.round(4 * distance[24:-24, 24:-24].ravel()).astype(int)
    near = np.abs(at) <= 32
    sums = np.bincount(at[near] + 32, plane[near], 65)
    return sums / np.bincount(at[near] + 32, minlength=65) - float(np.median(plane[np.abs(at) > 40]))


def worm_table() -> str:
    """Flat parts with the correlated noise of a high-ISO JPEG: its strength afterwards, and how far it is strings."""
    level = np.full((256, 256, 3), 0.35)
    noisy = level + np.random.default_rng(2).normal(0, 12 / 255, level.shape)
    given = jpeg(np.clip(ndi.gaussian_filter(noisy, (0.7, 0.7, 0)), 0, 1), 92).astype(np.float32)
    methods = {
        "OpenCV unsharp, radius 1.2, amount 1": unsharp(1.2, 1),
        "oriented smoothing (a Gaussian of 0.5 by 3 px)": lambda x: ndi.gaussian_filter(x, (0.5, 3, 0)),
        "high pass, 2 px, linear light": high_pass(2, "linear-light"),
        **{
            f"Dustpan: {name}": dustpan(steps)
            for name, steps in {
                "Edge sharpen": "edge-sharpen", "Fine detail": "fine-detail", "Local contrast": "local-contrast",
                "Deblur": "deblur", "Deblur, Edge sharpen, Fine detail": "deblur edge-sharpen fine-detail",
                "Noise, Edge sharpen, Fine detail": "noise edge-sharpen fine-detail",
            }.items()
        },
    }  # fmt: skip
    before = _flat(given)
    rows = []
    for label, method in methods.items():
        after = _flat(method(given))
        rows.append([label, float(after.std() / before.std()), coherence(after) - coherence(before)])
    return table(["method", "strength, ×", "strings, +"], rows)


def _flat(pixels: NDArray) -> NDArray[np.float64]:
    plane = np.asarray(luma(pixels), float)
    return np.stack(
        [plane[y : y + 64, x : x + 64] - plane.mean() for y in (0, 64, 128, 192) for x in (0, 64, 128, 192)]
    )


CROPS = {"shell": (210, 300), "rib": (330, 520)}  # upper left, of 150 px


def crops() -> str:
    """Strips at 200 % from Tidewrack's shell drawer, taken by hand: what was seen, two rivals, Dustpan, truth."""
    ensure_demo_data(demo_folder(), print)
    seen = open_picture(demo_folder() / "shell-drawer-moved.tif").pixels
    truth = open_picture(demo_folder() / "truth" / "shell-drawer-truth.tif").pixels
    spot = np.zeros((17, 17, 1))
    spot[8, 8] = 1
    shape = hand_held(spot)[..., 0]
    parts = {
        "seen": seen, "unsharp, 2 px, 1": unsharp(2, 1)(seen),
        "Richardson-Lucy, true path": richardson_lucy(shape, 8)(seen),
        "Dustpan, blind": dustpan("noise deblur edge-sharpen")(seen), "truth": truth,
    }  # fmt: skip
    said = []
    for name, (y, x) in CROPS.items():
        strip = Image.new("RGB", (len(parts) * 304 - 4, 316), "white")
        for k, (label, pixels) in enumerate(parts.items()):
            values = np.clip(1.2 * pixels[y : y + 150, x : x + 150], 0, 1)
            shown = Image.fromarray(np.round(values * 255).astype(np.uint8)).resize(
                (300, 300), Image.Resampling.NEAREST
            )
            strip.paste(shown, (k * 304, 16))
            ImageDraw.Draw(strip).text((k * 304 + 2, 2), label, fill="black")
        print(keep_small(strip, ROOT / "docs" / "crops" / f"moved-{name}.png"))
        said.append(f"![{', '.join(parts)}](crops/moved-{name}.png)")
    gains = {k: psnr(luma(v), luma(truth)) for k, v in parts.items() if k != "truth"}
    figures = "; ".join(f"{k} {v:.2f} dB" for k, v in gains.items())
    return f"Luma of the whole picture: {figures}.\n\n" + "\n\n".join(said)


def main() -> None:
    options = arguments(__doc__)
    names = (*FOUR, *OTHERS)
    parts = [
        "Edges of contrast 0.5 and 0.8, blur 0.8 to 2.0 px, noise 0 and 2 of 255:\n\n" + edge_table((0.5, 0.8), (0, 2)),
        "All edges, contrast 0.2 to 0.8 and noise 0 to 5 of 255:\n\n" + edge_table(CONTRASTS, NOISES),
        f"{len(names)} photographs, blurred in five ways, with noise of 3/255; gain in dB of luma:\n\n"
        + texture_table(names),
        "The blur that is found in them:\n\n" + blur_table(names),
        "Lines of 1 to 3 px, dark and bright, through a lens of 0.7 px:\n\n" + line_table(),
        "Flat parts with correlated noise:\n\n" + worm_table(),
        "A picture of Tidewrack that was moved by 6 px while it was taken, at 200 %:\n\n" + crops(),
    ]
    publish("sharpen", "Sharpening", "\n\n".join(parts), options.write)


if __name__ == "__main__":
    main()
