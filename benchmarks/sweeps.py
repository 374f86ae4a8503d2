"""Sweeps that people use, against the sum of their steps: files, and what is on screen; and whether figures agree.

A sweep may cost what its steps cost, each alone on the same picture. Every sweep and every step has a renderer of its
own, so that nothing is kept from one to the next; only kernels are compiled already.
"""

from __future__ import annotations

import time
from pathlib import Path
from tempfile import TemporaryDirectory
from threading import Event
from typing import Any

import numpy as np
from numpy.typing import NDArray

from benchmarks.common import FOUR, OTHERS, arguments, case, photograph, publish, table
from dustpan.core.cancel import Cancel
from dustpan.core.files import ExportOptions, open_picture, save_picture
from dustpan.core.grammar import parse_step
from dustpan.core.jobs import events as ev
from dustpan.core.jobs.lanes import Lane
from dustpan.core.jobs.request import Request
from dustpan.core.jobs.show import Show
from dustpan.core.judge.suggest import suggest
from dustpan.core.judge.suggest_sharpening import suggest_sharpening
from dustpan.core.judge.whole import judge_files, judge_sweep
from dustpan.core.picture import Depth, Picture, from_array
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Step, Sweep

VIEW = Region(200, 200, 832, 1284)  # px: what the window shows at 100 %
SMALL, LARGE = (1000, 1496), (4000, 6000)
SWEEPS = {
    "noise, edges": ("noise", "edge-sharpen"),
    "noise, blur, edges": ("noise", "deblur", "edge-sharpen"),
    "in three strengths, painted": (
        "noise:luminance=0.5,colour=1",
        "noise:luminance=0.3,colour=0 @ellipse:x=700,y=500,across=400,down=300",
        "noise:luminance=1,colour=0 @brush:strokes=160@200/200>700/300",
    ),
    "smooth parts, then rough": ("noise @texture:inverted=1", "noise:luminance=0.6 @texture"),
    "luminance, then colour": ("noise:colour=0", "noise:luminance=0"),
    "noise off the rope": ("noise @brush:strokes=120@300/200>500/900,inverted=1",),
    "only in focus": ("noise", "edge-sharpen @in-focus"),
    "concert": ("noise", "neutral-blacks", "edge-sharpen @tones:from=0.2,to=1", "grain"),
    "against the light": ("stripes", "noise", "edge-sharpen @edges"),
    "somebody else's JPEG": ("compression-marks", "noise", "edge-sharpen"),
    "landscape": ("noise", "fine-detail @texture", "local-contrast"),
    "animal before a soft background": (
        "noise:luminance=0.8", "noise:luminance=0.6,colour=0 @in-focus:inverted=1", "edge-sharpen @in-focus",
    ),
    "detail in the lights": ("fine-detail @tones:squared=1", "fine-detail @tones:squared=1"),
    "everything": (
        "hot-pixels", "noise @edges:inverted=1", "deblur", "edge-sharpen", "local-contrast", "tone:push=0.5",
    ),
}  # fmt: skip
ON_LARGE = ("noise, edges", "noise, blur, edges", "smooth parts, then rough", "landscape")
AT_MOST = 600.0  # s, that is waited for what is on screen


def picture_of(size: tuple[int, int]) -> Picture:
    """A demosaiced photograph under high ISO, repeated to a size."""
    _, noisy = case("motorcycle_left", "C")
    times = [-(-n // m) for n, m in zip(size, noisy.shape, strict=False)]
    return from_array(np.tile(noisy, (*times, 1))[: size[0], : size[1]])


def sweep_of(texts: tuple[str, ...]) -> Sweep:
    return Sweep(tuple(parse_step(text) for text in texts))


def seconds(picture: Picture, sweep: Sweep) -> float:
    """Of rendering all of it, by a renderer that knows nothing yet."""
    with Renderer(picture) as renderer:
        began = time.perf_counter()
        renderer.render(sweep)
        return time.perf_counter() - began


def against_steps(size: tuple[int, int], names: tuple[str, ...], repeat: int) -> list[list[Any]]:
    """Seconds of each sweep and of its steps, and their ratio."""
    picture, alone = picture_of(size), dict[Step, float]()
    rows = []
    for name in names:
        sweep = sweep_of(SWEEPS[name])
        for step in sweep.steps:
            assert isinstance(step, Step)
            if step not in alone:
                alone[step] = float(np.median([seconds(picture, Sweep((step,))) for _ in range(repeat)]))
        whole = float(np.median([seconds(picture, sweep) for _ in range(repeat)]))
        parts = sum(alone[s] for s in sweep.steps if isinstance(s, Step))
        rows.append([name, whole, parts, whole / parts])
    ratios = [row[3] for row in rows]
    return [*rows, ["mean / worst", None, float(np.mean(ratios)), float(np.max(ratios))]]


class Heard:
    """Notes when what is there."""

    def __init__(self) -> None:
        self.began, self.at, self.judged = time.perf_counter(), dict[str, float](), Event()

    def hear(self, event: ev.Event) -> None:
        now = time.perf_counter() - self.began
        match event:
            case ev.Seen():
                self.at.setdefault("view", now)
            case ev.ProbeSeen() if event.view.figures:
                self.at["probes"] = now
            case ev.Judged():
                self.at["verdict"] = now
                self.judged.set()


class Open:
    """A picture on screen, as far as `Show` needs it."""

    def __init__(self, renderer: Renderer) -> None:
        self.picture, self.renderer = renderer.picture, renderer
        self.noise_print = self.probes = self.probes_seen = self.verdict = self.judged = self.warned = None

    def reduced(self, level: int) -> Renderer:
        raise AssertionError(level)  # nothing is looked at at less than 100 %

    def untouched(self, region: Region) -> NDArray:
        return self.picture.pixels[region.slices()]


def shown(open_: Open, sweep: Sweep, judging: Lane) -> dict[str, float]:
    """Seconds until the view is exact, the probes and the verdict, of a wish that is then called off."""
    heard, cancel = Heard(), Cancel()
    lane = Lane("show")
    request = Request(sweep, visible=VIEW)

    def show(_: Cancel) -> None:
        Show(open_, request, heard.hear, cancel, judging).run()  # type: ignore[arg-type]

    try:
        lane.wish(show)
        if not heard.judged.wait(AT_MOST):
            raise TimeoutError
    finally:
        cancel.set()
        lane.stop()
    return heard.at


def moved(sweep: Sweep, index: int) -> Sweep:
    """With the first number of a step's parameters a little less, as by a slider."""
    step = sweep.steps[index]
    assert isinstance(step, Step)
    found = ((n, v) for n, v in dict(step.params).items() if isinstance(v, float) and v > 0)
    name, value = next(found, ("", 0.0))
    if not name:
        return sweep.changed(index, opacity=0.9)
    return sweep.changed(index, params=step.params.model_copy(update={name: 0.9 * value}))


def on_screen() -> list[list[Any]]:
    """Seconds of a first look at 100 % and of a slider of the first and of the last step."""
    picture = picture_of(SMALL)
    rows = []
    for name, texts in SWEEPS.items():
        sweep = sweep_of(texts)
        judging = Lane("judge")
        with Renderer(picture) as renderer:
            open_ = Open(renderer)
            first = shown(open_, sweep, judging)
            ends = [shown(open_, moved(sweep, n), judging)["view"] for n in (len(texts) - 1, 0)]
            judging.stop()
        rows.append([name, first["view"], first["probes"], first["verdict"], ends[1], ends[0]])
    return rows


def agreement() -> list[list[Any]]:
    """What `suggest` says of the sweep that it proposes, against the verdict of the file that this gives, in points."""
    rows = []
    pictures = [(n, k) for n, k in zip((*FOUR, *OTHERS, *FOUR[:2]), "ABCABCABCA", strict=True)]
    with TemporaryDirectory() as folder:
        for name, kind in pictures:
            _, noisy = case(name, kind)
            source, result = Path(folder) / "a.tif", Path(folder) / "b.tif"
            save_picture(from_array(noisy, Depth.SIXTEEN), source, ExportOptions(Depth.SIXTEEN))
            with Renderer(open_picture(source)) as renderer:
                sweep = suggest(renderer).sweep
                for step in suggest_sharpening(renderer, sweep).steps:
                    sweep, _ = sweep.added(step)
                said = judge_sweep(renderer, sweep)
                made = renderer.result(sweep, renderer.render(sweep))
            save_picture(made, result, ExportOptions(Depth.SIXTEEN))
            told = judge_files(open_picture(source), open_picture(result))
            names = ("noise_left", "texture_kept", "halo_height", "edge_width_after")
            pairs = [(getattr(said, n), getattr(told, n)) for n in names]
            apart = [0.0 if None in p else abs(p[0] - p[1]) for p in pairs]
            rows.append([f"{name}, {kind}", " + ".join(s.name for s in sweep.steps), *apart])
    return rows


def main() -> None:
    options = arguments(__doc__, large="no", repeat="3")
    photograph(FOUR[0])
    seconds(from_array(picture_of(SMALL).pixels[:256, :256]), sweep_of(SWEEPS["everything"]))  # kernels are loaded
    small = against_steps(SMALL, tuple(SWEEPS), int(options.repeat))
    head = ["sweep", "s", "its steps, s", "ratio"]
    parts = [
        f"Fourteen sweeps on {SMALL[0] * SMALL[1] / 1e6:.1f} megapixels, in seconds, against the sum of their steps:",
        table(head, small),
    ]
    if options.large == "yes":
        parts += [f"On {LARGE[0] * LARGE[1] / 1e6:.0f} megapixels:", table(head, against_steps(LARGE, ON_LARGE, 1))]
    head = ["sweep", "view exact", "all probes", "verdict", "first step moved", "last step moved"]
    parts += [
        f"On screen, {VIEW.width} x {VIEW.height} px at 100 %, in seconds from the wish on; then the view after a "
        "slider of the first and of the last step was moved:",
        table(head, on_screen()),
        "What is said of a suggested sweep against the verdict of the file that it gives, in points (edges in px):",
        table(["picture", "suggested", "noise left", "texture kept", "halos", "edges"], agreement()),
    ]
    publish("sweeps", "Sweeps", "\n\n".join(parts), options.write)


if __name__ == "__main__":
    main()
