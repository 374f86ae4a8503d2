"""``dustpan batch`` and ``dustpan recipes``."""

from __future__ import annotations

import signal
import sys
import threading
from contextlib import closing
from dataclasses import dataclass
from inspect import Parameter
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from dustpan.cli.app import AS_IT_IS, AsJson, PerMm, Size, Spread, Use, app, check_depth, emit, output, takes, tell
from dustpan.core.batch.doers import DOERS, doer_for
from dustpan.core.errors import WrongUse
from dustpan.core.files.guard import GUARD
from dustpan.core.text import name_of, plain

if TYPE_CHECKING:
    from dustpan.core.batch.order import Order
    from dustpan.core.jobs.one import Outcome


@dataclass(frozen=True)
class Typed:
    """What was typed."""

    sources: Annotated[list[Path] | None, typer.Argument(help="Pictures and folders.")] = None
    out: Annotated[Path, typer.Option("--out", "-o", help="The folder of the results.")] = Path("cleaned")
    recipe: Annotated[str | None, typer.Option("--recipe", help="A recipe's name, or a recipe or sweep file.")] = None
    step: Annotated[
        list[str] | None, typer.Option("--step", help="ID[:name=value,…] [@PART …]; may be given again.")
    ] = None
    name: Annotated[str, typer.Option("--name", help="Of results: {name}, {number}, {recipe}, {date}, {folder}.")] = (
        "{name}"
    )
    taken: Annotated[str, typer.Option("--taken", help="Where a name is taken: number, skip or replace.")] = "number"
    ending: Annotated[str, typer.Option("--format", help="Such as .jpg; the pictures' own when left out.")] = ""
    depth: Annotated[str, typer.Option("--depth", help="8, 16 or float; the input's when left out.")] = ""
    quality: Annotated[int, typer.Option("--quality", min=1, max=100, help="Of lossy formats.")] = 92
    size: Size = 0
    use: Use = AS_IT_IS
    per_mm: PerMm = 12.0
    spread: Spread = 0.04
    metadata: Annotated[bool, typer.Option("--metadata/--no-metadata", help="Keep exposure facts.")] = True
    threads: Annotated[int, typer.Option("--threads", min=0, help="How many tiles at a time.")] = 0
    resume: Annotated[bool, typer.Option("--resume", help="Go on with the batch in --out; retries what failed.")] = (
        False
    )
    anew: Annotated[bool, typer.Option("--anew", help="Forget an unfinished batch in --out.")] = False
    watch: Annotated[bool, typer.Option("--watch", help="Wait for pictures that come into the folders.")] = False
    dry: Annotated[bool, typer.Option("--dry-run", help="Only say what would be written.")] = False
    as_json: AsJson = False


def _settings() -> list[Parameter]:
    """An option for each doer that has a setting."""
    found = []
    for kind in (k for k in DOERS if k.usual is not None):
        ends = (0, kind.most) if kind.most else (None, None)
        how = typer.Option(f"--{kind.id}", help=f"{kind.help}.", min=ends[0], max=ends[1])
        option: Any = Annotated[type(kind.usual), how]
        found.append(Parameter(kind.id, Parameter.KEYWORD_ONLY, default=kind.usual, annotation=option))
    return found


@app.command()
@takes(Typed, _settings())
def batch(typed: Typed, **asked: int | str) -> None:
    """Do the same to many pictures; what was done, and what to look at, is written beside the results."""
    from dustpan.core.batch.batch import prepare, run_batch
    from dustpan.core.batch.journal import Journal
    from dustpan.core.batch.order import planned
    from dustpan.core.batch.watch import watch_folders
    from dustpan.core.cancel import Cancel

    order = _order(typed)
    if typed.dry:
        plan = planned(order) if order else []
        if typed.as_json:
            emit({"items": [{"file": a, "out": b} for a, b in plan]})
        for source, target in () if typed.as_json else plan:
            print(f"{plain(source)} → {plain(target) or '(left out: the name is taken)'}")
        return
    if typed.watch and order is None:
        raise WrongUse("Say which folders are to be watched.")
    cancel = Cancel()
    if threading.current_thread() is threading.main_thread():
        signal.signal(signal.SIGINT, lambda *_: cancel.set())
        signal.signal(signal.SIGTERM, lambda *_: cancel.set())
    listener, summary = _Listener(typed.as_json), None
    opened = Journal(typed.out, typed.anew, typed.resume)
    with opened as journal, closing(doer_for(journal.sources_of(order), asked)) as doer:
        if typed.watch and order is not None:
            watch_folders(journal, order, doer, listener, cancel, tell)
        else:
            for notice in prepare(journal, order, typed.resume, typed.anew):
                tell(notice)
            listener.total = len(journal.items)
            summary = run_batch(journal, doer, listener, cancel)
        failed = [o for o in journal.outcomes.values() if o.state.value == "failed"]
        if typed.as_json:
            emit({"results": [o.as_json() for _, o in sorted(journal.outcomes.items())], "failed": len(failed)})
    if summary:
        tell(summary.words())
        for page in summary.report[-1:]:
            tell(f"Report: {page}")
    if cancel.wanted and not typed.watch:
        tell("Called off; go on with --resume.")
        raise typer.Exit(1)
    if failed:
        raise typer.Exit(1)


def _order(typed: Typed) -> Order | None:
    """What is ordered; None where a batch that is there is only gone on with."""
    from dustpan.core.batch.order import Order, Taken
    from dustpan.core.grammar import parse_step
    from dustpan.core.recipes.shelf import sweep_named
    from dustpan.core.sweep import Sweep

    if typed.recipe and typed.step:
        raise WrongUse("Give either --recipe or --step, not both.")
    check_depth(typed.depth)
    rules = {"number": Taken.NUMBER, "skip": Taken.SKIP, "replace": Taken.REPLACE}
    if typed.taken not in rules:
        raise WrongUse("--taken must be one of {0}.", ", ".join(rules))
    made_for = output(typed.size, typed.use, typed.per_mm, typed.spread)
    if typed.resume and not (typed.sources or typed.recipe or typed.step):
        return None
    sweep = None
    if typed.recipe:
        sweep = sweep_named(typed.recipe)
    elif typed.step:
        sweep = Sweep(tuple(parse_step(s) for s in typed.step))
    return Order(
        sources=tuple(str(s.absolute()) for s in typed.sources or ()), out=str(typed.out.absolute()), name=typed.name,
        taken=rules[typed.taken], sweep=sweep.as_json() if sweep else None,
        recipe=Path(typed.recipe).name.removesuffix(".recipe.json") if typed.recipe else "", ending=typed.ending,
        depth=typed.depth, quality=typed.quality, output=made_for, metadata=typed.metadata, threads=typed.threads,
    )  # fmt: skip


class _Listener:
    """Says what goes on, a line a picture."""

    def __init__(self, quiet: bool) -> None:
        self.quiet, self.total, self.done = quiet, 0, 0

    def began(self, number: int) -> None:
        pass

    def progressed(self, number: int, done: int, total: int) -> None:
        if sys.stderr.isatty() and not self.quiet:
            print(f"\r{100 * done // total} % ", end="", file=sys.stderr)

    def ended(self, number: int, outcome: Outcome) -> None:
        self.done += 1
        of = f"/{self.total}" if self.total else ""
        words = outcome.error or f"{name_of(Path(outcome.source))} → {outcome.target} ({outcome.seconds:.1f} s)"
        tell(f"[{self.done}{of}] {words}")


@app.command()
def recipes(
    text: Annotated[str, typer.Argument(help="What to look for in them.")] = "",
    keep: Annotated[Path | None, typer.Option("--keep", help="Make one of a sweep, or of a picture's own.")] = None,
    name: Annotated[str, typer.Option("--name", help="Of the one that is kept.")] = "",
    when: Annotated[str, typer.Option("--when", help="One sentence on when to use it.")] = "",
    out: Annotated[Path | None, typer.Option("--out", "-o", help="Write it to a file, and not on the shelf.")] = None,
    schema: Annotated[bool, typer.Option("--schema", help="Print the JSON Schema of recipe files.")] = False,
    as_json: AsJson = False,
) -> None:
    """List recipes, or keep one."""
    from dustpan.core.recipes.recipe import recipe_of, save_recipe, sweep_in
    from dustpan.core.recipes.recipe import schema as schema_of
    from dustpan.core.recipes.shelf import Shelf
    from dustpan.core.steps import STEPS
    from dustpan.core.sweep import beside, describe

    if schema:
        emit(schema_of(lambda: describe(STEPS)))
        return
    shelf = Shelf()
    if keep is not None:
        GUARD.was_read(keep)  # of a picture only its sweep is read
        path = keep if keep.suffix == ".json" else beside(keep)
        made = recipe_of(sweep_in(path), name or name_of(keep).partition(".")[0], when=when)
        if out is not None:
            save_recipe(made, out)
        else:
            out = shelf.keep(made).path
        for words in made.left_out:
            tell(f"Left out: {words}.")
        tell(f"Kept as {plain(str(out))}.")
        return
    found = shelf.found(text)
    for problem in shelf.problems:
        tell(problem)
    if as_json:
        emit(
            {
                "recipes": [
                    {"name": s.name, "when": s.when, "steps": s.recipe.words(), "file": str(s.path)} for s in found
                ]
            }
        )
        return
    for s in found:
        print(f"{plain(s.name)}\n    {plain(s.when)}\n    {plain(s.recipe.words())}")
        for fixed in s.recipe.fixed():
            print(f"    depends on the picture: {plain(fixed)}")
