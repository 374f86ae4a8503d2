"""Background work for the window: opening, measuring, rendering, judging, exporting.

One coordinator thread per kind of work; tiles themselves run on the renderer's threads. Every request has a generation
number, a new request cancels the old one, and results travel to the GUI thread by queued signals.
"""

from __future__ import annotations

import logging
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.cache import Cache, Cancel
from dustpan.core.errors import Cancelled, DustpanError, os_reason
from dustpan.core.files import ExportOptions
from dustpan.core.inspect import Look, Mode, view
from dustpan.core.language import say
from dustpan.core.noise.cost import costs
from dustpan.core.paths import demo_folder
from dustpan.core.probes import SIDE, Figure, Probe, figures, place
from dustpan.core.region import Region
from dustpan.core.render import RUN
from dustpan.core.screen import packed
from dustpan.core.suggest import suggest
from dustpan.core.sweep import Step, Sweep, make_step
from dustpan.core.tiling import Place, run_groups, tile_region, tiles_of
from dustpan.core.verdict import judge
from dustpan.core.work import export, full_print, judge_sweep, noise_print, worst
from dustpan.core.worst import FigureName
from dustpan.demo import PICTURES, ensure_demo_data
from dustpan.ui.document import Document

log = logging.getLogger("dustpan")
GIVEN_WAY = 0.04  # s
AT_A_TIME = 2  # runs of tiles between two looks at what is visible
THUMBNAIL = (140, 220)  # px of the picture, height and width
PROBE_SHOWN = 128  # px of the picture that a probe can show when enlarged
NOTHING_SHOWN = (Sweep(), Look(push=-1))  # the other side while it is not complete
AT_ONCE_MOST = 1_500_000  # px: larger views are drafted on the reduced picture, then shown tile by tile
REDUCED_MOST = 400_000  # px of a reduced view


def plain(error: Exception) -> str:
    """A sentence for any failure; what the person cannot act on goes to the log."""
    if isinstance(error, DustpanError):
        return str(error)
    if isinstance(error, MemoryError):
        return say("There is not enough memory for this; your work is not lost. Close other pictures and try again.")
    log.exception("unexpected failure", exc_info=error)
    return say("Something went wrong inside Dustpan ({0}); your work is not lost.", type(error).__name__)


@dataclass(frozen=True)
class Request:
    """What the window wants to see: a sweep, the side that it is compared with, and how both are looked at."""

    sweep: Sweep
    other: Sweep = field(default_factory=Sweep)
    look: Look = field(default_factory=Look)


@dataclass(frozen=True)
class ProbeView:
    """A probe as it is shown: packed pixels of both sides (`PROBE_SHOWN` px), and its figures."""

    probe: Probe
    before: NDArray[np.uint32]
    after: NDArray[np.uint32]
    figures: tuple[Figure, ...]


class Service(QObject):
    """Signals carry a document, a generation where it matters, and the result."""

    opened = pyqtSignal(object)
    open_failed = pyqtSignal(str)
    demo_ready = pyqtSignal(object)
    measured = pyqtSignal(object, object)
    probes_placed = pyqtSignal(object, object)
    probe_ready = pyqtSignal(object, int, int, object)
    tile_ready = pyqtSignal(object, int, bool, object, object)  # … whether of the other side, region, packed pixels
    reduced_ready = pyqtSignal(object, int, int, object, object)  # … level, region on it, packed pixels
    drafted = pyqtSignal(object, int)
    seen_exact = pyqtSignal(object, int)
    progressed = pyqtSignal(object, int, int, int)
    rendered = pyqtSignal(object, int)
    judged = pyqtSignal(object, int, object)
    warned = pyqtSignal(object, int, object)
    worst_found = pyqtSignal(object, int, str, object)
    thumbnail_ready = pyqtSignal(object, int, int, object)
    strip_ready = pyqtSignal(object, int, object)
    suggested = pyqtSignal(object, object)
    costs_ready = pyqtSignal(object, object)
    failed = pyqtSignal(object, int, str)
    export_progressed = pyqtSignal(int, int)
    export_done = pyqtSignal(str)
    export_failed = pyqtSignal(str)
    export_cancelled = pyqtSignal()

    def __init__(self, threads: int | None = None, memory: int | None = None) -> None:
        super().__init__()
        self.cache = Cache(memory) if memory else Cache()
        self.threads = threads
        self.generation = 0
        self.visible = Region(0, 0, 1, 1)
        self._render_cancel = Cancel()
        self._export_cancel = Cancel()
        self._strip_cancel = Cancel()
        self._suggest_cancel = Cancel()
        self._loading = ThreadPoolExecutor(1, thread_name_prefix="open")
        self._rendering = ThreadPoolExecutor(1, thread_name_prefix="render")
        self._exporting = ThreadPoolExecutor(1, thread_name_prefix="export")
        self._judging = ThreadPoolExecutor(1, thread_name_prefix="judge")
        self._asking = ThreadPoolExecutor(1, thread_name_prefix="ask")

    # -------------------------------------------------------------- opening

    def open(self, path: Path) -> None:
        self._loading.submit(self._open, path)

    def _open(self, path: Path) -> None:
        try:
            self.opened.emit(Document(path, self.cache, self.threads))
        except Exception as error:
            self.open_failed.emit(plain(error))

    def prepare_demo(self) -> None:
        """Make the demo pictures unless they are there, then tell their paths."""
        self._loading.submit(self._prepare_demo)

    def _prepare_demo(self) -> None:
        try:
            folder = demo_folder()
            ensure_demo_data(folder)
            self.demo_ready.emit([folder / name for name in PICTURES])
        except OSError as error:
            self.open_failed.emit(say("The demo pictures could not be made: {0}.", os_reason(error)))
        except Exception as error:
            self.open_failed.emit(plain(error))

    # -------------------------------------------------------------- rendering

    def render(self, document: Document, request: Request) -> int:
        """Render what is wanted, visible tiles first; gives the generation whose signals belong to it."""
        self._render_cancel.set()
        self._render_cancel = Cancel()
        self.generation += 1
        self._rendering.submit(self._render, document, request, self.generation, self._render_cancel)
        return self.generation

    def cancel_rendering(self) -> None:
        self._render_cancel.set()
        self.generation += 1

    def _render(self, document: Document, request: Request, generation: int, cancel: Cancel) -> None:
        try:
            cancel.check()
            if document.noise_print is None:
                document.noise_print = full_print(document.renderer, cancel)
                self.measured.emit(document, document.noise_print)
            self._draft(document, request, generation, cancel)
            if self._show_at_once(document, request, generation, cancel):
                self.seen_exact.emit(document, generation)
                cancel.pause(GIVEN_WAY)  # to painting, and to the next wish of who drags a control
            if document.probes is None:
                document.probes = place(document.picture.pixels, document.noise_print, cancel.check)
                self.probes_placed.emit(document, document.probes)
            seen = tiles_of(self.visible, document.renderer.size)
            self._render_tiles(document, request, seen, generation, cancel)
            self._render_probes(document, request, generation, cancel)
            self._render_tiles(document, request, None, generation, cancel)
            self.rendered.emit(document, generation)
            self._judging.submit(self._judge, document, request, generation, cancel)
        except Cancelled:
            return
        except Exception as error:
            self.failed.emit(document, generation, plain(error))

    def _judge(self, document: Document, request: Request, generation: int, cancel: Cancel) -> None:
        """On a thread of its own, so that the next request need not wait for it."""
        try:
            cancel.check()
            if document.verdict is None or document.judged != request.sweep:
                document.verdict = judge_sweep(document.renderer, request.sweep, cancel)
                document.judged = request.sweep
            self.judged.emit(document, generation, document.verdict)
            self.warned.emit(document, generation, self._warnings(document, request.sweep, cancel))
        except Cancelled:
            return
        except Exception as error:
            self.failed.emit(document, generation, plain(error))

    def _draft(self, document: Document, request: Request, generation: int, cancel: Cancel) -> None:
        """Show what is visible done quickly where doing it exactly takes time, and the probes where it takes long."""
        renderer = document.renderer
        at_once = self.visible.area <= AT_ONCE_MOST
        done = renderer.slow_done if at_once else renderer.quick  # measuring for a view takes no longer than a draft
        if done(request.sweep, tiles_of(self.visible, renderer.size)):
            return
        if not self._show_at_once(document, request, generation, cancel, draft=True):
            self._show_reduced(document, request, generation, cancel)
        self.drafted.emit(document, generation)
        self._render_probes(document, request, generation, cancel, draft=True)

    def _show_reduced(self, document: Document, request: Request, generation: int, cancel: Cancel) -> None:
        """Show a large view as a draft of the reduced picture, without the steps that do not show at that size."""
        visible = self.visible
        level = min(int(np.ceil(np.log2(visible.area / REDUCED_MOST) / 2)), len(document.after.levels) - 1)
        renderer = document.reduced(level)
        shows = [s for s in request.sweep.active if any(stage.draft for stage in s.kind.stages)]
        region = Region(*(v >> level for v in visible.aligned(document.after.step))).within(renderer.size)
        after = renderer.at_once(Sweep(tuple(shows)), region, cancel, draft=True)
        shown = view(request.look, renderer.picture.pixels[region.slices()], after, document.noise_print)
        cancel.check()
        words = packed(shown, document.picture.metadata.icc)
        self.reduced_ready.emit(document, generation, level, region, words)

    def _show_at_once(
        self, document: Document, request: Request, generation: int, cancel: Cancel, draft: bool = False
    ) -> bool:
        """Show what is visible of the result, and no more; False when that is too much to be quick."""
        size = document.picture.size
        region = self.visible.aligned(document.after.step).within(size)
        if region.area > AT_ONCE_MOST:
            return False
        words = self._seen_at_once(document, request.look, region, request.sweep, cancel, draft)
        cancel.check()
        self.tile_ready.emit(document, generation, False, region, words)
        return True

    def _seen_at_once(
        self, document: Document, look: Look, region: Region, sweep: Sweep, cancel: Cancel, draft: bool
    ) -> NDArray[np.uint32]:
        """Packed pixels of a region, computed without the rest of its tiles and seen through a look."""
        picture = document.picture
        area = region.grown(look.reach).within(picture.size)
        after = document.renderer.at_once(sweep, area, cancel, draft)
        shown = view(look, picture.pixels[area.slices()], after, document.noise_print)[region.slices(area)]
        return packed(shown, picture.metadata.icc)

    def _looked_at(
        self, document: Document, look: Look, region: Region, tile: NDArray, sweep: Sweep, cancel: Cancel
    ) -> NDArray[np.uint32]:
        """Packed pixels of a region whose result is ``tile``, seen through a look."""
        picture = document.picture
        area = region.grown(look.reach).within(picture.size)
        after = tile if look.reach == 0 else document.renderer.render(sweep, area, cancel)
        shown = view(look, picture.pixels[area.slices()], after, document.noise_print)[region.slices(area)]
        return packed(shown, picture.metadata.icc)

    def _render_probes(
        self, document: Document, request: Request, generation: int, cancel: Cancel, draft: bool = False
    ) -> None:
        """Show every probe; measure it only on exact pixels."""
        renderer, noise = document.renderer, document.noise_print
        assert noise is not None
        calm = Sweep((make_step("noise"),))
        for number, probe in enumerate(document.probes or ()):
            cancel.check()
            shown = probe.region(renderer.size, SIDE if draft else PROBE_SHOWN)
            measured = probe.region(renderer.size)
            both = (request.other, request.sweep)
            sides = [self._seen_at_once(document, request.look, shown, s, cancel, draft) for s in both]
            found: tuple[Figure, ...] = ()
            if not draft:
                before, after, cleaned = (renderer.render(s, measured, cancel) for s in (Sweep(), request.sweep, calm))
                found = figures(probe, before, after, cleaned, noise)
            self.probe_ready.emit(document, generation, number, ProbeView(probe, sides[0], sides[1], found))

    def _render_tiles(
        self, document: Document, request: Request, only: list[Place] | None, generation: int, cancel: Cancel
    ) -> None:
        """Render these tiles, or all of the picture, both sides where the other one is not shown yet."""
        size = document.renderer.size
        places = tiles_of(Region(0, 0, *size), size) if only is None else only
        groups = {tuple(g): g for g in run_groups(places, size, RUN)}
        sides = [False]
        if document.before_shows != (request.other, request.look):
            sides.append(True)
            document.before_shows = NOTHING_SHOWN
        left = {(other, key): g for other in sides for key, g in groups.items()}
        total = sum(len(g) for g in left.values())
        self.progressed.emit(document, generation, 0, total)
        while left:
            cancel.check()
            nearest = sorted(left, key=lambda k: (_distance(k[1][0], self.visible), k[0]))[:AT_A_TIME]
            for other, key in nearest:
                sweep = request.other if other else request.sweep
                for spot, tile in document.renderer.tiles(sweep, left.pop((other, key)), cancel).items():
                    region = tile_region(spot, size)
                    words = self._looked_at(document, request.look, region, tile, sweep, cancel)
                    self.tile_ready.emit(document, generation, other, region, words)
            document.renderer.hold(request.sweep, tiles_of(self.visible, size))  # the next wish begins there
            done = total - sum(len(g) for g in left.values())
            self.progressed.emit(document, generation, done, total)

    def _warnings(self, document: Document, sweep: Sweep, cancel: Cancel) -> dict[int, str]:
        """By step number, what a step makes worse; found by judging the sweep without it."""
        assert document.verdict is not None
        found = {}
        for n, step in enumerate(sweep.steps):
            if isinstance(step, Step) and step.acts:
                without = judge_sweep(document.renderer, sweep.changed(n, on=False), cancel)
                if words := document.verdict.worsens(without):
                    found[n] = words
        return found

    # -------------------------------------------------------------- small wishes beside the rendering

    def find_worst(self, document: Document, request: Request, figure: FigureName) -> None:
        """Look for the worst places of a figure; `worst_found` tells them."""
        self._asking.submit(self._find_worst, document, request, figure, self.generation, self._render_cancel)

    def _find_worst(
        self, document: Document, request: Request, figure: FigureName, generation: int, cancel: Cancel
    ) -> None:
        try:
            places = worst(document.renderer, request.sweep, figure, cancel)
            self.worst_found.emit(document, generation, figure.value, places)
        except Cancelled:
            return
        except Exception as error:
            self.failed.emit(document, generation, plain(error))

    def ask_thumbnail(self, document: Document, sweep: Sweep, index: int) -> None:
        """Show what one step removes in the middle of what is seen; `thumbnail_ready` carries packed pixels."""
        self._asking.submit(self._thumbnail, document, sweep, index, self.generation, self._render_cancel)

    def _thumbnail(self, document: Document, sweep: Sweep, index: int, generation: int, cancel: Cancel) -> None:
        try:
            v, (h, w) = self.visible, THUMBNAIL
            y0, x0 = (v.y0 + v.y1 - h) // 2, (v.x0 + v.x1 - w) // 2
            region = Region(max(y0, 0), max(x0, 0), y0 + h, x0 + w).within(document.picture.size)
            sides = (Sweep(sweep.steps[:index]), Sweep(sweep.steps[: index + 1]))
            before, after = (document.renderer.render(s, region, cancel) for s in sides)
            words = packed(view(Look(Mode.REMOVED), before, after), None)
            self.thumbnail_ready.emit(document, generation, index, words)
        except Cancelled:
            return
        except Exception as error:
            self.failed.emit(document, generation, plain(error))

    def ask_strip(self, document: Document, variants: Sequence[Sweep], region: Region) -> None:
        """Render one place with several sweeps; `strip_ready` carries number, packed pixels and verdict, one by one."""
        self._strip_cancel.set()
        self._strip_cancel = Cancel()
        self._asking.submit(self._strip, document, variants, region, self._strip_cancel)

    def _strip(self, document: Document, variants: Sequence[Sweep], region: Region, cancel: Cancel) -> None:
        try:
            renderer = document.renderer
            noise = noise_print(renderer, cancel)
            before = document.picture.pixels[region.slices()]
            calm = renderer.at_once(Sweep((make_step("noise"),)), region, cancel)
            for number, sweep in enumerate(variants):
                after = renderer.at_once(sweep, region, cancel)
                found = judge(before, after, calm, noise, cancel.check)
                self.strip_ready.emit(document, number, (packed(after, document.picture.metadata.icc), found))
        except Cancelled:
            return
        except Exception as error:
            self.failed.emit(document, self.generation, plain(error))

    def cancel_strip(self) -> None:
        self._strip_cancel.set()

    def ask_suggestion(self, document: Document) -> None:
        """Find the lowest strengths that do the job; `suggested` carries them."""
        self._asking.submit(self._suggest, document, self._suggest_cancel)

    def _suggest(self, document: Document, cancel: Cancel) -> None:
        try:
            self.suggested.emit(document, suggest(document.renderer, cancel=cancel))
        except Cancelled:
            return
        except Exception as error:
            self.failed.emit(document, self.generation, plain(error))

    def ask_costs(self, document: Document) -> None:
        """Measure what each quality of Noise costs in time on this picture; `costs_ready` carries the seconds."""
        self._asking.submit(self._costs, document, self._suggest_cancel)

    def _costs(self, document: Document, cancel: Cancel) -> None:
        try:
            noise, renderer = noise_print(document.renderer, cancel), document.renderer
            self.costs_ready.emit(document, costs(renderer.picture.pixels, noise, renderer.threads, cancel.check))
        except Cancelled:
            return
        except Exception as error:
            self.failed.emit(document, self.generation, plain(error))

    # -------------------------------------------------------------- exporting

    def export(self, document: Document, path: Path, options: ExportOptions, replace_source: bool) -> None:
        self._export_cancel = Cancel()
        self._exporting.submit(
            self._export, document, document.sweep, path, options, replace_source, self._export_cancel
        )

    def cancel_export(self) -> None:
        self._export_cancel.set()

    def _export(
        self, document: Document, sweep: Sweep, path: Path, options: ExportOptions, replace: bool, cancel: Cancel
    ) -> None:
        try:
            export(document.renderer, sweep, path, options, cancel, self.export_progressed.emit, replace)
            self.export_done.emit(str(path))
        except Cancelled:
            self.export_cancelled.emit()
        except Exception as error:
            self.export_failed.emit(plain(error))

    # -------------------------------------------------------------- end

    def stop(self) -> None:
        """Cancel everything and wait for it."""
        for cancel in (self._render_cancel, self._export_cancel, self._strip_cancel, self._suggest_cancel):
            cancel.set()
        for pool in (self._loading, self._rendering, self._judging, self._exporting, self._asking):
            pool.shutdown(wait=True, cancel_futures=True)


def _distance(place: Place, visible: Region) -> float:
    """How far a run of tiles is from the middle of what is visible; visible ones come before all others."""
    tile = tile_region(place, (1 << 30, 1 << 30)).grown(128)
    cy, cx = (visible.y0 + visible.y1) / 2, (visible.x0 + visible.x1) / 2
    d = max(abs((tile.y0 + tile.y1) / 2 - cy), abs((tile.x0 + tile.x1) / 2 - cx))
    return d if tile.meets(visible) else d + 1e6
