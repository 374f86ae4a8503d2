"""The table of a batch: what came of each picture, with its figures."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from dustpan.core.batch.report import rows_of
from dustpan.core.jobs.one import State
from dustpan.core.language import mark
from dustpan.core.text import plain
from dustpan.ui.look.theme import colours
from dustpan.ui.many.batch_run import BatchRun

COLUMNS = (
    mark("picture"), mark("state"), "s", mark("noise left"), mark("texture kept"), mark("halos"), mark("edges"),
    mark("what to know"),
)  # fmt: skip
FIGURES = ("noise_left", "texture_kept", "halo_height", "edge_width_after")


class BatchTable(QTableWidget):
    """Shows a run. ``wanted`` carries the path of a picture that is to be looked at."""

    wanted = pyqtSignal(object)

    def __init__(self, run: BatchRun) -> None:
        super().__init__(0, len(COLUMNS))
        self.run = run
        self._rows: list[int] = []
        self._why: dict[int, str] = {}
        tr = self.tr
        self.setHorizontalHeaderLabels([tr(c) for c in COLUMNS])
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setShowGrid(False)
        self.setAccessibleName(tr("Pictures of the batch"))
        self.setStyleSheet(
            "QTableWidget::item { padding: 0 7px; }"
            f"QTableWidget::item:selected {{ background: {colours().surface}; color: {colours().text}; }}"
        )
        self.cellDoubleClicked.connect(lambda row, _: self._show_row(row))
        side = self.verticalHeader()
        head = self.horizontalHeader()
        assert side is not None
        assert head is not None
        side.hide()
        side.setDefaultSectionSize(22)
        for column, width in enumerate((230, 92, 52, 78, 88, 62, 62)):
            titled = head.fontMetrics().horizontalAdvance(tr(COLUMNS[column])) + 18
            self.setColumnWidth(column, max(width, titled))
        head.setSectionResizeMode(len(COLUMNS) - 1, QHeaderView.ResizeMode.Stretch)

    def fill(self, outliers_first: bool = False) -> None:
        """List all pictures; those that are worth a look first, once all is done."""
        run = self.run
        self._rows = list(range(len(run.items)))
        self._why = {}
        if outliers_first and run.outcomes:
            rows = rows_of(run.outcomes)
            self._why = {r.number: r.why for r in rows}
            self._rows = [r.number for r in rows] + [n for n in self._rows if n not in run.outcomes]
        self.setRowCount(len(self._rows))
        for number in self._rows:
            self.show_item(number)

    def show_item(self, number: int) -> None:
        """Show what is known of one picture now."""
        row = self._rows.index(number) if self._rows[number : number + 1] != [number] else number
        source, target = self.run.items[number]
        outcome, share = self.run.outcomes.get(number), self.run.shares.get(number)
        if outcome is not None:
            state, figures = self.tr(outcome.state.value), outcome.verdict
        elif share is not None:
            state, figures = f"{100 * share:.0f} %", {}
        else:
            state, figures = (self.tr("waits") if target else self.tr("name taken")), {}
        words = [plain(Path(source).name), state, f"{outcome.seconds:.1f}" if outcome and outcome.seconds else ""]
        words += ["" if (v := figures.get(f)) is None else f"{v:.1f}" for f in FIGURES]
        told = ""
        if outcome is not None:
            told = outcome.error or self._why.get(number, "") or " ".join(outcome.notices)
        words.append(told or (f"→ {plain(Path(target).name)}" if target else ""))
        c = colours()
        alert = outcome is not None and (outcome.state is not State.DONE or bool(self._why.get(number)))
        for column, text in enumerate(words):
            item = self.item(row, column)
            if item is None:
                item = QTableWidgetItem()
                if 2 <= column <= 6:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.setItem(row, column, item)
            item.setText(text)
            item.setToolTip(text if column in (0, 7) else "")
            item.setForeground(
                QBrush(QColor(c.warn if alert and column in (1, 7) else c.faint if column == 7 else c.text))
            )

    def _show_row(self, row: int) -> None:
        number = self._rows[row]
        self.wanted.emit(Path(self.run.items[number][0]))
