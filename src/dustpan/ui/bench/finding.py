"""Finding: what steps have found is counted on their chips, ringed on the picture, stepped through and put back."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog

from dustpan.core.defects.defect_map import DefectMap, load_map, save_map
from dustpan.core.defects.hot_pixels import HOT_PIXELS
from dustpan.core.errors import DustpanError
from dustpan.core.hits import CLICK, Decided, Hits
from dustpan.core.jobs.events import Done, Found, RepairsFound
from dustpan.core.jobs.mapped import with_map
from dustpan.core.jobs.questions import to_repair
from dustpan.core.judge.repairs import Repair, with_repairs
from dustpan.core.judge.repairs import sentence as words
from dustpan.core.open.document import Document
from dustpan.core.steps import STEPS
from dustpan.core.sweep import Step
from dustpan.core.text import name_of
from dustpan.ui.actions import Action, Links, connect
from dustpan.ui.bench.editing import Editing
from dustpan.ui.bench.findings import COLUMNS, ROWS, crop_of
from dustpan.ui.bench.showing import Showing
from dustpan.ui.bench.state import Half

ZOOM = 4.0


class Finding(QObject):
    """Hits of the chosen step, where it has any."""

    def __init__(self, showing: Showing, editing: Editing, links: Links) -> None:
        super().__init__(showing.parts)
        self.showing, self.editing = showing, editing
        self.parts, self.state = showing.parts, showing.state
        links.hear(showing.jobs, {Found: self._found, Done: self._done, RepairsFound: self._repairs_found})
        connect([
            (self.parts.hits_tool.clicked, self.toggle_at), (self.parts.tray.findings.go_wanted, self.go_to),
            (editing.tray_shown, self.show),
        ])  # fmt: skip

    @property
    def hits(self) -> Hits | None:
        """What the chosen step has found; None without such a step."""
        step = self.state.step()
        if step is None or step.kind.hits is None or self.state.half is not Half.WHAT:
            return None
        return self.state.found()

    def _found(self, event: Found) -> None:
        if self.state.is_wanted(event):
            self.state.hits = event.hits
            self.editing.show_chips()
            self.editing.show_tray()

    def _done(self, event: Done) -> None:
        d = event.document
        if d is self.state.document:
            self.show()
            if not d.looked:
                self.showing.jobs.look_for(d, partial(to_repair, d, d.sweep, STEPS))

    # -------------------------------------------------------------- what could be repaired

    def _repairs_found(self, event: RepairsFound) -> None:
        """Say once what was found in a picture that was opened, and offer to repair it."""
        document, found = event.document, event.repairs
        document.looked = True
        if not found or document is not self.state.document:
            return
        notice, tr = self.parts.notice, self.parts.tr
        said = f"{notice.text.text()} {words(found)}" if notice.isVisible() else words(found)
        if any(r.hits.any for r in found):
            notice.tell(said, tr("Repair"), partial(self._repair, document, found))
        else:
            notice.tell(said)

    def _repair(self, document: Document, found: tuple[Repair, ...]) -> None:
        if document is self.state.document:
            self.editing.change(self.parts.tr("repair what was found"), with_repairs(document.sweep, found))

    def show(self) -> None:
        """Rings and crops of the chosen step."""
        hits, tool, tray = self.hits, self.parts.hits_tool, self.parts.tray
        step = self.state.step()
        self.state.hit = min(self.state.hit, len(hits) - 1) if hits is not None else -1
        places = hits if hits is not None and hits.proven is None else None
        tool.hits, tool.current = places, self.state.hit
        tool.spared = ()
        if step is not None and hits is not None and isinstance(step.params, Decided):
            tool.spared = step.params.spared
        listed = hits if hits is not None and not hits.as_a_whole else None
        tray.findings.setVisible(listed is not None)
        if listed is not None:
            self._show_crops(listed)
        self.parts.canvas.update()

    def _show_crops(self, hits: Hits) -> None:
        d, tr = self.state.document, self.parts.tr
        assert d is not None
        page = ROWS * COLUMNS
        first = max(0, self.state.hit) // page * page
        places = [
            (int(y), int(x), float(s))
            for (y, x), s in zip(hits.at[first : first + page], hits.score[first : first + page], strict=True)
        ]
        before, after = d.before.levels[0], d.after.levels[0]
        crops = [((crop_of(before, y, x), crop_of(after, y, x)), self._why(hits, y, x, s)) for y, x, s in places]
        words = (
            tr("{0} found, the doubtful ones first").format(len(hits))
            if len(hits)
            else tr("Nothing found; nothing is changed.")
        )
        self.parts.tray.findings.show_hits(words, crops, first, self.state.hit)

    def _why(self, hits: Hits, y: int, x: int, score: float) -> str:
        return f"{x}, {y}: {score:.1f} {self.parts.tr(hits.unit)}"

    # -------------------------------------------------------------- stepping through

    def go_to(self, number: int) -> None:
        """Look at a hit, at 400 %."""
        hits = self.hits
        if hits is None or not len(hits):
            return
        self.state.hit = number % len(hits)
        y, x = (float(v) for v in hits.at[self.state.hit])
        self.parts.canvas.go_to(int(y), int(x), ZOOM)
        self.parts.bottom.state.setText(self._why(hits, int(y), int(x), float(hits.score[self.state.hit])))
        self.show()

    def step(self, way: int) -> None:
        self.go_to(self.state.hit + way if self.state.hit >= 0 else 0)

    def put_back(self) -> None:
        """Leave the hit that is looked at as it is, and go on to the next."""
        hits, at = self.hits, self.state.hit
        if hits is not None and 0 <= at < len(hits):
            y, x = (int(v) for v in hits.at[at])
            self.toggle_at(y, x)

    def toggle_at(self, y: int, x: int) -> None:
        """Put back the hit at a place; take one that was put back; add one where nothing was found."""
        step = self.state.step()
        if step is None or not isinstance(step.params, Decided):
            return
        spared, added = step.params.spared, step.params.added

        def near(p: tuple[float, float]) -> bool:
            return abs(p[0] - y) <= CLICK and abs(p[1] - x) <= CLICK

        hits = self.hits
        if any(map(near, spared)):
            change, name = {"spared": tuple(p for p in spared if not near(p))}, self.parts.tr("take a hit")
        elif any(map(near, added)):
            change, name = {"added": tuple(p for p in added if not near(p))}, self.parts.tr("put a hit back")
        elif hits is not None and any(near((float(a), float(b))) for a, b in hits.at):
            change, name = {"spared": (*spared, (float(y), float(x)))}, self.parts.tr("put a hit back")
        else:
            change, name = {"added": (*added, (float(y), float(x)))}, self.parts.tr("add a hit")
        d = self.state.document
        assert d is not None
        self.editing.change(name, d.sweep.changed(self.state.chosen, params=step.params.model_copy(update=change)))
        d.history.settle()

    def ask_save_map(self) -> None:
        """Ask where the hot pixels of this picture are kept as a map for others of the camera."""
        path = self._asked(QFileDialog.getSaveFileName, self.parts.tr("Save defect map"), "defects.json")
        if path is not None:
            self.save_map(path)

    def save_map(self, path: Path) -> None:
        """Keep the hits of the chosen step as a defect map."""
        hits, d, step = self.hits, self.state.document, self.state.step()
        if hits is None or step is None or step.kind is not HOT_PIXELS or d is None:
            self.parts.notice.tell(self.parts.tr("Choose Hot pixels first: its hits are what a defect map holds."))
            return
        places = tuple((float(y), float(x)) for y, x in hits.at)
        try:
            save_map(DefectMap(d.picture.size, places), path)
        except DustpanError as error:
            self.parts.notice.tell(str(error))
            return
        words = self.parts.tr("{0} pixels were saved in {1}.")
        self.parts.bottom.state.setText(words.format(len(places), name_of(path)))

    def ask_use_map(self) -> None:
        """Ask for a defect map and fill its places."""
        path = self._asked(QFileDialog.getOpenFileName, self.parts.tr("Use defect map"), "")
        if path is not None:
            self.use_map(path)

    def use_map(self, path: Path) -> None:
        """Fill the places of a defect map with Hot pixels, which is added where it is missing."""
        d = self.state.document
        if d is None:
            return
        try:
            sweep = with_map(d.sweep, load_map(path), d.picture.size)
        except DustpanError as error:
            self.parts.notice.tell(str(error))
            return
        self.editing.change(self.parts.tr("use a defect map"), sweep)
        self.editing.choose(next(n for n, s in enumerate(sweep.steps) if isinstance(s, Step) and s.kind is HOT_PIXELS))
        d.history.settle()

    def _asked(self, ask: Callable[..., tuple[str, str]], title: str, name: str) -> Path | None:
        d = self.state.document
        if d is None:
            return None
        kinds = self.parts.tr("Defect maps (*.json *.fits)")
        chosen, _ = ask(self.parts.canvas, title, str(d.path.parent / name), kinds)
        return Path(chosen) if chosen else None

    def actions(self) -> list[Action]:
        tr = self.parts.tr
        return [
            Action("next-hit", "step", tr("Next hit"), ".", partial(self.step, 1), apart=True),
            Action("previous-hit", "step", tr("Previous hit"), ",", partial(self.step, -1)),
            Action("put-back", "step", tr("Put the hit back"), "X", self.put_back),
            Action("save-map", "step", tr("Save defect map …"), "Ctrl+Alt+M", self.ask_save_map),
            Action("use-map", "step", tr("Use defect map …"), "Ctrl+Alt+U", self.ask_use_map),
        ]
