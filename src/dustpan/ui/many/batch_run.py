"""A batch of this window: what is planned, what goes on and what came of it. It outlives the view that shows it."""

from __future__ import annotations

import time
from collections.abc import Mapping
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.batch.batch import Summary
from dustpan.core.batch.order import Order
from dustpan.core.jobs.one import Outcome, State
from dustpan.ui.many.planning import Plan, Planning
from dustpan.ui.many.runner import Runner


class BatchRun(QObject):
    """Signals tell that there is another plan, that all is to be shown anew, or one picture, that it ended, and how
    far it is: how many of how many, (0, 0) when nothing goes on.
    """

    planned = pyqtSignal()
    filled = pyqtSignal()
    changed = pyqtSignal(int)
    ended = pyqtSignal()
    progressed = pyqtSignal(int, int)
    noted = pyqtSignal(str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.runner = Runner(self)
        self.planning = Planning(self, self.runner.opening)
        self.plan = Plan()
        self.items: list[tuple[str, str]] = []
        self.outcomes: dict[int, Outcome] = {}
        self.shares: dict[int, float] = {}
        self.summary: Summary | None = None
        self.note = ""
        self.running = False
        self.over = False  # whether what is shown came of a batch, and is no plan
        self._began, self._done_before = 0.0, 0
        r = self.runner
        for signal, slot in (
            (self.planning.ready, self._take_plan), (r.planned, self._begin_all), (r.noticed, self._take_note),
            (r.began, self._begin), (r.progressed, self._progress), (r.ended, self._end), (r.finished, self._finish),
        ):  # fmt: skip
            signal.connect(slot)

    @property
    def failed(self) -> bool:
        """Whether one of them failed."""
        return any(o.state is State.FAILED for o in self.outcomes.values())

    # -------------------------------------------------------------- asking

    def start(
        self, folder: Path, order: Order | None, doer: Mapping[str, int | str], anew: bool = False, watch: bool = False
    ) -> None:
        """Begin a batch; without an order go on with the one in the folder, which tries again what failed."""
        if self.running:
            return
        self.planning.forget()
        self.running = True
        self.note, self.over, self.summary, self._began = "", False, None, time.monotonic()
        self.runner.start(folder, order, resume=order is None, anew=anew, doer=doer, watch=watch)

    def stop(self) -> None:
        """End, and wait for it."""
        self.planning.stop()
        self.runner.stop()

    def seconds_left(self) -> float:
        """About how long it will take; 0 while that cannot be told."""
        share = self.share
        gone, fresh = time.monotonic() - self._began, share - self._done_before
        return gone / fresh * (len(self.items) - share) if fresh > 0.2 else 0.0

    @property
    def share(self) -> float:
        """How many are done, with parts of those that are being done."""
        return len(self.outcomes) + sum(self.shares.values())

    # -------------------------------------------------------------- what comes back

    def _take_plan(self, plan: Plan) -> None:
        if self.running:
            return
        self.plan, self.over = plan, False
        self.items, self.outcomes, self.shares = list(plan.items), {}, {}
        self.note = plan.problem
        self.planned.emit()

    def _take_note(self, note: str) -> None:
        self.note = note
        self.noted.emit(note)

    def _begin_all(self, items: list[tuple[str, str]], known: dict[int, Outcome]) -> None:
        self.items, self.outcomes, self.shares = items, dict(known), {}
        self._done_before = len(known)
        self.filled.emit()
        self._tell()

    def _begin(self, number: int) -> None:
        self.shares[number] = 0.0
        self.changed.emit(number)

    def _progress(self, number: int, done: int, total: int) -> None:
        self.shares[number] = done / max(total, 1)
        self.changed.emit(number)
        self._tell()

    def _end(self, number: int, outcome: Outcome) -> None:
        self.outcomes[number] = outcome
        self.shares.pop(number, None)
        self.changed.emit(number)
        self._tell()

    def _finish(self, summary: Summary | None, why: str) -> None:
        self.summary, self.running, self.over, self.shares = summary, False, True, {}
        self.note = why or (summary.words() if summary else "")
        self.progressed.emit(0, 0)
        self.ended.emit()

    def _tell(self) -> None:
        self.progressed.emit(len(self.outcomes), len(self.items))
