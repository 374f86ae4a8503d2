"""What repairs find and take out, against plain library methods, on made truth.

Star fields with single, paired and clustered defects; photographs with rows under a veil of light; photographs stored
as JPEG. Everything goes through files and the steps at their default parameters, as somebody would do it.
"""

from __future__ import annotations

import io
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from astropy.io import fits
from numpy.typing import NDArray
from PIL import Image
from scipy import ndimage as ndi

from benchmarks.common import FOUR, OTHERS, arguments, photograph, psnr, publish, table
from dustpan.core.colour import decode, encode, luma
from dustpan.core.curve import SRGB
from dustpan.core.files import open_picture
from dustpan.core.jobs.find import find_in
from dustpan.core.picture import Depth, Kind, Picture, Sensor, from_array
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


def flux_changed(folder: Path) -> str:
    """How much light of stars is lost to repairs, in fields of nothing else and beside defects."""
    rows = []
    for fwhm in (1.6, 2.2, 3.0, 4.0):
        field = star_field(fwhm, 0.0005)
        picture = opened(field.values, folder)
        with Renderer(picture) as r:
            pixels = r.render(Sweep((make_step("hot-pixels"),)))
        assert picture.scale is not None
        after = picture.scale.given_back(pixels[..., 0], picture.curve).astype(float)
        plain = np.where(median_test(field.values), cv2.medianBlur(field.values, 3), field.values).astype(float)
        before, own = field.values.astype(float), np.zeros(field.values.shape, bool)
        for at in field.defects.values():
            own[tuple(at.T)] = True
        near = ndi.binary_dilation(own, iterations=int(3 * fwhm) + 2)
        alone = [(y, x) for y, x in field.stars if not near[y, x]]
        row: list = [fwhm, len(alone)]
        for result in (after, plain):
            changes = [_flux_changed(before, result, y, x, 2 * fwhm) for y, x in alone]
            row += [float(np.mean(changes)), max(changes)]
        rows.append(row)
    head = ["fwhm, px", "stars", "flux changed, % (mean)", "worst", "median of 9: mean", "worst"]
    return table(head, rows)


def _flux_changed(before: NDArray, after: NDArray, y: int, x: int, radius: float) -> float:
    n = int(np.ceil(radius))
    disc = np.hypot(*np.mgrid[-n : n + 1, -n : n + 1]) <= radius
    part = np.s_[y - n : y + n + 1, x - n : x + n + 1]
    light = float(((before[part] - 300) * disc).sum())
    change = abs(float(((after[part] - before[part]) * disc).sum()))
    return 100 * change / max(light, 5 * READ * disc.sum() ** 0.5)


MATRIX = np.array([[1.7, -0.55, -0.15], [-0.25, 1.6, -0.35], [0.05, -0.55, 1.5]])  # of a made camera
RGGB = np.array([[0, 1], [1, 2]])


def _sites(height: int, width: int) -> NDArray:
    return RGGB[np.arange(height)[:, None] % 2, np.arange(width) % 2]


def _starry(fwhm: float, rng: np.random.Generator) -> NDArray:
    """(h, w, 3) counts of a sky with coloured stars."""
    light = np.zeros((SIDE, SIDE, 3))
    for y, x in rng.integers(20, SIDE - 20, (STARS, 2)):
        light[y, x] = 10 ** rng.uniform(2, 6) * rng.uniform(0.5, 1.3, 3)
    return np.asarray(ndi.gaussian_filter(light, (fwhm / 2.3548, fwhm / 2.3548, 0)) + 300)


def _with_defects(light: NDArray, share: float, rng: np.random.Generator) -> Field:
    """Samples of a sensor under this light; defects as in `star_field`, neighbours being of the same colour."""
    h, w = light.shape[:2]
    own = np.take_along_axis(light, _sites(h, w)[..., None], 2)[..., 0]
    hot, found = np.zeros((h, w)), {}
    for sort, part in (("single", 0.7), ("pair", 0.2), ("cluster", 0.1)):
        wanted = int(share * h * w * part)
        at = np.column_stack([rng.integers(6, n - 6, wanted) for n in (h, w)])
        for y, x in at:
            strength = np.sqrt(own[y, x] + 36) * 10 ** rng.uniform(0.95, 3)
            for dy, dx in MADE[sort]:
                hot[y + dy, x + dx] = strength * rng.uniform(0.8, 1.2)
        found[sort] = np.array([(y + dy, x + dx) for y, x in at for dy, dx in MADE[sort]], int).reshape(-1, 2)
    values = rng.poisson(own + hot) + rng.normal(0, 6, own.shape)
    return Field(np.clip(np.rint(values), 0, 65535).astype(np.uint16), found, np.zeros((0, 2), int))


def _as_sensor(values: NDArray) -> Picture:
    light = (values.astype(np.float32) / 65535)[..., None]
    return Picture(
        np.asarray(SRGB.encode(light), np.float32), Kind.MOSAIC, Depth.SIXTEEN,
        sensor=Sensor(((0, 1), (1, 2)), ("red", "green", "blue")),
    )  # fmt: skip


def _as_colours(values: NDArray, by_edges: bool) -> Picture:
    """Demosaiced by a general library, through a camera's matrix, 16 bit."""
    code = cv2.COLOR_BayerBGGR2RGB_EA if by_edges else cv2.COLOR_BayerBGGR2RGB
    light = cv2.cvtColor(values, code)[..., ::-1].astype(float) / 65535 @ MATRIX.T
    encoded = np.rint(np.clip(SRGB.encode(np.clip(light, 0, 1)), 0, 1) * 65535) / 65535
    return from_array(encoded.astype(np.float32))


def on_sensors(folder: Path) -> str:
    """Recall and precision where each sample is of one colour, before and after demosaicing."""
    finder = finder_of(step_kind("hot-pixels"))
    assert finder is not None
    rng = np.random.default_rng(11)
    scenes = {f"stars, fwhm {f:g}": [_starry(f, rng)] for f in (1.6, 2.2, 3.0)}
    night = [0.02 * decode(photograph(n)) for n in ("astronaut", "coffee", "chelsea")]
    scenes["photographs, 4 EV darker"] = [12000 * n[: n.shape[0] // 2 * 2, : n.shape[1] // 2 * 2] + 60 for n in night]
    grey = [decode(photograph(n)) for n in ("brick", "gravel", "grass")]
    scenes["textures"] = [4000 * np.broadcast_to(g[..., :1], (*g.shape[:2], 3)) + 60 for g in grey]
    rows = []
    for name, lights in scenes.items():
        for way, make in (
            ("samples", _as_sensor), ("demosaiced, linear", lambda v: _as_colours(v, False)),
            ("demosaiced, by edges", lambda v: _as_colours(v, True)),
        ):  # fmt: skip
            found = []
            for light in lights:
                field = _with_defects(light, 0.0005, np.random.default_rng(5))
                with Renderer(make(field.values)) as r:
                    at = np.rint(find_in(r, finder).at).astype(int)
                hit = np.zeros(field.values.shape, bool)
                hit[tuple(at.T)] = True
                found.append(scores(hit, field))
            means = [[v for v in column if v is not None] for column in zip(*found, strict=True)]
            rows.append([name, way, *(float(np.mean(m)) if m else None for m in means)])
    return table(["scene", "as", "single", "pair", "cluster", "precision"], rows)


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


def _cut(pixels: NDArray) -> NDArray:
    return np.ascontiguousarray(pixels[5:-3, 3:-5])


def _smaller(pixels: NDArray) -> NDArray:
    h, w = pixels.shape[:2]
    small = cv2.resize(pixels.astype(np.float32), (w * 3 // 4, h * 3 // 4), interpolation=cv2.INTER_AREA)
    return np.asarray(np.rint(small * 255) / 255)


def without_tables(folder: Path) -> str:
    """JPEGs whose tables are gone."""
    ways: dict[str, tuple[Callable[[NDArray], NDArray], int | None]] = {
        "stored again without loss": (lambda a: a, None), "cut": (_cut, None), "stored again, q 90": (lambda a: a, 90),
        "stored again, q 75": (lambda a: a, 75), "cut, stored again, q 90": (_cut, 90),
        "three quarters of the size": (_smaller, None),
    }  # fmt: skip
    rows = []
    for name, (change, again) in ways.items():
        for quality in (20, 50):
            found = []
            for photo in FOUR:
                truth = np.rint(photograph(photo)[:320, :448] * 255) / 255
                once, clean = change(compressed(truth, quality, folder).pixels), change(truth)
                picture = compressed(once, again, folder) if again else from_array(once.astype(np.float32))
                with Renderer(picture) as r:
                    result = r.render(Sweep((make_step("compression-marks"),)))
                gains = psnr(luma(result), luma(clean)) - psnr(luma(picture.pixels), luma(clean))
                found.append((gains, psnr(result, clean) - psnr(picture.pixels, clean)))
            bright, rgb = (np.array(v) for v in zip(*found, strict=True))
            rows.append([name, quality, float(bright.mean()), float(bright.min()), float(rgb.mean())])
    return table(["what was done", "first quality", "brightness, dB", "worst photograph", "RGB, dB"], rows)


def lamps() -> str:
    """Bands of lamps on photographs: how often they are proven, and what is gained then."""
    rows = []
    for by_colour in ((0.05, 0.06, 0.09), (0.10, 0.13, 0.18), (0.12, 0.12, 0.12)):
        proven, ours, plain = 0, [], []
        cases = [(n, b) for n in (*FOUR, *OTHERS) for b in (2.6, 3.3, 5.2, 7.7)]
        for name, bands in cases:
            scene = photograph(name)
            y = (np.arange(len(scene)) + 0.5) / len(scene)
            gain = np.stack([1 + a * np.cos(2 * np.pi * bands * y + 1) for a in by_colour], -1)[:, None]
            lit = np.rint(np.clip(encode(decode(scene) * gain), 0, 1) * 255).astype(np.float32) / 255
            with Renderer(from_array(lit)) as r:
                result = r.render(Sweep((make_step("stripes"),)))
            if not np.array_equal(result, lit):
                proven += 1
                ours.append(psnr(result, scene) - psnr(lit, scene))
            means = luma(lit).mean(1)
            even = lit * (means.mean() / np.maximum(means, 1e-3))[:, None, None]
            plain.append(psnr(np.clip(even, 0, 1), scene) - psnr(lit, scene))
        said = " / ".join(f"{100 * a:.0f}" for a in by_colour)
        rows.append(
            [said, f"{proven} of {len(cases)}", float(np.mean(ours)) if ours else None, min(ours, default=None)]
        )
        rows[-1] += [float(np.mean(plain)), min(plain)]
    head = ["red / green / blue, %", "proven", "gain there, dB", "worst", "rows made alike: dB", "worst"]
    return table(head, rows)


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
            "Light of stars that a repair changes, beyond three widths of any defect:",
            flux_changed(folder),
            "Where each sample is of one colour, 0.05 % of defects, neighbours being those of a sensor; a general "
            "library demosaics, and a camera's matrix follows:",
            on_sensors(folder),
            "Rows as focus pixels write them, fading to the right, on eight photographs; projection on what was added:",
            stripes(),
            "Bands of lamps, four frequencies on eight photographs; one of all colours can hardly be proven:",
            lamps(),
            "Gain over the decoded JPEG on four photographs; the bilateral filter got the best of four strengths "
            "picture by picture, by the truth:",
            marks(folder),
            "The same where the tables are gone or are not the first ones:",
            without_tables(folder),
            times(folder),
        ]
    publish("defects", "Repairs", "\n\n".join(parts), options.write)


if __name__ == "__main__":
    main()
