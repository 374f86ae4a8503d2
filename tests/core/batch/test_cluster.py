"""The same batch over a real scheduler: the same bytes, and nothing lost when a worker dies."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from distributed import LocalCluster
from distributed.core import Status

from dustpan.core.batch.batch import prepare, run_batch
from dustpan.core.batch.cluster import Cluster
from dustpan.core.batch.journal import Journal
from dustpan.core.errors import WrongUse
from dustpan.core.jobs.one import Outcome
from tests.core.batch.many import Quiet, contents, done, ordered

pytestmark = [pytest.mark.slow, pytest.mark.filterwarnings("ignore"), pytest.mark.timeout(240)]


@pytest.fixture(scope="module")
def scheduler() -> Iterator[LocalCluster]:
    cluster = LocalCluster(n_workers=1, threads_per_worker=1, dashboard_address=None, silence_logs=50)
    yield cluster
    try:
        cluster.close()
    except KeyError:  # at the very end, of a worker that was killed and is in its list no more
        cluster.status = Status.closed


@pytest.mark.parametrize("workers", [1, 2, 4])
def test_any_number_of_workers_gives_the_same_bytes(
    scheduler: LocalCluster,
    shots: Path,
    tmp_path: Path,
    workers: int,
) -> None:
    scheduler.scale(workers)
    scheduler.wait_for_workers(workers, timeout=60)
    done(ordered(shots, tmp_path / "here"))
    out, doer = tmp_path / "there", Cluster(scheduler.scheduler_address)
    assert doer.width == 2 * workers
    with Journal(out) as journal:
        prepare(journal, ordered(shots, out), False)
        summary = run_batch(journal, doer, Quiet())
    doer.close()
    assert (summary.done, summary.failed) == (4, 1)
    assert contents(out) == contents(tmp_path / "here")


def test_a_worker_that_dies_loses_nothing(scheduler: LocalCluster, shots: Path, tmp_path: Path) -> None:
    scheduler.scale(2)
    scheduler.wait_for_workers(2, timeout=60)
    out, doer = tmp_path / "there", Cluster(scheduler.scheduler_address)
    killed: list[int] = []

    def kill(number: int, outcome: Outcome) -> None:
        if not killed:
            worker = next(iter(scheduler.workers.values()))
            killed.append(worker.process.process.pid)
            worker.process.process._process.kill()

    with Journal(out) as journal:
        prepare(journal, ordered(shots, out), False)
        summary = run_batch(journal, doer, Quiet(kill))
    doer.close()
    assert killed
    assert (summary.done, summary.failed) == (4, 1)


def test_no_scheduler_is_said_in_a_sentence(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("dustpan.core.batch.cluster.PATIENCE", 0.5)
    with pytest.raises(WrongUse, match="There is no scheduler"):
        Cluster("tcp://127.0.0.1:9")
