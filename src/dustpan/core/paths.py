"""Folders of the application: cache, demo pictures, log."""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
import stat
import tempfile
import time
from functools import cache
from pathlib import Path

import platformdirs

KERNELS_KEPT = 30  # days that compiled kernels of another version of the code are kept unused


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


def prepare_kernel_cache() -> None:
    """Tell numba where to keep compiled kernels. Must run before numba is imported.

    Every version of the code has a folder of its own: kernels are built from functions of other files as well, and
    numba looks only at the kernel's own to see whether it has changed.
    """
    if "NUMBA_CACHE_DIR" in os.environ:
        return
    kernels = cache_folder() / "kernels"
    own = kernels / _version_of(Path(__file__).parent.parent)
    try:
        own.mkdir(parents=True, exist_ok=True)
        os.utime(own)
        for other in kernels.iterdir():
            if time.time() - other.stat().st_mtime > KERNELS_KEPT * 86400:
                shutil.rmtree(other, ignore_errors=True)
    except OSError:
        pass  # another process tidies up, too
    os.environ["NUMBA_CACHE_DIR"] = str(own)


def _version_of(code: Path) -> str:
    """A name for the kernels in a folder of sources, which changes with every source that holds some."""
    digest = hashlib.blake2b(digest_size=8)
    for source in sorted(code.rglob("*.py")):
        text = source.read_bytes()
        if b"njit" in text:
            digest.update(text)
    return digest.hexdigest()


def demo_folder() -> Path:
    return cache_folder() / "tidewrack"
