"""What is kept between renderings."""

from __future__ import annotations

import threading
from collections import OrderedDict
from typing import Any

from numpy.typing import NDArray

from dustpan.core.fact import bytes_of
from dustpan.core.render.tiling import Place

FACTS_SHARE = 0.25  # of the limit, that facts may take; they are small and dear
Key = tuple[str, Place]


class Cache:
    """Tiles and facts by key, the longest unused dropped first once ``limit`` bytes are reached.

    What is kept owns its memory: a view would keep all of the array alive that it looks into. An array may be kept
    under several keys and counts once. Facts have a share of the limit of their own, so that they are not dropped for
    tiles.
    """

    def __init__(self, limit: int = 1_000_000_000) -> None:
        self.limit = limit
        self._items: OrderedDict[Key, NDArray] = OrderedDict()
        self._facts: OrderedDict[tuple[str, str], tuple[Any, int]] = OrderedDict()
        self._bytes = self._fact_bytes = 0
        self._uses: dict[int, int] = {}  # of each array, under how many keys it is kept
        self._lock = threading.Lock()

    @property
    def held(self) -> int:
        """Bytes of the tiles that are kept."""
        return self._bytes

    def clear(self) -> None:
        """Let go of everything."""
        with self._lock:
            self._items.clear()
            self._facts.clear()
            self._uses.clear()
            self._bytes = self._fact_bytes = 0

    def get(self, key: Key) -> NDArray | None:
        with self._lock:
            if key not in self._items:
                return None
            self._items.move_to_end(key)
            return self._items[key]

    def put(self, key: Key, value: NDArray) -> None:
        """Keep a tile.

        Raises
        ------
        ValueError : for a view, which would keep more alive than it counts for.
        """
        if not _owns_its_memory(value):
            raise ValueError("a view cannot be kept")
        value.setflags(write=False)  # whoever is handed it cannot change what is kept
        with self._lock:
            old = self._items.pop(key, None)
            self._items[key] = value
            self._use(value, 1)
            if old is not None:
                self._use(old, -1)
            while self._bytes > self.limit and len(self._items) > 1:
                _, dropped = self._items.popitem(last=False)
                self._use(dropped, -1)

    def _use(self, array: NDArray, more: int) -> None:
        """Count an array once, under however many keys it is kept."""
        before = self._uses.pop(id(array), 0)
        if before + more:
            self._uses[id(array)] = before + more
        self._bytes += array.nbytes * (bool(before + more) - bool(before))

    def fact(self, key: tuple[str, str]) -> Any:
        with self._lock:
            if key not in self._facts:
                return None
            self._facts.move_to_end(key)
            return self._facts[key][0]

    def keep_fact(self, key: tuple[str, str], value: Any) -> None:
        """Keep a fact; the longest unused go once facts take more than their share."""
        size = bytes_of(value)
        with self._lock:
            old = self._facts.pop(key, None)
            if old is not None:
                self._fact_bytes -= old[1]
            self._facts[key] = (value, size)
            self._fact_bytes += size
            while self._fact_bytes > FACTS_SHARE * self.limit and len(self._facts) > 1:
                _, (_, dropped) = self._facts.popitem(last=False)
                self._fact_bytes -= dropped


def _owns_its_memory(array: NDArray) -> bool:
    """Whether it is no part of a larger array; another way to look at all of one is no part."""
    base = array.base
    return base is None or getattr(base, "nbytes", array.nbytes) <= array.nbytes
