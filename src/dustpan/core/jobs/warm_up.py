"""Compile what is compiled, before anybody waits for it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.colour import encode
from dustpan.core.colour_profile import wide_gamut_profile
from dustpan.core.defects.resized import resampled
from dustpan.core.develop.half_size import camera_colours
from dustpan.core.files.raw import scaled
from dustpan.core.grammar import parse_mask
from dustpan.core.noise.measure import SMALLEST
from dustpan.core.picture import Depth, Kind, Picture, Sensor, from_array
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.screen import halved, packed, reduced
from dustpan.core.step import EVERY_KIND
from dustpan.core.steps import STEPS, step_kind
from dustpan.core.sweep import Step, Sweep, make_step

TWO, THREE = ((0, 1), (1, 2)), ((0, 1, 2), (1, 2, 0), (2, 0, 1))  # patterns that repeat after so many
SIDE = 3 * SMALLEST  # px of the pictures that steps are run on
CLUMPED, STRONG = 0.8, 0.09  # px and encoded sigma of noise that is correlated beyond doubt
MASKS = ("@in-focus", "@brush:strokes=20@30/30>50/60,follow=3", "@edges", "@texture", "@colour:colours=50/0/0")


def warm_up() -> None:
    """Compile (or load) every kernel by running every step on small pictures, whole, in part and as a draft."""
    part = Region(SMALLEST, SMALLEST, SIDE - 8, SIDE - 8)
    sweeps = [Sweep((Step(kind, kind.params()),)) for kind in STEPS if kind.takes & EVERY_KIND]
    for values in ({"give_back": 50}, {"quality": "quick"}, {"blotches": 8}):
        sweeps.append(Sweep((make_step("noise", values),)))
    sweeps.append(Sweep((make_step("deblur", {"kind": "round"}),)))
    sweeps += [Sweep((replace(make_step("noise"), where=parse_mask(text)),)) for text in MASKS]
    for pixels in _pictures():
        with Renderer(from_array(pixels), threads=1) as renderer:
            for sweep in sweeps:
                renderer.at_once(sweep, part)
                renderer.at_once(sweep, part, draft=True)
            for sweep in sweeps:
                renderer.render(sweep)
    _develop(part)
    resampled(np.ascontiguousarray(pixels[..., 0]), part, (SIDE, SIDE), part, (SIDE + 9, SIDE + 9))
    kept = from_array(pixels).pixels  # not to be written to, which is another type for the compiler
    for icc in (None, wide_gamut_profile()):
        for seen in (pixels, pixels[part.slices()], kept, kept[part.slices()]):
            reduced(seen, 2)
            halved(packed(seen, icc))


def _develop(part: Region) -> None:
    """Every way from a sensor's samples to a picture."""
    rng = np.random.default_rng(2)
    fall = np.linspace(1, 4, SIDE)[:, None, None]  # brighter below, so that it is measured upside down
    counts = (rng.integers(500, 1500, (SIDE, SIDE, 3)) * fall).astype(np.uint16)
    black = np.array([512.0] * 4)
    ways: list[dict[str, str]] = [{"demosaic": w} for w in ("smooth", "linear", "by edges")] + [
        {"highlights": "recover"},
        {},
    ]
    for kind, pattern in ((Kind.MOSAIC, TWO), (Kind.MOSAIC, THREE), (Kind.BARE, ((0,),)), (Kind.CAMERA, ((0,),))):
        stack = kind is Kind.CAMERA
        sites = np.arange(3)[None, None] if stack else np.asarray(pattern)
        values, _ = scaled(counts if stack else counts[..., 0].copy(), sites, black, 16383, stack)
        picture = Picture(values, kind, Depth.SIXTEEN, sensor=Sensor(pattern, ("red", "green", "blue")))
        if kind is Kind.MOSAIC and picture.sensor:
            camera_colours(picture.pixels, picture.sensor, 2)
        with Renderer(picture, threads=1) as renderer:
            for way in ways:
                sweep = Sweep((make_step("develop", way),))
                renderer.at_once(sweep, part)
                renderer.render(sweep)
            if kind in step_kind("hot-pixels").takes:
                renderer.render(Sweep((make_step("hot-pixels"), make_step("stripes"), make_step("develop"))))
            for given in ({}, {"give_back": 50}, {"quality": "quick"}):
                sweep = Sweep((make_step("develop"), make_step("noise", given)))
                renderer.at_once(sweep, part, draft=True)
                renderer.render(sweep)


def _pictures() -> Iterator[NDArray[np.float32]]:
    """Mono and colour, with the noise of light that is clipped, and with noise that is correlated."""
    rng = np.random.default_rng(1)
    light = np.geomspace(0.001, 0.4, SIDE)[:, None]  # dark enough that noise is clipped
    for channels in (1, 3):
        noise = rng.standard_normal((SIDE, SIDE, channels))
        soft = ndi.gaussian_filter(noise, (CLUMPED, CLUMPED, 0))
        yield (0.5 + STRONG * soft / soft.std()).astype(np.float32)
        shot = np.sqrt(0.002 * light + 1e-5)[..., None] * noise
        yield encode(np.clip(light[..., None] + shot, 0, 1)).astype(np.float32)
