"""Who does the tasks of a batch: a registry with a row for this process, processes beside it, and a scheduler.

The same task gives the same bytes whoever does it. A worker that dies loses nothing: its task is given out again.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from concurrent.futures import Future
from dataclasses import dataclass
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol

from dustpan.core.errors import WrongUse
from dustpan.core.language import mark

if TYPE_CHECKING:
    from dustpan.core.jobs.one import Outcome, Task

Progress = Callable[[int, int], None]


class WorkerDied(Exception):
    """Whoever was at a task is gone; it can be given out again."""


class Doer(Protocol):
    """Takes ``width`` tasks at a time."""

    @property
    def width(self) -> int: ...

    def submit(self, task: Task, progress: Progress) -> Future[Outcome]:
        """Begin a task. Its future raises `WorkerDied` when it is to be given out again."""

    def call_off(self) -> None:
        """End what is going on, soon."""

    def close(self) -> None:
        """Let go of everything."""


@dataclass(frozen=True)
class DoerKind:
    """Somebody who can do the tasks of a batch; command line and batch view offer a row each.

    Attributes
    ----------
    id : of its own, and the name of its setting. name, help : to be translated.
    made_by : where the class or function stands, as module:name, that gets the setting and the pictures (files and
        folders) and gives a `Doer`; imported when it is asked for.
    usual : the setting that means somebody else does it, of the type that settings have; None where there is none.
    most : of a number.
    """

    id: str
    name: str
    help: str
    made_by: str
    usual: int | str | None = None
    most: int = 0

    def make(self, setting: Any, sources: Iterable[str | Path]) -> Doer:
        """A doer with this setting, for these pictures."""
        module, _, name = self.made_by.partition(":")
        doer: Doer = getattr(import_module(module), name)(setting, sources)
        return doer


DOERS: tuple[DoerKind, ...] = (
    DoerKind(
        "here", mark("this program"), mark("One picture after the other; small ones two at a time"),
        "dustpan.core.batch.here:here",
    ),
    DoerKind(
        "workers", mark("processes"), mark("So many processes on this machine; each needs its memory"),
        "dustpan.core.batch.processes:processes", 0, 256,
    ),
    DoerKind(
        "scheduler", mark("a scheduler"), mark("Address of a Dask scheduler whose workers see the same folders"),
        "dustpan.core.batch.cluster:cluster", "",
    ),
)  # fmt: skip


def doer_for(sources: Iterable[str | Path], asked: Mapping[str, int | str] | None = None) -> Doer:
    """Who is to do some pictures, in files or folders.

    Parameters
    ----------
    asked : settings by the id of their doer; this program where all are as usual.

    Raises
    ------
    WrongUse : two were asked for, or a setting makes no sense.

    Examples
    --------
    >>> with contextlib.closing(doer_for(["evening"], {"workers": 0})) as doer:
    ...     type(doer).__name__
    'Here'
    """
    kinds = {kind.id: kind for kind in DOERS}
    asked = asked or {}
    wanted = [kinds[id] for id, setting in asked.items() if setting not in (kinds[id].usual, None)]
    if len(wanted) > 1:
        raise WrongUse("Give either {0}, not both.", " or ".join(f"--{kind.id}" for kind in wanted))
    kind = wanted[0] if wanted else DOERS[0]
    return kind.make(asked.get(kind.id), sources)
