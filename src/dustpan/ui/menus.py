"""The menus, built from actions: every action with its key beside it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMainWindow, QMenu, QMenuBar

from dustpan.core.text import name_of, plain
from dustpan.ui.actions import Action, title_of
from dustpan.ui.look.icons import icon
from dustpan.ui.look.plain import tip


class Menus:
    """Holds the menus and the actions whose text or state changes.

    Parameters
    ----------
    window : whose menu bar it is. actions : all of them, in the order of the menus.
    open_recent, show_number : what the entries of the two lists that grow do.
    """

    def __init__(
        self,
        window: QMainWindow,
        actions: Sequence[Action],
        open_recent: Callable[[Path], None],
        show_number: Callable[[int], None],
    ) -> None:
        self.window, self._open_recent, self._show_number = window, open_recent, show_number
        self.menus: dict[str, QMenu] = {}
        self.by_id: dict[str, QAction] = {}
        self.actions: list[tuple[str, QAction]] = []  # the menu's title and the action, for the key sheet
        self._kinds: list[tuple[Action, QAction]] = []
        self._picture_actions: list[QAction] = []
        for action in actions:
            self._add(action)
        self.recent_menu = QMenu(window.tr("Recent"), window)
        self.menus["file"].insertMenu(self.by_id["save"], self.recent_menu)
        self.menus["pictures"].addSeparator()
        self.undo, self.redo = self.by_id["undo"], self.by_id["redo"]

    def _menu(self, id: str) -> QMenu:
        if id not in self.menus:
            bar = self.window.menuBar()
            assert bar is not None
            menu = bar.addMenu(title_of(id, self.window))
            assert menu is not None
            self.menus[id] = menu
        return self.menus[id]

    def _add(self, described: Action) -> None:
        if described.id in self.by_id:
            raise ValueError(f"there are two actions {described.id!r}")
        menu = self._menu(described.menu)
        if described.apart:
            menu.addSeparator()
        action = QAction(described.text, self.window)
        if described.icon:
            action.setIcon(icon(described.icon))
        if described.keys:
            action.setShortcut(QKeySequence(described.keys))
        action.triggered.connect(lambda _=False, do=described.do: do())
        menu.addAction(action)
        self.by_id[described.id] = action
        self.actions.append((title_of(described.menu, self.window), action))
        self._kinds.append((described, action))

    def close(self) -> None:
        """Take the menus and their keys away, to be built anew."""
        for _, action in self.actions:
            action.setShortcut(QKeySequence())
            action.deleteLater()
        self.recent_menu.deleteLater()
        fresh = QMenuBar(self.window)
        self.window.setMenuBar(fresh)
        fresh.show()

    def set_enabled(self, picture: bool, view: str) -> None:
        """Whether there is a picture that most actions need, and which view is in front."""
        for described, action in self._kinds:
            action.setEnabled((picture or described.always) and described.only in ("", view))

    def show_history(self, undo: str, redo: str) -> None:
        """Name what undo and redo would do."""
        tr = self.window.tr
        self.undo.setText(tr("Undo {0}").format(undo) if undo else tr("Undo"))
        self.redo.setText(tr("Redo {0}").format(redo) if redo else tr("Redo"))
        self.undo.setEnabled(bool(undo))
        self.redo.setEnabled(bool(redo))

    def show_pictures(self, names: Sequence[str]) -> None:
        menu = self.menus["pictures"]
        for action in self._picture_actions:
            menu.removeAction(action)
        self._picture_actions = []
        for n, name in enumerate(names):
            action = QAction(name.replace("&", "&&"), self.window)
            action.setToolTip(tip(name))
            action.triggered.connect(lambda _=False, k=n: self._show_number(k))
            menu.addAction(action)
            self._picture_actions.append(action)

    def show_recent(self, paths: Sequence[str]) -> None:
        self.recent_menu.clear()
        for path in paths:
            action = QAction(name_of(Path(path)).replace("&", "&&"), self.window)
            action.setToolTip(tip(plain(path)))
            action.triggered.connect(lambda _=False, p=path: self._open_recent(Path(p)))
            self.recent_menu.addAction(action)
        self.recent_menu.setEnabled(bool(paths))
