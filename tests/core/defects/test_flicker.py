"""Broad bands of lamps are taken out where the colours prove them; nothing else is touched."""

from __future__ import annotations

import numpy as np
import pytest

from dustpan.core.colour import decode, encode
from dustpan.core.defects.stripes import STRIPES
from dustpan.core.picture import Depth, Kind, Picture, Sensor, from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.steps import step_kind
from dustpan.core.sweep import Sweep, make_step
from dustpan.demo.raw_camera import RGGB
from tests.scenes import desk, noisy_b, noisy_c

TAKE = Sweep((make_step("stripes"),))
BY_COLOUR = (0.10, 0.13, 0.18)


def under_lamps(scene: np.ndarray, bands: float, by_colour: tuple[float, ...] = BY_COLOUR) -> np.ndarray:
    """Encoded and rounded to bytes."""
    y = (np.arange(len(scene)) + 0.5) / len(scene)
    gain = np.stack([1 + a * np.cos(2 * np.pi * bands * y + 1) for a in by_colour], -1)[:, None]
    return (np.rint(np.clip(encode(decode(scene) * gain), 0, 1) * 255) / 255).astype(np.float32)


def gain(before: np.ndarray, after: np.ndarray, truth: np.ndarray) -> float:
    """dB."""
    return float(10 * np.log10(np.mean((before - truth) ** 2) / np.mean((after - truth) ** 2)))


@pytest.mark.slow
@pytest.mark.parametrize("bands", [2.6, 3.3, 5.2, 7.7])
@pytest.mark.parametrize("turned", [False, True])
def test_bands_are_proven_and_taken_out(bands: float, turned: bool) -> None:
    scene = desk()
    lit = under_lamps(scene, bands)
    turn = (1, 0, 2) if turned else (0, 1, 2)
    with Renderer(from_array(np.ascontiguousarray(lit.transpose(turn)))) as r:
        found = r.fact(STRIPES, Sweep()).lamps[turned]
        after = r.render(TAKE).transpose(turn)
    assert found.proven
    assert abs(found.bands - bands) < 0.15
    assert gain(lit, after, scene) > 4


@pytest.mark.parametrize("made", [desk, lambda: noisy_b(desk())[1], lambda: noisy_c(desk())[1]])
def test_other_light_is_untouched(made) -> None:
    scene = np.asarray(made(), np.float32)
    fading = scene * np.linspace(0.6, 1, len(scene), dtype=np.float32)[:, None, None]
    grey = under_lamps(scene, 3.3, (0.12, 0.12, 0.12))  # the same in every colour: no proof, whatever it looks like
    for picture in (scene, fading, grey):
        with Renderer(from_array(picture)) as r:
            assert r.fact(STRIPES, Sweep()).lamps == (None, None)
            assert np.array_equal(r.render(TAKE), picture)


def test_what_is_only_likely_asks_first() -> None:
    lit = under_lamps(desk(), 1.8)
    kind = step_kind("stripes")
    assert kind.hits is not None
    with Renderer(from_array(lit)) as r:
        facts = {STRIPES: r.fact(STRIPES, Sweep())}
        assert np.array_equal(r.render(TAKE), lit)
        after = r.render(Sweep((make_step("stripes", {"lamps": "likely"}),)))
    hits = kind.hits(facts, kind.params())
    assert (hits.proven, hits.asks) == (False, "likely lamps: look first")
    assert gain(lit, after, desk()) > 2


def test_they_can_be_left_and_whites_stay_white() -> None:
    scene = desk().copy()
    scene[200:260, 100:300] = 1.0
    lit = under_lamps(scene, 3.3)
    with Renderer(from_array(lit)) as r:
        left = r.render(Sweep((make_step("stripes", {"lamps": "none"}),)))
        after = r.render(TAKE)
    assert np.array_equal(left, lit)
    white = (lit == 1).all(-1)
    assert white.sum() > 1000
    assert (after[white] == 1).all()


def test_samples_of_a_sensor_are_evened_by_their_colour() -> None:
    scene = desk()
    lit = under_lamps(scene, 3.3)
    site = np.asarray(RGGB)[np.arange(len(scene))[:, None] % 2, np.arange(scene.shape[1]) % 2]

    def mosaic(pixels: np.ndarray) -> np.ndarray:
        return np.take_along_axis(pixels, site[..., None], 2)

    picture = Picture(mosaic(lit), Kind.MOSAIC, Depth.SIXTEEN, sensor=Sensor(RGGB, ("red", "green", "blue")))
    with Renderer(picture) as r:
        after = r.render(TAKE)
    assert gain(mosaic(lit), after, mosaic(scene)) > 5
