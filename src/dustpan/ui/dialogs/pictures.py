"""The popup of open pictures: thumbnails, unsaved marks, and copying a sweep to others."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from dustpan.core.open.document import Document
from dustpan.core.open.facts import facts_of
from dustpan.ui.look.plain import Label
from dustpan.ui.pixels import image_of

THUMB = QSize(108, 72)


class PicturesPopup(QFrame):
    """A list with a thumbnail each. A double click or Return shows one; ticked ones can be given the sweep."""

    show_wanted = pyqtSignal(int)
    give_wanted = pyqtSignal(list)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("popup")
        self.list = QListWidget()
        self.list.setIconSize(THUMB)
        self.list.setMinimumSize(330, 260)
        self.list.setAccessibleName(self.tr("Open pictures"))
        self.list.itemActivated.connect(self._activated)
        self.list.itemChanged.connect(lambda _: self._tell())
        self.give = QPushButton(self.tr("Give this picture's sweep to the ticked ones"))
        self.give.setToolTip(self.tr("Replaces their sweep by that of the picture on the bench; can be undone there"))
        self.give.clicked.connect(lambda: self.give_wanted.emit(self.ticked()))
        note = Label(self.tr("• has unsaved work"))
        note.setObjectName("faint")
        row = QHBoxLayout()
        row.addWidget(note)
        row.addStretch(1)
        row.addWidget(self.give)
        box = QVBoxLayout(self)
        box.setContentsMargins(8, 8, 8, 8)
        box.addWidget(self.list)
        box.addLayout(row)

    def show_documents(self, documents: Sequence[Document], current: Document | None, at: QPoint) -> None:
        """Fill the list and open below the button."""
        self.list.blockSignals(True)
        self.list.clear()
        for d in documents:
            mark = "• " if d.history.dirty else ""
            keep, smooth = Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
            image = image_of(d.after.levels[-1]).scaled(THUMB, keep, smooth)
            item = QListWidgetItem(
                QIcon(QPixmap.fromImage(image)), f"{mark}{d.name}\n{facts_of(d.picture).splitlines()[0]}"
            )
            if d is current:
                font = item.font()
                font.setBold(True)
                item.setFont(font)
            else:
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                item.setCheckState(Qt.CheckState.Unchecked)
            self.list.addItem(item)
        self.list.blockSignals(False)
        if current is not None and current in documents:
            self.list.setCurrentRow(list(documents).index(current))
        self._tell()
        self.move(at)
        self.show()
        self.list.setFocus()

    def ticked(self) -> list[int]:
        """Numbers of the ticked pictures."""
        items = [self.list.item(i) for i in range(self.list.count())]
        return [i for i, item in enumerate(items) if item and item.checkState() == Qt.CheckState.Checked]

    def _tell(self) -> None:
        self.give.setEnabled(bool(self.ticked()))

    def _activated(self, item: QListWidgetItem) -> None:
        self.hide()
        self.show_wanted.emit(self.list.row(item))
