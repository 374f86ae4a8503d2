"""Make the shipped recipes and the schema of recipe files anew: ``python -m tools.recipes``; ``--schema``: it alone."""

from __future__ import annotations

import base64
import io
import sys
from pathlib import Path

import numpy as np
from PIL import Image

from dustpan.core.files import open_picture
from dustpan.core.grammar import parse_step
from dustpan.core.judge.placing import place
from dustpan.core.judge.whole import judge_sweep, noise_print
from dustpan.core.paths import demo_folder
from dustpan.core.recipes.recipe import Did, MadeOn, Recipe, schema
from dustpan.core.recipes.shelf import SHIPPED, SUFFIX
from dustpan.core.recipes.shipped import MADE, SHOWN_ON
from dustpan.core.render.renderer import Renderer
from dustpan.core.steps import STEPS
from dustpan.core.sweep import Sweep, describe, with_first_steps
from dustpan.core.text import as_json
from dustpan.demo import ensure_demo_data

SCHEMA = Path(__file__).resolve().parent.parent / "docs" / "recipe.schema.json"
CROP = 64  # px


def _did(file: str, sweep: Sweep) -> Did:
    """What it does to its demo picture, where that is most textured."""
    picture = open_picture(demo_folder() / file)
    with Renderer(picture) as renderer:
        whole = with_first_steps(sweep, picture.kind)
        before = renderer.render(renderer.reference(whole))
        probes = place(before, noise_print(renderer, None, whole))
        probe = probes[min(3, len(probes) - 1)]
        region = probe.region(renderer.size, CROP)
        crops = []
        for shown in (renderer.reference(whole), whole):
            words = renderer.for_screen(whole, renderer.at_once(shown, region))
            rgb = np.stack([(words >> shift & 255).astype(np.uint8) for shift in (16, 8, 0)], -1)
            held = io.BytesIO()
            Image.fromarray(rgb).save(held, "PNG", optimize=True)
            crops.append(base64.b64encode(held.getvalue()).decode())
        verdict = judge_sweep(renderer, whole)
        print(f"    {verdict.sentence()}")
        return Did(verdict=verdict.as_json(), before=crops[0], after=crops[1])


def write_schema() -> None:
    """From the steps that there are."""
    SCHEMA.write_text(as_json(schema(lambda: describe(STEPS)), indent=1) + "\n")


def main() -> None:
    write_schema()
    if "--schema" in sys.argv[1:]:
        return
    SHIPPED.mkdir(exist_ok=True)
    ensure_demo_data(demo_folder(), print)
    for file, (name, when, chain, steps) in MADE.items():
        sweep = Sweep(tuple(map(parse_step, steps)))
        recipe = Recipe(
            name=name,
            when=when,
            chain=chain,
            sweep=sweep.as_json(),
            did=_did(SHOWN_ON[file], sweep),
            made_on=MadeOn(picture=SHOWN_ON[file]),
        )
        (SHIPPED / f"{file}{SUFFIX}").write_text(as_json(recipe.model_dump(mode="json"), indent=2) + "\n")
        print(f"{name}: {recipe.words()}")


if __name__ == "__main__":
    main()
