"""How quickly the window answers, on a picture of 24 megapixels and on the demo picture.

Times are those of this machine and only proportions count: beside each stands its ratio to OpenCV's NL-means on the
900 x 480 px that the window shows at 100 %, measured in the same run.
"""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np

from benchmarks.common import answer_apart, apart, arguments, peak_megabytes, publish, table

VIEW = (480, 900)
LARGE = (4000, 6000)


def large_picture(folder: Path) -> Path:
    """A noisy JPEG of 24 megapixels: the demo scene, repeated."""
    from PIL import Image

    from dustpan.demo.camera import develop, expose
    from dustpan.demo.keepers_desk import render

    light = render(height=1000, width=1500, samples=1)
    noisy = [develop(expose(light, seed)) for seed in range(4)]
    rows = [np.concatenate([noisy[(i + j) % 4] for j in range(4)], 1) for i in range(4)]
    path = folder / "large.jpg"
    Image.fromarray(np.rint(255 * np.concatenate(rows)).astype(np.uint8)).save(path, quality=92)
    return path


class Watch:
    """Runs the event loop and remembers its longest silences."""

    def __init__(self, app: Any) -> None:
        self.app, self.gaps = app, []

    def until(self, done: Callable[[], bool], limit: float = 300.0) -> float:
        """Seconds until ``done``; the loop is watched meanwhile."""
        began = last = time.perf_counter()
        while not done():
            self.app.processEvents()
            now = time.perf_counter()
            self.gaps.append(now - last)
            last = now
            if now - began > limit:
                raise TimeoutError
            time.sleep(0.0005)
        return time.perf_counter() - began


def _note(told: dict[str, Any], name: str, event: Any) -> None:
    """Remember the newest request that was told to have come so far."""
    told[name] = event.request


def nl_means_time() -> float:
    """Seconds of OpenCV's NL-means on the view's crop."""
    import cv2

    cv2.setNumThreads(2)
    crop = np.random.default_rng(1).integers(0, 255, (*VIEW, 3)).astype(np.uint8)
    times = []
    for _ in range(3):
        began = time.perf_counter()
        cv2.fastNlMeansDenoisingColored(crop, None, 10, 10, 7, 21)
        times.append(time.perf_counter() - began)
    return float(np.median(times))


def window_times(path: str) -> dict[str, float]:
    """Open a picture, look, move controls; seconds by name, and the peak memory in MB."""
    from dustpan.core.jobs.events import Drafted, Seen
    from dustpan.core.jobs.warm_up import warm_up
    from dustpan.ui.app import make_app
    from dustpan.ui.window import Window

    warm_up()
    app = make_app()
    window = Window()
    window.resize(VIEW[1] + 196, VIEW[0] + 270)
    window.show()
    watch = Watch(app)
    found: dict[str, float] = {}
    window.open_files([Path(path)])
    found["picture on screen"] = watch.until(lambda: window.document is not None)
    d = window.document
    assert d is not None
    window.bench.canvas.go_to(d.picture.size[0] / 2, d.picture.size[1] / 2, 1.0)
    found["noise print"] = found["picture on screen"] + watch.until(lambda: d.noise_print is not None)

    told: dict[str, Any] = {}
    for name, kind in (("drafted", Drafted), ("seen", Seen)):
        window.jobs.hear(kind, partial(_note, told, name))

    def until_told(name: str) -> float:
        return watch.until(lambda: told.get(name) is window.state.request)

    until_told("seen")
    watch.until(lambda: not window.busy)
    for value in (1.4, 1.5, 1.6):
        window.bench.editing.set_values({"luminance": value}, False)
        found["draft of the view, analysed anew"] = until_told("drafted")
        found["exact view, analysed anew"] = found["draft of the view, analysed anew"] + until_told("seen")
    for value in (0.7, 0.6, 0.5):
        window.bench.editing.set_values({"luminance": value}, False)
        found["exact view, mix alone"] = until_told("seen")
    window.bench.canvas.fit()
    for value in (1.7, 1.8):
        window.bench.editing.set_values({"luminance": value}, False)
        found["draft of the whole picture"] = until_told("drafted")
    frames = []
    for k in range(60):
        began = time.perf_counter()
        window.bench.canvas.go_to(d.picture.size[0] / 2 + 9 * k, d.picture.size[1] / 2 + 13 * k)
        window.bench.canvas.repaint()
        frames.append(time.perf_counter() - began)
    found["a panned frame, median"] = float(np.median(frames))
    gaps = np.array(watch.gaps)
    for share in (99, 99.9, 100):
        found[f"event loop silent, {share:g} %"] = float(np.quantile(gaps, share / 100))
    window.jobs.stop_showing()
    d.history.mark_saved()
    window.close()
    found["peak memory, MB"] = peak_megabytes()
    return {k: float(v) for k, v in found.items()}


def main() -> None:
    if answer_apart(window_times):
        return
    options = arguments(__doc__)
    from dustpan.core.paths import demo_folder
    from dustpan.demo import PICTURES, ensure_demo_data

    ensure_demo_data(demo_folder())
    with TemporaryDirectory() as folder:
        paths = {"24 megapixels": large_picture(Path(folder)), "Keeper's desk": demo_folder() / PICTURES[0]}
        times, units = {}, [nl_means_time()]
        for name, path in paths.items():
            times[name] = apart("benchmarks.ui", str(path))
            units.append(nl_means_time())  # before, between and after, for a machine's speed may change
    unit = float(np.median(units))
    rows = []
    for key in times["24 megapixels"]:
        row: list[Any] = [key]
        for found in times.values():
            value = found[key]
            row += [f"{value:.0f}", "–"] if "MB" in key else [f"{1000 * value:.0f} ms", f"{value / unit:.2f}"]
        rows.append(row)
    head = ["what"] + [c for name in times for c in (name, "× NL-means")]
    text = f"OpenCV NL-means on 900 x 480 px took {1000 * unit:.0f} ms in this run.\n\n" + table(head, rows)
    publish("ui", "The window", text, options.write)


if __name__ == "__main__":
    main()
