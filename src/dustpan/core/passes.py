"""The passes of a render that say what was there: albedo and normal of the first hit, beside the picture itself."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dustpan.core.region import Region

ALBEDO, NORMAL = "albedo", "normal"
PLANES = {ALBEDO: ("albedo red", "albedo green", "albedo blue"), NORMAL: ("normal x", "normal y", "normal z")}
KNOWN_AS = {ALBEDO: ("albedo",), NORMAL: ("normal", "normals", "n")}  # by the last part of a layer's name
LEAST_ALBEDO = 0.02  # what is darker is taken to be as dark


@dataclass(frozen=True, eq=False, slots=True)
class Passes:
    """Those that a picture has, by name: three planes (H, W) each, which belong to the picture."""

    planes: Mapping[str, tuple[NDArray[np.float32], ...]]

    def __contains__(self, name: str) -> bool:
        return name in self.planes

    def of(self, name: str, region: Region) -> NDArray[np.float32]:
        """(h, w, 3) values of a pass on a region; what is no number is 0."""
        found = np.stack([plane[region.slices()] for plane in self.planes[name]], -1)
        return np.nan_to_num(found, copy=False, posinf=0.0, neginf=0.0)

    def at(self, name: str, y: NDArray[np.integer], x: NDArray[np.integer]) -> NDArray[np.float32]:
        """(…, 3) values of a pass at some places; what is no number is 0."""
        found = np.stack([plane[y, x] for plane in self.planes[name]], -1)
        return np.nan_to_num(found, copy=False, posinf=0.0, neginf=0.0)

    def albedo(self, region: Region) -> NDArray[np.float32]:
        """(h, w, 3) colours to divide by, from `LEAST_ALBEDO` to 1."""
        return np.clip(self.of(ALBEDO, region), np.float32(LEAST_ALBEDO), np.float32(1))


def passes_of(planes: Mapping[str, NDArray[np.float32]]) -> Passes | None:
    """The whole passes among the planes of a picture; None where there are none."""
    found = {name: tuple(planes[p] for p in parts) for name, parts in PLANES.items() if all(p in planes for p in parts)}
    return Passes(found) if found else None
