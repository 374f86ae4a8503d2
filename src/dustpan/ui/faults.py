"""Faults of our own: an exception in a slot is logged and told, and never ends the window with unsaved work in it."""

from __future__ import annotations

import logging
import sys
import threading
from collections.abc import Callable
from types import TracebackType

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.language import say

log = logging.getLogger(__name__)


class FaultHook(QObject):
    """Takes the place of Python's exception hooks.

    Parameters
    ----------
    keep : called first, to keep the unsaved work. ``told`` carries a sentence, on the GUI thread.
    """

    told = pyqtSignal(str)

    def __init__(self, keep: Callable[[], None], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._keep, self._inside = keep, False
        self._before = sys.excepthook, threading.excepthook

    def install(self) -> None:
        sys.excepthook = self.caught
        threading.excepthook = lambda args: self.caught(args.exc_type, args.exc_value, args.exc_traceback)

    def remove(self) -> None:
        sys.excepthook, threading.excepthook = self._before

    def caught(
        self, kind: type[BaseException], error: BaseException | None, trace: TracebackType | None = None
    ) -> None:
        """Log, keep, tell; an interrupt still ends the program."""
        if error is None or issubclass(kind, KeyboardInterrupt) or self._inside:
            self._before[0](kind, error or kind(), trace)
            return
        self._inside = True
        try:
            log.error("unexpected failure", exc_info=(kind, error, trace))
            if threading.current_thread() is threading.main_thread():
                self._keep()
            self.told.emit(say("Something went wrong inside Dustpan ({0}); your work is not lost.", kind.__name__))
        finally:
            self._inside = False
