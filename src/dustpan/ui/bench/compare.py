"""Comparing: with which other side, and how both are seen."""

from __future__ import annotations

from functools import partial

from dustpan.ui.actions import Action, Links, connect
from dustpan.ui.bench.panes import Arrangement
from dustpan.ui.bench.showing import Showing
from dustpan.ui.bench.state import BEFORE_STEP, ORIGINAL


class Compare:
    """Chooses sides and views."""

    def __init__(self, showing: Showing, links: Links) -> None:
        self.showing, self.parts, self.state = showing, showing.parts, showing.state
        links.add([(self.parts.canvas.hold_wanted, self.hold)])
        top = self.parts.top
        connect([
            (top.other_chosen, self.compare_with), (top.keep.clicked, self.keep_state),
            (top.view_chosen, self.set_view),
        ])  # fmt: skip

    def show_sides(self) -> None:
        """Name the sides that there are."""
        d = self.state.document
        if d is None:
            return
        self.state.compared = min(self.state.compared, 1 + len(d.kept))
        self.parts.top.show_others(self.state.sides(self.parts.tr), self.state.compared)
        self.parts.canvas.other_name = self.parts.top.other.currentText()

    def compare_with(self, number: int) -> None:
        self.state.compared = number
        self.show_sides()
        self.showing.render()

    def keep_state(self) -> None:
        """Remember the sweep as it is, and compare with it from now on."""
        if d := self.state.document:
            d.keep_state()
            self.compare_with(1 + len(d.kept))

    def flip_kept(self, way: int = 1) -> None:
        """Compare with the next kept state, the original among them."""
        if d := self.state.document:
            sides = [ORIGINAL, *range(2, 2 + len(d.kept))]
            at = sides.index(self.state.compared) if self.state.compared in sides else 0
            self.compare_with(sides[(at + way) % len(sides)])

    def hold(self, on: bool) -> None:
        """Show the other side while on; of a side that is not computed yet, that is begun."""
        self.parts.canvas.hold(on)
        d = self.state.document
        if on and d and d.exact[True].missing(self.parts.canvas.visible_region()) is not None:
            self.showing.render()

    def blink(self) -> None:
        """Flip to the other side and stay there until the next blink."""
        self.hold(not self.parts.canvas.holding)

    def set_view(self, view: str) -> None:
        self.parts.canvas.set_view(Arrangement(view))
        self.parts.top.views[Arrangement(view)].setChecked(True)
        d = self.state.document
        if d and Arrangement(view) is not Arrangement.SINGLE and not d.exact[True].complete:
            self.showing.render()

    def actions(self) -> list[Action]:
        tr = self.parts.tr
        views = {
            Arrangement.SINGLE: (tr("Single"), "S"),
            Arrangement.DIVIDER: (tr("Divider"), "D"),
            Arrangement.PAIR: (tr("Pair"), "A"),
        }
        found = [
            Action(view.value, "compare", text, key, partial(self.set_view, view.value))
            for view, (text, key) in views.items()
        ]
        return [
            *found,
            Action("blink", "compare", tr("Blink"), "B", self.blink),
            Action("original", "compare", tr("With the original"), "Ctrl+1", lambda: self.compare_with(ORIGINAL),
                   apart=True),
            Action("before-step", "compare", tr("With the state before this step"), "Ctrl+2",
                   lambda: self.compare_with(BEFORE_STEP)),
            Action("next-kept", "compare", tr("With the next kept state"), "N", self.flip_kept),
            Action("keep", "compare", tr("Keep this state"), "K", self.keep_state, "keep"),
        ]  # fmt: skip
