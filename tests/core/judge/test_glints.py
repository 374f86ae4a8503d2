"""Glints and fine scratches are found on renders, and how much of them is kept is told."""

from __future__ import annotations

import numpy as np
import pytest

from dustpan.core.colour import luma
from dustpan.core.defects.fireflies import FIREFLIES
from dustpan.core.judge.glints import brightest_glint, glint_kept, lines_kept, most_lines
from dustpan.core.judge.placing import place
from dustpan.core.judge.probe_figures import figures
from dustpan.core.judge.probes import Role
from dustpan.core.judge.suggest import suggest, with_strengths
from dustpan.core.noise.measure import NOISE_PRINT, measure
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step
from tests.renders import GLINTS, LINES, made, picture, with_flies

SCENE = made(0.15)
FLIES, _ = with_flies(SCENE.draw(1))


def test_the_clearest_glint_is_no_firefly() -> None:
    encoded = luma(picture(FLIES).pixels)
    found = brightest_glint(encoded)
    assert found is not None
    assert min(np.hypot(found[0] - y, found[1] - x) for y, x in GLINTS) < 3
    assert brightest_glint(np.full((60, 60), 0.4, np.float32)) is None


def test_scratches_are_where_lines_are() -> None:
    encoded = np.full((200, 260), 0.4, np.float32)
    encoded[120:160:4, 180:230] = 0.6
    encoded += np.random.default_rng(1).normal(0, 0.02, encoded.shape).astype(np.float32)
    noise = measure(np.repeat(encoded[..., None], 3, 2))
    found = most_lines(encoded, noise)
    assert found is not None
    assert 115 < found[0] < 165
    assert 175 < found[1] < 235
    flat = np.random.default_rng(2).normal(0.4, 0.02, (200, 260)).astype(np.float32)
    assert most_lines(flat, noise) is None
    assert most_lines(flat[:50, :50], noise) is None


def test_what_is_kept_is_told_in_percent() -> None:
    light = np.full((60, 60), 0.2, np.float32)
    y, x = np.mgrid[:60, :60]
    light += np.float32(0.6) * np.exp(-0.5 * ((y - 30) ** 2 + (x - 30) ** 2) / 4).astype(np.float32)
    half = (0.2 + 0.5 * (light - 0.2)).astype(np.float32)
    assert glint_kept(light, light) == pytest.approx(100)
    assert glint_kept(light, half) == pytest.approx(50, abs=1)
    assert glint_kept(np.full((60, 60), 0.2), light) is None
    lines = np.full((60, 60), 0.3, np.float32)
    lines[::6] = 0.5
    assert lines_kept(lines, 0.3 + 0.4 * (lines - 0.3), lines) == pytest.approx(40, abs=1)
    assert lines_kept(np.full((60, 60), 0.3), lines, np.full((60, 60), 0.3)) is None


@pytest.mark.slow
def test_probes_of_a_render_know_them() -> None:
    source = picture(FLIES)
    with Renderer(source) as r:
        noise = r.fact(NOISE_PRINT, Sweep())
        probes = place(source.pixels, noise)
        roles = [p.role for p in probes]
        assert Role.GLINT in roles
        assert Role.DARK_FLAT not in roles
        assert len(probes) <= 5
        after = r.render(Sweep((make_step("fireflies"), make_step("noise"))))
    for probe in probes:
        part = probe.region(source.size).slices()
        before, result = (np.ascontiguousarray(p[part]) for p in (source.pixels, after))
        (found, *_) = figures(probe, before, result, result, noise)
        if probe.role is Role.GLINT:
            assert found.name == "glint kept"
            assert found.value is not None
            assert found.value > 90
        if probe.role is Role.SCRATCHES:
            assert found.name == "scratches kept"


@pytest.mark.slow
def test_the_lowest_strength_that_does_it_comes_with_the_fireflies() -> None:
    with Renderer(picture(FLIES)) as r:
        found = suggest(r)
        assert [s.kind.id for s in found.steps] == ["fireflies", "noise"]
        strength = found.steps[1].params.luminance
        assert 0.3 < strength < 1
        y, x = LINES[0]
        after = r.render(found.sweep)
        row = luma(after)[y - 2 : y + 3, x + 5 : x + 35].mean(1)
        before = luma(picture(SCENE.truth).pixels)[y - 2 : y + 3, x + 5 : x + 35].mean(1)
        assert np.ptp(row) > 0.8 * np.ptp(before)
    sweep = with_strengths(Sweep((make_step("noise"),)), found.steps, 0)
    assert [s.kind.id for s in sweep.active] == ["fireflies", "noise"]
    assert sweep.active[1].params.luminance == strength
    assert FIREFLIES.repairs
