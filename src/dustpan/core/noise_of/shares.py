"""Shares of the noise: what steps that follow each other take out together.

A strength is a multiple of the noise that was measured, and so is a mask: half of it is half a strength. Steps of this
kind that follow each other therefore all look at the picture before the first of them, and what they take out adds up,
to no more than all of it. Masks that share out the picture give what one step everywhere gives, in any number and any
order; luminance in one step and colour in the next is what one step does with both.

Of every channel, the luminance part and the rest of a change are shared out apart: with W the luma weights and d the
change of a pixel by full cleaning, channel c is changed by a_c (W d) + b_c (d_c - W d).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import LUMA, luma, opponent_matrix

LEAST_LEFT = np.float32(1e-3)
Taken = NDArray[np.float32]  # (2, C, 1 or h, 1 or w) shares of the luminance part and of the rest, by channel


@dataclass(frozen=True, eq=False)
class Shares:
    """How a step takes out shares.

    Attributes
    ----------
    taken : the shares that parameters ask for, at cleaned pixels (h, w, C). strength : how strong the noise is taken to
        be; what takes it for stronger than all before goes over what these have left.
    cleaned, structure : the stages that hold the input without any noise, and what of it is given back (or None).
    give_back : how much of that. everything : the parameters that ask for all of it.
    mixed : the stage that is not needed when this is done.
    """

    taken: Callable[[Any, NDArray[np.float32]], Taken]
    strength: Callable[[Any], float]
    cleaned: Callable[[Any], str]
    structure: Callable[[Any], str | None]
    give_back: Callable[[Any], float]
    everything: Callable[[Any], Any]
    mixed: str


@dataclass(frozen=True)
class Share:
    """One of several steps that take out shares.

    Attributes
    ----------
    taken : its own. mask : (h, w) where it acts, None for everywhere. opacity, strength : of the step.
    left : of all the noise, what was left of it before the first of these steps, where others have taken out shares.
    """

    taken: Taken
    mask: NDArray[np.float32] | None
    opacity: float
    strength: float
    left: Taken | None = None

    @property
    def here(self) -> Taken:
        """What it takes of what was left, by place."""
        share = np.float32(self.opacity) if self.mask is None else self.mask * np.float32(self.opacity)
        wanted = self.taken * share
        return wanted if self.left is None else np.minimum(wanted / np.maximum(self.left, LEAST_LEFT), np.float32(1))


def together(shares: Sequence[Share]) -> Taken:
    """What steps have taken out together."""
    total = np.zeros_like(shares[0].taken)
    for share in shares:
        total = np.minimum(total + share.here, np.float32(1))
    return total


def shared(
    below: NDArray[np.float32],
    source: NDArray[np.float32],
    cleaned: NDArray[np.float32],
    structure: NDArray[np.float32] | None,
    before: Sequence[Share],
    own: Share,
) -> NDArray[np.float32]:
    """The result of a step that takes out its share after others have.

    Parameters
    ----------
    below : (h, w, C) what the steps before it gave. source : what was before all of them.
    cleaned : ``source`` without noise. structure : (h, w) luminance that is given back besides, at full share; or None.
    before, own : the shares of the others, and its own.
    """
    if not before or own.strength > max(s.strength for s in before):
        taken, change = own.here, cleaned - below  # it takes noise for stronger than they did: from what they left
    else:
        known = together(before)
        taken, change = np.minimum(known + own.here, np.float32(1)) - known, cleaned - source
    light = luma(change)
    lifted = light if structure is None else light + structure
    out = np.empty_like(below)
    for c in range(below.shape[2]):
        out[..., c] = below[..., c] + (taken[0, c] * lifted + taken[1, c] * (change[..., c] - light))
    return out


def left_by(
    taken: Taken, sigma: NDArray, correlation: NDArray, weights: NDArray[np.float64] = LUMA
) -> NDArray[np.float32]:
    """How much of the luminance and of the colour noise is left: (2 or 1, h, w), as factors on sigma.

    Parameters
    ----------
    sigma : (C,) of the channels. correlation : (C, C) between them.
    weights : (3,) of the channels in what is taken for luminance.
    """
    a, b = taken
    if len(a) == 1:
        return 1 - a
    alike = all(np.array_equal(plane[0], plane[c]) for plane in (a, b) for c in (1, 2))
    if alike and (weights is LUMA or np.array_equal(a, b)):
        a, b = np.broadcast_arrays(a[0], b[0])
        return np.stack([1 - a, 1 - b]).astype(np.float32)
    cov = correlation * np.outer(sigma, sigma)

    def power(row: NDArray) -> NDArray:
        """Of a weighted sum of the channels, each left as it is."""
        both = np.tensordot(row, a - b, 1)  # what of it goes with the luminance
        rest = row[:, None, None] * (1 - b) - LUMA[:, None, None] * both
        return np.einsum("ihw,jhw,ij->hw", rest, rest, cov)

    found = []
    for rows in (weights[None], opponent_matrix(3)[1:]):
        whole = float(np.einsum("ki,kj,ij->", rows, rows, cov))
        found.append(np.sqrt(sum(power(row) for row in rows) / max(whole, 1e-12)))
    return np.stack(found).astype(np.float32)
