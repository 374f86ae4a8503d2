"""A question with a few answers."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMessageBox, QWidget


def ask(parent: QWidget, text: str, more: str, answers: Sequence[str]) -> str:
    """Ask, and give the answer: the first is the usual one, the last one stays and is what Esc gives."""
    box = QMessageBox(parent)
    box.setIcon(QMessageBox.Icon.Question)
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(text)
    box.setInformativeText(more)
    role = QMessageBox.ButtonRole
    roles = [role.AcceptRole, *[role.DestructiveRole] * (len(answers) - 2), role.RejectRole][-len(answers) :]
    buttons = [box.addButton(words, r) for words, r in zip(answers, roles, strict=True)]
    box.setDefaultButton(buttons[0])
    box.setEscapeButton(buttons[-1])
    box.exec()
    clicked = box.clickedButton()
    return next((words for words, b in zip(answers, buttons, strict=True) if b is clicked), answers[-1])
