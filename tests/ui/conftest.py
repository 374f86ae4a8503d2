"""A real window, drawn off screen, driven with mouse and keys."""

from __future__ import annotations

import functools
import os
import sys
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication, QMessageBox, QWidget
from pytestqt.qtbot import QtBot

from dustpan.core.colour import decode
from dustpan.core.files import save_picture
from dustpan.core.finish import levels
from dustpan.core.judge import edges, whole
from dustpan.core.kernels import on_compiling
from dustpan.core.open import profile, sensor
from dustpan.core.open.document import Document
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.demo.raw_camera import Exposure, counts, seen, shot, with_hot_pixels, with_stripes
from dustpan.ui import safety
from dustpan.ui.app import end, make_app
from dustpan.ui.window import Window
from tests.core.files.make import mosaic_dng, write
from tests.scenes import desk

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture(scope="session")
def qapp() -> QApplication:
    return make_app()


@pytest.fixture(autouse=True)
def nothing_is_compiled() -> Iterator[None]:
    """Nobody waits for a kernel: all of them were compiled by the warm-up."""
    compiled: list[str] = []
    end = on_compiling(compiled.append)
    yield
    end()
    assert compiled == []


COMPUTES = {  # what works on pixels, by the class or module that has it
    Renderer: ("render", "at_once", "tiles", "mask", "fact", "by_place", "settled"),
    Document: ("sample", "sensor_floor", "untouched", "luma_of", "edge_line", "reduced"),
    levels: ("automatic",), edges: ("find_edges",), profile: ("line_across_edge", "profile_along"),
    sensor: ("light_by_colour", "white_at"), whole: ("judge_sweep", "noise_print", "worst"),
}  # fmt: skip


@pytest.fixture(autouse=True)
def the_thread_of_the_window_only_paints(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Nothing that computes pixels is called from the window's own code on its own thread."""
    caught: list[str] = []

    def watched(name: str, original: Callable) -> Callable:
        @functools.wraps(original)
        def call(*args: object, **named: object) -> object:
            if threading.current_thread() is threading.main_thread():
                frame = sys._getframe(1)
                while frame is not None:
                    if f"{os.sep}dustpan{os.sep}ui{os.sep}" in frame.f_code.co_filename:
                        caught.append(f"{name} in {frame.f_code.co_filename}:{frame.f_lineno}")
                        break
                    frame = frame.f_back  # type: ignore[assignment]
            return original(*args, **named)

        return call

    dustpan = [module for name, module in list(sys.modules.items()) if name.startswith("dustpan.")]
    for owner, names in COMPUTES.items():
        for name in names:
            original = getattr(owner, name)
            holders = [m for m in dustpan if vars(m).get(name) is original] or [owner]  # by name, wherever imported
            for holder in holders:
                monkeypatch.setattr(holder, name, watched(name, original))
    yield
    assert caught == []


@pytest.fixture
def lamp(tmp_path: Path, noisy: np.ndarray) -> Path:
    """A 16-bit TIFF, 400 x 288 px."""
    path = tmp_path / "lamp.tif"
    save_picture(from_array(np.rint(noisy * 65535).astype(np.uint16)), path)
    return path


@pytest.fixture
def striped(tmp_path: Path) -> Path:
    """A raw of a lifted shadow, with stripes and hot pixels."""
    taken = Exposure(20000, 0)
    light = 0.3 + 0.2 * decode(desk())
    stored = with_hot_pixels(counts(with_stripes(seen(light, taken)), taken, 2), taken, 3, 0.001)
    return write(tmp_path, "stair.dng", mosaic_dng(stored, shot(taken)))


class Bench:
    """The window and what a person does to it."""

    def __init__(self, qtbot: QtBot, hand_back: Path | None = None) -> None:
        self.bot = qtbot
        self.window = Window(hand_back)
        self.window.resize(1280, 800)
        self.window.show()
        qtbot.waitExposed(self.window)
        self.window.activateWindow()

    def open(self, *paths: Path) -> None:
        self.window.open_files(list(paths))
        self.wait()

    def wait(self) -> None:
        """Until everything is exact and judged, and every question is answered."""
        self.bot.waitUntil(lambda: not self.window.busy and not self.window.jobs.asking, timeout=60_000)

    def click(self, widget: QWidget, at: QPoint | None = None) -> None:
        self.bot.mouseClick(widget, LEFT, pos=at or widget.rect().center())

    def key(self, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        self.bot.keyClick(self.window, key, modifier)

    def drag(self, widget: QWidget, start: QPoint, end: QPoint) -> None:
        self.bot.mousePress(widget, LEFT, pos=start)
        for k in range(1, 6):
            self.bot.mouseMove(widget, start + (end - start) * k / 5)
        self.bot.mouseRelease(widget, LEFT, pos=end)

    def type_value(self, name: str, text: str) -> None:
        """Type a value into a control of the tray."""
        tray = self.window.bench.tray
        box = (tray.opacity if name == "opacity" else tray.rows[name]).box
        box.setFocus()
        box.selectAll()
        self.bot.keyClicks(box, text)
        self.bot.keyClick(box, Qt.Key.Key_Return)

    def canvas_pixels(self) -> np.ndarray:
        """What the canvas shows, (h, w, 3) bytes, without the probes' frames."""
        self.window.bench.probes_tool.shown = False
        image = self.window.bench.canvas.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
        data = image.constBits().asarray(image.sizeInBytes())
        rows = np.frombuffer(data, np.uint8).reshape(image.height(), image.bytesPerLine())
        return rows[:, : image.width() * 3].reshape(image.height(), image.width(), 3).copy()

    def names(self) -> list[str]:
        return [c.name.text() for c in self.window.bench.sweep_line.chips if c.isVisible()]


@pytest.fixture(autouse=True)
def own_folders(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Preferences and unsaved work of tests stay among themselves."""
    folder = tmp_path_factory.mktemp("own")
    (folder / "config").mkdir()
    (folder / "config" / "preferences.json").write_text('{"taught": true}')
    monkeypatch.setenv("DUSTPAN_CONFIG", str(folder / "config"))
    monkeypatch.setattr("dustpan.ui.safety.safety_folder", lambda: folder / "unsaved")
    yield
    safety.SESSION.end()


@pytest.fixture
def bench(qtbot: QtBot, qapp: QApplication) -> Iterator[Bench]:
    b = Bench(qtbot)
    yield b
    for d in b.window.files.documents:
        d.history.mark_saved()
    end(b.window)  # as the program does: destroyed now, and not whenever Python collects what is left
    qapp.processEvents()


@pytest.fixture
def answer(qapp: QApplication) -> Callable[[str], list[str]]:
    """Answer the next question by the button of this name; gives the list that its text is put into."""

    def prepare(button: str) -> list[str]:
        asked: list[str] = []

        def look(tries: int = 100) -> None:
            box = qapp.activeModalWidget()
            if isinstance(box, QMessageBox):
                asked.append(box.text())
                next(b for b in box.buttons() if b.text().replace("&", "") == button).click()
            elif tries:
                QTimer.singleShot(20, lambda: look(tries - 1))

        QTimer.singleShot(0, look)
        return asked

    return prepare
