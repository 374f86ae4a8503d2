"""``dustpan find``: what can be found in a picture, with how sure it is."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from dustpan.cli.app import AsJson, Part, Pattern, app, emit, opening, tell
from dustpan.core.errors import WrongUse
from dustpan.core.text import name_of, plain

if TYPE_CHECKING:
    from dustpan.core.files import Opening
    from dustpan.core.hits import Finder, Hits

SHOWN = 5  # of the surest places, for people


@app.command()
def find(
    files: Annotated[list[Path], typer.Argument(help="The picture; several of one camera for a defect map.")],
    step: Annotated[list[str] | None, typer.Option("--step", help="What to look for; all when left out.")] = None,
    defects: Annotated[Path | None, typer.Option("--map", help="Write hot pixels as JSON or FITS.")] = None,
    part: Part = None,
    pattern: Pattern = "",
    as_json: AsJson = False,
) -> None:
    """Find what the finders find, on the files' own samples; the doubtful ones come first.

    A defect map of several pictures, such as dark frames, holds what is found in more than half of them.
    """
    from dustpan.core.defects.defect_map import in_most, save_map
    from dustpan.core.defects.hot_pixels import HOT_PIXELS
    from dustpan.core.language import say
    from dustpan.core.steps import finders

    known = {f.id: f for f in finders()}
    wanted = step or list(known)
    if unknown := [id for id in wanted if id not in known]:
        raise WrongUse("There is nothing to find by the name “{0}”; there is {1}.", unknown[0], ", ".join(known))
    if defects and HOT_PIXELS.id not in wanted:
        raise WrongUse("A defect map holds hot pixels; add --step {0}.", HOT_PIXELS.id)
    if len(files) > 1 and not defects:
        raise WrongUse("Several files make one defect map; say where with --map.")
    told, places = [], []
    for file in files:
        size, found = _found_in(file, [known[id] for id in wanted], opening(None, part, pattern))
        told.append({"file": str(file), "found": {id: hits.as_json() for id, hits in found.items()}})
        if defects:
            places.append((size, found[HOT_PIXELS.id].at))
        if not as_json:
            _print(found, {id: known[id].name for id in wanted})
    if defects:
        made = in_most(places)
        save_map(made, defects)
        of = ", ".join(name_of(f) for f in files)
        tell(say("{0}: bad pixels of {2}: {1}", plain(str(defects)), len(made.places), of))
    if as_json:
        emit(told[0] if len(told) == 1 else {"files": told})


def _found_in(file: Path, wanted: list[Finder], how: Opening) -> tuple[tuple[int, int], dict[str, Hits]]:
    """The size of a picture, and the hits of each finder in it."""
    from dustpan.core.files import open_picture
    from dustpan.core.jobs.find import find_in, needed_for
    from dustpan.core.render.renderer import Renderer

    picture = open_picture(file, how)
    for notice in picture.notices:
        tell(notice)
    with Renderer(picture) as renderer:
        return picture.size, {f.id: find_in(renderer, f, needed_for(f, picture.kind)) for f in wanted}


def _print(found: dict[str, Hits], names: dict[str, str]) -> None:
    from dustpan.core.language import say

    for id, hits in found.items():
        told = len(hits) if hits.proven is None else say("proven") if hits.proven else say(hits.nothing)
        print(f"{names[id]}: {told}{f' ({hits.proof})' if hits.proof else ''}")
        for (y, x), score in list(zip(hits.at, hits.score, strict=True))[: -SHOWN - 1 : -1]:
            print(f"    {x:.0f}, {y:.0f}: {score:.1f} {say(hits.unit)}")
