"""``dustpan stack``: many exposures of one thing made into one picture."""

from __future__ import annotations

import re
import sys
from contextlib import closing
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer
from typer.core import TyperCommand

from dustpan.cli.app import AsJson, app, check_depth, emit, tell
from dustpan.core.errors import WrongUse
from dustpan.core.text import name_of, plain

if TYPE_CHECKING:
    from dustpan.core.frames.sequence import Sequence
    from dustpan.core.frames.stack import Stacked

OF_A_SENSOR = ("--dark", "--flat", "--bias")
POINT = re.compile(r"\s*(-?[\d.]+),(-?[\d.]+):(-?[\d.]+),(-?[\d.]+)\s*")


class _ManyAfterOne(TyperCommand):
    """Takes several files after one ``--dark``, ``--flat`` or ``--bias`` where the exposures stand before them."""

    def parse_args(self, ctx: Any, args: list[str]) -> list[str]:
        first = next((n for n, a in enumerate(args) if a.startswith("-")), len(args))
        given, last = list(args[:first]), ""
        for arg in args[first:]:
            if arg.startswith("-"):
                last = arg if arg in OF_A_SENSOR else ""
            elif last and first and given[-1] != last:
                given.append(last)
            given.append(arg)
        return list(super().parse_args(ctx, given))


@app.command(cls=_ManyAfterOne)
def stack(
    frames: Annotated[list[Path], typer.Argument(help="2 to 500 exposures of one thing, in the order taken.")],
    out: Annotated[Path, typer.Option("--out", "-o", help="The result; its ending says the format.")],
    align: Annotated[str, typer.Option(help="none, shift, rigid, affine (by stars) or content.")] = "rigid",
    how: Annotated[
        str, typer.Option("--combine", help="mean, median, trim:LO-HI, sigma:K, model:K, or suggested.")
    ] = "model:3.5",
    dark: Annotated[list[Path] | None, typer.Option(help="Dark frames.")] = None,
    flat: Annotated[list[Path] | None, typer.Option(help="Flat frames.")] = None,
    bias: Annotated[list[Path] | None, typer.Option(help="Bias frames.")] = None,
    save_aligned: Annotated[
        Path | None, typer.Option("--save-aligned", help="Also write each exposure as aligned into this folder.")
    ] = None,
    point: Annotated[
        str, typer.Option(help="Follow a moving point: X0,Y0:X1,Y1 in the first and in the last exposure.")
    ] = "",
    leave_out: Annotated[
        list[int] | None, typer.Option("--leave-out", min=1, help="An exposure that is left out, from 1.")
    ] = None,
    depth: Annotated[str | None, typer.Option(help="8, 16 or float; the best that the format holds.")] = None,
    quality: Annotated[int, typer.Option(min=1, max=100, help="Of JPEG and the like.")] = 92,
    as_json: AsJson = False,
) -> None:
    """Combine exposures into one picture with less noise than any of them.

    What would harm is left out and named: exposures out of focus, clouded, of another size, or damaged.
    """
    from dustpan.core.files import format_of
    from dustpan.core.frames.calibration import make_masters
    from dustpan.core.frames.combining import combining_of
    from dustpan.core.frames.result import save_aligned as save_each
    from dustpan.core.frames.result import save_result
    from dustpan.core.frames.sequence import Align, look
    from dustpan.core.frames.spool import Spool
    from dustpan.core.frames.stack import Aligned, stacked, suggest_trim
    from dustpan.core.picture import Depth

    if align not in list(Align):
        raise WrongUse("--align must be one of {0}.", ", ".join(Align))
    check_depth(depth)
    chosen, ends = None if how == "suggested" else combining_of(how), _ends(point)
    format_of(out)
    masters = make_masters(dark or (), flat or (), bias or ())
    for notice in masters.notices:
        tell(notice)
    if unknown := [n for n in leave_out or () if n > len(frames)]:
        raise WrongUse("There are {0} exposures; there is no exposure {1}.", len(frames), unknown[0])
    problem = why = ""
    with closing(Spool()) as spool:
        sequence = look(frames, Align(align), masters, ends, progress=_progress("looked at"), spool=spool)
        for number in leave_out or ():
            sequence = sequence.with_choice(number - 1, True)
        for frame in sequence.frames:
            if frame.left_out:
                tell(f"{name_of(frame.path)}: {frame.left_out}")
        exposures = Aligned(sequence, spool)
        if save_aligned:
            problem = save_each(exposures, save_aligned)
            if problem:
                tell(problem)
        if chosen is None:
            found = suggest_trim(exposures)
            chosen, why = found.how, found.why
            tell(f"{chosen.text}: {why}")
        result = stacked(exposures, chosen, _progress("combined"))
        save_result(result.light, sequence, chosen, out, Depth(depth) if depth else None, quality)
    damaged = sum(f.damaged for f in sequence.frames)
    tell(_sentence(sequence, result, out))
    if as_json:
        emit(_told(sequence, result, out, why))
    if damaged or problem:
        raise typer.Exit(1)


def _ends(text: str) -> tuple[tuple[float, float], tuple[float, float]] | None:
    if not text:
        return None
    wrong = WrongUse("A moving point is X0,Y0:X1,Y1: where it is in the first and in the last exposure.")
    found = POINT.fullmatch(text)
    if found is None:
        raise wrong
    try:
        return (float(found[1]), float(found[2])), (float(found[3]), float(found[4]))
    except ValueError:
        raise wrong from None


def _progress(what: str) -> Any:
    def told(done: int, of: int) -> None:
        if sys.stderr.isatty():
            print(f"\r{what}: {100 * done // of} %  ", end="\n" if done == of else "", file=sys.stderr)

    return told


def _sentence(sequence: Sequence, result: Stacked, out: Path) -> str:
    return (
        f"{len(result.used)} of {len(sequence.frames)} exposures → {plain(str(out))}: noise {result.noise:.4g}, "
        f"of one {result.one:.4g}, {100 * result.gain:.0f} % of what is possible"
    )


def _told(sequence: Sequence, result: Stacked, out: Path, why: str) -> dict[str, Any]:
    of_used = {i: (w, r) for i, w, r in zip(result.used, result.weight, result.rejected, strict=True)}
    return {
        "out": str(out),
        "align": sequence.align.value,
        "combine": result.how.text,
        **({"why": why} if why else {}),
        "reference": sequence.reference,
        "used": len(result.used),
        "noise": {"one": result.one, "result": result.noise, "ideal": result.ideal, "gain": result.gain},
        "frames": sequence.as_json(of_used),
    }
