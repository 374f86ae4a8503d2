"""What is measured at a probe."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.judge.flat import local_noise_left
from dustpan.core.judge.glints import glint_kept, lines_kept
from dustpan.core.judge.probes import FLAT_ROLES, Probe, Role
from dustpan.core.judge.texture import texture_kept
from dustpan.core.judge.verdict import cleaned_range, halo_height, wider
from dustpan.core.language import mark, say
from dustpan.core.noise.noise_print import NoisePrint


@dataclass(frozen=True)
class Figure:
    """One measured figure of a probe: its name and its value in percent, None where it cannot be measured."""

    name: str
    value: float | None

    def text(self) -> str:
        digits = 1 if self.name == "rim" else 0
        return f"{say(self.name)} {'–' if self.value is None else f'{self.value:.{digits}f} %'}"


def figures(
    probe: Probe,
    before: NDArray,
    after: NDArray,
    cleaned: NDArray,
    noise: NoisePrint,
    factor: NDArray[np.float32] | None = None,
) -> tuple[Figure, ...]:
    """What is measured at a probe.

    Parameters
    ----------
    before, after, cleaned : (h, w, C) encoded values of its region: the input, the result, the input without noise.
    factor : (h, w) that the noise is stronger by than the print; None for 1.
    """
    y_before, y_after, y_clean = (luma(np.asarray(p, np.float32)) for p in (before, after, cleaned))
    if probe.role in FLAT_ROLES:
        return (Figure(mark("noise left"), local_noise_left(before, after)),)
    if probe.role is Role.EDGE:
        return (Figure(mark("rim"), _rim(y_after, y_clean)),)
    if probe.role is Role.GLINT:
        return (Figure(mark("glint kept"), glint_kept(y_before, y_after)),)
    if probe.role is Role.SCRATCHES:
        return (Figure(mark("scratches kept"), lines_kept(y_before, y_after, y_clean)),)
    if probe.role is Role.TEXTURE:
        return (Figure(mark("texture kept"), texture_kept(y_before, y_after, y_clean, noise, factor=factor)),)
    return (
        Figure(mark("noise left"), local_noise_left(before, after)),
        Figure(mark("rim"), _rim(y_after, y_clean)),
    )


def _rim(after: NDArray, cleaned: NDArray) -> float | None:
    """How far a result leaves the local range beside plateaus, at a place where that has to be seen."""
    return halo_height(after, wider(cleaned_range(cleaned), cleaned, 1.0))
