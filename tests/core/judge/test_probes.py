from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage as ndi

from dustpan.core.colour import luma
from dustpan.core.errors import Cancelled
from dustpan.core.judge.placing import place
from dustpan.core.judge.probe_figures import Figure, figures
from dustpan.core.judge.probes import FLAT_ROLES, MOST, SIDE, Probe, Role, probe_from_json, with_found
from dustpan.core.noise.measure import measure
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.stars import find_stars
from dustpan.core.sweep import Sweep, make_step
from tests.scenes import noisy_b

pytestmark = pytest.mark.slow

PATCH, COLUMNS, ROWS = 160, 5, 4
TONES = (0.25, 0.5, 0.9)


def quilt(seed: int) -> tuple[np.ndarray, np.ndarray]:
    """A quilt of flat, shaded, ribbed and felted patches in any order, and which kind each patch is (f, s, r, t)."""
    rng = np.random.default_rng(seed)
    kinds = np.array(list("ffffffssssssrrrttsss"))
    rng.shuffle(kinds)
    kinds = kinds.reshape(ROWS, COLUMNS)
    out = np.empty((ROWS * PATCH, COLUMNS * PATCH, 3))
    y, x = np.mgrid[0:PATCH, 0:PATCH]
    flat_tones = iter(np.resize(TONES, 6))
    for i in range(ROWS):
        for j in range(COLUMNS):
            tint = 1 + 0.1 * rng.normal(size=3)
            angle = rng.uniform(0, np.pi)
            along = np.cos(angle) * x + np.sin(angle) * y
            if kinds[i, j] == "f":
                plane = np.full((PATCH, PATCH), next(flat_tones))
            elif kinds[i, j] == "s":
                plane = 0.35 + 0.25 * np.sin(along / 26 + 3 * rng.random())
            elif kinds[i, j] == "r":
                plane = 0.5 + 0.3 * np.sin(along * 2 * np.pi / rng.uniform(4.5, 7))
            else:
                plane = np.clip(0.5 + 0.5 * ndi.gaussian_filter(rng.normal(size=(PATCH, PATCH)), 0.9), 0, 1)
            place_ = (slice(i * PATCH, (i + 1) * PATCH), slice(j * PATCH, (j + 1) * PATCH))
            out[place_] = np.clip(plane[..., None] * tint, 0, 1)
    return out, kinds


def kind_at(kinds: np.ndarray, p: Probe) -> str:
    return str(kinds[min(p.y // PATCH, ROWS - 1), min(p.x // PATCH, COLUMNS - 1)])


@settings(max_examples=12)
@given(st.integers(0, 10_000))
def test_flat_where_flat_and_texture_where_texture(seed: int) -> None:
    clean, kinds = quilt(seed)
    truth, noisy = noisy_b(clean, seed)
    found = {p.role: p for p in place(noisy, measure(noisy))}
    assert list(found) == [Role.DARK_FLAT, Role.MIDDLE_FLAT, Role.BRIGHT_FLAT, Role.TEXTURE, Role.EDGE]
    assert kind_at(kinds, found[Role.TEXTURE]) in "rt"
    for role in FLAT_ROLES[:3]:
        p = found[role]
        inner = truth[p.region(truth.shape[:2]).slices()].mean(-1)
        assert inner.std() < 0.02, role
    levels = [truth[found[r].y, found[r].x].mean() for r in FLAT_ROLES[:3]]
    assert levels == sorted(levels)
    edge = found[Role.EDGE]
    around = truth[edge.region(truth.shape[:2], 14).slices()].mean(-1)
    assert np.ptp(around) > 0.15


def star_field(seed: int = 0) -> tuple[np.ndarray, np.ndarray]:
    """A noisy sky with a faint cloud and 150 stars; and the stars' places, brightest first."""
    rng = np.random.default_rng(seed)
    h, w = 500, 700
    y, x = np.mgrid[0:h, 0:w].astype(float)
    sky = 0.06 + 0.06 * np.exp(-((x - 450) ** 2 + (y - 300) ** 2) / 90**2)
    at = np.stack([rng.uniform(15, h - 15, 150), rng.uniform(15, w - 15, 150)], 1)
    flux = np.sort(rng.pareto(1.2, 150) * 0.15 + 0.15)[::-1]
    for (sy, sx), f in zip(at, flux, strict=True):
        sky += np.minimum(f, 2) * np.exp(-((x - sx) ** 2 + (y - sy) ** 2) / (2 * 1.5**2))
    colour = sky[..., None] * np.array([0.95, 1.0, 1.05])
    return np.clip(colour + rng.normal(0, 0.012, colour.shape), 0, 1).astype(np.float32), at


def test_a_star_field_has_probes_of_its_own() -> None:
    field, at = star_field()
    found = {p.role: p for p in place(field, measure(field))}
    assert list(found) == [Role.SKY, Role.FAINT, Role.SMALL_STAR, Role.BRIGHT_STAR, Role.CORNER]
    for role in (Role.SMALL_STAR, Role.BRIGHT_STAR, Role.CORNER):
        p = found[role]
        assert np.abs(at - (p.y, p.x)).max(1).min() < 2
    assert abs(found[Role.FAINT].x - 450) < 120
    assert abs(found[Role.FAINT].y - 300) < 120
    brightness = [field[found[r].y, found[r].x].mean() for r in (Role.SMALL_STAR, Role.BRIGHT_STAR)]
    assert brightness[0] < brightness[1]
    corner = found[Role.CORNER]
    assert min(corner.y, 500 - corner.y) < 190
    assert min(corner.x, 700 - corner.x) < 190


def test_ordinary_pictures_are_no_star_fields(clean: np.ndarray, noisy: np.ndarray) -> None:
    for picture in (clean.astype(np.float32), noisy):
        assert find_stars(luma(picture)) is None


@pytest.mark.parametrize("shape", [(1, 1, 3), (60, 900, 1), (95, 95, 3)])
def test_a_small_picture_has_one_probe_in_its_middle(shape: tuple) -> None:
    pixels = np.full(shape, 0.4, np.float32)
    assert place(pixels, measure(pixels)) == (Probe(Role.OWN, shape[0] // 2, shape[1] // 2),)


@pytest.mark.parametrize("size", [(120, 160), (240, 320), (288, 400)])
def test_probes_of_a_small_picture_are_small(size: tuple[int, int]) -> None:
    _, noisy = noisy_b(quilt(3)[0][: size[0], : size[1]])
    found = place(noisy, measure(noisy))
    assert len(found) > 1
    for probe in found:
        region = probe.region(size)
        assert region.within(size) == region
        assert max(region.height, region.width) <= max(min(size) / 5, 32)


@settings(max_examples=12)
@given(st.integers(0, 10_000))
def test_a_place_with_a_star_is_not_called_flat(seed: int) -> None:
    """Too few stars to make a star field, on a sky that is flat all over."""
    rng = np.random.default_rng(seed)
    h, w = 240, 320
    y, x = np.mgrid[0:h, 0:w]
    sky, at = np.full((h, w), 0.2), np.stack([rng.uniform(8, h - 8, 14), rng.uniform(8, w - 8, 14)], 1)
    for sy, sx in at:
        sky = sky + rng.uniform(0.25, 0.7) * np.exp(-((y - sy) ** 2 + (x - sx) ** 2) / (2 * 1.3**2))
    noisy = np.clip(sky[..., None] + rng.normal(0, 0.015, (h, w, 3)), 0, 1).astype(np.float32)
    assert find_stars(luma(noisy)) is None
    flat = [p for p in place(noisy, measure(noisy)) if p.role in FLAT_ROLES]
    assert flat
    for probe in flat:
        r = probe.region((h, w))
        inside = (at[:, 0] > r.y0 + 1) & (at[:, 0] < r.y1 - 2) & (at[:, 1] > r.x0 + 1) & (at[:, 1] < r.x1 - 2)
        assert not inside.any()


def test_a_blank_picture_has_no_texture_and_no_edge() -> None:
    pixels = np.full((400, 400, 3), 0.4, np.float32)
    roles = {p.role for p in place(pixels, measure(pixels))}
    assert Role.TEXTURE not in roles
    assert Role.EDGE not in roles


@given(st.integers(0, 3000), st.integers(0, 3000))
def test_a_probe_shows_a_patch_inside_the_picture(y: int, x: int) -> None:
    region = Probe(Role.OWN, y, x).region((1000, 1500))
    assert region.within((1000, 1500)) == region
    assert (region.height, region.width) == (SIDE, SIDE)


def test_probes_survive_their_json_and_nonsense_is_dropped() -> None:
    for role in Role:
        assert probe_from_json(Probe(role, 3, 4).as_json()) == Probe(role, 3, 4)
    for raw in (
        {},
        {"role": "moon", "y": 1, "x": 1},
        {"role": "own", "y": -1, "x": 2},
        {"role": "own", "y": "a", "x": 2},
    ):
        assert probe_from_json(raw) is None


def test_each_role_has_its_figure() -> None:
    clean, _ = quilt(3)
    noisy = noisy_b(clean, 3)[1]
    found = place(noisy, measure(noisy))
    with Renderer(from_array(noisy)) as r:
        after = r.render(Sweep((make_step("noise"),)))
    texts = {}
    for p in found:
        part = p.region(noisy.shape[:2]).slices()
        texts[p.role] = figures(p, noisy[part], after[part], after[part], measure(noisy))
    assert all(texts[r][0].name == "noise left" and texts[r][0].value < 35 for r in FLAT_ROLES[:3])
    assert texts[Role.TEXTURE][0].name == "texture kept"
    assert texts[Role.TEXTURE][0].value > 60
    assert texts[Role.EDGE][0].name == "rim"
    assert Figure("rim", 1.26).text() == "rim 1.3 %"
    assert Figure("noise left", None).text() == "noise left –"


@pytest.mark.parametrize("most", [1, 8, 40])
def test_placing_looks_often_whether_it_is_called_off(noisy: np.ndarray, most: int) -> None:
    left = iter(range(most))

    def check() -> None:
        if next(left, None) is None:
            raise Cancelled

    with pytest.raises(Cancelled):
        place(noisy, measure(noisy), check)


def test_a_probe_on_what_was_found_moves_and_gives_way_to_no_other_place() -> None:
    five = tuple(Probe(r, 5, 5) for r in (Role.DARK_FLAT, Role.MIDDLE_FLAT, Role.BRIGHT_FLAT, Role.TEXTURE, Role.EDGE))
    found = with_found(five, 40, 50)
    assert len(found) == MOST
    assert [p.role for p in found if p not in five] == [Role.FOUND]
    assert Role.BRIGHT_FLAT not in [p.role for p in found]
    again = with_found(found, 7, 8)
    assert [(p.y, p.x) for p in again if p.role is Role.FOUND] == [(7, 8)]
    own = tuple(Probe(Role.OWN, n, n) for n in range(MOST))
    assert with_found(own, 1, 2) == own  # a person's places stay
