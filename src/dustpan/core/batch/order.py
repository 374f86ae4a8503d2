"""The order of a batch: which pictures, what is done to them, and what the results are called."""

from __future__ import annotations

import string
from collections.abc import Iterator, Sequence
from datetime import datetime
from enum import StrEnum
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from dustpan.core.errors import WrongUse
from dustpan.core.files import FORMATS, writable
from dustpan.core.jobs.one import Task, same_file
from dustpan.core.jobs.plan import name_written
from dustpan.core.language import mark

FIELDS = ("name", "number", "recipe", "date", "folder")
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


def pictures_in(sources: Sequence[str | Path], out: Path) -> Iterator[Path]:
    """Files as they are given; of folders every picture in them and below, in order, but for the folder of results."""
    endings = {s for f in FORMATS for s in f.suffixes}
    for source in map(Path, sources):
        if not source.is_dir():
            yield source
            continue
        for path in sorted(source.rglob("*")):
            hidden = any(part.startswith(".") for part in path.relative_to(source).parts)
            inside = out in path.parents and not same_file(source, out)
            if path.is_file() and path.suffix.lower() in endings and not hidden and not inside:
                yield path


def check_pattern(pattern: str) -> None:
    """Refuse what cannot become a name."""
    try:
        for _, field, spec, conversion in string.Formatter().parse(pattern):
            if field is None:
                continue
            if field not in FIELDS or conversion or not (not spec or spec.isdigit()):
                raise WrongUse("A name can have {0} in it, not {1}.", ", ".join(f"{{{f}}}" for f in FIELDS), field)
    except ValueError:
        raise WrongUse("The braces in the name do not match.") from None
    if not pattern.strip() or "/" in pattern.replace("{folder}", "") or "\0" in pattern:
        raise WrongUse("A name needs letters, and cannot have / in it.")


def named(order: Order, source: Path, number: int) -> str:
    """The name of a result, with its ending."""
    own = Path(name_written(source))
    ending = order.ending or own.suffix
    try:
        date = datetime.fromtimestamp(source.stat().st_mtime).strftime("%Y-%m-%d")
    except OSError:
        date = ""
    recipe = order.recipe.replace("/", "-")
    values = {"name": own.stem, "number": number, "recipe": recipe, "date": date, "folder": source.parent.name}
    name = order.name.format(**values).replace("/", "-").replace("\0", "").strip()
    return (name or own.stem)[:200] + ending


def planned(order: Order) -> list[tuple[str, str]]:
    """Source and target of every picture; an empty target for one that is left out because its name is taken.

    Raises
    ------
    WrongUse : there is no picture, or the names or the format make no sense.
    """
    out = Path(order.out)
    check_pattern(order.name)
    if order.ending and order.ending not in {s for f in writable() for s in f.suffixes}:
        raise WrongUse("Results cannot be written as {0}.", order.ending)
    sources = list(dict.fromkeys(pictures_in(order.sources, out)))
    if not sources:
        raise WrongUse("There are no pictures in what was given.")
    used: set[str] = set()
    found = []
    for number, source in enumerate(sources, 1):
        target = out / named(order, source, number)
        there = target.exists()
        if there and order.taken is Taken.SKIP:
            found.append((str(source), ""))
            continue
        keeps = there and (order.taken is Taken.NUMBER or same_file(source, target))
        if keeps or target.name in used:
            target = _numbered(target, used, order.taken)
        used.add(target.name)
        found.append((str(source), str(target)))
    return found


def _numbered(target: Path, used: set[str], taken: Taken) -> Path:
    for k in range(2, 1_000_000):
        other = target.with_name(f"{target.stem}-{k}{target.suffix}")
        if other.name not in used and (taken is Taken.REPLACE or not other.exists()):
            return other
    raise WrongUse("There are too many files of one name.")
