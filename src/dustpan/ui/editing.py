"""The layer of the window that edits: the sweep, the tray, the probes."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPointF, pyqtSignal

from dustpan.core.blend import Blend
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.probes import Probe, Role
from dustpan.core.step import step_kind
from dustpan.core.suggest import Suggestion
from dustpan.core.sweep import Step, Sweep, make_step
from dustpan.ui.document import Document
from dustpan.ui.instruments import EdgeInstrument
from dustpan.ui.probe_panel import MOST
from dustpan.ui.profiles import edge_profiles
from dustpan.ui.service import ProbeView
from dustpan.ui.showing import Showing
from dustpan.ui.sweep_line import Half
from dustpan.ui.test_strip import SIDE, TestStrip, variants
from dustpan.ui.window_parts import BEFORE_STEP, connect


class Editing(Showing):
    """Turns what is done to chips, controls and probes into changes of the sweep, remembered by name."""

    sweep_shown = pyqtSignal()

    def __init__(self, hand_back: Path | None) -> None:
        super().__init__(hand_back)
        s = self.service
        connect([
            (s.measured, self._measured), (s.probes_placed, self._probes_placed), (s.probe_ready, self._probe_ready),
            (self.exact, self._show_tray), (s.suggested, self._suggested),
            (s.costs_ready, self._costs_ready),
            (self.canvas.probe_moved, self.move_probe), (self.canvas.line_drawn, self._line_drawn),
        ])  # fmt: skip

    def build(self) -> None:
        super().build()
        line, tray = self.sweep_line, self.tray
        connect([
            (self.top.back.clicked, self.return_to_kept),
            (line.chosen, self.choose), (line.measured_chosen, self.choose_measured), (line.toggled, self.toggle_step),
            (line.remove_wanted, self.remove_step), (line.duplicate_wanted, self.duplicate_step),
            (line.move_wanted, self.move_step), (line.add_wanted, self.add_step),
            (tray.changed, self.set_value), (tray.option_chosen, self.set_option), (tray.blend_changed, self.set_blend),
            (tray.remove_wanted, lambda: self.remove_step(self.chosen)),
            (tray.suggestion_wanted, self.suggest), (tray.strip_wanted, self.open_strip),
            (tray.more.toggled, lambda _: self._show_tray()),
            (self.probes.go_wanted, self.go_to_probe), (self.probes.remove_wanted, self.remove_probe),
            (self.probes.add_wanted, self.add_probe),
        ])  # fmt: skip

    # -------------------------------------------------------------- what was measured

    def _show_print(self) -> None:
        d = self.document
        if d is None:
            return
        found = d.noise_print
        text = self.tr("measuring …") if found is None else self.tr("σ {0:.1f}/255").format(255 * found.strength)
        self.sweep_line.measured.setText(text)
        self.sweep_line.measured.setToolTip(found.sentence() if found else self.tr("Measuring …"))

    def _measured(self, document: Document, found: NoisePrint) -> None:
        if document is self.document:
            self._show_print()
            self._show_tray()

    # -------------------------------------------------------------- probes

    def _show_probes(self) -> None:
        d = self.document
        if d is not None:
            self.probes.show_probes(d.probes or (), busy=d.probes is None)
            self.canvas.probes = d.probes or ()
            self.canvas.update()

    def _probes_placed(self, document: Document, probes: tuple[Probe, ...]) -> None:
        if document is self.document:
            self._show_probes()

    def _probe_ready(self, document: Document, generation: int, number: int, view: ProbeView) -> None:
        if self._current(document, generation):
            self.probes.show_view(number, view)

    def _set_probes(self, probes: tuple[Probe, ...]) -> None:
        if self.document:
            self.document.watch(probes)
            self._show_probes()
            self._render()

    def go_to_probe(self, number: int) -> None:
        if self.document and self.document.probes and number < len(self.document.probes):
            p = self.document.probes[number]
            self.canvas.go_to(p.y, p.x)

    def move_probe(self, number: int, y: int, x: int) -> None:
        if self.document and self.document.probes and number < len(self.document.probes):
            probes = list(self.document.probes)
            probes[number] = Probe(probes[number].role, y, x)
            self._set_probes(tuple(probes))

    def remove_probe(self, number: int) -> None:
        if self.document and self.document.probes:
            self._set_probes(self.document.probes[:number] + self.document.probes[number + 1 :])

    def add_probe(self) -> None:
        """Add a probe in the middle of what is seen."""
        if self.document and self.document.probes is not None and len(self.document.probes) < MOST:
            v = self.canvas.visible_region()
            self._set_probes((*self.document.probes, Probe(Role.OWN, (v.y0 + v.y1) // 2, (v.x0 + v.x1) // 2)))

    def place_probes(self) -> None:
        """Let Dustpan find the places anew."""
        if self.document:
            self.document.watch(None)
            self._show_probes()
            self._render()

    def toggle_probes(self) -> None:
        """Show the probes' frames on the picture, or not."""
        self.canvas.show_probes = not self.canvas.show_probes
        self.canvas.update()

    # -------------------------------------------------------------- the sweep

    def _show_sweep(self) -> None:
        d = self.document
        if d is None:
            return
        self._keep_chosen()
        self.sweep_line.show_sweep(d.sweep, self.chosen, self.warnings)
        self._show_tray()
        self._show_others()
        self.sweep_shown.emit()

    def _keep_chosen(self) -> None:
        """Choose a step that is there."""
        if d := self.document:
            self.chosen = min(self.chosen, len(d.sweep.steps) - 1)

    def _show_tray(self) -> None:
        d = self.document
        if d is None:
            return
        if self.chosen < 0:
            self.tray.show_measured(d.noise_print, d.facts())
            self.tray.histogram.show_pixels(d.before.levels[-1])
            return
        step = d.sweep.steps[self.chosen]
        self.tray.show_step(step, self.half)
        if not isinstance(step, Step):
            return
        if step.kind.id == "noise":
            self._show_costs()
            if d.noise_print and self.half is Half.WHAT:
                self.tray.help.setText(d.noise_print.sentence())
            self.tray.noise_chart.show_state(d.noise_print, step.params, d.probe_levels())  # type: ignore[arg-type]
        elif step.kind.id == "edge-sharpen":
            self._show_edge(self.tray.edge_chart, step)

    def _show_edge(self, chart: EdgeInstrument, step: Step) -> None:
        d = self.document
        assert d is not None
        line = self.canvas.line or d.edge_line(self.canvas.visible_region())
        place, before, after = edge_profiles(partial(d.luma_of, Sweep()), partial(d.luma_of, d.sweep), line)
        chart.show_state(place, before, after, step.params)  # type: ignore[arg-type]

    def _line_drawn(self, a: QPointF, b: QPointF) -> None:
        if np.hypot(a.x() - b.x(), a.y() - b.y()) < 3:
            self.canvas.line = None
        self._show_tray()

    def change(self, name: str, sweep: Sweep, ongoing: bool = False) -> None:
        """Make a change of the current sweep: remembered by name, shown, rendered."""
        d = self.document
        if d is None or sweep == d.sweep:
            return
        d.history.change(name, sweep, ongoing)
        self._after_change()

    def _after_change(self) -> None:
        self.warnings = {}
        self._worst = None
        self._keep_chosen()
        self._render()  # first of all, for the picture is what is waited for
        self._show_sweep()
        self.work_changed.emit()

    def choose(self, index: int, half: str = Half.WHAT) -> None:
        self.chosen, self.half = index, Half(half)
        self._show_sweep()
        if self.compared == BEFORE_STEP:
            self._render()

    def choose_measured(self) -> None:
        self.chosen = -1
        self._show_sweep()

    def add_step(self, id: str) -> None:
        if self.document:
            sweep, self.chosen = self.document.sweep.added(make_step(id))
            self.half = Half.WHAT
            self.change(self.tr("add {0}").format(self.tr(step_kind(id).name)), sweep)

    def remove_step(self, index: int) -> None:
        if self.document and (step := self.step_at(index)):
            self.change(self.tr("remove {0}").format(step.name), self.document.sweep.removed(index))

    def duplicate_step(self, index: int) -> None:
        if self.document and (step := self.step_at(index)):
            steps = self.document.sweep.steps
            self.chosen = index + 1
            sweep = Sweep((*steps[: index + 1], step, *steps[index + 1 :]), self.document.sweep.extra)
            self.change(self.tr("duplicate {0}").format(step.name), sweep)

    def move_step(self, index: int, to: int) -> None:
        if self.document and (step := self.step_at(index)) and self.step_at(to):
            self.chosen = to
            self.change(self.tr("move {0}").format(step.name), self.document.sweep.moved(index, to))

    def toggle_step(self, index: int, on: bool) -> None:
        if self.document and (step := self.step_at(index)):
            word = self.tr("{0} on") if on else self.tr("{0} off")
            self.change(word.format(step.name), self.document.sweep.changed(index, on=on))

    def toggle_chosen(self) -> None:
        if isinstance(step := self.step_at(self.chosen), Step):
            self.toggle_step(self.chosen, not step.on)

    def set_value(self, name: str, value: float, ongoing: bool) -> None:
        """Set a parameter of the chosen step, its opacity, or (``strength``) both strengths of Noise."""
        d, step = self.document, self.step_at(self.chosen)
        if d is None or not isinstance(step, Step):
            return
        control = next((c for c in step.kind.controls() if c.name == name), None)
        label = self.tr(control.label) if control else self.tr("Strength") if name == "strength" else self.tr("Opacity")
        if name == "opacity":
            sweep = d.sweep.changed(self.chosen, opacity=value / 100)
        else:
            fields = ("luminance", "colour") if name == "strength" else (name,)
            value = round(value, control.digits if control else 2)
            params = step.params.model_copy(update=dict.fromkeys(fields, value))
            sweep = d.sweep.changed(self.chosen, params=params)
        self.change(f"{step.name}: {label}", sweep, ongoing)
        if not ongoing:
            d.history.settle()

    def _show_costs(self) -> None:
        """Beside each quality, how long the whole picture takes with it; measured when they are first looked at."""
        d, choice = self.document, self.tray.choices.get("quality")
        if d is None or choice is None:
            return
        if d.costs is None:
            d.costs = {}
            self.service.ask_costs(d)
        choice.note({q: self._duration(seconds) for q, seconds in d.costs.items()})

    def _duration(self, seconds: float) -> str:
        if seconds < 1:
            return self.tr("under a second")
        if seconds < 90:
            return self.tr("about {0:.0f} s").format(seconds)
        return self.tr("about {0:.0f} min").format(seconds / 60)

    def _costs_ready(self, document: Document, found: dict[str, float]) -> None:
        document.costs = found
        if document is self.document:
            self._show_costs()

    def _noise_step(self) -> int:
        """The number of the chosen Noise step, or of the first one; -1 without any."""
        steps = self.document.sweep.steps if self.document else ()
        found = [n for n, s in enumerate(steps) if isinstance(s, Step) and s.kind.id == "noise"]
        return self.chosen if self.chosen in found else found[0] if found else -1

    def suggest(self) -> None:
        """Find the lowest strengths that do the job, in the background."""
        if self.document:
            self.bottom.state.setText(self.tr("looking for the lowest strengths …"))
            self.service.ask_suggestion(self.document)

    def _suggested(self, document: Document, found: Suggestion) -> None:
        if document is not self.document:
            return
        self.tell(found.why)
        self.bottom.state.setText("")
        at = self._noise_step()
        if not found.steps:
            if at >= 0:
                self.change(self.tr("suggested strengths"), document.sweep.changed(at, on=False))
        elif at < 0:
            self.change(self.tr("suggested strengths"), document.sweep.added(found.steps[0])[0])
        else:
            step = document.sweep.steps[at]
            assert isinstance(step, Step)
            wanted = found.steps[0].params
            update = {name: getattr(wanted, name) for name in ("luminance", "colour")}
            sweep = document.sweep.changed(at, params=step.params.model_copy(update=update), on=True)
            self.change(self.tr("suggested strengths"), sweep)

    def open_strip(self) -> None:
        """Show the middle of the view at several strengths of Noise, to pick from."""
        at = self._noise_step()
        if self.document and at >= 0:
            v = self.canvas.visible_region()
            middle = Probe(Role.OWN, (v.y0 + v.y1) // 2, (v.x0 + v.x1) // 2)
            region = middle.region(self.document.picture.size, SIDE)
            sweeps = variants(self.document.sweep, at)
            self.strip = TestStrip(self.document, sweeps, region, self.service, self)
            self.strip.taken.connect(lambda sweep: self.change(self.tr("strength from the test strip"), sweep))
            self.strip.open()

    def set_option(self, name: str, value: str) -> None:
        """Choose one of the ways that a parameter of the chosen step offers."""
        if self.document and isinstance(step := self.step_at(self.chosen), Step):
            label = next(c.label for c in step.kind.controls() if c.name == name)
            params = step.kind.make({**step.params.model_dump(), name: value})
            self.change(f"{step.name}: {self.tr(label)}", self.document.sweep.changed(self.chosen, params=params))

    def set_blend(self, blend: str) -> None:
        if self.document and isinstance(step := self.step_at(self.chosen), Step):
            sweep = self.document.sweep.changed(self.chosen, blend=Blend(blend))
            self.change(f"{step.name}: {self.tr('Blend')}", sweep)

    def undo(self) -> None:
        if self.document and self.document.history.undo_name:
            self.document.history.undo()
            self._after_change()

    def redo(self) -> None:
        if self.document and self.document.history.redo_name:
            self.document.history.redo()
            self._after_change()

    def return_to_kept(self) -> None:
        """Make the kept state that is compared with the current one."""
        if self.document and self.compared >= 2:
            kept = self.document.kept[self.compared - 2]
            self.change(self.tr("return to {0}").format(kept.name), kept.sweep)
