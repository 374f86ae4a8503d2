"""What is kept between renderings, and the flag that calls one off."""

from __future__ import annotations

import threading
from collections import OrderedDict
from typing import Any

from numpy.typing import NDArray

from dustpan.core.errors import Cancelled


class Cancel:
    """A flag that long work reads; once set, `check` raises `Cancelled`."""

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


class Cache:
    """Tiles and facts by key, the longest unused dropped first once ``limit`` bytes are reached."""

    def __init__(self, limit: int = 1_000_000_000) -> None:
        self.limit = limit
        self._items: OrderedDict[tuple, NDArray] = OrderedDict()
        self._facts: OrderedDict[tuple, Any] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()

    def get(self, key: tuple) -> NDArray | None:
        with self._lock:
            if key not in self._items:
                return None
            self._items.move_to_end(key)
            return self._items[key]

    def put(self, key: tuple, value: NDArray) -> None:
        with self._lock:
            old = self._items.pop(key, None)
            if old is not None:
                self._bytes -= old.nbytes
            self._items[key] = value
            self._bytes += value.nbytes
            while self._bytes > self.limit and len(self._items) > 1:
                _, dropped = self._items.popitem(last=False)
                self._bytes -= dropped.nbytes

    def fact(self, key: tuple) -> Any:
        with self._lock:
            if key in self._facts:
                self._facts.move_to_end(key)
            return self._facts.get(key)

    def keep_fact(self, key: tuple, value: Any) -> None:
        """Facts are small and dear: they are not dropped for tiles, only for newer facts."""
        with self._lock:
            self._facts[key] = value
            while len(self._facts) > 64:
                self._facts.popitem(last=False)
