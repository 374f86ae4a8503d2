"""The layer of the window that shows: comparing, inspecting, rendering, going to places."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QPixmap
from PyQt6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QLineEdit,
)

from dustpan.core.inspect import Look, Mode
from dustpan.core.region import Region
from dustpan.core.sweep import Step, Sweep
from dustpan.core.verdict import Verdict
from dustpan.core.worst import FigureName
from dustpan.ui.canvas import View
from dustpan.ui.document import Document
from dustpan.ui.service import Request
from dustpan.ui.window_parts import BEFORE_STEP, ORIGINAL, WindowParts, connect

HOLD_KEY, INSPECT_KEY = Qt.Key.Key_C, Qt.Key.Key_I


class Showing(WindowParts):
    """Asks the service for what is wanted and shows what comes back. ``exact`` tells that the picture is complete."""

    exact = pyqtSignal()

    def __init__(self, hand_back: Path | None) -> None:
        super().__init__(hand_back)
        self._opening = 0
        self._rendering = False
        self._working_words = ""
        self._worst: tuple[FigureName, list, int] | None = None
        s, canvas = self.service, self.canvas
        connect([
            (s.tile_ready, self._tile_ready), (s.reduced_ready, self._reduced_ready), (s.drafted, self._drafted),
            (s.seen_exact, self._seen_exact), (s.progressed, self._progressed),
            (s.rendered, self._rendered), (s.judged, self._judged), (s.warned, self._warned), (s.failed, self._failed),
            (s.worst_found, self._worst_found), (s.thumbnail_ready, self._thumbnail_ready),
            (canvas.zoomed, self._zoomed), (canvas.view_moved, self._view_moved), (canvas.pointed, self._pointed),
            (canvas.wheel_wanted, self.step_look),
        ])  # fmt: skip

    def build(self) -> None:
        super().build()
        connect([
            (self.top.other_chosen, self.compare_with), (self.top.keep.clicked, self.keep_state),
            (self.top.view_chosen, self.set_view), (self.top.zoom_chosen, self._zoom_to),
            (self.top.inspect.clicked, self.toggle_palette),
            (self.palette_.chosen, lambda mode: self.inspect(Mode(mode))),
            (self.sweep_line.entered, self._ask_thumbnail), (self.sweep_line.left, self.thumbnail.hide),
            (self.bottom.figure_clicked, lambda name: self.go_to_worst(FigureName(name))),
            (self.bottom.stop.clicked, self.stop_rendering),
        ])  # fmt: skip

    def step_at(self, index: int) -> Any:
        """The step of that number; None for what was measured or without a picture."""
        d = self.document
        return d.sweep.steps[index] if d and 0 <= index < len(d.sweep.steps) else None

    # -------------------------------------------------------------- comparing

    def _show_others(self) -> None:
        d = self.document
        if d is None:
            return
        self.compared = min(self.compared, 1 + len(d.kept))
        step = self.step_at(max(self.chosen, 0))
        before = self.tr("Before {0}").format(step.name if step else self.tr("this step"))
        self.top.show_others([self.tr("Original"), before, *(k.name for k in d.kept)], self.compared)
        self.canvas.other_name = self.top.other.currentText()

    def other_sweep(self) -> Sweep:
        """The sweep of the side that is compared with."""
        d = self.document
        if d is None or self.compared == ORIGINAL:
            return Sweep()
        if self.compared == BEFORE_STEP:
            return Sweep(d.sweep.steps[: max(self.chosen, 0)])
        return d.kept[self.compared - 2].sweep

    def compare_with(self, number: int) -> None:
        self.compared = number
        self._show_others()
        self._render()

    def keep_state(self) -> None:
        """Remember the sweep as it is, and compare with it from now on."""
        if self.document:
            self.document.keep_state()
            self.compare_with(1 + len(self.document.kept))

    def flip_kept(self, way: int = 1) -> None:
        """Compare with the next kept state, the original among them."""
        if self.document:
            sides = [ORIGINAL, *range(2, 2 + len(self.document.kept))]
            at = sides.index(self.compared) if self.compared in sides else 0
            self.compare_with(sides[(at + way) % len(sides)])

    def blink(self) -> None:
        """Flip to the other side and stay there until the next blink."""
        self.canvas.hold(not self.canvas.holding)

    def set_view(self, view: str) -> None:
        self.canvas.set_view(View(view))
        self.top.views[View(view)].setChecked(True)

    # -------------------------------------------------------------- inspecting

    def inspect(self, mode: Mode) -> None:
        """Look at the picture in a special way; it and its export stay as they are."""
        self._set_look(Look(mode, self.look.push, self.look.factor))

    def step_look(self, way: int) -> None:
        self._set_look(self.look.stepped(way))

    def _set_look(self, look: Look) -> None:
        if look == self.look:
            return
        self.look = look
        self.palette_.show_mode(look.mode)
        self.top.inspect.setChecked(look.mode is not Mode.NONE)
        self._show_badge()
        self._render()

    def toggle_palette(self) -> None:
        self.top.inspect.setChecked(self.look.mode is not Mode.NONE)
        if self.palette_.isVisible():
            self.palette_.hide()
        else:
            self.palette_.show_mode(self.look.mode)
            self.palette_.open_at_middle()

    def _show_badge(self) -> None:
        parts = []
        if self.look.mode is not Mode.NONE:
            parts.append(self.tr("Inspecting: {0}. Export unaffected.").format(self.look.words()))
        if self._rendering:
            parts.append(self._working_words)
        self.canvas.set_badge("  ".join(parts))

    # -------------------------------------------------------------- rendering

    def _set_rendering(self, on: bool, words: str = "") -> None:
        self._rendering, self._working_words = on, words
        self.bottom.progress.setVisible(on)
        self.bottom.stop.setVisible(on)
        self._show_badge()

    def request(self) -> Request:
        assert self.document is not None
        return Request(self.document.sweep, self.other_sweep(), self.look)

    def _render(self) -> None:
        if self.document:
            self._view_moved()
            self.bottom.progress.setRange(0, 0)
            self._set_rendering(True, self.tr("Working …"))
            self.generation = self.service.render(self.document, self.request())

    def stop_rendering(self) -> None:
        """Stop; what is shown stays, marked as unfinished."""
        self.service.cancel_rendering()
        self._set_rendering(False)
        self.bottom.state.setText(self.tr("stopped before it was exact"))

    def _current(self, document: Document, generation: int) -> bool:
        return document is self.document and generation == self.generation

    def _tile_ready(self, document: Document, generation: int, other: bool, region: Region, words: Any) -> None:
        if self._current(document, generation):
            (document.before if other else document.after).put(region, words)
            self.canvas.update()

    def _reduced_ready(self, document: Document, generation: int, level: int, region: Region, words: Any) -> None:
        if self._current(document, generation):
            document.after.put_reduced(level, region, words, self.canvas.level)
            self.canvas.update()

    def _seen_exact(self, document: Document, generation: int) -> None:
        """What is on screen is exact; the rest of the picture is still on its way."""
        if self._current(document, generation):
            self._set_rendering(True)

    def _drafted(self, document: Document, generation: int) -> None:
        if self._current(document, generation):
            self._set_rendering(True, self.tr("Draft"))

    def _progressed(self, document: Document, generation: int, done: int, total: int) -> None:
        if self._current(document, generation):
            self.bottom.progress.setRange(0, total)
            self.bottom.progress.setValue(done)
            self.bottom.state.setText(self.tr("{0} of {1} tiles exact").format(done, total))

    def _rendered(self, document: Document, generation: int) -> None:
        if self._current(document, generation):
            # only now are all its tiles painted; those of a request that was overtaken were dropped
            document.before_shows = (self.other_sweep(), self.look)
            self._working_words = ""
            self._show_badge()
            self.bottom.state.setText(self.tr("judging …"))
            self.exact.emit()

    def _judged(self, document: Document, generation: int, found: Verdict) -> None:
        if self._current(document, generation):
            self.bottom.show_verdict(found)
            self._set_rendering(False)
            self.bottom.state.setText(self.tr("exact"))

    def _warned(self, document: Document, generation: int, warnings: dict[int, str]) -> None:
        if self._current(document, generation):
            self.warnings = warnings
            self.sweep_line.show_sweep(document.sweep, self.chosen, warnings)

    def _failed(self, document: Document, generation: int, why: str) -> None:
        if self._current(document, generation):
            self._set_rendering(False)
            self.bottom.state.setText("")
            self.tell(why)

    @property
    def busy(self) -> bool:
        """Whether something is still being opened, rendered or judged."""
        return self._opening > 0 or (self.document is not None and self._rendering)

    # -------------------------------------------------------------- going to places, thumbnails

    def go_to_worst(self, figure: FigureName) -> None:
        """Bring the picture to the worst place for a figure; again, to the next."""
        if self.document is None:
            return
        if self._worst is None or self._worst[0] is not figure:
            self.bottom.state.setText(self.tr("looking for the worst place …"))
            self.service.find_worst(self.document, self.request(), figure)
            return
        name, places, at = self._worst
        self._worst = (name, places, (at + 1) % len(places))
        self._go_to_worst_place()

    def _worst_found(self, document: Document, generation: int, figure: str, places: list) -> None:
        if not self._current(document, generation):
            return
        if not places:
            self.bottom.state.setText(self.tr("no such place in this picture"))
            return
        self._worst = (FigureName(figure), places, 0)
        self._go_to_worst_place()

    def _go_to_worst_place(self) -> None:
        assert self._worst
        _, places, at = self._worst
        self.canvas.go_to(*places[at])
        self.bottom.state.setText(self.tr("worst place {0} of {1}").format(at + 1, len(places)))

    def _ask_thumbnail(self, index: int) -> None:
        if self.document and isinstance(self.step_at(index), Step):
            self.service.ask_thumbnail(self.document, self.document.sweep, index)

    def _thumbnail_ready(self, document: Document, generation: int, index: int, words: Any) -> None:
        chips = self.sweep_line.chips
        if not self._current(document, generation) or index >= len(chips) or not chips[index].underMouse():
            return
        h, w = words.shape
        image = QImage(words.data, w, h, words.strides[0], QImage.Format.Format_RGB32).copy()
        self.thumbnail.setPixmap(QPixmap.fromImage(image))
        self.thumbnail.setAccessibleName(self.tr("What this step removed, ×8"))
        self.thumbnail.adjustSize()
        self.thumbnail.move(chips[index].mapToGlobal(QPoint(0, -self.thumbnail.height() - 4)))
        self.thumbnail.show()

    # -------------------------------------------------------------- view

    def fold_tray(self) -> None:
        self.tray.setVisible(self.tray.isHidden())

    def _zoomed(self, zoom: float) -> None:
        self.top.show_zoom(zoom, self.canvas.fit_zoom(), self.canvas.fitting)

    def _zoom_to(self, zoom: float) -> None:
        if zoom == 0:
            self.canvas.fit()
        elif zoom > 0:
            self.canvas.set_zoom(zoom)

    def _view_moved(self) -> None:
        self.service.visible = self.canvas.visible_region()

    def _pointed(self, y: int, x: int) -> None:
        self.bottom.pixel.setText(
            self.document.pixel_words(y, x, self.other_sweep()) if self.document and y >= 0 else ""
        )

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Holding C shows the other side, holding I the palette, except where text is typed."""
        if isinstance(event, QKeyEvent) and not event.modifiers() and self._keys_are_free():
            press, release = event.type() == QEvent.Type.KeyPress, event.type() == QEvent.Type.KeyRelease
            if event.key() == HOLD_KEY and (press or release):
                if not event.isAutoRepeat():
                    self.canvas.hold(press)
                return True
            if event.key() == INSPECT_KEY and (press or release) and self.document:
                if not event.isAutoRepeat():
                    self.palette_.show_mode(self.look.mode)
                    self.palette_.open_at_middle() if press else self.palette_.hide()
                return True
            if press and self.palette_.isVisible():
                mode = self.palette_.mode_of_digit(event.key())
                if mode is not None:
                    self.inspect(mode)
                    return True
        return super().eventFilter(watched, event)

    def _keys_are_free(self) -> bool:
        """Whether a letter is a command: no dialog is open and no text is being typed (numbers hold no letters)."""
        at = QApplication.focusWidget()
        typing = isinstance(at, QLineEdit) and not isinstance(at.parent(), QAbstractSpinBox)
        return self.isActiveWindow() and QApplication.activeModalWidget() is None and not typing
