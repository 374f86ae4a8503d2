"""Errors that a person can act on.

Every failure that bad input or a bad disk can cause ends as a `DustpanError` whose text is one sentence: what
happened, to which file, and what to do next. Front ends print or show that sentence and nothing else. The sentence is
in the language in use: give the English text with ``{0}``, ``{1}`` … where values belong, and the values after it.
"""

from __future__ import annotations

import errno
from pathlib import Path

from dustpan.core.language import say
from dustpan.core.text import name_of, plain


class DustpanError(Exception):
    """Something that went wrong and that the person can understand; ``str(error)`` is one clear sentence."""


class FileProblem(DustpanError):
    """A file that cannot be read or written as asked.

    Parameters
    ----------
    path : the file that the sentence is about.
    why : the reason, without the name and without a full stop.
    values : what is put into the reason.
    """

    def __init__(self, path: str | Path, why: str, *values: object) -> None:
        self.path, self.reason = Path(path), plain(say(why, *values))
        super().__init__(f"{name_of(self.path)}: {self.reason}.")


class WrongUse(DustpanError):
    """A request that makes no sense: an unknown step, a value out of range, an order that cannot work."""

    def __init__(self, sentence: str, *values: object) -> None:
        super().__init__(plain(say(sentence, *values)))


class Cancelled(Exception):
    """Raised inside long work when its cancel flag was set; never shown to the person."""


def os_reason(error: OSError) -> str:
    """The reason of an operating-system error in plain words."""
    plain = {
        errno.ENOENT: say("there is no such file"),
        errno.EACCES: say("you have no right to read or write it"),
        errno.EPERM: say("you have no right to change it"),
        errno.EISDIR: say("it is a folder, not a file"),
        errno.ENOTDIR: say("part of its path is not a folder"),
        errno.ENOSPC: say("the disk is full"),
        errno.EDQUOT: say("the disk quota is used up"),
        errno.EROFS: say("the disk is read-only"),
        errno.EFBIG: say("the disk cannot hold a file of that size"),
        errno.ENAMETOOLONG: say("its name is too long"),
    }
    return plain.get(error.errno or 0, (error.strerror or str(error) or say("the disk reported an error")).lower())
