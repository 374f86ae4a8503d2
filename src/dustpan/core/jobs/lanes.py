"""Lanes: threads that do what is wished one after the other, and call a wish off when a newer one comes."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from threading import Lock

from dustpan.core.cancel import Cancel

Work = Callable[[Cancel], None]


class Lane:
    """One thread. Its work takes a flag and ends soon once that is set."""

    def __init__(self, name: str) -> None:
        self.cancel = Cancel()
        self._pool = ThreadPoolExecutor(1, thread_name_prefix=name)
        self._lock = Lock()
        self._stopped = False

    def wish(self, work: Work) -> Cancel:
        """Do this next, and call off what was wished before; gives the flag that calls this off."""
        with self._lock:
            self.cancel.set()
            self.cancel = Cancel()
            if not self._stopped:
                self._pool.submit(_begun, work, self.cancel)
            return self.cancel

    def add(self, work: Work, cancel: Cancel | None = None) -> Future | None:
        """Do this after all that was wished before; it is called off by ``cancel``, or with the lane."""
        with self._lock:
            return None if self._stopped else self._pool.submit(_begun, work, cancel or self.cancel)

    def call_off(self) -> None:
        """End what is going on; later wishes are not affected."""
        with self._lock:
            self.cancel.set()
            self.cancel = Cancel()

    def stop(self) -> None:
        """End everything and wait for it."""
        with self._lock:
            self._stopped = True
            self.cancel.set()
        self._pool.shutdown(wait=True, cancel_futures=True)


def _begun(work: Work, cancel: Cancel) -> None:
    if not cancel.wanted:
        work(cancel)
