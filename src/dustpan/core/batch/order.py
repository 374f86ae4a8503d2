"""The order of a batch: which pictures, what is done to them, and what the results are called."""

from __future__ import annotations

import os
import re
import string
from collections.abc import Iterator, Sequence
from collections.abc import Set as AbstractSet
from datetime import datetime
from enum import StrEnum
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from dustpan.core.errors import WrongUse
from dustpan.core.files import FORMATS, writable
from dustpan.core.files.guard import identity
from dustpan.core.jobs.one import Task
from dustpan.core.jobs.plan import name_written
from dustpan.core.language import mark

FIELDS = ("name", "number", "recipe", "date", "folder")
LONGEST = 200  # bytes of a name, without its ending
OWN = "dustpan-batch"  # how a batch's own files in its folder begin


class Taken(StrEnum):
    """What is done where a name is taken already."""

    NUMBER = mark("number the new one")
    SKIP = mark("leave it out")
    REPLACE = mark("replace it")


class Order(BaseModel):
    """What is to be done.

    Attributes
    ----------
    sources : files and folders. out : the folder of the results. name : the pattern of their names, without ending,
        with {name}, {number}, {recipe}, {date} and {folder}. taken : see `Taken`.
    sweep : as a sweep file holds it; None for what is suggested for each. recipe : its name.
    ending : of the results, such as ``.jpg``; empty for their own formats.
    depth, quality, output, metadata, defects, threads : see `Task`. reported : whether each is judged and shown.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    sources: tuple[str, ...]
    out: str
    name: str = "{name}"
    taken: Taken = Taken.NUMBER
    sweep: dict[str, Any] | None = None
    recipe: str = ""
    ending: str = ""
    depth: str = ""
    quality: int = Field(default=92, ge=1, le=100)
    output: dict[str, Any] = Field(default_factory=dict)
    metadata: bool = True
    defects: str = ""
    threads: int = Field(default=0, ge=0)
    reported: bool = True

    def task(self, source: str, target: str) -> Task:
        """What is done with one file."""
        return Task(
            source, target, self.sweep, self.depth, self.quality, threads=self.threads, defects=self.defects,
            output=self.output, unattended=True, reported=self.reported, metadata=self.metadata,
        )  # fmt: skip

    @property
    def key(self) -> str:
        """What results depend on, besides their sources."""
        return self.model_dump_json(exclude={"sources", "out", "threads", "reported", "recipe", "taken", "name"})


def order_from_json(data: Any) -> Order:
    try:
        return Order(**data)
    except (ValidationError, TypeError):
        raise WrongUse("The journal of this batch is damaged.") from None


def pictures_in(
    sources: Sequence[str | Path], out: Path, results: AbstractSet[tuple[int, int]] = frozenset()
) -> Iterator[Path]:
    """Files as they are given; of folders every picture in them and below, in order, but for what a batch wrote.

    The folder of the results is passed over however it is spelled, unless the pictures lie in it themselves.
    ``results`` : what files are that a batch has written, see `guard.identity`.
    """
    endings = {s for f in FORMATS for s in f.suffixes}
    target = os.path.realpath(out)
    for source in map(Path, sources):
        if not source.is_dir():
            yield source
            continue
        within = os.path.realpath(source)
        beside = within == target or within.startswith(target + os.sep)
        for path in _below(source):
            real = os.path.realpath(path)
            inside = not beside and real.startswith(target + os.sep)
            if path.suffix.lower() in endings and not inside and identity(path) not in results:
                yield path


def _below(folder: Path) -> Iterator[Path]:
    """The files of a folder and below, in order; what comes and goes meanwhile is passed over."""
    found = []
    for here, folders, names in os.walk(folder):
        folders[:] = [f for f in folders if not f.startswith(".")]
        found += [Path(here) / name for name in names if not name.startswith(".")]
    return (path for path in sorted(found) if path.is_file())


def check_pattern(pattern: str) -> None:
    """Refuse what cannot become a name."""
    try:
        for _, field, spec, conversion in string.Formatter().parse(pattern):
            if field is None:
                continue
            if field not in FIELDS or conversion or not re.fullmatch("[0-9]{0,2}", spec or ""):
                raise WrongUse("A name can have {0} in it, not {1}.", ", ".join(f"{{{f}}}" for f in FIELDS), field)
    except ValueError:
        raise WrongUse("The braces in the name do not match.") from None
    if not pattern.strip() or "/" in pattern.replace("{folder}", "") or "\0" in pattern:
        raise WrongUse("A name needs letters, and cannot have / in it.")


def named(order: Order, source: Path, number: int) -> str:
    """The name of a result, with its ending.

    Examples
    --------
    >>> named(Order(sources=(), out="out", name="{number:03} {name}", ending=".jpg"), Path("evening/lamp.tif"), 7)
    '007 lamp.jpg'
    """
    own = Path(name_written(source))
    ending = order.ending or own.suffix
    try:
        date = datetime.fromtimestamp(source.stat().st_mtime).strftime("%Y-%m-%d")
    except (OSError, OverflowError, ValueError):  # a time at the end of all calendars
        date = ""
    recipe = order.recipe.replace("/", "-")
    values = {"name": own.stem, "number": number, "recipe": recipe, "date": date, "folder": source.parent.name}
    try:
        name = order.name.format(**values).replace("/", "-").replace("\0", "").strip()
    except ValueError:
        raise WrongUse("A name can have {0} in it, not {1}.", ", ".join(FIELDS), order.name) from None
    return _short(name or own.stem) + ending


def _short(name: str) -> str:
    """A name that a file system takes, with a number and an ending still to come."""
    while len(os.fsencode(name)) > LONGEST:
        name = name[:-1]
    return name


def planned(order: Order, results: AbstractSet[tuple[int, int]] = frozenset()) -> list[tuple[str, str]]:
    """Source and target of every picture; an empty target for one that is left out because its name is taken.

    ``results`` : files that a batch has written, which are no pictures of it.

    Raises
    ------
    WrongUse : there is no picture, or the names or the format make no sense.
    """
    out = Path(order.out)
    check_pattern(order.name)
    if order.ending and order.ending not in {s for f in writable() for s in f.suffixes}:
        raise WrongUse("Results cannot be written as {0}.", order.ending)
    sources = list(dict.fromkeys(pictures_in(order.sources, out, results)))
    if not sources:
        raise WrongUse("There are no pictures in what was given.")
    held = {identity(s) for s in sources} - {None}  # which no result goes over, whatever the rule
    used: set[str] = set()
    found = []
    for number, source in enumerate(sources, 1):
        target = target_of(order, source, number, used, held)
        used |= {target.name} if target else set()
        found.append((str(source), str(target or "")))
    return found


def target_of(
    order: Order,
    source: Path,
    number: int,
    used: AbstractSet[str],
    held: AbstractSet[tuple[int, int] | None] = frozenset(),
) -> Path | None:
    """Where the result of a picture goes; None where it is left out because its name is taken.

    Parameters
    ----------
    number : of the picture, for its name. used : names of other results. held : files that no result goes over.
    """
    target = Path(order.out) / named(order, source, number)
    there = _is_there(target)
    if there and order.taken is Taken.SKIP:
        return None
    keeps = there and (order.taken is Taken.NUMBER or identity(target) in held)
    return numbered(target, used, order.taken, held) if keeps or target.name in used else target


def _is_there(path: Path) -> bool:
    return os.path.lexists(path)  # a link that leads nowhere is somebody's as well


def numbered(
    target: Path, used: AbstractSet[str], taken: Taken, held: AbstractSet[tuple[int, int] | None] = frozenset()
) -> Path:
    """A target with a number behind its name that is free: used by no other item, and no source."""
    for k in range(2, 1_000_000):
        other = target.with_name(f"{target.stem}-{k}{target.suffix}")
        free = taken is Taken.REPLACE and identity(other) not in held
        if other.name not in used and (free or not _is_there(other)):
            return other
    raise WrongUse("There are too many files of one name.")
