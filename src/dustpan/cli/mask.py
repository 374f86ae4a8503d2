"""``dustpan mask``: a mask as a grey picture."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from dustpan.cli.app import AsJson, Part, Pattern, app, emit, opening, tell
from dustpan.core.errors import WrongUse
from dustpan.core.text import plain


@app.command(context_settings={"ignore_unknown_options": True})
def mask(
    file: Annotated[Path, typer.Argument(help="The picture.")],
    parts: Annotated[list[str], typer.Argument(help="@PART[:name=value,…], then +PART, &PART or -PART.")],
    out: Annotated[Path, typer.Option("--out", help="A PNG or TIFF, 16-bit grey.")],
    part: Part = None,
    pattern: Pattern = "",
    as_json: AsJson = False,
) -> None:
    """Write where a step would apply: white where it acts, black where it does not."""
    # there are no options of one letter here: -PART is a part
    import numpy as np

    from dustpan.core.files import open_picture, save_picture
    from dustpan.core.grammar import parse_mask
    from dustpan.core.picture import from_array
    from dustpan.core.render.renderer import Renderer
    from dustpan.core.sweep import Sweep, first_steps, make_step

    wanted = parse_mask(" ".join(parts))
    if not wanted.parts:
        raise WrongUse("Say at least one part, such as @edges.")
    picture = open_picture(file, opening(None, part, pattern))
    for notice in picture.notices:
        tell(notice)
    first = first_steps(picture.kind)
    sweep = Sweep((*first, make_step("noise"))).changed(len(first), where=wanted)
    with Renderer(picture) as renderer:
        found = renderer.mask(renderer.settled(sweep), len(first))
    save_picture(from_array(np.rint(found * 65535).astype(np.uint16)[..., None]), out)
    covered = float(found.mean())
    if as_json:
        emit({"file": str(file), "out": str(out), "covered": round(covered, 4)})
    else:
        print(f"{plain(str(out))}: {100 * covered:.0f} %")
