"""Who does the tasks of a batch: this process, processes beside it, or the workers of a scheduler.

The same task gives the same bytes whoever does it. A worker that dies loses nothing: its task is given out again.
"""

from __future__ import annotations

import multiprocessing
import os
import threading
import time
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ProcessPoolExecutor, ThreadPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from dataclasses import asdict, replace
from itertools import islice
from pathlib import Path
from typing import Any, Protocol

import numpy as np
from PIL import Image

from dustpan.core.cancel import Cancel
from dustpan.core.errors import WrongUse
from dustpan.core.jobs.one import Outcome, State, Task, outcome_from_json, run, task_from_json

Progress = Callable[[int, int], None]
TOGETHER, LOOKED_AT = 1_200_000, 12  # px up to which two at a time are faster, and how many pictures are looked at
LOOK = 0.1  # s between two looks of a worker at whether it was called off


class WorkerDied(Exception):
    """Whoever was at a task is gone; it can be given out again."""


class Doer(Protocol):
    """Takes ``width`` tasks at a time."""

    @property
    def width(self) -> int: ...

    def submit(self, task: Task, progress: Progress) -> Future[Outcome]:
        """Begin a task. Its future raises `WorkerDied` when it is to be given out again."""

    def call_off(self) -> None:
        """End what is going on, soon."""

    def close(self) -> None:
        """Let go of everything."""


def together_for(sources: Iterable[str | Path]) -> int:
    """How many pictures this process does at a time: two where they are so small that one leaves processors idle."""
    if (os.cpu_count() or 1) < 2:
        return 1
    first = list(islice((p for s in sources for p in _files(Path(s))), LOOKED_AT))
    return 2 if first and all(_pixels(p) <= TOGETHER for p in first) else 1


def _files(source: Path) -> Iterator[Path]:
    return source.rglob("*.*") if source.is_dir() else iter((source,))


def _pixels(path: Path) -> float:
    """How many, from the file's head; infinite where it does not say."""
    try:
        with Image.open(path) as head:
            return head.size[0] * head.size[1]
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        return np.inf


class Here:
    """This process: its kernels and pools stay warm from one picture to the next."""

    def __init__(self, together: int = 1) -> None:
        self.width = together
        self._cancel = Cancel()
        self._pool = ThreadPoolExecutor(together, thread_name_prefix="batch")

    def submit(self, task: Task, progress: Progress) -> Future[Outcome]:
        return self._pool.submit(run, task, self._cancel, progress)

    def call_off(self) -> None:
        self._cancel.set()

    def close(self) -> None:
        self._cancel.set()
        self._pool.shutdown(wait=True, cancel_futures=True)


_called_off: Cancel = Cancel()  # of a worker process


def _begin_worker(flag: Any) -> None:
    """Of a worker process: a thread that hands on that the batch was called off.

    It looks at a byte in shared memory: what processes wait for together hangs once one of them is killed.
    """
    global _called_off
    _called_off = mine = Cancel()

    whose = os.getppid()

    def wait() -> None:
        while not flag.value:
            time.sleep(LOOK)
            if os.getppid() != whose:  # who began it was killed, and nobody wants this any more
                os._exit(1)
        mine.set()

    threading.Thread(target=wait, daemon=True).start()


def _do(task: Task) -> Outcome:
    return run(task, _called_off)


class Processes:
    """Processes on this machine, each with its share of the processors."""

    def __init__(self, workers: int) -> None:
        if not 1 <= workers <= 256:
            raise WrongUse("There can be 1 to 256 workers.")
        self.width = workers
        self._threads = max(1, (os.cpu_count() or 1) // workers)
        self._context = multiprocessing.get_context("spawn")
        self._flag = self._context.RawValue("b", 0)
        self._lock = threading.Lock()
        self._pool = self._fresh()

    def _fresh(self) -> ProcessPoolExecutor:
        return ProcessPoolExecutor(self.width, self._context, _begin_worker, (self._flag,))

    def submit(self, task: Task, progress: Progress) -> Future[Outcome]:
        task = replace(task, threads=task.threads or self._threads)
        with self._lock:
            try:
                inner = self._pool.submit(_do, task)
            except BrokenProcessPool:
                self._pool.shutdown(wait=False)
                self._pool = self._fresh()
                inner = self._pool.submit(_do, task)
        return _handed_on(inner, (BrokenProcessPool,))

    def call_off(self) -> None:
        self._flag.value = 1

    def close(self) -> None:
        self._flag.value = 1
        self._pool.shutdown(wait=True, cancel_futures=True)


class Cluster:
    """The workers of a Dask scheduler; they have to see the same folders."""

    def __init__(self, address: str) -> None:
        """Raises `WrongUse` where there is no scheduler, or Dask is not installed."""
        try:
            from distributed import Client, KilledWorker
        except ImportError:
            raise WrongUse("A scheduler needs the extra “cluster”: pip install dustpan[cluster].") from None
        try:
            self._client = Client(address, timeout="10s", set_as_default=False)
        except (OSError, ValueError, TypeError) as error:
            raise WrongUse("There is no scheduler at {0} ({1}).", address, type(error).__name__) from None
        self._running: set[Any] = set()
        self._killed = KilledWorker

    @property
    def width(self) -> int:
        """Two tasks for each worker, so that none waits for the next; as many as there are now."""
        return 2 * max(1, len(self._client.scheduler_info(n_workers=-1)["workers"]))

    def submit(self, task: Task, progress: Progress) -> Future[Outcome]:
        inner = self._client.submit(do_anywhere, asdict(task), pure=False, retries=0)
        self._running.add(inner)
        outer: Future[Outcome] = Future()

        def over(done: Any) -> None:
            self._running.discard(done)
            if done.status == "finished":
                outer.set_result(_outcome(done.result()))
            elif done.status == "cancelled":
                outer.set_result(Outcome(task.source, task.target, State.CANCELLED))
            elif isinstance(error := done.exception(), self._killed):
                outer.set_exception(WorkerDied(str(error)))
            else:
                outer.set_exception(error or WorkerDied("the scheduler is gone"))

        inner.add_done_callback(over)
        return outer

    def call_off(self) -> None:
        self._client.cancel(list(self._running), force=True)

    def close(self) -> None:
        self.call_off()
        self._client.close()


def do_anywhere(told: dict[str, Any]) -> dict[str, Any]:
    """A task in plain values, done by whoever has Dustpan and sees its files; gives the outcome in plain values."""
    return asdict(run(task_from_json(told)))


def _outcome(told: dict[str, Any]) -> Outcome:
    try:
        return outcome_from_json(told)
    except (ValueError, KeyError, TypeError) as error:
        raise WorkerDied("it answered what makes no sense") from error


def _handed_on(inner: Future, deaths: tuple[type[Exception], ...]) -> Future[Outcome]:
    """A future that tells apart that a worker died."""
    outer: Future[Outcome] = Future()

    def over(done: Future) -> None:
        if done.cancelled():
            outer.set_exception(WorkerDied("it was taken back"))
        elif isinstance(error := done.exception(), deaths):
            outer.set_exception(WorkerDied(str(error)))
        elif error is not None:
            outer.set_exception(error)
        else:
            outer.set_result(done.result())

    inner.add_done_callback(over)
    return outer


def doer_for(sources: Iterable[str | Path], workers: int = 0, scheduler: str = "") -> Doer:
    """Who is to do some pictures, in files or folders.

    Parameters
    ----------
    workers : processes; 0 for this one. scheduler : address of a Dask scheduler, and then its workers.
    """
    if scheduler:
        return Cluster(scheduler)
    return Processes(workers) if workers else Here(together_for(sources))
