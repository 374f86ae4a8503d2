"""The sweep beside a picture: read, written, and never written over unseen."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Mapping
from itertools import count
from pathlib import Path
from typing import Any

from dustpan.core.errors import DustpanError, FileProblem, os_reason
from dustpan.core.language import say
from dustpan.core.sweep import Sweep, beside, load_sweep, save_sweep


class SavedSweep:
    """The sweep file of one picture.

    Attributes
    ----------
    there : whether there was one when the picture was opened. unread : there is one that this Dustpan could not read,
        and must not write over. warning : what is said about that; empty otherwise.
    """

    def __init__(self, picture: Path) -> None:
        self.path = beside(picture)
        self.there = self.path.exists()
        self.unread, self.warning = False, ""
        self._known = _fingerprint(self.path)

    def read(self) -> Sweep | None:
        """The sweep that was saved; None without one that can be read."""
        if not self.there:
            return None
        try:
            return load_sweep(self.path)
        except DustpanError as error:
            self.unread = True
            self.warning = say("{0} The suggested sweep is shown instead; the file was left as it is.", error)
            return None

    @property
    def changed(self) -> bool:
        """Whether there is a sweep now, and another one than was read or written last."""
        return _fingerprint(self.path) not in ("", self._known)

    def write(self, sweep: Sweep, about: Mapping[str, Any]) -> Path:
        """Write it atomically; `FileProblem` when that is not possible."""
        save_sweep(sweep, self.path, about)
        self._known = _fingerprint(self.path)
        return self.path

    def set_aside(self) -> Path | None:
        """Give the file another name; gives that, or None when there is none.

        Raises
        ------
        FileProblem : the folder does not allow it.
        """
        if not self.path.exists():
            return None
        names = (self.path.with_name(f"{self.path.name}.old-{n}") for n in count(1))
        free = next(p for p in names if not os.path.lexists(p))
        try:
            os.rename(self.path, free)
        except OSError as error:
            words = "it could not be set aside: {0}; nothing was changed"
            raise FileProblem(self.path, words, os_reason(error)) from None
        self.unread, self._known = False, ""
        return free


def _fingerprint(path: Path) -> str:
    """What a file holds, as a short name; empty for none."""
    try:
        return hashlib.blake2b(path.read_bytes(), digest_size=16).hexdigest()
    except OSError:
        return ""
