"""From a clone to the first picture: what is there when, on a machine that has never seen Dustpan.

The sources are cloned, and everything that is made goes into new folders: packages, kernels, demo pictures. Packages of
Debian and what the registry's mirror keeps are as they are on this machine.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from benchmarks.common import ROOT, arguments, publish, table

LIMIT = 600.0  # s
DEAREST = 10
WINDOW = """
import json, sys, time
from pathlib import Path
from dustpan.core.kernel_cache import prepare_kernel_cache
prepare_kernel_cache()
from PyQt6.QtWidgets import QApplication
from dustpan.core.kernel_cache import kernels_ready
from dustpan.core.paths import demo_folder
from dustpan.demo import PICTURES, SCENES, ensure_scene
from dustpan.core.jobs.events import Pixels
from dustpan.ui.app import end, make_app
from dustpan.ui.window import Window

def note(name):
    print(json.dumps([name, time.time()]), flush=True)

paths = ensure_scene(demo_folder(), next(iter(SCENES)))
app = make_app()
window = Window()
window.resize(1280, 800)
window.show()
window.jobs.hear(Pixels, lambda event: event.exact and note("view exact"))
window.open_files(paths)
window.files.open_demo()
app.processEvents()
note("window")
left = {"first picture done": lambda: window.document and not window.busy,
        "all kernels": kernels_ready,
        "all pictures": lambda: len(window.files.documents) == len(PICTURES)}
until = time.time() + float(sys.argv[1])
while left and time.time() < until:
    app.processEvents()
    for name in [n for n, done in left.items() if done()]:
        note(name)
        del left[name]
    time.sleep(0.01)
end(window)
"""
KERNELS = """
import json, time
from dustpan.core.jobs.warm_up import kernel_names
from dustpan.core.kernels import compile_kernel
found = []
for name in kernel_names():
    began = time.process_time()
    compile_kernel(name)
    found.append([name, time.process_time() - began])
print(json.dumps(found))
"""


def first_minute(folder: Path) -> list[tuple[str, float]]:
    """Seconds from the clone on until each thing is there."""
    env = {k: v for k, v in os.environ.items() if not k.startswith(("NUMBA_", "PYTHONPATH", "VIRTUAL_ENV"))}
    clone, venv = folder / "clone", folder / "venv"
    env |= {"DUSTPAN_VENV": str(venv), "DUSTPAN_CACHE": str(folder / "cache"), "QT_QPA_PLATFORM": "offscreen"}
    env["DUSTPAN_CONFIG"] = str(folder / "config")
    began = time.time()
    done: list[tuple[str, float]] = []

    def run(name: str, *command: str | Path) -> None:
        subprocess.run(command, check=True, env=env, cwd=clone if clone.exists() else folder, stdout=subprocess.DEVNULL)
        done.append((name, time.time() - began))

    run("clone", "git", "clone", "--quiet", ROOT, clone)
    run("packages", clone / "run", "dustpan", "steps")
    run("kernels and picture to begin with", clone / "run", "dustpan", "warm-up", "--first")
    script = [str(venv / "bin" / "python"), "-c", WINDOW, str(LIMIT)]
    told = subprocess.run(script, check=True, env=env, cwd=clone, capture_output=True, text=True).stdout
    seen: dict[str, float] = {}
    for line in told.split("\n"):
        if line.startswith("["):
            name, at = json.loads(line)
            seen.setdefault(name, at - began)
    return done + sorted(seen.items(), key=lambda item: item[1])


def dearest(folder: Path) -> list[tuple[str, float]]:
    """CPU seconds of compiling each kernel, one after the other in one process."""
    env = {**os.environ, "NUMBA_CACHE_DIR": str(folder / "kernels")}
    told = subprocess.run([sys.executable, "-c", KERNELS], check=True, env=env, capture_output=True, text=True).stdout
    found: list[Any] = json.loads(told)
    return sorted(((name, seconds) for name, seconds in found), key=lambda item: -item[1])


def loop() -> float:
    """Milliseconds of a loop of a million turns, by which machines are told apart."""
    began, total = time.process_time(), 0
    for k in range(1_000_000):
        total += k
    return 1000 * (time.process_time() - began)


def main() -> None:
    options = arguments(__doc__)
    with TemporaryDirectory(prefix="first-minute-") as folder:
        reached = first_minute(Path(folder))
        kernels = dearest(Path(folder))
    whole = sum(seconds for _, seconds in kernels)
    text = "\n\n".join([
        "From a clone on, in seconds:",
        table(["there is", "s"], [[name, seconds] for name, seconds in reached]),
        f"{len(kernels)} kernels take {whole:.0f} s of one core where a loop of a million turns takes {loop():.0f} ms; "
        f"the {DEAREST} dearest:",
        table(["kernel", "s"], [[name, seconds] for name, seconds in kernels[:DEAREST]]),
    ])  # fmt: skip
    publish("first_minute", "From a clone to the first picture", text, options.write)


if __name__ == "__main__":
    main()
