"""Cyclic garbage is collected on the GUI thread only.

Python collects it on whatever thread happens to allocate. Closed windows and dialogs hang in cycles, and what Qt draws
with may be destroyed on no other thread than its own.
"""

from __future__ import annotations

import gc

from PyQt6.QtCore import QObject, QTimer

EVERY = 500  # ms


class Collector(QObject):
    """Looks now and then whether Python would have collected by itself, and does it here."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        gc.freeze()  # what came with the modules is not looked through again
        self._timer = QTimer(self)
        self._timer.timeout.connect(self.look)
        self._timer.start(EVERY)

    def look(self) -> None:
        """Collect the oldest generation that is due."""
        due = [
            age for age, (held, most) in enumerate(zip(gc.get_count(), gc.get_threshold(), strict=True)) if held > most
        ]
        if due:
            gc.collect(max(due))
