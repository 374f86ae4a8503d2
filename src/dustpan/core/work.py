"""Whole jobs that the command line and the window share, so that both write the same bytes and say the same figures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import fields
from itertools import zip_longest
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from dustpan.core.cache import Cancel
from dustpan.core.errors import FileProblem
from dustpan.core.files import ExportOptions, save_picture
from dustpan.core.language import say
from dustpan.core.noise.measure import SMALLEST
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.noise.octaves import with_octaves
from dustpan.core.picture import Picture
from dustpan.core.region import Region
from dustpan.core.render import Progress, Renderer
from dustpan.core.step import Fact
from dustpan.core.sweep import Sweep, make_step
from dustpan.core.tiling import TILE
from dustpan.core.verdict import Verdict, judge
from dustpan.core.worst import FigureName, Places, worst_places

WHOLE_UP_TO = 3_000_000  # px: larger pictures are judged on windows
WINDOW_TILES = 6
WINDOWS = 5


def noise_print(renderer: Renderer, cancel: Cancel | None = None) -> NoisePrint:
    """The print of a renderer's source picture."""
    found: NoisePrint = renderer.fact(Fact.NOISE_PRINT, Sweep(), cancel=cancel)
    return found


def full_print(renderer: Renderer, cancel: Cancel | None = None) -> NoisePrint:
    """The same with the noise of each octave, for people to read."""
    cancel = cancel or Cancel()
    return with_octaves(noise_print(renderer, cancel), renderer.picture.pixels, cancel.check)


def export(
    renderer: Renderer,
    sweep: Sweep,
    path: Path,
    options: ExportOptions | None = None,
    cancel: Cancel | None = None,
    progress: Progress | None = None,
    replace_source: bool = False,
) -> Picture:
    """Render the whole picture and write it.

    Raises
    ------
    FileProblem : also when ``path`` is the picture's own file and ``replace_source`` is false.
    """
    picture = renderer.picture
    if not replace_source and picture.source.path and same_file(picture.source.path, path):
        raise FileProblem(path, "it is the picture itself; choose another name or allow replacing it (--in-place)")
    pixels = renderer.render(sweep, None, cancel, progress)
    if cancel:
        cancel.check()
    result = picture.with_pixels(pixels)
    save_picture(result, path, options, cancel.check if cancel else None)
    return result


def same_file(a: Path, b: Path) -> bool:
    try:
        return a.exists() and b.exists() and a.samefile(b)
    except OSError:
        return False


def windows(size: tuple[int, int]) -> list[Region]:
    """Where a picture is judged: all of it, or windows spread over its diagonal and its corners."""
    h, w = size
    if h * w <= WHOLE_UP_TO:
        return [Region(0, 0, h, w)]
    side = WINDOW_TILES * TILE
    places = [(0.5, 0.5), (0.15, 0.15), (0.85, 0.85), (0.15, 0.85), (0.85, 0.15)][:WINDOWS]
    found = []
    for fy, fx in places:
        y = int(max(0, min(h - side, fy * h - side / 2))) // TILE * TILE
        x = int(max(0, min(w - side, fx * w - side / 2))) // TILE * TILE
        found.append(Region(y, x, y + side, x + side).within(size))
    return found


def judge_sweep(renderer: Renderer, sweep: Sweep, cancel: Cancel | None = None) -> Verdict:
    """The verdict of a sweep on its picture, on exact pixels."""
    cancel = cancel or Cancel()
    noise = noise_print(renderer, cancel)
    cleaned = Sweep((make_step("noise"),))
    found = []
    for region in windows(renderer.size):
        before = renderer.picture.pixels[region.slices()]
        after, calm = (renderer.render(s, region, cancel) for s in (sweep, cleaned))
        found.append(judge(before, after, calm, noise, cancel.check))
    return combined(found)


def worst(renderer: Renderer, sweep: Sweep, figure: FigureName, cancel: Cancel | None = None) -> Places:
    """The worst places (y, x) of a sweep's result for a figure, on the windows that the verdict is measured on."""
    cancel = cancel or Cancel()
    noise = noise_print(renderer, cancel)
    found = []
    for region in windows(renderer.size):
        before = renderer.picture.pixels[region.slices()]
        after, calm = (renderer.render(s, region, cancel) for s in (sweep, Sweep((make_step("noise"),))))
        found.append([(y + region.y0, x + region.x0) for y, x in worst_places(figure, before, after, calm, noise)])
    return [place for rank in zip_longest(*found) for place in rank if place]


def judge_files(before: Picture, after: Picture, threads: int | None = None) -> Verdict:
    """The verdict of one picture against another of the same size and kind."""
    if before.pixels.shape != after.pixels.shape:
        path = after.source.path or Path("the result")
        h, w = before.size
        why = "it does not have the size and kind of the input ({0} × {1} px, {2})"
        raise FileProblem(path, why, w, h, say(before.kind.value))
    found = []
    with Renderer(before, threads) as renderer:
        noise = noise_print(renderer)
        cleaned = Sweep((make_step("noise"),))
        for region in windows(before.size):
            calm = renderer.render(cleaned, region)
            found.append(judge(before.pixels[region.slices()], after.pixels[region.slices()], calm, noise))
    return combined(found)


def combined(verdicts: Sequence[Verdict]) -> Verdict:
    """The median of each figure over the windows in which it could be measured."""
    if len(verdicts) == 1:
        return verdicts[0]
    values = {}
    for f in fields(Verdict):
        known = [v for v in (getattr(x, f.name) for x in verdicts) if v is not None]
        values[f.name] = float(np.median(known)) if known else None
    return Verdict(**values)


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
    from scipy import ndimage as ndi

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


def warm_up() -> None:
    """Compile (or load) every kernel by running every step on small pictures, whole and in part."""
    from dustpan.core.colour import encode
    from dustpan.core.colour_profile import wide_gamut_profile
    from dustpan.core.picture import from_array
    from dustpan.core.screen import halved, packed, reduced
    from dustpan.core.step import step_kinds
    from dustpan.core.sweep import Step

    rng = np.random.default_rng(1)
    side = 3 * SMALLEST
    light = np.geomspace(0.001, 0.4, side)[:, None]  # dark enough that noise is clipped
    part = Region(SMALLEST, SMALLEST, side - 8, side - 8)
    sweeps = [Sweep((Step(kind, kind.params()),)) for kind in step_kinds()]
    for values in ({"give_back": 50}, {"quality": "quick"}, {"blotches": 8}):
        sweeps.append(Sweep((make_step("noise", values),)))
    for channels in (1, 3):
        noise = np.sqrt(0.002 * light + 1e-5)[..., None] * rng.standard_normal((side, side, channels))
        noisy = encode(np.clip(light[..., None] + noise, 0, 1)).astype(np.float32)
        with Renderer(from_array(noisy), threads=1) as renderer:
            for sweep in sweeps:
                renderer.at_once(sweep, part)
            for sweep in sweeps:
                renderer.render(sweep)
            pixels = renderer.picture.pixels
    for icc in (None, wide_gamut_profile()):
        for seen in (pixels, pixels[part.slices()], np.array(pixels)):
            reduced(seen, 2)
            halved(packed(seen, icc))
