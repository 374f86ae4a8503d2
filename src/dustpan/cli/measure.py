"""``dustpan measure``: the noise print."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from dustpan.cli.app import AsJson, Part, Pattern, SceneLinear, app, emit, opening, tell

if TYPE_CHECKING:
    from dustpan.core.curve import Scale
    from dustpan.core.noise.noise_print import NoisePrint


@app.command()
def measure(
    file: Annotated[Path, typer.Argument(help="The picture.")],
    scene_linear: SceneLinear = None,
    part: Part = None,
    pattern: Pattern = "",
    as_json: AsJson = False,
) -> None:
    """Measure the noise print of a picture."""
    import numpy as np

    from dustpan.core.develop.sensor_noise import SENSOR_NOISE
    from dustpan.core.files import open_picture
    from dustpan.core.judge.whole import full_print
    from dustpan.core.render.renderer import Renderer
    from dustpan.core.sweep import Sweep, first_steps

    picture = open_picture(file, opening(scene_linear, part, pattern))
    sensor = None
    with Renderer(picture) as renderer:
        found = full_print(renderer, sweep=Sweep(first_steps(picture.kind)))
        if picture.kind.of_sensor:
            sensor = renderer.fact(SENSOR_NOISE, Sweep())
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
            | ({"sensor": sensor.as_json()} if sensor else {})
            | ({"units": in_units(found, picture.scale)} if picture.scale else {})
        )
        return
    print(found.sentence())
    if sensor:
        whence = "as the file says" if sensor.told else "measured"
        print(f"sensor, {whence}: variance = {sensor.gain:.3g} × light + {sensor.read:.3g}, 1 being white")
        if sensor.doubt:
            print("the noise profile in the file does not fit its samples")
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


def in_units(found: NoisePrint, scale: Scale) -> dict[str, list[float]]:
    """Levels and sigma of luminance in the file's own units, where it holds scene-linear values."""
    import numpy as np

    from dustpan.core.noise.noise_print import LEVELS

    levels = np.clip(LEVELS, 0.01, 0.99)
    sigma = found.luminance_sigma(levels)
    low, high = (scale.given_back(levels + side * sigma / 2, found.curve).astype(float) for side in (-1, 1))
    middle = scale.given_back(levels, found.curve).astype(float)
    return {"levels": [float(f"{v:.7g}") for v in middle], "sigma": [float(f"{v:.5g}") for v in high - low]}
