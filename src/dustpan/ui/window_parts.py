"""The window's parts: what it is made of, where everything lies, and the notice above the picture."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QPushButton,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.inspect import Look
from dustpan.ui.bars import BottomLine, TopBar
from dustpan.ui.canvas import Canvas
from dustpan.ui.document import Document
from dustpan.ui.icons import show_icon
from dustpan.ui.inspect_palette import InspectPalette
from dustpan.ui.pictures import PicturesPopup
from dustpan.ui.preferences import load_preferences
from dustpan.ui.probe_panel import ProbePanel
from dustpan.ui.service import Service
from dustpan.ui.sweep_line import Half, SweepLine
from dustpan.ui.tray import Tray

ORIGINAL, BEFORE_STEP = 0, 1  # the first two sides to compare with; kept states follow


class WindowParts(QMainWindow):
    """Holds the widgets and the state that the other layers of the window work on.

    ``documents`` are the open pictures, ``document`` the one on the canvas.
    """

    work_changed = pyqtSignal()

    def __init__(self, hand_back: Path | None) -> None:
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
        self._popups: list[QWidget] = []
        self.setWindowTitle("Dustpan")
        self.setAcceptDrops(True)
        self.canvas = Canvas()
        self.build()

    # -------------------------------------------------------------- parts

    def build(self) -> None:
        """Make all widgets but the canvas. Each layer adds its own and connects them; called again for a new language
        or theme, so it must not do anything else.
        """
        for old in self._popups:
            old.deleteLater()
        self.top, self.bottom = TopBar(), BottomLine()
        self.sweep_line, self.tray, self.probes = SweepLine(), Tray(), ProbePanel()
        self.canvas.setAccessibleName(self.tr("Picture"))
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
        self._popups = [self.popup, self.palette_, self.thumbnail]
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
        show_icon(copy, "copy")
        copy.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        copy.setToolTip(self.tr("Copy this message and the end of the log as text"))
        copy.clicked.connect(self._copy_details)
        self.notice_close = QToolButton()
        self.notice_close.setToolTip(self.tr("Dismiss"))
        show_icon(self.notice_close, "close")
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

    # -------------------------------------------------------------- telling

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


def connect(pairs: Sequence[tuple[Any, Callable]]) -> None:
    """Connect signals, each to what it calls."""
    for signal, slot in pairs:
        signal.connect(slot)
