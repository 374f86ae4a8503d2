"""``dustpan clean``: steps applied to pictures."""

from __future__ import annotations

import sys
from functools import partial
from pathlib import Path
from typing import Annotated

import typer

from dustpan.cli.app import (
    AS_IT_IS,
    AsJson,
    Part,
    Pattern,
    PerMm,
    SceneLinear,
    Size,
    Spread,
    Use,
    app,
    check_depth,
    emit,
    opening,
    output,
    tell,
)
from dustpan.core.errors import WrongUse
from dustpan.core.text import name_of, plain


@app.command()
def clean(
    files: Annotated[list[Path], typer.Argument(help="Pictures to clean.")],
    out: Annotated[Path | None, typer.Option("--out", "-o", help="A file, or a folder for several.")] = None,
    recipe: Annotated[str | None, typer.Option("--recipe", help="A recipe's name, or a recipe or sweep file.")] = None,
    step: Annotated[
        list[str] | None, typer.Option("--step", help="ID[:name=value,…] [@PART …]; may be given again.")
    ] = None,
    in_place: Annotated[bool, typer.Option("--in-place", help="Allow replacing an input by its result.")] = False,
    quality: Annotated[int, typer.Option("--quality", min=1, max=100, help="Of lossy formats.")] = 92,
    depth: Annotated[str | None, typer.Option("--depth", help="8, 16 or float; the input's when left out.")] = None,
    threads: Annotated[int | None, typer.Option("--threads", min=1, help="How many tiles at a time.")] = None,
    defects: Annotated[Path | None, typer.Option("--map", help="A defect map to fill the places of.")] = None,
    as_shown: Annotated[
        bool | None,
        typer.Option("--as-shown/--as-light", help="How a FITS file's counts go elsewhere; stretched ones as shown."),
    ] = None,
    size: Size = 0,
    use: Use = AS_IT_IS,
    per_mm: PerMm = 12.0,
    spread: Spread = 0.04,
    scene_linear: SceneLinear = None,
    part: Part = None,
    pattern: Pattern = "",
    as_json: AsJson = False,
) -> None:
    """Apply steps to pictures: those given, those of a recipe, or what is suggested for each."""
    from dustpan.core.grammar import parse_step
    from dustpan.core.jobs.one import State, Task, run
    from dustpan.core.jobs.plan import targets
    from dustpan.core.recipes.shelf import sweep_named
    from dustpan.core.sweep import Sweep

    if recipe and step:
        raise WrongUse("Give either --recipe or --step, not both.")
    check_depth(depth)
    sweep = sweep_named(recipe) if recipe else Sweep(tuple(parse_step(s) for s in step)) if step else None
    for kept in sweep.steps if sweep else ():
        if reason := getattr(kept, "reason", ""):
            tell(f"The step “{kept.name}” was left out: {plain(reason)}.")
    made_for = output(size, use, per_mm, spread)
    told = sweep.as_json() if sweep else None
    chosen = opening(scene_linear, part, pattern).as_json()
    outcomes = []
    for file, target in zip(files, targets(files, out, in_place), strict=True):
        task = Task(
            str(file),
            str(target),
            told,
            depth or "",
            quality,
            in_place,
            threads or 0,
            chosen,
            str(defects or ""),
            made_for,
            as_shown=as_shown,
        )
        found = run(task, progress=partial(_progress, file.name), tell=tell)
        tell(f"{name_of(file)} → {plain(str(target))}" if found.state is State.DONE else found.error)
        outcomes.append(found)
    failed = sum(o.state is not State.DONE for o in outcomes)
    if as_json:
        emit({"results": [o.as_json() for o in outcomes], "failed": failed})
    if failed:
        raise typer.Exit(1)


def _progress(name: str, done: int, total: int) -> None:
    if sys.stderr.isatty():
        print(f"\r{plain(name)}: {100 * done // total} %", end="\n" if done == total else "", file=sys.stderr)
