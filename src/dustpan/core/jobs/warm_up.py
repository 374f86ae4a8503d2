"""Compile what is compiled, before anybody waits for it."""

from __future__ import annotations

import numpy as np

from dustpan.core.colour import encode
from dustpan.core.colour_profile import wide_gamut_profile
from dustpan.core.noise.measure import SMALLEST
from dustpan.core.picture import from_array
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.screen import halved, packed, reduced
from dustpan.core.steps import STEPS
from dustpan.core.sweep import Step, Sweep, make_step


def warm_up() -> None:
    """Compile (or load) every kernel by running every step on small pictures, whole and in part."""
    rng = np.random.default_rng(1)
    side = 3 * SMALLEST
    light = np.geomspace(0.001, 0.4, side)[:, None]  # dark enough that noise is clipped
    part = Region(SMALLEST, SMALLEST, side - 8, side - 8)
    sweeps = [Sweep((Step(kind, kind.params()),)) for kind in STEPS]
    for values in ({"give_back": 50}, {"quality": "quick"}, {"blotches": 8}):
        sweeps.append(Sweep((make_step("noise", values),)))
    for channels in (1, 3):
        noise = np.sqrt(0.002 * light + 1e-5)[..., None] * rng.standard_normal((side, side, channels))
        noisy = encode(np.clip(light[..., None] + noise, 0, 1)).astype(np.float32)
        with Renderer(from_array(noisy), threads=1) as renderer:
            for sweep in sweeps:
                renderer.at_once(sweep, part)
            for sweep in sweeps:
                renderer.render(sweep)
            pixels = renderer.picture.pixels
    for icc in (None, wide_gamut_profile()):
        for seen in (pixels, pixels[part.slices()], np.array(pixels)):
            reduced(seen, 2)
            halved(packed(seen, icc))
