"""Make the pictures of docs/screenshots anew from the demo data: ``python tools/screenshots.py``."""

from __future__ import annotations

import os
import sys
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from dustpan.core.paths import demo_folder, prepare_kernel_cache

prepare_kernel_cache()

from PyQt6.QtCore import QPointF
from PyQt6.QtWidgets import QApplication, QWidget

from dustpan.demo import PICTURES, ensure_demo_data
from dustpan.ui.app import make_app
from dustpan.ui.canvas import View
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
    window = Window()
    window.resize(1280, 800)
    window.show()
    window.open_files([demo_folder() / name for name in PICTURES])
    wait(app, window)
    keep(window, "bench")

    window.choose(1)
    window.set_view(View.DIVIDER)
    window.canvas.set_zoom(2.0)
    window.canvas.centre = QPointF(560, 920)
    window.canvas.set_zoom(2.0)
    wait(app, window)
    keep(window, "divider")

    window.export()
    wait(app, window)
    keep(window.export_dialog, "export")
    window.export_dialog.reject()
    window.close()


if __name__ == "__main__":
    sys.exit(main())
