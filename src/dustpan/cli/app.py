"""What the commands share: the application that they belong to, and the two ways to say something."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING, Annotated, Any

import typer

from dustpan.core.errors import WrongUse
from dustpan.core.text import as_json, plain

if TYPE_CHECKING:
    from dustpan.core.files import Opening

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
Part = Annotated[int | None, typer.Option("--part", min=1, help="Which page or image of a file that holds several.")]
Pattern = Annotated[
    str, typer.Option("--pattern", help="The colour filter of a FITS mosaic: RGGB, BGGR, GRBG or GBRG.")
]
AsJson = Annotated[bool, typer.Option("--json", help="Print one JSON object.")]


def opening(scene_linear: bool | None, part: int | None, pattern: str) -> Opening:
    """What was chosen about how a file is opened."""
    from dustpan.core.files.format import PATTERNS, Opening

    if pattern and pattern not in PATTERNS:
        raise WrongUse("--pattern must be one of {0}.", ", ".join(PATTERNS))
    return Opening(scene_linear, part, pattern)


def tell(text: str) -> None:
    """For a person: to stderr."""
    print("\n".join(plain(line) for line in text.split("\n")), file=sys.stderr, flush=True)


def emit(data: Any) -> None:
    """For a program: one JSON object to stdout."""
    print(as_json(data))
