"""Exports: each has a token, and what came of it is told by that token and no other."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import datetime
from itertools import count
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from dustpan.core.files import ExportOptions
from dustpan.core.finish.output import Output
from dustpan.core.jobs.events import Exported, ExportProgressed
from dustpan.core.jobs.one import Outcome, State, Task, same_file
from dustpan.core.jobs.plan import name_written
from dustpan.core.open.document import Document
from dustpan.core.text import name_of
from dustpan.ui.ask import ask
from dustpan.ui.jobs import Jobs

Then = Callable[[Outcome], None]


def proposed_name(path: Path) -> Path:
    """Where a picture's result goes when nobody says: beside it, with a name of its own."""
    return path.with_name(f"{path.stem}-clean{Path(name_written(path)).suffix}")


class Exports(QObject):
    """Begins exports and hands each outcome to whoever began it. ``progressed`` carries token, done and total."""

    progressed = pyqtSignal(int, int, int)

    def __init__(self, parent: QObject, jobs: Jobs) -> None:
        super().__init__(parent)
        self.jobs = jobs
        self._tokens = count(1)
        self._then: dict[int, Then] = {}
        jobs.hear(Exported, self._exported)
        jobs.hear(ExportProgressed, self._progressed)

    def begin(
        self,
        document: Document,
        target: Path,
        options: ExportOptions,
        then: Then,
        replace_source: bool = False,
        output: Output = Output(),
    ) -> int:
        """Write the result of a document; ``then`` gets the outcome. Gives the export's token."""
        token = next(self._tokens)
        self._then[token] = then
        depth = options.depth.value if options.depth else ""
        sweep = document.sweep.as_json()
        task = Task(
            str(document.path),
            str(target),
            sweep,
            depth,
            options.quality,
            replace_source,
            output=output.as_json(),
            as_shown=options.as_shown,
        )
        self.jobs.export(document, task, token)
        return token

    def cancel(self, token: int) -> None:
        self.jobs.cancel_export(token)

    def _progressed(self, event: ExportProgressed) -> None:
        self.progressed.emit(event.token, event.done, event.total)

    def _exported(self, event: Exported) -> None:
        if then := self._then.pop(event.token, None):
            then(event.outcome)


def may_write(parent: QWidget, target: Path, documents: Iterable[Document]) -> bool:
    """Ask before something that is there is replaced; the file of an open picture never is."""
    tr = parent.tr
    taken = next((d for d in documents if same_file(d.path, target)), None)
    if taken is not None:
        text = tr("{0} is the file of an open picture and is not written over.").format(name_of(target))
        ask(parent, text, tr("Choose another name."), [tr("Back")])
        return False
    if not target.exists() or target.is_dir():  # a folder is never replaced: writing says so
        return True
    replace, text = tr("Replace"), tr("There is already a file {0}.").format(name_of(target))
    more = tr("It was changed last on {0}; replacing it cannot be undone.").format(_changed(target))
    return ask(parent, text, more, [replace, tr("Cancel")], usual=1) == replace


def _changed(path: Path) -> str:
    try:
        return datetime.fromtimestamp(path.stat().st_mtime).strftime("%Y-%m-%d %H:%M")
    except OSError:
        return "?"


def was_written(outcome: Outcome) -> bool:
    return outcome.state is State.DONE
