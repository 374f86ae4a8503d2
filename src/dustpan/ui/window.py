"""Dustpan's window: composed of the bench, the files and the exports; preferences, menus, closing."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QApplication, QMainWindow

from dustpan.core.files import ExportOptions
from dustpan.core.jobs.events import Compiling
from dustpan.core.jobs.one import Outcome
from dustpan.core.jobs.plan import name_written
from dustpan.core.open.document import Document
from dustpan.core.recipes.recipe import Recipe
from dustpan.core.recipes.shelf import Shelf
from dustpan.core.sweep import Sweep
from dustpan.core.text import name_of
from dustpan.ui import safety
from dustpan.ui.actions import Action, connect
from dustpan.ui.bench.bench import Bench
from dustpan.ui.bench.state import BenchState
from dustpan.ui.dialogs.export import ExportDialog
from dustpan.ui.dialogs.help import HelpWindow
from dustpan.ui.dialogs.key_sheet import KeySheet
from dustpan.ui.dialogs.pictures import PicturesPopup
from dustpan.ui.dialogs.preferences import PreferencesDialog, load_preferences, save_preferences
from dustpan.ui.drops import dropped
from dustpan.ui.exports import Exports, may_write, proposed_name, was_written
from dustpan.ui.files import Files
from dustpan.ui.jobs import Jobs
from dustpan.ui.look.theme import apply_theme
from dustpan.ui.menus import Menus
from dustpan.ui.translator import apply_language
from dustpan.ui.view import KEEP, Seat
from dustpan.ui.views.all import VIEWS
from dustpan.ui.views.area import Area


class Window(QMainWindow):
    """The whole window.

    Parameters
    ----------
    hand_back : where the result goes when another program handed the picture over, or the folder of several; None
        otherwise.
    """

    closed = pyqtSignal()

    def __init__(self, hand_back: Path | None = None) -> None:
        super().__init__()
        self.preferences = load_preferences()
        self.jobs = Jobs(self.preferences.threads or None, self.preferences.memory_mb * 1_000_000)
        self.files = Files(self, self.jobs, lambda: self.preferences)
        self.exports = Exports(self, self.jobs)
        self.state = BenchState()
        self.hand_back_to, self.handed_back = hand_back, False
        self.shelf = Shelf()
        self._batched = ""  # how far a batch is, before the title
        self.setWindowTitle("Dustpan")
        self.setAcceptDrops(True)
        seat = Seat(
            self, self.state, self.jobs, self.shelf, lambda: self.files.documents, self.open_files, self.show_view,
            self.use_recipe, self._show_progress,
        )  # fmt: skip
        self.area = Area(seat, VIEWS)
        self.setCentralWidget(self.area)
        self._build()
        connect([
            (self.files.shown, lambda document: self.bench.show_document(document)),
            (self.files.listed, self._list_pictures), (self.files.told, lambda text: self.bench.notice.tell(text)),
            (self.files.working, lambda text: self.bench.bottom.state.setText(text)),
            (self.files.first_opened, self._teach), (self.area.changed, self._view_changed),
        ])  # fmt: skip
        self.jobs.hear(Compiling, self._show_compiling)
        self.bench.show_document(None)
        self.resize(*self.preferences.window_size)
        if self.preferences.maximised:
            self.setWindowState(Qt.WindowState.WindowMaximized)
        self.bench.tray.setVisible(not self.preferences.tray_folded)
        self._safety = QTimer(self)
        self._safety.timeout.connect(self.files.keep_safe)
        self._safety.start(safety.EVERY_MS)

    def _show_compiling(self, event: Compiling) -> None:
        self.bench.bottom.show_compiling(event.name)

    @property
    def bench(self) -> Bench:
        """The view that is there from the beginning."""
        bench = self.area.made["bench"]
        assert isinstance(bench, Bench)
        return bench

    @property
    def document(self) -> Document | None:
        """The picture that is shown."""
        return self.state.document

    @property
    def busy(self) -> bool:
        """Whether something is still being opened, rendered or judged."""
        return self.files.opening > 0 or (self.state.document is not None and self.state.rendering)

    # -------------------------------------------------------------- building

    def _build(self) -> None:
        """Make the menus and the popup, and connect the bench."""
        bench = self.bench
        self.popup = PicturesPopup(self)
        self.menus = Menus(self, self._all_actions(), lambda path: self.open_files([path]), self.show_number)
        self.menus.show_recent(self.preferences.recent)
        bench.top.hand_back.setVisible(self.hand_back_to is not None)
        connect([
            (bench.top.pictures.clicked, self.show_pictures), (bench.top.export.clicked, self.export),
            (bench.top.next.clicked, self.export_and_next), (bench.top.hand_back.clicked, self.hand_back),
            (bench.empty_open.clicked, self.ask_open), (bench.empty_demo.clicked, self.files.open_demo),
            (self.popup.show_wanted, self.files.show_number), (self.popup.give_wanted, self._give_sweep),
            (bench.editing.work_changed, self._list_pictures), (bench.editing.sweep_shown, self._show_history),
        ])  # fmt: skip
        app = QApplication.instance()
        assert app is not None
        app.installEventFilter(bench)

    def rebuild(self) -> None:
        """Make the widgets anew, for another language or theme; work, view and choices stay."""
        app = QApplication.instance()
        if app is not None:
            app.removeEventFilter(self.bench)
        self.menus.close()
        self.popup.deleteLater()
        self.area.rebuild()
        self._build()
        self._list_pictures()

    def _all_actions(self) -> list[Action]:
        tr, files = self.tr, self.files
        return [
            Action("open", "file", tr("Open …"), "Ctrl+O", self.ask_open, "open", always=True),
            Action("demo", "file", tr("Open the demo pictures"), "Ctrl+Shift+O", self.open_demo, always=True),
            Action("opened-as", "file", tr("Opened as …"), "Ctrl+Alt+O", files.ask_opened_as),
            Action("save", "file", tr("Save sweep"), "Ctrl+S", files.save, "save", apart=True),
            Action("export", "file", tr("Export …"), "Ctrl+E", self.export, "export"),
            Action("export-next", "file", tr("Export and next"), "Ctrl+Shift+E", self.export_and_next, "next"),
            Action("close", "file", tr("Close picture"), "Ctrl+W", files.close_current),
            Action("preferences", "file", tr("Preferences …"), "Ctrl+,", self.ask_preferences, "preferences",
                   always=True, apart=True),
            Action("quit", "file", tr("Quit"), "Ctrl+Q", self.close, always=True),
            *(replace(action, only="bench") for action in self.bench.all_actions()),
            *(Action(f"view-{k.id}", "pictures", tr(k.name), k.keys, partial(self.show_view, k.id), k.icon, True)
              for k in VIEWS),
            Action("keep-recipe", "pictures", tr("Keep this sweep as a recipe"), "Shift+R", self.keep_recipe),
            Action("next-picture", "pictures", tr("Next picture"), "PgDown", files.show_next, apart=True,
                   only="bench"),
            Action("previous-picture", "pictures", tr("Previous picture"), "PgUp", lambda: files.show_next(-1),
                   only="bench"),
            Action("help", "help", tr("Help"), "F1", self.show_help, "help", always=True),
            Action("keys", "help", tr("Keys"), "F2", self.show_keys, always=True),
        ]  # fmt: skip

    # -------------------------------------------------------------- pictures

    def open_files(self, paths: list[Path], handed_over: bool = False) -> None:
        """Open pictures in the background; one that is open already is shown, on the bench."""
        self.show_view("bench")
        if handed_over:
            self.files.handed_over = tuple(paths)
        self.files.open(paths)

    def ask_open(self) -> None:
        if paths := self.files.asked():
            self.open_files(paths)

    def open_demo(self) -> None:
        self.show_view("bench")
        self.files.open_demo()

    def show_number(self, number: int) -> None:
        """Show an open picture, on the bench."""
        self.show_view("bench")
        self.files.show_number(number)

    def _teach(self) -> None:
        self.menus.show_recent(self.preferences.recent)
        if not self.preferences.taught and self.bench.notice.isHidden():
            self.preferences.taught = True
            text = self.tr("New here? Hold C for the original, drag the handles on the chart, press K to keep a state.")
            self.bench.notice.tell(text, self.tr("Show help"), self.show_help)

    def _list_pictures(self) -> None:
        names, top = self.files.names(), self.bench.top
        dirty = any(d.history.dirty for d in self.files.documents)
        top.pictures.setText(("• " if dirty else "") + self.tr("Pictures ({0})").format(len(names)))
        top.pictures.setEnabled(bool(names))
        top.next.setVisible(len(names) > 1)
        self.menus.show_pictures(names)
        self.menus.set_enabled(self.document is not None, self.area.current)
        self.menus.by_id[f"view-{self.area.current}"].setEnabled(False)
        self._show_history()
        shown = names[self.files.documents.index(self.document)] if self.document in self.files.documents else ""
        self.setWindowTitle(self._batched + (f"{shown} – Dustpan" if shown else "Dustpan"))

    def _show_history(self) -> None:
        history = self.document.history if self.document else None
        self.menus.show_history(*((history.undo_name, history.redo_name) if history else ("", "")))

    def show_pictures(self) -> None:
        at = self.bench.top.pictures.mapToGlobal(QPoint(0, self.bench.top.pictures.height()))
        self.popup.show_documents(self.files.documents, self.document, at)

    def _give_sweep(self, numbers: list[int]) -> None:
        self.files.give_sweep(numbers)
        self.popup.hide()

    # -------------------------------------------------------------- exporting

    def export(self) -> None:
        if self.document:
            v = self.bench.canvas.visible_region()
            middle = (v.y0 + v.y1) // 2, (v.x0 + v.x1) // 2
            self.export_dialog = ExportDialog(self.document, self.exports, self._may_write, middle, self)
            self.export_dialog.open()

    def _may_write(self, target: Path) -> bool:
        return may_write(self, target, self.files.documents)

    def export_and_next(self) -> None:
        """Write the result beside the picture in its own format, then show the next picture."""
        if self.document:
            target = proposed_name(self.document.path)
            if not self._may_write(target):
                return
            then = partial(self._exported_before_next, self.document)
            self.exports.begin(self.document, target, ExportOptions(), then)
            self.bench.bottom.state.setText(self.tr("exporting {0} …").format(name_of(target)))

    def _exported_before_next(self, document: Document, outcome: Outcome) -> None:
        if not was_written(outcome):
            self.bench.notice.tell(outcome.error)
            return
        if self.document is document:  # who has gone on meanwhile stays there
            self.files.show_next()
        self.bench.bottom.state.setText(self.tr("written to {0}").format(name_of(Path(outcome.target))))

    def hand_back(self) -> None:
        """Write the result to where the other program expects it, and close."""
        if self.hand_back_to is None:
            return
        over = self.files.handed_over
        if not over:
            to = [(self.document, self.hand_back_to)] if self.document else []
        else:
            names = [self.hand_back_to] if len(over) == 1 else [self.hand_back_to / name_written(p) for p in over]
            open_ = {d.path: d for d in self.files.documents}
            to = [(open_[path], name) for path, name in zip(over, names, strict=True) if path in open_]
        if len(to) < max(len(over), 1):
            self.bench.notice.tell(self.tr("The picture to hand back is not open."))
            return
        self._hand_back_next(to)

    def _hand_back_next(self, to: list[tuple[Document, Path]]) -> None:
        """One picture after the other; the window closes when all are back."""
        (document, target), *rest = to
        then = partial(self._handed_back, document, document.sweep, rest)
        self.exports.begin(document, target, ExportOptions(), then, True)
        self.bench.bottom.state.setText(self.tr("handing back …"))

    def _handed_back(
        self, document: Document, sweep: Sweep, rest: list[tuple[Document, Path]], outcome: Outcome
    ) -> None:
        """The picture that was handed over went back with that sweep; what else is unsaved is asked about."""
        if not was_written(outcome):
            self.bench.notice.tell(outcome.error)
            return
        if document.sweep == sweep:
            document.history.mark_saved()
        if rest:
            self._hand_back_next(rest)
            return
        self.handed_back = True
        self.close()

    # -------------------------------------------------------------- views

    def show_view(self, id: str, what: object = None) -> None:
        """Bring a view to the front, perhaps for something that another one hands over."""
        if id != self.area.current or id != self.area.first:
            self.area.show_view(id, what)

    def _view_changed(self) -> None:
        self.bench.palette_.hide()
        self._list_pictures()

    def keep_recipe(self) -> None:
        """Make a recipe of the sweep on the bench; its name can be typed at once."""
        self.show_view("recipes", KEEP)

    def use_recipe(self, recipe: Recipe, sweep: Sweep) -> None:
        """Give the picture what its sweep becomes with a recipe, and look at it; can be undone."""
        new = (n for n, s in enumerate(sweep.steps) if getattr(s, "part_of", "") == recipe.name)
        self.state.chosen = next(new, min(self.state.chosen, len(sweep.steps) - 1))
        self.bench.editing.change(self.tr("recipe {0}").format(recipe.name), sweep)
        self.show_view("bench")

    def _show_progress(self, done: int, total: int) -> None:
        self._batched = f"{done}/{total} · " if total else ""
        self._list_pictures()

    # -------------------------------------------------------------- help and preferences

    def show_help(self) -> None:
        """The help page, beside the work."""
        self.help_window = HelpWindow(self)
        self.help_window.show()

    def show_keys(self) -> None:
        """The sheet of all keys."""
        self.key_sheet = KeySheet(self.menus.actions, self)
        self.key_sheet.open()

    def ask_preferences(self) -> None:
        self.preferences_dialog = dialog = PreferencesDialog(self.preferences, self)
        dialog.accepted.connect(lambda: self._take_preferences(dialog))
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def _take_preferences(self, dialog: PreferencesDialog) -> None:
        self.preferences = dialog.result_preferences
        self.jobs.cache.limit = self.preferences.memory_mb * 1_000_000
        self.jobs.threads = self.preferences.threads or None
        app = QApplication.instance()
        if isinstance(app, QApplication):
            apply_theme(app, self.preferences.theme)
            apply_language(app, self.preferences.language)
        save_preferences(self.preferences)
        self.rebuild()

    def offer_left_work(self) -> None:
        """Offer what a crash left."""
        left = safety.left_by_crashes()
        if left:
            names = ", ".join(sorted({name_of(w.picture) for w in left}))
            text = self.tr("Dustpan ended unexpectedly; unsaved work on {0} was kept.").format(names)
            self.bench.notice.tell(text, self.tr("Bring it back"), lambda: self.files.bring_back(left))

    # -------------------------------------------------------------- closing and drops

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if not self.area.may_leave() or not all(self.files.may_close(d) for d in self.files.documents):
            event.ignore()
            return
        app = QApplication.instance()
        if app is not None:
            app.removeEventFilter(self.bench)
        self._safety.stop()
        self.area.stop()
        self.jobs.stop()
        self.files.close_all()
        self.preferences.maximised = self.isMaximized()
        if not self.isMaximized():
            self.preferences.window_size = (self.width(), self.height())
        self.preferences.tray_folded = self.bench.tray.isHidden()
        save_preferences(self.preferences)
        event.accept()
        self.closed.emit()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        dropped(event)

    def dropEvent(self, event: QDropEvent | None) -> None:
        if found := dropped(event):
            self.open_files(found)


def when_ready(window: Window, then: Callable[[], None], every_ms: int = 100) -> None:
    """Call ``then`` once nothing is being opened, rendered or judged any more."""
    timer = QTimer(window)

    def look() -> None:
        if not window.busy:
            timer.stop()
            then()

    timer.timeout.connect(look)
    timer.start(every_ms)
