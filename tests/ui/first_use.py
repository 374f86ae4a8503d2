"""Use Dustpan after a warm-up, and print every kernel that was compiled for it only then, or found no types."""

from __future__ import annotations

import sys
import tempfile
import time
from functools import partial
from pathlib import Path

from dustpan.core.kernel_cache import prepare_kernel_cache

prepare_kernel_cache()

import numpy as np
from PyQt6.QtWidgets import QApplication

from dustpan.core.colour import decode
from dustpan.core.files import save_picture
from dustpan.core.jobs import questions
from dustpan.core.jobs.warm_up import warm_up
from dustpan.core.kernels import UNFORESEEN, on_compiling
from dustpan.core.picture import from_array
from dustpan.demo.dng import write_dng
from dustpan.demo.raw_camera import Exposure, counts, seen, shot
from dustpan.ui.app import end, make_app
from dustpan.ui.window import Window
from tests.scenes import desk, noisy_b, noisy_c


def wait(app: QApplication, window: Window) -> None:
    while True:
        app.processEvents()
        if window.document and window.document.noise_print and not window.busy:
            return
        time.sleep(0.002)


def use(app: QApplication, window: Window, path: Path) -> None:
    """What anybody does in the first minute."""
    window.open_files([path])
    wait(app, window)
    window.files.show(window.files.documents[-1])
    wait(app, window)
    window.bench.canvas.go_to(211, 167, 1.0)
    noise = next(n for n, s in enumerate(window.state.sweep.steps) if s.name == "Noise")
    window.bench.editing.choose(noise)
    for name, value in (("luminance", 0.7), ("luminance", 1.3), ("give_back", 40), ("blotches", 12)):
        window.bench.editing.set_values({name: value}, False)
        wait(app, window)
    window.bench.editing.add_step("edge-sharpen")
    wait(app, window)
    window.bench.canvas.go_to(187, 133, 1.3)
    window.bench.editing.set_values({"amount": 2.2}, False)
    wait(app, window)
    assert window.document is not None
    for question in (questions.costs_of_noise, questions.strengths):
        window.jobs.ask(question.__name__, window.document, partial(question, window.document))
    window.document.history.mark_saved()  # type: ignore[union-attr]


def main() -> None:
    warm_up()
    compiled: list[str] = []
    on_compiling(compiled.append)
    app = make_app()
    window = Window()
    window.resize(700, 560)
    window.show()
    scene = desk(391, 517)
    grey = noisy_b(scene)[1].mean(2, keepdims=True)
    with tempfile.TemporaryDirectory() as folder:
        for name, pixels in (("b", noisy_b(scene)[1]), ("c", noisy_c(scene)[1]), ("grey", grey)):
            path = Path(folder) / f"{name}.tif"
            save_picture(from_array(np.rint(65535 * np.clip(pixels, 0, 1)).astype(np.uint16)), path)
            use(app, window, path)
        path, taken = Path(folder) / "raw.dng", Exposure(2000, 1)
        write_dng(path, counts(seen(decode(scene), taken), taken, 1), shot(taken))
        use(app, window, path)
        end(window)
    for line in (*compiled, *UNFORESEEN):
        print(line)
    sys.stdout.flush()


if __name__ == "__main__":
    main()
