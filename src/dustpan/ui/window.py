"""The main window: puts canvas, sweep line, tray and panels together and passes wishes on."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer
from PyQt6.QtGui import (
    QAction,
    QActionGroup,
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QKeySequence,
)
from PyQt6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMainWindow,
    QMessageBox,
    QProgressBar,
    QPushButton,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.blend import Blend
from dustpan.core.errors import DustpanError
from dustpan.core.files import FORMATS
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.region import Region
from dustpan.core.step import step_kind
from dustpan.core.sweep import Step, Sweep, make_step
from dustpan.core.verdict import Verdict
from dustpan.ui.canvas import Canvas, View
from dustpan.ui.document import Document
from dustpan.ui.export_dialog import ExportDialog
from dustpan.ui.print_panel import PrintPanel
from dustpan.ui.service import Service
from dustpan.ui.sweep_line import SweepLine
from dustpan.ui.tray import Tray

HOLD_KEY = Qt.Key.Key_C


class Window(QMainWindow):
    """Dustpan's window. ``documents`` are the open pictures, ``document`` the one on the canvas."""

    def __init__(self) -> None:
        super().__init__()
        self.service = Service()
        self.documents: list[Document] = []
        self.document: Document | None = None
        self.chosen = 0
        self.generation = 0
        self._opening = 0
        self.setWindowTitle("Dustpan")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self._build()
        self._build_menus()
        self._connect()
        self._show_document()
        app = QApplication.instance()
        assert app is not None
        app.installEventFilter(self)

    # -------------------------------------------------------------- parts

    def _build(self) -> None:
        self.canvas = Canvas()
        self.sweep_line = SweepLine()
        self.tray = Tray()
        self.panel = PrintPanel()
        self.pages = QStackedWidget()
        self.pages.addWidget(self._empty_page())
        self.pages.addWidget(self.canvas)
        right = QVBoxLayout()
        right.setContentsMargins(0, 0, 0, 0)
        right.setSpacing(0)
        right.addWidget(self._notice_bar())
        right.addWidget(self.pages, 1)
        right.addWidget(self.sweep_line)
        right.addWidget(self.tray)
        middle = QHBoxLayout()
        middle.setContentsMargins(0, 0, 0, 0)
        middle.setSpacing(0)
        middle.addWidget(self.panel)
        middle.addLayout(right, 1)
        whole = QVBoxLayout()
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self._top_bar())
        whole.addLayout(middle, 1)
        whole.addWidget(self._bottom_line())
        holder = QWidget()
        holder.setLayout(whole)
        self.setCentralWidget(holder)

    def _top_bar(self) -> QWidget:
        bar = QWidget()
        bar.setObjectName("strip")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        bar.setFixedHeight(36)
        row = QHBoxLayout(bar)
        row.setContentsMargins(10, 3, 10, 3)
        row.setSpacing(6)
        self.pictures = QComboBox()
        self.pictures.setMinimumWidth(210)
        self.pictures.setToolTip(self.tr("The open pictures; a dot marks unsaved work"))
        self.pictures.setAccessibleName(self.tr("Open pictures"))
        self.export_button = QPushButton(self.tr("Export …"))
        self.export_button.setToolTip(self.tr("Write the result to a new file"))
        self.single_button, self.divider_button = (QPushButton(t) for t in (self.tr("Single"), self.tr("Divider")))
        self.single_button.setToolTip(self.tr("Show the result alone"))
        self.divider_button.setToolTip(self.tr("Show the original on the left of a line that can be dragged"))
        for b in (self.single_button, self.divider_button):
            b.setCheckable(True)
            b.setAutoExclusive(True)
        self.single_button.setChecked(True)
        self.hold_button = QPushButton(self.tr("Hold for original"))
        self.hold_button.setToolTip(self.tr("Shows the original as long as it is pressed (C)"))
        self.zoom_box = QComboBox()
        self.zoom_box.setMinimumWidth(92)
        self.zoom_box.setToolTip(self.tr("Zoom; 100 % shows one picture pixel on one screen pixel"))
        self.zoom_box.setAccessibleName(self.tr("Zoom"))
        self.zoom_box.addItem(self.tr("Fit"), 0.0)
        for z in (0.25, 0.5, 1.0, 2.0, 4.0, 8.0):
            self.zoom_box.addItem(f"{z:.0%}".replace("%", " %"), z)
        row.addWidget(self.pictures)
        row.addWidget(self.export_button)
        row.addStretch(1)
        row.addWidget(QLabel(self.tr("Compare")))
        row.addWidget(self.single_button)
        row.addWidget(self.divider_button)
        row.addWidget(self.hold_button)
        row.addStretch(1)
        row.addWidget(self.zoom_box)
        return bar

    def _notice_bar(self) -> QWidget:
        self.notice = QFrame()
        self.notice.setObjectName("notice")
        self.notice_text = QLabel()
        self.notice_text.setWordWrap(True)
        close = QToolButton()
        close.setText("×")
        close.setAccessibleName(self.tr("Dismiss"))
        close.clicked.connect(self.notice.hide)
        row = QHBoxLayout(self.notice)
        row.setContentsMargins(10, 4, 6, 4)
        row.addWidget(self.notice_text, 1)
        row.addWidget(close)
        self.notice.hide()
        return self.notice

    def _empty_page(self) -> QWidget:
        page = QWidget()
        title = QLabel(self.tr("Open a picture to measure its noise"))
        title.setStyleSheet("font-size: 18px; font-weight: 600;")
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

    def _bottom_line(self) -> QWidget:
        bar = QWidget()
        bar.setObjectName("strip")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        bar.setFixedHeight(24)
        self.verdict_text = QLabel()
        self.verdict_text.setToolTip(
            self.tr(
                "The verdict, measured on the result: noise left in flat parts, texture kept,\n"
                "height of halos, and the width of the strongest edges before and after"
            )
        )
        self.state_text = QLabel()
        self.state_text.setObjectName("faint")
        self.progress = QProgressBar()
        self.progress.setFixedSize(120, 6)
        self.progress.setTextVisible(False)
        row = QHBoxLayout(bar)
        row.setContentsMargins(10, 0, 10, 0)
        row.addWidget(self.verdict_text, 1)
        row.addWidget(self.state_text)
        row.addWidget(self.progress)
        return bar

    def _action(self, text: str, keys: str, slot: Any, tip: str = "") -> QAction:
        action = QAction(text, self)
        if keys:
            action.setShortcut(QKeySequence(keys))
        action.setStatusTip(tip)
        action.triggered.connect(lambda _=False: slot())
        return action

    def _build_menus(self) -> None:
        bar = self.menuBar()
        assert bar is not None
        tr = self.tr
        self.undo_action = self._action(tr("Undo"), "Ctrl+Z", self.undo)
        self.redo_action = self._action(tr("Redo"), "Ctrl+Shift+Z", self.redo)
        self.save_action = self._action(tr("Save sweep"), "Ctrl+S", self.save)
        self.export_action = self._action(tr("Export …"), "Ctrl+E", self.export)
        menus: list[tuple[str, list[QAction | None]]] = [
            (tr("&File"), [
                self._action(tr("Open …"), "Ctrl+O", self.ask_open),
                self._action(tr("Open the demo pictures"), "", self.open_demo),
                None,
                self.save_action,
                self.export_action,
                None,
                self._action(tr("Close picture"), "Ctrl+W", self.close_document),
                self._action(tr("Quit"), "Ctrl+Q", self.close),
            ]),
            (tr("&Edit"), [self.undo_action, self.redo_action]),
            (tr("&View"), [
                self._action(tr("Fit"), "F", self.canvas.fit),
                self._action("100 %", "1", lambda: self.canvas.set_zoom(1.0)),
                self._action("200 %", "2", lambda: self.canvas.set_zoom(2.0)),
                self._action("400 %", "4", lambda: self.canvas.set_zoom(4.0)),
                self._action(tr("Closer"), "+", lambda: self.canvas.step_zoom(1)),
                self._action(tr("Farther"), "-", lambda: self.canvas.step_zoom(-1)),
                None,
                self._action(tr("Single"), "S", lambda: self.set_view(View.SINGLE)),
                self._action(tr("Divider"), "D", lambda: self.set_view(View.DIVIDER)),
                None,
                self._action(tr("Fold the tray"), "T", self.fold_tray),
            ]),
        ]  # fmt: skip
        for title, actions in menus:
            menu = bar.addMenu(title)
            assert menu is not None
            for a in actions:
                if a is None:
                    menu.addSeparator()
                else:
                    menu.addAction(a)
        step_menu = bar.addMenu(tr("&Step"))
        assert step_menu is not None
        for n, a in enumerate(self.sweep_line.add_menu.actions(), 1):
            add = self._action(tr("Add {0}").format(a.text()), f"Alt+{n}", a.trigger)
            step_menu.addAction(add)
        step_menu.addSeparator()
        step_menu.addAction(self._action(tr("Off or on"), "O", self.toggle_chosen))
        step_menu.addAction(
            self._action(tr("Earlier"), "Ctrl+Left", lambda: self.move_step(self.chosen, self.chosen - 1))
        )
        step_menu.addAction(
            self._action(tr("Later"), "Ctrl+Right", lambda: self.move_step(self.chosen, self.chosen + 1))
        )
        step_menu.addAction(self._action(tr("Remove"), "Ctrl+Backspace", lambda: self.remove_step(self.chosen)))
        picture_menu = bar.addMenu(tr("&Pictures"))
        assert picture_menu is not None
        self.picture_menu = picture_menu
        self.picture_group = QActionGroup(self)

    def _connect(self) -> None:
        s = self.service
        s.opened.connect(self._opened)
        s.open_failed.connect(self._open_failed)
        s.demo_ready.connect(self._demo_ready)
        s.measured.connect(self._measured)
        s.tile_ready.connect(self._tile_ready)
        s.progressed.connect(self._progressed)
        s.rendered.connect(self._rendered)
        s.judged.connect(self._judged)
        s.failed.connect(self._failed)
        self.canvas.zoomed.connect(self._zoomed)
        self.canvas.view_moved.connect(self._view_moved)
        self.zoom_box.activated.connect(self._zoom_chosen)
        self.single_button.clicked.connect(lambda: self.set_view(View.SINGLE))
        self.divider_button.clicked.connect(lambda: self.set_view(View.DIVIDER))
        self.hold_button.pressed.connect(lambda: self.canvas.hold(True))
        self.hold_button.released.connect(lambda: self.canvas.hold(False))
        self.export_button.clicked.connect(self.export)
        self.empty_open.clicked.connect(self.ask_open)
        self.empty_demo.clicked.connect(self.open_demo)
        self.pictures.activated.connect(self.show_number)
        line = self.sweep_line
        line.chosen.connect(self.choose)
        line.toggled.connect(self.toggle_step)
        line.remove_wanted.connect(self.remove_step)
        line.move_wanted.connect(self.move_step)
        line.add_wanted.connect(self.add_step)
        self.tray.changed.connect(self.set_value)
        self.tray.blend_changed.connect(self.set_blend)

    # -------------------------------------------------------------- opening and showing

    def ask_open(self) -> None:
        patterns = " ".join(f"*{s}" for f in FORMATS.filled().values() for s in f.suffixes)
        files, _ = QFileDialog.getOpenFileNames(
            self, self.tr("Open pictures"), "", self.tr("Pictures ({0})").format(patterns)
        )
        self.open_files([Path(f) for f in files])

    def open_demo(self) -> None:
        self._opening += 1
        self.state_text.setText(self.tr("Making the demo pictures, once; half a minute …"))
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
            self.state_text.setText(self.tr("Opening {0} …").format(path.name))
            self.service.open(path)

    def _opened(self, document: Document) -> None:
        self._opening -= 1
        self.documents.append(document)
        if document.warnings:
            self.tell(" ".join(document.warnings))
        if self.document is None:
            self.show_number(len(self.documents) - 1)
        else:
            self._list_pictures()

    def _open_failed(self, why: str) -> None:
        self._opening -= 1
        self.state_text.setText("")
        self.tell(why)

    def tell(self, text: str) -> None:
        """Show a sentence above the picture until it is dismissed."""
        self.notice_text.setText(text)
        self.notice.show()

    def show_number(self, number: int) -> None:
        if 0 <= number < len(self.documents):
            self.document = self.documents[number]
            self.chosen = 0
            self._show_document()

    def _show_document(self) -> None:
        d = self.document
        self.pages.setCurrentIndex(1 if d else 0)
        for w in (self.export_button, self.single_button, self.divider_button, self.hold_button, self.zoom_box,
                  self.sweep_line.add_button, self.export_action, self.save_action):  # fmt: skip
            w.setEnabled(d is not None)
        if d is None:
            self.canvas.show_displays(None, None, (1, 1))
            self.panel.show_picture("", "", None)
            self.sweep_line.show_sweep(Sweep(), 0)
            self.sweep_line.measured.setText("")
            self.tray.show_step(None)
            self.verdict_text.setText("")
            self.progress.hide()
            self.state_text.setText("")
        else:
            self.canvas.show_displays(d.before, d.after, d.picture.size)
            self._show_print()
            self._show_sweep()
            self._render()
        self._list_pictures()

    def _list_pictures(self) -> None:
        self.pictures.clear()
        self.picture_menu.clear()
        for i, d in enumerate(self.documents):
            name = ("• " if d.history.dirty else "") + d.name
            self.pictures.addItem(name)
            action = self._action(name, f"Ctrl+{i + 1}" if i < 9 else "", lambda i=i: self.show_number(i))
            self.picture_menu.addAction(action)
        self.pictures.setEnabled(bool(self.documents))
        if self.document:
            self.pictures.setCurrentIndex(self.documents.index(self.document))
            mark = "• " if self.document.history.dirty else ""
            self.setWindowTitle(f"{mark}{self.document.name} – Dustpan")
        else:
            self.setWindowTitle("Dustpan")

    def _show_print(self) -> None:
        d = self.document
        if d is None:
            return
        self.panel.show_picture(d.name, d.facts(), d.noise_print)
        found = d.noise_print
        text = self.tr("measuring …") if found is None else self.tr("σ {0:.1f}/255 ▸").format(255 * found.strength)
        self.sweep_line.measured.setText(text)

    # -------------------------------------------------------------- the sweep

    def _show_sweep(self) -> None:
        d = self.document
        if d is None:
            return
        self.chosen = max(0, min(self.chosen, len(d.sweep.steps) - 1))
        self.sweep_line.show_sweep(d.sweep, self.chosen)
        self.tray.show_step(d.sweep.steps[self.chosen] if d.sweep.steps else None)
        undo, redo = d.history.undo_name, d.history.redo_name
        self.undo_action.setText(self.tr("Undo {0}").format(undo) if undo else self.tr("Undo"))
        self.redo_action.setText(self.tr("Redo {0}").format(redo) if redo else self.tr("Redo"))
        self.undo_action.setEnabled(bool(undo))
        self.redo_action.setEnabled(bool(redo))

    def change(self, name: str, sweep: Sweep, ongoing: bool = False) -> None:
        """Make a change of the current sweep: remembered by name, shown, rendered."""
        d = self.document
        if d is None or sweep == d.sweep:
            return
        d.history.change(name, sweep, ongoing)
        self._show_sweep()
        self._list_pictures()
        self._render()

    def choose(self, index: int) -> None:
        self.chosen = index
        self._show_sweep()

    def add_step(self, id: str) -> None:
        if self.document:
            sweep, self.chosen = self.document.sweep.added(make_step(id))
            self.change(self.tr("add {0}").format(step_kind(id).name), sweep)

    def remove_step(self, index: int) -> None:
        if self.document and 0 <= index < len(self.document.sweep.steps):
            name = self.document.sweep.steps[index].name
            self.change(self.tr("remove {0}").format(name), self.document.sweep.removed(index))

    def move_step(self, index: int, to: int) -> None:
        if self.document and 0 <= index < len(self.document.sweep.steps) and 0 <= to < len(self.document.sweep.steps):
            name = self.document.sweep.steps[index].name
            self.chosen = to
            self.change(self.tr("move {0}").format(name), self.document.sweep.moved(index, to))

    def toggle_step(self, index: int, on: bool) -> None:
        if self.document:
            name = self.document.sweep.steps[index].name
            word = self.tr("{0} on") if on else self.tr("{0} off")
            self.change(word.format(name), self.document.sweep.changed(index, on=on))

    def toggle_chosen(self) -> None:
        if self.document and self.document.sweep.steps:
            step = self.document.sweep.steps[self.chosen]
            if isinstance(step, Step):
                self.toggle_step(self.chosen, not step.on)

    def set_value(self, name: str, value: float, ongoing: bool) -> None:
        d = self.document
        if d is None or not d.sweep.steps:
            return
        step = d.sweep.steps[self.chosen]
        if not isinstance(step, Step):
            return
        label = next((c.label for c in step.kind.controls() if c.name == name), self.tr("Opacity"))
        if name == "opacity":
            sweep = d.sweep.changed(self.chosen, opacity=value / 100)
        else:
            sweep = d.sweep.changed(self.chosen, params=step.params.model_copy(update={name: value}))
        self.change(f"{step.name}: {label}", sweep, ongoing)
        if not ongoing:
            d.history.settle()

    def set_blend(self, blend: str) -> None:
        if self.document and self.document.sweep.steps:
            step = self.document.sweep.steps[self.chosen]
            self.change(
                f"{step.name}: {self.tr('Blend')}",
                self.document.sweep.changed(self.chosen, blend=Blend(blend)),
            )

    def undo(self) -> None:
        if self.document and self.document.history.undo_name:
            self.document.history.undo()
            self._after_history()

    def redo(self) -> None:
        if self.document and self.document.history.redo_name:
            self.document.history.redo()
            self._after_history()

    def _after_history(self) -> None:
        self._show_sweep()
        self._list_pictures()
        self._render()

    # -------------------------------------------------------------- rendering

    def _render(self) -> None:
        if self.document:
            self._view_moved()
            self.canvas.set_badge(self.tr("Working …"))
            self.progress.setRange(0, 0)
            self.progress.show()
            self.generation = self.service.render(self.document, self.document.sweep)

    def _current(self, document: Document, generation: int) -> bool:
        return document is self.document and generation == self.generation

    def _measured(self, document: Document, found: NoisePrint) -> None:
        if document is self.document:
            self._show_print()

    def _tile_ready(self, document: Document, generation: int, region: Region, words: Any) -> None:
        if self._current(document, generation):
            document.after.put(region, words)
            self.canvas.update()

    def _progressed(self, document: Document, generation: int, done: int, total: int) -> None:
        if self._current(document, generation):
            self.progress.setRange(0, total)
            self.progress.setValue(done)
            self.state_text.setText(self.tr("{0} of {1} tiles exact").format(done, total))

    def _rendered(self, document: Document, generation: int) -> None:
        if self._current(document, generation):
            document.shown = document.sweep
            self.canvas.set_badge("")
            self.state_text.setText(self.tr("judging …"))

    def _judged(self, document: Document, generation: int, found: Verdict) -> None:
        if self._current(document, generation):
            document.verdict = found
            self.verdict_text.setText(found.sentence())
            self.progress.hide()
            self.state_text.setText(self.tr("exact"))

    def _failed(self, document: Document, generation: int, why: str) -> None:
        if self._current(document, generation):
            self.canvas.set_badge("")
            self.progress.hide()
            self.state_text.setText("")
            self.tell(why)

    @property
    def busy(self) -> bool:
        """Whether something is still being opened, rendered or judged."""
        return self._opening > 0 or (self.document is not None and not self.progress.isHidden())

    # -------------------------------------------------------------- view

    def set_view(self, view: View) -> None:
        self.canvas.set_view(view)
        (self.divider_button if view is View.DIVIDER else self.single_button).setChecked(True)

    def fold_tray(self) -> None:
        self.tray.setVisible(self.tray.isHidden())

    def _zoomed(self, zoom: float) -> None:
        self.zoom_box.setItemText(0, self.tr("Fit ({0:.0f} %)").format(100 * self.canvas.fit_zoom()))
        at = 0 if self.canvas.fitting else self.zoom_box.findData(zoom)
        if at < 0:
            at = self.zoom_box.findData(-1.0)
            if at < 0:
                self.zoom_box.addItem("", -1.0)
                at = self.zoom_box.count() - 1
            self.zoom_box.setItemText(at, f"{100 * zoom:.0f} %")
        self.zoom_box.setCurrentIndex(at)

    def _zoom_chosen(self, index: int) -> None:
        zoom = self.zoom_box.itemData(index)
        if zoom == 0:
            self.canvas.fit()
        elif zoom > 0:
            self.canvas.set_zoom(zoom)

    def _view_moved(self) -> None:
        self.service.visible = self.canvas.visible_region()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Holding C anywhere in the window shows the original, except where text is typed."""
        if isinstance(event, QKeyEvent) and event.key() == HOLD_KEY and not event.modifiers() and self._hold_is_free():
            if event.type() == QEvent.Type.KeyPress:
                if not event.isAutoRepeat():
                    self.canvas.hold(True)
                return True
            if event.type() == QEvent.Type.KeyRelease:
                if not event.isAutoRepeat():
                    self.canvas.hold(False)
                return True
        return super().eventFilter(watched, event)

    def _hold_is_free(self) -> bool:
        """Whether a letter means holding: no dialog is open and no text is being typed (numbers hold no letters)."""
        at = QApplication.focusWidget()
        typing = isinstance(at, QLineEdit) and not isinstance(at.parent(), QAbstractSpinBox)
        return self.isActiveWindow() and QApplication.activeModalWidget() is None and not typing

    # -------------------------------------------------------------- saving, exporting, closing

    def save(self) -> bool:
        """Save the sweep beside the picture; False when it could not be written."""
        if self.document is None:
            return True
        try:
            path = self.document.save()
        except DustpanError as error:
            self.tell(str(error))
            return False
        self._list_pictures()
        self.state_text.setText(self.tr("saved {0}").format(path.name))
        return True

    def export(self) -> None:
        if self.document:
            self.export_dialog = ExportDialog(self.document, self.service, self)
            self.export_dialog.open()

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
        d.close()
        self.document = self.documents[0] if self.documents else None
        self._show_document()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if not all(self._ask_unsaved(d) for d in self.documents):
            event.ignore()
            return
        app = QApplication.instance()
        if app is not None:
            app.removeEventFilter(self)
        self.service.stop()
        for d in self.documents:
            d.close()
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


def when_ready(window: Window, then: Any, every_ms: int = 100) -> None:
    """Call ``then`` once nothing is being opened, rendered or judged any more."""
    timer = QTimer(window)

    def look() -> None:
        if not window.busy:
            timer.stop()
            then()

    timer.timeout.connect(look)
    timer.start(every_ms)
