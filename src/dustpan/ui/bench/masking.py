"""Masking: what is done in the where half, and with its tools on the picture, becomes a change of the step's mask."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtGui import QColor, QImage

from dustpan.core.jobs import events as ev
from dustpan.core.jobs import questions
from dustpan.core.looks.mask import MASK
from dustpan.core.params import Number, Stroke
from dustpan.core.parts import PARTS, part_kind
from dustpan.core.sweep import Step
from dustpan.core.where.mask import How, Mask, Part
from dustpan.ui.actions import Action, Links, connect, numbered
from dustpan.ui.bench.editing import Editing
from dustpan.ui.bench.looking import Looking
from dustpan.ui.bench.showing import Showing
from dustpan.ui.bench.state import Half
from dustpan.ui.bench.where_panel import Shown
from dustpan.ui.look.theme import OVERLAY

FOLLOW_MS = 25  # how often the effect follows a stroke that is still being painted
STAYS_MS = 250  # how long a mask stays after the control that showed it was let go
DIM, TINTED = 170, 130  # of 255
KEYS = {"kept": "Ctrl+Shift+K", "picture": "Ctrl+Shift+G"}
FASTER = 1.15  # factor of a key's step of the brush's size


class Masking(QObject):
    """The where half of the chosen step."""

    def __init__(self, showing: Showing, editing: Editing, looking: Looking, links: Links) -> None:
        super().__init__(showing.parts)
        self.showing, self.editing, self.looking = showing, editing, looking
        self.parts, self.state, self.jobs = showing.parts, showing.state, showing.jobs
        self.panel = self.parts.tray.where
        self.shown: Shown | None = None
        self._held = False  # by a key
        self._asked: tuple[object, ...] | None = None
        self._stroke: Stroke | None = None
        self._before = Mask()  # as it was when the stroke began
        self._following, self._leaving = QTimer(self), QTimer(self)
        for timer, wait, do in ((self._following, FOLLOW_MS, self._follow), (self._leaving, STAYS_MS, self._let_go)):
            timer.setSingleShot(True)
            timer.setInterval(wait)
            timer.timeout.connect(do)
        links.hear(self.jobs, {
            ev.MaskSeen: self._mask_seen, ev.ProbeMaskSeen: self._probe_mask_seen, ev.Covered: self._covered,
            ev.ColourPicked: self._picked, ev.PartSettled: self._settled, ev.Done: self._done,
        })  # fmt: skip
        links.add([(self.parts.canvas.view_moved, self.show_overlay)])
        panel, p = self.panel, self.parts
        connect([
            (editing.tray_shown, self.show), (looking.changed, self.show_overlay),
            (panel.changed, self.set_values), (panel.part_changed, self.set_fields),
            (panel.add_wanted, self.add), (panel.chosen, self.choose), (panel.how_wanted, self.next_how),
            (panel.remove_wanted, self.remove), (panel.duplicate_wanted, self.duplicate),
            (panel.move_wanted, self.move), (panel.shown_changed, self.show_as),
            (panel.copy_wanted, self.copy_to), (panel.keep_wanted, self.keep),
            (panel.brush_changed, self.parts.canvas.update),
            (p.brush_tool.painting, self._painting), (p.brush_tool.painted, self._painted),
            *((tool.changed, self.set_values) for tool in p.part_tools.values()),
            *((tool.picked, self.pick) for tool in p.part_tools.values()),
        ])  # fmt: skip
        p.brush_tool.settings = panel.brush

    # -------------------------------------------------------------- what is chosen

    @property
    def step(self) -> Step | None:
        """The chosen step, while its where half is shown and it can be limited."""
        step = self.state.step()
        return step if step and self.state.half is Half.WHERE and not step.kind.gives else None

    @property
    def mask(self) -> Mask:
        return self.step.where if self.step else Mask()

    @property
    def part(self) -> Part | None:
        parts = self.mask.parts
        return parts[self.state.part] if 0 <= self.state.part < len(parts) else None

    def show(self) -> None:
        """The panel, the tools and the mask on the picture."""
        p, d, step = self.parts, self.state.document, self.step
        part = self.part
        for name, tool in p.part_tools.items():
            used = d is not None and part is not None and part.kind.tool == name
            tool.show_params(part.params if used and part else None, d.picture.size if d else (1, 1))
        if step is not None and d is not None:
            self.state.part = min(self.state.part, len(step.where.parts) - 1)
            others = [
                (n, s.name) for n, s in enumerate(self.state.sweep.steps)
                if n != self.state.chosen and isinstance(s, Step) and not s.kind.gives
            ]  # fmt: skip
            if len(others) > 1:
                others.append((-1, p.tr("all steps")))
            kept = [name for name, _ in self.state.sweep.masks]
            share = self.state.covered.get(step.where)
            covered = p.tr("covers {0:.0f} %").format(100 * share) if share is not None else p.tr("looking …")
            self.panel.show_mask(step.name, step.where, self.state.part, covered, kept, others)
            self.panel.show_pixels(d.before.levels[-1])
        self.show_overlay()
        p.canvas.update()

    def choose(self, index: int) -> None:
        self.state.part = index
        self.show()

    def toggle_half(self) -> None:
        """From what the step does to where, and back."""
        if self.state.step() is not None:
            self.editing.choose(self.state.chosen, Half.WHAT if self.state.half is Half.WHERE else Half.WHERE)

    def _where_first(self) -> bool:
        """Show the where half for what comes next; False without a step that can be limited."""
        step = self.state.step()
        if step is None or step.kind.gives:
            self.parts.notice.tell(self.parts.tr("Choose a step first that can be limited to a place."))
            return False
        if self.state.half is not Half.WHERE:
            self.editing.choose(self.state.chosen, Half.WHERE)
        return True

    # -------------------------------------------------------------- changes

    def _change(self, what: str, mask: Mask, ongoing: bool = False) -> None:
        step = self.step
        if step is not None and mask != step.where:
            self.editing.set_fields(f"{step.name}: {what}", ongoing, where=mask)

    def add(self, id: str, how: str = How.ADD.value, inverted: bool = False, values: Mapping[str, Any] = {}) -> None:
        """Add a part at the end of the sentence; ``values`` are parameters that are not its usual ones."""
        if not self._where_first():
            return
        kind = part_kind(id)
        seen, kept = self.parts.canvas.visible_region(), [name for name, _ in self.state.sweep.masks]
        part = Part(kind, kind.make({**kind.begin(seen, kept), **values}), How(how), inverted)
        self.state.part = len(self.mask.parts)
        self._change(self.parts.tr("add {0}").format(self.parts.tr(kind.name)), self.mask.added(part))

    def set_values(self, values: Mapping[str, Any], ongoing: bool = False) -> None:
        """Set parameters of the chosen part, or of the whole."""
        d, mask, part = self.state.document, self.mask, self.part
        if d is None:
            return
        if part is None:
            rounded = self._rounded(type(mask.finish), values)
            self._change(
                self._label(type(mask.finish), values),
                replace(mask, finish=mask.finish.model_copy(update=rounded)),
                ongoing,
            )
        else:
            told = part.kind.chosen(self._rounded(part.kind.params, values))
            params = part.params.model_copy(update=told)
            name = self._label(part.kind.params, values)
            if part.kind.points(params):
                s, wanted = self.state, replace(part, params=params)
                at = s.chosen, s.part
                self.jobs.ask("settle", d, partial(questions.settled_part, d, s.sweep, at, wanted, name))
                return
            self._change(name, mask.changed(self.state.part, params=params), ongoing)
        self._show_while_held(ongoing)

    def _settled(self, event: ev.PartSettled) -> None:
        """A part points at no place any more."""
        part = self._part_of(event)
        if part is not None and isinstance(event.params, part.kind.params):
            self._change(event.name, self.mask.changed(self.state.part, params=event.params))

    def _part_of(self, event: ev.PartSettled | ev.ColourPicked) -> Part | None:
        """The chosen part, where that is what was asked about."""
        s = self.state
        wanted = event.document is s.document and (event.index, event.part) == (s.chosen, s.part)
        return self.part if wanted else None

    @staticmethod
    def _rounded(params: Any, values: Mapping[str, Any]) -> dict[str, Any]:
        controls = {name: params.control(name) for name in values}
        return {
            name: min(max(round(v, controls[name].digits), controls[name].low), controls[name].high)
            if isinstance(controls[name], Number) else v
            for name, v in values.items()
        }  # fmt: skip

    def _label(self, params: Any, values: Mapping[str, Any]) -> str:
        return self.parts.tr(params.control(next(iter(values))).label)

    def set_fields(self, values: Mapping[str, Any], ongoing: bool = False) -> None:
        """Set fields of the chosen part itself."""
        if self.part is not None:
            names = {"faded": "Faded", "feather": "Feather", "inverted": "Inverted", "on": "On", "title": "Name"}
            what = self.parts.tr(names[next(iter(values))])
            self._change(what, self.mask.changed(self.state.part, **values), ongoing)
            self._show_while_held(ongoing)

    def next_how(self, index: int) -> None:
        """Add, only where, except, and from the start."""
        ways, part = list(How), self.mask.parts[index]
        how = ways[(ways.index(part.how) + 1) % len(ways)]
        if index == 0 and how is How.ONLY:
            how = How.EXCEPT
        self.state.part = index
        self._change(self.parts.tr(how.value), self.mask.changed(index, how=how))

    def remove(self) -> None:
        if self.part is not None:
            words = self.parts.tr("take out {0}").format(self.part.name)
            self._change(words, self.mask.removed(self.state.part))

    def duplicate(self) -> None:
        if part := self.part:
            mask = self.mask.added(part).moved(len(self.mask.parts), self.state.part + 1)
            self.state.part += 1
            self._change(self.parts.tr("duplicate {0}").format(part.name), mask)

    def move(self, way: int) -> None:
        to = self.state.part + way
        if self.part is not None and 0 <= to < len(self.mask.parts):
            mask = self.mask.moved(self.state.part, to)
            name, self.state.part = self.part.name, to
            self._change(self.parts.tr("move {0}").format(name), mask)

    def step_part(self, way: int) -> None:
        """Choose the next part, or what is done to the whole."""
        if self.mask.parts:
            n = len(self.mask.parts) + 1
            self.choose((self.state.part + 1 + way) % n - 1)

    def copy_to(self, index: int) -> None:
        """Give this mask to another step, or to all (-1)."""
        sweep, mask = self.state.sweep, self.mask
        for n, step in enumerate(sweep.steps):
            if isinstance(step, Step) and not step.kind.gives and n != self.state.chosen and index in (n, -1):
                sweep = sweep.changed(n, where=mask)
        self.editing.change(self.parts.tr("copy the mask"), sweep)

    def keep(self) -> None:
        """Keep this mask under a name; the step uses it by that."""
        step, sweep = self.step, self.state.sweep
        if step is None or not step.where.parts:
            return
        names = {name for name, _ in sweep.masks}
        name = next(n for k in range(1, 1000) if (n := f"{step.name} {k}") not in names)
        kind = part_kind("kept")
        used = Mask((Part(kind, kind.make({"name": name})),))
        sweep = sweep.keeping(name, step.where).changed(self.state.chosen, where=used)
        self.state.part = 0
        self.editing.change(self.parts.tr("keep the mask as {0}").format(name), sweep)

    # -------------------------------------------------------------- on the picture

    def pick(self, y: float, x: float) -> None:
        """Add the colour of a place, as soon as it is known."""
        s, self._asked = self.state, None
        if s.document is None or self.part is None:
            return
        for late in ("mask", f"coverage {s.chosen}"):  # the mask is about to change
            self.jobs.call_off(late)
        question = partial(questions.colour, s.document, s.sweep, s.chosen, s.part, (y, x))
        self.jobs.ask(f"colour at {y}, {x}", s.document, question)

    def _picked(self, event: ev.ColourPicked) -> None:
        part = self._part_of(event)
        if part is None or not hasattr(part.params, "colours"):
            return
        colours = (*getattr(part.params, "colours", ()), event.colour)
        params = part.params.model_copy(update={"colours": colours})
        self._change(self.parts.tr("pick a colour"), self.mask.changed(self.state.part, params=params))

    def _painting(self, stroke: Stroke) -> None:
        """The dab is on screen already; the effect follows now and then."""
        if self._stroke is None and self.part is not None:
            self._before = self.mask
        self._stroke = stroke
        if not self._following.isActive():
            self._following.start()

    def _follow(self) -> None:
        if self._stroke is not None and self.part is not None:
            self._paint(self._stroke, True)

    def _paint(self, stroke: Stroke, ongoing: bool) -> None:
        part = self._before.parts[self.state.part]
        strokes = (*getattr(part.params, "strokes", ()), stroke)
        mask = self._before.changed(self.state.part, params=part.params.model_copy(update={"strokes": strokes}))
        words = self.parts.tr("erase") if stroke.erase else self.parts.tr("brush stroke")
        self._change(f"{words} {len(strokes)}", mask, ongoing)

    def _painted(self, stroke: Stroke) -> None:
        self._following.stop()
        if self._stroke is None and self.part is not None:
            self._before = self.mask
        self._stroke = None
        if self.part is not None:
            self._paint(stroke, False)

    def resize_brush(self, factor: float) -> None:
        b = self.panel.brush
        b.size = min(max(round(b.size * factor), 1), 1000)
        self._show_brush()

    def soften_brush(self, by: float) -> None:
        b = self.panel.brush
        b.soft = min(max(b.soft + by, 0.0), 1.0)
        self._show_brush()

    def toggle_erase(self) -> None:
        self.panel.brush.erase = not self.panel.brush.erase
        self._show_brush()

    def _show_brush(self) -> None:
        self.panel.show_brush()
        self.parts.canvas.update()

    # -------------------------------------------------------------- the mask over the picture

    def show_as(self, way: Shown | None) -> None:
        """Show the mask over the picture all the time, or no more."""
        self.shown = way
        self.panel.show_shown(way)
        self.show_overlay()

    def next_shown(self) -> None:
        ways = [None, *Shown]
        self.show_as(ways[(ways.index(self.shown) + 1) % len(ways)])

    def hold(self, on: bool) -> None:
        """Show it while a key is held."""
        self._held = on
        self.show_overlay()

    def _show_while_held(self, ongoing: bool) -> None:
        if ongoing:
            self._leaving.stop()
            self._held = True
            self.show_overlay()
        elif self._held:
            self._leaving.start()

    def _let_go(self) -> None:
        self.hold(False)

    @property
    def way(self) -> Shown | None:
        """How the mask is shown now; None when it is not."""
        looked_at = self.state.look.kind is MASK
        return self.shown or (Shown.TINT if self._held or looked_at else None)

    def show_overlay(self) -> None:
        """Ask for the mask of what is seen, or take it away."""
        d, step, canvas = self.state.document, self.state.step(), self.parts.canvas
        wanted = self.way is not None and d is not None and step is not None and not step.kind.gives
        if not wanted or d is None:
            self._asked = None
            if canvas.overlay is not None:
                canvas.overlay = None
                canvas.update()
                for row in self.parts.probes.rows:
                    row.show_overlay(None)
            return
        key = (d, self.state.sweep, self.state.chosen, canvas.visible_region(), canvas.level, self.way)
        if key != self._asked:
            self._asked = key
            what = self.state.sweep, self.state.chosen, canvas.visible_region(), canvas.level
            self.jobs.ask("mask", d, partial(questions.mask, d, *what))

    def _is_of_mask(self, event: ev.MaskSeen | ev.ProbeMaskSeen) -> bool:
        s = self.state
        return event.document is s.document and (event.sweep, event.index) == (s.sweep, s.chosen)

    def _mask_seen(self, event: ev.MaskSeen) -> None:
        if self._is_of_mask(event) and self.way:
            self.parts.canvas.overlay = overlay(event.mask, self.way), event.region
            self.parts.canvas.update()

    def _probe_mask_seen(self, event: ev.ProbeMaskSeen) -> None:
        rows = self.parts.probes.rows
        if self._is_of_mask(event) and self.way and event.number < len(rows):
            rows[event.number].show_overlay(overlay(event.mask, self.way))

    def _done(self, event: ev.Done) -> None:
        d = event.document
        for n, step in enumerate(self.state.sweep.steps):
            if isinstance(step, Step) and step.where.parts and step.where not in self.state.covered:
                self.jobs.ask(f"coverage {n}", d, partial(questions.coverage, d, self.state.sweep, n))

    def _covered(self, event: ev.Covered) -> None:
        if event.document is self.state.document:
            step = event.sweep.steps[event.index]
            assert isinstance(step, Step)
            there = {s.where for s in self.state.sweep.steps if isinstance(s, Step)}
            told = {**self.state.covered, step.where: event.share}
            self.state.covered = {mask: told[mask] for mask in told if mask in there}
            self.editing.show_chips()
            self.show()

    # -------------------------------------------------------------- actions

    def actions(self) -> list[Action]:
        tr = self.parts.tr
        adding = [
            Action(f"where-{k.id}", "where", tr("Add {0}").format(tr(k.name)),
                   KEYS.get(k.id) or numbered("Ctrl+Shift", n), partial(self.add, k.id))
            for n, k in enumerate(PARTS, 1)
        ]  # fmt: skip
        return [
            Action("half", "where", tr("What or where"), "H", self.toggle_half),
            Action("where-except-brush", "where", tr("Everywhere except brush"), "Shift+H",
                   lambda: self.add("brush", How.EXCEPT.value)),
            *adding,
            Action("next-part", "where", tr("Next part"), "Ctrl+Down", lambda: self.step_part(1), apart=True),
            Action("previous-part", "where", tr("Previous part"), "Ctrl+Up", lambda: self.step_part(-1)),
            Action("part-how", "where", tr("Add, only where, except"), "J",
                   lambda: self.next_how(self.state.part) if self.part else None),
            Action("invert-part", "where", tr("Invert the part"), "Shift+J",
                   lambda: self.set_fields({"inverted": not self.part.inverted}) if self.part else None),
            Action("remove-part", "where", tr("Take the part out"), "Shift+Backspace", self.remove),
            Action("smaller-brush", "where", tr("Smaller brush"), "[",
                   lambda: self.resize_brush(1 / FASTER), apart=True),
            Action("larger-brush", "where", tr("Larger brush"), "]", lambda: self.resize_brush(FASTER)),
            Action("harder-brush", "where", tr("Harder brush"), "Ctrl+[", lambda: self.soften_brush(-0.1)),
            Action("softer-brush", "where", tr("Softer brush"), "Ctrl+]", lambda: self.soften_brush(0.1)),
            Action("erase", "where", tr("Paint or erase"), "E", self.toggle_erase),
            Action("show-mask", "where", tr("Show the mask in another way"), "Shift+V", self.next_shown, apart=True),
        ]  # fmt: skip


def overlay(mask: NDArray[np.uint8], way: Shown) -> QImage:
    """A picture to lay over another: it dims, tints, or covers."""
    h, w = mask.shape
    words = np.zeros((h, w, 4), np.uint8)  # blue, green, red, alpha, as Qt keeps them
    if way is Shown.BLACK_AND_WHITE:
        words[..., :3], words[..., 3] = mask[..., None], 255
    elif way is Shown.SPOTLIGHT:
        words[..., 3] = ((255 - mask.astype(np.uint16)) * DIM // 255).astype(np.uint8)
    else:
        colour = QColor(OVERLAY)
        words[..., :3] = colour.blue(), colour.green(), colour.red()
        words[..., 3] = (mask.astype(np.uint16) * TINTED // 255).astype(np.uint8)
    return QImage(words.tobytes(), w, h, 4 * w, QImage.Format.Format_ARGB32).copy()
