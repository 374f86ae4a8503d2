"""Writing a file so that either the old or the whole new one is there, whatever happens on the way."""

from __future__ import annotations

import contextlib
import errno
import fcntl
import os
import re
import secrets
import shutil
import stat
from collections.abc import Callable
from pathlib import Path
from typing import Any, BinaryIO

from dustpan.core.errors import FileProblem, os_reason
from dustpan.core.files.guard import GUARD
from dustpan.core.files.reading import digest, fingerprint

SHOWN = 80  # bytes of the target's name that a temporary one shows
PART = re.compile(r"\..+-[0-9a-f]{12}\.part", re.DOTALL)
UNSUPPORTED = {errno.EOPNOTSUPP, errno.EISDIR, errno.ENOENT, errno.EINVAL}


def write_atomically(
    path: Path,
    write: Callable[[BinaryIO], Any],
    replaces: tuple[str | Path, ...] = (),
    own: bool = False,
    expects: str | None = None,
) -> None:
    """The door for everything that is written: a file of this run, or one open in a window, is not written over.

    Write to a file without a name in the same folder, flush it to the disk, then put it in the target's place.

    A process that is killed leaves nothing behind: the file gets a name only when it is complete. (On file systems
    that know no such files it has a hidden name ending in ``.part`` meanwhile; the next write in that folder removes
    those whose writer is gone.)

    Parameters
    ----------
    path : the target. A symbolic link in its place is replaced and not followed. Who may read and write an old file
        is kept; what lets it run as somebody else is not.
    write : gets the open binary file; may read and seek in it as well.
    replaces : files that may be written over although they are read here, because the person said so.
    expects : what a file that is there has to hold to be written over (`reading.fingerprint`; empty: none may be
        there), unless it holds just what is written; None for whatever it holds.
    own : it is a file that Dustpan keeps for itself, such as a sweep beside a picture, and was read before.

    Raises
    ------
    TargetTaken : somebody has put another file there than is expected. It is left as it is.
    FileProblem : with the reason (no right, disk full …); the target is then as it was and nothing is left behind.
    """
    hidden: Path | None = None
    if not own:
        GUARD.check(path, replaces)
    try:
        if path.is_dir() and not path.is_symlink():
            raise FileProblem(path, "it is a folder, not a file")
        _remove_what_was_killed(path.parent)
        handle, hidden = _open_beside(path)
        with os.fdopen(handle, "w+b") as file:
            if (mode := _mode_of(path)) is not None:
                os.fchmod(file.fileno(), mode)
            write(file)
            file.flush()
            os.fsync(file.fileno())
            if expects is not None:
                _only_over(path, file, expects)
            hidden = hidden or _named(file, path)
            os.replace(hidden, path)
        hidden = None
        _flush_folder(path.parent)
    except OSError as error:
        raise FileProblem(path, "it could not be written: {0}; nothing was changed", os_reason(error)) from None
    finally:
        if hidden is not None:
            with contextlib.suppress(OSError):
                os.unlink(hidden)


class TargetTaken(FileProblem):
    """Another file is where one was to be written."""


def _only_over(path: Path, file: BinaryIO, expects: str) -> None:
    if not os.path.lexists(path):
        return
    there = "" if path.is_symlink() else fingerprint(path)
    if there and there == expects:
        return
    file.seek(0)
    if not there or digest(file) != there:
        raise TargetTaken(path, "there is another file of that name by now; it is left as it is")


def _open_beside(path: Path) -> tuple[int, Path | None]:
    """An open file in the target's folder, and its name where it has to have one. The process's umask applies."""
    if hasattr(os, "O_TMPFILE"):
        try:
            handle = os.open(path.parent, os.O_TMPFILE | os.O_RDWR | os.O_CLOEXEC, 0o666)
        except OSError as error:
            if error.errno not in UNSUPPORTED:
                raise
        else:
            _lock(handle)
            return handle, None
    return _open_named(path)


def _open_named(path: Path) -> tuple[int, Path]:
    hidden = _hidden_name(path)
    handle = os.open(hidden, os.O_CREAT | os.O_EXCL | os.O_RDWR | os.O_CLOEXEC, 0o666)
    _lock(handle)
    return handle, hidden


def _named(file: BinaryIO, path: Path) -> Path:
    """Give a complete file without a name a hidden one beside the target; where that cannot be, copy it."""
    hidden = _hidden_name(path)
    folder = os.open(path.parent, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        # with a folder's handle this is linkat(2) with AT_SYMLINK_FOLLOW; without one it would link the link itself
        os.link(f"/proc/self/fd/{file.fileno()}", hidden.name, dst_dir_fd=folder, follow_symlinks=True)
    except OSError as error:
        if error.errno not in {errno.ENOENT, errno.EXDEV, errno.EPERM, errno.EOPNOTSUPP}:
            raise
        handle, hidden = _open_named(path)
        with os.fdopen(handle, "wb") as copy:
            os.fchmod(copy.fileno(), stat.S_IMODE(os.fstat(file.fileno()).st_mode))
            file.seek(0)
            shutil.copyfileobj(file, copy)
            copy.flush()
            os.fsync(copy.fileno())
    finally:
        os.close(folder)
    return hidden


def _lock(handle: int) -> None:
    """Mark a file as being written: the lock goes with the process."""
    with contextlib.suppress(OSError):
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)


def _remove_what_was_killed(folder: Path) -> None:
    """Remove hidden parts whose writer is gone: nobody holds their lock."""
    names: list[str] = []
    with contextlib.suppress(OSError):  # a folder may be written to and not listed
        names = os.listdir(folder)
    for name in filter(PART.fullmatch, names):
        with contextlib.suppress(OSError):
            handle = os.open(folder / name, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                os.unlink(folder / name)
            finally:
                os.close(handle)


def _hidden_name(path: Path) -> Path:
    shown = os.fsdecode(os.fsencode(path.name)[:SHOWN])
    return path.with_name(f".{shown}-{secrets.token_hex(6)}.part")


def _mode_of(target: Path) -> int | None:
    """Who may read, write and run an old file; None where there is none."""
    try:
        found = os.lstat(target)
    except OSError:
        return None
    return stat.S_IMODE(found.st_mode) & 0o777 if stat.S_ISREG(found.st_mode) else None


def _flush_folder(folder: Path) -> None:
    """Bring the new name to the disk; not every file system can, and then there is nothing to be done."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
