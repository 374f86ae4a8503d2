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
    """After steps as they are typed, parted by spaces."""
    with Renderer(from_array(np.asarray(pixels, np.float32))) as r:
        return r.render(Sweep(tuple(map(parse_step, text.split()))))


def gain(before: np.ndarray, after: np.ndarray) -> float:
    """dB of the luma."""
    truth = luma(SCENE)
    return float(10 * np.log10(np.mean((luma(before) - truth) ** 2) / np.mean((luma(after) - truth) ** 2)))


def line(length: float, angle: float) -> np.ndarray:
    """(25, 25) motion, spread over the pixels that it passes."""
    turn, spot = np.radians(angle), np.zeros((25, 25))
    for s in (np.arange(512) + 0.5) / 512 - 0.5:
        y, x = 12 + s * length * np.sin(turn), 12 + s * length * np.cos(turn)
        i, j = int(y), int(x)
        spot[i : i + 2, j : j + 2] += np.outer([1 - (y - i), y - i], [1 - (x - j), x - j])
    return spot / spot.sum()


def disc(radius: float) -> np.ndarray:
    y, x = np.mgrid[-12:13, -12:13]
    shape = np.clip(radius + 0.5 - np.hypot(y, x), 0, 1)
    return shape / shape.sum()


def seen_through(shape: np.ndarray, noise: float = 3.0) -> np.ndarray:
    soft = np.stack([ndi.convolve(SCENE[..., c], shape, mode="nearest") for c in range(3)], -1)
    return np.clip(soft + np.random.default_rng(1).normal(0, noise / 255, soft.shape), 0, 1).astype(np.float32)


@pytest.mark.slow
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


@pytest.mark.slow
def test_a_wrong_blur_gains_less_than_the_measured_one() -> None:
    before = blurred(1.2)
    right, half = rendered("deblur", before), rendered("deblur:kind=round,size=0.5", before)
    assert gain(before, right) > gain(before, half) > -0.5
    hits, kind = step_kind("deblur").hits, step_kind("deblur")
    assert hits is not None
    with Renderer(from_array(before)) as r:
        told = hits({f: r.fact(f, Sweep()) for f in kind.facts(kind.params())}, kind.params())
    assert "% sure" in told.proof
    assert told.short.endswith("px")
    assert told.curve is not None
    frequency, (along, across, back) = told.curve
    assert frequency[-1] == 0.5
    assert (np.diff(along) <= 1e-9).all()
    assert np.allclose(along, across, atol=0.05)
    assert back[16] > along[16] + 0.1  # at 0.125 cycles per px much of what was lost is brought back


@pytest.mark.slow
@pytest.mark.parametrize(
    ("shape", "text"), [(disc(2), "kind=disc,size=2"), (np.full((1, 5), 0.2), "kind=directional,size=5")]
)
def test_a_typed_blur_is_taken_out(shape: np.ndarray, text: str) -> None:
    before = seen_through(shape, 2.0)
    assert gain(before, rendered(f"deblur:{text}", before)) > 1.5


@pytest.mark.slow
@pytest.mark.parametrize(("length", "angle"), [(5, 0), (5, -60), (8, 20)])
def test_motion_is_told_by_length_and_direction(length: float, angle: float) -> None:
    before = seen_through(line(length, angle))
    with Renderer(from_array(before)) as r:
        found = r.fact(BLUR, Sweep())
        after = r.render(Sweep((parse_step("deblur"),)))
    assert abs(found.length / length - 1) < 0.15
    assert abs((found.angle - angle + 90) % 180 - 90) < 8
    assert gain(before, after) > 1.0


def test_a_disc_is_told_from_a_round_blur() -> None:
    with Renderer(from_array(seen_through(disc(3)))) as r:
        found = r.fact(BLUR, Sweep())
    assert found.length == 0
    assert abs(found.radius - 3) < 0.3


def test_edges_of_one_direction_do_not_pose_as_motion() -> None:
    x = np.mgrid[0:256, 0:384][1] * 1.0
    plane = np.full_like(x, 0.3)
    rng = np.random.default_rng(3)
    for at in rng.uniform(0, 384, 20):
        plane += (x > at) * rng.normal(0, 0.1)
    soft = ndi.gaussian_filter(np.clip(plane, 0.1, 0.9), 1.2)[..., None] + rng.normal(0, 2 / 255, (256, 384, 3))
    with Renderer(from_array(np.clip(soft, 0, 1).astype(np.float32))) as r:
        found = r.fact(BLUR, Sweep())
    longer, shorter, _ = found.axes
    assert longer == pytest.approx(shorter)
    assert abs(longer / 1.2 - 1) < 0.25


def test_fine_texture_does_not_pass_for_noise_where_the_blur_shows_the_noise_alone() -> None:
    scene = photograph("grass")[:320, :448]
    soft = ndi.gaussian_filter(scene, (1.2, 1.2, 0)) + np.random.default_rng(1).normal(0, 3 / 255, scene.shape)
    with Renderer(from_array(np.clip(soft, 0, 1).astype(np.float32))) as r:
        found = r.fact(BLUR, Sweep())
    assert found.white
    assert found.noise == pytest.approx(2.25 / 255, rel=0.05)  # of the luma of three channels


@pytest.mark.slow
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


@pytest.mark.slow
def test_mirrored_pictures_give_mirrored_results() -> None:
    before = blurred(1.2)
    after, turned = rendered("deblur", before), rendered("deblur", before[:, ::-1])[:, ::-1]
    assert np.abs(after - turned)[24:-24, 24:-24].mean() < 0.004


@pytest.mark.slow
def test_what_deblur_has_done_is_left_to_do_no_more() -> None:
    before = blurred(1.2)
    alone, both = (rendered(t, before) for t in ("deblur", "deblur edge-sharpen"))
    assert gain(before, both) > gain(before, alone) - 0.2
    between = rendered("deblur soften:radius=0.3 edge-sharpen", before)  # it is known after other steps as well
    assert gain(before, between) > gain(before, alone) - 0.3
    assert np.abs(rendered("edge-sharpen", before) - before).mean() > 2 * np.abs(both - alone).mean()
