"""What a batch would write where, looked up on a thread of its own: folders can be large, and far away."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from threading import Lock

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.batch.journal import unfinished
from dustpan.core.batch.order import Order, named, planned
from dustpan.core.cancel import Cancel
from dustpan.core.errors import DustpanError
from dustpan.core.jobs.lanes import Lane
from dustpan.core.text import plain


@dataclass(frozen=True)
class Plan:
    """items : source and target of every picture. words : how the first is named, or why nothing can be done.

    left : how many pictures of an unfinished batch in the folder are left, of how many. problem : of that folder.
    """

    items: tuple[tuple[str, str], ...] = ()
    words: str = ""
    left: tuple[int, int] | None = None
    problem: str = ""


class Planning(QObject):
    """``ready`` carries the plan that was asked for last. ``journal`` is held while one looks into a journal."""

    ready = pyqtSignal(object)
    _made = pyqtSignal(object, object)

    def __init__(self, parent: QObject, journal: Lock) -> None:
        super().__init__(parent)
        self._journal, self._lane = journal, Lane("plan")
        self._wanted: Cancel | None = None
        self._made.connect(self._show)

    def ask(self, out: str, order: Order | str) -> None:
        """Plan an order, or say why there is none; and look at what stands in the folder ``out``."""

        def work(cancel: Cancel) -> None:
            self._made.emit(cancel, self._plan(out, order))

        self._wanted = self._lane.wish(work)

    def forget(self) -> None:
        """What was asked for is no longer wanted."""
        self._lane.call_off()
        self._wanted = None

    def stop(self) -> None:
        self._lane.stop()

    def _show(self, cancel: Cancel, plan: Plan) -> None:
        if cancel is self._wanted:
            self.ready.emit(plan)

    def _plan(self, out: str, order: Order | str) -> Plan:
        left, problem = None, ""
        try:
            with self._journal:
                left = unfinished(Path(out)) if out else None
        except DustpanError as error:
            problem = str(error)
        if isinstance(order, str):
            return Plan((), order, left, problem)
        try:
            items = planned(order)
        except DustpanError as error:
            return Plan((), str(error), left, problem)
        first = Path(items[0][0])
        return Plan(tuple(items), f"{plain(first.name)} → {plain(named(order, first, 1))}", left, problem)
