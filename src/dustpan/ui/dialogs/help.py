"""Help inside the application: the page that ships with it, and every step described by its own module."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QTextBrowser, QVBoxLayout, QWidget

from dustpan.core.language import language, say
from dustpan.core.params import Choice, Number
from dustpan.core.steps import STEPS

FOLDER = Path(__file__).parent.parent / "help"


def help_text() -> str:
    """The page, with a section on every step and its controls at the end (Markdown)."""
    page = FOLDER / f"help.{language()}.md"
    parts = [(page if page.exists() else FOLDER / "help.en.md").read_text("utf-8"), "## " + say("Every control")]
    for kind in STEPS:
        parts.append(f"### {say(kind.name)}\n\n{say(kind.help)}")
        for c in kind.controls():
            span = c.span()
            if isinstance(c, Number):
                span = say("{0:g} to {1:g} {2}", c.low, c.high, say(c.unit) if c.unit else "")
            elif isinstance(c, Choice):
                span = ", ".join(say(o) for o in c.options)
            parts.append(f"- **{say(c.label)}** ({span.strip()}): {say(c.help)}")
    return "\n\n".join(parts)


class HelpWindow(QDialog):
    """Stays open beside the work."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("Help"))
        self.setModal(False)
        self.resize(720, 640)
        self.browser = QTextBrowser()
        self.browser.setSearchPaths([str(FOLDER)])
        self.browser.setMarkdown(help_text())
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.close)
        box = QVBoxLayout(self)
        box.addWidget(self.browser)
        box.addWidget(buttons)
