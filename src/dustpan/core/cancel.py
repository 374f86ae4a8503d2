"""The flag that calls work off."""

from __future__ import annotations

import threading

from dustpan.core.errors import Cancelled


class Cancel:
    """A flag that long work reads; once set, `check` raises `Cancelled`.

    Examples
    --------
    >>> flag = Cancel()
    >>> flag.set()
    >>> flag.check()
    Traceback (most recent call last):
    dustpan.core.errors.Cancelled
    """

    def __init__(self) -> None:
        self._event = threading.Event()

    def set(self) -> None:
        self._event.set()

    @property
    def wanted(self) -> bool:
        return self._event.is_set()

    def pause(self, seconds: float) -> None:
        """Give way for so long, then `check`; at once when it is set meanwhile."""
        self._event.wait(seconds)
        self.check()

    def check(self) -> None:
        if self._event.is_set():
            raise Cancelled
