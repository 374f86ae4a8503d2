"""What was reckoned of exposures, kept on the disk until it is asked for again, within a limit.

Everything has a name that says what it was made of (`name_of`), so that what is there is right, whoever made it: the
next way of combining, or the next start after the process was killed. The oldest goes when there is too much. A full
disk only means that things are reckoned again.
"""

from __future__ import annotations

import contextlib
import os
import time
from pathlib import Path
from typing import Any

import numpy as np
import xxhash
from numpy.typing import NDArray

from dustpan.core.errors import FileProblem
from dustpan.core.files.atomic import write_atomically
from dustpan.core.paths import cache_folder

LIMIT, OF_FREE = 40 << 30, 0.5  # bytes; share of what is free on the disk


def name_of(*made_of: Any) -> str:
    """A short name for what is made of these."""
    return xxhash.xxh3_128(repr(made_of).encode()).hexdigest()


def hashed(array: NDArray) -> str:
    """A short name for what an array holds."""
    return xxhash.xxh3_128(np.ascontiguousarray(array).data).hexdigest()


def as_it_lies(path: Path) -> tuple[Any, ...]:
    """What a file is known by until somebody writes to it."""
    try:
        about = path.stat()
    except OSError:
        return (str(path.absolute()),)
    return str(path.absolute()), about.st_size, about.st_mtime_ns


class Spool:
    """A folder of arrays by name.

    Parameters
    ----------
    folder : that is filled; one in the cache when left out. limit : bytes.
    """

    def __init__(self, folder: Path | None = None, limit: int | None = None) -> None:
        self.folder = folder or cache_folder() / "frames"
        self.folder.mkdir(parents=True, exist_ok=True)
        self._opened, self._mine = time.time(), set[str]()
        disk = os.statvfs(self.folder)
        self.limit = limit if limit is not None else min(LIMIT, int(OF_FREE * disk.f_bavail * disk.f_frsize))

    def get(self, name: str) -> NDArray | None:
        """The array of this name, mapped and not read; None where there is none."""
        path = self._path(name)
        self._mine.add(name)
        try:
            found = np.load(path, mmap_mode="r", allow_pickle=False)
            os.utime(path)
        except (OSError, ValueError, EOFError):
            return None
        return found

    def put(self, name: str, array: NDArray) -> bool:
        """Keep an array; whether there was room for it."""
        if not self._room(array.nbytes):
            return False
        self._mine.add(name)
        try:
            write_atomically(self._path(name), lambda file: np.save(file, array, allow_pickle=False), own=True)
        except FileProblem:
            return False
        return True

    def remove(self, name: str) -> None:
        """Keep the array of this name no longer."""
        with contextlib.suppress(OSError):
            self._path(name).unlink()

    def close(self) -> None:
        """Remove all that was put here or asked for since it was opened; what others keep stays."""
        for name in tuple(self._mine):
            self.remove(name)

    def _path(self, name: str) -> Path:
        return self.folder / f"{name}.npy"

    def _room(self, wanted: int) -> bool:
        """Make room by removing what was not asked for longest, but nothing that is nearly as new as this."""
        files = []
        for path in self.folder.glob("*.npy"):
            with contextlib.suppress(OSError):
                about = path.stat()
                files.append((about.st_mtime, about.st_size, path))
        held = sum(size for _, size, _ in files)
        for age, size, path in sorted(files):
            if held + wanted <= self.limit:
                break
            if age > self._opened:  # it is needed now
                return False
            with contextlib.suppress(OSError):
                path.unlink()
                held -= size
        return held + wanted <= self.limit
