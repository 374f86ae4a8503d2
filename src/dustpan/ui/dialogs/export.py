"""The export dialog: name, format, depth, quality; progress and a cancel that answers at once."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QSlider,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.files import ExportOptions, FileFormat, format_of, writable
from dustpan.core.files.registry import stays_in_proportion, usual_depth
from dustpan.core.jobs.one import Outcome, State, same_file, stretched
from dustpan.core.open.document import Document
from dustpan.core.picture import Depth
from dustpan.ui.dialogs.output_rows import OutputPreview, OutputRows
from dustpan.ui.exports import Exports, proposed_name
from dustpan.ui.look.plain import Label


class ExportDialog(QDialog):
    """Exports one document. Closing it while it works, in whatever way, cancels and stays to say so."""

    def __init__(
        self,
        document: Document,
        exports: Exports,
        may_write: Callable[[Path], bool],
        middle: tuple[int, int] = (0, 0),
        parent: QWidget | None = None,
    ) -> None:
        """``middle`` : (y, x) in px, of what is previewed."""
        super().__init__(parent)
        self.document, self.exports, self._may_write = document, exports, may_write
        self._token = 0  # of the export that is going on; 0 for none
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
        for f in writable():
            self.formats.addItem(f.name)
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
        self.quality_label = Label(self.tr("Quality"))
        form.addRow(self.quality_label, quality)
        self.as_shown = QCheckBox(self.tr("As shown, not as light"))
        self.as_shown.setToolTip(self.tr("Counts of a FITS file stay in proportion to light unless this is on"))
        self.as_shown.setChecked(stretched(document.sweep))
        form.addRow("", self.as_shown)
        self.output = OutputRows(self)
        self.preview = OutputPreview(document, self.output, middle, exports.jobs, self)
        self.note = Label()
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
        box.addWidget(self.output)
        box.addWidget(self.preview)
        box.addWidget(self.note)
        box.addWidget(self.bar)
        box.addLayout(buttons)
        self.start_button.clicked.connect(self.start)
        self.cancel_button.clicked.connect(self.reject)
        self.formats.currentTextChanged.connect(self._format_chosen)
        self.output.changed.connect(self._tell)
        self.depths.currentIndexChanged.connect(self._depth_chosen)
        self.path.textEdited.connect(self._path_edited)
        exports.progressed.connect(self._progress)
        own = format_of(Path(self.path.text()))
        self.formats.setCurrentText(own.name)
        self._format_chosen(self.formats.currentText())

    def _browse(self) -> None:
        chosen, _ = QFileDialog.getSaveFileName(self, self.tr("Export to"), self.path.text())
        if chosen:
            self.path.setText(chosen)
            self._path_edited(chosen)

    def _path_edited(self, text: str) -> None:
        for f in writable():
            if Path(text).suffix.lower() in f.suffixes and f.name != self.formats.currentText():
                self.formats.blockSignals(True)
                self.formats.setCurrentText(f.name)
                self.formats.blockSignals(False)
                self._fill_depths()
        self._tell()

    def _format_chosen(self, name: str) -> None:
        path = Path(self.path.text() or "picture")
        f = self.format()
        if path.suffix.lower() not in f.suffixes:
            self.path.setText(str(path.with_suffix(f.suffixes[0])))
        self._fill_depths()
        self._tell()

    def _fill_depths(self) -> None:
        f = self.format()
        self.depths.clear()
        for d in f.depths:
            self.depths.addItem(d.words, d.value)
        best = usual_depth(f, self.document.picture)
        self.depths.setCurrentIndex(self.depths.findData(best.value))
        for w in (self.quality_label, self.quality, self.quality_box):
            w.setEnabled(f.lossy)
        self.as_shown.setVisible(self.document.picture.source.format == "FITS")
        self._depth_chosen()

    def _depth_chosen(self) -> None:
        if (chosen := self.depths.currentData()) is not None:
            self.as_shown.setEnabled(stays_in_proportion(self.document.picture, self.format(), Depth(chosen)))

    def _tell(self) -> None:
        f, output = self.format(), self.output.output()
        if same_file(self.document.path, Path(self.path.text())):
            self.note.setText(self.tr("This is the picture's own file: export will ask you for another name."))
        elif f.lossy:
            self.note.setText(
                self.tr("{0} loses a little of the picture; TIFF and PNG keep every sample.").format(f.name)
            )
        elif output.changes:
            h, w = output.size(self.document.picture.size)
            self.note.setText(self.tr("{0} × {1} px are written, with the colour profile.").format(w, h))
        else:
            self.note.setText(self.tr("Keeps every sample, the colour profile and all exposure facts."))

    def format(self) -> FileFormat:
        """The format that is chosen."""
        return next(f for f in writable() if f.name == self.formats.currentText())

    def options(self) -> ExportOptions:
        as_shown = self.as_shown.isEnabled() and self.as_shown.isChecked()
        return ExportOptions(Depth(self.depths.currentData()), self.quality_box.value(), as_shown=as_shown)

    @property
    def working(self) -> bool:
        return self._token != 0

    def start(self) -> None:
        """Begin, unless what is there is to stay."""
        if not self._may_write(Path(self.path.text())):
            return
        self.start_button.setEnabled(False)
        self.bar.setRange(0, 0)
        self.bar.setVisible(True)
        self.note.setText(self.tr("Rendering every pixel exactly …"))
        self._token = self.exports.begin(
            self.document, Path(self.path.text()), self.options(), self._ended, output=self.output.output()
        )

    def _progress(self, token: int, done: int, total: int) -> None:
        if token == self._token:
            self.bar.setRange(0, total)
            self.bar.setValue(done)
            if done == total:
                self.note.setText(self.tr("Writing …"))

    def _ended(self, outcome: Outcome) -> None:
        self._token = 0
        self.bar.setVisible(False)
        self.start_button.setEnabled(True)
        if outcome.state is State.DONE:
            self.note.setText(self.tr("Written to {0}.").format(outcome.target))
            self.accept()
        elif outcome.state is State.CANCELLED:
            self.note.setText(self.tr("Cancelled; nothing was written."))
        else:
            self.note.setText(outcome.error)

    def reject(self) -> None:
        """Cancel what is going on, and stay to say so; close when nothing is."""
        if self.working:
            self.exports.cancel(self._token)
            self.note.setText(self.tr("Cancelling …"))
        else:
            super().reject()
