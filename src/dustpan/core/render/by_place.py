"""The noise of a result by place: how much stronger or weaker it is than the print that was measured last.

Steps that acted in part (in a mask, by brightness, at less than full strength) leave noise that no print describes.
From the first of them on nothing is measured any more: the print of what lies below is handed on, and with it a factor
by place, which is worked out from what each step since then says of itself (`noise_of.effect`).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import opponent_matrix
from dustpan.core.fact import Asked, FactKind, Scope
from dustpan.core.noise_of.effect import Seen
from dustpan.core.noise_of.places import Places
from dustpan.core.noise_of.shares import Share, Taken, left_by, together
from dustpan.core.region import Region
from dustpan.core.render.layers import Layer, Layers, handed_on, input_of
from dustpan.core.smooth import gaussian, reach_of
from dustpan.core.stage import Bound
from dustpan.core.step import StepKind

SOFTLY = 1.5  # px, that noise is averaged out over where a step is asked what it does to a brightness
LEAST = np.float32(0.02)  # of the print's noise, that is always taken to be there
Factor = NDArray[np.float32]  # (1 or 2, h, w): of luminance, and of colour


class Read(Protocol):
    """Gives what is needed on a region: masks, stages and results of the last of some layers."""

    @property
    def size(self) -> tuple[int, int]:
        """(height, width) of the picture."""

    def mask(self, layers: Layers, region: Region) -> NDArray[np.float32] | None: ...
    def stage(self, layers: Layers, name: str, region: Region) -> NDArray[np.float32]: ...
    def result(self, layers: Layers, region: Region) -> NDArray[np.float32]: ...


@dataclass(frozen=True, eq=False)
class Known:
    """What is known of the noise below a layer.

    Attributes
    ----------
    print : the `NoisePrint` that was handed on. places : where the picture itself differs from it, or None.
    residue : what full cleaning leaves of the luminance and of the colour noise.
    facts : by number, those of the layers that acted since; of a draft these are not those that the layers hold.
    """

    print: Any
    places: Places | None
    residue: tuple[float, float]
    facts: Mapping[int, Mapping[FactKind, Any]] = field(default_factory=dict)


def _nothing(asked: Asked) -> None:
    return None


KNOWN = FactKind(
    "what is known of the noise by place", _nothing, scope=Scope.NOTHING
)  # a `Known` among a layer's facts


def sees_residue(layer: Layer, bound: Bound) -> bool:
    """Whether what full cleaning left counts as noise for a stage; it is none that could be cleaned once more."""
    return layer.step.kind.noise.shares is None or bound in layer.where


def shares_of(read: Read, layers: Layers, region: Region, cleaned: NDArray[np.float32] | None = None) -> list[Share]:
    """What the last layer and those of its run take out, in order. ``cleaned`` : at which; asked for when left out."""
    last = layers[-1]
    found: list[Share] = []
    left = left_before(read, layers[: last.start], region, last.step.kind)
    for n in range(last.start, len(layers)):
        step = layers[n].step
        shares = step.kind.noise.shares
        assert shares is not None
        if cleaned is None:
            cleaned = read.stage(layers, shares.cleaned(last.step.params), region)
        mask = read.mask(layers[: n + 1], region)
        taken = shares.taken(step.params, cleaned)
        found.append(Share(taken, mask, step.opacity, shares.strength(step.params), left))
    return found


def left_before(read: Read, layers: Layers, region: Region, kind: StepKind) -> Taken | None:
    """What steps of a kind have left for others of it, with something else between them; None for all of it."""
    left: Taken | None = None
    n = len(handed_on(layers))
    while n < len(layers):
        last = _end_of_run(layers, n)
        if layers[n].step.kind is kind:
            here = 1 - together(shares_of(read, layers[: last + 1], region))
            left = here if left is None else left * here
        n = last + 1
    return left


def factor_on(read: Read, layers: Layers, region: Region, known: Known, residue: bool = True) -> Factor:
    """How much stronger than the print the noise of a result is at every pixel of a region.

    Parameters
    ----------
    residue : whether what full cleaning leaves counts. It is no noise that could be cleaned once more.
    """
    start = len(handed_on(layers))
    kinds = min(known.print.channels, 2)
    out = np.ones((kinds, region.height, region.width), np.float32)
    if known.places is not None:
        out *= known.places.of(region)[:kinds]
    n = start
    while n < len(layers):
        last = _end_of_run(layers, n)
        if layers[n].step.kind.noise.shares:
            out = _after_shares(out, read, layers[: last + 1], region, known, residue)
        else:
            out = _after(out, read, layers[: n + 1], region, known)
        n = last + 1
    return np.maximum(out, LEAST) if residue else out


def _end_of_run(layers: Layers, first: int) -> int:
    last = first
    while last + 1 < len(layers) and layers[last + 1].run:
        last += 1
    return last


def _after_shares(factor: Factor, read: Read, layers: Layers, region: Region, known: Known, residue: bool) -> Factor:
    noise = known.print
    sigma = np.array([c.sigma_at(u) for c, u in zip(noise.noise, noise.usual, strict=True)])
    own = known.places.of(region)[0] if known.places is not None else 1
    believed = np.asarray(noise.trust_at(factor[0] / own), np.float32)
    taken = together(shares_of(read, layers, region)) * believed  # all that was done
    if not residue:  # for what works on opponent planes, of which the first is not the luma
        first = opponent_matrix(noise.channels)[0]
        return np.asarray(factor * left_by(taken, sigma, noise.correlation, first), np.float32)
    left = left_by(taken, sigma, noise.correlation)
    rest = np.array(known.residue[: len(factor)], np.float32)[:, None, None]
    return np.asarray(factor * np.hypot(left, (1 - np.minimum(left, 1)) * rest), np.float32)


def _after(factor: Factor, read: Read, layers: Layers, region: Region, known: Known) -> Factor:
    layer, below = layers[-1], input_of(layers)
    step, effect = layer.step, layer.step.kind.noise
    mask = read.mask(layers, region) if step.where.acting else None
    share = np.float32(step.opacity) * (np.float32(1) if mask is None else mask)

    def averaged() -> NDArray[np.float32]:
        area = region.grown(reach_of(SOFTLY)).within(read.size)
        pixels = read.result(below, area)
        planes = [gaussian(np.ascontiguousarray(pixels[..., c]), SOFTLY) for c in range(pixels.shape[2])]
        return np.stack(planes, -1)[region.slices(area)]

    facts = known.facts.get(len(layers) - 1, layer.facts)
    seen = Seen(step.params, known.print, averaged, facts, stage=lambda name: read.stage(layers, name, region))
    left = effect.left(seen)
    out = np.stack(
        [plane * ((1 - share) + share * np.asarray(of, np.float32)) for plane, of in zip(factor, left, strict=False)]
    )
    if added := effect.added(step.params):
        out[0] = np.hypot(out[0], share * np.float32(added))
    return np.asarray(out, np.float32)
