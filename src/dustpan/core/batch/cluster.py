"""The workers of a scheduler do the tasks of a batch."""

from __future__ import annotations

from collections.abc import Iterable
from concurrent.futures import Future
from dataclasses import asdict
from pathlib import Path
from typing import Any

from dustpan.core.batch.doers import Progress, WorkerDied
from dustpan.core.errors import WrongUse
from dustpan.core.jobs.one import Outcome, State, Task, outcome_from_json, run, task_from_json

PATIENCE = 10.0  # s, for a scheduler to answer


class Cluster:
    """The workers of a Dask scheduler; they have to see the same folders."""

    def __init__(self, address: str) -> None:
        """Raises `WrongUse` where there is no scheduler, or Dask is not installed."""
        try:
            from distributed import Client, KilledWorker
        except ImportError:
            raise WrongUse("A scheduler needs the extra “cluster”: pip install dustpan[cluster].") from None
        try:
            self._client = Client(address, timeout=PATIENCE, set_as_default=False)
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


def cluster(address: str, sources: Iterable[str | Path]) -> Cluster:
    """The doer of the registry."""
    return Cluster(address)
