from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dustpan.core.colour import decode, luma
from dustpan.core.curve import gamma
from dustpan.core.finish.levels import Levels
from dustpan.core.look import Look, LookKind, look_at
from dustpan.core.looks.all import LOOKS
from dustpan.core.looks.channels import BLUE, COLOUR, GREEN, LUMINANCE, PICTURE, RED
from dustpan.core.looks.exposure import EXPOSURE
from dustpan.core.looks.file_pass import FILE_PASS
from dustpan.core.looks.halos import HALOS
from dustpan.core.looks.lost import LOST_TEXTURE
from dustpan.core.looks.mask import MASK
from dustpan.core.looks.noise_map import NOISE_MAP
from dustpan.core.looks.removed import REMOVED
from dustpan.core.looks.shadows import SHADOWS
from dustpan.core.noise.measure import NOISE_PRINT, measure
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep
from tests.renders import H, W, made, picture

Sides = tuple[np.ndarray, np.ndarray]


@pytest.fixture
def sides() -> Sides:
    rng = np.random.default_rng(1)
    before = rng.random((30, 40, 3)).astype(np.float32)
    return before, (before * np.float32(0.9)).astype(np.float32)


def view(kind: LookKind, *given: object, setting: float | None = None, **more: object) -> np.ndarray:
    look = look_at(kind) if setting is None else Look(kind, setting)
    return look.view(*given, **more)  # type: ignore[arg-type]


def test_the_picture_itself_is_handed_on(sides: Sides) -> None:
    assert np.shares_memory(view(PICTURE, *sides), sides[1])
    assert np.array_equal(view(PICTURE, *sides), sides[1])
    assert [k.id for k in LOOKS if look_at(k).plain] == ["picture"]


@pytest.mark.parametrize("kind", [k for k in LOOKS if k not in (PICTURE, MASK)], ids=lambda k: k.id)
@pytest.mark.parametrize("channels", [1, 3])
def test_every_look_shows_something_else_for_every_kind_of_picture(kind: LookKind, channels: int, sides: Sides) -> None:
    before, after = (p[..., :channels] for p in sides)
    look = Look(kind, {EXPOSURE: -1.0}.get(kind, look_at(kind).setting), Levels((0.1,) * 3, 0.3, (0.8,) * 3))
    shown = look.view(before, after, measure(before))
    assert shown.shape[:2] == (30, 40)
    assert np.isfinite(shown).all()
    if channels == 3 or kind in (SHADOWS, REMOVED, HALOS, LOST_TEXTURE):
        assert shown.shape != after.shape or np.abs(shown - after).max() > 1 / 255


def test_luminance_has_no_colour_and_colour_no_luminance(sides: Sides) -> None:
    grey = view(LUMINANCE, *sides)
    assert np.ptp(grey, axis=2).max() == 0
    assert grey[..., 0] == pytest.approx(luma(sides[1]))
    assert luma(view(COLOUR, *sides)) == pytest.approx(np.full((30, 40), 0.5), abs=1e-5)


def test_channels(sides: Sides) -> None:
    for k, kind in enumerate((RED, GREEN, BLUE)):
        assert np.array_equal(view(kind, *sides)[..., 1], sides[1][..., k])


def test_pushed_shadows_are_brighter_by_the_ev_that_is_said_on_the_pictures_own_curve(sides: Sides) -> None:
    dark = sides[1] * np.float32(0.1)
    pushed = view(SHADOWS, sides[0], dark, setting=3.0)
    assert decode(pushed) == pytest.approx(np.minimum(8 * decode(dark), 1), abs=1e-5)
    curve = gamma(1.8)
    pushed = view(SHADOWS, sides[0], dark, setting=3.0, curve=curve)
    assert curve.decode(pushed) == pytest.approx(np.minimum(8 * curve.decode(dark), 1), abs=1e-5)


def test_removed_is_amplified_by_the_factor_that_is_said(sides: Sides) -> None:
    shown = view(REMOVED, *sides, setting=4.0)
    assert shown == pytest.approx(0.5 + 4 * (sides[0] - sides[1]), abs=1e-6)


def test_the_halo_map_marks_rims_and_nothing_else() -> None:
    step = np.repeat(np.where(np.arange(60) < 30, 0.3, 0.7)[None], 40, 0).astype(np.float32)[..., None]
    rim = step.copy()
    rim[:, 30:33] += 0.1
    rim[:, 27:30] -= 0.1
    for shown, coloured in ((view(HALOS, step, step), 0), (view(HALOS, step, rim), 6)):
        tinted = np.ptp(shown, axis=2) > 0.1
        assert tinted[20].sum() == coloured


def test_the_wheel_steps_only_what_has_a_setting() -> None:
    assert look_at(SHADOWS).stepped(1).words() == "shadows +2.5 EV"
    assert look_at(REMOVED).stepped(1).words() == "removed ×16"
    assert look_at(RED).stepped(1) == look_at(RED)
    assert Look(REMOVED, 64).stepped(1).setting == 64


@pytest.mark.parametrize("kind", LOOKS, ids=lambda k: k.id)
@pytest.mark.parametrize("flips", [(False, False), (True, False), (False, True), (True, True)])
def test_a_view_of_a_part_is_a_part_of_the_view(kind: LookKind, flips: tuple[bool, bool]) -> None:
    """Tiles are looked at one by one; no seam may show, whichever way the print turned the picture."""
    rng = np.random.default_rng(6)
    size = 101, 111  # no multiple of a block
    before = rng.random((*size, 3)).astype(np.float32)
    after = np.clip(before + 0.2 * rng.normal(size=before.shape), 0, 1).astype(np.float32)
    noise = replace(measure(before), flips=flips)
    whole = view(kind, before, after, noise)
    for region in (Region(20, 30, 40, 50), Region(0, 0, 33, 17), Region(64, 50, 101, 111)):
        have = region.grown(kind.reach).within(size)
        inside = have.slices()
        part = view(kind, before[inside], after[inside], noise, region=region, have=have, size=size)
        assert part == pytest.approx(whole[region.slices()], abs=1e-5)


def test_lost_texture_is_marked_where_it_was_lost_and_not_in_noise() -> None:
    rng = np.random.default_rng(8)
    truth = np.full((160, 320, 3), 0.4, np.float32)
    rope = 0.08 * np.sin(np.arange(160) / 1.1).astype(np.float32)
    truth[:, 160:] += rope[None, :, None]
    noisy = truth + 0.03 * rng.standard_normal(truth.shape).astype(np.float32)
    noise = measure(noisy)
    flat = np.full_like(truth, 0.4)  # everything smoothed away
    marked = view(LOST_TEXTURE, noisy, flat, noise)
    kept = view(LOST_TEXTURE, noisy, truth, noise)
    inside = slice(12, -12)
    sharper = truth + 0.8 * (truth - 0.4)
    amber = [np.ptp(p, axis=2)[inside] for p in (marked, kept, view(LOST_TEXTURE, noisy, sharper, noise))]
    assert amber[0][:, 190:300].mean() > 0.5
    assert amber[0][:, 20:140].mean() < 0.12
    assert amber[1].mean() < 0.12
    assert amber[2].mean() < 0.15  # more than there was is not lost


def test_the_noise_map_is_brighter_where_noise_is_stronger() -> None:
    scene = made(0.2)
    source = picture(scene.draw(1))
    with Renderer(source) as r:
        noise = r.fact(NOISE_PRINT, Sweep())
    shown = look_at(NOISE_MAP).view(source.pixels, source.pixels, noise)
    assert np.ptp(shown, axis=2).max() == 0
    assert np.corrcoef(shown[..., 0].ravel(), np.log(scene.sigma).ravel())[0, 1] > 0.9
    small = look_at(NOISE_MAP).view(source.pixels[::2, ::2], source.pixels[::2, ::2], noise)
    assert small == pytest.approx(shown[::2, ::2], abs=0.05)
    assert look_at(NOISE_MAP).view(source.pixels, source.pixels, None).max() == 0


def test_passes_of_the_file_are_gone_through() -> None:
    scene = made(0.2)
    source = picture(scene.draw(1))
    depth = np.linspace(2, 900, H * W).reshape(H, W).astype(np.float32)
    albedo, normal = (tuple(p.transpose(2, 0, 1)) for p in (scene.albedo, scene.normal))
    layers = {"albedo": albedo, "normal": normal, "Z": (depth,)}
    look = Look(FILE_PASS, names=tuple(layers))

    def shown(look: Look, step: int = 1) -> np.ndarray:
        pixels = source.pixels[::step, ::step]
        return look.view(pixels, pixels, layers=layers)

    assert look.words() == "pass: albedo"
    assert decode(shown(look)) == pytest.approx(scene.albedo, abs=1e-5)
    assert shown(look.stepped(1)) == pytest.approx((scene.normal + 1) / 2, abs=1e-5)
    assert look.stepped(2).words() == "pass: Z"
    assert shown(look.stepped(-1))[[0, -1], [0, -1], 0] == pytest.approx([0, 1])
    assert look.stepped(3) == look
    assert shown(look, 2) == pytest.approx(shown(look)[::2, ::2])
    none = look_at(FILE_PASS).view(source.pixels, source.pixels)
    assert np.ptp(none) == 0
