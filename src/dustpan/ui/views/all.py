"""All main views of the window, in the order of the menu; the first is the bench, to which Esc leads back."""

from __future__ import annotations

from dustpan.core.language import mark
from dustpan.ui.view import Seat, View, ViewKind


def _bench(seat: Seat) -> View:
    from dustpan.ui.bench.bench import Bench

    return Bench(seat.parent, seat.state, seat.jobs)


def _recipes(seat: Seat) -> View:
    from dustpan.ui.many.recipes import RecipesView

    return RecipesView(seat)


def _batch(seat: Seat) -> View:
    from dustpan.ui.many.batch import BatchView

    return BatchView(seat)


VIEWS: tuple[ViewKind, ...] = (
    ViewKind("bench", mark("Bench"), "Esc", "return", _bench),
    ViewKind("recipes", mark("Recipes"), "R", "keep", _recipes),
    ViewKind("batch", mark("Batch"), "Ctrl+B", "pictures", _batch),
)
