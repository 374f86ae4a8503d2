"""The first start, help, scaling, and a real crash."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage

from dustpan.core.language import languages
from dustpan.core.steps import STEPS
from dustpan.ui.dialogs.help import FOLDER
from dustpan.ui.dialogs.preferences import load_preferences, preferences_file
from tests.ui.conftest import Bench

pytestmark = pytest.mark.slow

EDIT = """
import sys
from pathlib import Path
from dustpan.ui import safety
from dustpan.ui.app import make_app
from dustpan.ui.window import Window
safety.safety_folder = lambda: Path(sys.argv[2])
safety.EVERY_MS = 50
app = make_app()
window = Window()
window.show()
window.open_files([Path(sys.argv[1])])
while window.document is None:
    app.processEvents()
window.bench.editing.set_values({"luminance": 1.6}, False)
print("working", flush=True)
while True:
    app.processEvents()
"""

GRAB = """
import sys
from pathlib import Path
from dustpan.ui.app import make_app
from dustpan.ui.window import Window
app = make_app()
window = Window()
window.resize(1280, 736)
window.show()
window.open_files([Path(sys.argv[1])])
while window.document is None or window.busy:
    app.processEvents()
window.bench.probes_tool.shown = False
window.bench.canvas.set_zoom(1.0)
canvas = window.bench.canvas
canvas.grab().save(sys.argv[2])
print(*canvas.origin(), canvas.devicePixelRatioF(), flush=True)
window.close()
"""


def test_the_first_start_teaches_once(bench: Bench, lamp: Path) -> None:
    bench.window.preferences.taught = False
    bench.open(lamp)
    assert "Hold C" in bench.window.bench.notice.text.text()
    bench.click(bench.window.bench.notice.action)
    assert bench.window.help_window.isVisible()
    bench.window.help_window.close()
    bench.window.close()
    assert load_preferences().taught
    assert preferences_file().is_file()


def test_help_shows_pictures_and_every_step(bench: Bench) -> None:
    bench.key(Qt.Key.Key_F1)
    browser = bench.window.help_window.browser
    text = browser.toPlainText()
    for kind in STEPS:
        assert kind.help in text
        assert all(c.help in text for c in kind.controls())
    pages = [p.read_text("utf-8") for p in FOLDER.glob("help.*.md")]
    assert len(pages) == len(languages())
    pictures = [p.name for p in FOLDER.glob("*.png")]
    assert len(pictures) >= 3
    assert all(f"({name})" in page for name in pictures for page in pages)
    assert all(not QImage(str(FOLDER / name)).isNull() for name in pictures)
    bench.window.help_window.close()


def test_a_kill_in_the_middle_of_work_loses_nothing(bench: Bench, lamp: Path, tmp_path: Path) -> None:
    from dustpan.ui import safety

    program = subprocess.Popen(
        [sys.executable, "-c", EDIT, str(lamp), str(safety.safety_folder())], stdout=subprocess.PIPE, text=True
    )
    try:
        assert program.stdout is not None
        assert program.stdout.readline() == "working\n"
        until = time.monotonic() + 20
        while not list(safety.safety_folder().glob("*.picture")) and time.monotonic() < until:
            time.sleep(0.05)
    finally:
        program.send_signal(signal.SIGKILL)
        program.communicate()
    bench.window.offer_left_work()
    assert "lamp.tif" in bench.window.bench.notice.text.text()
    bench.click(bench.window.bench.notice.action)
    bench.bot.waitUntil(lambda: bench.window.document is not None, timeout=20_000)
    bench.wait()
    assert bench.window.document.sweep.steps[0].params.luminance == 1.6


@pytest.mark.parametrize("scale", ["1.5", "2"])
def test_100_percent_is_one_device_pixel_at_any_scaling(lamp: Path, tmp_path: Path, scale: str) -> None:
    import numpy as np

    from dustpan.core.picture import Depth, to_samples
    from dustpan.core.sweep import Sweep, make_step
    from tests.ui.test_window import rendered

    environment = {**os.environ, "QT_SCALE_FACTOR": scale}
    run = subprocess.run(
        [sys.executable, "-c", GRAB, str(lamp), str(tmp_path / "shot.png")],
        env=environment, capture_output=True, text=True, timeout=120, check=True,
    )  # fmt: skip
    x, y, ratio = (float(v) for v in run.stdout.split())
    assert ratio == float(scale)
    image = QImage(str(tmp_path / "shot.png")).convertToFormat(QImage.Format.Format_RGB888)
    data = image.constBits().asarray(image.sizeInBytes())
    rows = np.frombuffer(data, np.uint8).reshape(image.height(), image.bytesPerLine())
    pixels = rows[:, : image.width() * 3].reshape(image.height(), image.width(), 3)
    x, y = int(x), int(y)
    expected = to_samples(rendered(lamp, Sweep((make_step("noise"),))), Depth.EIGHT)
    # kernels compiled in this process and kernels read from the cache round the last bit differently
    assert np.abs(pixels[y : y + 288, x : x + 400].astype(int) - expected).max() <= 1
