"""How the canvas is parted between the two sides of a picture."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from PyQt6.QtCore import QRect


class Arrangement(StrEnum):
    """The result alone, both sides of a line that is dragged, or beside each other."""

    SINGLE = "single"
    DIVIDER = "divider"
    PAIR = "pair"


@dataclass(frozen=True)
class Pane:
    """A part of the canvas (device px) with the rectangle that its geometry is centred in, and what it shows."""

    clip: QRect
    frame: QRect
    other: bool
