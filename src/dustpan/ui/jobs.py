"""Background work for the window: the lanes of the core, and what they tell as one queued signal.

The window knows no threads: what is told anywhere arrives here on the thread of the window, and goes to whoever wants
to hear of events of its class. Events about a wish carry it, so that what was found for an older one can be let go.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from inspect import ismethod
from pathlib import Path
from typing import Any, TypeVar
from weakref import WeakMethod

from PyQt6 import sip
from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.cancel import Cancel
from dustpan.core.errors import Cancelled, os_reason
from dustpan.core.files import Opening
from dustpan.core.jobs.events import DemoMade, DemoOver, Event, Exported, ExportProgressed, Failed, Opened, OpenFailed
from dustpan.core.jobs.helper import Helper
from dustpan.core.jobs.lanes import Lane
from dustpan.core.jobs.one import Task, run, sentence
from dustpan.core.jobs.request import Request
from dustpan.core.jobs.show import Show
from dustpan.core.kernel_cache import kernels_ready
from dustpan.core.language import say
from dustpan.core.open.document import Document
from dustpan.core.render.cache import Cache

Heard = TypeVar("Heard")
Question = Callable[[Cancel], Iterable[Event]]


@dataclass(frozen=True)
class _Answered:
    """A question came to its end, whatever was told about it."""

    flag: Cancel


class Jobs(QObject):
    """The lanes of one window. ``told`` carries an event; `hear` hands it to whom it concerns."""

    told = pyqtSignal(object)

    def __init__(self, threads: int | None = None, memory: int | None = None) -> None:
        super().__init__()
        self.cache = Cache(memory) if memory else Cache()
        self.threads = threads
        self._opening, self._showing, self._judging = Lane("open"), Lane("show"), Lane("judge")
        self._asking, self._exporting, self._looking = Lane("ask"), Lane("export"), Lane("look")
        self._asked: dict[str, Cancel] = {}
        self._unanswered: set[Cancel] = set()
        self._exports: dict[int, Cancel] = {}
        self._helper: Helper | None = None
        self._ears: dict[type, list[Callable[[], Callable | None]]] = {}
        self.told.connect(self._hand_on)

    # -------------------------------------------------------------- who hears what

    def tell(self, event: object) -> None:
        """Tell something, from any thread."""
        self.told.emit(event)

    def hear(self, kind: type[Heard], slot: Callable[[Heard], object]) -> Callable[[], None]:
        """Call ``slot`` with every event of a class, as long as whom it belongs to lives; gives what ends that."""
        ears = self._ears.setdefault(kind, [])
        ear: Any = WeakMethod(slot) if ismethod(slot) else lambda: slot
        ears.append(ear)
        return lambda: ears.remove(ear) if ear in ears else None

    def _hand_on(self, event: object) -> None:
        if isinstance(event, _Answered):
            self._unanswered.discard(event.flag)
        for ear in tuple(self._ears.get(type(event), ())):
            slot = ear()
            owner = getattr(slot, "__self__", None)
            if slot is None or (isinstance(owner, QObject) and sip.isdeleted(owner)):
                self._ears[type(event)].remove(ear)
            else:
                slot(event)

    # -------------------------------------------------------------- opening

    def open(self, path: Path, opening: Opening | None = None) -> None:
        """Open a picture; in another way than its sweep says, where that is wished."""
        self._opening.add(lambda cancel: self._open(path, opening, cancel))

    def _open(self, path: Path, opening: Opening | None, cancel: Cancel) -> None:
        try:
            self.tell(Opened(Document(path, self.cache, self.threads, opening, cancel.check)))
        except Cancelled:  # the window closes
            return
        except Exception as error:
            self.tell(OpenFailed(path, sentence(error)))

    def prepare_demo(self) -> None:
        """Make the demo pictures unless they are there; `DemoMade` tells each."""
        if self._helper is not None:
            self._helper.stop()
        self._begin_helper(True)

    def finish_kernels(self) -> None:
        """Compile what is not compiled yet, while nothing else is to be done."""
        if self._helper is None and not kernels_ready():
            self._begin_helper(False)

    def _begin_helper(self, pictures: bool) -> None:
        try:
            self._helper = Helper(
                pictures, lambda path: self.tell(DemoMade(path)), lambda why: self.tell(DemoOver(why))
            )
        except OSError as error:
            why = say("The demo pictures could not be made: {0}", os_reason(error)) if pictures else ""
            self.tell(DemoOver(why))

    # -------------------------------------------------------------- showing and asking

    def show(self, document: Document, request: Request) -> None:
        """Show what is wished; what was wished before is called off, and so is looking for repairs."""
        self._looking.call_off()

        def work(cancel: Cancel) -> None:
            try:
                Show(document, request, self.tell, cancel, self._judging).run()
            except Cancelled:
                return
            except Exception as error:
                self.tell(Failed(document, sentence(error), request))

        self._showing.wish(work)

    def stop_showing(self) -> None:
        self._showing.call_off()

    def wait_for_showing(self) -> None:
        """Wait until what was wished has run to its end."""
        if job := self._showing.add(lambda cancel: None):
            job.result()

    def ask(self, name: str, document: Document, question: Question) -> None:
        """Ask something small beside it (`questions`); the newest of a name calls the older ones off."""
        if old := self._asked.get(name):
            old.set()
        self._asked[name] = flag = Cancel()
        self._unanswered.add(flag)

        def work(cancel: Cancel) -> None:
            self._answer(document, question, cancel)
            self.tell(_Answered(flag))

        if self._asking.add(work, flag) is None:
            self._unanswered.discard(flag)

    @property
    def asking(self) -> bool:
        """Whether an answer is still awaited."""
        return any(not flag.wanted for flag in self._unanswered)

    def look_for(self, document: Document, question: Question) -> None:
        """Ask something that can wait; `show` calls it off."""
        self._looking.wish(lambda cancel: self._answer(document, question, cancel))

    def _answer(self, document: Document, question: Question, cancel: Cancel) -> None:
        try:
            for event in question(cancel):
                self.tell(event)
        except Cancelled:
            return
        except Exception as error:
            self.tell(Failed(document, sentence(error)))

    def call_off(self, name: str) -> None:
        """Call off what was asked by a name."""
        if old := self._asked.pop(name, None):
            old.set()

    # -------------------------------------------------------------- exporting

    def export(self, document: Document, task: Task, token: int) -> None:
        """Do a task on an open picture; `Exported` carries its token and its outcome."""
        self._exports[token] = flag = Cancel()

        def work(cancel: Cancel) -> None:
            def progress(done: int, total: int) -> None:
                self.tell(ExportProgressed(token, done, total))

            outcome = run(task, cancel, progress, renderer=document.renderer)
            self._exports.pop(token, None)
            self.tell(Exported(token, outcome))

        self._exporting.add(work, flag)

    def cancel_export(self, token: int) -> None:
        if flag := self._exports.get(token):
            flag.set()

    # -------------------------------------------------------------- end

    def stop(self) -> None:
        """Call everything off and wait for it."""
        for flag in (*self._asked.values(), *self._exports.values()):
            flag.set()
        for lane in (self._opening, self._showing, self._judging, self._exporting, self._asking, self._looking):
            lane.stop()
        if self._helper is not None:
            self._helper.stop()
