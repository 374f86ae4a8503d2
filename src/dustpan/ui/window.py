"""The main window: puts canvas, probes, sweep line, tray and bars together and passes wishes on."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QEvent, QObject, QPoint, QPointF, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QImage, QKeyEvent, QPixmap
from PyQt6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMainWindow,
    QMessageBox,
    QPushButton,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.blend import Blend
from dustpan.core.errors import DustpanError
from dustpan.core.files import FORMATS, ExportOptions
from dustpan.core.inspect import Look, Mode
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.probes import Probe, Role
from dustpan.core.region import Region
from dustpan.core.step import step_kind
from dustpan.core.sweep import Step, Sweep, make_step
from dustpan.core.verdict import Verdict
from dustpan.core.worst import FigureName
from dustpan.ui import safety
from dustpan.ui.bars import BottomLine, TopBar
from dustpan.ui.canvas import Canvas, View
from dustpan.ui.document import Document
from dustpan.ui.export_dialog import ExportDialog, proposed_name
from dustpan.ui.inspect_palette import InspectPalette
from dustpan.ui.instruments import EdgeInstrument
from dustpan.ui.menus import build_menus
from dustpan.ui.pictures import PicturesPopup
from dustpan.ui.preferences import PreferencesDialog, load_preferences, save_preferences
from dustpan.ui.probe_panel import MOST, ProbePanel
from dustpan.ui.profiles import edge_profiles
from dustpan.ui.service import ProbeView, Request, Service
from dustpan.ui.sweep_line import Half, SweepLine
from dustpan.ui.theme import apply_theme
from dustpan.ui.tray import Tray

HOLD_KEY, INSPECT_KEY = Qt.Key.Key_C, Qt.Key.Key_I
ORIGINAL, BEFORE_STEP = 0, 1  # the first two sides to compare with; kept states follow


class Window(QMainWindow):
    """Dustpan's window. ``documents`` are the open pictures, ``document`` the one on the canvas.

    Parameters
    ----------
    hand_back : where the result goes when another program handed the picture over; None otherwise.
    """

    def __init__(self, hand_back: Path | None = None) -> None:
        super().__init__()
        self.preferences = load_preferences()
        self.service = Service(self.preferences.threads or None, self.preferences.memory_mb * 1_000_000)
        self.documents: list[Document] = []
        self.document: Document | None = None
        self.chosen = 0  # the step in the tray; -1 for what was measured
        self.half = Half.WHAT
        self.compared = ORIGINAL
        self.look = Look()
        self.generation = 0
        self.hand_back_to = hand_back
        self.handed_back = False
        self.warnings: dict[int, str] = {}
        self._opening = 0
        self._rendering = False
        self._worst: tuple[FigureName, list, int] | None = None
        self.setWindowTitle("Dustpan")
        self.setAcceptDrops(True)
        self._build()
        self.menus = build_menus(self)
        self._connect()
        self._show_document()
        self._restore_state()
        app = QApplication.instance()
        assert app is not None
        app.installEventFilter(self)
        self._safety = QTimer(self)
        self._safety.timeout.connect(self._keep_safe)
        self._safety.start(safety.EVERY_MS)

    # -------------------------------------------------------------- parts

    def _build(self) -> None:
        self.top, self.bottom = TopBar(), BottomLine()
        self.canvas, self.sweep_line, self.tray, self.probes = Canvas(), SweepLine(), Tray(), ProbePanel()
        self.pages = QStackedWidget()
        self.pages.addWidget(self._empty_page())
        self.pages.addWidget(self.canvas)
        self.popup = PicturesPopup(self)
        right, middle, whole = QVBoxLayout(), QHBoxLayout(), QVBoxLayout()
        for layout in (right, middle, whole):
            layout.setContentsMargins(0, 0, 0, 0)
            layout.setSpacing(0)
        right.addWidget(self._notice_bar())
        right.addWidget(self.pages, 1)
        right.addWidget(self.sweep_line)
        right.addWidget(self.tray)
        middle.addWidget(self.probes)
        middle.addLayout(right, 1)
        whole.addWidget(self.top)
        whole.addLayout(middle, 1)
        whole.addWidget(self.bottom)
        holder = QWidget()
        holder.setLayout(whole)
        self.setCentralWidget(holder)
        self.palette_ = InspectPalette(self)
        self.thumbnail = QLabel(self, Qt.WindowType.ToolTip)
        self.thumbnail.setObjectName("popup")
        self.top.hand_back.setVisible(self.hand_back_to is not None)

    def _notice_bar(self) -> QWidget:
        self.notice = QFrame()
        self.notice.setObjectName("notice")
        self.notice_text = QLabel()
        self.notice_text.setWordWrap(True)
        self.notice_action = QPushButton()
        self.notice_action.hide()
        self._notice_then: Callable[[], None] | None = None
        self.notice_action.clicked.connect(self._do_notice)
        copy = QToolButton()
        copy.setText(self.tr("Copy details"))
        copy.setToolTip(self.tr("Copy this message and the end of the log as text"))
        copy.clicked.connect(self._copy_details)
        self.notice_close = QToolButton()
        self.notice_close.setText("×")
        self.notice_close.setAccessibleName(self.tr("Dismiss"))
        self.notice_close.clicked.connect(self.notice.hide)
        row = QHBoxLayout(self.notice)
        row.setContentsMargins(10, 4, 6, 4)
        row.addWidget(self.notice_text, 1)
        for w in (self.notice_action, copy, self.notice_close):
            row.addWidget(w)
        self.notice.hide()
        return self.notice

    def _empty_page(self) -> QWidget:
        page = QWidget()
        title = QLabel(self.tr("Open a picture to measure its noise"))
        title.setObjectName("title")
        text = QLabel(
            self.tr(
                "Drop pictures here, or open them. Nothing is written over:\nthe sweep is saved beside the picture."
            )
        )
        text.setObjectName("faint")
        text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.empty_open = QPushButton(self.tr("Open …"))
        self.empty_demo = QPushButton(self.tr("Open the demo pictures"))
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(self.empty_open)
        buttons.addWidget(self.empty_demo)
        buttons.addStretch(1)
        box = QVBoxLayout(page)
        box.addStretch(1)
        box.addWidget(title, 0, Qt.AlignmentFlag.AlignCenter)
        box.addWidget(text, 0, Qt.AlignmentFlag.AlignCenter)
        box.addLayout(buttons)
        box.addStretch(1)
        return page

    def _connect(self) -> None:
        s, canvas, top, line = self.service, self.canvas, self.top, self.sweep_line
        pairs: list[tuple[Any, Callable]] = [
            (s.opened, self._opened), (s.open_failed, self._open_failed), (s.demo_ready, self._demo_ready),
            (s.measured, self._measured), (s.probes_placed, self._probes_placed), (s.probe_ready, self._probe_ready),
            (s.tile_ready, self._tile_ready), (s.drafted, self._drafted), (s.progressed, self._progressed),
            (s.rendered, self._rendered), (s.judged, self._judged), (s.warned, self._warned), (s.failed, self._failed),
            (s.worst_found, self._worst_found), (s.thumbnail_ready, self._thumbnail_ready),
            (s.export_done, self._exported), (s.export_failed, self._export_failed),
            (canvas.zoomed, self._zoomed), (canvas.view_moved, self._view_moved), (canvas.pointed, self._pointed),
            (canvas.probe_moved, self.move_probe), (canvas.line_drawn, self._line_drawn),
            (canvas.wheel_wanted, self.step_look),
            (top.pictures.clicked, self.show_pictures), (top.export.clicked, self.export),
            (top.next.clicked, self.export_and_next), (top.hand_back.clicked, self.hand_back),
            (top.other_chosen, self.compare_with), (top.keep.clicked, self.keep_state),
            (top.back.clicked, self.return_to_kept), (top.view_chosen, self.set_view), (top.zoom_chosen, self._zoom_to),
            (top.inspect.clicked, self.toggle_palette),
            (self.empty_open.clicked, self.ask_open), (self.empty_demo.clicked, self.open_demo),
            (self.popup.show_wanted, self.show_number), (self.popup.give_wanted, self.give_sweep),
            (line.chosen, self.choose), (line.measured_chosen, self.choose_measured), (line.toggled, self.toggle_step),
            (line.remove_wanted, self.remove_step), (line.duplicate_wanted, self.duplicate_step),
            (line.move_wanted, self.move_step), (line.add_wanted, self.add_step),
            (line.entered, self._ask_thumbnail), (line.left, self.thumbnail.hide),
            (self.tray.changed, self.set_value), (self.tray.blend_changed, self.set_blend),
            (self.tray.remove_wanted, lambda: self.remove_step(self.chosen)),
            (self.probes.go_wanted, self.go_to_probe), (self.probes.remove_wanted, self.remove_probe),
            (self.probes.add_wanted, self.add_probe),
            (self.palette_.chosen, lambda mode: self.inspect(Mode(mode))),
            (self.bottom.figure_clicked, lambda name: self.go_to_worst(FigureName(name))),
            (self.bottom.stop.clicked, self.stop_rendering),
        ]  # fmt: skip
        for signal, slot in pairs:
            signal.connect(slot)

    def _restore_state(self) -> None:
        self.resize(*self.preferences.window_size)
        if self.preferences.maximised:
            self.setWindowState(Qt.WindowState.WindowMaximized)
        self.tray.setVisible(not self.preferences.tray_folded)

    # -------------------------------------------------------------- opening

    def ask_open(self) -> None:
        patterns = " ".join(f"*{s}" for f in FORMATS.filled().values() for s in f.suffixes)
        files, _ = QFileDialog.getOpenFileNames(
            self, self.tr("Open pictures"), "", self.tr("Pictures ({0})").format(patterns)
        )
        self.open_files([Path(f) for f in files])

    def open_demo(self) -> None:
        self._opening += 1
        self.bottom.state.setText(self.tr("Making the demo pictures, once; a minute …"))
        self.service.prepare_demo()

    def _demo_ready(self, paths: list[Path]) -> None:
        self._opening -= 1
        self.open_files(paths)

    def open_files(self, paths: list[Path]) -> None:
        """Open pictures in the background; one that is open already is shown."""
        for path in paths:
            known = next((i for i, d in enumerate(self.documents) if d.path == path), None)
            if known is not None:
                self.show_number(known)
                continue
            self._opening += 1
            self.bottom.state.setText(self.tr("Opening {0} …").format(path.name))
            self.service.open(path)

    def _opened(self, document: Document) -> None:
        self._opening -= 1
        if not document.has_own_sweep and self.preferences.on_opening == "nothing":
            document.start_with(Sweep())
        self.documents.append(document)
        self.preferences.remember(document.path)
        self.menus.show_recent(self.preferences.recent)
        if document.warnings:
            self.tell(" ".join(document.warnings))
        if self.document is None:
            self.show_number(len(self.documents) - 1)
        else:
            self._list_pictures()

    def _open_failed(self, why: str) -> None:
        self._opening -= 1
        self.bottom.state.setText("")
        self.tell(why)

    def tell(self, text: str, action: str = "", then: Callable[[], None] | None = None) -> None:
        """Show a sentence above the picture until it is dismissed, perhaps with something to do about it."""
        self.notice_text.setText(text)
        self.notice_action.setText(action)
        self.notice_action.setVisible(bool(action))
        self._notice_then = then
        self.notice.show()

    def _do_notice(self) -> None:
        self.notice.hide()
        if self._notice_then:
            self._notice_then()

    def _copy_details(self) -> None:
        from dustpan.core.paths import cache_folder

        text = self.notice_text.text()
        try:
            log = (cache_folder() / "dustpan.log").read_text("utf-8", "replace")[-4000:]
        except OSError:
            log = ""
        if board := QApplication.clipboard():
            board.setText(f"{text}\n\n{log}".strip())

    # -------------------------------------------------------------- which picture

    def show_number(self, number: int) -> None:
        if 0 <= number < len(self.documents):
            self.document = self.documents[number]
            self.chosen, self.half, self.compared, self.warnings = 0, Half.WHAT, ORIGINAL, {}
            self._show_document()

    def show_next(self, way: int = 1) -> None:
        if self.document:
            self.show_number((self.documents.index(self.document) + way) % len(self.documents))

    def _show_document(self) -> None:
        d = self.document
        self.pages.setCurrentIndex(1 if d else 0)
        self.top.set_enabled(d is not None)
        self.menus.set_enabled(d is not None)
        self.sweep_line.add_button.setEnabled(d is not None)
        self.sweep_line.measured.setEnabled(d is not None)
        if d is None:
            self.canvas.show_displays(None, None, (1, 1))
            self.sweep_line.show_sweep(Sweep(), 0, {})
            self.sweep_line.measured.setText(self.tr("nothing measured"))
            self.tray.show_step(None)
            self.probes.show_probes((), busy=False)
            self.bottom.show_verdict(None)
            for label in (self.bottom.facts, self.bottom.state, self.bottom.pixel):
                label.setText("")
            self._set_rendering(False)
        else:
            self.canvas.show_displays(d.before, d.after, d.picture.size)
            self.bottom.facts.setText(d.exposure())
            self.bottom.show_verdict(d.verdict if d.judged == d.sweep else None)
            self._show_probes()
            self._show_print()
            self._show_sweep()
            self._render()
        self._list_pictures()

    def _list_pictures(self) -> None:
        dirty = any(d.history.dirty for d in self.documents)
        count = len(self.documents)
        self.top.pictures.setText(("• " if dirty else "") + self.tr("Pictures ({0})").format(count))
        self.top.pictures.setEnabled(count > 0)
        self.top.next.setVisible(count > 1)
        self.menus.show_pictures([("• " if d.history.dirty else "") + d.name for d in self.documents])
        if self.document:
            mark = "• " if self.document.history.dirty else ""
            self.setWindowTitle(f"{mark}{self.document.name} – Dustpan")
        else:
            self.setWindowTitle("Dustpan")

    def show_pictures(self) -> None:
        at = self.top.pictures.mapToGlobal(QPoint(0, self.top.pictures.height()))
        self.popup.show_documents(self.documents, self.document, at)

    def give_sweep(self, numbers: list[int]) -> None:
        """Give this picture's sweep to others; there it can be undone."""
        if self.document is None:
            return
        for n in numbers:
            self.documents[n].history.change(self.tr("sweep of {0}").format(self.document.name), self.document.sweep)
        self.popup.hide()
        self._list_pictures()

    # -------------------------------------------------------------- what was measured

    def _show_print(self) -> None:
        d = self.document
        if d is None:
            return
        found = d.noise_print
        text = self.tr("measuring …") if found is None else self.tr("σ {0:.1f}/255").format(255 * found.strength)
        self.sweep_line.measured.setText(text + " ▸")
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
            self.document.probes = probes
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
            self.document.probes = None
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
        self.chosen = min(self.chosen, len(d.sweep.steps) - 1)
        self.sweep_line.show_sweep(d.sweep, self.chosen, self.warnings)
        self._show_tray()
        self._show_others()
        self.menus.show_history(d.history.undo_name, d.history.redo_name)

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
        self._show_sweep()
        self._list_pictures()
        self._render()

    def choose(self, index: int, half: str = Half.WHAT) -> None:
        self.chosen, self.half = index, Half(half)
        self._show_sweep()
        if self.compared == BEFORE_STEP:
            self._render()

    def choose_measured(self) -> None:
        self.chosen = -1
        self._show_sweep()

    def _step(self, index: int) -> Any:
        d = self.document
        return d.sweep.steps[index] if d and 0 <= index < len(d.sweep.steps) else None

    def add_step(self, id: str) -> None:
        if self.document:
            sweep, self.chosen = self.document.sweep.added(make_step(id))
            self.half = Half.WHAT
            self.change(self.tr("add {0}").format(step_kind(id).name), sweep)

    def remove_step(self, index: int) -> None:
        if self.document and (step := self._step(index)):
            self.change(self.tr("remove {0}").format(step.name), self.document.sweep.removed(index))

    def duplicate_step(self, index: int) -> None:
        if self.document and (step := self._step(index)):
            steps = self.document.sweep.steps
            self.chosen = index + 1
            sweep = Sweep((*steps[: index + 1], step, *steps[index + 1 :]), self.document.sweep.extra)
            self.change(self.tr("duplicate {0}").format(step.name), sweep)

    def move_step(self, index: int, to: int) -> None:
        if self.document and (step := self._step(index)) and self._step(to):
            self.chosen = to
            self.change(self.tr("move {0}").format(step.name), self.document.sweep.moved(index, to))

    def toggle_step(self, index: int, on: bool) -> None:
        if self.document and (step := self._step(index)):
            word = self.tr("{0} on") if on else self.tr("{0} off")
            self.change(word.format(step.name), self.document.sweep.changed(index, on=on))

    def toggle_chosen(self) -> None:
        if isinstance(step := self._step(self.chosen), Step):
            self.toggle_step(self.chosen, not step.on)

    def set_value(self, name: str, value: float, ongoing: bool) -> None:
        """Set a parameter of the chosen step, its opacity, or (``strength``) both strengths of Noise."""
        d, step = self.document, self._step(self.chosen)
        if d is None or not isinstance(step, Step):
            return
        control = next((c for c in step.kind.controls() if c.name == name), None)
        label = control.label if control else self.tr("Strength") if name == "strength" else self.tr("Opacity")
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

    def set_blend(self, blend: str) -> None:
        if self.document and isinstance(step := self._step(self.chosen), Step):
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

    # -------------------------------------------------------------- comparing

    def _show_others(self) -> None:
        d = self.document
        if d is None:
            return
        self.compared = min(self.compared, 1 + len(d.kept))
        step = self._step(max(self.chosen, 0))
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

    def return_to_kept(self) -> None:
        """Make the kept state that is compared with the current one."""
        if self.document and self.compared >= 2:
            kept = self.document.kept[self.compared - 2]
            self.change(self.tr("return to {0}").format(kept.name), kept.sweep)

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

    _working_words = ""

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
            self._working_words = ""
            self._show_badge()
            self.bottom.state.setText(self.tr("judging …"))
            self._show_tray()

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
        if self.document and isinstance(self._step(index), Step):
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

    # -------------------------------------------------------------- saving, exporting

    def save(self) -> bool:
        """Save the sweep beside the picture; False when it could not be written."""
        if self.document is None:
            return True
        try:
            path = self.document.save()
        except DustpanError as error:
            self.tell(str(error))
            return False
        safety.forget(self.document)
        self._list_pictures()
        self.bottom.state.setText(self.tr("saved {0}").format(path.name))
        return True

    def export(self) -> None:
        if self.document:
            self.export_dialog = ExportDialog(self.document, self.service, self)
            self.export_dialog.open()

    _after_export: Callable[[str], None] | None = None

    def export_and_next(self) -> None:
        """Write the result beside the picture in its own format, then show the next picture."""
        if self.document:
            target = proposed_name(self.document.path)
            self._after_export = self._exported_before_next
            self.service.export(self.document, target, ExportOptions(), False)
            self.bottom.state.setText(self.tr("exporting {0} …").format(target.name))

    def _exported_before_next(self, path: str) -> None:
        self.show_next()
        self.bottom.state.setText(self.tr("written to {0}").format(Path(path).name))

    def hand_back(self) -> None:
        """Write the result to where the other program expects it, and close."""
        if self.document and self.hand_back_to is not None:
            self._after_export = self._handed_back
            self.service.export(self.document, self.hand_back_to, ExportOptions(), True)
            self.bottom.state.setText(self.tr("handing back …"))

    def _handed_back(self, path: str) -> None:
        self.handed_back = True
        for d in self.documents:
            d.history.mark_saved()
        self.close()

    def _exported(self, path: str) -> None:
        then, self._after_export = self._after_export, None
        if then:
            then(path)

    def _export_failed(self, why: str) -> None:
        if self._after_export:
            self._after_export = None
            self.tell(why)

    # -------------------------------------------------------------- preferences, safety

    def ask_preferences(self) -> None:
        self.preferences_dialog = dialog = PreferencesDialog(self.preferences, self)
        dialog.accepted.connect(lambda: self._take_preferences(dialog))
        dialog.open()

    def _take_preferences(self, dialog: PreferencesDialog) -> None:
        self.preferences = dialog.result_preferences
        self.service.cache.limit = self.preferences.memory_mb * 1_000_000
        self.service.threads = self.preferences.threads or None
        app = QApplication.instance()
        if isinstance(app, QApplication):
            apply_theme(app, self.preferences.theme)
        save_preferences(self.preferences)
        self.update()

    def _keep_safe(self) -> None:
        for d in self.documents:
            safety.keep(d)

    def offer_left_work(self) -> None:
        """Offer what a crash left."""
        left = safety.left_by_crashes()
        if left:
            names = ", ".join(sorted({w.picture.name for w in left}))
            text = self.tr("Dustpan ended unexpectedly; unsaved work on {0} was kept.").format(names)
            self.tell(text, self.tr("Bring it back"), lambda: self._bring_back(left))

    def _bring_back(self, left: list[safety.Left]) -> None:
        wanted = {w.picture: w for w in left}

        def restore(document: Document) -> None:
            found = wanted.pop(document.path, None)
            if found:
                document.history.change(self.tr("bring back unsaved work"), found.sweep)
                safety.keep(document)
                safety.drop(found.file)
                if document is self.document:
                    self._after_change()
                self._list_pictures()

        self.service.opened.connect(restore)
        for document in self.documents:
            restore(document)
        self.open_files(list(wanted))

    # -------------------------------------------------------------- closing

    def _ask_unsaved(self, document: Document) -> bool:
        """Ask about unsaved work; False means stay."""
        if not document.history.dirty:
            return True
        box = QMessageBox(self)
        box.setIcon(QMessageBox.Icon.Question)
        box.setText(self.tr("The sweep of {0} has not been saved.").format(document.name))
        box.setInformativeText(self.tr("Saving writes it beside the picture; the picture itself is never changed."))
        save = box.addButton(self.tr("Save"), QMessageBox.ButtonRole.AcceptRole)
        box.addButton(self.tr("Do not save"), QMessageBox.ButtonRole.DestructiveRole)
        stay = box.addButton(self.tr("Cancel"), QMessageBox.ButtonRole.RejectRole)
        box.setDefaultButton(save)
        box.setEscapeButton(stay)
        box.exec()
        if box.clickedButton() is stay:
            return False
        if box.clickedButton() is save:
            before, self.document = self.document, document
            saved = self.save()
            self.document = before
            return saved
        return True

    def close_document(self) -> None:
        d = self.document
        if d is None or not self._ask_unsaved(d):
            return
        self.documents.remove(d)
        self.service.cancel_rendering()
        safety.forget(d)
        d.close()
        self.document = None
        if self.documents:
            self.show_number(0)
        else:
            self._show_document()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if not all(self._ask_unsaved(d) for d in self.documents):
            event.ignore()
            return
        app = QApplication.instance()
        if app is not None:
            app.removeEventFilter(self)
        self._safety.stop()
        self.service.stop()
        for d in self.documents:
            safety.forget(d)
            d.close()
        self.preferences.maximised = self.isMaximized()
        if not self.isMaximized():
            self.preferences.window_size = (self.width(), self.height())
        self.preferences.tray_folded = self.tray.isHidden()
        save_preferences(self.preferences)
        event.accept()

    # -------------------------------------------------------------- drops

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        data = event.mimeData()
        if data is not None and any(u.isLocalFile() for u in data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        data = event.mimeData()
        if data is not None:
            self.open_files([Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()])
            event.acceptProposedAction()


def when_ready(window: Window, then: Callable[[], None], every_ms: int = 100) -> None:
    """Call ``then`` once nothing is being opened, rendered or judged any more."""
    timer = QTimer(window)

    def look() -> None:
        if not window.busy:
            timer.stop()
            then()

    timer.timeout.connect(look)
    timer.start(every_ms)
