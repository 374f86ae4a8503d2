"""Background work for the window: the lanes of the core, with what they tell as queued signals.

The window knows no threads: every signal arrives on its own. Signals about a request carry it, so that what was found
for a wish that is no longer one can be let go.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.cancel import Cancel
from dustpan.core.errors import Cancelled, os_reason
from dustpan.core.files import Opening
from dustpan.core.finish.output import Output
from dustpan.core.jobs.helper import Helper
from dustpan.core.jobs.lanes import Lane
from dustpan.core.jobs.one import Task, run, sentence
from dustpan.core.jobs.preview import preview
from dustpan.core.jobs.show import PROBE_SHOWN, ProbeView, Request, Show
from dustpan.core.judge.repairs import repairs
from dustpan.core.judge.suggest import suggest
from dustpan.core.judge.suggest_sharpening import suggest_sharpening
from dustpan.core.judge.verdict import judge
from dustpan.core.judge.whole import cleaned, factor_of, judge_sweep, noise_print, worst
from dustpan.core.judge.worst import FigureName
from dustpan.core.kernel_cache import kernels_ready
from dustpan.core.language import say
from dustpan.core.look import look_at
from dustpan.core.looks.removed import REMOVED
from dustpan.core.noise.cost import costs
from dustpan.core.region import Region
from dustpan.core.render.cache import Cache
from dustpan.core.screen import packed
from dustpan.core.steps import STEPS
from dustpan.core.sweep import Step, Sweep, first_steps
from dustpan.core.where.colours import colour_at
from dustpan.ui.document import Document

COVERED_AT, COVERED_SIDE = 7, 96  # places down and across, and px of each, that the share of a mask is told from
MASK_ROWS = 512  # px of a mask that are computed at a time
THUMBNAIL = (140, 220)  # px of the picture, height and width


class Jobs(QObject):
    """Signals carry a document, the request where there is one, and the result."""

    opened = pyqtSignal(object)
    open_failed = pyqtSignal(object, str)  # path, why
    demo_made = pyqtSignal(object)  # the path of a demo picture
    demo_over = pyqtSignal(str)  # no more of them come; why, where that is a fault
    compiling = pyqtSignal(str)  # the name of a kernel that somebody waits for; "" when it is there
    measured = pyqtSignal(object, object)
    placed = pyqtSignal(object, object)
    probe_ready = pyqtSignal(object, object, int, object)
    pixels_ready = pyqtSignal(object, object, bool, object, object, bool)  # … other side, region, packed, exact
    reduced_ready = pyqtSignal(object, object, bool, int, object, object)  # … other side, level, region on it, packed
    drafted = pyqtSignal(object, object)
    seen = pyqtSignal(object, object, object)  # … None when exact, or by how many steps nearly all is apart
    progressed = pyqtSignal(object, object, int, int)
    found = pyqtSignal(object, object, object)  # … hits by step number
    judged = pyqtSignal(object, object, object)
    warned = pyqtSignal(object, object, object)
    done = pyqtSignal(object, object)
    failed = pyqtSignal(object, str)
    worst_found = pyqtSignal(object, object, str, object)
    thumbnail_ready = pyqtSignal(object, object, int, object)
    strip_ready = pyqtSignal(object, int, object)
    suggested = pyqtSignal(object, object)
    sharpening_ready = pyqtSignal(object, object)
    preview_ready = pyqtSignal(object, object)
    recipe_ready = pyqtSignal(object, object, object, object)
    mask_ready = pyqtSignal(object, object, object, object)  # … for what, region, (h, w) 0 to 255
    probe_mask = pyqtSignal(object, object, int, object)  # … for what, number of the probe, (h, w) 0 to 255
    covered = pyqtSignal(object, object, float)  # … for what, the mean of its mask
    colour_ready = pyqtSignal(object, object, object)  # … for which step and part, L*a*b*
    costs_ready = pyqtSignal(object, object)
    repairs_found = pyqtSignal(object, object)  # … what steps would find that are not in the sweep
    export_progressed = pyqtSignal(int, int, int)  # token, done, total
    exported = pyqtSignal(int, object)  # token, outcome

    def __init__(self, threads: int | None = None, memory: int | None = None) -> None:
        super().__init__()
        self.cache = Cache(memory) if memory else Cache()
        self.threads = threads
        self._opening, self._showing, self._judging = Lane("open"), Lane("show"), Lane("judge")
        self._asking, self._exporting, self._looking = Lane("ask"), Lane("export"), Lane("look")
        self._asked: dict[str, Cancel] = {}
        self._exports: dict[int, Cancel] = {}
        self._helper: Helper | None = None

    # -------------------------------------------------------------- opening

    def open(self, path: Path, opening: Opening | None = None) -> None:
        """Open a picture; in another way than its sweep says, where that is wished."""
        self._opening.add(lambda cancel: self._open(path, opening, cancel))

    def _open(self, path: Path, opening: Opening | None, cancel: Cancel) -> None:
        try:
            self.opened.emit(Document(path, self.cache, self.threads, opening, cancel.check))
        except Cancelled:  # the window closes
            return
        except Exception as error:
            self.open_failed.emit(path, sentence(error))

    def prepare_demo(self) -> None:
        """Make the demo pictures unless they are there; `demo_made` tells each."""
        if self._helper is not None:
            self._helper.stop()
        self._begin_helper(True)

    def finish_kernels(self) -> None:
        """Compile what is not compiled yet, while nothing else is to be done."""
        if self._helper is None and not kernels_ready():
            self._begin_helper(False)

    def _begin_helper(self, pictures: bool) -> None:
        try:
            self._helper = Helper(pictures, self.demo_made.emit, self.demo_over.emit)
        except OSError as error:
            self.demo_over.emit(say("The demo pictures could not be made: {0}", os_reason(error)) if pictures else "")

    # -------------------------------------------------------------- showing

    def show(self, document: Document, request: Request) -> None:
        """Show what is wished; what was wished before is called off, and so is looking for repairs."""
        self._looking.call_off()
        self._showing.wish(lambda cancel: self._show(document, request, cancel))

    def _show(self, document: Document, request: Request, cancel: Cancel) -> None:
        try:
            Show(document, request, _Signals(self, document, request), cancel, self._judging).run()
        except Cancelled:
            return
        except Exception as error:
            self.failed.emit(document, sentence(error))

    def stop_showing(self) -> None:
        self._showing.call_off()

    def wait_for_showing(self) -> None:
        """Wait until what was wished has run to its end."""
        if job := self._showing.add(lambda cancel: None):
            job.result()

    # -------------------------------------------------------------- small wishes beside it

    def _ask(self, name: str, document: Document, work: Callable[[Cancel], None], cancel: Cancel | None = None) -> None:
        """Do something small; the newest wish of a name calls the older ones off."""
        if old := self._asked.get(name):
            old.set()
        self._asked[name] = flag = cancel or Cancel()

        def do(cancel: Cancel) -> None:
            try:
                work(cancel)
            except Cancelled:
                return
            except Exception as error:
                self.failed.emit(document, sentence(error))

        self._asking.add(do, flag)

    def call_off(self, name: str) -> None:
        """Call off what was asked for by a name."""
        if old := self._asked.pop(name, None):
            old.set()

    def ask_worst(self, document: Document, request: Request, figure: FigureName) -> None:
        """Look for the worst places of a figure; `worst_found` tells them."""

        def work(cancel: Cancel) -> None:
            places = worst(document.renderer, request.sweep, figure, cancel)
            self.worst_found.emit(document, request, figure.value, places)

        self._ask("worst", document, work)

    def ask_thumbnail(self, document: Document, request: Request, index: int) -> None:
        """Show what one step removed in the middle of the view; `thumbnail_ready` carries packed pixels."""

        def work(cancel: Cancel) -> None:
            (h, w), v = document.renderer.size, request.visible
            y, x = ((v.y0 + v.y1) // 2 - THUMBNAIL[0] // 2, (v.x0 + v.x1) // 2 - THUMBNAIL[1] // 2)
            y, x = (max(0, min(at, whole - side)) for at, whole, side in zip((y, x), (h, w), THUMBNAIL, strict=True))
            region = Region(y, x, y + THUMBNAIL[0], x + THUMBNAIL[1]).within((h, w))
            sides = request.sweep.first(index), request.sweep.first(index + 1)
            before, after = (document.renderer.at_once(s, region, cancel) for s in sides)
            if before.shape != after.shape:
                return  # a step that gives another kind of picture removes nothing
            words = packed(look_at(REMOVED).view(before, after), None)
            self.thumbnail_ready.emit(document, request, index, words)

        self._ask("thumbnail", document, work)

    def ask_strip(self, document: Document, variants: Sequence[Sweep], region: Region) -> None:
        """Render one place with several sweeps; `strip_ready` carries number, packed pixels and verdict, one by one."""

        def work(cancel: Cancel) -> None:
            renderer = document.renderer
            noise = noise_print(renderer, cancel, variants[0])
            sides = renderer.reference(variants[0]), cleaned(renderer, variants[0])
            before, calm = (renderer.at_once(s, region, cancel) for s in sides)
            for number, sweep in enumerate(variants):
                after = renderer.at_once(sweep, region, cancel)
                found = judge(before, after, calm, noise, cancel.check, factor_of(noise, region))
                words = renderer.for_screen(sweep, after)
                self.strip_ready.emit(document, number, (words, found))

        self._ask("strip", document, work)

    def ask_suggestion(self, document: Document) -> None:
        """Find the lowest strengths that do the job; `suggested` carries them."""

        def work(cancel: Cancel) -> None:
            self.suggested.emit(document, suggest(document.renderer, cancel=cancel))

        self._ask("suggestion", document, work)

    def ask_sharpening(self, document: Document) -> None:
        """Find how to sharpen; `sharpening_ready` carries it."""
        sweep = document.sweep

        def work(cancel: Cancel) -> None:
            found = suggest_sharpening(document.renderer, sweep, cancel)
            self.sharpening_ready.emit(document, found)

        self._ask("suggestion", document, work)

    def ask_repairs(self, document: Document) -> None:
        """Look for what steps could repair that are not in the sweep; `repairs_found` carries it. `show` ends it."""
        sweep = document.sweep

        def work(cancel: Cancel) -> None:
            try:
                self.repairs_found.emit(document, repairs(document.renderer, sweep, STEPS, cancel))
            except Cancelled:
                return
            except Exception as error:
                self.failed.emit(document, sentence(error))

        self._looking.wish(work)

    def ask_mask(self, document: Document, sweep: Sweep, index: int, region: Region, level: int) -> None:
        """Where a step counts: on a region, as fine as a level is drawn, and at the probes.

        `mask_ready` and `probe_mask` carry it.
        """

        def work(cancel: Cancel) -> None:
            what = sweep, index
            if level:  # quickly first, from the reduced picture, in which parts may find other places
                self.mask_ready.emit(document, what, region, _bytes(self._mask(document, *what, region, level, cancel)))
            self.mask_ready.emit(
                document, what, region, _bytes(self._exact_mask(document, *what, region, level, cancel))
            )
            for number, probe in enumerate(document.probes or ()):
                place = probe.region(document.renderer.size, PROBE_SHOWN)
                self.probe_mask.emit(document, what, number, _bytes(document.renderer.mask(*what, place, cancel)))

        self._ask("mask", document, work)

    def ask_coverage(self, document: Document, sweep: Sweep, index: int) -> None:
        """How much of the picture a step counts on, told from places all over it; `covered` carries it."""

        def work(cancel: Cancel) -> None:
            h, w = document.renderer.size
            tops, lefts = (np.linspace(0, max(n - COVERED_SIDE, 0), COVERED_AT).astype(int) for n in (h, w))
            places = [Region(y, x, y + COVERED_SIDE, x + COVERED_SIDE) for y in tops for x in lefts]
            if h * w <= len(places) * COVERED_SIDE**2:
                places = [Region(0, 0, h, w)]
            shares = [float(document.renderer.mask(sweep, index, place, cancel).mean()) for place in places]
            self.covered.emit(document, (sweep, index), float(np.mean(shares)))

        self._ask(f"coverage {index}", document, work)

    def ask_colour(self, document: Document, sweep: Sweep, index: int, part: int, place: tuple[float, float]) -> None:
        """The colour of a place (y, x) before a step, for a part of its mask; `colour_ready` carries it."""

        def work(cancel: Cancel) -> None:
            read = partial(document.renderer.at_once, sweep.first(index), cancel=cancel)
            self.colour_ready.emit(document, (index, part), colour_at(read, document.renderer.size, *place))

        self._ask(f"colour at {place}", document, work)

    @staticmethod
    def _exact_mask(
        document: Document, sweep: Sweep, index: int, region: Region, level: int, cancel: Cancel
    ) -> NDArray[np.float32]:
        """The mask itself, averaged to as fine as a level is drawn."""
        factor = 2**level
        rows = []
        for y in range(region.y0, region.y1, MASK_ROWS):
            strip = document.renderer.mask(
                sweep, index, region._replace(y0=y, y1=min(y + MASK_ROWS, region.y1)), cancel
            )
            small = -(-strip.shape[1] // factor), -(-strip.shape[0] // factor)
            rows.append(strip if factor == 1 else cv2.resize(strip, small, interpolation=cv2.INTER_AREA))
        return np.concatenate(rows)

    @staticmethod
    def _mask(
        document: Document, sweep: Sweep, index: int, region: Region, level: int, cancel: Cancel
    ) -> NDArray[np.float32]:
        if level == 0:
            return document.renderer.mask(sweep, index, region, cancel)
        renderer, step = document.reduced(level), sweep.steps[index]
        assert isinstance(step, Step)
        where = step.where.resolved(dict(sweep.masks)).scaled(0.5**level)
        before = sweep.first(index).scaled(0.5**level).steps
        small = Sweep((*before, replace(step, where=where)))
        part = Region(*(v >> level for v in region.aligned(2**level))).within(renderer.size)
        return renderer.mask(small, len(before), part, cancel)

    def ask_preview(self, document: Document, output: Output, middle: tuple[int, int], side: tuple[int, int]) -> None:
        """What the middle of the view will be for an output; `preview_ready` carries it."""
        sweep = document.sweep

        def work(cancel: Cancel) -> None:
            self.preview_ready.emit(document, preview(document.renderer, sweep, output, middle, side, cancel))

        self._ask("preview", document, work)

    def ask_recipe(self, document: Document, sweep: Sweep, places: Sequence[Region]) -> None:
        """What a sweep would do to places of a picture; `recipe_ready` carries that, and then the verdict as well."""

        def work(cancel: Cancel) -> None:
            renderer = document.renderer
            shown = []
            for place in places:
                sides = renderer.reference(sweep), sweep
                shown.append(tuple(renderer.for_screen(sweep, renderer.at_once(s, place, cancel)) for s in sides))
            self.recipe_ready.emit(document, sweep, shown, None)
            self.recipe_ready.emit(document, sweep, shown, judge_sweep(renderer, sweep, cancel))

        self._ask("recipe", document, work)

    def ask_costs(self, document: Document) -> None:
        """Measure what each quality of Noise costs in time on this picture; `costs_ready` carries the seconds."""

        def work(cancel: Cancel) -> None:
            renderer = document.renderer
            before = Sweep(first_steps(renderer.picture.kind))
            noise = noise_print(renderer, cancel, before)
            read = partial(renderer.at_once, before, cancel=cancel)
            found = costs(read, renderer.size, noise, renderer.threads, cancel.check)
            self.costs_ready.emit(document, found)

        self._ask(f"costs of {id(document)}", document, work)

    # -------------------------------------------------------------- exporting

    def export(self, document: Document, task: Task, token: int) -> None:
        """Do a task on an open picture; `exported` carries its token and its outcome."""
        self._exports[token] = flag = Cancel()

        def work(cancel: Cancel) -> None:
            def progress(done: int, total: int) -> None:
                self.export_progressed.emit(token, done, total)

            outcome = run(task, cancel, progress, renderer=document.renderer)
            self._exports.pop(token, None)
            self.exported.emit(token, outcome)

        self._exporting.add(work, flag)

    def cancel_export(self, token: int) -> None:
        if flag := self._exports.get(token):
            flag.set()

    # -------------------------------------------------------------- end

    def stop(self) -> None:
        """Call everything off and wait for it."""
        for flag in (*self._asked.values(), *self._exports.values()):
            flag.set()
        for lane in (self._opening, self._showing, self._judging, self._exporting, self._asking, self._looking):
            lane.stop()
        if self._helper is not None:
            self._helper.stop()


def _bytes(mask: NDArray[np.float32]) -> NDArray[np.uint8]:
    return np.rint(mask * 255).astype(np.uint8)


class _Signals:
    """Hands on what is told about one request (`show.Told`) as signals."""

    def __init__(self, jobs: Jobs, document: Document, request: Request) -> None:
        self.jobs, self.about = jobs, (document, request)

    def measured(self, found: Any) -> None:
        self.jobs.measured.emit(self.about[0], found)

    def placed(self, probes: Any) -> None:
        self.jobs.placed.emit(self.about[0], probes)

    def probe(self, number: int, view: ProbeView) -> None:
        self.jobs.probe_ready.emit(*self.about, number, view)

    def pixels(self, other: bool, region: Region, words: Any, exact: bool) -> None:
        self.jobs.pixels_ready.emit(*self.about, other, region, words, exact)

    def reduced(self, other: bool, level: int, region: Region, words: Any) -> None:
        self.jobs.reduced_ready.emit(*self.about, other, level, region, words)

    def drafted(self) -> None:
        self.jobs.drafted.emit(*self.about)

    def seen(self, apart: float | None) -> None:
        self.jobs.seen.emit(*self.about, apart)

    def progressed(self, done: int, total: int) -> None:
        self.jobs.progressed.emit(*self.about, done, total)

    def found(self, hits: Any) -> None:
        self.jobs.found.emit(*self.about, hits)

    def judged(self, found: Any) -> None:
        self.jobs.judged.emit(*self.about, found)

    def warned(self, found: Any) -> None:
        self.jobs.warned.emit(*self.about, found)

    def done(self) -> None:
        self.jobs.done.emit(*self.about)
