"""Files that are dropped onto a window."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtGui import QDropEvent


def dropped(event: QDropEvent | None) -> list[Path]:
    """The local files and folders that an event carries; it is accepted where there are any."""
    data = event.mimeData() if event is not None else None
    found = [Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()] if data is not None else []
    if found and event is not None:
        event.acceptProposedAction()
    return found
