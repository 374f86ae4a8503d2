"""The first minute with a picture of ordinary size: when what is there, from the click on.

The window is driven as a person would: a picture of 24 and one of 60 megapixels is opened at fit, and after twelve
seconds, whatever is going on, the view is brought to 100 % somewhere else. Beside each time stands its ratio to
OpenCV's NL-means on the view's crop, measured in the same run.
"""

from __future__ import annotations

import os
import time
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np

from benchmarks.common import answer_apart, apart, arguments, peak_megabytes, publish, table
from benchmarks.ui import VIEW, large_picture, nl_means_time
from dustpan.core.jobs import events as ev

SIXTY = (6336, 9504)
TOLD = {
    ev.Opened: "picture on screen", ev.Measured: "noise print", ev.Drafted: "draft of the view",
    ev.Judged: "verdict", ev.Seen: "the view reckoned at its size, and how far it is from exact",
    ev.Done: "every pixel exact",
}  # fmt: skip
ZOOMED_AFTER = 12.0  # s
LIMIT = 400.0  # s


def sixty_megapixels(path: Path, folder: Path) -> Path:
    from PIL import Image

    Image.MAX_IMAGE_PIXELS = None
    pixels = np.asarray(Image.open(path))
    wide = np.tile(pixels, (2, 2, 1))[: SIXTY[0], : SIXTY[1]]
    out = folder / "sixty.jpg"
    Image.fromarray(wide).save(out, quality=92)
    return out


def first_minute(path: str, zoomed: str) -> dict[str, float]:
    """Seconds from the wish to open a picture until each thing is there; or from zooming in, when ``zoomed``."""
    from dustpan.core.jobs.warm_up import warm_up
    from dustpan.ui.app import make_app
    from dustpan.ui.window import Window

    warm_up()
    app = make_app()
    window = Window()
    window.resize(VIEW[1] + 196, VIEW[0] + 270)
    window.show()
    found: dict[str, float] = {}
    began = time.perf_counter()
    probes: set[int] = set()

    def note(name: str) -> None:
        found.setdefault(name, time.perf_counter() - began)

    def note_probe(event: ev.ProbeSeen) -> None:
        if event.view.figures:
            probes.add(event.number)
        if event.document.probes and len(probes) == len(event.document.probes):
            note("all probes, exact")

    for kind, name in TOLD.items():
        window.jobs.hear(kind, lambda event, n=name: note(n))
    window.jobs.hear(ev.ProbeSeen, note_probe)
    window.open_files([Path(path)])
    while "every pixel exact" not in found and time.perf_counter() - began < LIMIT:
        app.processEvents()
        time.sleep(0.001)
        if zoomed == "yes" and time.perf_counter() - began > ZOOMED_AFTER:
            break
    if zoomed == "yes":
        h, w = window.document.picture.size  # type: ignore[union-attr]
        found, began = {}, time.perf_counter()
        exact: list[float] = []
        window.jobs.hear(
            ev.Seen, lambda event: exact.append(time.perf_counter() - began) if event.apart is None else None
        )
        window.bench.canvas.go_to(0.6 * h, 0.3 * w, 1.0)
        while not exact:
            app.processEvents()
            time.sleep(0.001)
        return {"draft at 100 %": found.get("draft of the view", exact[0]), "exact at 100 %": exact[0]}
    window.document.history.mark_saved()  # type: ignore[union-attr]
    window.close()
    found["peak memory, MB"] = peak_megabytes()
    return found


def main() -> None:
    if answer_apart(first_minute):
        return
    options = arguments(__doc__)
    with TemporaryDirectory() as name:
        folder = Path(name)
        first = large_picture(folder)
        paths = {"24 megapixels": first, "60 megapixels": sixty_megapixels(first, folder)}
        times, units = {}, [nl_means_time()]
        for title, path in paths.items():
            times[title] = apart("benchmarks.minute", str(path), "no")
            times[title] |= apart("benchmarks.minute", str(path), "yes")
            units.append(nl_means_time())
    unit = float(np.median(units))
    rows = []
    for key in times["24 megapixels"]:
        row: list[Any] = [key]
        for found in times.values():
            value = found.get(key)
            if value is None:
                row += ["–", "–"]
            else:
                row += [f"{value:.0f}", "–"] if "MB" in key else [f"{value:.2f} s", f"{value / unit:.2f}"]
        rows.append(row)
    head = ["what"] + [c for title in times for c in (title, "× NL-means")]
    text = f"OpenCV NL-means on {VIEW[1]} x {VIEW[0]} px took {1000 * unit:.0f} ms in this run.\n\n"
    publish("minute", "The first minute", text + table(head, rows), options.write)


if __name__ == "__main__":
    main()
