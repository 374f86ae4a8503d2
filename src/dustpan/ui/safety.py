"""Crash safety: unsaved sweeps are kept every few seconds in a folder of their own, and offered back after a crash.

Every session has a random name and holds a lock on a file of that name for as long as it runs; sweeps whose session
holds no lock were left by a crash. Process numbers come back, and mean nothing on another machine; locks do not. A
session removes only what it wrote itself: what another one left is set aside once it was brought back, or when it
cannot be read.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import logging
import logging.handlers
import os
import secrets
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from dustpan.core.errors import DustpanError
from dustpan.core.files.atomic import write_atomically
from dustpan.core.open.document import Document
from dustpan.core.paths import cache_folder
from dustpan.core.sweep import Sweep, load_sweep

EVERY_MS = 3000
SWEEP, PICTURE, LOCK, ASIDE = ".sweep.json", ".picture", ".lock", "set aside"


@dataclass(frozen=True)
class Left:
    """Unsaved work that a crash left: the picture and its sweep."""

    file: Path
    picture: Path
    sweep: Sweep


def safety_folder() -> Path:
    return cache_folder() / "unsaved"


class Session:
    """This run of the application: a name of its own, and a lock that ends with it however it ends."""

    def __init__(self) -> None:
        self.name = secrets.token_hex(8)
        self._held: BinaryIO | None = None
        self._folder: Path | None = None

    def begin(self, folder: Path) -> None:
        """Hold the lock in a folder; once."""
        if self._folder == folder:
            return
        self.end()
        folder.mkdir(parents=True, exist_ok=True)
        held = (folder / f"{self.name}{LOCK}").open("wb")
        try:
            fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            held.close()
            raise
        self._held, self._folder = held, folder

    def end(self) -> None:
        """Let go of the lock and take its file away."""
        if self._held is not None and self._folder is not None:
            with contextlib.suppress(OSError):
                (self._folder / f"{self.name}{LOCK}").unlink()
            self._held.close()
        self._held = self._folder = None


SESSION = Session()


def _file_for(document: Document) -> Path:
    name = hashlib.blake2b(os.fsencode(document.path), digest_size=8).hexdigest()
    return safety_folder() / f"{SESSION.name}-{name}{SWEEP}"


def _picture_file(path: Path) -> Path:
    return path.with_name(path.name.removesuffix(SWEEP) + PICTURE)


def keep(document: Document) -> None:
    """Keep a document's unsaved work, or forget it when there is none; a full disk must not disturb."""
    path = _file_for(document)
    with contextlib.suppress(DustpanError, OSError):
        if not document.history.dirty:
            drop(path)
            return
        if document.kept_safe == document.sweep and path.exists():
            return
        SESSION.begin(path.parent)
        document.save(path)
        write_atomically(_picture_file(path), lambda file: file.write(os.fsencode(document.path)))
        document.kept_safe = document.sweep


def forget(document: Document) -> None:
    """The work is saved or was given up."""
    drop(_file_for(document))


def left_by_crashes() -> list[Left]:
    """Unsaved work of sessions that have ended; what cannot be read is set aside."""
    folder, found = safety_folder(), []
    for path in sorted(folder.glob(f"*{SWEEP}")) if folder.is_dir() else []:
        session = path.name.split("-")[0]
        if session == SESSION.name or _runs(folder / f"{session}{LOCK}"):
            continue
        try:
            picture = Path(os.fsdecode(_picture_file(path).read_bytes()))
            found.append(Left(path, picture, load_sweep(path)))
        except (OSError, DustpanError, ValueError):
            set_aside(path)
    return found


def drop(path: Path) -> None:
    """Remove what this session kept."""
    if path.name.startswith(SESSION.name):
        for p in (_picture_file(path), path):
            with contextlib.suppress(OSError):
                p.unlink(missing_ok=True)


def set_aside(path: Path) -> None:
    """Put what another session left where it is not offered again; nothing is removed."""
    aside = path.parent / ASIDE
    for p in (_picture_file(path), path):
        with contextlib.suppress(OSError):
            aside.mkdir(exist_ok=True)
            os.replace(p, aside / p.name)


def _runs(lock: Path) -> bool:
    """Whether a session still holds its lock, here or on another machine that shares the folder."""
    try:
        with lock.open("rb") as held:
            fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except FileNotFoundError:
        return False
    except OSError:
        return True
    return False


def start_log() -> Path | None:
    """Write warnings and worse to a log file of bounded size; gives its path."""
    path = cache_folder() / "dustpan.log"
    try:
        handler = logging.handlers.RotatingFileHandler(
            path, maxBytes=500_000, backupCount=1, encoding="utf-8", errors="backslashreplace"
        )
    except OSError:
        return None
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    logging.getLogger().addHandler(handler)
    return path
