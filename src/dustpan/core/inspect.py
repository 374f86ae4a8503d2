"""Inspecting: special views of a picture that show what is hard to see. They never change the picture."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.colour import decode, encode, luma
from dustpan.core.language import mark, say
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.noise.reduce import Work, removed_structure
from dustpan.core.region import Region
from dustpan.core.sharpen.halo_guard import local_range

HALO_REACH = 4  # px: half of the window that local ranges are taken in, and of the median before
HALO_FULL = 0.2  # of the local range: a halo as high as this is drawn in full colour
LOST_REACH = 12  # px: a block and what is smoothed after it; even, so that blocks lie alike in every region
LOST_FULL = 0.8  # sigma: structure as strong as this is drawn in full colour
LOST = np.array([1.0, 0.75, 0.2], np.float32)
LIGHT_HALO, DARK_HALO = np.array([1.0, 0.75, 0.2], np.float32), np.array([0.25, 0.6, 1.0], np.float32)


class Mode(StrEnum):
    """What is looked at."""

    NONE = mark("picture")
    LUMINANCE = mark("luminance")
    COLOUR = mark("colour")
    RED = mark("red")
    GREEN = mark("green")
    BLUE = mark("blue")
    SHADOWS = mark("shadows")
    REMOVED = mark("removed")
    HALOS = mark("halo map")
    LOST = mark("lost texture")


@dataclass(frozen=True)
class Look:
    """A mode with its settings: how far shadows are pushed in EV, and how much what was removed is amplified."""

    mode: Mode = Mode.NONE
    push: float = 2.0
    factor: float = 8.0

    @property
    def reach(self) -> int:
        """How far beyond a region the view reads, in px."""
        return {Mode.HALOS: HALO_REACH, Mode.LOST: LOST_REACH}.get(self.mode, 0)

    def stepped(self, way: int) -> Look:
        """With the setting of this mode one notch up or down."""
        if self.mode is Mode.SHADOWS:
            return Look(self.mode, float(np.clip(self.push + 0.5 * way, 0.5, 6)), self.factor)
        if self.mode is Mode.REMOVED:
            return Look(self.mode, self.push, float(np.clip(self.factor * 2.0**way, 1, 64)))
        return self

    def words(self) -> str:
        """The mode with its setting, as the badge says it."""
        if self.mode is Mode.SHADOWS:
            return say("shadows +{0:g} EV", self.push)
        if self.mode is Mode.REMOVED:
            return say("removed ×{0:g}", self.factor)
        return say(self.mode.value)


def view(
    look: Look, before: NDArray[np.float32], after: NDArray[np.float32], noise: NoisePrint | None = None
) -> NDArray[np.float32]:
    """What is shown of a side.

    Parameters
    ----------
    look : the mode and its settings.
    before, after : (h, w, C) encoded values of the picture's input and of the side that is shown.
    noise : the picture's print, which lost texture is told from noise by.

    Returns
    -------
    (h, w, C) encoded values, or (h, w, 3) for the halo map and lost texture; ``after`` itself when nothing special is
    looked at.
    """
    if look.mode is Mode.NONE:
        return after
    if look.mode is Mode.LUMINANCE:
        return np.repeat(luma(after)[..., None], after.shape[2], 2)
    if look.mode is Mode.COLOUR:
        return np.float32(0.5) + after - luma(after)[..., None]
    if look.mode in (Mode.RED, Mode.GREEN, Mode.BLUE):
        channel = min((Mode.RED, Mode.GREEN, Mode.BLUE).index(look.mode), after.shape[2] - 1)
        return np.repeat(after[..., channel : channel + 1], after.shape[2], 2)
    if look.mode is Mode.SHADOWS:
        return encode(np.clip(decode(np.maximum(after, 0)) * 2**look.push, 0, 1)).astype(np.float32)
    if look.mode is Mode.REMOVED:
        return np.float32(0.5) + np.float32(look.factor) * (before - after)
    if look.mode is Mode.LOST:
        return _lost_texture(before, after, noise)
    return _halo_map(before, after)


def _lost_texture(
    before: NDArray[np.float32], after: NDArray[np.float32], noise: NoisePrint | None
) -> NDArray[np.float32]:
    """Luma, dimmed, with what was removed and has structure (is not white under the noise model) in one colour."""
    grey = np.repeat(0.6 * np.clip(luma(after), 0, 1)[..., None], 3, 2)
    if noise is None:
        return grey
    h, w = after.shape[:2]
    whole = Region(0, 0, h, w)
    work = Work((h, w), noise)
    structure = removed_structure(np.ascontiguousarray(before), np.ascontiguousarray(after), whole, whole, work)
    # sharpening removes the opposite of detail; only what lies along the detail that was there counts as lost
    whole_luma = luma(after) + structure
    detail = whole_luma - ndi.uniform_filter(whole_luma, 5)
    structure = structure * (ndi.uniform_filter(structure * detail, 5) > 0)
    levels = np.linspace(0, 1, 65)
    sigma = np.maximum(np.interp(np.clip(luma(after), 0, 1), levels, noise.luminance_sigma(levels)), 0.5 / 255)
    share = np.clip(ndi.uniform_filter(np.abs(structure), 3) / (LOST_FULL * sigma), 0, 1)[..., None]
    return np.asarray(grey * (1 - share) + LOST * share, np.float32)


def _halo_map(before: NDArray[np.float32], after: NDArray[np.float32]) -> NDArray[np.float32]:
    """Luma with what lies above the input's local range in one colour and what lies below it in another."""
    calm, y = ndi.median_filter(luma(before), 3, mode="nearest"), luma(after)
    low, high = local_range(calm)
    span = np.maximum(high - low, 0.05)
    light, dark = np.maximum(y - high, 0) / span, np.maximum(low - y, 0) / span
    grey = np.repeat(0.6 * np.clip(y, 0, 1)[..., None], 3, 2)
    for height, colour in ((light, LIGHT_HALO), (dark, DARK_HALO)):
        share = np.clip(height / HALO_FULL, 0, 1)[..., None]
        grey = grey * (1 - share) + colour * share
    return grey.astype(np.float32)
