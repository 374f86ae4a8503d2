"""Suggest the lowest strengths of Noise that do the job.

Strengths up to 1 blend the picture with its cleaned version, so the noise that is left in flat parts follows from three
sums that are measured once: the power before, the power after, and what both have in common. The lowest strength that
reaches the wanted share is a root of a quadratic, for luminance and colour apart; texture is lost in proportion to the
strength, so the lowest is also the one that loses least.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dustpan.core.cancel import Cancel
from dustpan.core.colour import opponent_matrix
from dustpan.core.defects.fireflies import FIREFLIES
from dustpan.core.judge.flat import flat_patches, residuals
from dustpan.core.judge.repairs import repairs
from dustpan.core.judge.whole import factor_of, judge_sweep, noise_print, windows
from dustpan.core.language import say
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.noise.rendered import finest
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Step, Sweep, first_steps, make_step

WANTED = 20.0  # percent of the noise that was
BLOCK, CALMEST = 16, 0.4  # px of a block of a render, and the share of them that strengths are told from
EMPTY = 1e-3  # power over that of the noise, up to which a block is black ground
COLOURLESS = 1e-6  # of the luminance's noise power, up to which there is none of colour


@dataclass(frozen=True)
class Suggestion:
    """Steps to apply, and one sentence on why these."""

    steps: tuple[Step, ...]
    why: str

    @property
    def sweep(self) -> Sweep:
        return Sweep(self.steps)


def suggest(renderer: Renderer, wanted: float = WANTED, cancel: Cancel | None = None) -> Suggestion:
    """The lowest strengths that leave ``wanted`` percent of the noise in flat parts.

    A picture with hardly any noise gets no step; neither does one that the verdict says would come out worse.
    """
    cancel = cancel or Cancel()
    first = (*first_steps(renderer.picture.kind), *_repaired(renderer, cancel))
    before_it = Sweep(first)
    noise = noise_print(renderer, cancel, before_it)
    if noise.clean:
        return Suggestion(first, say("Nothing: there is hardly any noise."))
    whole = make_step("noise")
    moments = np.zeros((2, 3))
    for region in windows(renderer.size):
        before = renderer.at_once(before_it, region, cancel)
        after = renderer.render(Sweep((*first, whole)), region, cancel)
        if noise.in_proportion:
            moments += _moments_of_render(before, after, noise, region, cancel.check)
            continue
        flat = flat_patches(before, after, noise, cancel.check, factor_of(noise, region))
        if flat is not None:
            moments += _moments(before, after, flat, cancel.check)
    if moments[0, 0] <= 0:
        return Suggestion((*first, whole), say("As strong as it was measured: nothing flat to tune the strengths on."))
    luminance, colour = (lowest_strength(m, wanted / 100) for m in moments)
    grey = moments[1, 0] <= COLOURLESS * moments[0, 0]  # it gets no strength for what it has not
    step = make_step("noise", {"luminance": luminance, "colour": 0.0 if grey else colour})
    cancel.check()
    found, untouched = (judge_sweep(renderer, s, cancel) for s in (Sweep((*first, step)), before_it))
    if worse := found.worsens(untouched):
        return Suggestion(first, say("Nothing: the result would be worse than the picture ({0}).", worse))
    left = "–" if found.noise_left is None else f"{found.noise_left:.0f}"
    if noise.in_proportion:
        words = "The lowest strengths that leave {0:.0f} % of the noise from pixel to pixel; in flat parts it is {1} %."
        return Suggestion((*first, step), say(words, wanted, left))
    words = "The lowest strengths that leave {0:.0f} % of the noise in flat parts; measured: {1} %."
    return Suggestion((*first, step), say(words, wanted, left))


def _repaired(renderer: Renderer, cancel: Cancel) -> tuple[Step, ...]:
    """What has to be taken out of a render before its noise: single samples that are far too bright."""
    return tuple(r.step for r in repairs(renderer, Sweep(), (FIREFLIES,), cancel) if r.hits.any)


def with_strengths(sweep: Sweep, found: Sequence[Step], at: int) -> Sweep:
    """A sweep with the suggested strengths in its step Noise, at ``at`` (-1 for none), and the suggested repairs."""
    out = taken_over(sweep, found, at, "noise", ("luminance", "colour"))
    for step in found:
        if step.kind.repairs and out.first_of(step.kind.id) < 0:
            out, _ = out.added(step)
    return out


def taken_over(sweep: Sweep, found: Sequence[Step], at: int, id: str, fields: Sequence[str]) -> Sweep:
    """A sweep with what is suggested of one kind.

    Parameters
    ----------
    found : suggested steps; the first of kind ``id`` counts.
    at : the step of that kind in the sweep, which is switched off where none is suggested; -1 where one is added.
    fields : parameters that are taken over where the step is there; the others stay.
    """
    new = next((s for s in found if s.kind.id == id), None)
    if at < 0:
        return sweep.added(new)[0] if new else sweep
    step = sweep.steps[at]
    if new is None or not isinstance(step, Step):
        return sweep.changed(at, on=False)
    values = {name: getattr(new.params, name) for name in fields}
    return sweep.changed(at, params=step.params.model_copy(update=values), on=True)


def _moments(
    before: NDArray, after: NDArray, flat: NDArray[np.bool_], check: Callable[[], None]
) -> NDArray[np.float64]:
    """(2, 3): power before, common power and power after in flat patches, for luminance and colour."""
    mix = opponent_matrix(before.shape[2])
    found = np.zeros((2, 3))
    for k, row in enumerate(mix):
        check()
        a, b = (residuals(p @ row.astype(np.float32), flat) for p in (before, after))
        found[min(k, 1)] += np.mean(a * a), np.mean(a * b), np.mean(b * b)
    return found


def _moments_of_render(
    before: NDArray, after: NDArray, noise: NoisePrint, region: Region, check: Callable[[], None]
) -> NDArray[np.float64]:
    """The same of a render, which has hardly any flat patches: of the finest detail of light's logarithm.

    In the blocks that hold least of it for the noise that there is: texture and edges add to it.
    """
    assert noise.places is not None
    sigma = noise.places.at(region)
    found = np.zeros((2, 3))
    light = [np.maximum(np.asarray(noise.curve.decode(p), np.float32), 0) for p in (before, after)]
    logs = [np.log(p + np.float32(noise.noise[0].floor)) for p in light]
    h, w = (n // BLOCK for n in sigma.shape)
    for k, row in enumerate(opponent_matrix(before.shape[2]).astype(np.float32)):
        check()
        a, b = (finest(p @ row) / sigma for p in logs)
        cut = [
            (x * y)[: h * BLOCK, : w * BLOCK].reshape(h, BLOCK, w, BLOCK).mean((1, 3))
            for x, y in ((a, a), (a, b), (b, b))
        ]
        calm = cut[0] > EMPTY
        if calm.any():
            calm &= cut[0] <= np.quantile(cut[0][calm], CALMEST)
        found[min(k, 1)] += [float(c[calm].mean()) if calm.any() else 0.0 for c in cut]
    return found


def lowest_strength(moments: NDArray, share: float) -> float:
    """The lowest strength 0..1, in hundredths, that leaves ``share`` of sigma; 1 when none does.

    Parameters
    ----------
    moments : power before, common power, power after.
    """
    before, common, after = (float(m) for m in moments)
    if before <= 0:
        return 1.0
    s = np.linspace(0, 1, 101)
    left = ((1 - s) ** 2 * before + 2 * s * (1 - s) * common + s * s * after) / before
    enough = np.flatnonzero(left <= share * share)
    return float(s[enough[0]]) if len(enough) else 1.0
