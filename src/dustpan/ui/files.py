"""Files: which pictures are open, opening them, saving their sweeps, asking before anything is lost."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QWidget

from dustpan.core.errors import DustpanError
from dustpan.core.files import FORMATS, Opening
from dustpan.core.jobs.events import DemoMade, DemoOver, Opened, OpenFailed
from dustpan.core.open.document import Document
from dustpan.core.recipes.recipe import load_recipe
from dustpan.core.sweep import with_first_steps
from dustpan.core.text import name_of
from dustpan.ui import safety
from dustpan.ui.ask import ask
from dustpan.ui.dialogs.opened_as import OpenedAs
from dustpan.ui.dialogs.preferences import Preferences
from dustpan.ui.jobs import Jobs
from dustpan.ui.many.make_recipe import made_on

STAY = "stay"  # the answer that nothing shall be written


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
        self.making_demo = False
        self._coming: set[Path] = set()  # that are being opened
        self.closed = False
        self.handed_over: tuple[Path, ...] = ()  # the pictures that another program handed over
        self._restore: dict[Path, safety.Left] = {}
        jobs.hear(Opened, self._opened)
        jobs.hear(OpenFailed, self._open_failed)
        jobs.hear(DemoMade, self._demo_made)
        jobs.hear(DemoOver, self._demo_over)

    # -------------------------------------------------------------- opening

    def asked(self) -> list[Path]:
        """Ask which pictures are to be opened."""
        patterns = " ".join(f"*{s}" for f in FORMATS for s in f.suffixes)
        files, _ = QFileDialog.getOpenFileNames(
            self._parent,
            self._parent.tr("Open pictures"),
            "",
            ";;".join((self._parent.tr("Pictures ({0})").format(patterns), self._parent.tr("All files (*)"))),
        )
        return [Path(f) for f in files]

    def open_demo(self) -> None:
        """Open the demo pictures, each as soon as it is there."""
        self.making_demo = True
        if not self.documents:
            self.working.emit(self._parent.tr("Making the demo pictures, once; a minute …"))
        self.jobs.prepare_demo()

    def _demo_made(self, event: DemoMade) -> None:
        if self.making_demo and all(d.path != event.path for d in self.documents):
            self.open([event.path])

    def _demo_over(self, event: DemoOver) -> None:
        self.making_demo = False
        if event.why:
            self.working.emit("")
            self.told.emit(event.why)

    def open(self, paths: list[Path]) -> None:
        """Open pictures in the background; one that is open already is shown."""
        if self.closed:
            return
        for path in paths:
            known = next((i for i, d in enumerate(self.documents) if d.path == path), None)
            if known is not None:
                self.show_number(known)
                continue
            if path in self._coming:
                continue
            self._coming.add(path)
            self.opening += 1
            self.working.emit(self._parent.tr("Opening {0} …").format(name_of(path)))
            self.jobs.open(path)

    def _opened(self, event: Opened) -> None:
        document = event.document
        self.opening -= 1
        self._coming.discard(document.path)
        if self.closed:  # it arrived too late
            document.close()
            return
        if not document.saved.there:
            self._begin(document)
        self.documents.append(document)
        self._preferences().remember(document.path)
        self._bring_back(document)
        if document.warnings:
            self.told.emit(" ".join(document.warnings))
        if self.current is None:
            self.show_number(len(self.documents) - 1)
        self.listed.emit()
        self.first_opened.emit()
        if len(document.picture.source.parts) > 1 and document.opening.part is None:
            self.ask_opened_as(document)

    def _open_failed(self, event: OpenFailed) -> None:
        self.opening -= 1
        self._coming.discard(event.path)
        if self.closed:
            return
        self.working.emit("")
        self.told.emit(event.why)

    def ask_opened_as(self, document: Document | None = None) -> None:
        """Ask how a file is opened, and open it so."""
        document = document or self.current
        if document is not None:
            then = partial(self.open_as, document)
            self.opened_as = OpenedAs(document.picture, document.opening, document.name, then, self._parent)
            self.opened_as.open()

    def open_as(self, document: Document, opening: Opening) -> None:
        """Open a picture in another way than it is; what was not saved is asked about before."""
        if document not in self.documents:
            return
        if opening == document.opening or (
            opening.part == document.picture.source.part and opening == replace(document.opening, part=opening.part)
        ):
            document.opening = opening
            return
        if not self.may_close(document):
            return
        self._put_away(document)
        self.opening += 1
        self.working.emit(self._parent.tr("Opening {0} …").format(document.name))
        self.jobs.open(document.path, opening)

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

    def _begin(self, document: Document) -> None:
        """With nothing, what is suggested, or a recipe, as the preferences say."""
        wanted = self._preferences().begins_with(document.path, made_on(document).iso)
        if wanted == "nothing":
            document.start_with(document.bare)
        elif wanted != "suggested":
            try:
                document.start_with(with_first_steps(load_recipe(Path(wanted)).steps(), document.picture.kind))
            except DustpanError as error:
                self.told.emit(str(error))

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
        """Save a sweep beside its picture; False when it was not written."""
        document = document or self.current
        if document is None:
            return True
        try:
            old = self._make_room(document)
            if old is STAY:
                return False
            path = document.save()
        except DustpanError as error:
            self.told.emit(str(error))
            return False
        safety.forget(document)
        self.listed.emit()
        tr = self._parent.tr
        self.working.emit(tr("saved {0}").format(name_of(path)))
        if isinstance(old, Path):
            words = tr("{0} was saved; the sweep that was there before is now {1}.")
            self.told.emit(words.format(name_of(path), name_of(old)))
        return True

    def _make_room(self, document: Document) -> Path | str | None:
        """Before saving: set a sweep aside that could not be read, and ask about one that somebody else has written.

        Gives where the old one went, None when nothing stood in the way, or `STAY`.
        """
        if document.saved.unread:
            return document.saved.set_aside()
        if not document.saved.changed:
            return None
        tr = self._parent.tr
        text = tr("The sweep of {0} has been changed by another window or program since it was read.")
        more = tr("Keeping both gives the other one a new name beside it.")
        keep, over = tr("Keep both"), tr("Write over it")
        answer = ask(self._parent, text.format(document.name), more, [keep, over, tr("Cancel")])
        if answer == keep:
            return document.saved.set_aside()
        return None if answer == over else STAY

    def may_close(self, document: Document) -> bool:
        """Ask about unsaved work; False means stay."""
        if not document.history.dirty:
            return True
        tr = self._parent.tr
        text = tr("The sweep of {0} has not been saved.").format(document.name)
        more = tr("Saving writes it beside the picture; the picture itself is never changed.")
        save, leave = tr("Save"), tr("Do not save")
        answer = ask(self._parent, text, more, [save, leave, tr("Cancel")])
        return self.save(document) if answer == save else answer == leave

    def close_current(self) -> None:
        d = self.current
        if d is None or not self.may_close(d):
            return
        self._put_away(d)
        self.show(self.documents[0] if self.documents else None)

    def _put_away(self, document: Document) -> None:
        """Close a picture; when it was shown, none is for the moment."""
        self.documents.remove(document)
        if document is self.current:
            self.jobs.stop_showing()
            self.show(None)
        safety.forget(document)
        document.close()

    def close_all(self) -> None:
        """When the window closes and everything was asked."""
        self.closed = True
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
            safety.set_aside(found.file)
            if document is self.current:
                self.shown.emit(document)
            self.listed.emit()
