"""Stripes are taken out where they are proven, and nothing else is touched."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from dustpan.core.colour import decode, encode, luma
from dustpan.core.defects.stripes import STRIPES
from dustpan.core.picture import Depth, Kind, Picture, Sensor, from_array
from dustpan.core.region import Region
from dustpan.core.render.renderer import Renderer
from dustpan.core.steps import finder_of, step_kind
from dustpan.core.sweep import Sweep, make_step
from dustpan.demo.raw_camera import RGGB, Exposure, counts, seen
from tests.scenes import desk, noisy_b, noisy_c

TAKE = Sweep((make_step("stripes"),))


def scene() -> np.ndarray:
    rng = np.random.default_rng(3)
    return (0.05 + 0.85 * desk(288, 400) + rng.normal(0, 0.012, (288, 400, 3))).astype(np.float32)


def pattern(height: int, strength: float) -> np.ndarray:
    """Rows as focus pixels write them, of this sigma in 255ths, strongest on the left."""
    rows = np.isin(np.arange(height) % 12, (0, 1, 5)).astype(float)
    return strength / 255 * ((rows - rows.mean()) / rows.std())[:, None] * np.linspace(1, 0.3, 400)


def left(result: np.ndarray, clean: np.ndarray, added: np.ndarray) -> float:
    """The share of what was added that is still there."""
    return float(((luma(result) - luma(clean)) * added).sum() / (added**2).sum())


@pytest.mark.slow
@pytest.mark.parametrize("strength", [2.0, 4.0])
@pytest.mark.parametrize("turned", [False, True])
def test_rows_and_columns_are_taken_out(strength: float, turned: bool) -> None:
    clean, added = scene(), pattern(288, strength)
    striped = (clean + added[..., None]).astype(np.float32)
    turn = (1, 0, 2) if turned else (0, 1, 2)
    picture = from_array(np.ascontiguousarray(striped.transpose(turn)))
    with Renderer(picture) as r:
        result = r.render(TAKE).transpose(turn)
    assert abs(left(result, clean, added)) < (0.8 if strength < 3 else 0.55)  # ribs and print hide the weak ones
    rest = luma(result - clean) - left(result, clean, added) * added
    assert np.sqrt(np.mean(rest**2)) < 0.6 * strength / 255


@pytest.mark.parametrize("made", [desk, lambda: scene(), lambda: noisy_b(desk())[1], lambda: noisy_c(desk())[1]])
def test_a_picture_without_stripes_is_untouched(made) -> None:
    picture = from_array(np.asarray(made(), np.float32))
    with Renderer(picture) as r:
        assert np.array_equal(r.render(TAKE), picture.pixels)


def test_banding_that_all_of_a_row_shares_is_taken_out() -> None:
    rng = np.random.default_rng(5)
    smooth = (0.3 + 0.2 * np.linspace(0, 1, 400)[None, :, None] + rng.normal(0, 0.01, (300, 400, 1))).astype(np.float32)
    offsets = rng.normal(0, 2 / 255, 300).astype(np.float32)
    picture = from_array(smooth + offsets[:, None, None])
    with Renderer(picture) as r:
        result = r.render(TAKE)
    assert np.std((result - smooth).mean((1, 2))) < 0.5 * np.std(offsets)


@pytest.mark.slow
def test_a_strong_subject_is_asked_about(tmp_path) -> None:
    y = np.arange(320)[:, None, None]
    fence = (0.4 + 0.12 * np.sin(2 * np.pi * y / 10) + np.zeros((1, 380, 3))).astype(np.float32)
    fence += np.random.default_rng(2).normal(0, 0.005, fence.shape).astype(np.float32)
    picture = from_array(fence)
    with Renderer(picture) as r:
        assert np.array_equal(r.render(TAKE), picture.pixels)
        wished = r.render(Sweep((make_step("stripes", {"strong": True}),)))
        kind = step_kind("stripes")
        told = kind.hits({STRIPES: r.fact(STRIPES, Sweep())}, kind.params())
    assert told.proven is False
    assert told.asks == "strong: look first"
    assert np.std(wished.mean((1, 2))) < 0.3 * np.std(fence.mean((1, 2)))


@pytest.mark.slow
def test_on_a_sensors_samples() -> None:
    taken = Exposure(20000, 0)
    light = np.broadcast_to(np.linspace(0.2, 0.5, 420)[None, :, None], (300, 420, 3))
    clean = seen(light, taken)
    added = (np.arange(300) % 12 == 5)[:, None] * 0.02
    stored = (counts(clean + added * clean, taken, 2).astype(float) - taken.black) / (taken.white - taken.black)
    sensor = Sensor(RGGB, ("red", "green", "blue"))
    picture = Picture(np.asarray(encode(stored)[..., None], np.float32), Kind.MOSAIC, Depth.SIXTEEN, sensor=sensor)
    with Renderer(picture) as r:
        found = r.fact(STRIPES, Sweep())
        result = r.render(TAKE)
    assert found.rows.power > 25
    assert not found.columns.lines[0]
    before, after = (
        (decode(p[..., 0].astype(float)) - clean)[(np.arange(300) % 12 == 5)].mean() for p in (picture.pixels, result)
    )
    assert abs(after) < 0.5 * before


@pytest.mark.slow
def test_what_is_told_and_how_it_is_cut() -> None:
    striped = from_array((scene() + pattern(288, 3)[..., None]).astype(np.float32))
    finder = finder_of(step_kind("stripes"))
    assert finder is not None
    with Renderer(striped) as r:
        hits = finder.hits({fact: r.fact(fact, Sweep()) for fact in finder.facts})
        whole = r.render(TAKE)
        part = Region(33, 60, 190, 301)
        assert np.array_equal(r.render(TAKE, part), whole[part.slices()])
    assert hits.as_json()["proven"] is True
    assert hits.curve is not None
    assert hits.curve[1].max() > 25
    with Renderer(replace(striped, pixels=scene())) as r:
        assert finder.hits({fact: r.fact(fact, Sweep()) for fact in finder.facts}).proven is False
