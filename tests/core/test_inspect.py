from __future__ import annotations

import numpy as np
import pytest

from dustpan.core.colour import decode, luma
from dustpan.core.inspect import Look, Mode, view
from dustpan.core.noise.measure import measure


@pytest.fixture
def sides() -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(1)
    before = rng.random((30, 40, 3)).astype(np.float32)
    return before, (before * np.float32(0.9)).astype(np.float32)


def test_the_picture_itself_is_handed_on(sides: tuple) -> None:
    assert view(Look(), *sides) is sides[1]


@pytest.mark.parametrize("mode", Mode)
@pytest.mark.parametrize("channels", [1, 3])
def test_every_mode_shows_something_for_every_kind(mode: Mode, channels: int, sides: tuple) -> None:
    shown = view(Look(mode), *(p[..., :channels] for p in sides))
    assert shown.shape[:2] == (30, 40)
    assert np.isfinite(shown).all()


def test_luminance_has_no_colour_and_colour_no_luminance(sides: tuple) -> None:
    grey = view(Look(Mode.LUMINANCE), *sides)
    assert np.ptp(grey, axis=2).max() == 0
    assert luma(view(Look(Mode.COLOUR), *sides)) == pytest.approx(np.full((30, 40), 0.5), abs=1e-5)


def test_channels(sides: tuple) -> None:
    for k, mode in enumerate((Mode.RED, Mode.GREEN, Mode.BLUE)):
        assert np.array_equal(view(Look(mode), *sides)[..., 1], sides[1][..., k])


def test_pushed_shadows_are_brighter_by_the_ev_that_is_said(sides: tuple) -> None:
    dark = sides[1] * np.float32(0.1)
    pushed = view(Look(Mode.SHADOWS, push=3.0), sides[0], dark)
    assert decode(pushed) == pytest.approx(np.minimum(8 * decode(dark), 1), abs=1e-5)


def test_removed_is_amplified_by_the_factor_that_is_said(sides: tuple) -> None:
    shown = view(Look(Mode.REMOVED, factor=4.0), *sides)
    assert shown == pytest.approx(0.5 + 4 * (sides[0] - sides[1]), abs=1e-6)


def test_the_halo_map_marks_rims_and_nothing_else() -> None:
    step = np.repeat(np.where(np.arange(60) < 30, 0.3, 0.7)[None], 40, 0).astype(np.float32)[..., None]
    rim = step.copy()
    rim[:, 30:33] += 0.1
    rim[:, 27:30] -= 0.1
    for shown, coloured in ((view(Look(Mode.HALOS), step, step), 0), (view(Look(Mode.HALOS), step, rim), 6)):
        tinted = np.ptp(shown, axis=2) > 0.1
        assert tinted[20].sum() == coloured


def test_the_wheel_steps_only_what_has_a_setting() -> None:
    assert Look(Mode.SHADOWS).stepped(1).words() == "shadows +2.5 EV"
    assert Look(Mode.REMOVED).stepped(1).words() == "removed ×16"
    assert Look(Mode.RED).stepped(1) == Look(Mode.RED)
    assert all(Look(Mode.REMOVED, factor=64).stepped(1).factor == 64 for _ in range(2))


@pytest.mark.parametrize("mode", Mode)
def test_a_view_of_a_part_is_a_part_of_the_view(mode: Mode) -> None:
    """Tiles are looked at one by one; no seam may show."""
    rng = np.random.default_rng(6)
    before = rng.random((60, 70, 3)).astype(np.float32)
    after = np.clip(before + 0.2 * rng.normal(size=before.shape), 0, 1).astype(np.float32)
    look = Look(mode)
    whole = view(look, before, after)
    r = look.reach
    part = view(look, before[20 - r : 40 + r, 30 - r : 50 + r], after[20 - r : 40 + r, 30 - r : 50 + r])
    assert np.array_equal(part[r : r + 20, r : r + 20], whole[20:40, 30:50])


def test_lost_texture_is_marked_where_it_was_lost_and_not_in_noise() -> None:
    rng = np.random.default_rng(8)
    truth = np.full((160, 320, 3), 0.4, np.float32)
    rope = 0.08 * np.sin(np.arange(160) / 1.1).astype(np.float32)
    truth[:, 160:] += rope[None, :, None]
    noisy = truth + 0.03 * rng.standard_normal(truth.shape).astype(np.float32)
    noise = measure(noisy)
    flat = np.full_like(truth, 0.4)  # everything smoothed away
    look = Look(Mode.LOST)
    marked = view(look, noisy, flat, noise)
    kept = view(look, noisy, truth, noise)
    inside = slice(look.reach, -look.reach)
    sharper = truth + 0.8 * (truth - 0.4)
    amber = [np.ptp(p, axis=2)[inside] for p in (marked, kept, view(look, noisy, sharper, noise))]
    assert amber[0][:, 190:300].mean() > 0.5
    assert amber[0][:, 20:140].mean() < 0.12
    assert amber[1].mean() < 0.12
    assert amber[2].mean() < 0.15  # more than there was is not lost
