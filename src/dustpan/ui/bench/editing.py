"""Editing: what is done to chips and controls becomes a change of the sweep, remembered by name."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from functools import partial
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.blend import Blend
from dustpan.core.develop.step import White
from dustpan.core.finish.levels import Levels
from dustpan.core.finish.tone import TONE, ToneParams, values_of
from dustpan.core.jobs import events as ev
from dustpan.core.jobs import questions
from dustpan.core.language import mark
from dustpan.core.looks.brightened import BRIGHTENED
from dustpan.core.looks.channels import PICTURE
from dustpan.core.open.document import Document
from dustpan.core.open.facts import facts_of
from dustpan.core.params import Number
from dustpan.core.picture import Kind
from dustpan.core.steps import STEPS, step_kind
from dustpan.core.sweep import Step, Sweep, make_step
from dustpan.ui.actions import Action, Links, connect, numbered
from dustpan.ui.bench.charting import Charting
from dustpan.ui.bench.compare import Compare
from dustpan.ui.bench.looking import Looking
from dustpan.ui.bench.showing import Showing
from dustpan.ui.bench.state import BEFORE_STEP, BRIGHTEN, MEASURED, Half
from dustpan.ui.controls.choice import ChoiceRow
from dustpan.ui.instruments.chart import NO_HITS, Chart, Charted, Need

PICKS: dict[str, tuple[str, Callable[..., Iterator[ev.Event]]]] = {
    "develop": (mark("click on something that is neutral"), questions.white),
    "colour-fringes": (mark("click on a rim whose colour has to go"), questions.rim),
}


class Editing(QObject):
    """``work_changed`` tells that the sweep is another one; ``sweep_shown`` that its history may have moved.

    ``moving`` carries the names of controls that are about to change the chosen step, and whether a drag goes on.
    """

    work_changed = pyqtSignal()
    sweep_shown = pyqtSignal()
    tray_shown = pyqtSignal()
    moving = pyqtSignal(object, bool)

    def __init__(self, showing: Showing, compare: Compare, looking: Looking, links: Links) -> None:
        super().__init__(showing.parts)
        self.showing, self.compare, self.looking = showing, compare, looking
        self.parts, self.state, self.jobs = showing.parts, showing.state, showing.jobs
        jobs, line, tray = self.jobs, self.parts.sweep_line, self.parts.tray
        self._charting = Charting()
        links.hear(jobs, {
            ev.Measured: self._measured, ev.CostsFound: self._costs_found, ev.ProbeSeen: self._probe_seen,
            ev.SampleSeen: self._seen, ev.LightSeen: self._seen, ev.ProfileSeen: self._seen,
            ev.Picked: self._picked, ev.LevelsFound: self._levels_found,
        })  # fmt: skip
        connect([
            (showing.exact, self.show_tray), (showing.settled, self.show_tray),
            (self.parts.line_tool.drawn, self.show_tray),
            (self.parts.top.back.clicked, self.return_to_kept),
            (line.chosen, self.choose), (line.measured_chosen, self.choose_measured), (line.toggled, self.toggle_step),
            (line.remove_wanted, self.remove_step), (line.duplicate_wanted, self.duplicate_step),
            (line.move_wanted, self.move_step), (line.add_wanted, self.add_step),
            (line.open_wanted, self.open_chain),
            (tray.changed, self.set_values), (tray.opacity_changed, self.set_opacity),
            (tray.blend_changed, self.set_blend), (tray.remove_wanted, lambda: self.remove_step(self.state.chosen)),
            (tray.more.toggled, lambda _: self.show_tray()), (tray.pick_wanted, self.arm_pick),
            (self.parts.pick_tool.picked, self.pick), (tray.automatic_wanted, self.levels_from_sky),
            (tray.linked_changed, self.link_channels), (tray.apply_wanted, self.apply_brightening),
            (looking.changed, self.look_changed),
        ])  # fmt: skip

    # -------------------------------------------------------------- what is shown

    def show_print(self) -> None:
        """The chip of what was measured."""
        d, chip, tr = self.state.document, self.parts.sweep_line.measured, self.parts.tr
        if d is None:
            chip.setText(tr("nothing measured"))
            return
        found = d.noise_print
        chip.setText(tr("measuring …") if found is None else tr("σ {0:.1f}/255").format(255 * found.strength))
        chip.setToolTip(found.sentence() if found else tr("Measuring …"))

    def _measured(self, event: ev.Measured) -> None:
        if event.document is self.state.document:
            self.show_print()
            self.show_tray()

    def show_sweep(self) -> None:
        if self.state.document is None:
            self.parts.sweep_line.show_sweep(Sweep(), 0, {})
            self.parts.tray.show_step(None)
            return
        self.state.keep_chosen()
        self.show_chips()
        self.show_tray()
        self.compare.show_sides()
        self.sweep_shown.emit()

    def show_chips(self) -> None:
        """The chips of the sweep."""
        s = self.state
        self.parts.sweep_line.show_sweep(s.sweep, s.chosen, s.warnings, s.hits, s.covered, s.opened)

    def show_tray(self) -> None:
        """Show the half that was chosen, and tell that it is."""
        self._show_tray()
        self.tray_shown.emit()

    def _show_tray(self) -> None:
        d, tray = self.state.document, self.parts.tray
        if d is None:
            return
        if self.state.chosen == MEASURED:
            tray.show_measured(d.noise_print, facts_of(d.picture))
            tray.histogram.show_pixels(d.before.levels[-1])
            return
        if self.state.chosen == BRIGHTEN:
            self._show_brightening(d)
            return
        tray.show_step(self.state.any_step(self.state.chosen), self.state.half)
        step = self.state.step()
        if step is None or self.state.half is Half.WHERE:
            return
        self._show_costs()
        hits = self.state.found()
        if hits is not None and hits.proof and self.state.half is Half.WHAT:
            tray.help.setText(self.parts.tr("Found: {0}.").format(hits.proof))
        unused = step.kind.unused(d.kind_before(self.state.chosen), step.params)
        for name, row in tray.rows.items():
            row.use(self.parts.tr(unused[name]) if name in unused else "")
        if chart := tray.chart_of(step):
            if step.kind.id == "noise" and d.noise_print and self.state.half is Half.WHAT:
                tray.help.setText(d.noise_print.sentence())
            self._ask_for(d, chart)
            self._show_chart()

    # -------------------------------------------------------------- what an instrument shows

    def _ask_for(self, d: Document, chart: Chart) -> None:
        """Have that looked for which an instrument shows and which is not known, or may be another by now."""
        if d is not self._charting.document:
            self._charting = Charting(d)
        if Need.SAMPLE in chart.needs:
            before = d.sweep.active[: d.sweep.changes_kind(d.picture.kind)]
            if self._charting.asks("sample", before):
                self.jobs.ask("sample", d, partial(questions.sample, d))
        if Need.LIGHT in chart.needs and self._charting.asks("light", d.noise_print):
            self.jobs.ask("light", d, partial(questions.light, d))
        if Need.PROFILE in chart.needs:
            own = self.parts.line_tool.line
            line = ((own[0].x(), own[0].y()), (own[1].x(), own[1].y())) if own else None
            view = self.parts.canvas.visible_region()
            self.jobs.ask("profile", d, partial(questions.profile, d, d.sweep, view, line))

    def _seen(self, event: ev.SampleSeen | ev.LightSeen | ev.ProfileSeen) -> None:
        if self._charting.take(event):
            self._show_chart()

    def _probe_seen(self, event: ev.ProbeSeen) -> None:
        if event.document is self.state.document:
            self._show_chart()

    def _show_chart(self) -> None:
        """Show the instrument in the tray what is known by now."""
        d, step = self.state.document, self.state.step()
        if self.state.chosen == BRIGHTEN:
            step = Step(TONE, ToneParams(**values_of(self.state.look.levels or Levels())))
        chart = self.parts.tray.chart_of(step) if step and self.state.half is Half.WHAT else None
        if d is None or step is None or chart is None:
            return
        s = self._charting if self._charting.document is d else Charting(d)
        hits = self.state.found()
        chart.show_state(Charted(
            step.params, d.noise_print, d.probe_levels(), s.profile, s.sample, s.light, s.floor,
            NO_HITS if hits is None else hits,
        ))  # fmt: skip

    def _show_costs(self) -> None:
        """Beside each quality, how long the whole picture takes with it; measured when they are first looked at."""
        d, row = self.state.document, self.parts.tray.rows.get("quality")
        if d is None or not isinstance(row, ChoiceRow):
            return
        if d.costs is None:
            d.costs = {}
            self.jobs.ask(f"costs of {id(d)}", d, partial(questions.costs_of_noise, d))
        row.note({q: self._duration(seconds) for q, seconds in d.costs.items()})

    def _duration(self, seconds: float) -> str:
        tr = self.parts.tr
        if seconds < 1:
            return tr("under a second")
        if seconds < 90:
            return tr("about {0:.0f} s").format(seconds)
        return tr("about {0:.0f} min").format(seconds / 60)

    def _costs_found(self, event: ev.CostsFound) -> None:
        event.document.costs = dict(event.seconds)
        if event.document is self.state.document:
            self._show_costs()

    # -------------------------------------------------------------- changes

    def change(self, name: str, sweep: Sweep, ongoing: bool = False) -> None:
        """Make a change of the current sweep: remembered by name, shown, rendered."""
        d = self.state.document
        if d is None or sweep == d.sweep:
            return
        d.history.change(name, sweep, ongoing)
        self.after_change()

    def after_change(self) -> None:
        """Show the sweep as it is now."""
        self.state.warnings, self.state.worst, self.state.hits = {}, None, {}
        self.state.keep_chosen()
        self.showing.render()  # first of all, for the picture is what is waited for
        self.show_sweep()
        self.work_changed.emit()

    def choose(self, index: int, half: str = Half.WHAT) -> None:
        self.state.chosen, self.state.half = index, Half(half)
        self.show_sweep()
        if self.state.compared == BEFORE_STEP:
            self.showing.render()

    def choose_measured(self) -> None:
        self.choose(MEASURED)

    def add_step(self, id: str) -> None:
        if d := self.state.document:
            sweep, self.state.chosen = d.sweep.added(make_step(id))
            self.state.half = Half.WHAT
            self.change(self.parts.tr("add {0}").format(self.parts.tr(step_kind(id).name)), sweep)

    def _entry(self, index: int) -> tuple[range, str]:
        """The steps of an entry of the sweep line, a chain or one step, and its name."""
        step, members = self.state.any_step(index), self.state.together(index)
        name = getattr(step, "part_of", "") if len(members) > 1 else ""
        return members, name or (step.name if step else "")

    def remove_step(self, index: int) -> None:
        if self.state.any_step(index):
            members, name = self._entry(index)
            self.change(self.parts.tr("remove {0}").format(name), self.state.sweep.without(members))

    def duplicate_step(self, index: int) -> None:
        if self.state.any_step(index):
            members, name = self._entry(index)
            self.state.chosen = members[-1] + 1
            self.change(self.parts.tr("duplicate {0}").format(name), self.state.sweep.doubled(members))

    def move_step(self, index: int, to: int) -> None:
        if not (self.state.any_step(index) and self.state.any_step(to)):
            return
        members, name = self._entry(index)
        beyond = self.state.together(to)
        if to in members:  # one further than the entry, where that is a chain
            to = members[-1] + 1 if to > index else members[0] - 1
            if self.state.any_step(to) is None:
                return
            beyond = self.state.together(to)
        sweep, self.state.chosen = self.state.sweep.moved_beyond(members, beyond)
        self.change(self.parts.tr("move {0}").format(name), sweep)

    def toggle_step(self, index: int, on: bool) -> None:
        if self.state.step(index):
            members, name = self._entry(index)
            sweep = self.state.sweep.switched(members, on)
            word = self.parts.tr("{0} on") if on else self.parts.tr("{0} off")
            self.change(word.format(name), sweep)

    def open_chain(self, index: int) -> None:
        """Show the steps of a chain one by one, or as one entry again."""
        if name := getattr(self.state.any_step(index), "part_of", ""):
            self.state.opened ^= {name}
            self.show_chips()

    def toggle_chosen(self) -> None:
        if step := self.state.step():
            self.toggle_step(self.state.chosen, not step.on)

    def set_values(self, values: Mapping[str, Any], ongoing: bool = False) -> None:
        """Set parameters of the chosen step; ``ongoing`` while a drag goes on."""
        if self.state.chosen == BRIGHTEN:
            self._set_brightening(values)
            return
        step = self.state.step()
        if step is None:
            return
        if {"temperature", "tint"} & set(values) and getattr(step.params, "white", None) is White.AS_SHOT:
            values = {**values, "white": White.SET}
        self.moving.emit(tuple(values), ongoing)
        controls = [step.kind.params.control(name) for name in values]
        rounded = {
            c.name: round(values[c.name], c.digits) if isinstance(c, Number) else values[c.name] for c in controls
        }
        label = self.parts.tr(controls[0].label if len(controls) == 1 or "white" in values else "Strength")
        self.set_fields(f"{step.name}: {label}", ongoing, params=step.params.model_copy(update=rounded))

    def set_opacity(self, percent: float, ongoing: bool = False) -> None:
        if step := self.state.step():
            self.set_fields(f"{step.name}: {self.parts.tr('Opacity')}", ongoing, opacity=percent / 100)

    def set_blend(self, blend: str) -> None:
        if step := self.state.step():
            self.set_fields(f"{step.name}: {self.parts.tr('Blend')}", blend=Blend(blend))

    def set_fields(self, name: str, ongoing: bool = False, **fields: Any) -> None:
        """Replace fields of the chosen step."""
        d = self.state.document
        assert d is not None
        self.change(name, d.sweep.changed(self.state.chosen, **fields), ongoing)
        if not ongoing:
            d.history.settle()

    def undo(self) -> None:
        d = self.state.document
        if d and d.history.undo_name:
            d.history.undo()
            self.after_change()

    def redo(self) -> None:
        d = self.state.document
        if d and d.history.redo_name:
            d.history.redo()
            self.after_change()

    def return_to_kept(self) -> None:
        """Make the kept state that is compared with the current one."""
        d = self.state.document
        if d and self.state.compared >= 2:
            kept = d.kept[self.state.compared - 2]
            self.change(self.parts.tr("return to {0}").format(kept.name), kept.sweep)

    # -------------------------------------------------------------- picking

    def arm_pick(self, on: bool = True) -> None:
        """Let the next click on the picture say what is neutral, or which colour rims have."""
        at = self._picks_for()
        self.parts.pick_tool.armed = on = on and at >= 0
        self.parts.tray.pick.setChecked(on)
        self.parts.bottom.state.setText(self.parts.tr(PICKS[self._name_of(at)][0]) if on else "")

    def _picks_for(self) -> int:
        """The step that a click is for: the chosen one, or that which develops; -1 for none."""
        chosen = self.state.chosen
        return chosen if self._name_of(chosen) in PICKS else self.state.sweep.first_of("develop")

    def _name_of(self, at: int) -> str:
        step = self.state.step(at) if at >= 0 else None
        return step.kind.id if step is not None else ""

    def pick(self, y: int, x: int) -> None:
        """Ask what a place of the picture means for the step."""
        self.arm_pick(False)
        d, at = self.state.document, self._picks_for()
        if d is not None and self._name_of(at) in PICKS:
            self.jobs.ask("pick", d, partial(PICKS[self._name_of(at)][1], d, d.sweep, at, y, x))

    def _picked(self, event: ev.Picked) -> None:
        d, step = event.document, self.state.step(event.index)
        if d is not self.state.document or step is None or self._name_of(event.index) not in PICKS:
            return
        p = step.params.model_copy(update=dict(event.values))
        self.change(self.parts.tr("pick"), d.sweep.changed(event.index, params=p))
        d.history.settle()

    # -------------------------------------------------------------- brightened for viewing

    def brighten(self) -> None:
        """Look at the picture brightened, with its histogram in the tray; again, as it is."""
        if self.state.chosen == BRIGHTEN:
            self.looking.inspect(PICTURE)
        elif self.state.look.kind is BRIGHTENED:
            self.choose(BRIGHTEN)
        else:
            self.looking.inspect(BRIGHTENED)  # which shows it in the tray, once it is

    def look_changed(self) -> None:
        """Another look: the tray shows how it is brightened as long as it is."""
        brightened = self.state.look.kind is BRIGHTENED
        if self.state.chosen == BRIGHTEN and not brightened:
            self.choose(0)
        elif self.state.chosen == BRIGHTEN or brightened:
            self.choose(BRIGHTEN)

    def _show_brightening(self, d: Document) -> None:
        tray, levels = self.parts.tray, self.state.look.levels or Levels()
        params = ToneParams(**values_of(levels))
        tray.show_step(Step(TONE, params), Half.WHAT, viewing=True)
        tray.linked.setChecked(d.viewing.linked)
        tray.linked.setEnabled(d.picture.pixels.shape[2] == 3 or d.picture.kind is Kind.MOSAIC)
        if chart := tray.chart_of(Step(TONE, params)):
            self._ask_for(d, chart)
            self._show_chart()

    def _set_brightening(self, values: Mapping[str, Any]) -> None:
        params = ToneParams(**values_of(self.state.look.levels or Levels())).model_copy(update=values)
        self.looking.set_levels(params.levels)

    def levels_from_sky(self) -> None:
        """Black, middle and white from the sky and its noise: of the view, or of the step Tone."""
        d = self.state.document
        if self.state.chosen == BRIGHTEN:
            self.looking.brighten_anew()
        elif d is not None and self.state.step() is not None:
            self.jobs.ask("levels", d, partial(questions.levels, d, d.viewing.linked, True))

    def _levels_found(self, event: ev.LevelsFound) -> None:
        step = self.state.step()
        if event.for_step and event.document is self.state.document and step and step.kind is TONE:
            self.set_values(values_of(event.levels))

    def link_channels(self, on: bool) -> None:
        self.looking.brighten_anew(on)

    def apply_brightening(self) -> None:
        """Make a step Tone of how the picture is brightened, and look at it as it is."""
        d, levels = self.state.document, self.state.look.levels
        if d is None or levels is None:
            return
        at = d.sweep.first_of("tone")
        step = make_step("tone", values_of(levels)) if at < 0 else self.state.step(at)
        assert step is not None
        if at < 0:
            sweep, at = d.sweep.added(step)
        else:
            sweep = d.sweep.changed(at, params=step.params.model_copy(update=values_of(levels)), on=True)
        self.state.chosen, self.state.half = at, Half.WHAT
        self.looking.inspect(PICTURE)
        self.change(self.parts.tr("apply brightening"), sweep)

    # -------------------------------------------------------------- actions

    def history_actions(self) -> list[Action]:
        tr = self.parts.tr
        return [
            Action("undo", "edit", tr("Undo"), "Ctrl+Z", self.undo, "undo"),
            Action("redo", "edit", tr("Redo"), "Ctrl+Shift+Z", self.redo, "redo"),
        ]

    def return_action(self) -> Action:
        words = self.parts.tr("Return to the kept state")
        return Action("return-to-kept", "compare", words, "Shift+K", self.return_to_kept, "return")

    def adding_actions(self) -> list[Action]:
        tr = self.parts.tr
        return [
            Action(f"add-{k.id}", "step", tr("Add {0}").format(tr(k.name)), numbered("Ctrl+Alt", n),
                   partial(self.add_step, k.id))
            for n, k in enumerate(STEPS, 1)
        ]  # fmt: skip

    def actions(self) -> list[Action]:
        tr, state = self.parts.tr, self.state
        return [
            Action("toggle", "step", tr("Off or on"), "O", self.toggle_chosen),
            Action("duplicate", "step", tr("Duplicate"), "Ctrl+D", lambda: self.duplicate_step(state.chosen)),
            Action("earlier", "step", tr("Earlier"), "Ctrl+Left",
                   lambda: self.move_step(state.chosen, state.chosen - 1)),
            Action("later", "step", tr("Later"), "Ctrl+Right",
                   lambda: self.move_step(state.chosen, state.chosen + 1)),
            Action("remove", "step", tr("Remove"), "Ctrl+Backspace", lambda: self.remove_step(state.chosen)),
            Action("open-chain", "step", tr("Open or close the chain"), "Shift+O",
                   lambda: self.open_chain(state.chosen)),
            Action("pick-white", "step", tr("Pick in the picture"), "W", self.arm_pick),
            Action("brighten", "inspect", tr("Brighten for viewing"), "L", self.brighten, apart=True),
            Action("measured", "step", tr("What was measured"), "M", self.choose_measured, "measured"),
        ]  # fmt: skip
