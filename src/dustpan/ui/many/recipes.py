"""The recipe view: a card each, what one holds and did, and what it would do to the picture on the bench."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QSize, Qt, QTimer
from PyQt6.QtGui import QColor, QIcon, QImage, QPainter, QPixmap
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.errors import DustpanError
from dustpan.core.jobs.events import RecipeSeen
from dustpan.core.jobs.questions import recipe_preview
from dustpan.core.judge.verdict import Verdict
from dustpan.core.language import capital
from dustpan.core.open.document import Document
from dustpan.core.recipes.recipe import SUFFIX, Recipe, crop_of, save_recipe
from dustpan.core.recipes.shelf import ChangedMeanwhile, Shelved, SortedBy
from dustpan.core.region import Region
from dustpan.core.sweep import Sweep, with_first_steps
from dustpan.ui.ask import ask
from dustpan.ui.look.buttons import button
from dustpan.ui.look.plain import Label
from dustpan.ui.look.theme import colours
from dustpan.ui.many.make_recipe import make_recipe
from dustpan.ui.pixels import image_of
from dustpan.ui.view import KEEP, Seat

CARD = QSize(128, 62)
SEEN, PLACES = 104, 4  # px of a preview, and how many places
MOST_TELLING = (3, 4, 0, 1, 2)  # of the probes: finest texture and hardest edge first
WAIT_MS = 150  # for a choice to stand still before it is previewed


class RecipesView(QWidget):
    """The shelf of the window, previewed on the picture of its bench."""

    def __init__(self, seat: Seat) -> None:
        super().__init__(seat.parent)
        self.seat, self.shelf, self.jobs = seat, seat.shelf, seat.jobs
        self.shelved: list[Shelved] = []
        self._undo: list[Callable[[], None]] = []
        self._filling = False
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(WAIT_MS)
        self._timer.timeout.connect(self._ask_preview)
        self._build()
        self._end_hearing = self.jobs.hear(RecipeSeen, self._previewed)
        self.fill()

    # -------------------------------------------------------------- as a view of the window

    @property
    def widget(self) -> QWidget:
        return self

    @property
    def title(self) -> str:
        return self.tr("Recipes")

    def enter(self, what: object = None) -> None:
        """List them anew, and preview on the picture that is on the bench now."""
        self.fill()
        if what is KEEP:
            self.keep_sweep()
        else:
            self.list.setFocus()

    def may_leave(self) -> bool:
        return True

    def stop(self) -> None:
        """Take what is being typed."""
        if self._about.isActive():
            self._about.stop()
            self._about_edited()

    def rebuilt(self) -> RecipesView:
        """The same in another language or of another look."""
        self.stop()
        fresh = RecipesView(self.seat)
        fresh._undo = self._undo
        fresh.search.setText(self.search.text())
        fresh.order.setCurrentIndex(self.order.currentIndex())
        fresh.fill(self.chosen.path if self.chosen else None)
        return fresh

    def retire(self) -> None:
        self._timer.stop()
        self._end_hearing()
        self.deleteLater()

    # -------------------------------------------------------------- building

    def _build(self) -> None:
        tr = self.tr
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Search names, steps, cameras …"))
        self.search.setAccessibleName(tr("Search"))
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self._look)
        self.order = QComboBox()
        for order in SortedBy:
            self.order.addItem(capital(tr(order.value)), order)
        self.order.setAccessibleName(tr("Sorted by"))
        self.order.currentIndexChanged.connect(self._look)
        self.list = QListWidget()
        self.list.setIconSize(CARD)
        self.list.setAccessibleName(tr("Recipes"))
        self.list.setMinimumWidth(360)
        self.list.setSpacing(1)
        self.list.setWordWrap(True)
        self.list.setStyleSheet(
            f"QListWidget::item:selected {{ border-left: 3px solid {colours().accent}; background: transparent;"
            f" color: {colours().text}; }}"
        )
        self.list.currentRowChanged.connect(self._show)
        self.list.itemActivated.connect(lambda _: self.use(False))
        self.keep = button(tr("Keep this sweep"), tr("Make a recipe of the sweep on the bench"), self.keep_sweep)
        self.bring = button(tr("Import …"), tr("Put a recipe file on the shelf"), self.ask_import)
        self.back = button(tr("Undo"), tr("Put back what was deleted last"), self.put_back)
        head = QHBoxLayout()
        head.addWidget(self.search, 1)
        head.addWidget(self.order)
        foot = QHBoxLayout()
        for one in (self.keep, self.bring, self.back):
            foot.addWidget(one)
        foot.addStretch(1)
        left = QVBoxLayout()
        left.addLayout(head)
        left.addWidget(self.list, 1)
        left.addLayout(foot)
        self.name, self.when, self.about = QLineEdit(), QLineEdit(), QPlainTextEdit()
        self.name.setAccessibleName(tr("Name"))
        self.when.setAccessibleName(tr("When to use it"))
        self.when.setPlaceholderText(tr("When to use it, in one sentence"))
        self.about.setAccessibleName(tr("Description"))
        self.about.setPlaceholderText(tr("Description"))
        self.about.setFixedHeight(48)
        # methods, not lambdas: these may be told while the view is being destroyed, when only methods are left out
        self.name.editingFinished.connect(self._named)
        self.when.editingFinished.connect(self._described)
        self.about.textChanged.connect(self._about_typed)
        self._about = QTimer(self)
        self._about.setSingleShot(True)
        self._about.setInterval(600)
        self._about.timeout.connect(self._about_edited)
        self.words, self.facts, self.note = Label(), Label(), Label()
        self.figures = Label()
        for label in (self.words, self.facts, self.note, self.figures):
            label.setWordWrap(True)
        self.facts.setObjectName("faint")
        self.note.setObjectName("warning")
        self.places: list[tuple[Label, Label]] = []
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        for n in range(PLACES):
            pair = Label(), Label()
            for side in pair:
                side.setFixedSize(SEEN, SEEN)
                side.setAccessibleName(tr("Preview"))
            both = QHBoxLayout()
            both.setSpacing(2)
            for side in pair:
                both.addWidget(side)
            both.addStretch(1)
            grid.addLayout(both, n // 2, n % 2)
            self.places.append(pair)
        self.figures.setObjectName("faint")
        self.figures.setMinimumHeight(3 * self.figures.fontMetrics().height())  # its words come later
        self.figures.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.replace = button(
            tr("Use instead of this sweep"), tr("The picture's sweep becomes that of the recipe; can be undone"),
            lambda: self.use(True),
        )  # fmt: skip
        self.add = button(
            tr("Add to this sweep"), tr("Its steps come to those that are there; a chain as one entry"),
            lambda: self.use(False),
        )  # fmt: skip
        self.batch = button(tr("Batch …"), tr("Do it to many pictures"), self._batch)
        self.double = button(tr("Duplicate"), tr("A copy that is yours to change"), self.duplicate)
        self.give = button(tr("Export …"), tr("Write it to a file for others"), self.ask_export)
        self.drop = button(tr("Delete"), tr("Take it off the shelf; Undo puts it back"), self.delete)
        use, more = QHBoxLayout(), QHBoxLayout()
        for one in (self.add, self.replace, self.batch):
            use.addWidget(one)
        for one in (self.double, self.give, self.drop):
            more.addWidget(one)
        use.addStretch(1)
        more.addStretch(1)
        right = QVBoxLayout()
        for widget in (self.name, self.when, self.about, self.words, self.facts):
            right.addWidget(widget)
        right.addSpacing(6)
        right.addLayout(grid)
        right.addWidget(self.figures)
        right.addStretch(1)
        right.addWidget(self.note)
        right.addLayout(use)
        right.addLayout(more)
        box = QHBoxLayout(self)
        box.setSpacing(16)
        box.addLayout(left, 5)
        box.addLayout(right, 6)

    # -------------------------------------------------------------- what is shown

    def document(self) -> Document | None:
        """The picture on the bench."""
        return self.seat.state.document

    @property
    def chosen(self) -> Shelved | None:
        row = self.list.currentRow()
        return self.shelved[row] if 0 <= row < len(self.shelved) else None

    def fill(self, path: Path | None = None) -> None:
        """List what is on the shelf; the one at a path, or the one that was chosen, stays chosen."""
        wanted = path or (self.chosen.path if self.chosen else None)
        self.shelved = self.shelf.found(self.search.text(), self.order.currentData())
        self.list.blockSignals(True)
        self.list.clear()
        for s in self.shelved:
            made = s.recipe.made_on
            on = " · ".join(filter(None, (made.camera, f"ISO {made.iso:.0f}" if made.iso else "", made.date[:10])))
            origin = self.tr("came with Dustpan") if s.shipped else on
            mark = self.tr("chain") + " · " if s.recipe.chain else ""
            item = QListWidgetItem(_card(s.recipe), f"{s.name}\n{s.when or s.recipe.words()}\n{mark}{origin}")
            item.setToolTip(s.recipe.words())
            self.list.addItem(item)
        row = next((n for n, s in enumerate(self.shelved) if s.path == wanted), 0)
        self.list.setCurrentRow(row if self.shelved else -1)
        self.list.blockSignals(False)
        self.note.setText(" ".join(self.shelf.problems))
        self._show()

    def _look(self) -> None:
        self.fill()

    def _show(self) -> None:
        s, document = self.chosen, self.document()
        self._filling = True
        for text, value in ((self.name, s.name if s else ""), (self.when, s.when if s else "")):
            text.setText(value)
            text.setReadOnly(s is None or s.shipped)
        self.about.setPlainText(s.recipe.about if s else "")
        self.about.setReadOnly(s is None or s.shipped)
        self.about.setVisible(s is not None and (not s.shipped or bool(s.recipe.about)))
        self._filling = False
        self.words.setText(s.recipe.words() if s else self.tr("Nothing on the shelf holds these words."))
        told = []
        if s and (fixed := s.recipe.fixed()):
            told.append(self.tr("Depends on the picture, typed in its units: {0}.").format("; ".join(fixed)))
        if s and s.recipe.left_out:
            told.append(
                self.tr("Left out, because it belonged to one picture: {0}.").format("; ".join(s.recipe.left_out))
            )
        if s and s.recipe.did.verdict:
            known = {k: v for k, v in s.recipe.did.verdict.items() if k in Verdict.__dataclass_fields__}
            said = Verdict(**{**dict.fromkeys(("noise_left", "texture_kept", "halo_height", "edge_width_before",
                                               "edge_width_after")), **known})  # fmt: skip
            told.append(self.tr("On {0}: {1}.").format(s.recipe.made_on.picture, said.sentence()))
        self.facts.setText("\n".join(told))
        self.facts.setVisible(bool(told))
        for one, on in (
            (self.replace, s and document), (self.add, s and document), (self.batch, s), (self.double, s),
            (self.give, s), (self.drop, s and not s.shipped), (self.keep, document), (self.back, self._undo),
        ):  # fmt: skip
            one.setEnabled(bool(on))
        for pair in self.places:
            for side in pair:
                side.clear()
        self.figures.setText("" if document is None else self.tr("previewing on {0} …").format(document.name))
        self._timer.start()

    def _ask_preview(self) -> None:
        s, document = self.chosen, self.document()
        if s is None or document is None:
            return
        sweep, places = self.swept(s.recipe, document), _places(document)
        self.jobs.ask("recipe", document, partial(recipe_preview, document, sweep, places))

    def swept(self, recipe: Recipe, document: Document, instead: bool = True) -> Sweep:
        """What the picture's sweep becomes with a recipe."""
        if recipe.chain or not instead:
            return document.sweep.with_recipe(recipe.steps(), recipe.name if recipe.chain else "")
        return with_first_steps(recipe.steps(), document.picture.kind)

    def _previewed(self, event: RecipeSeen) -> None:
        s, document, figures = self.chosen, event.document, event.verdict
        if document is not self.document() or s is None or event.sweep != self.swept(s.recipe, document):
            return
        for pair, both in zip(self.places, event.places, strict=False):
            for side, shown in zip(pair, both, strict=True):
                side.setPixmap(QPixmap.fromImage(image_of(shown)))
        words = self.tr("{0}, before and after").format(document.name)
        self.figures.setText(f"{words}: {figures.sentence()}" if figures else f"{words} …")

    # -------------------------------------------------------------- what is done

    def _try(self, do: Callable[[], Path | None]) -> None:
        try:
            path = do()
        except DustpanError as error:
            self.note.setText(str(error))
            return
        self.fill(path)

    def keep_sweep(self) -> None:
        """Make a recipe of the picture's sweep; its name is there to be typed over."""
        document = self.document()
        if document is None:
            return
        self.search.clear()
        self._try(lambda: self.shelf.keep(make_recipe(document, Path(document.name).stem)).path)
        self.name.setFocus()
        self.name.selectAll()

    def _named(self) -> None:
        self._edited("name", self.name.text())

    def _described(self) -> None:
        self._edited("when", self.when.text())

    def _about_typed(self) -> None:
        if not self._filling:
            self._about.start()

    def _about_edited(self) -> None:
        self._edited("about", self.about.toPlainText())

    def _edited(self, field: str, text: str) -> None:
        s = self.chosen
        if s is None or s.shipped or self._filling or getattr(s.recipe, field) == text:
            return
        if field == "name" and not text.strip():
            self.name.setText(s.name)
            return
        try:
            path = self.shelf.change(s, False, **{field: text.strip()}).path
        except ChangedMeanwhile:
            self._ask_about(s, {field: text.strip()})
        except DustpanError as error:
            self.note.setText(str(error))
        else:
            self.fill(path)

    def _ask_about(self, s: Shelved, values: dict[str, str]) -> None:
        """Another window has changed a recipe since it was read: keep both, write over it, or leave it."""
        words = self.tr("The recipe “{0}” has been changed by another window since it was read.").format(s.name)
        more = self.tr("Keeping both puts yours beside it, under a name of its own.")
        keep, over = self.tr("Keep both"), self.tr("Write over it")
        answer = ask(self, words, more, [keep, over, self.tr("Cancel")])
        if answer == keep:
            self._try(lambda: self.shelf.keep(s.recipe.changed(**values)).path)
        elif answer == over:
            self._try(lambda: self.shelf.change(s, True, **values).path)
        else:
            self.fill(s.path)

    def duplicate(self) -> None:
        if s := self.chosen:
            self._try(lambda: self.shelf.double(s).path)

    def delete(self) -> None:
        if s := self.chosen:
            self._try(lambda: self._undo.append(self.shelf.remove(s)))

    def put_back(self) -> None:
        """Undo the last deletion."""
        if self._undo:
            self._try(self._undo.pop())

    def ask_import(self) -> None:
        files, _ = QFileDialog.getOpenFileNames(self, self.tr("Import recipes"), "", self.tr("Recipes (*.json)"))
        for file in files:
            self.bring_in(Path(file))

    def bring_in(self, path: Path) -> None:
        self._try(lambda: self.shelf.bring(path).path)

    def ask_export(self) -> None:
        if s := self.chosen:
            named = f"{s.name}{SUFFIX}"
            file, _ = QFileDialog.getSaveFileName(self, self.tr("Export recipe"), named, self.tr("Recipes (*.json)"))
            if file:
                self._try(lambda: save_recipe(s.recipe, Path(file)))

    def use(self, instead: bool) -> None:
        """Give the picture the recipe that is chosen, and look at that on the bench."""
        if (s := self.chosen) and (document := self.document()):
            self.seat.use(s.recipe, self.swept(s.recipe, document, instead))

    def _batch(self) -> None:
        if s := self.chosen:
            self.seat.show("batch", s)


def _places(document: Document) -> list[Region]:
    """Where a recipe is previewed: at the probes, or in the middle."""
    size = document.picture.size
    probes = document.probes or ()
    if not probes:
        h, w = size
        return [Region(h // 2 - SEEN // 2, w // 2 - SEEN // 2, h // 2 + SEEN // 2, w // 2 + SEEN // 2).within(size)]
    chosen = [probes[n] for n in MOST_TELLING if n < len(probes)]
    return [p.region(size, SEEN) for p in chosen[:PLACES]]


def _card(recipe: Recipe) -> QIcon:
    """The crops before and after, side by side; without them an empty card."""
    card = QPixmap(CARD)
    card.fill(QColor(colours().raised))
    if recipe.did.before and recipe.did.after:
        painter = QPainter(card)
        half = CARD.width() // 2
        for n, text in enumerate((recipe.did.before, recipe.did.after)):
            pixels = crop_of(text)
            if pixels is None:
                continue
            h, w = pixels.shape[:2]
            held = pixels.tobytes()
            crop = QPixmap.fromImage(QImage(held, w, h, 3 * w, QImage.Format.Format_RGB888))
            grown = crop.scaled(half, CARD.height(), Qt.AspectRatioMode.KeepAspectRatioByExpanding)
            painter.drawPixmap(n * half, 0, half - 1, CARD.height(), grown, 0, 0, half - 1, CARD.height())
        painter.end()
    icon = QIcon(card)
    icon.addPixmap(card, QIcon.Mode.Selected)  # a chosen one is not tinted
    return icon
