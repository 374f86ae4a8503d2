"""Background work for the window: opening, measuring, rendering, judging, exporting.

One coordinator thread per kind of work; tiles themselves run on the renderer's threads. Every request has a generation
number, a new request cancels the old one, and results travel to the GUI thread by queued signals.
"""

from __future__ import annotations

import logging
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from dustpan.core.errors import Cancelled, DustpanError, os_reason
from dustpan.core.files import ExportOptions
from dustpan.core.paths import demo_folder
from dustpan.core.region import Region
from dustpan.core.render import RUN, Cache, Cancel, Place, run_groups, tile_region, tiles_of
from dustpan.core.sweep import Sweep
from dustpan.core.work import export, judge_sweep, noise_print
from dustpan.demo import PICTURES, ensure_demo_data
from dustpan.ui.display import packed
from dustpan.ui.document import Document

log = logging.getLogger("dustpan")
AT_A_TIME = 2  # runs of tiles between two looks at what is visible


def plain(error: Exception) -> str:
    """A sentence for any failure; what the person cannot act on goes to the log."""
    if isinstance(error, DustpanError):
        return str(error)
    if isinstance(error, MemoryError):
        return "There is not enough memory for this; your work is not lost. Close other pictures and try again."
    log.exception("unexpected failure", exc_info=error)
    return f"Something went wrong inside Dustpan ({type(error).__name__}); your work is not lost."


class Service(QObject):
    """Signals carry a document, a generation where it matters, and the result."""

    opened = pyqtSignal(object)
    open_failed = pyqtSignal(str)
    demo_ready = pyqtSignal(object)
    measured = pyqtSignal(object, object)
    tile_ready = pyqtSignal(object, int, object, object)
    progressed = pyqtSignal(object, int, int, int)
    rendered = pyqtSignal(object, int)
    judged = pyqtSignal(object, int, object)
    failed = pyqtSignal(object, int, str)
    export_progressed = pyqtSignal(int, int)
    export_done = pyqtSignal(str)
    export_failed = pyqtSignal(str)
    export_cancelled = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.cache = Cache()
        self.generation = 0
        self.visible = Region(0, 0, 1, 1)
        self._render_cancel = Cancel()
        self._export_cancel = Cancel()
        self._loading = ThreadPoolExecutor(1, thread_name_prefix="open")
        self._rendering = ThreadPoolExecutor(1, thread_name_prefix="render")
        self._exporting = ThreadPoolExecutor(1, thread_name_prefix="export")

    # -------------------------------------------------------------- opening

    def open(self, path: Path) -> None:
        self._loading.submit(self._open, path)

    def _open(self, path: Path) -> None:
        try:
            self.opened.emit(Document(path, self.cache))
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
            self.open_failed.emit(f"The demo pictures could not be made: {os_reason(error)}.")
        except Exception as error:
            self.open_failed.emit(plain(error))

    # -------------------------------------------------------------- rendering

    def render(self, document: Document, sweep: Sweep) -> int:
        """Render a sweep, visible tiles first; gives the generation whose signals belong to it."""
        self._render_cancel.set()
        self._render_cancel = Cancel()
        self.generation += 1
        self._rendering.submit(self._render, document, sweep, self.generation, self._render_cancel)
        return self.generation

    def cancel_rendering(self) -> None:
        self._render_cancel.set()
        self.generation += 1

    def _render(self, document: Document, sweep: Sweep, generation: int, cancel: Cancel) -> None:
        try:
            cancel.check()
            if document.noise_print is None:
                document.noise_print = noise_print(document.renderer, cancel)
                self.measured.emit(document, document.noise_print)
            self._render_tiles(document, sweep, generation, cancel)
            self.rendered.emit(document, generation)
            self.judged.emit(document, generation, judge_sweep(document.renderer, sweep, cancel))
        except Cancelled:
            return
        except Exception as error:
            self.failed.emit(document, generation, plain(error))

    def _render_tiles(self, document: Document, sweep: Sweep, generation: int, cancel: Cancel) -> None:
        size = document.renderer.size
        left = {tuple(g): g for g in run_groups(tiles_of(Region(0, 0, *size), size), size, RUN)}
        total = done = sum(len(g) for g in left.values())
        self.progressed.emit(document, generation, 0, total)
        icc = document.picture.metadata.icc
        while left:
            cancel.check()
            nearest = sorted(left, key=lambda g: _distance(g[0], self.visible))[:AT_A_TIME]
            places = [p for g in nearest for p in left.pop(g)]
            for place, tile in document.renderer.tiles(sweep, places, cancel).items():
                self.tile_ready.emit(document, generation, tile_region(place, size), packed(tile, icc))
            done = sum(len(g) for g in left.values())
            self.progressed.emit(document, generation, total - done, total)

    # -------------------------------------------------------------- exporting

    def export(self, document: Document, path: Path, options: ExportOptions, replace_source: bool) -> None:
        self._export_cancel = Cancel()
        self._exporting.submit(
            self._export, document, document.sweep, path, options, replace_source, self._export_cancel
        )

    def cancel_export(self) -> None:
        self._export_cancel.set()

    def _export(
        self,
        document: Document,
        sweep: Sweep,
        path: Path,
        options: ExportOptions,
        replace: bool,
        cancel: Cancel,
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
        self._render_cancel.set()
        self._export_cancel.set()
        for pool in (self._loading, self._rendering, self._exporting):
            pool.shutdown(wait=True, cancel_futures=True)


def _distance(place: Place, visible: Region) -> float:
    """How far a run of tiles is from the middle of what is visible; visible ones come before all others."""
    tile = tile_region(place, (1 << 30, 1 << 30)).grown(128)
    cy, cx = (visible.y0 + visible.y1) / 2, (visible.x0 + visible.x1) / 2
    d = max(abs((tile.y0 + tile.y1) / 2 - cy), abs((tile.x0 + tile.x1) / 2 - cx))
    return d if tile.meets(visible) else d + 1e6
