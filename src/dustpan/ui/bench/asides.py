"""Asides: what the chosen step works with, shown while one of its controls is moved or a key is held."""

from __future__ import annotations

from collections.abc import Collection

from PyQt6.QtCore import QObject, QTimer

from dustpan.core.step import Aside
from dustpan.ui.bench.editing import Editing
from dustpan.ui.bench.showing import Showing
from dustpan.ui.bench.state import Half

STAYS_MS = 250  # how long it stays after the control was let go


class Asides(QObject):
    """Shows the aside of the chosen step, while its controls are in the tray."""

    def __init__(self, showing: Showing, editing: Editing) -> None:
        super().__init__(showing.parts)
        self.showing, self.state = showing, showing.state
        self._leaving = QTimer(self)
        self._leaving.setSingleShot(True)
        self._leaving.setInterval(STAYS_MS)
        self._leaving.timeout.connect(lambda: self.hold(False))
        editing.moving.connect(self.moving)

    @property
    def aside(self) -> Aside | None:
        """What could be shown now."""
        step = self.state.step()
        return step.kind.aside if step and self.state.half is Half.WHAT else None

    def hold(self, on: bool) -> None:
        """Show it while a key is held."""
        on = on and self.aside is not None
        if on != self.state.aside:
            self.state.aside = on
            self.showing.render()

    def moving(self, names: Collection[str], ongoing: bool) -> None:
        """Controls of the step are moved, or were let go; what comes next is rendered by who moved them."""
        if ongoing and self.aside is not None and set(names) & set(self.aside.controls):
            self._leaving.stop()
            self.state.aside = True
        elif self.state.aside and not ongoing:
            self._leaving.start()
