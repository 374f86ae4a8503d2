"""Start the application."""

from __future__ import annotations

import logging
import os
import sys
from pathlib import Path

from PyQt6.QtCore import QBuffer, QEvent, QIODevice
from PyQt6.QtWidgets import QApplication

from dustpan.core.errors import FileProblem, os_reason
from dustpan.core.files.atomic import write_atomically
from dustpan.core.jobs.events import Compiling
from dustpan.core.kernels import on_compiling
from dustpan.ui import safety
from dustpan.ui.dialogs.preferences import load_preferences
from dustpan.ui.faults import FaultHook
from dustpan.ui.garbage import Collector
from dustpan.ui.look.theme import apply_theme
from dustpan.ui.translator import apply_language
from dustpan.ui.window import Window, when_ready

NOT_RETURNED = 3

_APP: QApplication | None = None  # held here, so that Python ends it after everything that was drawn with it


def make_app() -> QApplication:
    """The application object with theme and font; offscreen when there is no display."""
    global _APP
    if not any(os.environ.get(v) for v in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")):
        print("There is no display; the window is drawn off screen.", file=sys.stderr)
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication([*sys.argv[:1]])
        app.setApplicationName("Dustpan")
        app.setDesktopFileName("dustpan")
        preferences = load_preferences()
        apply_theme(app, preferences.theme)
        apply_language(app, preferences.language)
        Collector(app)
        _APP = app
    return app


def end(window: Window) -> None:
    """Close the window, and destroy what is drawn while the application still lives: Python ends in any order."""
    if window.isVisible():
        window.close()
    window.jobs.stop()
    QApplication.sendPostedEvents(None, QEvent.Type.MetaCall)  # what was on its way arrives while there is a window
    window.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


def run(files: list[Path], shot: Path | None = None, hand_back: Path | None = None, demo: bool = False) -> int:
    """Open the window with these pictures and run until it is closed.

    Parameters
    ----------
    files : to open. shot : write what the window shows to this PNG, then end.
    hand_back : where another program expects the result. demo : whether the demo pictures are opened, as they are made.

    Returns
    -------
    The exit code: 0, 1 when the shot could not be written, 3 when nothing was handed back.
    """
    logging.basicConfig(level=logging.WARNING)
    safety.start_log()
    app = make_app()
    window = Window(hand_back)
    faults = FaultHook(window.files.keep_safe, window)
    faults.told.connect(lambda text: window.bench.notice.tell(text))
    faults.install()
    window.closed.connect(faults.remove)
    window.closed.connect(safety.SESSION.end)
    window.show()
    window.open_files([Path(f).absolute() for f in files], handed_over=hand_back is not None)
    heard = on_compiling(lambda name: window.jobs.tell(Compiling(name)))
    if demo:
        window.files.open_demo()
    else:
        window.jobs.finish_kernels()
    code = 0

    def take() -> None:
        nonlocal code
        assert shot is not None
        try:
            if not shot.absolute().parent.is_dir():
                raise FileNotFoundError(2, "there is no such folder")
            held = QBuffer()
            held.open(QIODevice.OpenModeFlag.WriteOnly)
            window.grab().save(held, "PNG")
            write_atomically(shot, lambda file: file.write(held.data().data()))
        except OSError as error:
            print(f"{shot.name}: it could not be written: {os_reason(error)}.", file=sys.stderr)
            code = 1
        except FileProblem as error:
            print(error, file=sys.stderr)
            code = 1
        window.close()
        app.quit()

    if shot is not None:
        when_ready(window, take)
    else:
        window.offer_left_work()
    result = app.exec()
    returned = window.handed_back
    heard()
    end(window)
    if hand_back is not None and not returned:
        return NOT_RETURNED
    return code or result
