"""Text that is shown as it is: what comes from files must never be taken for markup."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QWidget


class Label(QLabel):
    """A label that takes no markup, whatever its text looks like."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)


def tip(text: str) -> str:
    """Text for a tooltip. A tooltip takes what looks like markup for it, so that it is escaped there."""
    return f"<qt>{escape(text)}</qt>".replace("\n", "<br>") if "<" in text else text
