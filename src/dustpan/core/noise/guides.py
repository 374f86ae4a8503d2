"""Guides: the passes of a render, each as far as it is less noisy than what it is to help with.

Samples of a pass do not know of their neighbours, while textures went through the pixel filter: how *white* the finest
detail of a pass is, over that an octave lower, says how much of it is noise.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.noise_of.places import Grid
from dustpan.core.passes import ALBEDO, NORMAL, Passes
from dustpan.core.region import Region

DIVIDED = (0.63, 0.78)  # whiteness of an albedo, up to which light is divided by it, and from which it is not
EXPLAINS = (0.9, 0.98)  # the same of passes that explain light
ALBEDO_COUNTS = 0.7  # of the logarithm of the albedo, beside normals


@dataclass(frozen=True, eq=False)
class Guides:
    """The passes of a picture, and how white each is by place; 0 where it has no detail of its own."""

    passes: Passes
    white: Mapping[str, Grid]

    def divisor(self, region: Region, channels: int) -> NDArray[np.float32]:
        """(h, w, C) what light is divided by on a region: the albedo, 1 where that is noise."""
        if ALBEDO not in self.passes:
            return np.ones((region.height, region.width, channels), np.float32)
        albedo = self.passes.albedo(region)
        own = albedo if channels == 3 else luma(albedo)[..., None]
        return np.asarray(own ** self._good(ALBEDO, region, DIVIDED)[..., None], np.float32)

    def features(self, region: Region) -> NDArray[np.float32]:
        """(h, w, F) what explains light on a region; what is noise is small."""
        found = []
        for name in (n for n in (ALBEDO, NORMAL) if n in self.passes):
            own = np.log(self.passes.albedo(region)) * ALBEDO_COUNTS if name == ALBEDO else self.passes.of(name, region)
            found.append(own * self._good(name, region, EXPLAINS)[..., None])
        return np.ascontiguousarray(np.concatenate(found, -1), np.float32)

    def counts(self, region: Region) -> NDArray[np.float32]:
        """(h, w) how far any pass explains light, 0 to 1."""
        good = [self._good(name, region, EXPLAINS) for name in (ALBEDO, NORMAL) if name in self.passes]
        return np.asarray(np.max(good, 0), np.float32)

    def _good(self, name: str, region: Region, ends: tuple[float, float]) -> NDArray[np.float32]:
        white = self.white[name].at(region)
        return np.asarray(np.clip((ends[1] - white) / (ends[1] - ends[0]), 0, 1), np.float32)
