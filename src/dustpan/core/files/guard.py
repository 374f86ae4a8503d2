"""What must not be written over: the files that a run reads, and those that are open in a window.

Everything that is written goes through `atomic.write_atomically`, and that asks here first. Files are known by what
they are and not by their names: links are followed, and another spelling of a path is the same file.
"""

from __future__ import annotations

import os
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Lock

from dustpan.core.errors import FileProblem

Identity = tuple[int, int]  # device and number of a file that is there


def identity(path: str | Path) -> Identity | None:
    """What a file is; None where there is none."""
    try:
        found = Path(path).stat()
    except (OSError, ValueError):
        return None
    return found.st_dev, found.st_ino


class Guard:
    """The files that are held, each as often as somebody holds it."""

    def __init__(self) -> None:
        self._run: list[Callable[[], None]] | None = None
        self._held: Counter[tuple[Identity, str]] = Counter()  # with the path by which each was named
        self._lock = Lock()

    def hold(self, *paths: str | Path) -> Callable[[], None]:
        """Keep files from being written over until what is given is called."""
        mine = [(found, os.path.abspath(path)) for path in paths if (found := identity(path)) is not None]
        with self._lock:
            self._held.update(mine)
        let_go = [mine]

        def release() -> None:
            for own in let_go[:1]:
                let_go.clear()
                with self._lock:
                    self._held.subtract(own)
                    self._held += Counter()  # only those that are still held

        return release

    @contextmanager
    def run(self) -> Iterator[None]:
        """Whatever is read within is held to the end, as the command line wants it."""
        before, self._run = self._run, []
        try:
            yield
        finally:
            mine, self._run = self._run, before
            for release in mine:
                release()

    def was_read(self, *paths: str | Path) -> None:
        """Hold what was read, or was named to be read, in a run that wants that."""
        if self._run is not None:
            self._run.append(self.hold(*paths))

    def holds(self, path: str | Path) -> bool:
        """Whether a path leads to a file that is held.

        The number of a file that is gone is given to another one: what is held has to be still where it was named.
        """
        found = identity(path)
        with self._lock:
            named = [name for held, name in self._held if held == found]
        return found is not None and any(identity(name) == found for name in named)

    def check(self, path: str | Path, allowed: Iterable[str | Path] = ()) -> None:
        """Refuse a target that is held.

        Parameters
        ----------
        allowed : files that may be written over all the same, because the person said so.

        Raises
        ------
        FileProblem : it is one of the files that are read, or open.
        """
        if self.holds(path) and identity(path) not in {identity(a) for a in allowed}:
            raise FileProblem(path, "it is one of the files that are read here and is not written over; choose another")


GUARD = Guard()
