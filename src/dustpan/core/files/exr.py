"""OpenEXR, read and written through its own library: scene-linear half or float values, below 0 and above 1 as well.

The *beauty* pass is opened. First-hit passes of albedo and normals are kept as planes, and all passes are written back
as they were, with the result in the place of the beauty pass.
"""

from __future__ import annotations

import os
import tempfile
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from dustpan.core.curve import Scale
from dustpan.core.files.format import Decoded, FileFormat, Opening, Unreadable, check_size
from dustpan.core.files.quiet import quiet
from dustpan.core.language import say
from dustpan.core.passes import ALBEDO, KNOWN_AS, NORMAL, PLANES
from dustpan.core.picture import Depth, Kind, Metadata, Picture

MAGIC = b"\x76\x2f\x31\x01"
MULTI_PART, DEEP = 0x1000, 0x0800  # flags beside the version
BEAUTY = ("", "beauty", "rgba", "rgb", "color", "colour", "combined", "viewlayer.combined", "c")
LARGEST_HALF = 65504.0
AXES = {ALBEDO: ("R", "G", "B"), NORMAL: ("X", "Y", "Z")}
NOT_COPIED = {"channels", "dataWindow", "displayWindow", "type", "chunkCount", "version", "tiles"}


@dataclass(frozen=True, eq=False)
class ExrOrigin:
    """What is written back: header and channels as they were, and which of them are the beauty pass."""

    header: Mapping[str, Any]
    channels: Mapping[str, NDArray]
    beauty: tuple[str, ...]


def _read(data: bytes, wish: Opening) -> Decoded:
    flags = int.from_bytes(data[4:8], "little")
    if flags & DEEP:
        raise Unreadable("it holds deep data, several samples in one place, which Dustpan does not open")
    if flags & MULTI_PART:
        raise Unreadable("it is a multi-part file; Dustpan opens files of one part with its layers")
    header, channels = _channels(data, wish)
    names = _beauty(tuple(channels))
    beauty = [channels[n] for n in names]
    height, width = beauty[0].shape
    check_size(height, width)
    if any(c.shape != (height, width) for c in channels.values()):
        raise Unreadable("its channels differ in size")
    prefix = names[0][: -len("R")] if len(names) == 3 else ""
    values = np.stack(beauty, -1).astype(np.float32)
    planes = _passes(channels)
    if (alpha := channels.get(f"{prefix}A")) is not None:
        planes["alpha"] = np.ascontiguousarray(alpha, np.float32)
    valid: NDArray[np.bool_] = np.all(np.isfinite(values), axis=2)
    if not valid.any():
        raise Unreadable("none of its samples is a number")
    notices = []
    stored = values
    if not valid.all():
        from scipy import ndimage as ndi

        notices.append(say("{0} samples are not numbers; they are kept as they are.", int((~valid).sum())))
        values = values[tuple(ndi.distance_transform_edt(~valid, return_distances=False, return_indices=True))]
    half = all(c.dtype == np.float16 for c in beauty)
    return Decoded(
        values,
        Depth.FLOAT,
        Metadata(),
        notices=tuple(notices),
        scale=Scale(),
        kind=Kind.RGB if len(names) == 3 else Kind.MONO,
        planes=planes,
        valid=None if valid.all() else valid,
        stored=stored,
        words=say("{0} bit float", 16 if half else 32),
        origin=ExrOrigin(header, channels, names),
        layers=_layers(channels, names),
    )


def _channels(data: bytes, wish: Opening) -> tuple[dict[str, Any], dict[str, NDArray]]:
    import OpenEXR

    with _at_hand(data, wish.path) as path, quiet():
        try:
            with OpenEXR.File(path, separate_channels=True) as file:
                part = file.parts[0]
                found = {name: np.array(c.pixels) for name, c in part.channels.items()}
                return dict(part.header), found
        except (ValueError, RuntimeError, TypeError, OSError):
            raise Unreadable("the OpenEXR file is damaged or cut off and cannot be read") from None


class _at_hand:
    """The path of a file that holds these bytes, for a library that reads files only."""

    def __init__(self, data: bytes, path: Path | None) -> None:
        self.data, self.own = data, path
        self.made = ""

    def __enter__(self) -> str:
        if self.own is not None:
            return str(self.own)
        handle, self.made = tempfile.mkstemp(suffix=".exr")
        with os.fdopen(handle, "wb") as file:
            file.write(self.data)
        return self.made

    def __exit__(self, *_: object) -> None:
        if self.made:
            os.unlink(self.made)


def _beauty(names: tuple[str, ...]) -> tuple[str, ...]:
    """The channels that are the picture: R, G and B of the first layer that can be one, or a single Y."""
    layers = sorted({n.rpartition(".")[0] for n in names}, key=lambda layer: (_rank(layer), layer))
    for layer in layers:
        prefix = f"{layer}." if layer else ""
        wanted = tuple(f"{prefix}{c}" for c in "RGB")
        here = [w for w in wanted if w in names]
        if len(here) == 3:
            return wanted
        if here and not _is_pass(layer):
            missing = ", ".join(w for w in wanted if w not in names)
            raise Unreadable("its channel {0} is missing", missing)
        if f"{prefix}Y" in names and not _is_pass(layer):
            return (f"{prefix}Y",)
    raise Unreadable("it has no channels R, G and B, nor Y; it has {0}", ", ".join(names[:8]))


def _rank(layer: str) -> int:
    name = layer.lower()
    if name in BEAUTY:
        return BEAUTY.index(name)
    return len(BEAUTY) + (1 if _is_pass(layer) else 0)


def _is_pass(layer: str) -> bool:
    last = layer.rpartition(".")[2].lower()
    return any(last in names for names in KNOWN_AS.values())


def _passes(channels: Mapping[str, NDArray]) -> dict[str, NDArray[np.float32]]:
    """First-hit passes as planes, under our own names."""
    found: dict[str, NDArray[np.float32]] = {}
    for layer in sorted({n.rpartition(".")[0] for n in channels}):
        last = layer.rpartition(".")[2].lower()
        for kind, names in KNOWN_AS.items():
            for axes in (AXES[kind], ("R", "G", "B")):
                wanted = [f"{layer}.{a}" for a in axes]
                if last in names and all(w in channels for w in wanted):
                    pairs = zip(PLANES[kind], wanted, strict=True)
                    found |= {plane: np.ascontiguousarray(channels[w], np.float32) for plane, w in pairs}
                    break
    return found


def _layers(channels: Mapping[str, NDArray], beauty: tuple[str, ...]) -> dict[str, tuple[NDArray, ...]]:
    """All that is beside the beauty pass, by the names of their layers; channels in the order of colours and axes."""
    found: dict[str, list[str]] = {}
    for name in channels:
        layer, _, channel = name.rpartition(".")
        if name not in beauty:
            found.setdefault(layer or channel, []).append(name)
    return {layer: tuple(channels[n] for n in sorted(names, key=_in_order)) for layer, names in found.items()}


def _in_order(name: str) -> tuple[int, str]:
    channel = name.rpartition(".")[2]
    return ("RGBAXYZ".index(channel) if channel in "RGBAXYZ" else len("RGBAXYZ")), channel


# ---------------------------------------------------------------- writing


def _rewrite(file: BinaryIO, picture: Picture, depth: Depth, history: str) -> bool:
    """All passes as they were, with the result in the place of the beauty pass and in its type of samples."""
    origin: ExrOrigin = picture.source.origin
    values = picture.as_stored()
    if depth is not Depth.FLOAT or values.shape[2] != len(origin.beauty):
        return False
    channels = dict(origin.channels)
    for n, name in enumerate(origin.beauty):
        channels[name] = _as_type(values[..., n], channels[name].dtype)
    header = {k: v for k, v in origin.header.items() if k not in NOT_COPIED - {"dataWindow", "displayWindow"}}
    if history:
        header["comments"] = "\n".join(filter(None, (str(header.get("comments", "")), history)))
    _save(file, header, channels)
    return True


def _as_type(values: NDArray, dtype: np.dtype) -> NDArray:
    """Values as a channel holds them; halves end at 65504, where the library would make them infinite."""
    if dtype == np.float16:
        values = np.where(np.isfinite(values), np.clip(values, -LARGEST_HALF, LARGEST_HALF), values)
    return np.ascontiguousarray(values.astype(dtype))


def _write(file: BinaryIO, samples: NDArray, depth: Depth, metadata: Metadata, quality: int) -> None:
    names = {1: "Y", 2: "YA", 3: "RGB", 4: "RGBA"}[samples.shape[2]]
    channels = {name: np.ascontiguousarray(samples[..., n], np.float32) for n, name in enumerate(names)}
    import OpenEXR

    _save(file, {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}, channels)


def _save(file: BinaryIO, header: Mapping[str, Any], channels: Mapping[str, NDArray]) -> None:
    import OpenEXR

    about = {**header, "type": OpenEXR.scanlineimage}
    handle, path = tempfile.mkstemp(suffix=".exr")
    os.close(handle)
    try:
        with quiet():
            OpenEXR.File(about, dict(channels)).write(path)
        file.write(Path(path).read_bytes())
    finally:
        os.unlink(path)


EXR = FileFormat(
    name="OpenEXR",
    suffixes=(".exr",),
    depths=(Depth.FLOAT,),
    recognise=lambda data, suffix: data.startswith(MAGIC),
    read=_read,
    write=_write,
    rewrite=_rewrite,
    linear=True,
)
