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
def warm_up(
    first: Annotated[bool, typer.Option("--first", help="Only what the first demo picture needs.")] = False,
    pictures: Annotated[bool, typer.Option("--pictures/--no-pictures", help="Make the demo pictures, too.")] = True,
    gently: Annotated[bool, typer.Option("--gently", help="Let everything else go first.")] = False,
) -> None:
    """Compile the kernels and make the demo pictures, so that later starts are quick; prints the pictures."""
    import os

    from dustpan.demo.preparing import prepare

    if gently:
        os.nice(19)

    def told(made: list[Path], done: int, total: int) -> None:
        for path in made:
            print(path, flush=True)
        tell(f"{done} of {total} ready.")

    tell("Compiling the kernels and making the demo pictures (once) …")
    prepare(told, first, pictures)


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
