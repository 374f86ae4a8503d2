"""A plain push button: a word, what it does in its tooltip, and no claim to the Return key."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QPushButton


def button(text: str, tip: str, do: Callable[[], object]) -> QPushButton:
    """A button that does ``do``, whatever its signal tells."""
    made = QPushButton(text)
    made.setToolTip(tip)
    made.setAutoDefault(False)
    made.clicked.connect(lambda: do())
    return made
