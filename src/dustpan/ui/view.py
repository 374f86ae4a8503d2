"""What a main view of the window is."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

from PyQt6.QtWidgets import QWidget

from dustpan.core.open.document import Document
from dustpan.core.recipes.recipe import Recipe
from dustpan.core.recipes.shelf import Shelf
from dustpan.core.sweep import Sweep
from dustpan.ui.bench.state import BenchState
from dustpan.ui.jobs import Jobs

KEEP = object()  # what the recipes are shown for when the sweep on the bench becomes one


class View(Protocol):
    """One main view; it is made when it is first shown, and anew for another language or theme."""

    @property
    def widget(self) -> QWidget:
        """What stands in the area."""

    @property
    def title(self) -> str:
        """What it is called there; empty for one that needs no title."""

    def enter(self, what: object = None) -> None:
        """It comes to the front, perhaps for something that another view hands over."""

    def may_leave(self) -> bool:
        """Whether the window may close as far as this is concerned; may ask."""

    def stop(self) -> None:
        """The window closes: take what is being typed, end what goes on."""

    def rebuilt(self) -> View:
        """The same in another language or of another look; what is done and chosen goes on there."""

    def retire(self) -> None:
        """It was made anew: hear nothing any more, and go."""


@dataclass
class Seat:
    """What the window offers to its views.

    Attributes
    ----------
    parent : of their widgets. open : opens pictures and leads to the bench. show : a view by its id, for something.
    use : gives the picture a recipe, added to its sweep or instead of it.
    progressed : how many of how many are done in the background, for the title; (0, 0) when nothing goes on.
    """

    parent: QWidget
    state: BenchState
    jobs: Jobs
    shelf: Shelf
    documents: Callable[[], Sequence[Document]]
    open: Callable[[list[Path]], None]
    show: Callable[[str, object], None]
    use: Callable[[Recipe, Sweep], None]
    progressed: Callable[[int, int], None]


@dataclass(frozen=True)
class ViewKind:
    """A row of the list of views.

    Attributes
    ----------
    id : of its own. name : in the menu, to be translated. keys, icon : of the action that shows it; as in `Action`.
    make : makes it, and imports what it needs only then.
    """

    id: str
    name: str
    keys: str
    icon: str
    make: Callable[[Seat], View]
