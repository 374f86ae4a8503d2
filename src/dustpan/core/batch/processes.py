"""Processes on this machine do the tasks of a batch."""

from __future__ import annotations

import multiprocessing
import os
import threading
import time
from collections.abc import Iterable
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from dataclasses import replace
from pathlib import Path
from typing import Any

from dustpan.core.batch.doers import Progress, WorkerDied
from dustpan.core.cancel import Cancel
from dustpan.core.errors import WrongUse
from dustpan.core.jobs.one import Outcome, Task, run

LOOK = 0.1  # s between two looks of a worker at whether it was called off
MOST = 256

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
        if not 1 <= workers <= MOST:
            raise WrongUse("There can be 1 to {0} workers.", MOST)
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


def processes(workers: int, sources: Iterable[str | Path]) -> Processes:
    """The doer of the registry."""
    return Processes(workers)
