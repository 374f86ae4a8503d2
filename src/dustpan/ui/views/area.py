"""The one area of the window that its main views share."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from dustpan.ui.look.icons import show_icon
from dustpan.ui.look.plain import Label
from dustpan.ui.view import Seat, View, ViewKind

HEAD = 36  # px


class Area(QWidget):
    """Shows one view at a time; ``changed`` tells that it is another one.

    Parameters
    ----------
    kinds : all that there are; the first is there from the beginning, and the others are made when they are shown.
    """

    changed = pyqtSignal()

    def __init__(self, seat: Seat, kinds: Sequence[ViewKind]) -> None:
        super().__init__(seat.parent)
        self.seat, self.kinds = seat, {kind.id: kind for kind in kinds}
        self.first = self.current = kinds[0].id
        self.made: dict[str, View] = {}
        self.stack = QStackedWidget()
        self.head = QWidget()
        self.head.setObjectName("strip")
        self.head.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.head.setFixedHeight(HEAD)
        self.back, self.title = QPushButton(), Label()
        self.title.setObjectName("headline")
        self.back.clicked.connect(lambda: self.show_view(self.first))
        row, box = QHBoxLayout(self.head), QVBoxLayout(self)
        row.setContentsMargins(8, 0, 8, 0)
        row.setSpacing(12)
        row.addWidget(self.back)
        row.addWidget(self.title)
        row.addStretch(1)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self.head)
        box.addWidget(self.stack, 1)
        self._view(self.first)
        self._show_head()

    def _view(self, id: str) -> View:
        """A view, made when it is asked for first."""
        if id not in self.made:
            self.made[id] = self.kinds[id].make(self.seat)
            self.stack.addWidget(self.made[id].widget)
        return self.made[id]

    def show_view(self, id: str, what: object = None) -> None:
        """Bring a view to the front, perhaps for something that is handed over."""
        view = self._view(id)
        other = id != self.current
        self.current = id
        self.stack.setCurrentWidget(view.widget)
        self._show_head()
        view.enter(what)
        if other:
            self.changed.emit()

    def _show_head(self) -> None:
        title = self.made[self.current].title
        self.head.setVisible(bool(title))
        self.title.setText(title)
        show_icon(self.back, "return")
        self.back.setText(self.tr("Bench"))
        self.back.setToolTip(self.tr("Back to the picture (Esc)"))

    def rebuild(self) -> None:
        """Make all views anew that there are, for another language or theme."""
        for id, old in self.made.items():
            fresh = old.rebuilt()
            self.stack.insertWidget(self.stack.indexOf(old.widget), fresh.widget)
            self.stack.removeWidget(old.widget)
            old.retire()
            self.made[id] = fresh
        self.stack.setCurrentWidget(self.made[self.current].widget)
        self._show_head()

    def may_leave(self) -> bool:
        """Whether the window may close; each view may ask."""
        return all(view.may_leave() for view in self.made.values())

    def stop(self) -> None:
        """The window closes."""
        for view in self.made.values():
            view.stop()
