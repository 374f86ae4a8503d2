"""``dustpan measure``: the noise print."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from dustpan.cli.app import AsJson, SceneLinear, app, emit, tell


@app.command()
def measure(
    file: Annotated[Path, typer.Argument(help="The picture.")],
    scene_linear: SceneLinear = None,
    as_json: AsJson = False,
) -> None:
    """Measure the noise print of a picture."""
    import numpy as np

    from dustpan.core.files import open_picture
    from dustpan.core.judge.whole import full_print
    from dustpan.core.render.renderer import Renderer

    picture = open_picture(file, scene_linear)
    with Renderer(picture) as renderer:
        found = full_print(renderer)
    for notice in picture.notices:
        tell(notice)
    if as_json:
        h, w = picture.size
        emit(
            {
                "file": str(file),
                "width": w,
                "height": h,
                "kind": picture.kind.value,
                "depth": picture.depth.value,
                "scene_linear": picture.scale is not None,
                "noise_print": found.as_json(),
            }
        )
        return
    print(found.sentence())
    levels = np.array([0.05, 0.1, 0.2, 0.4, 0.6, 0.8])
    names = ("red", "green", "blue") if found.channels == 3 else ("grey",)
    print("level/255 " + "".join(f"{255 * v:>9.0f}" for v in levels))
    for name, sigma in zip(names, found.channel_sigma(levels), strict=True):
        print(f"{name:<10}" + "".join(f"{255 * s:>9.2f}" for s in sigma))
    for scale in found.scales:
        low, high = scale.period
        print(
            f"{scale.name}, {low:g}–{high:g} px: luminance {255 * scale.luminance:.2f}, colour {255 * scale.colour:.2f}"
        )
