"""Crops at 200 % from the scenes of Tidewrack: noisy, Dustpan, the best library result, truth, side by side.

Dustpan is told nothing and given the whole picture, as somebody would open it; it is shown as it suggests, with the
lowest strengths that leave a fifth of the noise, and in full. The best library is the one with the highest PSNR on the
whole piece, each at its best setting of the grid of ``benchmarks/noise.py``.
"""

from __future__ import annotations

from functools import cache, partial

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw
from tools.small_png import keep_small

from benchmarks.common import ROOT, arguments, psnr, publish, table
from benchmarks.noise import METHODS
from dustpan.core.files import open_picture
from dustpan.core.judge.suggest import suggest
from dustpan.core.paths import demo_folder
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step
from dustpan.demo import ensure_demo_data

FOLDER = ROOT / "docs" / "crops"
PIECE, CROP = 480, 150  # px
PLACES = {  # file, truth, upper left of the piece, of the crop in it, what is seen there
    "rope": ("keepers-desk.tif", "keepers-desk", (430, 1150), (130, 100), "rope, 16-bit TIFF (as case B)"),
    "book": ("keepers-desk.tif", "keepers-desk", (620, 820), (150, 150), "handwriting, 16-bit TIFF (as case B)"),
    "compass": ("keepers-desk.jpg", "keepers-desk", (640, 240), (120, 110), "compass, JPEG (as case C)"),
    "shells": ("shell-drawer.jpg", "shell-drawer", (160, 360), (150, 150), "shells and felt, JPEG (as case C)"),
}


def _libraries() -> dict[str, list[partial]]:
    return {n: m for n, m in METHODS.items() if not n.startswith("Dustpan")}  # type: ignore[misc]


def _shown(pixels: NDArray, at: tuple[int, int]) -> Image.Image:
    """A crop at 200 %, one picture px as four, brightened by a stop so that shadows can be seen."""
    y, x = at
    values = np.clip(1.35 * pixels[y : y + CROP, x : x + CROP], 0, 1)
    return Image.fromarray(np.round(values * 255).astype(np.uint8)).resize(
        (2 * CROP, 2 * CROP), Image.Resampling.NEAREST
    )


@cache
def _by_dustpan(file: str) -> tuple[NDArray[np.float32], ...]:
    """A picture, cleaned as suggested, and in full."""
    with Renderer(open_picture(demo_folder() / file)) as renderer:
        suggested = renderer.render(suggest(renderer).sweep)
        return renderer.picture.pixels, suggested, renderer.render(Sweep((make_step("noise"),)))


def make(name: str) -> list[object]:
    """Write one strip of five crops; the row of the table that goes with it."""
    file, truth_name, (y, x), at, words = PLACES[name]
    area = np.s_[y : y + PIECE, x : x + PIECE]
    noisy, suggested, ours = (np.ascontiguousarray(p[area]) for p in _by_dustpan(file))
    truth = open_picture(demo_folder() / "truth" / f"{truth_name}-truth.tif").pixels[area]
    results = {n: max((f(noisy) for f in ways), key=lambda r: psnr(r, truth)) for n, ways in _libraries().items()}
    best = max(results, key=lambda n: psnr(results[n], truth))
    parts = (
        ("noisy", noisy),
        ("Dustpan, as suggested", suggested),
        ("Dustpan, in full", ours),
        (best, results[best]),
        ("truth", truth),
    )
    strip = Image.new("RGB", (len(parts) * (2 * CROP + 4) - 4, 2 * CROP + 16), "white")
    for k, (label, pixels) in enumerate(parts):
        strip.paste(_shown(pixels, at), (k * (2 * CROP + 4), 16))
        ImageDraw.Draw(strip).text((k * (2 * CROP + 4) + 2, 2), label, fill="black")
    FOLDER.mkdir(parents=True, exist_ok=True)
    print(keep_small(strip, FOLDER / f"{name}.png"))
    figures = [psnr(p, truth) for p in (noisy, suggested, ours)]
    return [words, *figures, f"{best}: {psnr(results[best], truth):.2f}"]


def main() -> None:
    options = arguments(__doc__)
    ensure_demo_data(demo_folder(), print)
    rows = [make(name) for name in PLACES]
    head = ["piece of 480 × 480 px", "noisy, dB", "as suggested, dB", "in full, dB", "best library, dB"]
    pictures = "\n\n".join(f"![{PLACES[n][4]}](crops/{n}.png)" for n in PLACES)
    text = "From left to right: noisy, Dustpan as suggested and in full, the best library, truth; brightened.\n\n"
    publish("crops", "Crops at 200 %", f"{text}{pictures}\n\n{table(head, rows)}", options.write)


if __name__ == "__main__":
    main()
