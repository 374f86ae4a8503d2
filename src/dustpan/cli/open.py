"""``dustpan open`` and ``dustpan demo``: the window."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from dustpan.cli.app import app, tell


@app.command("open")
def open_(
    files: Annotated[list[Path], typer.Argument(help="Pictures to open.")],
    hand_back: Annotated[
        Path | None,
        typer.Option("--return", help="Where the result goes, a folder for several; exit code 3 if it was not."),
    ] = None,
) -> None:
    """Open pictures in the window; with --return, for another program that waits for the result."""
    if hand_back is not None:
        from dustpan.core.files import format_of
        from dustpan.core.jobs.plan import check_targets, targets

        if len(files) == 1:
            format_of(hand_back)
            check_targets(files, [hand_back], False)
        else:
            for target in targets(files, hand_back, False):
                format_of(target)
    show_window(files, hand_back=hand_back)


@app.command()
def demo(
    shot: Annotated[
        Path | None, typer.Option("--shot", help="Write what the window shows to this PNG and end.")
    ] = None,
) -> None:
    """Open the window with the demo pictures."""
    from dustpan.core.paths import demo_folder
    from dustpan.demo import SCENES, ensure_scene

    show_window(ensure_scene(demo_folder(), next(iter(SCENES)), tell), shot, demo=True)


def show_window(files: list[Path], shot: Path | None = None, hand_back: Path | None = None, demo: bool = False) -> None:
    """The only door from here to the interface."""
    from dustpan.ui.app import run

    raise typer.Exit(run(files, shot, hand_back, demo))
