"""A question with a few answers."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMessageBox, QWidget


def ask(parent: QWidget, text: str, more: str, answers: Sequence[str], usual: int = 0) -> str:
    """Ask, and give the answer. Enter gives the usual one; the last one changes nothing and is what Esc gives."""
    box = QMessageBox(parent)
    box.setIcon(QMessageBox.Icon.Question)
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(text)
    box.setInformativeText(more)
    role = QMessageBox.ButtonRole
    roles = [role.AcceptRole, *[role.DestructiveRole] * (len(answers) - 2), role.RejectRole][-len(answers) :]
    buttons = [box.addButton(words, r) for words, r in zip(answers, roles, strict=True)]
    box.setDefaultButton(buttons[usual])
    box.setEscapeButton(buttons[-1])
    box.exec()
    clicked = box.clickedButton()
    return next((words for words, b in zip(answers, buttons, strict=True) if b is clicked), answers[-1])
