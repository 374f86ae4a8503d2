"""``dustpan demo-data`` and ``dustpan warm-up``."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from dustpan.cli.app import app, tell


@app.command("demo-data")
def demo_data(folder: Annotated[Path, typer.Argument(help="Where to write.")]) -> None:
    """Write the demo pictures and their clean truth."""
    from dustpan.core.jobs.plan import make_folder
    from dustpan.demo import write_demo_data

    make_folder(folder)
    for path in write_demo_data(folder, tell):
        print(path)


@app.command("warm-up")
def warm_up() -> None:
    """Compile the kernels and make the demo pictures, so that later starts are quick."""
    from dustpan.core.jobs.warm_up import warm_up as warm
    from dustpan.core.paths import demo_folder
    from dustpan.demo import ensure_demo_data

    tell("Compiling the kernels (once) …")
    warm()
    ensure_demo_data(demo_folder(), tell)
    tell("Ready.")
