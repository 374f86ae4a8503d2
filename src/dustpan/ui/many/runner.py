"""Runs a batch on a thread of its own, while the bench is used; what happens comes as queued signals."""

from __future__ import annotations

import threading
from collections.abc import Mapping
from contextlib import closing
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.batch.batch import Pause, Summary, prepare, run_batch
from dustpan.core.batch.doers import Doer, doer_for
from dustpan.core.batch.journal import Journal
from dustpan.core.batch.order import Order
from dustpan.core.batch.watch import watch_folders
from dustpan.core.cancel import Cancel
from dustpan.core.errors import DustpanError
from dustpan.core.jobs.one import Outcome, sentence


class Runner(QObject):
    """``planned`` carries source and target of every picture, and what came of those that are done already.

    ``finished`` carries the summary, or None and a sentence where it could not be run.
    """

    planned = pyqtSignal(object, object)
    noticed = pyqtSignal(str)
    began = pyqtSignal(int)
    progressed = pyqtSignal(int, int, int)
    ended = pyqtSignal(int, object)
    finished = pyqtSignal(object, str)

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.opening = threading.Lock()  # held by whoever of this window opens a journal: one at a time can
        self._thread: threading.Thread | None = None
        self._cancel, self._pause = Cancel(), Pause()

    @property
    def paused(self) -> bool:
        return self._pause.wanted

    def start(
        self,
        folder: Path,
        order: Order | None,
        resume: bool = False,
        anew: bool = False,
        doer: Mapping[str, int | str] | None = None,
        watch: bool = False,
    ) -> None:
        """Begin a batch, or go on with the one in a folder (which tries again what failed).

        ``doer`` : see `doer_for`. ``watch`` : wait for more pictures in the folders of the order until it is cancelled.
        """
        if self._thread is not None:
            self._thread.join()  # of a batch that has told its end
        self._cancel, self._pause = Cancel(), Pause()
        told = folder, order, resume, anew, doer, watch
        self._thread = threading.Thread(target=self._run, args=told, daemon=True)
        self._thread.start()

    def pause(self, on: bool) -> None:
        self._pause.wanted = on

    def cancel(self) -> None:
        self._cancel.set()

    def stop(self) -> None:
        """End, and wait for it."""
        self._cancel.set()
        if self._thread is not None:
            self._thread.join()

    def _run(
        self,
        folder: Path,
        order: Order | None,
        resume: bool,
        anew: bool,
        asked: Mapping[str, int | str] | None,
        watch: bool,
    ) -> None:
        summary, why = None, ""
        try:
            with self.opening:
                opened = Journal(folder, anew, resume)
            with opened as journal, closing(doer_for(journal.sources_of(order), asked)) as doer:
                if watch and order is not None:
                    self._watch(journal, order, doer)
                else:
                    summary = self._do(journal, order, resume, anew, doer)
        except DustpanError as error:
            why = str(error)
        except Exception as error:
            why = sentence(error)
        self.finished.emit(summary, why)

    def _do(self, journal: Journal, order: Order | None, resume: bool, anew: bool, doer: Doer) -> Summary:
        for notice in prepare(journal, order, resume, anew):
            self.noticed.emit(notice)
        left = set(journal.left)
        known: dict[int, Outcome] = {n: o for n, o in journal.outcomes.items() if n not in left}
        self.planned.emit(list(journal.items), known)
        return run_batch(journal, doer, _Signals(self), self._cancel, self._pause)

    def _watch(self, journal: Journal, order: Order, doer: Doer) -> None:
        def grown(items: list[tuple[str, str]]) -> None:
            self.planned.emit(list(items), dict(journal.outcomes))

        watch_folders(journal, order, doer, _Signals(self), self._cancel, self.noticed.emit, grown=grown)


class _Signals:
    """Hands on what is told as signals."""

    def __init__(self, runner: Runner) -> None:
        self.runner = runner

    def began(self, number: int) -> None:
        self.runner.began.emit(number)

    def progressed(self, number: int, done: int, total: int) -> None:
        self.runner.progressed.emit(number, done, total)

    def ended(self, number: int, outcome: Outcome) -> None:
        self.runner.ended.emit(number, outcome)


__all__ = ["Runner", "Summary"]
