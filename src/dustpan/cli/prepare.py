"""``dustpan demo-data`` and ``dustpan warm-up``."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from dustpan.cli.app import app, tell
from dustpan.core.errors import FileProblem


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


@app.command("demo-camera")
def demo_camera(
    folder: Annotated[Path, typer.Argument(help="Where the camera writes.")],
    every: Annotated[float, typer.Option("--every", min=0, help="Seconds between two pictures.")] = 2.0,
    pieces: Annotated[int, typer.Option("--pieces", min=1, help="In how many pieces each is written.")] = 8,
) -> None:
    """Stand in for a camera that writes the demo pictures into a folder, slowly and in pieces."""
    import time

    from dustpan.core.jobs.plan import make_folder
    from dustpan.core.paths import demo_folder
    from dustpan.demo import PICTURES, ensure_demo_data

    ensure_demo_data(demo_folder(), tell)
    make_folder(folder)
    for name in PICTURES:
        whole = (demo_folder() / name).read_bytes()
        step = -(-len(whole) // pieces)
        if (folder / name).exists():
            raise FileProblem(folder / name, "there is a file of that name already")
        with open(folder / name, "xb") as file:  # what is there is somebody's
            for at in range(0, len(whole), step):
                file.write(whole[at : at + step])
                file.flush()
                time.sleep(every / pieces)
        tell(name)
