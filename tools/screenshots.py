"""Make the pictures of docs/screenshots anew from the demo data: ``python tools/screenshots.py``."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from tempfile import TemporaryDirectory

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from dustpan.core.paths import demo_folder, prepare_kernel_cache

prepare_kernel_cache()

from PyQt6.QtWidgets import QApplication, QWidget

from dustpan.core.inspect import Mode
from dustpan.demo import PICTURES, ensure_demo_data
from dustpan.ui.app import make_app
from dustpan.ui.canvas import View
from dustpan.ui.preferences import Preferences, save_preferences
from dustpan.ui.theme import apply_theme
from dustpan.ui.translator import apply_language
from dustpan.ui.window import Window

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "screenshots"


def wait(app: QApplication, window: Window) -> None:
    """Until everything on screen is exact."""
    app.processEvents()
    while window.busy:
        app.processEvents()
    for _ in range(5):
        app.processEvents()


def keep(widget: QWidget, name: str) -> None:
    widget.grab().save(str(FOLDER / f"{name}.png"))
    print(f"{name}.png")


def main() -> None:
    ensure_demo_data(demo_folder(), print)
    app = make_app()
    with TemporaryDirectory() as folder:
        os.environ["DUSTPAN_CONFIG"] = folder
        save_preferences(Preferences(taught=True))
        window = Window()
        window.show()
        wait(app, window)
        keep(window, "empty")
        window.open_files([demo_folder() / name for name in PICTURES])
        wait(app, window)
        take_all(app, window)
        apply_theme(app, "light")
        window.rebuild()
        wait(app, window)
        keep(window, "light")
        apply_theme(app, "dark")
        apply_language(app, "de")
        window.rebuild()
        wait(app, window)
        keep(window, "german")
        window.close()


def take_all(app: QApplication, window: Window) -> None:
    """The views of the bench, each from the state that the one before left."""
    keep(window, "bench")
    window.choose(1)
    window.set_view(View.DIVIDER)
    window.canvas.go_to(920, 560, 2.0)
    wait(app, window)
    keep(window, "divider")
    window.set_view(View.PAIR)
    window.canvas.go_to(740, 500, 1.0)
    wait(app, window)
    keep(window, "pair")
    window.set_view(View.SINGLE)
    window.canvas.go_to(740, 500, 2.0)
    wait(app, window)
    keep(window, "edge-profile")
    window.choose(0)
    window.open_strip()
    while not all(c.isEnabled() for c in window.strip.cells):
        app.processEvents()
    keep(window.strip, "test-strip")
    window.strip.reject()
    window.canvas.go_to(740, 500, 1.0)
    window.inspect(Mode.REMOVED)
    window.toggle_palette()
    wait(app, window)
    keep(window, "removed")
    window.toggle_palette()
    window.inspect(Mode.NONE)
    window.choose_measured()
    window.canvas.fit()
    wait(app, window)
    keep(window, "measured")
    window.choose(0)
    window.keep_state()
    window.set_value("luminance", 0.5, False)
    window.keep_state()
    window.compare_with(2)
    window.set_view(View.DIVIDER)
    window.canvas.go_to(400, 1300, 2.0)
    wait(app, window)
    keep(window, "kept-states")
    window.return_to_kept()
    window.compare_with(0)
    window.set_view(View.SINGLE)
    window.canvas.fit()
    window.document.history.mark_saved()
    window.export()
    wait(app, window)
    keep(window.export_dialog, "export")
    window.export_dialog.reject()
    window.ask_preferences()
    wait(app, window)
    keep(window.preferences_dialog, "preferences")
    window.preferences_dialog.reject()
    window.show_help()
    wait(app, window)
    keep(window.help_window, "help")
    window.help_window.close()
    window.show_pictures()
    wait(app, window)
    keep(window.popup, "pictures")
    window.popup.hide()


if __name__ == "__main__":
    sys.exit(main())
