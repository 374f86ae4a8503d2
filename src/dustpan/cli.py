"""The command line: everything the window computes can be had without a window.

With ``--json`` one JSON object goes to stdout; progress and messages go to stderr. Exit codes: 0 done, 1 some input
failed, 2 wrong use.
"""

from __future__ import annotations

import json
import os
import sys
import time
from pathlib import Path
from typing import Annotated, Any

import typer

from dustpan import __version__
from dustpan.core.paths import prepare_kernel_cache

prepare_kernel_cache()

from dustpan.core.errors import DustpanError, FileProblem, WrongUse  # noqa: E402

app = typer.Typer(
    name="dustpan",
    help="Noise out, detail kept: measured noise reduction and halo-free sharpening.",
    add_completion=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
)
AsJson = Annotated[bool, typer.Option("--json", help="Print one JSON object.")]


def tell(text: str) -> None:
    print(text, file=sys.stderr, flush=True)


def emit(data: Any) -> None:
    print(json.dumps(data, ensure_ascii=False))


@app.callback(invoke_without_command=True)
def start(
    context: typer.Context,
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
) -> None:
    """Without a command the window opens."""
    if version:
        print(f"dustpan {__version__}")
        raise typer.Exit
    if context.invoked_subcommand is None:
        _window([])


@app.command("open")
def open_(
    files: Annotated[list[Path], typer.Argument(help="Pictures to open.")],
    hand_back: Annotated[
        Path | None, typer.Option("--return", help="Where the result is handed back to; exit code 3 if it was not.")
    ] = None,
) -> None:
    """Open pictures in the window; with --return, for another program that waits for the result."""
    if hand_back is not None:
        from dustpan.core.files import format_of

        if len(files) != 1:
            raise WrongUse("--return takes one picture.")
        format_of(hand_back)
    _window(files, hand_back=hand_back)


@app.command()
def demo(
    shot: Annotated[
        Path | None, typer.Option("--shot", help="Write what the window shows to this PNG and end.")
    ] = None,
) -> None:
    """Open the window with the demo pictures."""
    from dustpan.core.paths import demo_folder
    from dustpan.demo import PICTURES, ensure_demo_data

    folder = demo_folder()
    ensure_demo_data(folder, tell)
    _window([folder / name for name in PICTURES], shot)


def _window(files: list[Path], shot: Path | None = None, hand_back: Path | None = None) -> None:
    from dustpan.ui.app import run  # the only door from here to the interface

    raise typer.Exit(run(files, shot, hand_back))


@app.command()
def measure(file: Annotated[Path, typer.Argument(help="The picture.")], as_json: AsJson = False) -> None:
    """Measure the noise print of a picture."""
    from dustpan.core.files import open_picture
    from dustpan.core.noise.measure import measure as measure_pixels
    from dustpan.core.noise.octaves import with_octaves

    picture = open_picture(file)
    found = with_octaves(measure_pixels(picture.pixels), picture.pixels)
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
                "noise_print": found.as_json(),
            }
        )
        return
    print(found.sentence())
    import numpy as np

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


@app.command()
def steps(as_json: AsJson = False) -> None:
    """List every step with its parameters, units, ranges and defaults."""
    from dustpan.core.step import step_kinds
    from dustpan.core.sweep import describe

    if as_json:
        emit({"steps": describe(step_kinds())})
        return
    for kind in step_kinds():
        print(f"{kind.id}: {kind.help}")
        for c in kind.controls():
            span = ", ".join(c.options) if c.options else f"{c.low:g} to {c.high:g}"
            default = c.default if c.options else f"{c.default:g} {c.unit}"
            print(f"    {c.name} = {default} ({span}): {c.help}")


@app.command()
def clean(
    files: Annotated[list[Path], typer.Argument(help="Pictures to clean.")],
    out: Annotated[Path | None, typer.Option("--out", "-o", help="A file, or a folder for several.")] = None,
    recipe: Annotated[Path | None, typer.Option("--recipe", help="A sweep file.")] = None,
    step: Annotated[list[str] | None, typer.Option("--step", help="ID[:name=value,…]; may be given again.")] = None,
    in_place: Annotated[bool, typer.Option("--in-place", help="Allow replacing an input by its result.")] = False,
    quality: Annotated[int, typer.Option("--quality", min=1, max=100, help="Of JPEG and WebP.")] = 92,
    depth: Annotated[str | None, typer.Option("--depth", help="8, 16 or float; the input's when left out.")] = None,
    threads: Annotated[int | None, typer.Option("--threads", min=1, help="How many tiles at a time.")] = None,
    as_json: AsJson = False,
) -> None:
    """Apply steps to pictures: those given, those of a recipe, or what is suggested for each."""
    from dustpan.core.sweep import Sweep, load_sweep, parse_step

    if recipe and step:
        raise WrongUse("Give either --recipe or --step, not both.")
    sweep = load_sweep(recipe) if recipe else Sweep(tuple(parse_step(s) for s in step)) if step else None
    for kept in sweep.steps if sweep else ():
        if reason := getattr(kept, "reason", ""):
            tell(f"The step “{kept.name}” was left out: {reason}.")
    if out is None and not in_place:
        raise WrongUse("Say where to write with --out, or allow replacing the input with --in-place.")
    into_folder = out is not None and (out.is_dir() or len(files) > 1 or str(out).endswith(os.sep))
    if into_folder and out is not None:
        _make_folder(out)
    results = [_clean_one(f, _target(f, out, into_folder), sweep, in_place, quality, depth, threads) for f in files]
    if as_json:
        emit({"results": results, "failed": sum("error" in r for r in results)})
    if any("error" in r for r in results):
        raise typer.Exit(1)


def _make_folder(out: Path) -> None:
    from dustpan.core.errors import os_reason

    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileProblem(out, "the folder could not be made: {0}", os_reason(error)) from None


def _target(file: Path, out: Path | None, into_folder: bool) -> Path:
    if out is None:
        return file
    return out / file.name if into_folder else out


def _clean_one(
    file: Path, target: Path, sweep: Any, in_place: bool, quality: int, depth: str | None, threads: int | None
) -> dict[str, Any]:
    """Clean one file, with what is suggested for it without a sweep; a failure is told and the next one goes on."""
    from dustpan.core.files import ExportOptions, format_of, open_picture
    from dustpan.core.picture import Depth
    from dustpan.core.render import Renderer
    from dustpan.core.suggest import suggest as suggest_for
    from dustpan.core.work import export

    began, why = time.monotonic(), None
    try:
        if depth not in (None, "8", "16", "float"):
            raise WrongUse("--depth must be 8, 16 or float.")
        options = ExportOptions(Depth(depth) if depth else None, quality)
        format_of(target)
        picture = open_picture(file)
        for notice in picture.notices:
            tell(notice)

        def progress(done: int, total: int) -> None:
            if sys.stderr.isatty():
                print(
                    f"\r{file.name}: {100 * done // total} %",
                    end="\n" if done == total else "",
                    file=sys.stderr,
                )

        with Renderer(picture, threads) as renderer:
            if sweep is None:
                found = suggest_for(renderer)
                sweep, why = found.sweep, found.why
                tell(f"{file.name}: {why}")
            export(renderer, sweep, target, options, progress=progress, replace_source=in_place)
    except FileProblem as error:
        tell(str(error))
        return {"file": str(file), "error": str(error)}
    except MemoryError:
        message = f"{file.name}: there is not enough memory for it."
        tell(message)
        return {"file": str(file), "error": message}
    tell(f"{file.name} → {target}")
    told = {} if why is None else {"steps": sweep.as_json()["steps"], "why": why}
    return {"file": str(file), "out": str(target), "seconds": round(time.monotonic() - began, 3), **told}


@app.command()
def suggest(
    file: Annotated[Path, typer.Argument(help="The picture.")],
    left: Annotated[float, typer.Option("--left", min=1, max=100, help="Percent of the noise to leave.")] = 20.0,
    as_json: AsJson = False,
) -> None:
    """Suggest the lowest strengths of Noise that leave a share of it in flat parts, and say why."""
    from dustpan.core.files import open_picture
    from dustpan.core.render import Renderer
    from dustpan.core.suggest import suggest as find

    with Renderer(open_picture(file)) as renderer:
        found = find(renderer, left)
    if as_json:
        emit({"file": str(file), "steps": found.sweep.as_json()["steps"], "why": found.why})
        return
    for s in found.steps:
        print(f"--step noise:luminance={s.params.luminance:g},colour={s.params.colour:g}")  # type: ignore[attr-defined]
    print(found.why)


@app.command()
def verdict(
    before: Annotated[Path, typer.Argument(help="The input.")],
    after: Annotated[Path, typer.Argument(help="The result.")],
    truth: Annotated[Path | None, typer.Option("--truth", help="The clean truth, for PSNR and SSIM.")] = None,
    as_json: AsJson = False,
) -> None:
    """Measure a result: noise left, texture kept, halo height, edge width."""
    from dustpan.core.files import open_picture
    from dustpan.core.work import judge_files, truth_figures

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


@app.command("demo-data")
def demo_data(folder: Annotated[Path, typer.Argument(help="Where to write.")]) -> None:
    """Write the demo pictures and their clean truth."""
    from dustpan.demo import write_demo_data

    _make_folder(folder)
    for path in write_demo_data(folder, tell):
        print(path)


@app.command("warm-up")
def warm_up() -> None:
    """Compile the kernels and make the demo pictures, so that later starts are quick."""
    from dustpan.core.paths import demo_folder
    from dustpan.core.work import warm_up as warm
    from dustpan.demo import ensure_demo_data

    tell("Compiling the kernels (once) …")
    warm()
    ensure_demo_data(demo_folder(), tell)
    tell("Ready.")


def main() -> None:
    """Entry point: turns every failure that a person can cause into one sentence and an exit code."""
    try:
        app()
    except WrongUse as error:
        tell(str(error))
        sys.exit(2)
    except DustpanError as error:
        tell(str(error))
        sys.exit(1)
    except MemoryError:
        tell("There is not enough memory for this picture.")
        sys.exit(1)
    except BrokenPipeError:
        sys.exit(1)


if __name__ == "__main__":
    main()
