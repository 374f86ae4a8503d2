"""The menus: every action with its key beside it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QMenuBar

from dustpan.core.inspect import Mode
from dustpan.core.language import capital
from dustpan.ui.canvas import View
from dustpan.ui.icons import icon

if TYPE_CHECKING:
    from dustpan.ui.window import Window

Entry = tuple[str, str, Callable[[], object]] | None
ICONS = {
    "ask_open": "open", "save": "save", "export": "export", "export_and_next": "next", "undo": "undo", "redo": "redo",
    "ask_preferences": "preferences", "keep_state": "keep", "return_to_kept": "return", "add_probe": "probe",
    "choose_measured": "measured", "show_help": "help",
}  # fmt: skip


class Menus:
    """Holds the actions whose text or state changes."""

    def __init__(self, window: Window) -> None:
        self.window = window
        self.actions: list[tuple[str, QAction]] = []  # the menu's title and the action, for the key sheet
        self._needs_picture: list[QAction] = []
        tr, w = window.tr, window
        always: list[Entry] = [
            (tr("Open …"), "Ctrl+O", w.ask_open),
            (tr("Open the demo pictures"), "", w.open_demo),
        ]
        self._menu(tr("&File"), always, needs_picture=False)
        file = self.last_menu
        self.recent_menu = QMenu(tr("Recent"), window)
        file.addMenu(self.recent_menu)
        self._fill(file, tr("&File"), [
            None,
            (tr("Save sweep"), "Ctrl+S", w.save),
            (tr("Export …"), "Ctrl+E", w.export),
            (tr("Export and next"), "Ctrl+Shift+E", w.export_and_next),
            (tr("Close picture"), "Ctrl+W", w.close_document),
        ])  # fmt: skip
        self._fill(file, tr("&File"), [
            None, (tr("Preferences …"), "Ctrl+,", w.ask_preferences), (tr("Quit"), "Ctrl+Q", w.close),
        ], needs_picture=False)  # fmt: skip
        self._menu(tr("&Edit"), [(tr("Undo"), "Ctrl+Z", w.undo), (tr("Redo"), "Ctrl+Shift+Z", w.redo)])
        self.undo, self.redo = (a for t, a in self.actions if t == tr("&Edit"))
        self._menu(tr("&View"), [
            (tr("Fit"), "F", w.canvas.fit),
            (tr("100 %"), "1", lambda: w.canvas.set_zoom(1.0)),
            (tr("200 %"), "2", lambda: w.canvas.set_zoom(2.0)),
            (tr("400 %"), "4", lambda: w.canvas.set_zoom(4.0)),
            (tr("Closer"), "+", lambda: w.canvas.step_zoom(1)),
            (tr("Farther"), "-", lambda: w.canvas.step_zoom(-1)),
            None,
            (tr("Probes on the picture"), "P", w.toggle_probes),
            (tr("Add a probe"), "Shift+P", w.add_probe),
            (tr("Find places for the probes anew"), "Ctrl+Shift+P", w.place_probes),
            None,
            (tr("Fold the tray"), "T", w.fold_tray),
        ])  # fmt: skip
        self._menu(tr("&Compare"), [
            (tr("Single"), "S", lambda: w.set_view(View.SINGLE)),
            (tr("Divider"), "D", lambda: w.set_view(View.DIVIDER)),
            (tr("Pair"), "A", lambda: w.set_view(View.PAIR)),
            (tr("Blink"), "B", w.blink),
            None,
            (tr("With the original"), "Ctrl+1", lambda: w.compare_with(0)),
            (tr("With the state before this step"), "Ctrl+2", lambda: w.compare_with(1)),
            (tr("With the next kept state"), "N", w.flip_kept),
            (tr("Keep this state"), "K", w.keep_state),
            (tr("Return to the kept state"), "Shift+K", w.return_to_kept),
        ])  # fmt: skip
        inspect: list[Entry] = [
            (capital(tr(mode.value)), f"Alt+{n}", partial(w.inspect, mode)) for n, mode in enumerate(Mode)
        ]
        inspect += [
            None,
            (tr("Further"), "Alt+Up", lambda: w.step_look(1)),
            (tr("Less far"), "Alt+Down", lambda: w.step_look(-1)),
        ]
        self._menu(tr("&Inspect"), inspect)
        steps: list[Entry] = [
            (tr("Add {0}").format(a.text()), f"Ctrl+Alt+{n}", a.trigger)
            for n, a in enumerate(w.sweep_line.add_menu.actions(), 1)
        ]
        self._menu(tr("&Step"), [
            *steps,
            None,
            (tr("Suggest strengths"), "G", w.suggest),
            (tr("Test strip"), "Y", w.open_strip),
            (tr("Off or on"), "O", w.toggle_chosen),
            (tr("Duplicate"), "Ctrl+D", lambda: w.duplicate_step(w.chosen)),
            (tr("Earlier"), "Ctrl+Left", lambda: w.move_step(w.chosen, w.chosen - 1)),
            (tr("Later"), "Ctrl+Right", lambda: w.move_step(w.chosen, w.chosen + 1)),
            (tr("Remove"), "Ctrl+Backspace", lambda: w.remove_step(w.chosen)),
            (tr("What was measured"), "M", w.choose_measured),
        ])  # fmt: skip
        self._menu(tr("&Pictures"), [
            (tr("Next picture"), "PgDown", w.show_next),
            (tr("Previous picture"), "PgUp", lambda: w.show_next(-1)),
            None,
        ])  # fmt: skip
        self.picture_menu = self.last_menu
        self._picture_actions: list[QAction] = []
        help_: list[Entry] = [(tr("Help"), "F1", w.show_help), (tr("Keys"), "F2", self.show_keys)]
        self._menu(tr("&Help"), help_, needs_picture=False)
        self.show_recent(w.preferences.recent)

    def _menu(self, title: str, entries: Sequence[Entry], needs_picture: bool = True) -> None:
        bar = self.window.menuBar()
        assert bar is not None
        menu = bar.addMenu(title)
        assert menu is not None
        self.last_menu = menu
        self._fill(menu, title, entries, needs_picture)

    def _fill(self, menu: QMenu, title: str, entries: Sequence[Entry], needs_picture: bool = True) -> None:
        for entry in entries:
            if entry is None:
                menu.addSeparator()
                continue
            text, keys, slot = entry
            action = QAction(text, self.window)
            if drawing := ICONS.get(getattr(slot, "__name__", "")):
                action.setIcon(icon(drawing))
            if keys:
                action.setShortcut(QKeySequence(keys))
            action.triggered.connect(lambda _=False, s=slot: s())
            menu.addAction(action)
            self.actions.append((title, action))
            if needs_picture:
                self._needs_picture.append(action)

    def close(self) -> None:
        """Take the menus and their keys away, to be built anew."""
        for _, action in self.actions:
            action.setShortcut(QKeySequence())
            action.deleteLater()
        self.recent_menu.deleteLater()
        fresh = QMenuBar(self.window)
        self.window.setMenuBar(fresh)
        fresh.show()

    def set_enabled(self, on: bool) -> None:
        """Whether there is a picture that most actions need."""
        for action in self._needs_picture:
            action.setEnabled(on)

    def show_history(self, undo: str, redo: str) -> None:
        """Name what undo and redo would do."""
        tr = self.window.tr
        self.undo.setText(tr("Undo {0}").format(undo) if undo else tr("Undo"))
        self.redo.setText(tr("Redo {0}").format(redo) if redo else tr("Redo"))
        self.undo.setEnabled(bool(undo))
        self.redo.setEnabled(bool(redo))

    def show_pictures(self, names: Sequence[str]) -> None:
        for action in self._picture_actions:
            self.picture_menu.removeAction(action)
        self._picture_actions = []
        for n, name in enumerate(names):
            action = QAction(name, self.window)
            action.triggered.connect(lambda _=False, k=n: self.window.show_number(k))
            self.picture_menu.addAction(action)
            self._picture_actions.append(action)

    def show_recent(self, paths: Sequence[str]) -> None:
        self.recent_menu.clear()
        for path in paths:
            action = QAction(Path(path).name, self.window)
            action.setToolTip(path)
            action.triggered.connect(lambda _=False, p=path: self.window.open_files([Path(p)]))
            self.recent_menu.addAction(action)
        self.recent_menu.setEnabled(bool(paths))

    def show_keys(self) -> None:
        """The sheet of all keys."""
        from dustpan.ui.key_sheet import KeySheet

        self.key_sheet = KeySheet(self.actions, self.window)
        self.key_sheet.open()


def build_menus(window: Window) -> Menus:
    return Menus(window)
