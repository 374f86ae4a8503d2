"""Make the shipped recipes and the schema of recipe files anew: ``python -m tools.recipes``."""

from __future__ import annotations

from pathlib import Path

from dustpan.core.grammar import parse_step
from dustpan.core.recipes.recipe import Recipe, schema
from dustpan.core.recipes.shelf import SHIPPED, SUFFIX
from dustpan.core.steps import STEPS
from dustpan.core.sweep import Sweep, describe
from dustpan.core.text import as_json

SCHEMA = Path(__file__).resolve().parent.parent / "docs" / "recipe.schema.json"
MADE = {  # file, name, when, whether it is a chain, steps as they are typed
    "concert": (
        "Concert at night", "High ISO, hand-held: calm shadows, true blacks, crisp faces, nothing plastic.", False,
        ["noise:luminance=0.85,colour=1,give_back=0.3", "neutral-blacks", "edge-sharpen:amount=1.2 @texture",
         "grain:amount=0.2"],
    ),
    "wildlife": (
        "Animal before a soft background", "A cropped tele shot: the background calm, only what is sharp sharpened.",
        False,
        ["noise:luminance=0.8", "noise:luminance=0.6,colour=0 @in-focus:inverted=1",
         "edge-sharpen:amount=1.8 @in-focus"],
    ),
    "landscape": (
        "Rock and foliage", "Texture kept and raised, no rim along the skyline.", False,
        ["noise:luminance=0.6", "fine-detail:radius=2.5,boost=0.8 @texture", "local-contrast"],
    ),
    "backlit": (
        "Portrait against the light", "Stripes of focus pixels gone, eyes crisp, skin left soft.", False,
        ["stripes", "noise:luminance=0.8", "edge-sharpen:amount=1.5,threshold=3 @edges"],
    ),
    "somebody-elses-jpeg": (
        "Somebody else's JPEG", "Blocks, ringing and colour speckle out, and the letters kept.", False,
        ["compression-marks", "noise:luminance=0.5,colour=1", "edge-sharpen:amount=0.8"],
    ),
    "render": (
        "Render with too few samples", "Noise reduced, highlights and fine scratches kept.", False,
        ["noise:luminance=0.9,give_back=0.3", "edge-sharpen:amount=0.8"],
    ),
    "deep-sky": (
        "Deep-sky frame", "Hot pixels gone and stars untouched, colour noise neutral.", False,
        ["hot-pixels", "noise:luminance=0.6,colour=1 @stars:inverted=1", "neutral-blacks"],
    ),
    "hand-held": (
        "Moved or out of focus", "A blur that was measured is taken out, as far as it is sure.", False,
        ["noise:luminance=0.8", "deblur", "edge-sharpen:amount=1"],
    ),
    "detail-in-lights": (
        "Detail in the lights", "Halo-free detail in one click: laid over twice, by the brightness times itself.", True,
        ["fine-detail:radius=3,boost=0.8 @tones:squared=1", "fine-detail:radius=6,boost=0.5 @tones:squared=1"],
    ),
}  # fmt: skip


def main() -> None:
    SHIPPED.mkdir(exist_ok=True)
    for file, (name, when, chain, steps) in MADE.items():
        recipe = Recipe(name=name, when=when, chain=chain, sweep=Sweep(tuple(map(parse_step, steps))).as_json())
        (SHIPPED / f"{file}{SUFFIX}").write_text(as_json(recipe.model_dump(mode="json"), indent=2) + "\n")
        print(f"{name}: {recipe.words()}")
    SCHEMA.write_text(as_json(schema(lambda: describe(STEPS)), indent=1) + "\n")


if __name__ == "__main__":
    main()
