"""Showing: what is wished to be seen is asked of the jobs, and what comes back is painted."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from dustpan.core.jobs import events as ev
from dustpan.core.jobs.request import Request
from dustpan.core.jobs.show import ALIKE
from dustpan.core.region import Region
from dustpan.ui.actions import Links
from dustpan.ui.bench.panes import Arrangement
from dustpan.ui.bench.parts import BenchParts
from dustpan.ui.bench.state import BenchState
from dustpan.ui.jobs import Jobs

SETTLED_MS = 30  # the view has to stand still for so long before what has come into it is computed


class Showing(QObject):
    """``exact`` tells that all of the picture is exact, ``settled`` that the view stands still after it was moved, and
    ``told`` carries a sentence about what went wrong.
    """

    exact = pyqtSignal()
    settled = pyqtSignal()
    told = pyqtSignal(str)

    def __init__(self, parts: BenchParts, state: BenchState, jobs: Jobs, links: Links) -> None:
        super().__init__(parts)
        self.parts, self.state, self.jobs = parts, state, jobs
        self._words = ""
        self._moved = QTimer(self)
        self._moved.setSingleShot(True)
        self._moved.setInterval(SETTLED_MS)
        self._moved.timeout.connect(self._show_what_came_into_view)
        links.hear(jobs, {
            ev.Pixels: self._pixels, ev.ReducedPixels: self._reduced, ev.Drafted: self._drafted, ev.Seen: self._seen,
            ev.Progressed: self._progressed, ev.Judged: self._judged, ev.Warned: self._warned, ev.Done: self._done,
            ev.Failed: self._failed,
        })  # fmt: skip
        links.add([
            (parts.canvas.zoomed, self._zoomed), (parts.canvas.view_moved, self._moved.start),
            (parts.canvas.pointed, self._pointed),
        ])  # fmt: skip
        parts.bottom.stop.clicked.connect(self.stop)
        parts.top.zoom_chosen.connect(self._zoom_to)

    # -------------------------------------------------------------- asking

    def render(self) -> None:
        """Show the sweep as it is now, in this view."""
        document = self.state.document
        if document is None:
            return
        self._moved.stop()
        request = self._next_request()
        self.parts.bottom.progress.setRange(0, 0)
        self.set_rendering(True, self.parts.tr("Working …"))
        self.jobs.show(document, request)

    def _next_request(self) -> Request:
        canvas = self.parts.canvas
        both = canvas.view is not Arrangement.SINGLE or canvas.holding
        return self.state.next_request(canvas.visible_region(), canvas.level, both)

    def _show_what_came_into_view(self) -> None:
        """After panning or zooming: compute what of the view is not on screen yet, before anything else."""
        d, old = self.state.document, self.state.request
        if d is None or old is None:
            return
        self.settled.emit()
        canvas = self.parts.canvas
        visible = canvas.visible_region()
        if not self.state.rendering and d.exact[False].missing(visible) is None and d.exact[True].complete:
            return
        if visible == old.visible and canvas.level == old.level:
            return
        request = self._next_request()
        if not self.state.rendering:
            self.set_rendering(True)
        self.jobs.show(d, request)

    def stop(self) -> None:
        """Stop; what is shown stays, marked as unfinished."""
        self.jobs.stop_showing()
        self.state.request = None
        self.set_rendering(False)
        self.parts.bottom.state.setText(self.parts.tr("stopped before it was exact"))

    def set_rendering(self, on: bool, words: str = "") -> None:
        """Whether something is being computed, and what is said about it on the picture."""
        self.state.rendering, self._words = on, words
        self.parts.bottom.progress.setVisible(on)
        self.parts.bottom.stop.setVisible(on)
        self.show_badge()

    def show_badge(self) -> None:
        """Say on the picture how it is looked at and what is being done."""
        said = []
        if not self.state.look.plain:
            words = self.parts.tr("Inspecting: {0}. Export unaffected.")
            said.append(words.format(self.state.look.words()))
        if self.state.aside and (step := self.state.step()) and step.kind.aside:
            words = self.parts.tr("{0}: {1}. Export unaffected.")
            said.append(words.format(step.name, self.parts.tr(step.kind.aside.words)))
        if self.state.rendering:
            said.append(self._words)
        self.parts.canvas.set_badge("  ".join(said))

    # -------------------------------------------------------------- what comes back

    def _is_side(self, event: ev.Pixels | ev.ReducedPixels) -> bool:
        """Whether it is of what a side on screen shows."""
        shown = event.document.exact[event.other].what
        return shown == event.request.what(event.other) and event.document is self.state.document

    def _pixels(self, event: ev.Pixels) -> None:
        if not self._is_side(event):
            return
        d, exact = event.document, event.document.exact[event.other]
        (d.before if event.other else d.after).put(event.region, event.words)
        if event.exact:
            exact.mark(event.region)
        else:
            exact.forget(event.region)
        self.parts.canvas.update()

    def _reduced(self, event: ev.ReducedPixels) -> None:
        if not self._is_side(event):
            return
        d, level = event.document, event.level
        side = d.before if event.other else d.after
        side.put_reduced(level, event.region, event.words, min(level, self.parts.canvas.level))
        d.exact[event.other].forget(Region(*(v << level for v in event.region)))
        self.parts.canvas.update()

    def _drafted(self, event: ev.Drafted) -> None:
        if self.state.is_newest(event):
            self.set_rendering(True, self.parts.tr("Draft"))

    def _seen(self, event: ev.Seen) -> None:
        """What is on screen is exact, or looks as if it were, or is a draft so far from it; the rest is on its way."""
        if not self.state.is_newest(event):
            return
        apart = event.apart
        if apart is None or apart <= ALIKE:
            self.set_rendering(True)
        if apart is not None:
            alike = self.parts.tr("looks exact at this size")
            draft = self.parts.tr("a draft, within {0:.0f} of 255 at this size").format(apart)
            self.parts.bottom.state.setText(alike if apart <= ALIKE else draft)

    def _progressed(self, event: ev.Progressed) -> None:
        if self.state.is_newest(event):
            self.parts.bottom.progress.setRange(0, event.total)
            self.parts.bottom.progress.setValue(event.done)
            self.parts.bottom.state.setText(self.parts.tr("{0} of {1} tiles exact").format(event.done, event.total))

    def _judged(self, event: ev.Judged) -> None:
        if self.state.is_wanted(event):
            self.parts.bottom.show_verdict(event.verdict)

    def _warned(self, event: ev.Warned) -> None:
        if self.state.is_wanted(event):
            s = self.state
            s.warnings = event.warnings
            self.parts.sweep_line.show_sweep(s.sweep, s.chosen, s.warnings, s.hits, s.covered, s.opened)

    def _done(self, event: ev.Done) -> None:
        if self.state.is_newest(event):
            self.set_rendering(False)
            self.parts.bottom.state.setText(self.parts.tr("exact"))
            self.exact.emit()

    def _failed(self, event: ev.Failed) -> None:
        if event.document is not self.state.document:
            return
        if event.request is not None:
            self.set_rendering(False)
        self.parts.bottom.state.setText("")
        self.told.emit(event.why)

    # -------------------------------------------------------------- view

    def _zoomed(self, zoom: float) -> None:
        self.parts.top.show_zoom(zoom, self.parts.canvas.fit_zoom(), self.parts.canvas.fitting)

    def show_zoom(self) -> None:
        self._zoomed(self.parts.canvas.zoom)

    def _zoom_to(self, zoom: float) -> None:
        if zoom == 0:
            self.parts.canvas.fit()
        elif zoom > 0:
            self.parts.canvas.set_zoom(zoom)

    def _pointed(self, y: int, x: int) -> None:
        d = self.state.document
        self.parts.bottom.pixel.setText(d.pixel_words(y, x, self.state.other()) if d and y >= 0 else "")
