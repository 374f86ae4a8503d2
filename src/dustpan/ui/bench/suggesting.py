"""Suggesting: strengths and sharpening that were found on the picture, and the strip of strengths to pick from."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QObject

from dustpan.core.jobs.events import SharpeningFound, StrengthsFound
from dustpan.core.jobs.questions import sharpening, strengths
from dustpan.core.judge.probes import Probe, Role
from dustpan.core.judge.suggest import Suggestion, with_strengths
from dustpan.core.judge.suggest_sharpening import SHARPENING, with_sharpening
from dustpan.core.sweep import Sweep
from dustpan.ui.actions import Action, Links, connect
from dustpan.ui.bench.editing import Editing
from dustpan.ui.bench.showing import Showing
from dustpan.ui.dialogs.test_strip import SIDE, TestStrip, variants


class Suggesting(QObject):
    """What is found in the background comes into the sweep as one change, and its reason as a notice."""

    def __init__(self, showing: Showing, editing: Editing, links: Links) -> None:
        super().__init__(showing.parts)
        self.showing, self.editing = showing, editing
        self.parts, self.state, self.jobs = showing.parts, showing.state, showing.jobs
        self.strip: TestStrip | None = None
        tray = self.parts.tray
        links.hear(self.jobs, {StrengthsFound: self._strengths, SharpeningFound: self._sharpening})
        connect([(tray.suggestion_wanted, self.suggest), (tray.strip_wanted, self.open_strip)])

    def _noise_step(self) -> int:
        """The number of the chosen Noise step, or of the first one; -1 without any."""
        step = self.state.step()
        return self.state.chosen if step and step.kind.id == "noise" else self.state.sweep.first_of("noise")

    def suggest(self) -> None:
        """Find the lowest strengths that do the job, in the background; of a step that sharpens, how to sharpen."""
        step, d = self.state.step(), self.state.document
        if d and step and step.kind.id in SHARPENING:
            self.suggest_sharpening()
        elif d:
            self.parts.bottom.state.setText(self.parts.tr("looking for the lowest strengths …"))
            self.jobs.ask("suggestion", d, partial(strengths, d))

    def suggest_sharpening(self) -> None:
        """Find what brings the edges to where the pixel grid ends, in the background."""
        if d := self.state.document:
            self.parts.bottom.state.setText(self.parts.tr("looking for the blur and the amounts …"))
            self.jobs.ask("suggestion", d, partial(sharpening, d, d.sweep))

    def _strengths(self, event: StrengthsFound) -> None:
        if event.document is self.state.document:
            sweep = with_strengths(event.document.sweep, event.suggestion.steps, self._noise_step())
            self._take(self.parts.tr("suggested strengths"), event.suggestion, sweep)

    def _sharpening(self, event: SharpeningFound) -> None:
        if event.document is self.state.document:
            sweep = with_sharpening(event.document.sweep, event.suggestion.steps)
            self._take(self.parts.tr("suggested sharpening"), event.suggestion, sweep)

    def _take(self, name: str, found: Suggestion, sweep: Sweep) -> None:
        self.parts.notice.tell(found.why)
        self.parts.bottom.state.setText("")
        self.editing.change(name, sweep)

    def open_strip(self) -> None:
        """Show the middle of the view at several strengths of Noise, to pick from."""
        at, d = self._noise_step(), self.state.document
        if d and at >= 0:
            v = self.parts.canvas.visible_region()
            middle = Probe(Role.OWN, (v.y0 + v.y1) // 2, (v.x0 + v.x1) // 2)
            region = middle.region(d.picture.size, SIDE)
            self.strip = TestStrip(d, variants(d.sweep, at), region, self.jobs, self.parts)
            words = self.parts.tr("strength from the test strip")
            self.strip.taken.connect(lambda sweep: self.editing.change(words, sweep))
            self.strip.open()

    def actions(self) -> list[Action]:
        tr = self.parts.tr
        return [
            Action("suggest", "step", tr("Suggest strengths"), "G", self.suggest, apart=True),
            Action("suggest-sharpening", "step", tr("Suggest sharpening"), "Shift+G", self.suggest_sharpening),
            Action("strip", "step", tr("Test strip"), "Y", self.open_strip),
        ]
