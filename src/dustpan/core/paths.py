"""Folders of the application: cache, demo pictures, log."""

from __future__ import annotations

import contextlib
import os
import stat
import tempfile
from functools import cache
from pathlib import Path

import platformdirs


def cache_folder() -> Path:
    """A writable folder for what can be made anew; a temporary one where the home is read-only."""
    chosen = os.environ.get("DUSTPAN_CACHE")
    folder = Path(chosen) if chosen else Path(platformdirs.user_cache_dir("dustpan"))
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryFile(dir=folder):
            return folder
    except OSError:
        return _temporary()


@cache
def _temporary() -> Path:
    """A folder among the temporary ones that nobody else can write to, the same every time where that is possible.

    Compiled kernels are read from it, so one that somebody else could have filled is never taken.
    """
    folder = Path(tempfile.gettempdir()) / f"dustpan-{os.getuid()}"
    with contextlib.suppress(OSError):
        with contextlib.suppress(FileExistsError):
            folder.mkdir(mode=0o700)
        found = os.lstat(folder)  # a link is not followed: it would be somebody else's choice
        if stat.S_ISDIR(found.st_mode) and found.st_uid == os.getuid() and not found.st_mode & 0o077:
            return folder
    return Path(tempfile.mkdtemp(prefix="dustpan-"))


def demo_folder() -> Path:
    return cache_folder() / "tidewrack"
