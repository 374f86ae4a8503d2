"""Preferences: what they are, where they are kept, and their dialog. Also the recent files and the window's state."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Literal

import platformdirs
from pydantic import BaseModel, ConfigDict, Field, ValidationError
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QHBoxLayout,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from dustpan.core.errors import FileProblem
from dustpan.core.files import FORMATS
from dustpan.core.files.atomic import write_atomically
from dustpan.core.files.reading import read_json
from dustpan.core.language import languages
from dustpan.core.recipes.shelf import Shelf
from dustpan.core.text import as_json
from dustpan.ui.look.plain import Label
from dustpan.ui.translator import language_name

MOST_RECENT = 12


class Rule(BaseModel):
    """What pictures of an ending, and of an ISO from and to, begin with: a recipe by its file's path."""

    model_config = ConfigDict(extra="allow")

    ending: str = ""  # such as .dng; empty for any
    iso_from: int = Field(default=0, ge=0)
    iso_to: int = Field(default=0, ge=0)  # 0: no limit
    recipe: str = ""

    def fits(self, path: Path, iso: float | None) -> bool:
        """Whether a picture is meant; one without an ISO only by rules that ask for none."""
        if self.ending and path.suffix.lower() != self.ending.lower():
            return False
        if not self.iso_from and not self.iso_to:
            return True
        return iso is not None and self.iso_from <= iso <= (self.iso_to or iso)


class Preferences(BaseModel):
    """All of it; unknown fields of a newer version are kept."""

    model_config = ConfigDict(extra="allow", validate_assignment=True)

    theme: Literal["dark", "light"] = "dark"
    language: str = ""  # as ISO 639-1; empty: the system's
    memory_mb: int = Field(default=1500, ge=300, le=64_000)
    threads: int = Field(default=0, ge=0, le=256)  # 0: as many as the machine has
    on_opening: str = "suggested"  # or nothing, or the path of a recipe
    rules: list[Rule] = Field(default_factory=list)  # the first that fits goes before ``on_opening``
    recent: list[str] = Field(default_factory=list)
    window_size: tuple[int, int] = (1280, 800)
    maximised: bool = False
    tray_folded: bool = False
    taught: bool = False

    def begins_with(self, path: Path, iso: float | None) -> str:
        """What a picture begins with: nothing, suggested, or the path of a recipe."""
        return next((r.recipe for r in self.rules if r.recipe and r.fits(path, iso)), self.on_opening)

    def remember(self, path: Path) -> None:
        """Put a file at the head of the recent ones."""
        text = str(path)
        self.recent = [text, *(r for r in self.recent if r != text)][:MOST_RECENT]


def preferences_file() -> Path:
    chosen = os.environ.get("DUSTPAN_CONFIG")
    return Path(chosen or platformdirs.user_config_dir("dustpan")) / "preferences.json"


def load_preferences() -> Preferences:
    """Those kept, or the defaults where there are none or they are damaged."""
    try:
        return Preferences(**read_json(preferences_file()))
    except (FileProblem, ValueError, TypeError, ValidationError):
        return Preferences()


def save_preferences(preferences: Preferences) -> None:
    """Keep them; a folder that cannot be written is no reason to bother anyone."""
    path = preferences_file()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        text = as_json(preferences.model_dump(mode="json"), indent=2)
        write_atomically(path, lambda file: file.write(text.encode()), own=True)
    except (OSError, FileProblem):
        return


class RuleRows(QWidget):
    """Rules, one a row: an ending, ISO from and to, and the recipe."""

    def __init__(self, rules: list[Rule], recipes: dict[str, str], parent: QWidget) -> None:
        super().__init__(parent)
        self.recipes = recipes
        self.rows: list[tuple[QWidget, QComboBox, QSpinBox, QSpinBox, QComboBox]] = []
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(0, 0, 0, 0)
        self.more = QPushButton(self.tr("Add a rule"))
        self.more.setToolTip(self.tr("Pictures of a format, or of an ISO, begin with a recipe of their own"))
        self.more.clicked.connect(lambda: self.add(Rule()))
        self.box.addWidget(self.more)
        for rule in rules:
            self.add(rule)

    def add(self, rule: Rule) -> None:
        """One more row."""
        line = QWidget(self)
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        ending, recipe = QComboBox(), QComboBox()
        ending.addItem(self.tr("any format"), "")
        for f in FORMATS:
            for suffix in f.suffixes:
                ending.addItem(suffix, suffix)
        ending.setCurrentIndex(max(ending.findData(rule.ending), 0))
        limits = []
        for value, words in ((rule.iso_from, self.tr("any ISO")), (rule.iso_to, self.tr("no limit"))):
            limit = QSpinBox()
            limit.setRange(0, 10_000_000)
            limit.setSingleStep(100)
            limit.setSpecialValueText(words)
            limit.setPrefix("ISO ")
            limit.setValue(value)
            limit.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
            limits.append(limit)
        for path, name in self.recipes.items():
            recipe.addItem(name, path)
        recipe.setCurrentIndex(max(recipe.findData(rule.recipe), 0))
        names = self.tr("Format"), self.tr("ISO from"), self.tr("ISO to"), self.tr("Recipe")
        for widget, name in zip((ending, *limits, recipe), names, strict=True):
            widget.setAccessibleName(name)
            row.addWidget(widget)
        away = QPushButton(self.tr("Take out"))
        away.clicked.connect(lambda: self.take_out(line))
        row.addWidget(away)
        self.rows.append((line, ending, limits[0], limits[1], recipe))
        self.box.insertWidget(len(self.rows) - 1, line)

    def take_out(self, line: QWidget) -> None:
        self.rows = [row for row in self.rows if row[0] is not line]
        line.deleteLater()

    def rules(self) -> list[Rule]:
        """As they are now."""
        return [
            Rule(ending=e.currentData(), iso_from=a.value(), iso_to=b.value(), recipe=r.currentData() or "")
            for _, e, a, b, r in self.rows
        ]


class PreferencesDialog(QDialog):
    """Changes a copy; ``result_preferences`` holds it once accepted."""

    def __init__(self, preferences: Preferences, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("Preferences"))
        self.result_preferences = preferences.model_copy(deep=True)
        self.theme = self._choice({"dark": self.tr("Dark"), "light": self.tr("Light")}, preferences.theme)
        own = {code: language_name(code) for code in languages()}
        self.language = self._choice({"": self.tr("As the system"), **own}, preferences.language)
        shelved = {str(s.path): s.name for s in Shelf().found()}
        self.opening = self._choice(
            {"nothing": self.tr("Nothing"), "suggested": self.tr("The suggested sweep"), **shelved},
            preferences.on_opening,
        )
        self.rules = RuleRows(preferences.rules, shelved, self)
        self.memory = QSpinBox()
        self.memory.setRange(300, 64_000)
        self.memory.setSingleStep(100)
        self.memory.setSuffix(" MB")
        self.memory.setValue(preferences.memory_mb)
        self.threads = QSpinBox()
        self.threads.setRange(0, 256)
        self.threads.setSpecialValueText(self.tr("All"))
        self.threads.setValue(preferences.threads)
        form = QFormLayout()
        rows = (
            (self.tr("Theme"), self.theme, self.tr("Colours of the window; the picture's surroundings stay neutral")),
            (self.tr("Language"), self.language, self.tr("Of the window, the help and all messages")),
            (self.tr("On opening"), self.opening, self.tr("What a picture without a sweep of its own starts with")),
            (self.tr("Memory for tiles"), self.memory, self.tr("Computed tiles are kept up to here")),
            (self.tr("Threads"), self.threads, self.tr("How many tiles are computed at a time")),
        )
        for label, widget, tip in rows:
            if isinstance(widget, QSpinBox):
                widget.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
            widget.setToolTip(tip)
            widget.setAccessibleName(label)
            form.addRow(label, widget)
        form.insertRow(3, self.tr("But for"), self.rules)
        note = Label(self.tr("Memory and threads count for pictures that are opened from now on."))
        note.setObjectName("faint")
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        box = QVBoxLayout(self)
        box.addLayout(form)
        box.addWidget(note)
        box.addWidget(buttons)

    @staticmethod
    def _choice(words: dict[str, str], current: str) -> QComboBox:
        box = QComboBox()
        for value, text in words.items():
            box.addItem(text, value)
        box.setCurrentIndex(max(box.findData(current), 0))
        return box

    def accept(self) -> None:
        p = self.result_preferences
        p.theme, p.on_opening = self.theme.currentData(), self.opening.currentData()
        p.language = self.language.currentData()
        p.rules = self.rules.rules()
        p.memory_mb, p.threads = self.memory.value(), self.threads.value()
        super().accept()
