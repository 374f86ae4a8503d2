"""Watching: the probes, on the picture and down the side, and what was measured."""

from __future__ import annotations

from dustpan.core.jobs.events import Placed, ProbeSeen
from dustpan.core.judge.probes import MOST, Probe, Role
from dustpan.ui.actions import Action, Links, connect
from dustpan.ui.bench.showing import Showing


class Watching:
    """Places, moves, adds and removes probes; none of it is a change of the picture."""

    def __init__(self, showing: Showing, links: Links) -> None:
        self.showing, self.parts, self.state, jobs = showing, showing.parts, showing.state, showing.jobs
        links.hear(jobs, {Placed: self._placed, ProbeSeen: self._probe_seen})
        panel = self.parts.probes
        connect([
            (self.parts.probes_tool.moved, self.move), (panel.go_wanted, self.go_to),
            (panel.remove_wanted, self.remove), (panel.add_wanted, self.add),
        ])  # fmt: skip

    def show_probes(self) -> None:
        d = self.state.document
        if d is None:
            self.parts.probes.show_probes((), busy=False, picture=False)
            self.parts.probes_tool.probes = ()
            return
        self.parts.probes.show_probes(d.probes or (), busy=d.probes is None)
        self.parts.probes_tool.probes = d.probes or ()
        self.parts.canvas.update()

    def _placed(self, event: Placed) -> None:
        event.document.watch(event.probes)  # what was looked for without them is looked for anew
        if event.document is self.state.document:
            self.show_probes()

    def _probe_seen(self, event: ProbeSeen) -> None:
        event.document.levels_at[event.view.probe] = event.view.level
        if self.state.is_wanted(event) and event.number < len(event.document.probes or ()):
            self.parts.probes.show_view(event.number, event.view)

    def set_probes(self, probes: tuple[Probe, ...] | None) -> None:
        """Watch other places; None lets Dustpan find them."""
        if d := self.state.document:
            d.watch(probes)
            self.show_probes()
            self.showing.render()

    def _known(self, number: int) -> tuple[Probe, ...]:
        """The probes, where there is one of that number."""
        probes = (self.state.document.probes if self.state.document else None) or ()
        return probes if 0 <= number < len(probes) else ()

    def go_to(self, number: int) -> None:
        if probes := self._known(number):
            self.parts.canvas.go_to(probes[number].y, probes[number].x)

    def move(self, number: int, y: int, x: int) -> None:
        if probes := self._known(number):
            self.set_probes((*probes[:number], Probe(probes[number].role, y, x), *probes[number + 1 :]))

    def remove(self, number: int) -> None:
        if probes := self._known(number):
            self.set_probes(probes[:number] + probes[number + 1 :])

    def add(self) -> None:
        """Add a probe in the middle of what is seen."""
        d = self.state.document
        if d and d.probes is not None and len(d.probes) < MOST:
            v = self.parts.canvas.visible_region()
            self.set_probes((*d.probes, Probe(Role.OWN, (v.y0 + v.y1) // 2, (v.x0 + v.x1) // 2)))

    def place_anew(self) -> None:
        """Let Dustpan find the places anew."""
        self.set_probes(None)

    def toggle(self) -> None:
        """Show the probes' frames on the picture, or not."""
        self.parts.probes_tool.shown = not self.parts.probes_tool.shown
        self.parts.canvas.update()

    def actions(self) -> list[Action]:
        tr = self.parts.tr
        return [
            Action("probes", "view", tr("Probes on the picture"), "P", self.toggle, apart=True),
            Action("add-probe", "view", tr("Add a probe"), "Shift+P", self.add, "probe"),
            Action("place-probes", "view", tr("Find places for the probes anew"), "Ctrl+Shift+P", self.place_anew),
        ]
