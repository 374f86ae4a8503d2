"""Errors that a person can act on.

Every failure that bad input or a bad disk can cause ends as a `DustpanError` whose text is one sentence: what
happened, to which file, and what to do next. Front ends print or show that sentence and nothing else.
"""

from __future__ import annotations

from pathlib import Path


class DustpanError(Exception):
    """Something that went wrong and that the person can understand; ``str(error)`` is one clear sentence."""


class FileProblem(DustpanError):
    """A file that cannot be read or written as asked.

    Parameters
    ----------
    path : the file that the sentence is about.
    why : the reason, without the name and without a full stop.
    """

    def __init__(self, path: str | Path, why: str) -> None:
        self.path = Path(path)
        super().__init__(f"{self.path.name or self.path}: {why}.")


class WrongUse(DustpanError):
    """A request that makes no sense: an unknown step, a value out of range, an order that cannot work."""


class Cancelled(Exception):
    """Raised inside long work when its cancel flag was set; never shown to the person."""


def os_reason(error: OSError) -> str:
    """The reason of an operating-system error in plain words."""
    import errno

    plain = {
        errno.ENOENT: "there is no such file",
        errno.EACCES: "you have no right to read or write it",
        errno.EPERM: "you have no right to change it",
        errno.EISDIR: "it is a folder, not a file",
        errno.ENOTDIR: "part of its path is not a folder",
        errno.ENOSPC: "the disk is full",
        errno.EDQUOT: "the disk quota is used up",
        errno.EROFS: "the disk is read-only",
        errno.EFBIG: "the disk cannot hold a file of that size",
        errno.ENAMETOOLONG: "its name is too long",
    }
    return plain.get(error.errno or 0, (error.strerror or str(error) or "the disk reported an error").lower())
