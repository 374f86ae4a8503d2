"""Made nights of exposures with known truth: aligned, cleaned and combined, against NumPy, astropy and astroalign.

astroalign is not among Dustpan's packages: ``pip install astroalign`` for its row (left out otherwise).
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory

import cv2
import numpy as np
from astropy.io import fits
from astropy.stats import sigma_clip
from numpy.typing import NDArray

from benchmarks.common import arguments, peak_megabytes, publish, table
from dustpan.core.frames.combining import combining_of
from dustpan.core.frames.motion import Motion, aligned
from dustpan.core.frames.sequence import Sequence, look
from dustpan.core.frames.spool import Spool
from dustpan.core.frames.stack import Aligned, stacked
from dustpan.demo.exposures import SKY, Night, Taken, about, motion_at, take
from dustpan.demo.frames import write_fits

NIGHTS = {
    "the demo's": Night(),
    "stars over five decades": Night(stars=32, brightest=9e7, seed=8),
    "drift of 90 px and 4°": Night(drift=(90.0, 20.0), turn=4.0, seed=5),
    "few stars, 0.5 % hot": Night(hot=0.005, stars=34, seed=9),
    "24 exposures": Night(count=24, hot=0.0015, seed=11),
}
LARGE = Night(
    size=(4000, 6000),
    count=12,
    stars=6000,
    out_of_focus=None,
    cloud=None,
    satellites=(3,),
    drift=(40.0, -30.0),
    turn=0.3,
)
WAYS = ("model:3.5", "sigma:3", "trim:10-90", "median", "mean")


@dataclass(frozen=True)
class Seen:
    """A night as taken, its files and what was found in it."""

    night: Night
    taken: Taken
    paths: list[Path]
    found: Sequence


def written(night: Night, folder: Path) -> tuple[Taken, list[Path]]:
    taken = take(night)
    paths = [folder / f"{n:02d}.fits" for n in range(night.count)]
    for n, (path, counts) in enumerate(zip(paths, taken.counts, strict=True)):
        write_fits(path, counts, about(night, n))
    return taken, paths


# ---------------------------------------------------------------- registration


def miss(seen: Seen, motion: Motion, index: int) -> float:
    """How far stars lie from where a motion says, px."""
    h, w = seen.night.size
    at = seen.taken.at[(seen.taken.at > 5).all(1) & (seen.taken.at[:, 0] < w - 5) & (seen.taken.at[:, 1] < h - 5)]
    here = seen.taken.motions[seen.found.reference].of(at)
    return float(np.sqrt(np.square(motion.of(here) - seen.taken.motions[index].of(at)).sum(1).mean()))


def theirs(seen: Seen) -> list[float]:
    """The same by a general library, which gets the exposures as they are."""
    try:
        import astroalign
    except ImportError:
        return []
    reference = seen.taken.counts[seen.found.reference].astype(np.float32)
    misses = []
    for i in seen.found.used:
        if i == seen.found.reference:
            continue
        try:
            found, _ = astroalign.find_transform(reference, seen.taken.counts[i].astype(np.float32))
        except Exception:
            misses.append(float("nan"))
            continue
        a, b, c, d, e, f = (float(v) for v in found.params[:2].ravel())
        misses.append(miss(seen, Motion((a, b, c, d, e, f)), i))
    return misses


def registration(seen: Seen) -> list:
    ours = [miss(seen, seen.found.motion(i), i) for i in seen.found.used if i != seen.found.reference]
    other = theirs(seen)
    out = [i for i, f in enumerate(seen.found.frames) if f.left_out]
    wanted = sorted(i for i in (seen.night.cloud, seen.night.out_of_focus) if i is not None)
    stars = seen.found.frames[seen.found.reference].figures
    return [
        stars.stars if stars else 0,
        *(f"{f(other):.3f}" if other else "–" for f in (np.nanmedian, np.nanmax)),
        *(f"{f(ours):.4f}" for f in (np.median, np.max)),
        "just those" if out == wanted else f"{out} instead of {wanted}",
    ]


# ---------------------------------------------------------------- combining


def trail_and_noise(
    light: NDArray, struck: NDArray[np.bool_], sky: NDArray[np.bool_], truth: NDArray
) -> tuple[float, float]:
    """How much brighter what was struck is than the sky, and σ of neighbours' differences in the sky."""
    level = float(np.median(light[sky]))
    rest = light - truth
    apart = (rest[:, 5:] - rest[:, :-5])[sky[:, 5:] & sky[:, :-5]]
    apart = apart[np.isfinite(apart)]
    return abs(float(np.nanmean(light[struck])) - level), 1.4826 * float(np.median(np.abs(apart))) / np.sqrt(2)


def combining(seen: Seen, folder: Path) -> list[list]:
    """Trails against the plain mean of the same exposures, and noise against what is ideal."""
    exposures, taken = Aligned(seen.found, Spool(folder / "spool")), seen.taken
    here = Motion(tuple(cv2.invertAffineTransform(taken.motions[seen.found.reference].matrix).ravel()))  # type: ignore[arg-type]
    truth = aligned(taken.sky.astype(np.float32), here, seen.night.size)
    struck = np.zeros(seen.night.size, bool)
    for i in exposures.used:
        struck |= aligned(taken.struck[i].astype(np.float32), seen.found.motion(i), seen.night.size) > 0.3
    dark = np.nan_to_num(truth, nan=1e9) < SKY + 3
    struck, sky = struck & dark, dark & ~struck
    raw = np.stack(
        [aligned(taken.counts[i].astype(np.float32), seen.found.motion(i), seen.night.size) for i in exposures.used]
    )
    offsets = np.nanmedian(raw.reshape(len(raw), -1), 1) - np.nanmedian(raw[0])
    raw -= offsets[:, None, None]
    mean = np.nanmean(raw, 0)
    against, _ = trail_and_noise(mean, struck, sky, truth)
    cleaned = stacked(exposures, combining_of("mean"))
    _, plain = trail_and_noise(cleaned.light[..., 0], struck, sky, truth)

    def row(name: str, light: NDArray, seconds: float) -> list:
        trail, noise = trail_and_noise(light, struck, sky, truth)
        return [name, 20 * np.log10(max(trail, 1e-3) / against), plain / noise, seconds]

    rows = [
        row("NumPy's mean, exposures aligned by us but not cleaned", *timed(lambda: np.nanmean(raw, 0))),
        row("NumPy's median, the same", *timed(lambda: np.nanmedian(raw, 0))),
        row(
            "astropy's sigma clipping at 3 σ, the same",
            *timed(lambda: np.ma.mean(sigma_clip(np.ma.masked_invalid(raw), sigma=3, axis=0), axis=0).filled(np.nan)),
        ),
    ]
    for way in WAYS:
        result, seconds = timed(lambda: stacked(exposures, combining_of(way)))  # noqa: B023
        rows.append(row(f"ours, {way}", result.light[..., 0], seconds))
    return rows


def timed(run: Callable[[], NDArray]) -> tuple:
    begin = time.perf_counter()
    found = run()
    return found, time.perf_counter() - begin


def star_light(seen: Seen, folder: Path) -> float:
    """How much of a bright lonely star's light is missing or too much, in percent of it, in the median."""
    light = stacked(Aligned(seen.found, Spool(folder / "spool")), combining_of("model:3.5")).light[..., 0]
    off = []
    h, w = seen.night.size
    at = seen.taken.motions[seen.found.reference].of(seen.taken.at)
    for (x, y), flux in zip(at, seen.taken.flux, strict=True):
        alone = np.sort(np.linalg.norm(at - (x, y), axis=1))[1] > 16
        if flux > 20000 and alone and 20 < x < w - 20 and 20 < y < h - 20:
            part = light[round(y) - 10 : round(y) + 11, round(x) - 10 : round(x) + 11]
            off.append((part[4:-4, 4:-4].sum() - 169 * np.median(part)) / flux - 1)
    return 100 * abs(float(np.median(off)))


def large() -> str:
    """Time and memory of exposures of 24 megapixels, against reading and moving them."""
    with TemporaryDirectory() as folder:
        taken, paths = written(LARGE, Path(folder))
        moved = motion_at(LARGE, 0.5).matrix
        del taken

        def read_and_move() -> None:
            for path in paths:
                plane = np.asarray(fits.getdata(path)).astype(np.float32)
                cv2.warpAffine(plane, moved, plane.shape[::-1], flags=cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP)

        _, plain = timed(read_and_move)  # type: ignore[arg-type]
        found, looking = timed(lambda: look(paths))  # type: ignore[arg-type]
        spool = Spool(Path(folder) / "spool")
        _, combined = timed(lambda: stacked(Aligned(found, spool), combining_of("model:3.5")))  # type: ignore[arg-type]
    rows = [
        ["read and move, astropy and OpenCV", plain, 1.0],
        ["ours: look (hot pixels of five, stars, motions)", looking, looking / plain],
        ["ours: align and combine", combined, combined / plain],
    ]
    head = [f"{LARGE.count} exposures of 24 megapixels", "s", "ratio"]
    return table(head, rows) + f"\n\nMost memory: {peak_megabytes():.0f} MB."


def main() -> None:
    options = arguments(__doc__)
    aligned_rows, combined_rows = [], []
    for name, night in NIGHTS.items():
        with TemporaryDirectory() as folder:
            taken, paths = written(night, Path(folder))
            seen = Seen(night, taken, paths, look(paths))
            aligned_rows.append([name, *registration(seen), star_light(seen, Path(folder))])
            if name in ("the demo's", "24 exposures"):
                combined_rows += [[name, *row] for row in combining(seen, Path(folder))]
    head = [
        "night",
        "stars",
        "astroalign, median, px",
        "worst",
        "ours, median, px",
        "worst",
        "left out",
        "star's light off, %",
    ]
    more = ["night", "way", "trails against NumPy's mean, dB", "noise: reached of the mean's", "s"]
    parts = [table(head, aligned_rows), table(more, combined_rows), large()]
    publish("frames", "Frames: many exposures into one", "\n\n".join(parts), options.write)


if __name__ == "__main__":
    main()
