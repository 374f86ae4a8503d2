"""Files: which pictures are open, opening them, saving their sweeps, asking before anything is lost."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from dustpan.core.errors import DustpanError
from dustpan.core.files import FORMATS
from dustpan.core.sweep import Sweep
from dustpan.ui import safety
from dustpan.ui.actions import connect
from dustpan.ui.dialogs.preferences import Preferences
from dustpan.ui.document import Document
from dustpan.ui.jobs import Jobs


class Files(QObject):
    """The open pictures, and the one that is shown.

    ``shown`` carries the document to show, or None; ``listed`` tells that names or unsaved marks changed; ``told`` a
    sentence; ``working`` what is being done; ``first_opened`` that a picture was opened at all.
    """

    shown = pyqtSignal(object)
    listed = pyqtSignal()
    told = pyqtSignal(str)
    working = pyqtSignal(str)
    first_opened = pyqtSignal()

    def __init__(self, parent: QWidget, jobs: Jobs, preferences: Callable[[], Preferences]) -> None:
        super().__init__(parent)
        self._parent, self.jobs, self._preferences = parent, jobs, preferences
        self.documents: list[Document] = []
        self.current: Document | None = None
        self.opening = 0
        self._restore: dict[Path, safety.Left] = {}
        connect([(jobs.opened, self._opened), (jobs.open_failed, self._open_failed), (jobs.demo_ready, self._demo)])

    # -------------------------------------------------------------- opening

    def ask_open(self) -> None:
        patterns = " ".join(f"*{s}" for f in FORMATS for s in f.suffixes)
        files, _ = QFileDialog.getOpenFileNames(
            self._parent, self._parent.tr("Open pictures"), "", self._parent.tr("Pictures ({0})").format(patterns)
        )
        self.open([Path(f) for f in files])

    def open_demo(self) -> None:
        self.opening += 1
        self.working.emit(self._parent.tr("Making the demo pictures, once; a minute …"))
        self.jobs.prepare_demo()

    def _demo(self, paths: list[Path]) -> None:
        self.opening -= 1
        self.open(paths)

    def open(self, paths: list[Path]) -> None:
        """Open pictures in the background; one that is open already is shown."""
        for path in paths:
            known = next((i for i, d in enumerate(self.documents) if d.path == path), None)
            if known is not None:
                self.show_number(known)
                continue
            self.opening += 1
            self.working.emit(self._parent.tr("Opening {0} …").format(path.name))
            self.jobs.open(path)

    def _opened(self, document: Document) -> None:
        self.opening -= 1
        if not document.has_own_sweep and self._preferences().on_opening == "nothing":
            document.start_with(Sweep())
        self.documents.append(document)
        self._preferences().remember(document.path)
        self._bring_back(document)
        if document.warnings:
            self.told.emit(" ".join(document.warnings))
        if self.current is None:
            self.show_number(len(self.documents) - 1)
        self.listed.emit()
        self.first_opened.emit()

    def _open_failed(self, why: str) -> None:
        self.opening -= 1
        self.working.emit("")
        self.told.emit(why)

    # -------------------------------------------------------------- which picture

    def show_number(self, number: int) -> None:
        if 0 <= number < len(self.documents):
            self.show(self.documents[number])

    def show(self, document: Document | None) -> None:
        self.current = document
        self.shown.emit(document)
        self.listed.emit()

    def show_next(self, way: int = 1) -> None:
        if self.current:
            self.show_number((self.documents.index(self.current) + way) % len(self.documents))

    def names(self) -> list[str]:
        """Of all open pictures, with a dot before those with unsaved work."""
        return [("• " if d.history.dirty else "") + d.name for d in self.documents]

    def give_sweep(self, numbers: list[int]) -> None:
        """Give this picture's sweep to others; there it can be undone."""
        if self.current is None:
            return
        words = self._parent.tr("sweep of {0}").format(self.current.name)
        for n in numbers:
            self.documents[n].history.change(words, self.current.sweep)
        self.listed.emit()

    # -------------------------------------------------------------- saving and closing

    def save(self, document: Document | None = None) -> bool:
        """Save a sweep beside its picture; False when it could not be written."""
        document = document or self.current
        if document is None:
            return True
        try:
            path = document.save()
        except DustpanError as error:
            self.told.emit(str(error))
            return False
        safety.forget(document)
        self.listed.emit()
        self.working.emit(self._parent.tr("saved {0}").format(path.name))
        return True

    def may_close(self, document: Document) -> bool:
        """Ask about unsaved work; False means stay."""
        if not document.history.dirty:
            return True
        tr = self._parent.tr
        box = QMessageBox(self._parent)
        box.setIcon(QMessageBox.Icon.Question)
        box.setText(tr("The sweep of {0} has not been saved.").format(document.name))
        box.setInformativeText(tr("Saving writes it beside the picture; the picture itself is never changed."))
        save = box.addButton(tr("Save"), QMessageBox.ButtonRole.AcceptRole)
        box.addButton(tr("Do not save"), QMessageBox.ButtonRole.DestructiveRole)
        stay = box.addButton(tr("Cancel"), QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(save)
        box.setEscapeButton(stay)
        box.exec()
        if box.clickedButton() is stay:
            return False
        return self.save(document) if box.clickedButton() is save else True

    def close_current(self) -> None:
        d = self.current
        if d is None or not self.may_close(d):
            return
        self.documents.remove(d)
        self.jobs.stop_showing()
        safety.forget(d)
        d.close()
        self.show(self.documents[0] if self.documents else None)

    def close_all(self) -> None:
        """When the window closes and everything was asked."""
        for d in self.documents:
            safety.forget(d)
            d.close()

    # -------------------------------------------------------------- after a crash

    def keep_safe(self) -> None:
        for d in self.documents:
            safety.keep(d)

    def bring_back(self, left: list[safety.Left]) -> None:
        """Open the pictures of unsaved work that a crash left, with that work."""
        self._restore = {w.picture: w for w in left}
        for document in self.documents:
            self._bring_back(document)
        self.open(list(self._restore))

    def _bring_back(self, document: Document) -> None:
        found = self._restore.pop(document.path, None)
        if found:
            document.history.change(self._parent.tr("bring back unsaved work"), found.sweep)
            safety.keep(document)
            safety.drop(found.file)
            if document is self.current:
                self.shown.emit(document)
            self.listed.emit()
