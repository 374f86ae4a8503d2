"""Looking: the palette of views that show what is hard to see."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.finish.levels import Levels
from dustpan.core.jobs.events import LevelsFound
from dustpan.core.jobs.questions import levels
from dustpan.core.language import capital
from dustpan.core.look import Look, LookKind
from dustpan.core.looks.all import LOOKS
from dustpan.core.looks.brightened import BRIGHTENED
from dustpan.ui.actions import Action, Links, numbered
from dustpan.ui.bench.showing import Showing


class Looking(QObject):
    """Chooses looks; the picture and its export stay as they are. ``changed`` tells that it is another one."""

    changed = pyqtSignal()

    def __init__(self, showing: Showing, links: Links) -> None:
        super().__init__(showing.parts)
        self.showing, self.parts, self.state = showing, showing.parts, showing.state
        links.add([(self.parts.canvas.wheel_wanted, self.step_look)])
        links.hear(showing.jobs, {LevelsFound: self._levels_found})
        self.parts.top.inspect.clicked.connect(self.toggle_palette)
        self.parts.palette_.chosen.connect(self.inspect)

    def inspect(self, kind: LookKind) -> None:
        """Look at the picture in a special way; brightened as soon as the levels for it are found."""
        look = self.state.look_of(kind)
        if look is None:
            self._ask_levels()
        else:
            self._set(look)

    # -------------------------------------------------------------- brightened for viewing

    def set_levels(self, levels: Levels) -> None:
        """Brighten with other levels; they are remembered for the picture, which stays as it is."""
        self._set(Look(BRIGHTENED, levels=levels))

    def brighten_anew(self, linked: bool | None = None) -> None:
        """Take the levels from the sky again, all channels alike or each for itself."""
        if d := self.state.document:
            d.viewing.linked = d.viewing.linked if linked is None else linked
            self._ask_levels()

    def _ask_levels(self) -> None:
        if d := self.state.document:
            self.parts.bottom.state.setText(self.parts.tr("looking for the sky …"))
            self.showing.jobs.ask("levels", d, partial(levels, d, d.viewing.linked, False))

    def _levels_found(self, event: LevelsFound) -> None:
        if event.document is self.state.document and not event.for_step:
            self.parts.bottom.state.setText("")
            self.set_levels(event.levels)

    def step_look(self, way: int) -> None:
        self._set(self.state.look.stepped(way))

    def _set(self, look: Look) -> None:
        if look == self.state.look:
            return
        self.state.look = look
        self.state.settings[look.kind.id] = look.setting
        if d := self.state.document:
            d.viewing.take(look)
        self.show_look()
        self.showing.render()
        self.changed.emit()

    def show_look(self) -> None:
        """Mark the look in use in the palette, at its button and on the picture."""
        self.parts.palette_.show_look(self.state.look.kind)
        self.parts.top.inspect.setChecked(not self.state.look.plain)
        self.showing.show_badge()

    def open_palette(self) -> None:
        self.parts.palette_.show_look(self.state.look.kind)
        self.parts.palette_.open_at_middle()

    def toggle_palette(self) -> None:
        self.parts.top.inspect.setChecked(not self.state.look.plain)
        if self.parts.palette_.isVisible():
            self.parts.palette_.hide()
        else:
            self.open_palette()

    def actions(self) -> list[Action]:
        tr = self.parts.tr
        found = [
            Action(f"look-{k.id}", "inspect", capital(tr(k.name)), numbered("Alt", n), partial(self.inspect, k))
            for n, k in enumerate(LOOKS)
        ]
        return [
            *found,
            Action("further", "inspect", tr("Further"), "Alt+Up", lambda: self.step_look(1), apart=True),
            Action("less-far", "inspect", tr("Less far"), "Alt+Down", lambda: self.step_look(-1)),
        ]
