"""The bench: the main view of the window, composed of its widgets and of what each group of them does."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QAbstractSpinBox, QApplication, QLineEdit, QWidget

from dustpan.core.open.document import Document
from dustpan.core.open.facts import exposure_of
from dustpan.ui.actions import Action, Links
from dustpan.ui.bench.asides import Asides
from dustpan.ui.bench.canvas import Canvas
from dustpan.ui.bench.compare import Compare
from dustpan.ui.bench.editing import Editing
from dustpan.ui.bench.finding import Finding
from dustpan.ui.bench.go_to import GoTo
from dustpan.ui.bench.looking import Looking
from dustpan.ui.bench.masking import Masking
from dustpan.ui.bench.parts import BenchParts
from dustpan.ui.bench.showing import Showing
from dustpan.ui.bench.state import BenchState
from dustpan.ui.bench.suggesting import Suggesting
from dustpan.ui.bench.watching import Watching
from dustpan.ui.jobs import Jobs

HOLD_KEY, INSPECT_KEY, MASK_KEY, PAN_KEY = Qt.Key.Key_C, Qt.Key.Key_I, Qt.Key.Key_V, Qt.Key.Key_Space


class Bench(BenchParts):
    """Shows one picture.

    Parameters
    ----------
    parent : the window. state : what is shown; it outlives the widgets. jobs : the background work.
    canvas : that of the bench before this one, whose zoom and view stay.
    """

    def __init__(self, parent: QWidget, state: BenchState, jobs: Jobs, canvas: Canvas | None = None) -> None:
        super().__init__(parent, canvas)
        self.state, self.jobs, self._links = state, jobs, Links()
        self.showing = Showing(self, state, jobs, self._links)
        self.compare = Compare(self.showing, self._links)
        self.looking = Looking(self.showing, self._links)
        self.watching = Watching(self.showing, self._links)
        self.editing = Editing(self.showing, self.compare, self.looking, self._links)
        self.suggesting = Suggesting(self.showing, self.editing, self._links)
        self.asides = Asides(self.showing, self.editing)
        self.finding = Finding(self.showing, self.editing, self._links)
        self.masking = Masking(self.showing, self.editing, self.looking, self._links)
        self.go_to = GoTo(self.showing, self._links)
        self.showing.told.connect(self.notice.tell)

    def let_go(self) -> None:
        """Wait for nothing any more: what was asked for arrives at nobody."""
        self._links.cut()

    # -------------------------------------------------------------- as a view of the window

    @property
    def widget(self) -> QWidget:
        return self

    @property
    def title(self) -> str:
        return ""

    def enter(self, what: object = None) -> None:
        self.canvas.setFocus()

    def may_leave(self) -> bool:
        return True

    def stop(self) -> None:
        self.let_go()

    def rebuilt(self) -> Bench:
        """Its widgets anew around the same canvas; work, view and choices stay."""
        fresh = Bench(self.window() or self, self.state, self.jobs, self.canvas)
        fresh.notice.go_on_from(self.notice)
        fresh.compare.set_view(self.canvas.view.value)
        fresh.probes_tool.shown, fresh.line_tool.line = self.probes_tool.shown, self.line_tool.line
        fresh.tray.setVisible(not self.tray.isHidden())
        fresh.show_all()
        return fresh

    def retire(self) -> None:
        self.let_go()
        self.palette_.deleteLater()
        self.deleteLater()

    # -------------------------------------------------------------- which picture

    def show_document(self, document: Document | None) -> None:
        """Put another picture on the canvas, seen whole, and everything about it around it."""
        self.state.show(document)
        self.line_tool.line = None
        if document is None:
            self.canvas.show_displays(None, None, (1, 1))
        else:
            self.canvas.show_displays(document.before, document.after, document.picture.size)
        self.show_all()

    def show_all(self) -> None:
        """Show everything about the picture."""
        d = self.state.document
        self.pages.setCurrentIndex(1 if d else 0)
        self.top.set_enabled(d is not None)
        self.sweep_line.add_button.setEnabled(d is not None)
        self.sweep_line.measured.setEnabled(d is not None)
        self.bottom.facts.setText(exposure_of(d.picture) if d else "")
        self.bottom.show_verdict(d.verdict if d and d.judged == d.sweep else None)
        self.watching.show_probes()
        self.editing.show_print()
        self.editing.show_sweep()
        self.looking.show_look()
        self.showing.show_zoom()
        if d is None:
            self.bottom.state.setText("")
            self.bottom.pixel.setText("")
            self.showing.set_rendering(False)
        else:
            d.probes_seen = None
            self.showing.render()

    def fold_tray(self) -> None:
        self.tray.setVisible(self.tray.isHidden())

    # -------------------------------------------------------------- actions and held keys

    def all_actions(self) -> list[Action]:
        """All that can be done here."""
        tr, canvas = self.tr, self.canvas
        view = [
            Action("fit", "view", tr("Fit"), "F", canvas.fit),
            Action("zoom-1", "view", tr("100 %"), "1", lambda: canvas.set_zoom(1.0)),
            Action("zoom-2", "view", tr("200 %"), "2", lambda: canvas.set_zoom(2.0)),
            Action("zoom-4", "view", tr("400 %"), "4", lambda: canvas.set_zoom(4.0)),
            Action("closer", "view", tr("Closer"), "+", lambda: canvas.step_zoom(1)),
            Action("farther", "view", tr("Farther"), "-", lambda: canvas.step_zoom(-1)),
            *self.watching.actions(),
            Action("fold-tray", "view", tr("Fold the tray"), "T", self.fold_tray, apart=True),
        ]
        return [
            *self.editing.history_actions(),
            *view,
            *self.compare.actions(),
            self.editing.return_action(),
            *self.looking.actions(),
            *self.editing.adding_actions(),
            *self.suggesting.actions(),
            *self.editing.actions(),
            *self.finding.actions(),
            *self.masking.actions(),
        ]

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Holding C shows the other side, I the palette, V the mask or what a step works with; Space pans."""
        if isinstance(event, QKeyEvent) and not event.modifiers() and self._keys_are_free():
            press, release = event.type() == QEvent.Type.KeyPress, event.type() == QEvent.Type.KeyRelease
            if event.key() == HOLD_KEY and (press or release):
                if not event.isAutoRepeat():
                    self.compare.hold(press)
                return True
            if event.key() == INSPECT_KEY and (press or release) and self.state.document:
                if not event.isAutoRepeat():
                    self.looking.open_palette() if press else self.palette_.hide()
                return True
            if event.key() == MASK_KEY and (press or release):
                if not event.isAutoRepeat():
                    (self.asides if self.asides.aside else self.masking).hold(press)
                return True
            if event.key() == PAN_KEY and (press or release) and self.brush_tool.armed and self.canvas.underMouse():
                self.canvas.panning = press
                return True
            if press and self.palette_.isVisible():
                kind = self.palette_.look_of_key(event.key())
                if kind is not None:
                    self.looking.inspect(kind)
                    return True
        return super().eventFilter(watched, event)

    def _keys_are_free(self) -> bool:
        """Whether a letter is a command here: no dialog is open, no text is being typed (numbers hold no letters)."""
        at = QApplication.focusWidget()
        typing = isinstance(at, QLineEdit) and not isinstance(at.parent(), QAbstractSpinBox)
        window = self.window()
        active = window is not None and window.isActiveWindow()
        return self.isVisible() and active and QApplication.activeModalWidget() is None and not typing
