"""The form of a batch: which pictures, what is done to them, where the results go and who does it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QSpinBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.batch.doers import DOERS, DoerKind
from dustpan.core.batch.order import Order, Taken
from dustpan.core.files import FORMATS, writable
from dustpan.core.language import capital
from dustpan.core.picture import Depth
from dustpan.core.recipes.shelf import Shelf, Shelved
from dustpan.core.sweep import Sweep
from dustpan.ui.dialogs.output_rows import OutputRows
from dustpan.ui.look.buttons import button
from dustpan.ui.look.elided import ElidedLabel

SUGGESTED, BENCH = "suggested", "bench"


class OrderForm(QWidget):
    """``changed`` tells that something else is ordered."""

    changed = pyqtSignal()

    def __init__(self, shelf: Shelf, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.shelf = shelf
        self.bench: Sweep | None = None
        self._build()
        self.fill_recipes()

    # -------------------------------------------------------------- building

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
        for one in (
            button(tr("Pictures …"), tr("Choose pictures"), self._ask_files),
            button(tr("Folder …"), tr("Choose a folder; every picture in it and below counts"), self._ask_folder),
            button(tr("Take out"), tr("Take the chosen ones out of this list"), self.take_out),
        ):
            buttons.addWidget(one)
        buttons.addStretch(1)
        left = QVBoxLayout()
        left.addWidget(self.sources, 1)
        left.addLayout(buttons)
        self.recipe = QComboBox()
        self.out = QLineEdit()
        browse = button(tr("Browse …"), tr("Choose the folder of the results"), self._ask_out)
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
        self.doer = QComboBox()
        self.settings = QStackedWidget()
        for kind in DOERS:
            self.doer.addItem(tr(kind.name), kind.id)
            self.doer.setItemData(self.doer.count() - 1, tr(kind.help), Qt.ItemDataRole.ToolTipRole)
            self.settings.addWidget(self._setting(kind))
        self.doer.currentIndexChanged.connect(self._choose_doer)
        done_by = QHBoxLayout()
        done_by.addWidget(self.doer, 1)
        done_by.addWidget(self.settings, 2)
        self.watch = QCheckBox(tr("Watch for more"))
        self.watch.setToolTip(tr("Waits for pictures that come into the folders, and does each once it is complete"))
        last = QHBoxLayout()
        last.addWidget(self.metadata)
        last.addWidget(self.watch)
        last.addStretch(1)
        names = QHBoxLayout()
        names.addWidget(self.pattern, 1)
        names.addWidget(self.taken)
        middle, right = QFormLayout(), QVBoxLayout()
        rows: tuple[tuple[str, QWidget | QHBoxLayout, QWidget | None], ...] = (
            (tr("Do"), self.recipe, self.recipe), (tr("Into"), out, self.out), (tr("Named"), names, self.pattern),
            ("", self.becomes, None), (tr("As"), kinds, self.formats), (tr("Done by"), done_by, self.doer),
            ("", last, None),
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
        top = QHBoxLayout(self)
        top.setContentsMargins(0, 0, 0, 0)
        top.setSpacing(16)
        top.addLayout(left, 3)
        top.addLayout(middle, 4)
        top.addLayout(right, 3)
        for signal in (
            self.watch.toggled, self.recipe.currentIndexChanged, self.out.textChanged, self.pattern.textChanged,
            self.taken.currentIndexChanged, self.formats.currentIndexChanged, self.output.changed,
        ):  # fmt: skip
            signal.connect(self.changed)
        self._choose_doer(0)

    def _setting(self, kind: DoerKind) -> QWidget:
        """The field of a doer's setting; an empty place for one without."""
        if kind.usual is None:
            return QWidget()
        field: QSpinBox | QLineEdit
        if isinstance(kind.usual, int):
            field = QSpinBox()
            field.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
            field.setRange(1, kind.most)
            field.setValue(2)
        else:
            field = QLineEdit()
            field.setPlaceholderText("tcp://127.0.0.1:8786")
        field.setToolTip(self.tr(kind.help))
        field.setAccessibleName(self.tr(kind.name))
        return field

    def _choose_doer(self, index: int) -> None:
        self.settings.setCurrentIndex(index)
        self.doer.setToolTip(self.tr(DOERS[index].help))

    # -------------------------------------------------------------- what is ordered

    def doer_asked(self) -> dict[str, int | str]:
        """Who is to do it, as `doer_for` takes it."""
        kind, field = DOERS[self.doer.currentIndex()], self.settings.currentWidget()
        if isinstance(field, QSpinBox):
            return {kind.id: field.value()}
        return {kind.id: field.text().strip()} if isinstance(field, QLineEdit) else {}

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
        self.changed.emit()

    def add(self, paths: Sequence[Path]) -> None:
        """Add files and folders, each once."""
        there = set(map(str, self.paths))
        for path in paths:
            if str(path) not in there:
                self.sources.addItem(str(path))
        if paths and not self.out.text():
            first = paths[0] if paths[0].is_dir() else paths[0].parent
            self.out.setText(str(first / "cleaned"))
        self.changed.emit()

    def take_out(self) -> None:
        for item in self.sources.selectedItems():
            self.sources.takeItem(self.sources.row(item))
        self.changed.emit()

    @property
    def paths(self) -> list[Path]:
        """The files and folders that were chosen."""
        items = (self.sources.item(n) for n in range(self.sources.count()))
        return [Path(item.text()) for item in items if item is not None]

    def order(self) -> Order:
        """What is ordered now; raises `DustpanError` where it makes no sense."""
        what = self.recipe.currentData()
        sweep, name = None, ""
        if what == BENCH and self.bench is not None:
            sweep, name = self.bench.as_json(), self.tr("bench")
        elif what not in (SUGGESTED, None):
            recipe = self.shelf.named(str(what))
            sweep, name = recipe.sweep, recipe.name
        sources = tuple(map(str, self.paths))
        return Order(
            sources=sources, out=str(Path(self.out.text()).absolute()), name=self.pattern.text(),
            taken=self.taken.currentData(), sweep=sweep, recipe=name, ending=self.formats.currentData(),
            depth=self.depths.currentData(), quality=self.quality.value(), output=self.output.output().as_json(),
            metadata=self.metadata.isChecked(),
        )  # fmt: skip

    def go_on_from(self, old: OrderForm) -> None:
        """Order what another form does, which is in another language or of another look."""
        self.bench = old.bench
        self.sources.clear()
        self.sources.addItems([str(p) for p in old.paths])
        self.fill_recipes()
        self.recipe.setCurrentIndex(self.recipe.findData(old.recipe.currentData()))
        for mine, theirs in (
            (self.taken, old.taken), (self.formats, old.formats), (self.depths, old.depths), (self.doer, old.doer),
        ):  # fmt: skip
            mine.setCurrentIndex(theirs.currentIndex())
        self.out.setText(old.out.text())
        self.pattern.setText(old.pattern.text())
        self.quality.setValue(old.quality.value())
        for box, other in ((self.metadata, old.metadata), (self.watch, old.watch)):
            box.setChecked(other.isChecked())
        self.output.show_output(old.output.output())
        for n in range(self.settings.count()):
            field, before = self.settings.widget(n), old.settings.widget(n)
            if isinstance(field, QSpinBox) and isinstance(before, QSpinBox):
                field.setValue(before.value())
            elif isinstance(field, QLineEdit) and isinstance(before, QLineEdit):
                field.setText(before.text())

    # -------------------------------------------------------------- choosing

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
