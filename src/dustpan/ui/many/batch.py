"""The batch view: which pictures, what is done to them, what is written where, and what came of each."""

from __future__ import annotations

import time
from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import Qt, QTimer, QUrl, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QDesktopServices, QDragEnterEvent, QDropEvent, QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QListWidget,
    QProgressBar,
    QPushButton,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.batch.batch import Summary
from dustpan.core.batch.order import Order, Taken
from dustpan.core.batch.report import rows_of
from dustpan.core.errors import DustpanError
from dustpan.core.files import FORMATS, writable
from dustpan.core.jobs.one import Outcome, State
from dustpan.core.language import capital, mark
from dustpan.core.picture import Depth
from dustpan.core.recipes.shelf import Shelf, Shelved
from dustpan.core.sweep import Sweep
from dustpan.core.text import plain
from dustpan.ui.dialogs.output_rows import OutputRows
from dustpan.ui.drops import dropped
from dustpan.ui.look.elided import ElidedLabel
from dustpan.ui.look.plain import Label
from dustpan.ui.look.theme import colours
from dustpan.ui.many.planning import Plan, Planning
from dustpan.ui.many.runner import Runner

COLUMNS = (
    mark("picture"), mark("state"), "s", mark("noise left"), mark("texture kept"), mark("halos"), mark("edges"),
    mark("what to know"),
)  # fmt: skip
FIGURES = ("noise_left", "texture_kept", "halo_height", "edge_width_after")
SUGGESTED, BENCH = "suggested", "bench"


class BatchView(QDialog):
    """``progressed`` carries how many of how many are done, for the window's title; (0, 0) when nothing goes on.

    ``show_wanted`` carries a picture to be looked at on the bench.
    """

    progressed = pyqtSignal(int, int)
    show_wanted = pyqtSignal(object)

    def __init__(self, shelf: Shelf, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.shelf, self.runner = shelf, Runner(self)
        self.planning = Planning(self, self.runner.opening)
        self.bench: Sweep | None = None
        self.outcomes: dict[int, Outcome] = {}
        self.items: list[tuple[str, str]] = []
        self._shares: dict[int, float] = {}
        self._began = 0.0
        self._done_before = 0
        self.setWindowTitle(self.tr("Batch"))
        self.setAcceptDrops(True)
        self.resize(1180, 740)
        self._build()
        r = self.runner
        for signal, slot in (
            (self.planning.ready, self._show_plan),
            (r.planned, self._planned), (r.noticed, self.note.setText), (r.began, self._item_began),
            (r.progressed, self._item_progressed), (r.ended, self._item_ended), (r.finished, self._finished),
        ):  # fmt: skip
            signal.connect(slot)
        self._looking = QTimer(self)
        self._looking.setSingleShot(True)
        self._looking.setInterval(200)
        self._looking.timeout.connect(self.show_plan)
        for button in (self.resume, self.pause, self.cancel, self.again):
            button.setVisible(False)
        for button in (self.begin, self.report):
            button.setEnabled(False)
        self.fill_recipes()
        self.show_plan()

    # -------------------------------------------------------------- building

    def _button(self, text: str, tip: str, do: object) -> QPushButton:
        button = QPushButton(text)
        button.setToolTip(tip)
        button.setAutoDefault(False)
        button.clicked.connect(lambda: do())  # type: ignore[operator]
        return button

    def _build(self) -> None:
        tr = self.tr
        self.sources = QListWidget()
        self.sources.setAccessibleName(tr("Pictures and folders"))
        self.sources.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.sources.setToolTip(tr("Files and folders; drop more anywhere here, Delete takes the chosen ones out"))
        away = QShortcut(QKeySequence.StandardKey.Delete, self.sources)
        away.setContext(Qt.ShortcutContext.WidgetShortcut)
        away.activated.connect(self.take_out)
        buttons = QHBoxLayout()
        for button in (
            self._button(tr("Pictures …"), tr("Choose pictures"), self._ask_files),
            self._button(tr("Folder …"), tr("Choose a folder; every picture in it and below counts"), self._ask_folder),
            self._button(tr("Take out"), tr("Take the chosen ones out of this list"), self.take_out),
        ):
            buttons.addWidget(button)
        buttons.addStretch(1)
        left = QVBoxLayout()
        left.addWidget(self.sources, 1)
        left.addLayout(buttons)
        self.recipe = QComboBox()
        self.out = QLineEdit()
        browse = self._button(tr("Browse …"), tr("Choose the folder of the results"), self._ask_out)
        out = QHBoxLayout()
        out.addWidget(self.out, 1)
        out.addWidget(browse)
        self.pattern = QLineEdit("{name}")
        self.pattern.setToolTip(tr("Can hold {name}, {number}, {number:03}, {recipe}, {date} and {folder}"))
        self.taken = QComboBox()
        for rule in Taken:
            self.taken.addItem(capital(tr(rule.value)), rule)
        self.taken.setToolTip(tr("What is done where a name is taken already"))
        self.becomes = ElidedLabel()
        self.becomes.setObjectName("faint")
        self.formats = QComboBox()
        self.formats.addItem(tr("Each its own"), "")
        for f in writable():
            self.formats.addItem(f.name, f.suffixes[0])
        self.depths = QComboBox()
        self.depths.addItem(tr("Each its own"), "")
        for depth in Depth:
            self.depths.addItem(depth.words, depth.value)
        self.quality = QSpinBox()
        self.quality.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.quality.setRange(1, 100)
        self.quality.setValue(92)
        self.quality.setPrefix(tr("quality") + " ")
        kinds = QHBoxLayout()
        for widget in (self.formats, self.depths, self.quality):
            kinds.addWidget(widget, 1)
        self.metadata = QCheckBox(tr("Keep exposure facts"))
        self.metadata.setChecked(True)
        self.workers = QSpinBox()
        self.workers.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.workers.setRange(0, 64)
        self.workers.setSpecialValueText(tr("in this process"))
        self.workers.setSuffix(" " + tr("processes"))
        self.workers.setToolTip(tr("Several pictures at a time, each in a process of its own; needs its memory each"))
        self.watch = QCheckBox(tr("Watch for more"))
        self.watch.setToolTip(tr("Waits for pictures that come into the folders, and does each once it is complete"))
        last = QHBoxLayout()
        last.addWidget(self.metadata)
        last.addWidget(self.watch)
        last.addStretch(1)
        last.addWidget(self.workers)
        names = QHBoxLayout()
        names.addWidget(self.pattern, 1)
        names.addWidget(self.taken)
        middle, right = QFormLayout(), QVBoxLayout()
        rows: tuple[tuple[str, QWidget | QHBoxLayout, QWidget | None], ...] = (
            (tr("Do"), self.recipe, self.recipe), (tr("Into"), out, self.out), (tr("Named"), names, self.pattern),
            ("", self.becomes, None), (tr("As"), kinds, self.formats), ("", last, None),
        )  # fmt: skip
        for words, row, called in rows:
            if isinstance(row, QWidget):
                middle.addRow(words, row)
            else:
                middle.addRow(words, row)
            if called is not None:
                called.setAccessibleName(words)
        self.output = OutputRows(self)
        right.addWidget(self.output)
        right.addStretch(1)
        top = QHBoxLayout()
        top.setSpacing(16)
        top.addLayout(left, 3)
        top.addLayout(middle, 4)
        top.addLayout(right, 3)
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setHorizontalHeaderLabels([tr(c) for c in COLUMNS])
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        self.table.setAccessibleName(tr("Pictures of the batch"))
        self.table.setStyleSheet(
            "QTableWidget::item { padding: 0 7px; }"
            f"QTableWidget::item:selected {{ background: {colours().surface}; color: {colours().text}; }}"
        )
        self.table.cellDoubleClicked.connect(lambda row, _: self._show_row(row))
        side = self.table.verticalHeader()
        head = self.table.horizontalHeader()
        assert side is not None
        assert head is not None
        side.hide()
        side.setDefaultSectionSize(22)
        for column, width in enumerate((230, 92, 52, 78, 88, 62, 62)):
            titled = head.fontMetrics().horizontalAdvance(tr(COLUMNS[column])) + 18
            self.table.setColumnWidth(column, max(width, titled))
        head.setSectionResizeMode(len(COLUMNS) - 1, QHeaderView.ResizeMode.Stretch)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.left = Label("")
        self.note = ElidedLabel()
        self.note.setObjectName("warning")
        self.begin = self._button(tr("Begin"), tr("Do it to all of them"), self.start)
        self.begin.setDefault(True)
        self.resume = self._button(tr("Go on"), tr("Go on with the batch that is in this folder"), self.go_on)
        self.pause = self._button(tr("Pause"), tr("Begin no further picture until you say so"), self.toggle_pause)
        self.cancel = self._button(
            tr("Cancel"), tr("Stop now; what is done stays, and can be gone on with"), self.call_off
        )
        self.again = self._button(tr("Retry what failed"), tr("Try only those again that failed"), self.go_on)
        self.report = self._button(tr("Report"), tr("Open the page of this batch, outliers first"), self.open_report)
        foot = QHBoxLayout()
        foot.addWidget(self.bar, 1)
        foot.addWidget(self.left)
        for button in (self.report, self.again, self.resume, self.pause, self.cancel, self.begin):
            foot.addWidget(button)
        box = QVBoxLayout(self)
        box.addLayout(top)
        box.addWidget(self.table, 1)
        box.addWidget(self.note)
        box.addLayout(foot)
        for signal in (
            self.watch.toggled, self.recipe.currentIndexChanged, self.out.textChanged, self.pattern.textChanged,
            self.taken.currentIndexChanged, self.formats.currentIndexChanged, self.output.changed,
        ):  # fmt: skip
            signal.connect(self._plan_soon)

    # -------------------------------------------------------------- what is ordered

    def fill_recipes(self, chosen: Shelved | None = None) -> None:
        """Offer what can be done; ``chosen`` is taken."""
        now = str(chosen.path) if chosen else self.recipe.currentData()
        self.recipe.blockSignals(True)
        self.recipe.clear()
        self.recipe.addItem(self.tr("What is suggested for each"), SUGGESTED)
        if self.bench is not None:
            self.recipe.addItem(self.tr("The sweep on the bench"), BENCH)
        for s in self.shelf.found():
            self.recipe.addItem(s.name, str(s.path))
            self.recipe.setItemData(self.recipe.count() - 1, s.when, Qt.ItemDataRole.ToolTipRole)
        at = self.recipe.findData(now) if now else -1
        self.recipe.setCurrentIndex(at if at >= 0 else 1 if self.bench is not None else 0)
        self.recipe.blockSignals(False)

    def show_bench(self, sweep: Sweep | None, paths: Sequence[Path]) -> None:
        """What is on the bench can be done to others; open pictures are proposed where nothing was chosen."""
        self.bench = sweep
        if not self.sources.count():
            self.add([p for p in paths if p.exists()])
        self.fill_recipes()
        self.show_plan()

    def add(self, paths: Sequence[Path]) -> None:
        """Add files and folders, each once."""
        there = {self.sources.item(n).text() for n in range(self.sources.count())}  # type: ignore[union-attr]
        for path in paths:
            if str(path) not in there:
                self.sources.addItem(str(path))
        if paths and not self.out.text():
            first = paths[0] if paths[0].is_dir() else paths[0].parent
            self.out.setText(str(first / "cleaned"))
        self.show_plan()

    def take_out(self) -> None:
        for item in self.sources.selectedItems():
            self.sources.takeItem(self.sources.row(item))
        self.show_plan()

    def order(self) -> Order:
        """What is ordered now; raises `DustpanError` where it makes no sense."""
        what = self.recipe.currentData()
        sweep, name = None, ""
        if what == BENCH and self.bench is not None:
            sweep, name = self.bench.as_json(), self.tr("bench")
        elif what not in (SUGGESTED, None):
            recipe = self.shelf.named(str(what))
            sweep, name = recipe.sweep, recipe.name
        sources = tuple(self.sources.item(n).text() for n in range(self.sources.count()))  # type: ignore[union-attr]
        return Order(
            sources=sources, out=str(Path(self.out.text()).absolute()), name=self.pattern.text(),
            taken=self.taken.currentData(), sweep=sweep, recipe=name, ending=self.formats.currentData(),
            depth=self.depths.currentData(), quality=self.quality.value(), output=self.output.output().as_json(),
            metadata=self.metadata.isChecked(),
        )  # fmt: skip

    def _plan_soon(self) -> None:
        self._looking.start()

    def show_plan(self) -> None:
        """What will be written where, before it is begun."""
        if self.runner.running:
            return
        order: Order | str = self.tr("Add pictures, or drop them here.")
        if self.sources.count():
            try:
                order = self.order()
            except DustpanError as error:
                order = str(error)
        self.planning.ask(self.out.text(), order)

    def _show_plan(self, plan: Plan) -> None:
        self.items, self.outcomes, self._shares = list(plan.items), {}, {}
        self.becomes.setText(plan.words)
        self.note.setText(plan.problem)
        self.resume.setVisible(plan.left is not None)
        if plan.left is not None:
            words = self.tr("A batch in this folder was not finished: {0} of {1} pictures are left.")
            self.note.setText(words.format(*plan.left))
        for button in (self.pause, self.cancel, self.again):
            button.setVisible(False)
        self.report.setEnabled(bool(self.out.text()) and self._page.is_file())
        self._fill_table()
        self.begin.setEnabled(bool(self.items) or (self.watch.isChecked() and self.sources.count() > 0))

    @property
    def _page(self) -> Path:
        return Path(self.out.text()) / "dustpan-batch.html"

    # -------------------------------------------------------------- running

    def start(self) -> None:
        """Begin what is ordered."""
        try:
            order = self.order()
        except DustpanError as error:
            self.note.setText(str(error))
            return
        self.note.setText("")
        self.runner.start(
            Path(order.out), order, anew=self.resume.isVisible(), workers=self.workers.value(),
            watch=self.watch.isChecked(),
        )  # fmt: skip
        self._running(True)

    def go_on(self) -> None:
        """Go on with what is in the folder, which tries again what failed."""
        self.note.setText("")
        self.runner.start(Path(self.out.text()), None, resume=True, workers=self.workers.value())
        self._running(True)

    def toggle_pause(self) -> None:
        self.runner.pause(not self.runner.paused)
        self.pause.setText(self.tr("Go on") if self.runner.paused else self.tr("Pause"))
        self._tell()

    def call_off(self) -> None:
        self.runner.cancel()
        self.left.setText(self.tr("cancelling …"))

    def _running(self, on: bool) -> None:
        self.planning.forget()
        for widget in (self.begin, self.resume, self.again):
            widget.setVisible(False if on else widget is self.begin)
        for widget in (self.pause, self.cancel):
            widget.setVisible(on)
        self.pause.setText(self.tr("Pause"))
        self._began = time.monotonic()

    def _planned(self, items: list, known: dict[int, Outcome]) -> None:
        self.items, self.outcomes, self._shares = items, dict(known), {}
        self._done_before = len(known)
        self._fill_table()
        self._tell()

    def _item_began(self, number: int) -> None:
        self._shares[number] = 0.0
        self._show_item(number)

    def _item_progressed(self, number: int, done: int, total: int) -> None:
        self._shares[number] = done / max(total, 1)
        self._show_item(number)
        self._tell()

    def _item_ended(self, number: int, outcome: Outcome) -> None:
        self.outcomes[number] = outcome
        self._shares.pop(number, None)
        self._show_item(number)
        self._tell()

    def _finished(self, summary: Summary | None, why: str) -> None:
        self._running(False)
        self.progressed.emit(0, 0)
        failed = any(o.state is State.FAILED for o in self.outcomes.values())
        self.again.setVisible(failed)
        self.note.setText(why or (summary.words() if summary else ""))
        self.left.setText("")
        self._shares = {}
        if summary and summary.left:
            self.resume.setVisible(True)
        self.begin.setEnabled(self.sources.count() > 0)  # whatever was planned before it ran
        self.report.setEnabled(self._page.is_file())
        self._fill_table(outliers_first=bool(summary and not summary.left))

    def _tell(self) -> None:
        """How far it is, over all, and how long it will take."""
        done, total = len(self.outcomes), max(len(self.items), 1)
        share = done + sum(self._shares.values())
        self.bar.setRange(0, 1000)
        self.bar.setValue(round(1000 * share / total))
        gone, fresh = time.monotonic() - self._began, share - self._done_before
        seconds = gone / fresh * (total - share) if fresh > 0.2 else 0
        said = self.tr("{0} of {1}").format(done, len(self.items))
        if self.runner.paused:
            said += " · " + self.tr("paused")
        elif seconds:
            said += " · " + (self.tr("{0:.0f} s left") if seconds < 90 else self.tr("{0:.0f} min left")).format(
                seconds if seconds < 90 else seconds / 60
            )
        self.left.setText(said)
        self.progressed.emit(done, len(self.items))

    # -------------------------------------------------------------- the table

    def _fill_table(self, outliers_first: bool = False) -> None:
        self._rows = list(range(len(self.items)))
        self._why: dict[int, str] = {}
        if outliers_first and self.outcomes:
            rows = rows_of(self.outcomes)
            self._why = {r.number: r.why for r in rows}
            self._rows = [r.number for r in rows] + [n for n in self._rows if n not in self.outcomes]
        self.table.setRowCount(len(self._rows))
        for number in self._rows:
            self._show_item(number)

    def _show_item(self, number: int) -> None:
        row = self._rows.index(number) if self._rows[number : number + 1] != [number] else number
        source, target = self.items[number]
        outcome = self.outcomes.get(number)
        if outcome is not None:
            state, figures = self.tr(outcome.state.value), outcome.verdict
        elif number in self._shares:
            state, figures = f"{100 * self._shares[number]:.0f} %", {}
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
            item = self.table.item(row, column)
            if item is None:
                item = QTableWidgetItem()
                if 2 <= column <= 6:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(row, column, item)
            item.setText(text)
            item.setToolTip(text if column in (0, 7) else "")
            item.setForeground(
                QBrush(QColor(c.warn if alert and column in (1, 7) else c.faint if column == 7 else c.text))
            )

    def _show_row(self, row: int) -> None:
        number = self._rows[row]
        self.show_wanted.emit(Path(self.items[number][0]))

    # -------------------------------------------------------------- choosing, dropping, closing

    def _ask_files(self) -> None:
        patterns = " ".join(f"*{s}" for f in FORMATS for s in f.suffixes)
        files, _ = QFileDialog.getOpenFileNames(self, self.tr("Pictures"), "", f"{self.tr('Pictures')} ({patterns})")
        self.add([Path(f) for f in files])

    def _ask_folder(self) -> None:
        if folder := QFileDialog.getExistingDirectory(self, self.tr("Folder of pictures")):
            self.add([Path(folder)])

    def _ask_out(self) -> None:
        if folder := QFileDialog.getExistingDirectory(self, self.tr("Folder of the results"), self.out.text()):
            self.out.setText(folder)

    def open_report(self) -> None:
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(self._page)))

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        dropped(event)

    def dropEvent(self, event: QDropEvent | None) -> None:
        if (found := dropped(event)) and not self.runner.running:
            self.add(found)
