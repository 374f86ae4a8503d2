"""Dustpan's window: opening, switching, saving, exporting, preferences, closing."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import (
    QApplication,
    QFileDialog,
    QMessageBox,
)

from dustpan.core.errors import DustpanError
from dustpan.core.files import FORMATS, ExportOptions
from dustpan.core.inspect import Mode
from dustpan.core.sweep import Sweep
from dustpan.ui import safety
from dustpan.ui.document import Document
from dustpan.ui.editing import Editing
from dustpan.ui.export_dialog import ExportDialog, proposed_name
from dustpan.ui.help_window import HelpWindow
from dustpan.ui.menus import build_menus
from dustpan.ui.preferences import PreferencesDialog, save_preferences
from dustpan.ui.sweep_line import Half
from dustpan.ui.theme import apply_theme
from dustpan.ui.translator import apply_language
from dustpan.ui.window_parts import ORIGINAL, connect


class Window(Editing):
    """The whole window, the top of its layers (parts, showing, editing).

    Parameters
    ----------
    hand_back : where the result goes when another program handed the picture over; None otherwise.
    """

    def __init__(self, hand_back: Path | None = None) -> None:
        super().__init__(hand_back)
        self._after_export: Callable[[str], None] | None = None
        s = self.service
        connect([
            (s.opened, self._opened), (s.open_failed, self._open_failed), (s.demo_ready, self._demo_ready),
            (s.export_done, self._exported), (s.export_failed, self._export_failed),
            (self.work_changed, self._list_pictures), (self.sweep_shown, self._show_history),
        ])  # fmt: skip
        self._show_document()
        self._restore_state()
        app = QApplication.instance()
        assert app is not None
        app.installEventFilter(self)
        self._safety = QTimer(self)
        self._safety.timeout.connect(self._keep_safe)
        self._safety.start(safety.EVERY_MS)

    def build(self) -> None:
        super().build()
        self.menus = build_menus(self)
        top = self.top
        connect([
            (top.pictures.clicked, self.show_pictures), (top.export.clicked, self.export),
            (top.next.clicked, self.export_and_next), (top.hand_back.clicked, self.hand_back),
            (self.empty_open.clicked, self.ask_open), (self.empty_demo.clicked, self.open_demo),
            (self.popup.show_wanted, self.show_number), (self.popup.give_wanted, self.give_sweep),
        ])  # fmt: skip

    def rebuild(self) -> None:
        """Make the widgets anew, for another language or theme; work, view and choices stay."""
        folded, told, view = self.tray.isHidden(), self.notice_text.text(), self.canvas.view
        shown = told and not self.notice.isHidden()
        action, then = self.notice_action.text(), self._notice_then
        self.menus.close()
        self.build()
        self.set_view(view.value)
        self.tray.setVisible(not folded)
        if shown:
            self.tell(told, action, then)
        self._show_all()
        self.palette_.show_mode(self.look.mode)
        self.top.inspect.setChecked(self.look.mode is not Mode.NONE)
        self._zoomed(self.canvas.zoom)

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
        if not self.preferences.taught and self.notice.isHidden():
            self.preferences.taught = True
            text = self.tr("New here? Hold C for the original, drag the handles on the chart, press K to keep a state.")
            self.tell(text, self.tr("Show help"), self.show_help)

    def show_help(self) -> None:
        """The help page, beside the work."""
        self.help_window = HelpWindow(self)
        self.help_window.show()

    def _open_failed(self, why: str) -> None:
        self._opening -= 1
        self.bottom.state.setText("")
        self.tell(why)

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
        """Put the chosen picture on the canvas, seen whole, and everything about it around it."""
        d = self.document
        if d is None:
            self.canvas.show_displays(None, None, (1, 1))
        else:
            self.canvas.show_displays(d.before, d.after, d.picture.size)
        self._show_all()

    def _show_all(self) -> None:
        d = self.document
        self.pages.setCurrentIndex(1 if d else 0)
        self.top.set_enabled(d is not None)
        self.menus.set_enabled(d is not None)
        self.sweep_line.add_button.setEnabled(d is not None)
        self.sweep_line.measured.setEnabled(d is not None)
        if d is None:
            self.sweep_line.show_sweep(Sweep(), 0, {})
            self.sweep_line.measured.setText(self.tr("nothing measured"))
            self.tray.show_step(None)
            self.probes.show_probes((), busy=False, picture=False)
            self.bottom.show_verdict(None)
            for label in (self.bottom.facts, self.bottom.state, self.bottom.pixel):
                label.setText("")
            self._set_rendering(False)
        else:
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

    def _show_history(self) -> None:
        if self.document:
            self.menus.show_history(self.document.history.undo_name, self.document.history.redo_name)

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
        dialog.finished.connect(dialog.deleteLater)
        dialog.open()

    def _take_preferences(self, dialog: PreferencesDialog) -> None:
        self.preferences = dialog.result_preferences
        self.service.cache.limit = self.preferences.memory_mb * 1_000_000
        self.service.threads = self.preferences.threads or None
        app = QApplication.instance()
        if isinstance(app, QApplication):
            apply_theme(app, self.preferences.theme)
            apply_language(app, self.preferences.language)
        save_preferences(self.preferences)
        self.rebuild()

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
