"""``dustpan suggest`` and ``dustpan verdict``."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from dustpan.cli.app import AsJson, app, emit

TYPED = {
    "noise": ("luminance", "colour"),
    "deblur": ("amount",),
    "edge-sharpen": ("amount",),
}  # what is suggested of them


@app.command()
def suggest(
    file: Annotated[Path, typer.Argument(help="The picture.")],
    left: Annotated[float, typer.Option("--left", min=1, max=100, help="Percent of the noise to leave.")] = 20.0,
    sharpen: Annotated[bool, typer.Option("--sharpen", help="Suggest how to sharpen as well.")] = False,
    as_json: AsJson = False,
) -> None:
    """Suggest the lowest strengths of Noise that leave a share of it in flat parts, and say why and what was found."""
    from dustpan.core.files import open_picture
    from dustpan.core.judge.repairs import repairs, sentence
    from dustpan.core.judge.suggest import suggest as find
    from dustpan.core.judge.suggest_sharpening import suggest_sharpening
    from dustpan.core.render.renderer import Renderer
    from dustpan.core.steps import STEPS

    with Renderer(open_picture(file)) as renderer:
        found = find(renderer, left)
        proven = repairs(renderer, found.sweep, STEPS)
        sharper = suggest_sharpening(renderer, found.sweep) if sharpen else None
    steps = (*found.steps, *(sharper.steps if sharper else ()))
    if as_json:
        looked = [{"step": r.step.kind.id, "words": r.words, "repairs": r.hits.any} for r in proven]
        told = {"file": str(file), "steps": [s.as_json() for s in steps], "why": found.why, "found": looked}
        emit(told | ({"sharpening": sharper.why} if sharper else {}))
        return
    for s in steps:
        told_amounts = {n: getattr(s.params, n) for n in TYPED.get(s.kind.id, ())}
        given = ",".join(f"{n}={v:g}" for n, v in told_amounts.items())
        print(f"--step {s.kind.id}{':' if given else ''}{given}")
    print(found.why)
    if sharper:
        print(sharper.why)
    if proven:
        print(sentence(proven))


@app.command()
def verdict(
    before: Annotated[Path, typer.Argument(help="The input.")],
    after: Annotated[Path, typer.Argument(help="The result.")],
    truth: Annotated[Path | None, typer.Option("--truth", help="The clean truth, for PSNR and SSIM.")] = None,
    as_json: AsJson = False,
) -> None:
    """Measure a result: noise left, texture kept, halo height, edge width."""
    from dustpan.core.files import open_picture
    from dustpan.core.judge.truth import truth_figures
    from dustpan.core.judge.whole import judge_files

    input_, result = open_picture(before), open_picture(after)
    found = judge_files(input_, result)
    figures: dict[str, Any] = found.as_json()
    if truth is not None:
        figures |= truth_figures(result, open_picture(truth))
    if as_json:
        emit(figures)
        return
    print(found.sentence())
    if truth is not None:
        print(f"against the truth: PSNR {figures['psnr']} dB, SSIM {figures['ssim']}")
