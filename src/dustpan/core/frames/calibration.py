"""What a sensor adds to every exposure, told from exposures of nothing else, and taken out again.

*Bias* frames are as short as can be: what the sensor reads without light. *Dark* frames are exposed as long as the
pictures, in the dark: what gathers meanwhile. *Flat* frames show an even light: what vignetting and dust leave of it.
Of each kind one master is made, a mean without what strays.

References
----------
[1] S. B. Howell, "Handbook of CCD Astronomy", 2nd edition, 2006, chapter 4.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.errors import FileProblem
from dustpan.core.files.registry import Samples, read_samples
from dustpan.core.frames.spool import as_it_lies, name_of
from dustpan.core.language import say
from dustpan.core.picture import Kind

Light = NDArray[np.float32]
Check = Callable[[], None]
STRAYED = 4.0  # σ from the mean, of samples that a master is made without
HOT = 12.0  # σ above its surroundings, of a hot pixel of a dark frame
DARKEST = 0.05  # of an even light, that a flat frame still tells


@dataclass(frozen=True, eq=False)
class Masters:
    """One frame (h, w, C) of each kind, where there are any.

    ``dark`` is without ``bias`` where there is one, and exposed for ``seconds`` (None: not known); ``flat`` has a mean
    of 1 in each colour. ``hot`` : (n, 2) places of the dark frame's hot pixels. ``notices`` : what had to be assumed.
    ``files`` : that they were made of, by kind; ``name`` : of all of them together.
    """

    bias: Light | None = None
    dark: Light | None = None
    flat: Light | None = None
    seconds: float | None = None
    hot: NDArray[np.intp] = field(default_factory=lambda: np.zeros((0, 2), np.intp))
    notices: tuple[str, ...] = ()
    name: str = ""
    files: tuple[tuple[str, tuple[Path, ...]], ...] = ()

    def calibrated(self, samples: Samples, path: Path) -> Light:
        """An exposure's light without what its sensor adds."""
        light = samples.light
        for master, kind in ((self.bias, say("bias")), (self.dark, say("dark")), (self.flat, say("flat"))):
            if master is not None and master.shape != light.shape:
                h, w = light.shape[:2]
                raise FileProblem(path, "it has {0} × {1} px, and the {2} frames have another size", w, h, kind)
        if self.bias is not None:
            light = light - self.bias
        if self.dark is not None:
            longer = 1.0
            if self.bias is not None and self.seconds and samples.exposure:
                longer = samples.exposure / self.seconds
            light = light - np.float32(longer) * self.dark
        return light if self.flat is None else light / self.flat


NO_MASTERS = Masters()


def make_masters(
    darks: Sequence[Path] = (), flats: Sequence[Path] = (), biases: Sequence[Path] = (), check: Check = lambda: None
) -> Masters:
    """Masters of the frames of each kind.

    Raises
    ------
    FileProblem : one cannot be read, or has another size than the others.
    """
    bias, _, _ = _mean_of(biases, check)
    dark, seconds, _ = _mean_of(darks, check)
    flat, flat_seconds, sample = _mean_of(flats, check)
    notices = []
    hot = np.zeros((0, 2), np.intp)
    if dark is not None:
        hot = _hot_of(dark)
        if bias is not None:
            _same_size(dark, bias, darks[0])
            dark = dark - bias
        elif seconds:
            notices.append(say("Without bias frames the dark frame is not scaled to the time of an exposure."))
    if flat is not None and sample is not None:
        if bias is not None:
            _same_size(flat, bias, flats[0])
            flat = flat - bias
        elif dark is not None and seconds and flat_seconds and abs(flat_seconds / seconds - 1) < 0.1:
            flat = flat - dark
        else:
            notices.append(say("Without bias frames the flat frames are taken to begin at 0."))
        flat = _even(flat, sample)
    name = name_of(*(tuple(as_it_lies(p) for p in paths) for paths in (darks, flats, biases)))
    files = tuple((kind, tuple(paths)) for kind, paths in (("dark", darks), ("flat", flats), ("bias", biases)) if paths)
    return Masters(bias, dark, flat, seconds, hot, tuple(notices), name, files)


def _mean_of(paths: Sequence[Path], check: Check) -> tuple[Light | None, float | None, Samples | None]:
    """The mean of frames without what strays, their time, and one of them."""
    if not paths:
        return None, None, None
    count, seconds = 0, []
    for path in paths:
        samples = read_samples(path, check=check)
        light = samples.light.astype(np.float64)
        if count == 0:
            mean, squares = np.zeros_like(light), np.zeros_like(light)
        _same_size(light, mean, path)
        count += 1
        off = light - mean
        mean += off / count
        squares += off * (light - mean)
        if samples.exposure:
            seconds.append(samples.exposure)
    time = float(np.median(seconds)) if seconds else None
    if count < 4:
        return mean.astype(np.float32), time, samples
    total, kept = np.zeros_like(mean), np.zeros(mean.shape, np.int32)
    # one that strays widens the spread that it is judged by: the usual spread is what neighbours have
    spread = np.sqrt(squares / (count - 1))
    usual = np.stack(
        [cv2.medianBlur(np.ascontiguousarray(spread[..., c], np.float32), 5) for c in range(mean.shape[2])], -1
    )
    limit = STRAYED * np.maximum(np.minimum(spread, 2 * usual), 1e-12)
    for path in paths:
        again = read_samples(path, check=check).light
        fits = np.abs(again - mean) <= limit
        total += np.where(fits, again, 0)
        kept += fits
    return np.where(kept > 0, total / np.maximum(kept, 1), mean).astype(np.float32), time, samples


def _same_size(one: NDArray, other: NDArray, path: Path) -> None:
    if one.shape != other.shape:
        h, w = one.shape[:2]
        raise FileProblem(path, "it has {0} × {1} px, and the others of its kind have another size", w, h)


def _hot_of(dark: Light) -> NDArray[np.intp]:
    """(n, 2) places of a dark frame that stand out."""
    found = []
    for c in range(dark.shape[2]):
        plane = np.ascontiguousarray(dark[..., c])
        height = plane - cv2.medianBlur(plane, 5)
        sigma = 1.4826 * float(np.median(np.abs(height))) + 1e-12
        found.append(np.argwhere(np.abs(height) > HOT * sigma))
    return np.unique(np.concatenate(found), axis=0)


def _even(flat: Light, sample: Samples) -> Light:
    """A flat frame with a mean of 1 in every colour of the filter, nowhere so dark that it tells nothing."""
    h, w, channels = flat.shape
    colour = np.broadcast_to(np.arange(channels), flat.shape)
    if sample.kind is Kind.MOSAIC and sample.sensor is not None:
        rows, columns = sample.sensor.period
        colour = np.asarray(sample.sensor.pattern)[np.arange(h)[:, None] % rows, np.arange(w) % columns][..., None]
    out = np.empty_like(flat)
    for c in range(int(colour.max()) + 1):
        own = colour == c
        level = float(flat[own].mean()) if own.any() else 1.0
        out[own] = flat[own] / max(level, 1e-12)
    return np.maximum(out, np.float32(DARKEST))
