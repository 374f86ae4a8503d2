"""The notice above the picture: one sentence, perhaps with something to do about it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QFrame, QHBoxLayout, QPushButton, QToolButton, QWidget

from dustpan.core.paths import cache_folder
from dustpan.ui.look.icons import show_icon
from dustpan.ui.look.plain import Label

LOG_TOLD = 4000  # characters of the log that go along with the details


class NoticeBar(QFrame):
    """Hidden until something is told."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("notice")
        self.text = Label()
        self.text.setWordWrap(True)
        self.action = QPushButton()
        self.action.hide()
        self._then: Callable[[], None] | None = None
        self.action.clicked.connect(self._do)
        self.copy = QToolButton()
        self.copy.setText(self.tr("Copy details"))
        show_icon(self.copy, "copy")
        self.copy.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.copy.setToolTip(self.tr("Copy this message and the end of the log as text"))
        self.copy.clicked.connect(self._copy_details)
        self.dismiss = QToolButton()
        self.dismiss.setToolTip(self.tr("Dismiss"))
        show_icon(self.dismiss, "close")
        self.dismiss.clicked.connect(self.hide)
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 4, 6, 4)
        row.addWidget(self.text, 1)
        for w in (self.action, self.copy, self.dismiss):
            row.addWidget(w)
        self.hide()

    def tell(self, text: str, action: str = "", then: Callable[[], None] | None = None) -> None:
        """Show a sentence until it is dismissed, perhaps with something to do about it."""
        self.text.setText(text)
        self.action.setText(action)
        self.action.setVisible(bool(action))
        self._then = then
        self.show()

    def go_on_from(self, old: NoticeBar) -> None:
        """Show what another one shows."""
        if not old.isHidden():
            self.tell(old.text.text(), old.action.text(), old._then)

    def _do(self) -> None:
        self.hide()
        if self._then:
            self._then()

    def _copy_details(self) -> None:
        try:
            log = (cache_folder() / "dustpan.log").read_text("utf-8", "replace")[-LOG_TOLD:]
        except OSError:
            log = ""
        if board := QApplication.clipboard():
            board.setText(f"{self.text.text()}\n\n{log}".strip())
