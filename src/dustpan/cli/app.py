"""What the commands share: the application that they belong to, and the two ways to say something."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Sequence
from dataclasses import fields
from functools import wraps
from inspect import Parameter, Signature
from typing import TYPE_CHECKING, Annotated, Any, TextIO, TypeVar, get_type_hints

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
Size = Annotated[int, typer.Option("--size", min=0, help="Longest side in px; never made larger.")]
Use = Annotated[str, typer.Option("--for", help="screen or print: sharpen for it.")]
PerMm = Annotated[float, typer.Option("--per-mm", help="Pixels on a millimetre of the print.")]
Spread = Annotated[float, typer.Option("--spread", help="How far ink spreads, in mm.")]
AS_IT_IS = "as it is"
AsJson = Annotated[bool, typer.Option("--json", help="Print one JSON object.")]


Record = TypeVar("Record")


def takes(record: type[Record], more: Sequence[Parameter] = ()) -> Callable[[Callable[..., None]], Callable[..., None]]:
    """Make a command of a function that takes what was typed as one record, and ``more`` beside it by name.

    The fields of ``record``, a dataclass, are the options and arguments, annotated as those of a command.
    """

    def made(do: Callable[..., None]) -> Callable[..., None]:
        hints = get_type_hints(record, include_extras=True)
        own = [
            Parameter(f.name, Parameter.KEYWORD_ONLY, default=f.default, annotation=hints[f.name])
            for f in fields(record)  # type: ignore[arg-type]
        ]

        @wraps(do)
        def command(**typed: Any) -> None:
            asked = record(**{p.name: typed.pop(p.name) for p in own})
            do(asked, **typed)

        command.__signature__ = Signature([*own, *more])  # type: ignore[attr-defined]
        command.__annotations__ = {p.name: p.annotation for p in (*own, *more)}
        return command

    return made


def opening(scene_linear: bool | None, part: int | None, pattern: str) -> Opening:
    """What was chosen about how a file is opened."""
    from dustpan.core.files.format import PATTERNS, Opening

    if pattern and pattern not in PATTERNS:
        raise WrongUse("--pattern must be one of {0}.", ", ".join(PATTERNS))
    return Opening(scene_linear, part, pattern)


def output(size: int, use: str, per_mm: float, spread: float) -> dict[str, Any]:
    """What a result is made for, as a task keeps it."""
    from dustpan.core.finish.output import Use, output_from_json

    if use not in list(Use):
        raise WrongUse("--for must be one of {0}.", ", ".join(Use))
    return output_from_json({"longest": size, "use": use, "per_mm": per_mm, "spread": spread}).as_json()


def check_depth(depth: str | None) -> None:
    if depth not in (None, "", "8", "16", "float"):
        raise WrongUse("--depth must be 8, 16 or float.")


def tell(text: str) -> None:
    """For a person: to stderr."""
    print("\n".join(plain(line) for line in text.split("\n")), file=sys.stderr, flush=True)


def emit(data: Any) -> None:
    """For a program: one JSON object to stdout."""
    print(as_json(data), file=_answers or sys.stdout, flush=True)


_answers: TextIO | None = None  # the standard output, where it is kept for the answer alone


def keep_output_for_answers() -> None:
    """From here on only `emit` reaches the standard output; what libraries print there goes to the standard error."""
    global _answers
    if sys.stdout is not sys.__stdout__:  # it is somebody else's already
        return
    try:
        kept = os.dup(1)
        os.dup2(2, 1)
    except OSError:  # there is no standard output, or no standard error
        return
    _answers = os.fdopen(kept, "w", encoding="utf-8", errors="surrogateescape")
