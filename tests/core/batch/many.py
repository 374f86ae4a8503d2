"""What tests of batches share: an order, running it, and who is told."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from dustpan.core.batch.batch import Summary, prepare, run_batch
from dustpan.core.batch.here import Here
from dustpan.core.batch.journal import Journal
from dustpan.core.batch.order import Order
from dustpan.core.cancel import Cancel
from dustpan.core.files import save_picture
from dustpan.core.grammar import parse_step
from dustpan.core.jobs.one import Outcome
from dustpan.core.picture import from_array
from dustpan.core.sweep import Sweep

STEPS = Sweep((parse_step("noise:quality=quick"), parse_step("edge-sharpen"))).as_json()


def pictures(folder: Path, count: int, size: tuple[int, int]) -> Path:
    """A new folder with noisy pictures, ``shot 0.png`` and on."""
    folder.mkdir()
    for n in range(count):
        plane = np.random.default_rng(n).normal(0.4, 0.05, (*size, 3)).clip(0, 1)
        save_picture(from_array((255 * plane).astype(np.uint8)), folder / f"shot {n}.png")
    return folder


class Quiet:
    """Told what goes on; may do something at the end of an item."""

    def __init__(self, then: Callable[[int, Outcome], None] = lambda n, o: None) -> None:
        self.begun: list[int] = []
        self.over: list[int] = []
        self.then = then

    def began(self, number: int) -> None:
        self.begun.append(number)

    def progressed(self, number: int, done: int, total: int) -> None:
        pass

    def ended(self, number: int, outcome: Outcome) -> None:
        self.over.append(number)
        self.then(number, outcome)


def ordered(shots: Path, out: Path, **values: object) -> Order:
    return Order(sources=(str(shots),), out=str(out), **{"sweep": STEPS, "reported": False, **values})


def done(order: Order, told: Quiet | None = None, resume: bool = False, cancel: Cancel | None = None) -> Summary:
    doer = Here()
    try:
        with Journal(Path(order.out)) as journal:
            prepare(journal, None if resume else order, resume)
            return run_batch(journal, doer, told or Quiet(), cancel)
    finally:
        doer.close()


def contents(folder: Path) -> dict[str, bytes]:
    return {p.name: p.read_bytes() for p in folder.glob("*.png")}
