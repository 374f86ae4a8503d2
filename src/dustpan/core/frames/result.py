"""What a stack becomes on the disk: a picture like any other, and exposures that are saved as they were aligned."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan import __version__
from dustpan.core.colour_profile import srgb_profile
from dustpan.core.curve import SRGB
from dustpan.core.errors import FileProblem
from dustpan.core.files import ExportOptions, format_of, open_picture, save_picture
from dustpan.core.files.fits import FitsOrigin, in_own_units
from dustpan.core.files.reading import fingerprint
from dustpan.core.frames.combining import Combining
from dustpan.core.frames.sequence import Sequence
from dustpan.core.frames.stack import Aligned
from dustpan.core.language import say
from dustpan.core.picture import Depth, Kind, Picture
from dustpan.core.sweep import FRAMES, Sweep, beside, load_sweep, save_sweep

Light = NDArray[np.float32]


def picture_of(light: Light, reference: Picture) -> Picture:
    """A picture of light (h, w, C) in the units of the file that ``reference`` was opened from, as floats."""
    kind = Kind.RGB if light.shape[2] == 3 else Kind.MONO
    if isinstance(reference.source.origin, FitsOrigin):
        return in_own_units(light, reference)
    if reference.scale is not None:
        made = replace(reference, pixels=reference.scale.encoded(light, reference.curve), kind=kind, stored=light)
    elif reference.kind.of_sensor:
        icc = srgb_profile() if kind is Kind.RGB else None
        made = reference.developed(np.asarray(SRGB.encode(light), np.float32), kind, icc)
    else:
        made = replace(reference, pixels=np.asarray(reference.curve.encode(light), np.float32), kind=kind)
    return replace(made, depth=Depth.FLOAT, planes={}, valid=None, sensor=None, preview=None, notices=())


def save_result(
    light: Light, sequence: Sequence, how: Combining, path: Path, depth: Depth | None = None, quality: int = 92
) -> Picture:
    """Write what exposures were made into.

    Raises
    ------
    FileProblem : the format is not known, or the disk refuses.
    """
    made = picture_of(light, open_picture(sequence.frames[sequence.reference].path))
    save_picture(made, path, ExportOptions(depth or _depth_for(path), quality, history(sequence, how)))
    _name_frames(sequence, how, path)
    return made


def _name_frames(sequence: Sequence, how: Combining, path: Path) -> None:
    """Say in the sweep beside a result what it was made of; steps that are there stay."""
    try:
        sweep = load_sweep(beside(path))
    except FileProblem:  # there is none, or none that can be read: that one stays as it is
        if beside(path).exists():
            return
        sweep = Sweep()
    save_sweep(
        replace(sweep, extra=dict(sweep.extra) | {FRAMES: made_of(sequence, how)}), beside(path), {"picture": path.name}
    )


def made_of(sequence: Sequence, how: Combining) -> dict[str, Any]:
    """What a result was made of and how: each file's name, what it holds (`fingerprint`), and why it was left out."""
    told: dict[str, Any] = {"align": sequence.align.value, "combine": how.text, "reference": sequence.reference}
    if sequence.point is not None:
        told["point"] = [list(end) for end in sequence.point]
    told["files"] = [
        {"file": f.path.name, "hash": fingerprint(f.path), "left_out": f.left_out or False} for f in sequence.frames
    ]
    for kind, paths in sequence.masters.files:
        told[kind] = [{"file": p.name, "hash": fingerprint(p)} for p in paths]
    return told


def _depth_for(path: Path) -> Depth:
    """As exact as the format can hold it."""
    return format_of(path).depths[-1]


def history(sequence: Sequence, how: Combining) -> str:
    """What was done, in one line, as files keep it that keep a history."""
    return (
        f"dustpan {__version__}: {len(sequence.used)} of {len(sequence.frames)} exposures, "
        f"aligned {sequence.align.value}, combined {how.text}"
    )


def save_aligned(exposures: Aligned, folder: Path) -> str:
    """Write each exposure as it lies in the reference, into a folder; gives a sentence where that came to an end.

    Names are those of the files with ``-aligned``; FITS in its own units, others as TIFF. Places outside are NaN in
    FITS, and black elsewhere.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError:
        return str(FileProblem(folder, "the folder cannot be made"))
    taken: set[str] = set()
    for index in exposures.used:
        exposures.cancel.check()
        source = exposures.sequence.frames[index].path
        reference = open_picture(source)
        own_units = isinstance(reference.source.origin, FitsOrigin)
        name = f"{source.stem}-aligned"
        while name in taken:
            name += "-2"
        taken.add(name)
        light = np.array(exposures.frame(index), np.float32)
        made = picture_of(light if own_units else np.nan_to_num(light), reference)
        try:
            save_picture(made, folder / f"{name}{'.fits' if own_units else '.tif'}", ExportOptions(Depth.FLOAT))
        except FileProblem as problem:
            return say("Aligned exposures are saved no further. {0}", problem)
    return ""
