"""Suggest how to sharpen: which blur was measured, and how much brings the edges to where the pixel grid ends.

What a blur of the picture took is given back by Deblur, as far as it is sure. Edge sharpen then gets the smallest
amount after which more of it makes edges hardly narrower. Both are judged on the picture: what raises halos or grain
over the limits is not suggested.
"""

from __future__ import annotations

from collections.abc import Sequence

from dustpan.core.cancel import Cancel
from dustpan.core.judge.suggest import Suggestion, taken_over
from dustpan.core.judge.verdict import Verdict
from dustpan.core.judge.whole import judge_sweep
from dustpan.core.language import say
from dustpan.core.render.renderer import Renderer
from dustpan.core.sharpen.blur_of import BLUR
from dustpan.core.sharpen.deblur import SHARP
from dustpan.core.sweep import Step, Sweep, make_step

HALO = 4.0  # percent, 99th percentile, more than before: noise that is left reaches out of the range as well
SURE = 0.4  # from which on a measured blur is taken out
HARDLY = 0.03  # share of its width that an edge has to become narrower by, for a larger amount
HOW_FAR, AMOUNTS = (100, 75, 50), (0.5, 1.0, 1.5, 2.0, 3.0)
SHARPENING = ("deblur", "edge-sharpen")


def suggest_sharpening(renderer: Renderer, sweep: Sweep, cancel: Cancel | None = None) -> Suggestion:
    """What is to be added to a sweep so that its edges are as steep as they can be.

    Parameters
    ----------
    sweep : as it is; steps of it that sharpen already are replaced.

    Returns
    -------
    The steps to add, none where nothing is gained, and one sentence on why these.
    """
    cancel = cancel or Cancel()
    base = sweep
    for n in reversed(range(len(sweep.steps))):
        step = sweep.steps[n]
        if isinstance(step, Step) and step.kind.id in SHARPENING:
            base = base.removed(n)
    blur = renderer.fact(BLUR, base, cancel=cancel)
    before = judge_sweep(renderer, base, cancel)
    chosen: tuple[Step, ...] = ()
    found = before
    if blur.axes[0] >= SHARP and blur.sure >= SURE:
        deblurs = ((make_step("deblur", {"amount": amount}),) for amount in HOW_FAR)
        tried = ((steps, judge_sweep(renderer, _with(base, steps), cancel)) for steps in deblurs)
        chosen, found = next((t for t in tried if _good(t[1], before) and not _wider(t[1], before)), (chosen, found))
    for amount in AMOUNTS:
        steps = (*(s for s in chosen if s.kind.id == "deblur"), make_step("edge-sharpen", {"amount": amount}))
        judged = judge_sweep(renderer, _with(base, steps), cancel)
        if not _good(judged, before) or not _narrower(judged, found):
            break
        chosen, found = steps, judged
    if not chosen:
        return Suggestion((), say("Nothing: edges are as steep as the picture bears ({0}).", blur.words))
    words = say("Measured: {0}, {1:.0f} % sure. {2} brings edges from {3} to {4} px, with halos of {5} %.")
    told = _amounts(chosen), *(_figure(v) for v in (before.edge_width_after, found.edge_width_after, found.halo_height))
    return Suggestion(chosen, words.format(blur.words, 100 * blur.sure, *told))


def with_sharpening(sweep: Sweep, found: Sequence[Step]) -> Sweep:
    """A sweep with suggested steps: amounts of steps that are there are replaced, and what is not suggested is off."""
    for id in SHARPENING:
        sweep = taken_over(sweep, found, sweep.first_of(id), id, ("amount",))
    return sweep


def _with(base: Sweep, steps: Sequence[Step]) -> Sweep:
    for step in steps:
        base, _ = base.added(step)
    return base


def _good(found: Verdict, before: Verdict) -> bool:
    """Whether neither halos nor grain are raised over their limits."""
    halo = found.halo_height is None or found.halo_height <= HALO + (before.halo_height or 0)
    return halo and (found.grain_raised or 0) <= (before.grain_raised or 0)


def _narrower(found: Verdict, before: Verdict) -> bool:
    """Whether edges rise clearly faster."""
    widths = found.edge_width_after, before.edge_width_after
    return None not in widths and widths[0] < (1 - HARDLY) * widths[1]  # type: ignore[operator]


def _wider(found: Verdict, before: Verdict) -> bool:
    """Whether edges rise more slowly than before: a blur that was taken for one."""
    widths = found.edge_width_after, before.edge_width_after
    return None not in widths and widths[0] > widths[1]  # type: ignore[operator]


def _amounts(steps: Sequence[Step]) -> str:
    return " + ".join(f"{s.name} {s.summary.split(' · ')[0]}" for s in steps)


def _figure(value: float | None) -> str:
    return "–" if value is None else f"{value:.1f}"
