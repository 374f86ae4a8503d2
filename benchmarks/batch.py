"""Batches: pictures a second against a plain loop over ``dustpan clean``, killed 50 times, and over a scheduler.

The loop starts the command anew for each picture, as a shell script would. Every run writes the same bytes, which is
checked in each row.
"""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from benchmarks.common import FOUR, arguments, photograph, publish, table
from dustpan.core.batch.batch import prepare, run_batch
from dustpan.core.batch.cluster import Cluster
from dustpan.core.batch.doers import Doer
from dustpan.core.batch.here import Here, together_for
from dustpan.core.batch.journal import Journal, fingerprint
from dustpan.core.batch.order import Order
from dustpan.core.batch.processes import Processes
from dustpan.core.files import save_picture
from dustpan.core.grammar import parse_step
from dustpan.core.jobs.one import Outcome
from dustpan.core.picture import from_array
from dustpan.core.sweep import Sweep, save_sweep

STEPS = Sweep((parse_step("noise"), parse_step("edge-sharpen")))
SMALL, MIDDLE, LARGE = (24, 320, 240), (8, 1200, 900), (4, 3000, 2000)  # how many, width and height
KILLS = 50


class _Silent:
    def began(self, number: int) -> None: ...
    def progressed(self, number: int, done: int, total: int) -> None: ...
    def ended(self, number: int, outcome: Outcome) -> None: ...


def shots(folder: Path, count: int, width: int, height: int) -> list[Path]:
    """Noisy pieces of photographs."""
    folder.mkdir()
    found = []
    for n in range(count):
        sharp = photograph(FOUR[n % len(FOUR)])
        whole = np.tile(sharp, (-(-height // sharp.shape[0]), -(-width // sharp.shape[1]), 1))[:height, :width]
        noisy = np.clip(whole + np.random.default_rng(n).normal(0, 10 / 255, whole.shape), 0, 1)
        found.append(folder / f"shot-{n:03}.png")
        save_picture(from_array((255 * noisy).astype(np.uint8)), found[-1])
    return found


def ordered(sources: list[Path], out: Path) -> Order:
    return Order(sources=tuple(map(str, sources)), out=str(out), sweep=STEPS.as_json(), reported=False)


def by(doer: Doer, sources: list[Path], out: Path) -> float:
    """Seconds that a batch takes."""
    began = time.perf_counter()
    with Journal(out) as journal:
        prepare(journal, ordered(sources, out), False)
        run_batch(journal, doer, _Silent())
    return time.perf_counter() - began


def loop(sources: list[Path], out: Path) -> float:
    """Seconds that a loop over the command takes."""
    out.mkdir()
    began = time.perf_counter()
    for source in sources:
        command = [sys.executable, "-m", "dustpan", "clean", str(source), "--out", str(out / source.name)]
        command += ["--step", "noise", "--step", "edge-sharpen"]
        subprocess.run(command, check=True, capture_output=True)
    return time.perf_counter() - began


def prints(folder: Path) -> dict[str, str]:
    return {p.name: fingerprint(p) for p in sorted(folder.glob("*.png"))}


def throughput(folder: Path) -> str:
    rows = []
    for label, (count, width, height) in (("small", SMALL), ("middle", MIDDLE), ("large", LARGE)):
        sources = shots(folder / label, count, width, height)
        truth: dict[str, str] = {}
        plain = 0.0
        for name, run in (
            ("a loop over clean", lambda s, o: loop(s, o)),
            ("batch, one at a time", lambda s, o: _with(Here(1), s, o)),
            ("batch, two at a time", lambda s, o: _with(Here(2), s, o)),
            ("batch, as it chooses", lambda s, o: _with(Here(together_for(s)), s, o)),
            ("batch, 2 processes", lambda s, o: _with(Processes(2), s, o)),
        ):
            out = folder / f"{label}-{len(rows)}"
            seconds = run(sources, out)
            plain = plain or seconds
            truth = truth or prints(out)
            same = "yes" if prints(out) == truth else "NO"
            rows.append([f"{count} of {width} × {height}", name, count / seconds, plain / seconds, same])
    return table(["pictures", "how", "a second", "× the loop", "same bytes"], rows)


def _with(doer: Doer, sources: list[Path], out: Path) -> float:
    try:
        return by(doer, sources, out)
    finally:
        doer.close()


def killed(folder: Path) -> str:
    """A batch of 20 small pictures, killed at random moments until it was killed 50 times, then let finish."""
    sources = shots(folder / "killed", 60, 200, 160)
    whole, torn = folder / "whole", folder / "torn"
    _with(Here(), sources, whole)
    recipe = folder / "recipe.sweep.json"
    save_sweep(STEPS, recipe)
    command = [
        sys.executable,
        "-m",
        "dustpan",
        "batch",
        str(folder / "killed"),
        "--out",
        str(torn),
        "--recipe",
        str(recipe),
    ]
    rng, kills, runs = random.Random(7), 0, 0
    while kills < KILLS:
        runs += 1
        extra = ["--resume"] if runs > 1 and (torn / "dustpan-batch.journal").exists() else ["--anew"]
        process = subprocess.Popen([*command, *extra], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
                                   start_new_session=True)  # fmt: skip
        try:
            process.wait(rng.uniform(1.0, 3.2))
        except subprocess.TimeoutExpired:
            os.killpg(process.pid, signal.SIGKILL)
            process.wait()
            kills += 1
        if process.returncode == 0:
            for victim in rng.sample(sorted(torn.glob("*.png")), 40):  # so that there is something left to do
                victim.unlink()
    subprocess.run([*command, "--resume"], check=True, capture_output=True)
    left = [p.name for p in torn.iterdir() if p.name.endswith(".part") or p.name.startswith(".")]
    same = "yes" if prints(torn) == prints(whole) else "NO"
    rows = [[kills, len(prints(torn)), len(prints(whole)), same, len(left)]]
    return table(["killed", "results", "of", "same bytes", "left behind"], rows)


def scaling(folder: Path) -> str:
    from distributed import LocalCluster

    sources = shots(folder / "cluster", 16, 640, 480)
    rows, first, truth = [], 0.0, {}
    for workers in (1, 2, 4):
        with LocalCluster(n_workers=workers, threads_per_worker=1, dashboard_address=None, silence_logs=50) as cluster:
            doer = Cluster(cluster.scheduler_address)
            try:
                by(doer, sources[: 2 * workers], folder / f"warm-{workers}")
                seconds = by(doer, sources, out := folder / f"cluster-{workers}")
            finally:
                doer.close()
        first, truth = first or seconds, truth or prints(out)
        same = "yes" if prints(out) == truth else "NO"
        rows.append([workers, len(sources) / seconds, first / seconds, same])
    return table(["workers", "pictures a second", "× one worker", "same bytes"], rows)


def main() -> None:
    options = arguments(__doc__)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        parts = [
            f"Noise and Edge sharpen, on {os.cpu_count()} processors:\n\n" + throughput(folder),
            "Killed with SIGKILL at random moments, and gone on with:\n\n" + killed(folder),
            "Over a Dask scheduler on this machine; a picture uses all processors by itself:\n\n" + scaling(folder),
        ]  # fmt: skip
    publish("batch", "Batches", "\n\n".join(parts), options.write)


if __name__ == "__main__":
    main()
