"""Crash safety: unsaved sweeps are kept every few seconds in a folder of their own, and offered back after a crash.

Each running window has a file that names its process; sweeps whose process is gone were left by a crash.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import logging
import logging.handlers
import os
from dataclasses import dataclass
from pathlib import Path

from dustpan.core.errors import DustpanError
from dustpan.core.paths import cache_folder
from dustpan.core.sweep import Sweep, load_sweep
from dustpan.ui.document import Document

EVERY_MS = 3000


@dataclass(frozen=True)
class Left:
    """Unsaved work that a crash left: the picture and its sweep."""

    file: Path
    picture: Path
    sweep: Sweep


def safety_folder() -> Path:
    return cache_folder() / "unsaved"


def _file_for(document: Document) -> Path:
    name = hashlib.blake2b(str(document.path).encode(), digest_size=8).hexdigest()
    return safety_folder() / f"{os.getpid()}-{name}.sweep.json"


def keep(document: Document) -> None:
    """Keep a document's unsaved work, or forget it when there is none; a full disk must not disturb."""
    path = _file_for(document)
    with contextlib.suppress(DustpanError, OSError):
        if not document.history.dirty:
            path.unlink(missing_ok=True)
            return
        if document.kept_safe == document.sweep and path.exists():
            return
        path.parent.mkdir(parents=True, exist_ok=True)
        document.save(path)
        document.kept_safe = document.sweep
        path.with_suffix(".picture").write_text(str(document.path), "utf-8")


def forget(document: Document) -> None:
    """The work is saved or was given up."""
    drop(_file_for(document))


def left_by_crashes() -> list[Left]:
    """Unsaved work of processes that are gone; what cannot be read is dropped."""
    found = []
    for path in sorted(safety_folder().glob("*.sweep.json")) if safety_folder().is_dir() else []:
        process = path.name.split("-")[0]
        if not process.isdigit() or _runs(int(process)):
            continue
        try:
            picture = Path(path.with_suffix(".picture").read_text("utf-8"))
            found.append(Left(path, picture, load_sweep(path)))
        except (OSError, UnicodeDecodeError, DustpanError, json.JSONDecodeError):
            drop(path)
    return found


def drop(path: Path) -> None:
    """Forget what a crash left."""
    for p in (path, path.with_suffix(".picture")):
        with contextlib.suppress(OSError):
            p.unlink(missing_ok=True)


def _runs(process: int) -> bool:
    if process == os.getpid():
        return True
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True


def start_log() -> Path | None:
    """Write warnings and worse to a log file of bounded size; gives its path."""
    path = cache_folder() / "dustpan.log"
    try:
        handler = logging.handlers.RotatingFileHandler(path, maxBytes=500_000, backupCount=1, encoding="utf-8")
    except OSError:
        return None
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    logging.getLogger().addHandler(handler)
    return path
