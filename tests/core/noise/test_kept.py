"""What noise reduction must leave alone and what it must take: texture, colour, blotches, against known truth."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy import ndimage as ndi

from dustpan.core.colour import LUMA, decode, encode, luma, opponent_matrix
from dustpan.core.noise.measure import measure
from dustpan.core.noise.plans import PLANS, Quality
from dustpan.core.picture import from_array
from dustpan.core.render.cache import Cache
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step
from dustpan.demo.camera import develop, expose
from tests.scenes import desk, noisy_b, noisy_c

pytestmark = pytest.mark.slow

SIDE = 144
STRUCTURED, UNSTRUCTURED = ("rope", "ribs", "wood", "print"), ("stone", "felt")
_cache = Cache()


def clean_up(pixels: np.ndarray, **values: float | str) -> np.ndarray:
    with Renderer(from_array(np.asarray(pixels, np.float32)), cache=_cache) as r:
        return r.render(Sweep((make_step("noise", values),)))


# ---------------------------------------------------------------- texture


def _materials() -> dict[str, np.ndarray]:
    """Six textures (SIDE, SIDE) of mean 0 and deviation 1, with periods of 2 to 8 px and more."""
    y, x = np.mgrid[:SIDE, :SIDE].astype(float)
    rng = np.random.default_rng(11)
    strand = np.sin(2 * np.pi * (x + 0.8 * y) / 7 + 1.2 * np.sin(2 * np.pi * (x - y) / 28))
    grain = ndi.gaussian_filter(rng.normal(size=(SIDE, SIDE)), (14, 0.9))
    letters = rng.random((9, 5, 4)) < 0.55
    marks = np.zeros((SIDE // 2, SIDE // 2))
    for row in range(0, SIDE // 2 - 5, 8):
        for column in range(0, SIDE // 2 - 4, 5):
            marks[row : row + 5, column : column + 4] = letters[rng.integers(len(letters))]
    marks = np.repeat(np.repeat(marks, 2, 0), 2, 1)
    found = {
        "rope": strand,
        "ribs": np.sin(2 * np.pi * (x + 0.3 * y) / 6.5),
        "wood": grain,
        "print": ndi.gaussian_filter(marks, 0.6),
        "stone": ndi.gaussian_filter(rng.normal(size=(SIDE, SIDE)), 1.4),
        "felt": ndi.gaussian_filter(rng.normal(size=(SIDE, SIDE)), 1.0),
    }
    return {n: (t - t.mean()) / t.std() for n, t in found.items()}


@pytest.fixture(scope="module")
def textures() -> tuple[np.ndarray, np.ndarray]:
    """Truth and result: a flat strip above, and each material at just two sigma of the noise of its brightness."""
    level = 0.45
    light = float(decode(np.array(level)))
    photons, balance = 250.0, np.array([2.0, 1.0, 1.6])
    slope = (float(encode(light * 1.01)) - level) / (0.01 * light)
    noise = slope * np.sqrt((light / balance + 9 / photons) / photons) * balance
    truth = np.full((3 * SIDE, 3 * SIDE, 3), level)
    for n, texture in enumerate(_materials().values()):
        at = np.s_[SIDE * (1 + n // 3) : SIDE * (2 + n // 3), SIDE * (n % 3) : SIDE * (n % 3 + 1)]
        truth[at] += 2 * float(LUMA @ noise) * texture[..., None]
    truth = np.clip(truth, 0.02, 0.98)
    noisy = np.asarray(develop(expose(decode(truth), 4)), np.float32)
    return truth, clean_up(noisy)


@pytest.mark.parametrize("name", STRUCTURED + UNSTRUCTURED)
def test_texture_of_two_sigma_is_kept(textures: tuple[np.ndarray, np.ndarray], name: str) -> None:
    n = (STRUCTURED + UNSTRUCTURED).index(name)
    at = np.s_[SIDE * (1 + n // 3) + 10 : SIDE * (2 + n // 3) - 10, SIDE * (n % 3) + 10 : SIDE * (n % 3 + 1) - 10]
    t, r = (luma(p) for p in textures)
    t, r = ((p - ndi.uniform_filter(p, 9))[at] for p in (t, r))
    assert float((t * r).sum() / (t * t).sum()) >= (0.9 if name in STRUCTURED else 0.7)


# ---------------------------------------------------------------- colour and brightness


def _mean_error(truth: np.ndarray, result: np.ndarray, at: np.ndarray) -> np.ndarray:
    return 255 * (result - truth)[at].mean(0)


def test_no_colour_cast_on_flat_parts() -> None:
    """Greys from black up, two stops under: the mean of each channel stays, pooled over more than 100 000 px."""
    greys = np.array([2, 4, 9, 12, 16, 24, 40, 60, 90]) / 255
    truth = np.broadcast_to(np.repeat(greys, 96)[None, :, None], (560, 96 * len(greys), 3))
    result = clean_up(develop(expose(decode(truth), 6)))
    bright = truth[..., 0] >= 8 / 255
    assert bright.sum() > 100_000
    assert np.abs(_mean_error(truth, result, bright)).max() < 0.5
    assert np.abs(_mean_error(truth, result, ~bright)).max() < 2


def test_colour_stays_on_its_side_of_a_saturated_edge() -> None:
    truth, noisy = noisy_b(desk(400, 560))
    result = clean_up(noisy)
    for side in (np.s_[158:204, 286:292], np.s_[158:204, 268:274], np.s_[200:206, 290:370], np.s_[214:220, 290:370]):
        assert np.abs((result - truth)[side].mean((0, 1))).max() < 0.012


# ---------------------------------------------------------------- blotches


def _blotchy(deviation: float = 5 / 255) -> tuple[np.ndarray, np.ndarray]:
    """The desk with colour noise of about 20 px on top of its own, stronger in the dark; and its truth."""
    truth, noisy = noisy_b(desk(400, 560))
    blobs = ndi.gaussian_filter(np.random.default_rng(3).normal(size=(2, 400, 560)), (0, 4, 4))
    blobs *= deviation / blobs.std() * np.clip(1 - 4 * luma(truth), 0.3, 1)
    return truth, np.clip(noisy + np.tensordot(blobs, opponent_matrix(3)[1:], (0, 0)), 0, 1).astype(np.float32)


def _coarse_colour(pixels: np.ndarray, truth: np.ndarray, at: tuple[slice, slice]) -> float:
    error = ndi.uniform_filter(pixels - truth, (5, 5, 0))[at] @ opponent_matrix(3)[1:].T
    return 255 * float(np.std(error, axis=(0, 1)).mean())


def test_blotches_go_and_coloured_edges_do_not_bleed() -> None:
    truth, noisy = _blotchy()
    plain, calm = clean_up(noisy), clean_up(noisy, blotches=32)
    wall = np.s_[14:82, 14:136]
    assert _coarse_colour(calm, truth, wall) < 0.5 * _coarse_colour(plain, truth, wall)
    for side in (np.s_[158:204, 286:296], np.s_[158:204, 264:274]):
        before, after = (np.abs((p - truth)[side].mean((0, 1))).max() for p in (plain, calm))
        assert after < before + 0.01
    assert np.abs(luma(calm) - luma(plain)).mean() < 0.5 / 255


def test_blotches_go_from_blacks_that_noise_was_clipped_in() -> None:
    light = np.zeros((240, 240, 3)) + decode(np.array([2, 10, 25]) / 255).repeat(80)[:, None]
    rng = np.random.default_rng(4)
    blobs = ndi.gaussian_filter(rng.normal(size=light.shape), (5, 5, 0))
    raw = light + rng.normal(0, 0.01, light.shape) + 0.003 * blobs / blobs.std()
    noisy, truth = encode(np.clip(raw, 0, 1)).astype(np.float32), encode(light)
    plain, calm = clean_up(noisy), clean_up(noisy, blotches=40)
    for column in (0, 80, 160):
        area = np.s_[20:220, column + 15 : column + 65]
        assert _coarse_colour(calm, truth, area) < 0.5 * _coarse_colour(plain, truth, area)


def test_blotches_come_out_the_same_however_the_picture_is_cut(monkeypatch: pytest.MonkeyPatch) -> None:
    _, noisy = _blotchy()
    whole = clean_up(noisy[:200, :300], blotches=12)
    monkeypatch.setattr("dustpan.core.render.renderer.AT_ONCE", 0)
    with Renderer(from_array(noisy[:200, :300]), threads=1) as r:
        tiled = r.render(Sweep((make_step("noise", {"blotches": 12}),)))
    assert np.abs(tiled - whole).max() <= 1 / 2048


def test_a_mono_picture_has_no_blotches() -> None:
    _, noisy = noisy_b(desk())
    grey = np.ascontiguousarray(noisy[..., 1:2])
    assert np.array_equal(clean_up(grey, blotches=20), clean_up(grey))


# ---------------------------------------------------------------- other pictures


def test_values_above_white_pass_through() -> None:
    _, noisy = noisy_b(desk())
    bright = np.clip(noisy, 0.01, 0.99)
    bright[40:60, 40:60] = 1.7
    result = clean_up(bright)
    assert result[45:55, 45:55] == pytest.approx(1.7, abs=0.02)
    assert np.isfinite(result).all()


@pytest.mark.parametrize("factor", [0.25, 0.5])
def test_a_darker_scene_linear_picture_has_the_print_of_its_scale(factor: float) -> None:
    """Half the light and half the noise: sigma at half the linear level is half as large, in linear values."""
    light = decode(desk(400, 560)) * 0.5 + 0.05
    noisy = light + np.random.default_rng(8).normal(size=light.shape) * np.sqrt(light * 0.0012)
    levels = np.array([0.1, 0.2, 0.35])
    whole, part = (measure(encode(np.clip(k * noisy, 0, 1)).astype(np.float32)) for k in (1.0, factor))

    def linear_sigma(found: object, at: np.ndarray) -> np.ndarray:
        stored = encode(at)
        slope = (encode(at * 1.001) - stored) / (0.001 * at)
        return found.channel_sigma(stored).mean(0) / slope  # type: ignore[attr-defined]

    assert linear_sigma(part, factor * levels) == pytest.approx(factor * linear_sigma(whole, levels), rel=0.08)


def test_cleaning_a_second_time_finds_little_left() -> None:
    truth, noisy = noisy_b(desk(400, 560))
    once = clean_up(noisy)
    twice = clean_up(once)
    assert np.sqrt(np.mean((twice - once) ** 2)) < 0.35 * np.sqrt(np.mean((noisy - once) ** 2))
    assert np.sqrt(np.mean((twice - truth) ** 2)) < 1.1 * np.sqrt(np.mean((once - truth) ** 2))


@pytest.mark.parametrize(("amount", "word"), [(0.0, "pixel by pixel"), (0.7, "sharpening"), (-0.8, "earlier cleaning")])
def test_the_print_says_what_was_done_before(amount: float, word: str) -> None:
    """Sharpened or smoothed before: the print says so, and the noise goes all the same."""
    truth, noisy = desk(400, 560), desk(400, 560) + np.random.default_rng(2).normal(0, 12 / 255, (400, 560, 3))

    def done_before(p: np.ndarray) -> np.ndarray:
        if amount < 0:
            return ndi.gaussian_filter(p, (-amount, -amount, 0))
        return p + amount * (p - ndi.gaussian_filter(p, (1, 1, 0)))

    given = np.clip(done_before(noisy), 0, 1).astype(np.float32)
    assert word in measure(given).sentence()
    wall = np.s_[14:82, 14:136]
    error = [np.std((p - done_before(truth))[wall]) for p in (given, clean_up(given))]
    assert error[1] < 0.3 * error[0]


# ---------------------------------------------------------------- gradients


def _unevenness(pixels: np.ndarray) -> float:
    """What of the luma is finer than about 8 px, in a picture that has nothing so fine."""
    plane = luma(pixels)[16:-16, 16:-16]
    return float(np.std(plane - ndi.gaussian_filter(plane, 3)))


def test_gradients_in_correlated_noise_come_out_smooth(monkeypatch: pytest.MonkeyPatch) -> None:
    y, x = np.mgrid[:240, :320]
    shade = 0.35 + 0.12 * np.sin(x / 31) * np.cos(y / 43)
    truth, noisy = noisy_c(np.stack([shade, 0.85 * shade, 0.7 * shade], -1))
    plan = PLANS[Quality.EXACT]
    smooth = clean_up(noisy)
    monkeypatch.setitem(PLANS, Quality.EXACT, replace(plan, evened=False))
    with Renderer(from_array(noisy)) as r:
        outlined = r.render(Sweep((make_step("noise"),)))
    assert _unevenness(smooth) < 0.55 * _unevenness(outlined)
    assert _unevenness(smooth) < 0.05 * _unevenness(noisy)
    assert np.mean((smooth - truth) ** 2) < 0.9 * np.mean((outlined - truth) ** 2)
