"""What all parts of rendering share: the picture, the threads, what is kept, and what was measured."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

from dustpan.core.fact import FactKind
from dustpan.core.picture import Picture
from dustpan.core.render.cache import Cache, Cancel
from dustpan.core.render.facts import Facts, Read, Sample, Subject, opened
from dustpan.core.render.layers import Layers


class Shop:
    """The workshop of one picture.

    Parameters
    ----------
    picture : the source. threads : how many tiles are computed at a time. cache : where they are kept.
    read, sample : see `Facts`.
    """

    def __init__(self, picture: Picture, threads: int | None, cache: Cache | None, read: Read, sample: Sample) -> None:
        self.picture = picture
        self.size = picture.size
        self.cache = cache or Cache()
        self._own = cache is None
        self.threads = threads or os.cpu_count() or 2
        self.pool = ThreadPoolExecutor(self.threads, thread_name_prefix="tile")
        self.facts = Facts(picture, self.cache, self.threads, read, sample)

    def close(self) -> None:
        """Wait for what is running and give the threads back."""
        self.pool.shutdown(wait=True, cancel_futures=True)
        self.facts.close()
        if self._own:
            self.cache.clear()  # at once: what refers to it in circles may live for a while

    def subject(self, layers: Layers) -> Subject:
        """What a fact about the result of these layers is about."""
        changing = [n for n, layer in enumerate(layers, 1) if layer.step.kind.gives]
        return Subject(layers, layers[: changing[-1]] if changing else ())

    def begin_facts(self, layers: Layers, cancel: Cancel, draft: bool = False) -> Callable[[], dict[FactKind, Any]]:
        """Begin to measure what the last layer asks for; the call that is returned waits for it."""
        layer, subject = layers[-1], self.subject(layers[:-1])
        missing = [f for f in layer.step.facts if f not in layer.facts]
        begun = {f: self.facts.begin(f, subject, cancel, draft) for f in missing}

        def ready() -> dict[FactKind, Any]:
            found = {f: opened(wait()) for f, wait in begun.items()}
            if draft:  # stand-ins are not for those that compute exactly
                return {**layer.facts, **found}
            layer.facts.update(found)
            return layer.facts

        return ready

    def facts_of(self, layers: Layers, cancel: Cancel) -> dict[FactKind, Any]:
        """What the last layer asks for, measured."""
        return self.begin_facts(layers, cancel)()


def results_of(work: Sequence[Future]) -> list[Any]:
    """The results of jobs; when one fails the others are called off."""
    try:
        return [job.result() for job in work]
    except BaseException:
        for job in work:
            job.cancel()
        raise
