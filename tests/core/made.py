"""Made steps and parts of masks that the tests put into sweeps, where the house has none of that kind yet."""

from __future__ import annotations

import numpy as np

from dustpan.core.colour import luma
from dustpan.core.fact import Asked, FactKind, Scope
from dustpan.core.hits import Hits, in_order
from dustpan.core.params import Params, number, places, switch
from dustpan.core.picture import Kind
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import StepKind
from dustpan.core.where.mask import PartKind


class RampParams(Params):
    start: float = number(0, 0, 1000, label="Start", unit="px", help="Where it begins.")
    width: float = number(100, 1, 1000, label="Width", unit="px", help="How far it takes to rise.")


def _ramp(context: Context) -> np.ndarray:
    x = np.arange(context.region.x0, context.region.x1, dtype=np.float32)
    line = np.clip((x - context.params.start) / context.params.width, 0, 1).astype(np.float32)
    return np.repeat(line[None], context.region.height, 0)


RAMP = PartKind("ramp", "Ramp", "Rises from left to right.", RampParams, (Stage("ramp", _ramp),))


class SoftParams(Params):
    reach: float = number(9, 0, 30, label="Reach", unit="px", help="How far it looks.")


def _bright(context: Context) -> np.ndarray:
    reach = int(context.params.reach)
    pixels, have = context.get(INPUT, reach)
    plane = luma(pixels)
    size = 2 * reach + 1
    padded = np.pad(plane, 2 * reach, mode="edge")
    ys, xs = context.region.slices(have)
    rows = np.stack([padded[k : k + plane.shape[0]] for k in range(reach, reach + size)]).mean(0)
    out = rows[:, 2 * reach : 2 * reach + plane.shape[1]][ys, xs]
    return np.ascontiguousarray(out, np.float32)


def _harder(context: Context) -> np.ndarray:
    return np.clip(4 * (context.get("bright")[0] - 0.3), 0, 1).astype(np.float32)


BRIGHT = PartKind(
    "bright", "Bright", "Where it is bright.", SoftParams,
    (Stage("bright", _bright, reach=lambda p: int(p.reach)), Stage("harder", _harder)),
)  # fmt: skip


class NoParams(Params):
    pass


def _grey(context: Context) -> np.ndarray:
    return np.ascontiguousarray(luma(context.get(INPUT)[0])[..., None])


GREY = StepKind(
    "grey", "Grey", 5, "Makes a mono picture.", NoParams, (Stage("grey", _grey),), lambda p: "",
    takes=frozenset({Kind.RGB}), gives={Kind.RGB: Kind.MONO},
)  # fmt: skip


def _three(context: Context) -> np.ndarray:
    """As developing a mosaic would: three channels from one."""
    return np.repeat(context.get(INPUT)[0], 3, 2) * np.array([1.0, 0.9, 0.8], np.float32)


DEVELOPED = StepKind(
    "developed", "Developed", 20, "Makes colours of a mosaic.", NoParams, (Stage("three", _three),), lambda p: "",
    takes=frozenset({Kind.MOSAIC}), gives={Kind.MOSAIC: Kind.RGB},
)  # fmt: skip


class PeakParams(Params):
    least: float = number(0.5, 0, 1, label="Least", unit="encoded", help="How bright a peak has to be.")
    spared: tuple[tuple[float, float], ...] = places(label="Spared", help="Peaks that stay.")
    dark: bool = switch(False, label="Dark", help="Dark ones as well.")


def _measure_peaks(asked: Asked) -> tuple[np.ndarray, np.ndarray]:
    """Candidates with their scores, strip by strip; what counts is decided by who asks."""
    at, score = [], []
    for strip, seen, pixels in asked.strips(rows=40, around=1):
        plane = luma(pixels)[strip.slices(seen)]
        for y, x in np.argwhere(plane > 0.25):
            at.append((y + strip.y0, x + strip.x0))
            score.append(float(plane[y, x]))
    return np.array(at, float).reshape(-1, 2), np.array(score)


PEAKS = FactKind("peaks", _measure_peaks, scope=Scope.WHOLE)


def _peak_hits(facts: dict, p: PeakParams) -> Hits:
    at, score = facts[PEAKS]
    wanted = (score >= p.least) & ~np.array([tuple(a) in p.spared for a in at], bool)
    return in_order(at[wanted], score[wanted], "encoded")


def _without_peaks(context: Context) -> np.ndarray:
    pixels, have = context.get(INPUT)
    out = pixels.copy()
    for y, x in _peak_hits(context.facts, context.params).at.astype(int):  # type: ignore[arg-type]
        if have.y0 <= y < have.y1 and have.x0 <= x < have.x1:
            out[y - have.y0, x - have.x0] = 0
    return out


PEAK = StepKind(
    "peaks", "Peaks", 3, "Takes out what is bright.", PeakParams, (Stage("out", _without_peaks),), lambda p: "",
    facts=lambda p: frozenset({PEAKS}), hits=_peak_hits,  # type: ignore[arg-type]
)  # fmt: skip
