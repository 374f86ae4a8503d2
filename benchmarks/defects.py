"""What repairs find and take out, against plain library methods, on made truth.

Star fields with single, paired and clustered defects; photographs with rows under a veil of light; photographs stored
as JPEG. Everything goes through files and the steps at their default parameters, as somebody would do it.
"""

from __future__ import annotations

import io
import tempfile
import time
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from astropy.io import fits
from numpy.typing import NDArray
from PIL import Image
from scipy import ndimage as ndi

from benchmarks.common import FOUR, OTHERS, arguments, photograph, psnr, publish, table
from dustpan.core.colour import luma
from dustpan.core.files import open_picture
from dustpan.core.jobs.find import find_in
from dustpan.core.picture import Picture, from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.steps import finder_of, step_kind
from dustpan.core.sweep import Sweep, make_step

SIDE, STARS, READ = 600, 300, 18.3  # px, how many, counts of the noise of the sky
MADE = {"single": ((0, 0),), "pair": ((0, 0), (0, 1)), "cluster": ((0, 0), (0, 1), (1, 0))}


class Field(NamedTuple):
    """A star field: counts, the places of defects by sort, and the stars."""

    values: NDArray[np.uint16]
    defects: dict[str, NDArray]
    stars: NDArray


def star_field(fwhm: float, share: float) -> Field:
    rng = np.random.default_rng(int(fwhm * 10))
    light, stars = np.zeros((SIDE, SIDE)), rng.integers(20, SIDE - 20, (STARS, 2))
    light[tuple(stars.T)] = 10 ** rng.uniform(2, 6, STARS)
    light = ndi.gaussian_filter(light, fwhm / 2.3548) + 300
    hot, wanted, found = np.zeros_like(light), int(share * SIDE * SIDE), dict[str, NDArray]()
    for sort, part in (("single", 0.7), ("pair", 0.2), ("cluster", 0.1)):
        at = rng.integers(4, SIDE - 4, (int(wanted * part), 2))
        for y, x in at:
            strength = READ * 10 ** rng.uniform(0.95, 3.5)
            for dy, dx in MADE[sort]:
                hot[y + dy, x + dx] = strength * rng.uniform(0.8, 1.2)
        found[sort] = np.array([(y + dy, x + dx) for y, x in at for dy, dx in MADE[sort]], int).reshape(-1, 2)
    values = rng.poisson(light + hot) + rng.normal(0, 6, light.shape)
    return Field(np.clip(np.rint(values), 0, 65535).astype(np.uint16), found, stars)


def opened(values: NDArray, folder: Path) -> Picture:
    path = folder / "frame.fits"
    fits.PrimaryHDU(values).writeto(path, overwrite=True)
    return open_picture(path)


def median_test(values: NDArray) -> NDArray[np.bool_]:
    """What stands out from the median of nine by six sigma, as is done by hand."""
    off = values.astype(np.float32) - cv2.medianBlur(values.astype(np.float32), 3)
    return np.asarray(np.abs(off) > 6 * 1.4826 * np.median(np.abs(off)))


def scores(hit: NDArray[np.bool_], field: Field) -> list[float | None]:
    """Recall of the three sorts, and precision."""
    known = np.zeros_like(hit)
    for at in field.defects.values():
        known[tuple(at.T)] = True
    recall = [float(hit[tuple(at.T)].mean()) if len(at) else None for at in field.defects.values()]
    return [*recall, float((hit & known).sum() / hit.sum()) if hit.any() else None]


def hot_pixels(folder: Path) -> str:
    rows = []
    finder = finder_of(step_kind("hot-pixels"))
    assert finder is not None
    for fwhm in (1.6, 2.2, 3.0, 4.0):
        for share in (0, 0.0005, 0.005):
            field = star_field(fwhm, share)
            with Renderer(opened(field.values, folder)) as r:
                at = np.rint(find_in(r, finder).at).astype(int)
            hit = np.zeros(field.values.shape, bool)
            hit[tuple(at.T)] = True
            plain = median_test(field.values)
            known = {tuple(p) for places in field.defects.values() for p in places}
            wrong = sum(tuple(p) not in known for p in at)
            rows.append([fwhm, f"{share:.2%}", *scores(hit, field), wrong, *scores(plain, field)[::3]])
    head = ["fwhm, px", "defects", "single", "pair", "cluster", "precision", "wrong hits", "median of 9: single"]
    return table([*head, "precision"], rows)


def rows_under_a_veil(height: int, width: int, strength: float) -> NDArray:
    """As focus pixels write them: a pattern of twelve rows, strongest on the left."""
    pattern = np.isin(np.arange(height) % 12, (0, 1, 5)).astype(float)
    pattern = (pattern - pattern.mean()) / pattern.std()
    return strength / 255 * pattern[:, None] * np.linspace(1, 0, width)


def _left(result: NDArray, clean: NDArray, added: NDArray) -> float:
    """dB that are left out of what was added."""
    share = abs(float(((luma(result) - luma(clean)) * added).sum() / (added * added).sum()))
    return float(-20 * np.log10(max(share, 1e-3)))


def stripes() -> str:
    rows = []
    for strength in (1.0, 2.0, 4.0):
        ours, plain = [], []
        for name in (*FOUR, *OTHERS):
            clean = 0.05 + 0.9 * photograph(name)
            added = rows_under_a_veil(*clean.shape[:2], strength)
            striped = np.rint((clean + added[..., None]) * 65535) / 65535
            with Renderer(from_array(striped.astype(np.float32))) as r:
                ours.append(_left(r.render(Sweep((make_step("stripes"),))), clean, added))
            means = luma(striped).mean(1)
            by = means - ndi.gaussian_filter1d(means, 8)
            plain.append(_left(striped - by[:, None, None], clean, added))
        rows.append([strength, float(np.mean(ours)), min(ours), float(np.mean(plain)), min(plain)])
    touched = 0
    names = (*FOUR, *OTHERS)
    for name in names:
        picture = from_array(photograph(name).astype(np.float32))
        with Renderer(picture) as r:
            touched += not np.array_equal(r.render(Sweep((make_step("stripes"),))), picture.pixels)
    head = ["rows of, of 255", "dB less", "worst", "row means taken off: dB less", "worst"]
    return f"{table(head, rows)}\n\nClean photographs touched: {touched} of {len(names)}."


def compressed(pixels: NDArray, quality: int, folder: Path) -> Picture:
    path = folder / "stored.jpg"
    held = io.BytesIO()
    Image.fromarray(np.rint(pixels * 255).astype(np.uint8)).save(held, "JPEG", quality=quality)
    path.write_bytes(held.getvalue())
    return open_picture(path)


def _bilateral(pixels: NDArray, truth: NDArray) -> tuple[float, float]:
    """Gains of the best of several strengths, told the truth."""
    best, before = (-9.0, -9.0), (psnr(luma(pixels), luma(truth)), psnr(pixels, truth))
    for strength in (4, 8, 16, 32):
        result = cv2.bilateralFilter(pixels.astype(np.float32), 5, strength / 255, 2)
        best = max(best, (psnr(luma(result), luma(truth)) - before[0], psnr(result, truth) - before[1]))
    return best


def worst_part(before: NDArray, after: NDArray, truth: NDArray, side: int = 96) -> float:
    """The smallest gain of brightness of all parts of that size."""
    h, w = before.shape[:2]
    parts = [np.s_[y : y + side, x : x + side] for y in range(0, h - side, side) for x in range(0, w - side, side)]
    return min(psnr(luma(after[p]), luma(truth[p])) - psnr(luma(before[p]), luma(truth[p])) for p in parts)


def marks(folder: Path) -> str:
    rows = []
    for quality in (10, 20, 50, 75, 85, 92):
        found = []
        for name in FOUR:
            truth = np.rint(photograph(name)[:320, :448] * 255) / 255
            picture = compressed(truth, quality, folder)
            with Renderer(picture) as r:
                result = r.render(Sweep((make_step("compression-marks"),)))
            before = psnr(luma(picture.pixels), luma(truth)), psnr(picture.pixels, truth)
            ours = psnr(luma(result), luma(truth)) - before[0], psnr(result, truth) - before[1]
            found.append((*ours, worst_part(picture.pixels, result, truth), *_bilateral(picture.pixels, truth)))
        luma_gain, rgb, worst, plain, plain_rgb = (np.array(v) for v in zip(*found, strict=True))
        rows.append([quality, *(float(v) for v in (luma_gain.mean(), luma_gain.min(), rgb.mean(), worst.min()))])
        rows[-1] += [float(plain.mean()), float(plain_rgb.mean())]
    head = ["quality", "brightness, dB", "worst photograph", "RGB, dB", "worst part of 96 px"]
    return table([*head, "bilateral: brightness", "bilateral: RGB"], rows)


def times(folder: Path) -> str:
    """Seconds for a JPEG of four megapixels."""
    small = photograph("astronaut")
    pixels = np.tile(small, (4, 4, 1))[:2048, :2048]
    picture = compressed(pixels, 50, folder)
    began = time.perf_counter()
    cv2.fastNlMeansDenoisingColored(np.rint(picture.pixels * 255).astype(np.uint8)[..., ::-1].copy(), None, 5, 5, 7, 21)
    rival = time.perf_counter() - began
    rows: list[list] = [["NL-means, colour", rival, 1.0]]
    for id in ("hot-pixels", "stripes", "compression-marks"):
        source = picture if id == "compression-marks" else from_array(picture.pixels)
        with Renderer(source) as r:
            began = time.perf_counter()
            r.render(Sweep((make_step(id),)))
            own = time.perf_counter() - began
        rows.append([step_kind(id).name, own, own / rival])
    return table(["four megapixels", "s", "ratio"], rows)


def main() -> None:
    options = arguments(__doc__)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        parts = [
            f"Star fields of {SIDE} × {SIDE} px in FITS, {STARS} stars over five magnitudes of ten, defects from nine "
            "sigma up: seven tenths single, then pairs, then clusters of three. Recall by pixel.",
            hot_pixels(folder),
            "Rows as focus pixels write them, fading to the right, on eight photographs; projection on what was added:",
            stripes(),
            "Gain over the decoded JPEG on four photographs; the bilateral filter got the best of four strengths "
            "picture by picture, by the truth:",
            marks(folder),
            times(folder),
        ]
    publish("defects", "Repairs", "\n\n".join(parts), options.write)


if __name__ == "__main__":
    main()
