"""Make the pictures of docs/screenshots anew from the demo data: ``python -m tools.screenshots``."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from pathlib import Path
from tempfile import TemporaryDirectory

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from dustpan.core.kernel_cache import prepare_kernel_cache
from dustpan.core.paths import demo_folder

prepare_kernel_cache()

import numpy as np
from PIL import Image
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication, QWidget

from dustpan.core.params import Stroke
from dustpan.demo import FINISHED, SOURCES, ensure_demo_data
from dustpan.ui.app import make_app
from dustpan.ui.bench.panes import Arrangement
from dustpan.ui.bench.where_panel import Shown
from dustpan.ui.dialogs.preferences import Preferences, save_preferences
from dustpan.ui.look.theme import apply_theme
from dustpan.ui.many.batch import BatchView
from dustpan.ui.many.recipes import RecipesView
from dustpan.ui.translator import apply_language
from dustpan.ui.window import Window
from tools.small_png import keep_small

ROOT = Path(__file__).resolve().parent.parent
FOLDER, HELP = ROOT / "docs" / "screenshots", ROOT / "src" / "dustpan" / "ui" / "help"
IN_HELP = "divider", "edge-profile"  # shown in the help as well


def wait(app: QApplication, window: Window) -> None:
    """Until everything on screen is exact."""
    app.processEvents()
    while window.busy or (window.document is not None and not window.document.looked):
        app.processEvents()
    window.bench.notice.hide()
    for _ in range(5):
        app.processEvents()


def keep(widget: QWidget, name: str) -> None:
    """Write what a widget shows, unless the picture that is there shows the same."""
    shown = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(shown.constBits().asarray(shown.sizeInBytes()), np.uint8)
    rows = rows.reshape(shown.height(), shown.bytesPerLine())[:, : 3 * shown.width()]
    image = Image.fromarray(rows.reshape(shown.height(), shown.width(), 3).copy())
    print(keep_small(image, (HELP if name in IN_HELP else FOLDER) / f"{name}.png"))


def main() -> None:
    ensure_demo_data(demo_folder(), print)
    app = make_app()
    with TemporaryDirectory() as folder:
        os.environ["DUSTPAN_CONFIG"] = folder
        save_preferences(Preferences(taught=True))
        window = Window()
        window.resize(1280, 800)
        window.show()
        wait(app, window)
        window.open_files([demo_folder() / name for name in FINISHED])
        wait(app, window)
        take_all(app, window)
        take_sources(app, window)
        take_outdoors(app, window)
        take_where(app, window)
        take_many(app, window, Path(folder))
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


def take_sources(app: QApplication, window: Window) -> None:
    """A raw, a frame and a render, each as it is worked on; then back to the first picture."""
    raw, frame, render, moved = (demo_folder() / SOURCES[n] for n in (0, 2, 4, 5))
    card = demo_folder() / FINISHED[-1]
    named = (raw, "raw"), (frame, "hot-pixels"), (render, "render"), (card, "divider"), (moved, "deblur")
    for path, name in named:
        show(app, window, path)
        if name == "raw":
            window.bench.editing.set_values({"push": 2.0}, False)
            window.bench.editing.add_step("stripes")
        elif name == "hot-pixels":
            window.bench.editing.brighten()
            wait(app, window)
            window.bench.editing.add_step("hot-pixels")
            wait(app, window)
            window.bench.finding.go_to(3)
        elif name == "deblur":
            window.bench.editing.add_step("deblur")
            window.bench.compare.set_view(Arrangement.DIVIDER)
            window.bench.canvas.go_to(300, 420, 2.0)
        elif name == "divider":
            window.bench.editing.add_step("compression-marks")
            window.bench.compare.set_view(Arrangement.DIVIDER)
            window.bench.canvas.go_to(375, 560, 3.0)
        else:
            window.bench.editing.add_step("fireflies")
            wait(app, window)
            window.bench.editing.choose(1)  # Noise
            window.bench.compare.set_view(Arrangement.DIVIDER)
            for _ in range(3):
                window.bench.looking.step_look(1)
        wait(app, window)
        keep(window, name)
        close(window)
    window.files.show_number(0)
    wait(app, window)


def show(app: QApplication, window: Window, path: Path) -> None:
    """Open a picture and look at it."""
    window.open_files([path])
    wait(app, window)
    window.files.show(window.files.documents[-1])
    wait(app, window)


def close(window: Window) -> None:
    """Close the picture that is looked at, without being asked."""
    window.bench.compare.set_view(Arrangement.SINGLE)
    window.document.history.mark_saved()
    window.files.close_current()


def take_outdoors(app: QApplication, window: Window) -> None:
    """What each repair found in the picture that was made for it."""
    for source, step in ((6, "colour-fringes"), (7, "haze"), (8, "specks")):
        show(app, window, demo_folder() / SOURCES[source])
        window.bench.editing.add_step(step)
        wait(app, window)
        if step == "colour-fringes":
            window.bench.compare.set_view(Arrangement.DIVIDER)
            window.bench.canvas.go_to(140, 320, 2.0)
            wait(app, window)
        keep(window, step)
        close(window)
    window.files.show_number(0)
    wait(app, window)


def take_many(app: QApplication, window: Window, folder: Path) -> None:
    """The recipe view, a batch that is over, and its page in a browser where there is one."""
    window.files.show_number(0)
    wait(app, window)
    window.keep_recipe()
    view = window.area.made["recipes"]
    assert isinstance(view, RecipesView)
    for field, text in ((view.name, "Night, hand-held"), (view.when, "Dark rooms at ISO 12800, without a tripod.")):
        field.setText(text)
        field.editingFinished.emit()
    while "noise left" not in view.figures.text():
        app.processEvents()
    view.list.scrollToItem(view.list.item(0))
    keep(window, "recipes")
    evening = folder / "evening"
    evening.mkdir()
    desk = Image.open(demo_folder() / "keepers-desk.jpg")
    for n in range(14):
        at = 90 * n, 40 * n
        desk.crop((*at, at[0] + 480, at[1] + 360)).save(evening / f"evening-{n + 1:02}.jpg", quality=92)
    torn = evening / "evening-06.jpg"
    torn.write_bytes(torn.read_bytes()[:4000])
    window.show_view("batch", view.chosen)
    batch = window.area.made["batch"]
    assert isinstance(batch, BatchView)
    form = batch.form
    form.sources.clear()
    form.add([evening])
    form.out.setText(str(folder / "cleaned"))
    form.pattern.setText("{number:02} {recipe}")
    batch.show_plan()
    while not form.becomes.text().startswith("evening-01.jpg → 01 "):
        app.processEvents()
    batch.start()
    while batch.run.running:
        app.processEvents()
    form.blockSignals(True)
    form.sources.clear()
    form.sources.addItem("/home/keeper/evening")  # the folders of a demo, and not where this was run
    for field, text in ((form.out, "/home/keeper/cleaned"),):
        field.blockSignals(True)
        field.setText(text)
    keep(window, "batch")
    form.blockSignals(False)
    window.show_view("bench")
    page = folder / "cleaned" / "dustpan-batch.html"
    page.write_text(page.read_text().replace(str(folder), "/home/keeper"))
    if browser := shutil.which("chromium"):
        shot = folder / "report.png"
        options = ["--headless", "--no-sandbox", "--hide-scrollbars", "--window-size=1280,800", f"--screenshot={shot}"]
        subprocess.run([browser, *options, page.as_uri()], check=True, capture_output=True)
        print(keep_small(Image.open(shot).convert("RGB"), FOLDER / "report.png"))
    batch.hide()


def take_where(app: QApplication, window: Window) -> None:
    """A brush in spotlight, two parts, and what is in focus in black and white."""
    window.files.show_number(0)
    wait(app, window)
    masking, bench = window.bench.masking, window.bench
    bench.canvas.fit()
    bench.editing.choose(0)
    masking.toggle_half()
    masking.add("brush", "except")
    points = tuple((360 + 14 * k, 1250 + 22 * k, 1.0) for k in range(10))
    masking._painted(Stroke(size=190, points=points))
    masking.show_as(Shown.SPOTLIGHT)
    settle(app, window)
    keep(window, "where-brush")
    masking.remove()
    masking.add("in-focus")
    masking.show_as(Shown.BLACK_AND_WHITE)
    settle(app, window)
    keep(window, "where-focus")
    masking.show_as(None)
    masking.remove()
    masking.toggle_half()
    wait(app, window)
    window.document.history.mark_saved()


def settle(app: QApplication, window: Window) -> None:
    """Until the mask is over the picture as well."""
    wait(app, window)
    for _ in range(100):
        app.processEvents()
        time.sleep(0.01)


def take_all(app: QApplication, window: Window) -> None:
    """The views of the bench, each from the state that the one before left."""
    keep(window, "bench")
    window.bench.editing.choose(1)
    window.bench.canvas.go_to(740, 500, 2.0)
    wait(app, window)
    keep(window, "edge-profile")
    window.bench.editing.choose(0)
    window.bench.suggesting.open_strip()
    while not all(c.isEnabled() for c in window.bench.suggesting.strip.cells):
        app.processEvents()
    keep(window.bench.suggesting.strip, "test-strip")
    window.bench.suggesting.strip.reject()
    window.bench.editing.choose_measured()
    window.bench.canvas.fit()
    wait(app, window)
    keep(window, "measured")
    window.bench.editing.choose(0)
    window.bench.compare.keep_state()
    window.bench.editing.set_values({"luminance": 0.5}, False)
    window.bench.compare.keep_state()
    window.bench.compare.compare_with(2)
    window.bench.compare.set_view(Arrangement.DIVIDER)
    window.bench.canvas.go_to(400, 1300, 2.0)
    wait(app, window)
    window.bench.editing.return_to_kept()
    window.bench.compare.compare_with(0)
    window.bench.compare.set_view(Arrangement.SINGLE)
    window.bench.canvas.fit()
    window.document.history.mark_saved()
    window.bench.canvas.go_to(720, 900, 1.0)
    window.export()
    window.export_dialog.output.longest.setValue(1024)
    window.export_dialog.output.use.setCurrentIndex(1)
    settle(app, window)
    keep(window.export_dialog, "export")
    window.export_dialog.reject()
    take_sharpening(app, window)


def take_sharpening(app: QApplication, window: Window) -> None:
    """The layer of Fine detail, and rims on the halo map with the palette open; then as it was."""
    bench = window.bench
    bench.editing.add_step("fine-detail")
    bench.editing.set_values({"radius": 4.0, "boost": 2.0})
    bench.canvas.go_to(620, 900, 1.0)
    wait(app, window)
    bench.asides.hold(True)
    wait(app, window)
    keep(window, "fine-detail")
    bench.asides.hold(False)
    bench.editing.remove_step(bench.state.chosen)
    bench.canvas.fit()
    wait(app, window)
    window.document.history.mark_saved()


if __name__ == "__main__":
    sys.exit(main())
