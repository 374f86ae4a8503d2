"""Start the application."""

from __future__ import annotations

import logging
import os
import sys
from pathlib import Path

from PyQt6.QtWidgets import QApplication

from dustpan.core.errors import os_reason
from dustpan.ui.theme import apply_theme
from dustpan.ui.window import Window, when_ready


def make_app() -> QApplication:
    """The application object with theme and font; offscreen when there is no display."""
    if not any(os.environ.get(v) for v in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        print("There is no display; the window is drawn off screen.", file=sys.stderr)
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication([*sys.argv[:1]])
        app.setApplicationName("Dustpan")
        app.setDesktopFileName("dustpan")
        apply_theme(app)
    return app


def run(files: list[Path], shot: Path | None = None) -> int:
    """Open the window with these pictures; with ``shot``, write what it shows and end. Gives the exit code."""
    logging.basicConfig(level=logging.WARNING)
    app = make_app()
    window = Window()
    window.show()
    window.open_files([Path(f).absolute() for f in files])
    code = 0

    def take() -> None:
        nonlocal code
        assert shot is not None
        try:
            if not shot.absolute().parent.is_dir():
                raise FileNotFoundError(2, "there is no such folder")
            if not window.grab().save(str(shot), "PNG"):
                raise OSError("the disk or the folder refused it")
        except OSError as error:
            print(f"{shot.name}: it could not be written: {os_reason(error)}.", file=sys.stderr)
            code = 1
        window.close()
        app.quit()

    if shot is not None:
        when_ready(window, take)
    result = app.exec()
    return code or result
