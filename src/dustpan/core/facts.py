"""Facts: what steps are told about a picture, and about what the steps before them left of it; measured once."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, NamedTuple

from numpy.typing import NDArray

from dustpan.core.cache import Cache, Cancel
from dustpan.core.noise.blacks import measure_blacks
from dustpan.core.noise.measure import measure
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.picture import Picture
from dustpan.core.step import Fact

DRAFT_LEAVES = 0.3  # of the noise, at least: more than an exact result does


class Left(NamedTuple):
    """What a step left: the key of its result, and the id of its kind."""

    key: tuple
    kind: str


class Facts:
    """Those of one picture.

    Parameters
    ----------
    picture : the source. cache : where facts are kept. threads : how many are measured at a time.
    """

    def __init__(self, picture: Picture, cache: Cache, threads: int) -> None:
        self._picture, self._cache = picture, cache
        self._last: dict[str, NoisePrint] = {}  # by kind of step
        self._pool = ThreadPoolExecutor(threads, thread_name_prefix="measure")

    def close(self) -> None:
        """Wait for what is being measured."""
        self._pool.shutdown(wait=True, cancel_futures=True)

    def of_picture(self, fact: Fact, cancel: Cancel) -> Any:
        """A fact about the picture itself."""
        blacks = fact is Fact.BLACKS
        key = (Fact.BLACKS if blacks else Fact.NOISE_PRINT, (self._picture.key,))
        found = self._cache.fact(key)
        if found is None:
            pixels = self._picture.pixels
            if blacks:
                found = measure_blacks(pixels, self.of_picture(Fact.NOISE_PRINT, cancel))
            else:
                found = measure(pixels, cancel.check)
            self._cache.keep_fact(key, found)
        return found

    def begin(self, left: Left, sample: Callable[[], NDArray], cancel: Cancel, draft: bool) -> Callable[[], NoisePrint]:
        """Begin to measure the print of what a step left; the call that is returned waits for it.

        Nothing is measured for a draft, which leaves more than an exact result: it takes the last print that was
        measured of such a step, or `DRAFT_LEAVES` of the picture's noise where that is more.

        Parameters
        ----------
        left : what is measured. sample : makes the pixels (h, w, C) that it is measured on.
        """
        source: NoisePrint = self.of_picture(Fact.NOISE_PRINT, cancel)
        if draft:
            last = self._last.get(left.kind)
            known = last if last and last.strength >= DRAFT_LEAVES * source.strength else source.times(DRAFT_LEAVES)
            return lambda: known
        key = (Fact.NOISE_PRINT, left.key)
        kept = self._cache.fact(key)
        begun = None if kept else self._pool.submit(measure, sample(), cancel.check, source)

        def found() -> NoisePrint:
            result: NoisePrint = kept
            if begun:
                result = begun.result()
                self._cache.keep_fact(key, result)
            self._last[left.kind] = result
            return result

        return found
