"""Parts that find their place themselves, on made truth."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import ndimage as ndi

from dustpan.core.grammar import parse_step
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep
from dustpan.core.where.refine import refined
from tests.scenes import noisy_a, noisy_b, noisy_c

H, W = 240, 360
Y, X = np.mgrid[:H, :W].astype(float)
NOISES = {"clean": lambda c: c, "a": noisy_a, "b": lambda c: noisy_b(c)[1], "c": lambda c: noisy_c(c)[1]}


def blobs(seed: int, share: float = 0.4) -> np.ndarray:
    """A made shape that covers this share."""
    wild = ndi.gaussian_filter(np.random.default_rng(seed).normal(size=(H, W)), 48)
    return wild > np.quantile(wild, 1 - share)


def detail(seed: int) -> np.ndarray:
    """(H, W, 3) of many sharp flat patches and lines."""
    rng = np.random.default_rng(seed)
    out = np.full((H, W, 3), 0.45)
    for _ in range(1400):
        y, x, h, w = rng.integers(0, H), rng.integers(0, W), rng.integers(2, 16), rng.integers(2, 16)
        out[y : y + h, x : x + w] = rng.uniform(0.15, 0.85, 3)
    return ndi.gaussian_filter(out, (0.5, 0.5, 0))


def mask_of(text: str, pixels: np.ndarray) -> np.ndarray:
    with Renderer(from_array(np.asarray(pixels, np.float32))) as r:
        return r.mask(r.settled(Sweep((parse_step(f"noise {text}"),))), 0)


def overlap(a: np.ndarray, b: np.ndarray) -> float:
    """Intersection over union."""
    return float((a & b).sum() / (a | b).sum())


@pytest.mark.parametrize("sigma", [1.5, 5.0])
@pytest.mark.parametrize("seed", [1, 2])
def test_what_is_sharp_is_in_focus(sigma: float, seed: int) -> None:
    shape = blobs(seed)
    soft = ndi.gaussian_filter(shape.astype(float), 0.6)[..., None]
    behind = ndi.gaussian_filter(detail(seed + 10), (3, 3, 0))
    seen = detail(seed) * soft + behind * (1 - soft)
    seen = np.clip(seen + np.random.default_rng(seed).normal(0, sigma / 255, seen.shape), 0, 1)
    assert overlap(mask_of("@in-focus", seen) > 0.5, shape) > 0.85


def test_contrast_is_not_sharpness() -> None:
    shape = blobs(3)
    soft = ndi.gaussian_filter(shape.astype(float), 0.6)[..., None]
    faint = 0.5 + 0.25 * (detail(3) - 0.5)
    seen = faint * soft + ndi.gaussian_filter(detail(13), (3, 3, 0)) * (1 - soft)
    seen = np.clip(seen + np.random.default_rng(3).normal(0, 1.5 / 255, seen.shape), 0, 1)
    assert overlap(mask_of("@in-focus", seen) > 0.5, shape) > 0.8


@pytest.mark.parametrize("noise", NOISES)
@pytest.mark.parametrize("made", ["rope", "felt"])
def test_rough_is_told_from_smooth(noise: str, made: str) -> None:
    rng = np.random.default_rng(7)
    fine = ndi.gaussian_filter(rng.normal(size=(H, W)), 0.9)
    rough = {"rope": 18 * np.sin(2 * np.pi * (X + 0.6 * Y) / 9), "felt": 11 * fine / fine.std()}[made]
    shape = blobs(5, 0.5)
    clean = np.array([0.42, 0.38, 0.33]) + (np.where(shape, rough, 12 * (Y / H - 0.5)) / 255)[..., None]
    found = mask_of("@texture", NOISES[noise](np.clip(clean, 0, 1))) > 0.5
    assert (found != shape).mean() < (0.2 if noise == "c" else 0.09)  # the noise of a JPEG is hardest to know
    smooth = mask_of("@texture:inverted=1", NOISES[noise](np.clip(clean, 0, 1))) > 0.5
    assert (smooth != found).mean() > 0.99


@pytest.mark.parametrize("noise", NOISES)
def test_one_click_finds_a_colour(noise: str) -> None:
    shape = np.hypot(X - 120, Y - 110) < 70
    clean = np.where(shape[..., None], (0.65, 0.2, 0.18), (0.45, 0.44, 0.42)) * (0.85 + 0.3 * X / W)[..., None]
    found = mask_of("@colour:at=110/120", NOISES[noise](ndi.gaussian_filter(clean, (0.7, 0.7, 0)))) > 0.5
    assert found[shape].mean() > 0.95
    assert found[~shape].mean() < 0.02


@pytest.mark.parametrize("noise", NOISES)
def test_edges_are_found_and_noise_is_not(noise: str) -> None:
    clean = np.full((H, W, 3), 0.35)
    clean[60:180, 90:270] = 0.65
    found = mask_of("@edges", NOISES[noise](ndi.gaussian_filter(clean, (0.8, 0.8, 0)))) > 0.5
    outline = np.zeros((H, W), bool)
    outline[60:180, 90:270] = True
    outline ^= ndi.binary_erosion(outline)
    far = ~ndi.binary_dilation(outline, iterations=6)
    assert found[outline].mean() > 0.9
    assert found[far].mean() < 0.005


@pytest.mark.parametrize("seed", [1, 2])
def test_a_rough_stroke_ends_at_the_border(seed: int) -> None:
    shape = blobs(seed)
    inside = np.where(shape[..., None], detail(seed) * 0.5 + 0.35, detail(seed + 20) * 0.5 + 0.05)
    seen = np.clip(ndi.gaussian_filter(inside, (0.6, 0.6, 0)), 0, 1).astype(np.float32)
    away = ndi.distance_transform_edt(shape) - ndi.distance_transform_edt(~shape)
    wobble = ndi.gaussian_filter(np.random.default_rng(seed).normal(size=shape.shape), 14)
    stroke = away + 5 * wobble / wobble.std() > 0
    after = refined(seen, stroke.astype(np.float32), 10) > 0.5
    assert overlap(after, shape) > max(0.93, overlap(stroke, shape) + 0.02)


def test_stars_are_covered_with_a_margin() -> None:
    rng = np.random.default_rng(4)
    light, at = np.full((H, W), 0.1), rng.integers(12, 228, (60, 2))
    for y, x in at:
        light += rng.uniform(0.1, 0.8) * np.exp(-((Y - y) ** 2 + (X - x) ** 2) / 2.5)
    seen = np.clip(light + rng.normal(0, 0.004, light.shape), 0, 1)[..., None]
    mask = mask_of("@stars", seen)
    assert np.mean([mask[y, x] for y, x in at]) > 0.9
    assert mask.mean() < 0.2
    assert mask_of("@stars:margin=6", seen).mean() > 1.5 * mask.mean()
