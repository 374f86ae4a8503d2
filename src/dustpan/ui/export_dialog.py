"""The export dialog: name, format, depth, quality; progress and a cancel that answers at once."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QSlider,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.files import FORMATS, ExportOptions
from dustpan.core.files.registry import best_depth
from dustpan.core.picture import Depth
from dustpan.core.work import same_file
from dustpan.ui.document import Document
from dustpan.ui.service import Service


def proposed_name(path: Path) -> Path:
    """Where a picture's result goes when nobody says: beside it, with a name of its own."""
    return path.with_name(f"{path.stem}-clean{path.suffix}")


class ExportDialog(QDialog):
    """Exports one document. Closing while it works cancels."""

    def __init__(self, document: Document, service: Service, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.document, self.service, self.working = document, service, False
        self.setWindowTitle(self.tr("Export {0}").format(document.name))
        self.setMinimumWidth(480)
        self.path = QLineEdit(str(proposed_name(document.path)))
        self.path.setAccessibleName(self.tr("File name"))
        browse = QPushButton(self.tr("Browse …"))
        browse.clicked.connect(self._browse)
        row = QHBoxLayout()
        row.addWidget(self.path, 1)
        row.addWidget(browse)
        self.formats = QComboBox()
        for name in FORMATS.filled():
            self.formats.addItem(name)
        self.formats.setAccessibleName(self.tr("Format"))
        self.depths = QComboBox()
        self.depths.setAccessibleName(self.tr("Depth"))
        self.quality = QSlider(Qt.Orientation.Horizontal)
        self.quality.setRange(1, 100)
        self.quality_box = QSpinBox()
        self.quality_box.setRange(1, 100)
        self.quality_box.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.quality_box.setValue(92)
        self.quality.setValue(92)
        self.quality.valueChanged.connect(self.quality_box.setValue)
        self.quality_box.valueChanged.connect(self.quality.setValue)
        quality = QHBoxLayout()
        quality.addWidget(self.quality, 1)
        quality.addWidget(self.quality_box)
        form = QFormLayout()
        form.addRow(self.tr("File"), row)
        form.addRow(self.tr("Format"), self.formats)
        form.addRow(self.tr("Depth"), self.depths)
        self.quality_label = QLabel(self.tr("Quality"))
        form.addRow(self.quality_label, quality)
        self.note = QLabel()
        self.note.setObjectName("faint")
        self.note.setWordWrap(True)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setVisible(False)
        self.start_button = QPushButton(self.tr("Export"))
        self.start_button.setDefault(True)
        self.cancel_button = QPushButton(self.tr("Cancel"))
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(self.cancel_button)
        buttons.addWidget(self.start_button)
        box = QVBoxLayout(self)
        box.addLayout(form)
        box.addWidget(self.note)
        box.addWidget(self.bar)
        box.addLayout(buttons)
        self.start_button.clicked.connect(self.start)
        self.cancel_button.clicked.connect(self._cancel)
        self.formats.currentTextChanged.connect(self._format_chosen)
        self.path.textEdited.connect(self._path_edited)
        service.export_progressed.connect(self._progress)
        service.export_done.connect(self._done)
        service.export_failed.connect(self._failed)
        service.export_cancelled.connect(self._cancelled)
        self.formats.setCurrentText(document.picture.source.format)
        self._format_chosen(self.formats.currentText())

    def _browse(self) -> None:
        chosen, _ = QFileDialog.getSaveFileName(self, self.tr("Export to"), self.path.text())
        if chosen:
            self.path.setText(chosen)
            self._path_edited(chosen)

    def _path_edited(self, text: str) -> None:
        for name, f in FORMATS.filled().items():
            if Path(text).suffix.lower() in f.suffixes and name != self.formats.currentText():
                self.formats.blockSignals(True)
                self.formats.setCurrentText(name)
                self.formats.blockSignals(False)
                self._fill_depths()
        self._tell()

    def _format_chosen(self, name: str) -> None:
        path = Path(self.path.text() or "picture")
        f = FORMATS.filled()[name]
        if path.suffix.lower() not in f.suffixes:
            self.path.setText(str(path.with_suffix(f.suffixes[0])))
        self._fill_depths()
        self._tell()

    def _fill_depths(self) -> None:
        f = FORMATS.filled()[self.formats.currentText()]
        self.depths.clear()
        for d in f.depths:
            self.depths.addItem(d.words, d.value)
        best = best_depth(f, self.document.picture.depth)
        self.depths.setCurrentIndex(self.depths.findData(best.value))
        for w in (self.quality_label, self.quality, self.quality_box):
            w.setEnabled(f.lossy)

    def _tell(self) -> None:
        f = FORMATS.filled()[self.formats.currentText()]
        if same_file(self.document.path, Path(self.path.text())):
            self.note.setText(self.tr("This is the picture's own file: export will ask you for another name."))
        elif f.lossy:
            self.note.setText(
                self.tr("{0} loses a little of the picture; TIFF and PNG keep every sample.").format(f.name)
            )
        else:
            self.note.setText(self.tr("Keeps every sample, the colour profile and all exposure facts."))

    def options(self) -> ExportOptions:
        return ExportOptions(Depth(self.depths.currentData()), self.quality_box.value())

    def start(self) -> None:
        self.working = True
        self.start_button.setEnabled(False)
        self.bar.setRange(0, 0)
        self.bar.setVisible(True)
        self.note.setText(self.tr("Rendering every pixel exactly …"))
        self.service.export(self.document, Path(self.path.text()), self.options(), False)

    def _progress(self, done: int, total: int) -> None:
        self.bar.setRange(0, total)
        self.bar.setValue(done)
        if done == total:
            self.note.setText(self.tr("Writing …"))

    def _end(self, text: str) -> None:
        self.working = False
        self.bar.setVisible(False)
        self.start_button.setEnabled(True)
        self.note.setText(text)

    def _done(self, path: str) -> None:
        self._end(self.tr("Written to {0}.").format(path))
        self.accept()

    def _failed(self, why: str) -> None:
        self._end(why)

    def _cancelled(self) -> None:
        self._end(self.tr("Cancelled; nothing was written."))

    def _cancel(self) -> None:
        if self.working:
            self.service.cancel_export()
            self._end(self.tr("Cancelled; nothing was written."))
        else:
            self.reject()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if self.working:
            self.service.cancel_export()
        super().closeEvent(event)
