"""``dustpan open`` and ``dustpan demo``: the window."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from dustpan.cli.app import app, tell
from dustpan.core.errors import WrongUse


@app.command("open")
def open_(
    files: Annotated[list[Path], typer.Argument(help="Pictures to open.")],
    hand_back: Annotated[
        Path | None, typer.Option("--return", help="Where the result is handed back to; exit code 3 if it was not.")
    ] = None,
) -> None:
    """Open pictures in the window; with --return, for another program that waits for the result."""
    if hand_back is not None:
        from dustpan.core.files import format_of

        if len(files) != 1:
            raise WrongUse("--return takes one picture.")
        format_of(hand_back)
    show_window(files, hand_back=hand_back)


@app.command()
def demo(
    shot: Annotated[
        Path | None, typer.Option("--shot", help="Write what the window shows to this PNG and end.")
    ] = None,
) -> None:
    """Open the window with the demo pictures."""
    from dustpan.core.paths import demo_folder
    from dustpan.demo import PICTURES, ensure_demo_data

    folder = demo_folder()
    ensure_demo_data(folder, tell)
    show_window([folder / name for name in PICTURES], shot)


def show_window(files: list[Path], shot: Path | None = None, hand_back: Path | None = None) -> None:
    """The only door from here to the interface."""
    from dustpan.ui.app import run

    raise typer.Exit(run(files, shot, hand_back))
