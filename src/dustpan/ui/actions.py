"""Actions: everything that can be done, once, with its key. Menus, palette and key sheet are built from them.

A view of the window gives a list of them; the order is that of the menus.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from PyQt6.QtWidgets import QWidget

from dustpan.ui.jobs import Jobs

LETTERS = "ABDEFGHJKLMNOPQRSTUVWXYZ"  # of the palette, after the digits; C and I are held


@dataclass(frozen=True)
class Action:
    """One thing to do.

    Attributes
    ----------
    id : of its own. menu : the id of the menu that it stands in. text, keys : as shown; keys as Qt writes them.
    do : called without arguments. icon : the drawing beside it. always : also without a picture.
    apart : parted from the one before by a line. only : in the view of that id; everywhere when empty.
    """

    id: str
    menu: str
    text: str
    keys: str
    do: Callable[[], object]
    icon: str = ""
    always: bool = False
    apart: bool = False
    only: str = ""


def numbered(prefix: str, number: int) -> str:
    """The key of the ``number``-th of a list, from 0: digits first, then the same with Shift.

    Raises
    ------
    ValueError : for more than twenty.
    """
    if number >= 20:
        raise ValueError("a list of more than twenty has no keys")
    return f"{prefix}+{number}" if number < 10 else f"{prefix}+Shift+{number - 10}"


def palette_key(number: int) -> str:
    """The key of the ``number``-th entry of the palette while it is open: digits, then letters."""
    return str(number) if number < 10 else LETTERS[number - 10]


def connect(pairs: Iterable[tuple[Any, Callable]]) -> None:
    """Connect signals, each to what it calls."""
    for signal, slot in pairs:
        signal.connect(slot)


class Links:
    """Connections to what outlives a widget, so that they can be taken back with it."""

    def __init__(self) -> None:
        self._made: list[Any] = []
        self._ends: list[Callable[[], None]] = []

    def add(self, pairs: Sequence[tuple[Any, Callable]]) -> None:
        self._made += [(signal, signal.connect(slot)) for signal, slot in pairs]

    def hear(self, jobs: Jobs, slots: Mapping[type, Callable]) -> None:
        """Hear what background work tells, by the class of the event."""
        self._ends += [jobs.hear(kind, slot) for kind, slot in slots.items()]

    def cut(self) -> None:
        for signal, connection in self._made:
            signal.disconnect(connection)
        for end in self._ends:
            end()
        self._made, self._ends = [], []


def title_of(menu: str, widget: QWidget) -> str:
    """The title of a menu, with its mnemonic."""
    tr = widget.tr
    return {
        "file": tr("&File"),
        "edit": tr("&Edit"),
        "view": tr("&View"),
        "compare": tr("&Compare"),
        "inspect": tr("&Inspect"),
        "step": tr("&Step"),
        "where": tr("&Where"),
        "pictures": tr("&Pictures"),
        "help": tr("&Help"),
    }[menu]
