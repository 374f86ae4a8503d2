"""A sequence: exposures of one thing, what was measured of each, how each lies, and which are left out, and why."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from collections.abc import Sequence as Many
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from datetime import datetime
from enum import StrEnum
from functools import cached_property, partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.cancel import Cancel
from dustpan.core.colour import luma
from dustpan.core.errors import FileProblem, WrongUse
from dustpan.core.files.registry import read_samples
from dustpan.core.frames.aligning import by_content, by_stars, in_common
from dustpan.core.frames.calibration import NO_MASTERS, Masters
from dustpan.core.frames.exposures import Exposure, Figures, clean_name, hot_in, looked_at, pattern_of, read_exposure
from dustpan.core.frames.motion import STILL, Freedom, Motion
from dustpan.core.frames.points import NONE, Points
from dustpan.core.frames.spool import Spool
from dustpan.core.language import capital, mark, say

FEWEST, MOST = 2, 500  # exposures
LONG, ASKED = 100_000_000, 5  # px of all exposures, from which the hot ones of a few are taken for those of all
USUAL_STARS, FEWEST_STARS = 0.6, 4  # of the usual number; that an exposure is aligned by
WIDER, LIGHTER, NOISIER, THINNER = 1.35, 1.6, 1.8, 0.7  # than usual: width of stars, sky, noise; light of the stars
Progress = Callable[[int, int], None]


class Align(StrEnum):
    """How exposures are brought onto each other."""

    NONE = mark("none")
    SHIFT = mark("shift")
    RIGID = mark("rigid")
    AFFINE = mark("affine")
    CONTENT = mark("content")

    @property
    def by_stars(self) -> bool:
        return self in (Align.SHIFT, Align.RIGID, Align.AFFINE)


@dataclass(frozen=True, eq=False)
class Frame:
    """One exposure of a sequence.

    Attributes
    ----------
    path : of its file. size : (height, width, channels); zeros where it could not be read.
    figures, points, sky : see `exposures.looked_at`; None where it could not be read.
    hot : (n, 2) samples that are filled.
    motion : where the reference's places lie in it; None where that is not known.
    left_out : the reason; empty for one that is used. by_hand : a person has decided about it.
    light : of its stars, against the reference. taken : when. damaged : it cannot be read, or is of another size.
    """

    path: Path
    size: tuple[int, int, int] = (0, 0, 0)
    figures: Figures | None = None
    points: Points | None = None
    sky: NDArray[np.float32] | None = None
    hot: NDArray[np.intp] = field(default_factory=lambda: np.zeros((0, 2), np.intp))
    motion: Motion | None = None
    left_out: str = ""
    by_hand: bool = False
    light: float = 1.0
    taken: str = ""
    damaged: bool = False

    def as_json(self, weight: float | None, rejected: float | None) -> dict[str, Any]:
        """What is told of it, with its weight in the mean and the share of its values that were rejected."""
        told: dict[str, Any] = {"file": str(self.path), "left_out": self.left_out or False}
        if self.figures is not None:
            f = self.figures
            width = None if np.isnan(f.width) else f.width
            told |= {"fwhm": width, "stars": f.stars, "sky": f.sky, "noise": f.noise, "hot_pixels": f.hot}
        if self.motion is not None:
            matrix = self.motion.matrix
            told |= {"shift": list(self.motion.shift), "rotation": self.motion.rotation, "motion": matrix.tolist()}
        return told | {"light": self.light, "weight": weight, "rejected": rejected}


@dataclass(frozen=True, eq=False)
class Sequence:
    """Exposures in the order given.

    Attributes
    ----------
    frames : all of them. reference : index of the one that the others are brought onto. align, masters : as chosen.
    point : where a moving thing lies in the first and the last exposure, (x, y) each; None for none.
    """

    frames: tuple[Frame, ...]
    reference: int
    align: Align
    masters: Masters = NO_MASTERS
    point: tuple[tuple[float, float], tuple[float, float]] | None = None

    @property
    def used(self) -> tuple[int, ...]:
        """Indices of the exposures that are combined."""
        return tuple(i for i, f in enumerate(self.frames) if not f.left_out and f.motion is not None)

    @property
    def size(self) -> tuple[int, int, int]:
        """(height, width, channels) of what they are made into."""
        return self.frames[self.reference].size

    def motion(self, index: int) -> Motion:
        """How an exposure is brought onto the reference, or onto what moves in it."""
        found = self.frames[index].motion or STILL
        if self.point is None:
            return found
        (x0, y0), (x1, y1) = self.ends
        share = self.times[index]
        return found.moved((x1 - x0) * share, (y1 - y0) * share)

    def as_json(self, of_used: Mapping[int, tuple[float, float]]) -> list[dict[str, Any]]:
        """What is told of each exposure; of those used with their weights and shares rejected."""
        return [
            f.as_json(*(float(v) for v in of_used[i])) if i in of_used else f.as_json(0.0, None)
            for i, f in enumerate(self.frames)
        ]

    def with_choice(self, index: int, left_out: bool) -> Sequence:
        """The same with an exposure left out, or taken in, by hand."""
        frame = self.frames[index]
        if not left_out and frame.motion is None:
            return self
        chosen = replace(frame, left_out=say("by hand") if left_out else "", by_hand=True)
        return replace(self, frames=(*self.frames[:index], chosen, *self.frames[index + 1 :]))

    @cached_property
    def ends(self) -> NDArray[np.float64]:
        """(2, 2) where the moving point is at first and at last, in the reference."""
        assert self.point is not None
        ends = []
        for at, index, which in zip(self.point, (0, -1), (say("first"), say("last")), strict=True):
            motion = self.frames[index].motion
            if motion is None:
                raise WrongUse("The {0} exposure is not aligned, so that a point in it cannot be followed.", which)
            ends.append(motion.back(np.array([at]))[0])
        return np.array(ends)

    @cached_property
    def times(self) -> NDArray[np.float64]:
        """(N,) when each was taken, 0 the first and 1 the last."""
        count = len(self.frames)
        told = [_time(f.taken) for f in self.frames]
        if all(t is not None for t in told) and told[-1] > told[0]:  # type: ignore[operator]
            times = np.array(told, float)
            return (times - times[0]) / (times[-1] - times[0])
        return np.linspace(0, 1, count)


def _time(text: str) -> float | None:
    """Seconds, of a header's or an EXIF's date."""
    for form in ("", "%Y:%m:%d %H:%M:%S"):
        try:
            found = datetime.strptime(text, form) if form else datetime.fromisoformat(text)
            return found.replace(tzinfo=None).timestamp()
        except ValueError:
            continue
    return None


def look(
    paths: Many[Path],
    align: Align = Align.RIGID,
    masters: Masters = NO_MASTERS,
    point: tuple[tuple[float, float], tuple[float, float]] | None = None,
    cancel: Cancel | None = None,
    progress: Progress = lambda done, of: None,
    spool: Spool | None = None,
) -> Sequence:
    """Read, measure and align exposures.

    Parameters
    ----------
    spool : where exposures are kept as they were read, so that they need not be read again to be moved.

    Raises
    ------
    WrongUse : they are too few or too many, or fewer than two can be read.
    """
    if not FEWEST <= len(paths) <= MOST:
        raise WrongUse("A stack is made of {0} to {1} exposures; these are {2}.", FEWEST, MOST, len(paths))
    cancel, done = cancel or Cancel(), 0
    greys: dict[int, NDArray[np.float32]] = {}

    known = _always_hot(paths, masters, cancel)

    def one(index: int) -> Frame:
        nonlocal done
        cancel.check()
        frame, exposure = _looked(paths[index], align, masters, cancel, known)
        if spool is not None and exposure is not None:
            spool.put(clean_name(frame.path, masters, frame.hot), exposure.light)
        if exposure is not None and align is Align.CONTENT:
            greys[index] = np.asarray(luma(exposure.light), np.float32)
        done += 1
        progress(done, len(paths))
        return frame

    if align is Align.CONTENT:
        frames = _by_content(paths, one, greys, cancel)
    else:
        with ThreadPoolExecutor(2) as pool:
            frames = list(pool.map(one, range(len(paths))))
    frames = _of_one_size(frames)
    usable = [i for i, f in enumerate(frames) if not f.left_out]
    if len(usable) < FEWEST:
        reasons = " ".join(f.left_out for f in frames if f.left_out)
        raise WrongUse("Of these exposures fewer than two can be used. {0}", reasons)
    if align.by_stars:
        reference, frames = _aligned_by_stars(frames, usable, align)
        frames = _judged(frames)
    else:
        reference = usable[0]
        frames = [replace(f, motion=f.motion or STILL) if align is Align.NONE and not f.left_out else f for f in frames]
    found = Sequence(tuple(frames), reference, align, masters, point)
    if point is not None:
        _ = found.ends  # which says what is wrong with it
    return found


def _always_hot(paths: Many[Path], masters: Masters, cancel: Cancel) -> NDArray[np.intp] | None:
    """(n, 2) hot pixels of a long sequence: those that are found in most of a few exposures; None for a short one.

    Of a short one each exposure is looked at by itself, so that what rays struck goes as well.
    """
    found: list[NDArray[np.intp]] = []
    for index in np.unique(np.linspace(0, len(paths) - 1, ASKED).astype(int)):
        try:
            samples = read_samples(paths[index], check=cancel.check)
        except FileProblem:
            continue
        if samples.light.shape[0] * samples.light.shape[1] * len(paths) < LONG:
            return None
        try:
            light = masters.calibrated(samples, paths[index])
        except FileProblem:
            continue
        found.append(hot_in(light, pattern_of(samples), cancel.check))
    if not found:
        return None
    places, times = np.unique(np.concatenate(found), axis=0, return_counts=True)
    often = places[2 * times > len(found)]
    return np.unique(np.concatenate([often, masters.hot]), axis=0) if len(masters.hot) else often


def _looked(
    path: Path, align: Align, masters: Masters, cancel: Cancel, hot: NDArray[np.intp] | None
) -> tuple[Frame, Exposure | None]:
    try:
        exposure = read_exposure(path, masters, True, cancel.check, hot)
    except FileProblem as problem:
        return Frame(path, left_out=f"{capital(problem.reason)}.", damaged=True), None
    points, figures, sky = looked_at(exposure, align.by_stars)
    size = exposure.light.shape
    frame = Frame(path, (size[0], size[1], size[2]), figures, points, sky, exposure.hot, taken=exposure.taken)
    return frame, exposure


def _of_one_size(frames: list[Frame]) -> list[Frame]:
    """Those of another size than most are left out."""
    sizes = [f.size for f in frames if not f.left_out]
    if not sizes:
        return frames
    usual = max(dict.fromkeys(sizes), key=sizes.count)
    why = partial(say, "It has {0} × {1} px and {2} colours; the others have {3} × {4} and {5}.")
    return [
        f
        if f.left_out or f.size == usual
        else replace(f, left_out=why(*_told(f.size), *_told(usual)), motion=None, damaged=True)
        for f in frames
    ]


def _told(size: tuple[int, int, int]) -> tuple[int, int, int]:
    return size[1], size[0], size[2]


def _by_content(
    paths: Many[Path], one: Callable[[int], Frame], greys: dict[int, NDArray[np.float32]], cancel: Cancel
) -> list[Frame]:
    """Each is aligned with the first that can be read as soon as it is read."""
    frames: list[Frame] = []
    first: NDArray[np.float32] | None = None
    for index in range(len(paths)):
        frame = one(index)
        grey = greys.pop(index, None)
        if grey is not None:
            if first is None:
                first = grey
                frame = replace(frame, motion=STILL)
            elif grey.shape == first.shape:
                motion = by_content(first, grey, cancel.check)
                why = "" if motion else say("Nothing in it was found again in the first exposure.")
                frame = replace(frame, motion=motion, left_out=why)
        frames.append(frame)
    return frames


def _aligned_by_stars(frames: list[Frame], usable: list[int], align: Align) -> tuple[int, list[Frame]]:
    """The reference, the first with a usual number of stars, and all frames with their motions."""
    counts = np.array([len(frames[i].points or NONE) for i in usable])
    if counts.max() < FEWEST_STARS:
        raise WrongUse("None of these exposures shows four stars; align them by content, or not at all.")
    usual = float(np.median(counts))
    reference = next(i for i, n in zip(usable, counts, strict=True) if n >= max(USUAL_STARS * usual, FEWEST_STARS))
    freedom = Freedom(align.value)
    here = frames[reference].points or NONE
    found = list(frames)
    for i in usable:
        if i == reference:
            found[i] = replace(frames[i], motion=STILL)
            continue
        there = frames[i].points or NONE
        if len(there) < FEWEST_STARS:
            found[i] = replace(frames[i], left_out=say("It shows fewer than four stars."))
            continue
        motion = by_stars(here, there, freedom)
        if motion is None:
            found[i] = replace(frames[i], left_out=say("Its stars were not found again in the reference."))
        else:
            ours, theirs = in_common(here, there, motion)
            light = float(np.median(there.flux[theirs] / here.flux[ours])) if len(ours) else 0.0
            found[i] = replace(frames[i], motion=motion, light=light)
    return reference, found


def _judged(frames: list[Frame]) -> list[Frame]:
    """Those that would harm are left out, with the reason."""
    told = [f for f in frames if f.figures is not None and not f.damaged]

    def usual(name: str) -> float:
        return float(np.nanmedian([getattr(f.figures, name) for f in told]))

    width, stars, sky, noise = (usual(n) for n in ("width", "stars", "sky", "noise"))
    light = float(np.median([f.light for f in told if f.motion is not None]))

    def why(f: Frame) -> str:
        if f.figures is None or f.damaged:
            return f.left_out
        if f.figures.width > WIDER * width:
            return say("Out of focus: its stars are {0:.1f} px wide, usually {1:.1f}.", f.figures.width, width)
        clouded = f.figures.stars < USUAL_STARS * stars or f.light < THINNER * light
        if clouded or _lifted(f.figures.sky, sky) or f.figures.noise > NOISIER * noise:
            told = "Clouded: {0} of usually {1:.0f} stars, with {2:.0f} % of their light."
            return say(told, f.figures.stars, stars, 100 * f.light)
        return f.left_out

    def _lifted(own: float, usual_sky: float) -> bool:
        return own > LIGHTER * usual_sky and own - usual_sky > 3 * noise

    return [replace(f, left_out=why(f)) for f in frames]
