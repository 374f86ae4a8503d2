"""This process does the tasks of a batch."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from itertools import islice
from pathlib import Path

import numpy as np
from PIL import Image

from dustpan.core.batch.doers import Progress
from dustpan.core.cancel import Cancel
from dustpan.core.jobs.one import Outcome, Task, run

TOGETHER, LOOKED_AT = 1_200_000, 12  # px up to which two at a time are faster, and how many pictures are looked at


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


def here(setting: None, sources: Iterable[str | Path]) -> Here:
    """The doer of the registry."""
    return Here(together_for(sources))
