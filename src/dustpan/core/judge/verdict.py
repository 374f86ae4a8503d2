"""The verdict: four figures that say what a result is worth, from the picture before and after alone.

Noise left, texture kept and edge width are modules of their own; halo height and the mean are measured here.
Every figure is validated against its version with truth in ``benchmarks/verdict.py``.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.judge.edges import edge_width, find_edges
from dustpan.core.judge.flat import flat_patches, left_in
from dustpan.core.judge.grain import grain
from dustpan.core.judge.texture import texture_kept
from dustpan.core.language import say
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.sharpen.halo_guard import LOOSE, local_range, plateaus, room

ROWS = 128  # of px between two looks at whether judging was cancelled
HALO_RANGE = 0.1
DEBLURRED = 0.25  # share of its width that an edge has become narrower by, where a blur was taken out
HARDLY_RIMS, RIMS = 4.0, 10.0  # percent beside plateaus: up to which, and from which no longer, it was taken out well
RANGE_LOST, LOST_FROM = 0.4, 0.1  # sigma per share of the noise that is left, above which share
MOVED_FROM, CLIPPED_FROM = 1.0, 0.5  # percent from which a change of brightness is told, and explained
Check = Callable[[], None]


@dataclass(frozen=True)
class Verdict:
    """Percent and px; None where a figure cannot be measured on this picture.

    Attributes
    ----------
    noise_left : flat-patch sigma after over before. texture_kept : share of the texture above the noise.
    halo_height : 99th percentile of what lies outside the cleaned input's local range, in percent of that range.
    edge_width_before, edge_width_after : median 10 to 90 % rise of the strongest isolated edges, px.
    mean_moved : of all channels together, in percent of the input's; of light, or of the stored values where the noise
        was added to these. Positive is brighter.
    clipped : of the input's values that are black, in percent.
    grain_raised : by how much noise in flat parts is stronger than before, or drawn into strings, in percent.
    """

    noise_left: float | None
    texture_kept: float | None
    halo_height: float | None
    edge_width_before: float | None
    edge_width_after: float | None
    mean_moved: float | None = None
    clipped: float | None = None
    grain_raised: float | None = None

    def worsens(self, without: Verdict) -> str:
        """What is worse here than in the verdict of the same sweep without a step; empty when nothing is.

        Some texture is the price of less noise, and some noise that of steeper edges; only more than that counts.
        """
        halo, noise, texture = (
            (getattr(without, n), getattr(self, n)) for n in ("halo_height", "noise_left", "texture_kept")
        )
        grain = self.grain_raised or 0
        if grain > (without.grain_raised or 0) + 2:
            return say("grain raised by {0:.0f} %", grain)
        if None not in halo and halo[1] - halo[0] > 3:
            return say("halos {0:.0f} → {1:.0f} %", *halo)
        if None not in noise and noise[1] > 1.25 * noise[0] + 10:
            return say("noise {0:.0f} → {1:.0f} %", *noise)
        if None not in texture and texture[0] - texture[1] > 30:
            return say("texture {0:.0f} → {1:.0f} %", *texture)
        return ""

    def as_json(self) -> dict[str, float | None]:
        return {k: None if v is None else round(float(v), 3) for k, v in asdict(self).items()}

    def sentence(self) -> str:
        """The figures in one line."""
        return " · ".join(p for p in (*self.phrases(), self.grain(), self.brightness()) if p)

    def grain(self) -> str:
        """That noise was raised or drawn into strings; empty where it was not."""
        return say("grain raised by {0:.0f} %", self.grain_raised) if self.grain_raised else ""

    def brightness(self) -> str:
        """By how much the mean moved and why; empty where brightness was held."""
        if self.mean_moved is None or abs(self.mean_moved) < MOVED_FROM:
            return ""
        if self.mean_moved < 0 and (self.clipped or 0) >= CLIPPED_FROM:
            words = "brightness {0:+.1f} %: noise clipped at black had raised the shadows ({1:.1f} % of the values)"
            return say(words, self.mean_moved, self.clipped)
        return say("brightness {0:+.1f} %", self.mean_moved)

    def phrases(self) -> tuple[str, str, str, str]:
        """Each figure with its name and unit; a dash for what cannot be measured."""
        widths = (_number(self.edge_width_before, 1), _number(self.edge_width_after, 1))
        return (
            say("noise left {0} %", _number(self.noise_left, 0)),
            say("texture kept {0} %", _number(self.texture_kept, 0)),
            say("halos {0} %", _number(self.halo_height, 1)),
            say("edges {0} → {1} px", *widths),
        )


def _number(value: float | None, digits: int) -> str:
    return "–" if value is None else f"{value:.{digits}f}"


def judge(
    before: NDArray[np.float32],
    after: NDArray[np.float32],
    cleaned: NDArray[np.float32],
    noise: NoisePrint,
    check: Check = lambda: None,
    factor: NDArray[np.float32] | None = None,
) -> Verdict:
    """Measure a result, from pixels alone: of a sweep and of a file that it was written to the figures are the same.

    Parameters
    ----------
    before, after : (H, W, C) encoded values of the input and of the result.
    cleaned : the input with its noise taken out; its range is what halos are measured against.
    noise : the print of ``before``.
    check : called every few ten ms; raises to cancel.
    factor : (H, W) that the noise of ``before`` is stronger by than its print; None for 1.
    """
    flat = flat_patches(before, cleaned, noise, check, factor)
    left = left_in(flat, before, after, noise, check)
    check()
    y_before, y_after, y_clean = (luma(np.asarray(p, np.float32)) for p in (before, after, cleaned))
    kept = texture_kept(y_before, y_after, y_clean, noise, check, factor)
    check()
    edges = find_edges(y_clean, check=check)
    widths = []
    for plane in (y_before, y_after):
        check()
        widths.append(edge_width(plane, edges))
    check()
    range_ = cleaned_range(y_clean, noise, left, factor, check)
    halo = halo_height(y_after, range_, check)
    if halo and (narrower := _narrower(*widths)):
        rims = halo_height(y_after, wider(range_, y_clean, 1.0, check), check) or 0.0
        share = narrower * float(np.clip((RIMS - rims) / (RIMS - HARDLY_RIMS), 0, 1))
        halo = halo_height(y_after, wider(range_, y_clean, share, check), check) if share else halo
    check()
    grains = grain(y_before, y_after, flat, check) if left is not None else None
    # of a render nothing is clipped: what is black there is black
    clipped = None if noise.in_proportion else float(100 * np.count_nonzero(before <= 0) / before.size)
    return Verdict(
        left,
        kept,
        halo,
        widths[0],
        widths[1],
        mean_moved(before, after, noise, check),
        clipped,
        None if grains is None else grains.raised,
    )


def mean_moved(
    before: NDArray[np.float32], after: NDArray[np.float32], noise: NoisePrint, check: Check = lambda: None
) -> float | None:
    """How far a result's mean lies above the input's, in percent of it; None for a black input.

    Noise of light keeps the mean of the light, other noise that of the stored values.
    """
    sums = np.zeros(2)
    for y in range(0, len(before), ROWS):
        check()
        for k, pixels in enumerate((before, after)):
            shown = np.clip(pixels[y : y + ROWS], 0, 1)
            light = shown if noise.noise[0].constant else noise.curve.decode(shown)
            sums[k] += np.sum(light, dtype=np.float64)
    return float(100 * (sums[1] / sums[0] - 1)) if sums[0] > 1e-6 * before.size else None


Range = tuple[NDArray, NDArray]  # lowest and highest value, (H, W)


def _narrower(before: float | None, after: float | None) -> float:
    """How far edges became narrower, from 0 to 1 where a blur was taken out."""
    if before is None or after is None:
        return 0.0
    return float(np.clip((1 - after / before) / DEBLURRED, 0, 1))


def cleaned_range(
    cleaned: NDArray,
    noise: NoisePrint | None = None,
    left: float | None = None,
    factor: NDArray[np.float32] | None = None,
    check: Check = lambda: None,
) -> Range:
    """The range of the cleaned input's luma within 7 x 7 px, that a result is to stay in.

    Noise that is left reaches out of it by itself and is no halo: with a print and ``left``, the noise left in percent,
    the range is widened in proportion to it.
    """
    low, high = local_range(np.ascontiguousarray(cleaned, np.float32))
    check()
    if noise is not None and left is not None:
        lost = RANGE_LOST * max(left / 100 - LOST_FROM, 0) * noise.luminance_sigma_of(cleaned)
        if factor is not None:
            lost = lost * factor
        low, high = (np.asarray(p, float) for p in (low - lost, high + lost))
        check()
    return low, high


def wider(range_: Range, cleaned: NDArray, share: float, check: Check = lambda: None) -> Range:
    """A range that inside texture, and not beside plateaus, is wider by up to `LOOSE` of it.

    Where a blur was taken out, what leaves the range there is detail that was won back.
    """
    low, high = range_
    calm = np.ascontiguousarray(cleaned, np.float32)
    top, bottom = plateaus(calm, *local_range(calm))
    check()
    span = share * LOOSE * (high - low)
    return low - span * room(bottom), high + span * room(top)


def halo_height(after: NDArray, range_: Range, check: Check = lambda: None) -> float | None:
    """99th percentile of how far a luma lies outside the range that it is to stay in, in percent of that range."""
    low, high = range_
    span = high - low
    strong = span > HALO_RANGE
    if strong.sum() < 100:
        return None
    check()
    outside = np.maximum(np.maximum(after - high, low - after), 0)[strong] / span[strong]
    check()
    return float(100 * np.quantile(outside, 0.99))
