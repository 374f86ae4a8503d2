"""Help inside the application: the page that ships with it, and every step described by its own module."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QTextBrowser, QVBoxLayout, QWidget

from dustpan.core.step import step_kinds

FOLDER = Path(__file__).parent / "help"


def help_text() -> str:
    """The page, with a section on every step and its controls at the end (Markdown)."""
    parts = [(FOLDER / "help.md").read_text("utf-8"), "## Every control"]
    for kind in step_kinds():
        parts.append(f"### {kind.name}\n\n{kind.help}")
        rows = [f"- **{c.label}** ({c.low:g} to {c.high:g} {c.unit}): {c.help}" for c in kind.controls()]
        parts.append("\n".join(rows))
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
