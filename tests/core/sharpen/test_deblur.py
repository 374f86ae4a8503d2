"""Deblur: the blur is measured, taken out without raising noise or rims, and a sharp picture is left as it is."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks.common import photograph
from scipy import ndimage as ndi

from dustpan.core.colour import luma
from dustpan.core.grammar import parse_step
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.sharpen.blur_of import BLUR
from dustpan.core.sharpen.deblur import guarded
from dustpan.core.sharpen.halo_guard import local_range
from dustpan.core.steps import step_kind
from dustpan.core.sweep import Sweep

SCENE = photograph("coffee")[40:360, 80:528]


def blurred(sigma: float, noise: float = 3.0) -> np.ndarray:
    soft = ndi.gaussian_filter(SCENE, (sigma, sigma, 0))
    return np.clip(soft + np.random.default_rng(1).normal(0, noise / 255, soft.shape), 0, 1).astype(np.float32)


def rendered(text: str, pixels: np.ndarray) -> np.ndarray:
    with Renderer(from_array(np.asarray(pixels, np.float32))) as r:
        return r.render(Sweep((parse_step(text),)))


def gain(before: np.ndarray, after: np.ndarray) -> float:
    """dB of the luma."""
    truth = luma(SCENE)
    return float(10 * np.log10(np.mean((luma(before) - truth) ** 2) / np.mean((luma(after) - truth) ** 2)))


@pytest.mark.parametrize("sigma", [0.8, 1.2, 1.6])
def test_a_blur_is_measured_and_taken_out(sigma: float) -> None:
    before = blurred(sigma)
    with Renderer(from_array(before)) as r:
        found = r.fact(BLUR, Sweep())
        after = r.render(Sweep((parse_step("deblur"),)))
    assert abs(found.sigma / sigma - 1) < 0.2
    assert found.sure > 0.6
    assert gain(before, after) > 1.0
    assert gain(before, rendered("deblur:amount=50", before)) > 0.4


def test_a_wrong_blur_gains_less_than_the_measured_one() -> None:
    before = blurred(1.2)
    right, half = rendered("deblur", before), rendered("deblur:kind=round,size=0.5", before)
    assert gain(before, right) > gain(before, half) > -0.5
    hits, kind = step_kind("deblur").hits, step_kind("deblur")
    assert hits is not None
    with Renderer(from_array(before)) as r:
        told = hits({BLUR: r.fact(BLUR, Sweep())}, kind.params())
    assert "% sure" in told.proof
    assert told.short.endswith("px")


@pytest.mark.parametrize("kind", ["disc", "directional"])
def test_a_typed_blur_is_taken_out(kind: str) -> None:
    if kind == "disc":
        y, x = np.mgrid[-3:4, -3:4]
        shape, text = np.clip(2.5 - np.hypot(y, x), 0, 1), "deblur:kind=disc,size=2"
    else:
        shape, text = np.ones((1, 5)), "deblur:kind=directional,size=5"
    soft = np.stack([ndi.convolve(SCENE[..., c], shape / shape.sum(), mode="nearest") for c in range(3)], -1)
    before = np.clip(soft + np.random.default_rng(2).normal(0, 2 / 255, soft.shape), 0, 1)
    assert gain(before, rendered(text, before)) > 1.5


def test_a_sharp_picture_is_left_as_it_is() -> None:
    sharp = np.rint(SCENE * 255).astype(np.float32) / 255
    off = rendered("deblur", sharp) - sharp
    assert -10 * np.log10(np.mean(off**2) + 1e-12) > 44
    assert np.array_equal(rendered("deblur:amount=0", blurred(1.2)), blurred(1.2))


def test_noise_in_flat_parts_is_not_raised_and_grain_can_be_kept() -> None:
    flat = np.full((200, 260, 3), 0.4)
    flat[:, 130:] = 0.6
    before = ndi.gaussian_filter(flat, (1.2, 1.2, 0)) + np.random.default_rng(4).normal(0, 5 / 255, flat.shape)
    after = rendered("deblur:kind=round,size=1.2", before)
    part = np.s_[20:-20, 20:100]
    assert luma(after)[part].std() < 0.6 * luma(before)[part].std()
    grainy = rendered("deblur:kind=round,size=1.2,grain=100", before)
    assert 0.8 * luma(before)[part].std() < luma(grainy)[part].std() < 1.1 * luma(before)[part].std()


def test_beside_plateaus_nothing_leaves_the_local_range() -> None:
    step = np.repeat(np.where(np.arange(80) < 40, 0.3, 0.7)[None], 60, 0).astype(np.float32)
    calm = ndi.gaussian_filter(step, 1.0)
    wild = (calm + 0.6 * (calm - ndi.gaussian_filter(calm, 2))).astype(np.float32)
    held = guarded(wild, calm)
    low, high = local_range(calm)
    assert wild.max() > high.max() + 0.02
    assert held.max() <= high.max() + 0.004
    assert held.min() >= low.min() - 0.004


def test_mirrored_pictures_give_mirrored_results() -> None:
    before = blurred(1.2)
    after, turned = rendered("deblur", before), rendered("deblur", before[:, ::-1])[:, ::-1]
    assert np.abs(after - turned)[24:-24, 24:-24].mean() < 0.004
