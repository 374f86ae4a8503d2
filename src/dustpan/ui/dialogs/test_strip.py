"""The test strip: one place at several strengths in a grid, the verdict under each; a click takes one over."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QDialog, QGridLayout, QToolButton, QWidget

from dustpan.core.jobs import questions
from dustpan.core.jobs.events import VariantSeen
from dustpan.core.open.document import Document
from dustpan.core.region import Region
from dustpan.core.sweep import Step, Sweep
from dustpan.ui.jobs import Jobs
from dustpan.ui.look.plain import Label
from dustpan.ui.pixels import image_of

STRENGTHS = (0.25, 0.5, 0.75, 1.0, 1.4, 2.0)
SIDE = 224  # px of the picture, at 100 %
ACROSS = 3


def variants(sweep: Sweep, index: int) -> list[Sweep]:
    """The sweep with both strengths of its Noise step number ``index`` at each of `STRENGTHS`."""
    step = sweep.steps[index]
    assert isinstance(step, Step)
    return [
        sweep.changed(index, params=step.params.model_copy(update={"luminance": s, "colour": s}), on=True)
        for s in STRENGTHS
    ]


class TestStrip(QDialog):
    """Fills as results come; ``taken`` carries the sweep that was clicked."""

    __test__ = False  # no test case, in spite of its name
    taken = pyqtSignal(object)

    def __init__(self, document: Document, sweeps: Sequence[Sweep], region: Region, jobs: Jobs, parent: QWidget):
        super().__init__(parent)
        self.document, self.sweeps, self.jobs = document, list(sweeps), jobs
        self.setWindowTitle(self.tr("Test strip"))
        grid = QGridLayout(self)
        self.note = Label(self.tr("The middle of the view at several strengths. Click the one to take over."))
        self.note.setObjectName("faint")
        grid.addWidget(self.note, 0, 0, 1, ACROSS)
        self.cells: list[QToolButton] = []
        for n, strength in enumerate(STRENGTHS):
            cell = QToolButton()
            cell.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            cell.setIconSize(QSize(SIDE, SIDE))
            cell.setStyleSheet(f"min-width: {SIDE + 24}px; min-height: {SIDE + 46}px;")
            cell.setText(self.tr("{0:.2g} ×noise").format(strength) + "\n…")
            cell.setToolTip(self.tr("Set both strengths of Noise to {0:.2g}").format(strength))
            cell.setAccessibleName(cell.toolTip())
            cell.setEnabled(False)
            cell.clicked.connect(lambda _=False, k=n: self._take(k))
            self.cells.append(cell)
            grid.addWidget(cell, 1 + n // ACROSS, n % ACROSS)
        jobs.hear(VariantSeen, self._ready)
        self.finished.connect(lambda _: jobs.call_off("strip"))
        jobs.ask("strip", document, partial(questions.variants, document, self.sweeps, region))

    def _ready(self, event: VariantSeen) -> None:
        if event.document is not self.document or event.number >= len(self.cells):
            return
        cell = self.cells[event.number]
        cell.setIcon(QIcon(QPixmap.fromImage(image_of(event.words).copy())))
        figures = " · ".join(event.verdict.phrases()[:2])
        cell.setText(self.tr("{0:.2g} ×noise").format(STRENGTHS[event.number]) + "\n" + figures)
        cell.setEnabled(True)

    def _take(self, number: int) -> None:
        self.taken.emit(self.sweeps[number])
        self.accept()
