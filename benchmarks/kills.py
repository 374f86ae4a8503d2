"""Kills at random moments: what is lost, and what stays behind, when Dustpan is ended by force while it writes.

A process of its own cleans, exports, keeps unsaved work or hands back, over and over, and is killed (SIGKILL) at a
random moment. Then it is checked that the originals are as they were, that every file under a final name is a whole
one, and that the next start and the next write find nothing of the killed process in their way.
"""

from __future__ import annotations

import os
import random
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np

from benchmarks.common import arguments, publish, table

KILLS = 200
SIZE = (90, 120)
PICTURES = ("lamp.tif", "stairs.png", "shore.jpg")
LONGEST = 1.5  # s after the first write has begun, at most, until the kill
READY = "ready\n"
ROOT = Path(__file__).parent.parent


def prepare(folder: Path) -> dict[str, bytes]:
    """Small noisy pictures to work on, and what they hold."""
    from dustpan.core.files import save_picture
    from dustpan.core.picture import from_array

    noise = np.random.default_rng(1)
    for name in PICTURES:
        made = 90 + noise.normal(0, 12, (*SIZE, 3))
        save_picture(from_array(np.clip(np.rint(made), 0, 255).astype(np.uint8)), folder / name)
    return {name: (folder / name).read_bytes() for name in PICTURES}


# ---------------------------------------------------------------- the one who is killed


def clean(folder: Path) -> None:
    """The command line, all pictures, over and over."""
    from dustpan.cli.main import main

    sys.argv = ["dustpan", "clean", *(str(folder / n) for n in PICTURES), "--out", str(folder / "out")]
    print(READY, end="", flush=True)
    while True:
        try:
            main()
        except SystemExit as end:
            if end.code:
                raise


def export(folder: Path) -> None:
    """The window's export, the next as soon as one has ended."""
    from dustpan.core.files.format import ExportOptions
    from dustpan.ui.exports import was_written

    window, run = _window(folder)

    def again(outcome: object = None) -> None:
        assert outcome is None or was_written(outcome)  # type: ignore[arg-type]
        window.exports.begin(window.document, folder / "out" / "lamp.png", ExportOptions(), again)

    run(again)


def autosave(folder: Path) -> None:
    """Unsaved changes, kept as often as the event loop gets round to it."""
    from PyQt6.QtCore import QTimer

    window, run = _window(folder)

    def change() -> None:
        window.bench.editing.set_values({"luminance": random.random()}, False)
        window.files.keep_safe()
        QTimer.singleShot(0, change)

    run(change)


def hand_back(folder: Path) -> None:
    """Handing back to the program that asked, the next as soon as one has ended."""
    from dustpan.core.jobs.events import Exported

    window, run = _window(folder, folder / "out" / "back.tif")
    window.close = lambda: True  # it stays, to do it again

    def again() -> None:
        window.handed_back = False
        window.hand_back()

    window.jobs.hear(Exported, lambda event: again())
    run(again)


WORK: dict[str, Callable[[Path], None]] = {
    "clean": clean, "export": export, "autosave": autosave, "hand-back": hand_back
}  # fmt: skip


def _window(folder: Path, hand_back_to: Path | None = None):  # type: ignore[no-untyped-def]
    from PyQt6.QtCore import QTimer

    from dustpan.ui import safety
    from dustpan.ui.app import make_app
    from dustpan.ui.window import Window

    safety.safety_folder = lambda: folder / "unsaved"
    app = make_app()
    window = Window(hand_back_to)
    window.show()
    window.open_files([folder / PICTURES[0]], handed_over=hand_back_to is not None)

    def run(then: Callable[[], None]) -> None:
        def begin() -> None:
            if window.document is None:
                QTimer.singleShot(20, begin)
            else:
                print(READY, end="", flush=True)
                then()

        begin()
        app.exec()

    return window, run


# ---------------------------------------------------------------- the one who kills


def kill_once(kind: str, seed: int, folder: Path) -> tuple[int, list[str]]:
    """Start, kill at a random moment, look.

    Returns
    -------
    How many files lay under their final names, and what was wrong in one sentence each.
    """
    before = prepare(folder)
    (folder / "out").mkdir()
    (folder / "unsaved").mkdir()
    words = [sys.executable, "-m", "benchmarks.kills", "--work", kind, "--folder", str(folder)]
    worker = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, cwd=ROOT)
    try:
        assert worker.stdout is not None
        if worker.stdout.readline() != READY:
            return 0, [f"{kind} did not start"]
        time.sleep(random.Random(seed).uniform(0, LONGEST))
        if worker.poll() is not None:
            return 0, [f"{kind} ended by itself with {worker.returncode}"]
    finally:
        worker.kill()
        worker.communicate()
    return look(folder, before)


def look(folder: Path, before: dict[str, bytes]) -> tuple[int, list[str]]:
    """What a killed process left: files under their final names, and what is wrong."""
    from dustpan.core.errors import FileProblem
    from dustpan.core.files import open_picture
    from dustpan.core.files.atomic import write_atomically
    from dustpan.core.sweep import load_sweep

    wrong = [f"{n} is not as it was" for n, held in before.items() if (folder / n).read_bytes() != held]
    whole = 0
    for path in sorted((folder / "out").iterdir()):
        if path.name.startswith("."):
            continue
        try:
            whole += open_picture(path).size == SIZE
        except FileProblem as problem:
            wrong.append(str(problem))
    for path in sorted((folder / "unsaved").glob("*.sweep.json")):
        try:
            load_sweep(path)
            whole += 1
        except FileProblem as problem:
            wrong.append(str(problem))
    for place in (folder / "out", folder / "unsaved"):
        write_atomically(place / "next", lambda file: file.write(b"next"))
        wrong += [f"{p.name} stays" for p in place.glob(".*")]
    return whole, wrong


def kills(kind: str, times: int) -> tuple[int, int, list[str]]:
    """Kill a kind of work some times, each in a folder of its own: (times with a result, times wrong, what)."""
    some, faulty, told = 0, 0, []
    for seed in range(times):
        with TemporaryDirectory() as folder:
            whole, wrong = kill_once(kind, seed, Path(folder))
        some, faulty, told = some + (whole > 0), faulty + bool(wrong), told + wrong
    return some, faulty, told


def main() -> None:
    options = arguments(__doc__, kills=str(KILLS), work="", folder="")
    if options.work:
        WORK[options.work](Path(options.folder))
        return
    rows, told = [], []
    for kind in WORK:
        times = int(options.kills) // len(WORK)
        some, faulty, wrong = kills(kind, times)
        rows.append((kind, times, some, faulty))
        told += wrong
    text = table(
        ("killed while it did", "kills", "of them with a whole result there", "of them with anything wrong"), rows
    )
    text += "\n\n" + ("\n".join(sorted(set(told))) or "Originals as they were, no half file, nothing left behind.")
    publish("kills", "Kills at random moments", text, options.write)


if __name__ == "__main__":
    main()
