"""Writing a file so that either the old or the whole new one is there, whatever happens on the way."""

from __future__ import annotations

import contextlib
import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any, BinaryIO

from dustpan.core.errors import FileProblem, os_reason


def write_atomically(path: Path, write: Callable[[BinaryIO], Any]) -> None:
    """Write to a temporary file in the same folder, flush it to the disk, then put it in the target's place.

    Parameters
    ----------
    path : the target. A symbolic link is followed, so that the link stays one. Permissions of an old file are kept.
    write : gets the open binary file; may read and seek in it as well.

    Raises
    ------
    FileProblem : with the reason (no right, disk full …); the target is then as it was and nothing is left behind.
    """
    target = Path(os.path.realpath(path))
    temporary: str | None = None
    try:
        if target.is_dir():
            raise FileProblem(path, "it is a folder, not a file")
        handle, temporary = tempfile.mkstemp(prefix=f".{target.name[:80]}-", suffix=".part", dir=target.parent)
        with os.fdopen(handle, "w+b") as file:
            write(file)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, _mode(target))
        os.replace(temporary, target)
        temporary = None
    except OSError as error:
        raise FileProblem(path, "it could not be written: {0}; nothing was changed", os_reason(error)) from None
    finally:
        if temporary is not None:
            with contextlib.suppress(OSError):
                os.unlink(temporary)


def _mode(target: Path) -> int:
    try:
        return target.stat().st_mode & 0o7777
    except OSError:
        mask = os.umask(0)
        os.umask(mask)
        return 0o666 & ~mask
