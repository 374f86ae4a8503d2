"""A row of the tray: the widgets of one parameter, kept in step with its value."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QGridLayout, QWidget

from dustpan.core.params import Control
from dustpan.ui.look.plain import Label

COLUMNS = 5  # of the grid, that a row may use; the last keeps rows apart
Changed = Callable[[str, Any, bool], None]  # name, value, whether a drag is still going on


class Row(ABC):
    """Base of all rows. A subclass makes its widgets, puts them into the grid, and shows a value without telling."""

    def __init__(self, control: Any, changed: Changed, parent: QWidget) -> None:
        self.control = control
        self.changed = changed
        self.label = Label(parent.tr(control.label), parent)
        self._described: tuple[QWidget, ...] = (self.label,)
        self._help = ""

    def describe(self, parent: QWidget, *widgets: QWidget) -> None:
        """Give widgets the tooltip and the accessible name of the parameter."""
        control: Control = self.control
        group = parent.tr(control.group) if control.group else ""
        self._described, self._help = (self.label, *widgets), parent.tr(control.help)
        for w in (self.label, *widgets):
            w.setToolTip(parent.tr(control.help))
            w.setAccessibleName(f"{group} {parent.tr(control.label)}".strip())

    def use(self, why_not: str = "") -> None:
        """Whether it can be used: off, with the reason, where it can do nothing."""
        for w in self._described:
            w.setEnabled(not why_not)
            w.setToolTip(why_not or self._help)

    @abstractmethod
    def place(self, grid: QGridLayout, row: int, column: int) -> None:
        """Put the widgets into a grid."""

    @abstractmethod
    def show_value(self, value: Any) -> None:
        """Show a value without telling anyone."""
