"""What all parts of rendering share: the picture, the threads, what is kept, and what was measured."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.blend import Blend
from dustpan.core.cancel import Cancel
from dustpan.core.fact import FactKind
from dustpan.core.noise.measure import DRAFT_LEAVES, NOISE_PRINT
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.picture import Picture
from dustpan.core.render.by_place import KNOWN, Known
from dustpan.core.render.cache import Cache
from dustpan.core.render.facts import ByPlace, Facts, Read, Sample, Subject, opened
from dustpan.core.render.layers import Layers, handed_on, input_of, on_top_of
from dustpan.core.where.mask import EVERYWHERE


class Shop:
    """The workshop of one picture.

    Parameters
    ----------
    picture : the source. threads : how many tiles are computed at a time. cache : where they are kept.
    read, sample, place : see `Facts`.
    """

    def __init__(
        self, picture: Picture, threads: int | None, cache: Cache | None, read: Read, sample: Sample, place: ByPlace
    ) -> None:
        self.picture = picture
        self.size = picture.size
        self.cache = cache or Cache()
        self._own = cache is None
        self.threads = threads or os.cpu_count() or 2
        self.pool = ThreadPoolExecutor(self.threads, thread_name_prefix="tile")
        self.facts = Facts(picture, self.cache, self.threads, read, sample, place)

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
        layer, below = layers[-1], input_of(layers)
        subject = self.subject(below)
        missing = [f for f in layer.step.facts if f not in layer.facts]
        begun = {f: self.facts.begin(f, subject, cancel, draft) for f in missing}

        def ready() -> dict[FactKind, Any]:
            found = {f: opened(wait()) for f, wait in begun.items()}
            if KNOWN not in layer.facts and any(f.handed_on for f in layer.step.facts):
                found[KNOWN] = self.known(below, cancel, draft)
            if draft:  # stand-ins are not for those that compute exactly
                return {**layer.facts, **found}
            layer.facts.update(found)
            return layer.facts

        return ready

    def known(self, layers: Layers, cancel: Cancel, draft: bool = False) -> Known | None:
        """What is known by place of the noise of a result; None where its print holds everywhere."""
        base = handed_on(layers)
        noise = opened(self.facts.begin(NOISE_PRINT, self.subject(base), cancel, draft)())
        if len(base) == len(layers):
            return Known(noise, noise.places, (0.0, 0.0)) if noise.places is not None else None
        since = range(len(base), len(layers))
        facts = {n: self.begin_facts(layers[: n + 1], cancel, draft)() for n in since if layers[n].step.facts}
        residue = self._residue(layers[: len(base) + 1], noise, cancel, draft)
        return Known(noise, noise.places, residue, facts)

    def _residue(self, layers: Layers, noise: NoisePrint, cancel: Cancel, draft: bool) -> tuple[float, float]:
        """What is left of luminance and colour noise where the last layer takes out all that it can."""
        step = layers[-1].step
        shares = step.kind.noise.shares
        if shares is None:
            return 0.0, 0.0
        if draft:
            return DRAFT_LEAVES, DRAFT_LEAVES
        params = shares.everything(step.params)
        whole = replace(step, params=params, where=EVERYWHERE, opacity=1.0, blend=Blend.NORMAL)
        below = layers[:-1]
        after = self.facts.begin(NOISE_PRINT, self.subject([*below, on_top_of(self.picture, below, whole)]), cancel)()
        found = (p.luminance_sigma(p.usual.mean(keepdims=True)) for p in (noise, opened(after)))
        luminance = _ratio(*found)
        found = (p.colour_sigma(p.usual.mean(keepdims=True)) for p in (noise, opened(after)))
        return luminance, _ratio(*found)

    def facts_of(self, layers: Layers, cancel: Cancel) -> dict[FactKind, Any]:
        """What the last layer asks for, measured."""
        return self.begin_facts(layers, cancel)()


def _ratio(before: NDArray[np.float64], after: NDArray[np.float64]) -> float:
    return float(np.clip(after[0] / before[0], 0, 1)) if before[0] > 0 else 0.0


def results_of(work: Sequence[Future]) -> list[Any]:
    """The results of jobs; when one fails the others are called off."""
    try:
        return [job.result() for job in work]
    except BaseException:
        for job in work:
            job.cancel()
        raise
