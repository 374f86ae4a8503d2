"""The icons: line drawings of one family (16 px, one stroke), in the colours of the theme."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from PyQt6.QtCore import QByteArray, QRectF, Qt
from PyQt6.QtGui import QIcon, QPainter, QPixmap
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QAbstractButton

from dustpan.ui.look.theme import colours

FOLDER = Path(__file__).parent / "icons"
SIDE = 16
SCALES = (1.0, 1.5, 2.0)  # sharp at 100, 150 and 200 %


def icon(name: str) -> QIcon:
    """The icon of that name in the theme in use: plain, on the accent where it is checked, and faint when disabled."""
    c = colours()
    return _icon(name, c.text, c.on_accent, c.disabled)


@cache
def _icon(name: str, text: str, on_accent: str, disabled: str) -> QIcon:
    drawing = (FOLDER / f"{name}.svg").read_text("utf-8")
    made = QIcon()
    states = (
        (text, QIcon.Mode.Normal, QIcon.State.Off),
        (on_accent, QIcon.Mode.Normal, QIcon.State.On),
        (disabled, QIcon.Mode.Disabled, QIcon.State.Off),
    )
    for colour, mode, state in states:
        renderer = QSvgRenderer(QByteArray(drawing.replace("currentColor", colour).encode()))
        for scale in SCALES:
            pixmap = QPixmap(round(SIDE * scale), round(SIDE * scale))
            pixmap.setDevicePixelRatio(scale)
            pixmap.fill(Qt.GlobalColor.transparent)
            painter = QPainter(pixmap)
            renderer.render(painter, QRectF(0, 0, SIDE, SIDE))
            painter.end()
            made.addPixmap(pixmap, mode, state)
    return made


def show_icon(button: QAbstractButton, name: str) -> None:
    """Put an icon on a button; one without text gets its tooltip as its accessible name."""
    button.setIcon(icon(name))
    if not button.text() and not button.accessibleName():
        button.setAccessibleName(button.toolTip())
