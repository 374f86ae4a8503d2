"""How a file is opened: which page or image, as which mosaic, with what kind of values; kept in the sweep."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFormLayout, QVBoxLayout, QWidget

from dustpan.core.files import Opening
from dustpan.core.files.format import PATTERNS
from dustpan.core.picture import Kind, Picture
from dustpan.ui.look.plain import Label

LINEAR = (None, True, False)


class OpenedAs(QDialog):
    """``then`` gets what was chosen.

    Parameters
    ----------
    picture : as it is opened now. opening : how it was asked for.
    """

    def __init__(
        self, picture: Picture, opening: Opening, name: str, then: Callable[[Opening], None], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("Open {0} as").format(name))
        self.setMinimumWidth(380)
        self._then, self._opening = then, opening
        self.parts, self.patterns, self.linear = QComboBox(), QComboBox(), QComboBox()
        form = QFormLayout()
        parts = picture.source.parts
        for words in parts:
            self.parts.addItem(words)
        if parts:
            self.parts.setCurrentIndex(max(0, picture.source.part - 1))
            self._row(form, self.tr("Picture"), self.parts)
        flat = picture.kind in (Kind.MONO, Kind.MOSAIC) and picture.source.format == "FITS"
        self.patterns.addItem(self.tr("as the file says"), "")
        for pattern in PATTERNS:
            self.patterns.addItem(pattern, pattern)
        self.patterns.setCurrentIndex(self.patterns.findData(opening.pattern))
        if flat:
            self._row(form, self.tr("Colour filter"), self.patterns)
        for words in (self.tr("as the file says"), self.tr("scene-linear"), self.tr("encoded")):
            self.linear.addItem(words)
        self.linear.setCurrentIndex(LINEAR.index(opening.scene_linear))
        if not picture.kind.of_sensor and picture.source.format not in ("FITS", "OpenEXR"):
            self._row(form, self.tr("Values"), self.linear)
        if not form.rowCount():
            form.addRow(Label(self.tr("There is nothing to choose: the file says all of it.")))
        self.buttons = QDialogButtonBox(
            QDialogButtonBox.StandardButton.Open | QDialogButtonBox.StandardButton.Cancel, parent=self
        )
        self.buttons.accepted.connect(self._open)
        self.buttons.rejected.connect(self.reject)
        box = QVBoxLayout(self)
        box.addLayout(form)
        box.addWidget(self.buttons)

    def _row(self, form: QFormLayout, words: str, control: QComboBox) -> None:
        control.setAccessibleName(words)
        form.addRow(words, control)

    def chosen(self) -> Opening:
        """What is chosen now."""
        part = self.parts.currentIndex() + 1 if self.parts.count() else self._opening.part
        return Opening(LINEAR[self.linear.currentIndex()], part, self.patterns.currentData())

    def _open(self) -> None:
        self.accept()
        self._then(self.chosen())
