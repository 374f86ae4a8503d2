"""Fine detail, Local contrast and Soften: what they add, and what they must not."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy import ndimage as ndi

from dustpan.core.blend import Blend, lay_over
from dustpan.core.colour import luma
from dustpan.core.errors import WrongUse
from dustpan.core.grammar import parse_step
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep
from tests.scenes import desk, noisy_a


def rendered(text: str, pixels: np.ndarray, **fields: object) -> np.ndarray:
    step = replace(parse_step(text), **fields)
    with Renderer(from_array(np.asarray(pixels, np.float32))) as r:
        return r.render(Sweep((step,)))


def edge(contrast: float = 0.4) -> np.ndarray:
    """(64, 160, 3) two plateaus and a soft edge between."""
    x = np.arange(160)[None] - 80 + 0.3
    row = 0.5 + contrast / 2 * np.clip(ndi.gaussian_filter1d(np.sign(x[0]), 1.4), -1, 1)
    return np.repeat(np.repeat(row[None, :, None], 64, 0), 3, 2)


def rims(after: np.ndarray, before: np.ndarray) -> float:
    """How far brightness leaves the range of both plateaus, in percent of it."""
    low, high = before.min(), before.max()
    return 100 * float(max(after.max() - high, low - after.min(), 0) / (high - low))


@pytest.mark.parametrize("blend", list(Blend))
def test_fine_detail_is_laid_over_by_each_blend_as_it_says(blend: Blend) -> None:
    pixels = desk().astype(np.float32)
    layer = rendered("fine-detail:boost=2", pixels, blend=Blend.NORMAL)
    assert abs(float(layer.mean()) - 0.5) < 0.01
    for opacity in (0.4, 1.0):
        after = rendered("fine-detail:boost=2", pixels, blend=blend, opacity=opacity)
        assert np.allclose(after, lay_over(pixels, layer, blend, opacity), atol=1e-5)


def test_detail_is_raised_without_rims_even_twice() -> None:
    before = edge()
    after = rendered("fine-detail:radius=3,boost=3", before)
    with Renderer(from_array(before.astype(np.float32))) as r:
        step = parse_step("fine-detail:radius=3,boost=3")
        twice = r.render(Sweep((step, step)))
    slope = np.abs(np.diff(luma(before), axis=1)).max()
    assert np.abs(np.diff(luma(after), axis=1)).max() > 1.5 * slope
    assert rims(after, before) < 2.5
    assert rims(twice, before) < 5
    shell = desk()
    raised = rendered("fine-detail:boost=1.5", shell)
    assert (raised - ndi.gaussian_filter(raised, (2, 2, 0))).std() > 1.1 * (
        shell - ndi.gaussian_filter(shell, (2, 2, 0))
    ).std()


def test_grain_is_not_raised_and_luminance_leaves_colours_alone() -> None:
    flat = noisy_a(np.full((160, 200, 3), (0.5, 0.4, 0.3)), 10 / 255)
    after = rendered("fine-detail:boost=3", flat)
    assert after.std(axis=(0, 1)).max() < 1.03 * flat.std(axis=(0, 1)).max()
    grainy = rendered("fine-detail:boost=3,cleaned=0", flat)
    assert grainy.std() >= after.std()
    scene = desk().astype(np.float32)
    moved = rendered("fine-detail:boost=2", scene) - scene
    inside = ((scene > 0.1) & (scene < 0.9)).all(-1)
    assert np.ptp(moved, axis=-1)[inside].max() < 1e-4
    coloured = rendered("fine-detail:boost=2,of=colour", scene) - scene
    assert np.ptp(coloured, axis=-1)[inside].max() > 0.01


def test_local_contrast_raises_shapes_and_leaves_edges_without_rims() -> None:
    x = np.arange(260)[None].repeat(200, 0)
    shapes = 0.5 + 0.03 * np.sin(2 * np.pi * x / 36)[..., None].repeat(3, 2)
    raised = rendered("local-contrast:coarse=1,fine=0", shapes)
    middle = np.s_[60:-60, 60:-60]
    assert np.ptp(raised[middle]) > 1.2 * np.ptp(shapes[middle])
    assert np.ptp(rendered("local-contrast:coarse=-0.6,fine=0", shapes)[middle]) < 0.9 * np.ptp(shapes[middle])
    assert rims(rendered("local-contrast:coarse=1,fine=0.5", edge(0.7)), edge(0.7)) < 4


def test_shadows_near_the_noise_are_spared() -> None:
    rng = np.random.default_rng(2)
    dark = np.clip(0.03 + rng.normal(0, 0.02, (200, 260, 3)), 0, 1)
    spared, all_of_it = (rendered(f"local-contrast:coarse=1.5,spare={s}", dark) for s in (100, 0))
    assert (spared - dark).std() <= (all_of_it - dark).std()


def test_soften_softens_and_can_keep_edges() -> None:
    rng = np.random.default_rng(3)
    before = edge() + rng.normal(0, 0.01, (64, 160, 3))
    plain, kept = rendered("soften:radius=4", before), rendered("soften:radius=4,edges=60", before)
    flat = np.s_[:, 10:50]
    assert plain[flat].std() < 0.3 * before[flat].std()
    assert kept[flat].std() < 0.5 * before[flat].std()
    steep = [np.abs(np.diff(ndi.gaussian_filter(luma(p), 1), axis=1)).max() for p in (plain, kept)]
    assert steep[1] > 1.5 * steep[0]
    assert np.allclose(plain, ndi.gaussian_filter(before, (4, 4, 0), mode="nearest", truncate=3), atol=1e-4)


@pytest.mark.parametrize("text", ["fine-detail:boost=2", "local-contrast", "soften:edges=50", "soften"])
def test_mirrored_pictures_give_mirrored_results(text: str) -> None:
    scene = desk()[:120, :160].astype(np.float32)
    after, turned = rendered(text, scene), rendered(text, scene[:, ::-1])
    assert np.abs(after[16:-16, 16:-16] - turned[:, ::-1][16:-16, 16:-16]).max() < 0.02


def test_blend_and_opacity_can_be_typed() -> None:
    step = parse_step("fine-detail:radius=4,blend=soft-light,opacity=0.4 @tones:squared=1")
    assert (step.blend, step.opacity, step.where.parts[0].kind.id) == (Blend.SOFT_LIGHT, 0.4, "tones")
    assert parse_step("fine-detail").blend is Blend.LINEAR_LIGHT
    for wrong in ("noise:opacity=2", "noise:opacity=half", "noise:blend=dissolve"):
        with pytest.raises(WrongUse):
            parse_step(wrong)
