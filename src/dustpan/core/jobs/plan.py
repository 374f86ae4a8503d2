"""What will be written where, decided and checked before anything is written."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

from dustpan.core.errors import FileProblem, WrongUse, os_reason
from dustpan.core.files import FORMATS

INSTEAD = ".tif"  # of results whose own format cannot be written


def targets(files: Sequence[Path], out: Path | None, in_place: bool) -> list[Path]:
    """The target of every file: the file itself without ``out``, or one of its name in the folder ``out``.

    Raises
    ------
    WrongUse : a target is an input although that was not allowed, or two inputs would share one.
    FileProblem : the folder cannot be made.
    """
    if out is None:
        if not in_place:
            raise WrongUse("Say where to write with --out, or allow replacing the input with --in-place.")
        found = list(files)
    elif out.is_dir() or len(files) > 1 or str(out).endswith(os.sep):
        found = [out / name_written(f) for f in files]
    else:
        found = [out]
    check_targets(files, found, in_place)
    if out is not None and found != [out]:
        make_folder(out)
    return found


def name_written(file: Path) -> str:
    """The name of a file's result: its own, or with another ending where its format is only read."""
    if file.suffix.lower() in (s for f in FORMATS if f.write is None for s in f.suffixes):
        return file.with_suffix(INSTEAD).name
    return file.name


def check_targets(files: Sequence[Path], found: Sequence[Path], in_place: bool) -> None:
    """Refuse targets that would lose something, by what files *are* and not by their names."""
    inputs = {_identity(f): f for f in files}
    taken: dict[tuple, Path] = {}
    places = [_identity(target) for target in found]
    for file, target, place in zip(files, found, places, strict=True):
        if place in taken:
            words = "{0} and {1} would both be written to {2}; give them other names or folders."
            raise WrongUse(words, taken[place], file, target)
        taken[place] = file
    for file, target, place in zip(files, found, places, strict=True):
        if place not in inputs:
            continue
        if place != _identity(file):
            raise WrongUse("{0} would be written over {1}, which is one of the pictures.", file, inputs[place])
        if not in_place:
            why = "it is the picture itself; choose another name or allow replacing it (--in-place)"
            raise FileProblem(target, why)


def _identity(path: Path) -> tuple:
    """What a file is: device and number of one that is there, or where it would be."""
    try:
        found = path.stat()
        return found.st_dev, found.st_ino
    except OSError:
        parent, name = path.parent, path.name
        try:
            folder = parent.stat()
            return folder.st_dev, folder.st_ino, name
        except OSError:
            return os.path.realpath(parent), name


def make_folder(out: Path) -> None:
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileProblem(out, "the folder could not be made: {0}", os_reason(error)) from None
