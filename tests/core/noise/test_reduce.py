from __future__ import annotations

import itertools

import numpy as np
import pytest
from benchmarks.common import jpeg, photograph
from hypothesis import given, settings
from hypothesis import strategies as st

from dustpan.core.colour import encode
from dustpan.core.noise.dct8 import dct8, idct8
from dustpan.core.noise.matching import displacements, match
from dustpan.core.noise.measure import measure
from dustpan.core.noise.model import ChannelNoise
from dustpan.core.noise.stabilise import make_stabiliser
from dustpan.core.picture import from_array
from dustpan.core.render.cache import Cache
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step
from tests.scenes import FELT, RIBS, WALL, desk, noisy_a, noisy_b, noisy_c, psnr

pytestmark = pytest.mark.slow

_cache = Cache()


def clean_up(pixels: np.ndarray, **values: float) -> np.ndarray:
    with Renderer(from_array(pixels), cache=_cache) as r:
        return r.render(Sweep((make_step("noise", values),)))


# ---------------------------------------------------------------- pieces


@given(st.lists(st.floats(-10, 10, width=32), min_size=8, max_size=8))
def test_the_8_point_dct_is_that_of_scipy_and_comes_back(values: list[float]) -> None:
    from scipy.fft import dct

    x = np.array(values, np.float32)
    found = np.array(dct8(*x))
    assert found == pytest.approx(dct(x.astype(float), norm="ortho"), abs=1e-4)
    assert np.array(idct8(*found)) == pytest.approx(x, abs=1e-4)


@pytest.mark.parametrize(
    ("size", "gap", "step", "radius", "near"),
    [(4, 1, 5, 6, 6), (8, 1, 8, 4, 4), (4, 1, 6, 6, 2), (4, 2, 6, 6, 6), (8, 1, 4, 6, 2)],
)
def test_matching_finds_the_nearest_patches(size: int, gap: int, step: int, radius: int, near: int) -> None:
    rng = np.random.default_rng(2)
    plane = rng.normal(size=(70, 90)).astype(np.float32)
    rows, cols, wanted, y0, x0 = 4, 6, 16, radius + 1, radius + 2
    moves = displacements(radius, near=near)
    distance = np.empty((len(moves), rows * cols), np.float32)
    chosen, count = np.empty((rows * cols, wanted), np.int32), np.empty(rows * cols, np.int32)
    bits = distance.view(np.int32)
    match(
        plane,
        y0,
        x0,
        rows,
        cols,
        step,
        size,
        gap,
        radius,
        moves,
        np.full(rows * cols, 1e9, np.float32).view(np.int32),
        distance,
        bits,
        chosen,
        count,
    )
    across = size * gap
    for r in range(rows * cols):
        y, x = y0 + r // cols * step, x0 + r % cols * step
        own = plane[y : y + across : gap, x : x + across : gap]
        others = [plane[y + b : y + b + across : gap, x + a : x + a + across : gap] for b, a in moves]
        true = [float(((other - own) ** 2).sum()) for other in others]
        assert count[r] == wanted
        assert chosen[r, 0] == len(moves) // 2
        assert max(true[k] for k in chosen[r]) <= 1.02 * np.sort(true)[wanted - 1]


def test_far_places_are_looked_at_as_on_a_chessboard() -> None:
    for radius, every, near in ((16, 1, 4), (16, 2, 4), (12, 1, 12)):
        moves = displacements(radius, every, near)
        assert moves[len(moves) // 2].tolist() == [0, 0]
        assert {tuple(m) for m in -moves} == {tuple(m) for m in moves}
        kept = {tuple(m) for m in moves // every}
        for y, x in displacements(radius, every, near=radius) // every:
            close = max(abs(y), abs(x)) * every <= near
            assert ((y, x) in kept) == (close or (y + x) % 2 == 0)


@pytest.mark.parametrize(
    "noise", [ChannelNoise(True, sigma=25 / 255), ChannelNoise(False, gain=1.6 / 250, read=(4.8 / 250) ** 2)]
)
def test_stabilised_noise_is_even_and_the_inverse_is_unbiased(noise: ChannelNoise) -> None:
    rng = np.random.default_rng(3)
    tables = make_stabiliser([noise])
    for level in (0.0, 0.004, 0.02, 0.1, 0.3, 0.6):
        true = np.full((400, 400, 1), level)
        if noise.constant:
            stored = np.clip(true + rng.normal(0, noise.sigma, true.shape), 0, 1)
            expected = level
        else:
            spread = np.sqrt(noise.gain * true + noise.read)
            stored = encode(np.clip(true + spread * rng.normal(size=true.shape), 0, 1))
            expected = float(encode(level))
        planes = tables.stabilise(stored.astype(np.float32))
        if level > 0.2:
            assert planes.std() == pytest.approx(1, abs=0.06)
        mean = np.full((1, 1, 1), planes.mean(), np.float32)
        assert float(tables.restore(mean)[0, 0, 0]) == pytest.approx(expected, abs=2.5 / 255)
        clean = np.full((1, 1, 1), expected, np.float32)
        assert float(tables.expect(clean)[0, 0, 0]) == pytest.approx(planes.mean(), abs=0.02)
    ladder = np.linspace(0, 1, 512, dtype=np.float32).reshape(1, -1, 1)
    assert tables.restore(tables.expect(ladder)) == pytest.approx(ladder, abs=0.5 / 255)


# ---------------------------------------------------------------- the whole, against known truth


@pytest.mark.parametrize(("case", "gain"), [("A", 9.0), ("B", 9.0), ("C", 4.0)])
def test_it_gains_on_every_kind_of_noise(case: str, gain: float) -> None:
    clean = desk(400, 560)
    truth, noisy = {"A": lambda c: (c, noisy_a(c)), "B": noisy_b, "C": noisy_c}[case](clean)
    assert psnr(clean_up(noisy), truth) - psnr(noisy, truth) > gain


def test_flat_parts_are_calm_and_structure_stays(truth: np.ndarray, noisy: np.ndarray) -> None:
    result = clean_up(noisy)
    inner = tuple(slice(s.start + 12, s.stop - 12) for s in WALL)
    assert (result - truth)[inner].std() < 0.15 * (noisy - truth)[inner].std()
    for part, least in ((RIBS, 0.9), (FELT, 0.4)):
        a, t = (p[part].mean(-1) for p in (result, truth))
        a, t = a - a.mean(), t - t.mean()
        assert (a * t).sum() / (t * t).sum() > least


def test_shadows_keep_their_colour(noisy: np.ndarray, truth: np.ndarray) -> None:
    """Clipped blacks are inverted without bias: no blue cast in the dark."""
    result = clean_up(noisy)
    dark = (slice(10, 86), slice(165, 245))
    assert np.abs((result - truth)[dark].mean((0, 1))).max() < 2 / 255


def test_more_strength_never_leaves_more_noise(noisy: np.ndarray, truth: np.ndarray) -> None:
    inner = (slice(14, 80), slice(14, 136))
    left = []
    for s in (0, 0.25, 0.5, 0.75, 1.0, 1.5, 2.5):
        result = clean_up(noisy, luminance=s, colour=s)
        left.append(float(np.std((result - truth)[inner], axis=(0, 1)).mean()))
    allowed = 0.01 * left[0]
    assert all(b <= a + allowed for a, b in itertools.pairwise(left)), left
    assert left[4] < 0.1 * left[0]


def test_luminance_and_colour_are_apart(noisy: np.ndarray) -> None:
    from dustpan.core.colour import luma

    only_colour = clean_up(noisy, luminance=0)
    assert luma(only_colour) == pytest.approx(luma(noisy), abs=1e-5)
    only_luminance = clean_up(noisy, colour=0)
    tint = [p - luma(p)[..., None] for p in (only_luminance, noisy)]
    assert tint[0] == pytest.approx(tint[1], abs=1e-5)
    assert not np.allclose(luma(only_luminance), luma(noisy), atol=1e-3)


@pytest.mark.parametrize(("name", "channel"), [("red", 0), ("green", 1), ("blue", 2)])
def test_a_channel_at_0_percent_is_left_alone(noisy: np.ndarray, name: str, channel: int) -> None:
    full, result = clean_up(noisy), clean_up(noisy, **{name: 0})
    assert np.array_equal(result[..., channel], noisy[..., channel])
    others = [c for c in range(3) if c != channel]
    assert np.allclose(result[..., others], full[..., others], atol=1e-6)


def test_by_brightness_reads_the_cleaned_brightness(noisy: np.ndarray, truth: np.ndarray) -> None:
    result = clean_up(noisy, shadows=0)
    dark, bright = truth.mean(-1) < 0.08, truth.mean(-1) > 0.36
    assert np.abs(result - noisy)[dark].mean() < 0.1 * np.abs(clean_up(noisy) - noisy)[dark].mean()
    assert np.abs(result - clean_up(noisy))[bright].mean() < 0.2 * np.abs(noisy - clean_up(noisy))[bright].mean()


def test_give_back_returns_structure_and_hardly_any_noise(noisy: np.ndarray, truth: np.ndarray) -> None:
    plain, given_back = clean_up(noisy), clean_up(noisy, give_back=100)
    inner = (slice(14, 80), slice(14, 136))
    returned = (given_back - plain).mean(-1)
    removed = (noisy - plain).mean(-1)
    assert (returned[inner] ** 2).mean() < 0.05 * (removed[inner] ** 2).mean()
    felt = tuple(slice(s.start + 8, s.stop - 8) for s in FELT)
    t = truth.mean(-1)
    lost = (t - plain.mean(-1))[felt]
    assert (returned[felt] * lost).sum() > 0


@pytest.mark.parametrize(
    "name", ["desk", "astronaut", "coffee", "coins", "motorcycle_left", "page", "hubble_deep_field"]
)
def test_where_there_is_little_noise_nothing_is_lost(name: str) -> None:
    """A clean picture stays as it is; a good JPEG of it and noise of 1 and 2/255 come out no worse than they were."""
    truth = np.round(255 * (desk(400, 560) if name == "desk" else photograph(name))) / 255
    assert np.array_equal(clean_up(truth.astype(np.float32)), truth.astype(np.float32))
    noisy = [np.round(255 * noisy_a(truth, sigma / 255)) / 255 for sigma in (1, 2)]
    for given_ in (jpeg(truth, 92), *noisy):
        pixels = given_.astype(np.float32)
        assert psnr(clean_up(pixels), truth) >= psnr(pixels, truth) - 0.1


@settings(max_examples=4)
@given(st.booleans(), st.booleans())
def test_a_mirrored_picture_gives_the_mirrored_result(noisy: np.ndarray, flip_y: bool, flip_x: bool) -> None:
    turn = (slice(None, None, -1 if flip_y else 1), slice(None, None, -1 if flip_x else 1))
    a, b = clean_up(noisy), clean_up(np.ascontiguousarray(noisy[turn]))[turn]
    assert np.sqrt(np.mean((a - b) ** 2)) < 0.3 / 255


def test_no_mesh_on_a_flat_wall() -> None:
    """The lattice of reference patches must not show: no line of the spectrum stands out at its period."""
    flat = np.full((256, 256, 3), 0.45)
    result = clean_up(noisy_a(flat, 12 / 255)).mean(-1)
    spectrum = np.abs(np.fft.fft2(result - result.mean()))[:128, :128]
    for period in (2, 4, 5, 8):
        k = round(256 / period) - (1 if period == 2 else 0)
        line = spectrum[k, :3].max() if k < 128 else spectrum[-1, :3].max()
        assert line < 6 * np.median(spectrum[max(k - 6, 1) : k + 7, :8]) + 1e-3, period


def test_the_print_of_the_result_is_lower(noisy: np.ndarray) -> None:
    assert measure(clean_up(noisy)).strength < 0.4 * measure(noisy).strength
