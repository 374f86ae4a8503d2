"""Facts as futures: each is measured once, however many ask for it at the same time."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from concurrent.futures import TimeoutError as NotYet
from dataclasses import dataclass, replace
from functools import partial
from threading import Lock
from typing import Any

from numpy.typing import NDArray

from dustpan.core.cancel import Cancel
from dustpan.core.errors import Cancelled
from dustpan.core.fact import Asked, FactKind, Of, Scope
from dustpan.core.passes import passes_of
from dustpan.core.picture import Picture
from dustpan.core.region import Region
from dustpan.core.render.cache import Cache
from dustpan.core.render.layers import Layers, handed_on

PATIENCE = 0.02  # s between two looks at whether the one who waits was called off
Read = Callable[[Layers, Region, Cancel], NDArray]
Sample = Callable[[Layers, Cancel], tuple[NDArray, tuple[Region, ...]]]
ByPlace = Callable[[Layers, Region, Cancel], NDArray | None]


@dataclass(frozen=True)
class Subject:
    """What facts are about: the result of some layers, and those of them that the picture is compared at."""

    layers: Layers
    reference: Layers

    @property
    def is_picture(self) -> bool:
        return len(self.layers) <= len(self.reference)

    def of(self, kind: FactKind) -> Subject:
        """What a fact of this kind is about, when it is asked about these."""
        layers = handed_on(self.layers) if kind.handed_on else self.layers
        of_picture = kind.of is Of.PICTURE or len(layers) <= len(self.reference)
        return Subject(self.reference if of_picture else layers, self.reference)


class Facts:
    """Those of one picture.

    Parameters
    ----------
    picture : the source. cache : where facts are kept. threads : how many are measured at a time.
    read, sample : give the pixels of a region of some layers' result, and pixels to measure all of it on.
    place : gives how much stronger than its print the noise of such a region is, see `Context.by_place`.
    """

    def __init__(
        self, picture: Picture, cache: Cache, threads: int, read: Read, sample: Sample, place: ByPlace
    ) -> None:
        self._picture, self._cache, self._read, self._sample, self._place = picture, cache, read, sample, place
        self._running: dict[tuple[str, str], Future] = {}
        self._waiting: dict[tuple[str, str], tuple[Future, Callable[[], None]]] = {}  # for a thread to measure them
        self._last: dict[tuple[str, str], Any] = {}  # by fact and by kind of step, for drafts
        self._lock = Lock()
        self._pool = ThreadPoolExecutor(threads, thread_name_prefix="measure")

    def close(self) -> None:
        """Wait for what is being measured."""
        self._pool.shutdown(wait=True, cancel_futures=True)

    def key(self, kind: FactKind, subject: Subject) -> tuple[str, str]:
        """Where a fact is kept: its name and the pixels that it is about."""
        layers = subject.of(kind).layers
        return kind.name, layers[-1].after if layers else self._picture.key

    def begin(self, kind: FactKind, subject: Subject, cancel: Cancel, draft: bool = False) -> Callable[[], Any]:
        """Begin to measure a fact; the call that is returned waits for it.

        A fact about the picture is measured at once; one about a result on a thread of its own, so that other work is
        done meanwhile. For a draft nothing is measured of a result where its kind knows a substitute.
        """
        subject = subject.of(kind)
        if subject.is_picture:
            found = self._measured(kind, subject, cancel)
            return lambda: found
        own = self._own(kind, subject, cancel)
        last_key = (kind.name, subject.layers[-1].step.kind.id)
        if draft and kind.draft:
            stand_in = kind.draft(self._last.get(last_key), opened(own))
            return lambda: stand_in
        key = self.key(kind, subject)
        kept = self._cache.fact(key)
        if kept is not None:
            self._last[last_key] = kept
            return lambda: kept
        if kind.lasting or kind.name in subject.layers[-1].step.kind.carries:
            known = self._measured(kind, subject, cancel)
            return lambda: opened(known)
        with self._lock:
            mine = key not in self._running
            future = self._running.setdefault(key, Future())
        if mine:
            try:  # its pixels are rendered here, for this thread may wait for those that render
                asked = self._asked(kind, subject, own, cancel)
            except BaseException as error:
                self._end(key, future, error=error)
                raise
            job = partial(self._measure, kind, key, future, asked)
            with self._lock:
                self._waiting[key] = self._pool.submit(self._begun, key, job), job

        def found_later() -> Any:
            value = self._wait(key, future, cancel)
            if value is None:  # whoever had begun it was called off
                value = self._measured(kind, subject, cancel)
            self._last[last_key] = value
            return value

        return found_later

    def _own(self, kind: FactKind, subject: Subject, cancel: Cancel) -> Any:
        """The same fact about the picture, for those that begin there."""
        return self._measured(kind, Subject(subject.reference, subject.reference), cancel) if kind.draft else None

    def _measured(self, kind: FactKind, subject: Subject, cancel: Cancel) -> Any:
        """A fact, measured on this thread unless it is kept or another thread is at it."""
        subject = subject.of(kind)
        key = self.key(kind, subject)
        while True:
            cancel.check()
            kept = self._cache.fact(key)
            if kept is not None:
                return kept
            with self._lock:
                mine = key not in self._running
                future = self._running.setdefault(key, Future())
            if mine:
                try:
                    own = None if subject.is_picture else self._own(kind, subject, cancel)
                    value = self._carried(kind, subject, cancel)
                    asked = self._asked(kind, subject, own, cancel) if value is None else None
                except BaseException as error:
                    self._end(key, future, error=error)
                    raise
                if asked is None:
                    self._end(key, future, value)
                else:
                    self._measure(kind, key, future, asked)
            value = self._wait(key, future, cancel)
            if value is not None:
                return value

    def _carried(self, kind: FactKind, subject: Subject, cancel: Cancel) -> Any:
        """A fact that the last step knows from facts about its input; None when it has to be measured."""
        if not subject.layers:
            return None
        *below, last = subject.layers
        carry = last.step.kind.carries.get(kind.name)
        within = below if len(below) <= len(subject.reference) else subject.reference
        if carry is None and kind.lasting:
            return opened(self._measured(kind, Subject(below, within), cancel))
        before = below[-1].kind if below else self._picture.kind
        if carry is None or before not in carry.kinds:
            return None
        needs = replace(kind, needs=carry.needs, scope=Scope.NOTHING)
        asked = self._asked(needs, Subject(below, within), None, cancel)
        return carry.make(asked, last.step.params)

    def _asked(self, kind: FactKind, subject: Subject, own: Any, cancel: Cancel) -> Asked:
        picture, layers = self._picture, subject.layers
        needs = {need: opened(self._measured(need, subject, cancel)) for need in kind.needs}
        whole = kind.scope is not Scope.SAMPLE or not layers
        sample, blocks = (None, ()) if whole else self._sample(layers, cancel)
        found = layers[-1].kind if layers else picture.kind
        return Asked(
            size=picture.size,
            read=lambda region: self._read(layers, region, cancel),
            sample=sample,
            blocks=blocks,
            passes=passes_of(picture.planes),
            curve=picture.curve,
            scale=picture.scale,
            kind=found,
            sensor=picture.sensor if found.of_sensor else None,
            quantisation=picture.source.quantisation,
            sampling=picture.source.sampling,
            before=opened(own),
            by_place=lambda region: self._place(layers, region, cancel),
            needs=needs,
            check=cancel.check,
        )

    def _measure(self, kind: FactKind, key: tuple[str, str], future: Future, asked: Asked) -> None:
        try:
            value = kind.measure(asked)
        except BaseException as error:
            self._end(key, future, error=error)
            return
        self._end(key, future, value)

    def _end(self, key: tuple[str, str], future: Future, value: Any = None, error: BaseException | None = None) -> None:
        """Hand on what was measured. What may be None is kept in a box of its own, see `Nothing`."""
        value = NOTHING if value is None else value
        if error is None:
            self._cache.keep_fact(key, value)
        with self._lock:
            self._running.pop(key, None)
        if error is None:
            future.set_result(value)
        else:
            future.set_exception(error)

    def _begun(self, key: tuple[str, str], job: Callable[[], None]) -> None:
        with self._lock:
            self._waiting.pop(key, None)
        job()

    def _wait(self, key: tuple[str, str], future: Future, cancel: Cancel) -> Any:
        """The result of a future; None when whoever worked at it was called off.

        What still waits for a thread is measured on this one: all threads may be waiting for it themselves.
        """
        with self._lock:
            waiting = self._waiting.get(key)
        if waiting is not None and waiting[0].cancel():
            self._begun(key, waiting[1])
        while True:
            try:
                return future.result(PATIENCE)
            except NotYet:
                cancel.check()
            except Cancelled:
                cancel.check()
                return None


class Nothing:
    """What is kept of a fact that is None: that there is nothing."""

    def __bool__(self) -> bool:
        return False


NOTHING = Nothing()


def opened(value: Any) -> Any:
    """A fact as stages get it."""
    return None if value is NOTHING else value
