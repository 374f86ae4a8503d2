"""Parts that come from elsewhere: a mask that is kept under a name in the sweep, and a grey picture."""

from __future__ import annotations

from functools import lru_cache
from hashlib import sha256
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.errors import WrongUse
from dustpan.core.files.reading import read_regular
from dustpan.core.language import mark
from dustpan.core.params import Params, text
from dustpan.core.stage import Context, Stage
from dustpan.core.where.mask import PartKind

LARGEST = 2 << 30  # bytes
SMALLEST = 8  # halvings


class KeptParams(Params):
    """Which kept mask."""

    name: str = text(label="Name", help="The name under which the mask is kept; a change of it changes every use.")


def _unknown(context: Context) -> NDArray[np.float32]:
    """What a name stands for is put in its place when a sweep is read; without it the part lets nothing through."""
    return np.zeros((context.region.height, context.region.width), np.float32)


class PictureParams(Params):
    """A grey picture of the same size, by its file and what was in it."""

    file: str = text(label="File", help="A grey PNG or TIFF of the picture's size: white acts, black does not.")
    digest: str = text(label="Fingerprint", help="Of what the file held when it was chosen.", deeper=True)


def fingerprint(path: Path) -> str:
    """Of a file's bytes."""
    return sha256(read_regular(path, LARGEST, "it is too large for a mask")).hexdigest()[:32]


@lru_cache(maxsize=1)
def _loaded(file: str, digest: str) -> NDArray[np.float32]:
    from dustpan.core.files.registry import open_picture  # files know nothing of masks

    path = Path(file)
    if digest and fingerprint(path) != digest:
        raise WrongUse("The mask {0} has changed since it was chosen.", path.name)
    return np.ascontiguousarray(open_picture(path).pixels.mean(2))


@lru_cache(maxsize=2)
def _sized(file: str, digest: str, size: tuple[int, int]) -> NDArray[np.float32]:
    """As small as a reduced picture, where that is what is looked at."""
    plane = _loaded(file, digest)
    for level in range(1, SMALLEST):
        if (plane.shape[0] >> level, plane.shape[1] >> level) == size:
            return np.asarray(cv2.resize(plane, size[::-1], interpolation=cv2.INTER_AREA), np.float32)
    return plane


def _picture(context: Context) -> NDArray[np.float32]:
    p: PictureParams = context.params
    if not p.file:
        return _unknown(context)
    plane = _sized(p.file, p.digest, context.size)
    if plane.shape != context.size:
        h, w = plane.shape
        wanted = f"{context.size[1]} × {context.size[0]}"
        raise WrongUse("The mask {0} has {1} px; the picture has {2}.", Path(p.file).name, f"{w} × {h}", wanted)
    return np.clip(plane[context.region.slices()], 0, 1)


def _fingerprinted(p: PictureParams, read: object, size: tuple[int, int]) -> PictureParams:
    return p if p.digest or not p.file else p.model_copy(update={"digest": fingerprint(Path(p.file))})


KEPT = PartKind(
    "kept", mark("kept mask"), mark("A mask that other steps use as well; changing it changes all"), KeptParams,
    (Stage("kept", _unknown),), stands_for=lambda p: p.name, offers=(),
    begin=lambda seen, kept: {"name": kept[0]} if kept else {},
)  # fmt: skip
GREY_PICTURE = PartKind(
    "picture", mark("picture"), mark("A grey picture of the same size, from a file"), PictureParams,
    (Stage("picture", _picture),), points=lambda p: bool(p.file and not p.digest), settled=_fingerprinted,
    chosen=lambda values: {**values, "digest": ""} if "file" in values else values, placed=True, offers=(),
)  # fmt: skip
