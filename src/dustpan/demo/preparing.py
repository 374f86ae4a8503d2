"""Make ready what a first start needs: kernels and demo pictures, in as many processes as there are cores."""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Callable
from concurrent.futures import Future, ProcessPoolExecutor, as_completed
from pathlib import Path

from dustpan.core.jobs.warm_up import kernel_names
from dustpan.core.kernel_cache import mark_kernels_ready
from dustpan.core.kernels import compile_kernel
from dustpan.core.paths import demo_folder
from dustpan.demo.museum import SCENES, ensure_scene


def prepare(
    told: Callable[[list[Path], int, int], None],
    first: bool = False,
    pictures: bool = True,
    processes: int | None = None,
) -> None:
    """Compile kernels and make demo pictures, those first that a first picture needs.

    Parameters
    ----------
    told : gets demo pictures that are there (often none), and how much is done of how much.
    first : only what the first demo picture needs. pictures : False leaves the demo pictures out.
    """
    kernels, scenes = kernel_names(first), list(SCENES)[: 1 if first else None] if pictures else []
    with ProcessPoolExecutor(processes or os.cpu_count(), multiprocessing.get_context("fork")) as pool:
        work: dict[Future, str] = {}
        for scene in scenes[:1]:
            work[pool.submit(ensure_scene, demo_folder(), scene)] = scene
        work |= {pool.submit(compile_kernel, name): "" for name in kernels}
        for scene in scenes[1:]:
            work[pool.submit(ensure_scene, demo_folder(), scene)] = scene
        for number, done in enumerate(as_completed(work), 1):
            found = done.result()
            told(found if work[done] else [], number, len(work))
    if not first:
        mark_kernels_ready()
