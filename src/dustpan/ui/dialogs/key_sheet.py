"""The sheet of all keys, made from the menus."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QTextBrowser, QVBoxLayout, QWidget


class KeySheet(QDialog):
    """Two columns of keys by menu, and what is held rather than pressed."""

    def __init__(self, actions: Sequence[tuple[str, QAction]], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.tr("Keys"))
        self.resize(560, 560)
        self.browser = QTextBrowser()
        held = [
            ("C", self.tr("held: the other side")),
            ("I", self.tr("held: the palette of views; a digit chooses one")),
            (self.tr("Shift-drag"), self.tr("draw the line that the edge profile follows")),
            (self.tr("Alt and wheel"), self.tr("change how far shadows are pushed or what was removed is amplified")),
        ]
        rows = [f"<tr><td colspan=2><b>{self.tr('On the picture')}</b></td></tr>"]
        rows += [f"<tr><td width=150>{k}</td><td>{t}</td></tr>" for k, t in held]
        title = ""
        for menu, action in actions:
            if action.shortcut().isEmpty():
                continue
            if menu != title:
                title = menu
                rows.append(f"<tr><td colspan=2><br><b>{menu.replace('&', '')}</b></td></tr>")
            rows.append(f"<tr><td>{action.shortcut().toString()}</td><td>{action.text()}</td></tr>")
        self.browser.setHtml(f"<table>{''.join(rows)}</table>")
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        box = QVBoxLayout(self)
        box.addWidget(self.browser)
        box.addWidget(buttons)
