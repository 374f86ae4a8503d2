"""A label that shortens its text to the room there is; the whole text is its tooltip."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from dustpan.ui.look.plain import Label, tip


class ElidedLabel(Label):
    """One line of text, never wider than what it is given."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("", parent)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def setText(self, text: str | None) -> None:
        super().setText(text or "")
        self.setToolTip(tip(text or ""))

    def minimumSizeHint(self) -> QSize:
        return QSize(20, super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        text = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)
