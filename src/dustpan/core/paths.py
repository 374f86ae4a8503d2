"""Folders of the application: cache, demo pictures, log."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

import platformdirs


def cache_folder() -> Path:
    """A writable folder for what can be made anew; a temporary one where the home is read-only."""
    chosen = os.environ.get("DUSTPAN_CACHE")
    for folder in (Path(chosen) if chosen else Path(platformdirs.user_cache_dir("dustpan")), _temporary()):
        try:
            folder.mkdir(parents=True, exist_ok=True)
            with tempfile.TemporaryFile(dir=folder):
                return folder
        except OSError:
            continue
    return Path(tempfile.mkdtemp(prefix="dustpan-"))


def _temporary() -> Path:
    return Path(tempfile.gettempdir()) / f"dustpan-{os.getuid()}"


def prepare_kernel_cache() -> None:
    """Tell numba where to keep compiled kernels. Must run before numba is imported."""
    os.environ.setdefault("NUMBA_CACHE_DIR", str(cache_folder() / "kernels"))


def demo_folder() -> Path:
    return cache_folder() / "tidewrack"
