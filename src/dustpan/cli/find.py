"""``dustpan find``: what can be found in a picture, with how sure it is."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from dustpan.cli.app import AsJson, Part, Pattern, app, emit, opening, tell
from dustpan.core.errors import WrongUse
from dustpan.core.text import name_of, plain

SHOWN = 5  # of the surest places, for people


@app.command()
def find(
    file: Annotated[Path, typer.Argument(help="The picture.")],
    step: Annotated[list[str] | None, typer.Option("--step", help="What to look for; all when left out.")] = None,
    defects: Annotated[Path | None, typer.Option("--map", help="Write hot pixels as JSON or FITS.")] = None,
    part: Part = None,
    pattern: Pattern = "",
    as_json: AsJson = False,
) -> None:
    """Find what the finders find, on the file's own samples; the doubtful ones come first."""
    from dustpan.core.defects.defect_map import DefectMap, save_map
    from dustpan.core.defects.hot_pixels import HOT_PIXELS
    from dustpan.core.files import open_picture
    from dustpan.core.jobs.find import find_in, needed_for
    from dustpan.core.language import say
    from dustpan.core.render.renderer import Renderer
    from dustpan.core.steps import finders

    known = {f.id: f for f in finders()}
    wanted = step or list(known)
    if unknown := [id for id in wanted if id not in known]:
        raise WrongUse("There is nothing to find by the name “{0}”; there is {1}.", unknown[0], ", ".join(known))
    if defects and HOT_PIXELS.id not in wanted:
        raise WrongUse("A defect map holds hot pixels; add --step {0}.", HOT_PIXELS.id)
    picture = open_picture(file, opening(None, part, pattern))
    for notice in picture.notices:
        tell(notice)
    with Renderer(picture) as renderer:
        found = {id: find_in(renderer, known[id], needed_for(known[id], picture.kind)) for id in wanted}
    if defects:
        at = found[HOT_PIXELS.id].at
        save_map(DefectMap(picture.size, tuple((float(y), float(x)) for y, x in at)), defects)
        tell(say("{0}: bad pixels of {2}: {1}", plain(str(defects)), len(at), name_of(file)))
    if as_json:
        emit({"file": str(file), "found": {id: hits.as_json() for id, hits in found.items()}})
        return
    for id, hits in found.items():
        told = len(hits) if hits.proven is None else say("proven") if hits.proven else say(hits.nothing)
        print(f"{known[id].name}: {told}{f' ({hits.proof})' if hits.proof else ''}")
        for (y, x), score in list(zip(hits.at, hits.score, strict=True))[: -SHOWN - 1 : -1]:
            print(f"    {x:.0f}, {y:.0f}: {score:.1f} {say(hits.unit)}")
