"""What the commands share: the application that they belong to, and the two ways to say something."""

from __future__ import annotations

import sys
from typing import Annotated, Any

import typer

from dustpan.core.text import as_json, plain

app = typer.Typer(
    name="dustpan",
    help="Noise out, detail kept: measured noise reduction and halo-free sharpening.",
    add_completion=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
)
SceneLinear = Annotated[
    bool | None, typer.Option("--scene-linear/--encoded", help="What the file's values are, where it does not say.")
]
AsJson = Annotated[bool, typer.Option("--json", help="Print one JSON object.")]


def tell(text: str) -> None:
    """For a person: to stderr."""
    print("\n".join(plain(line) for line in text.split("\n")), file=sys.stderr, flush=True)


def emit(data: Any) -> None:
    """For a program: one JSON object to stdout."""
    print(as_json(data))
