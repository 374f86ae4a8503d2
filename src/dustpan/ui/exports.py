"""Exports: each has a token, and what came of it is told by that token and no other."""

from __future__ import annotations

from collections.abc import Callable
from itertools import count
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.files import ExportOptions
from dustpan.core.jobs.one import Outcome, State, Task
from dustpan.ui.document import Document
from dustpan.ui.jobs import Jobs

Then = Callable[[Outcome], None]


def proposed_name(path: Path) -> Path:
    """Where a picture's result goes when nobody says: beside it, with a name of its own."""
    return path.with_name(f"{path.stem}-clean{path.suffix}")


class Exports(QObject):
    """Begins exports and hands each outcome to whoever began it. ``progressed`` carries token, done and total."""

    progressed = pyqtSignal(int, int, int)

    def __init__(self, parent: QObject, jobs: Jobs) -> None:
        super().__init__(parent)
        self.jobs = jobs
        self._tokens = count(1)
        self._then: dict[int, Then] = {}
        jobs.exported.connect(self._exported)
        jobs.export_progressed.connect(self.progressed)

    def begin(
        self, document: Document, target: Path, options: ExportOptions, then: Then, replace_source: bool = False
    ) -> int:
        """Write the result of a document; ``then`` gets the outcome. Gives the export's token."""
        token = next(self._tokens)
        self._then[token] = then
        depth = options.depth.value if options.depth else ""
        sweep = document.sweep.as_json()
        task = Task(str(document.path), str(target), sweep, depth, options.quality, replace_source)
        self.jobs.export(document, task, token)
        return token

    def cancel(self, token: int) -> None:
        self.jobs.cancel_export(token)

    def _exported(self, token: int, outcome: Outcome) -> None:
        if then := self._then.pop(token, None):
            then(outcome)


def was_written(outcome: Outcome) -> bool:
    return outcome.state is State.DONE
