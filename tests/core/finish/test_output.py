"""Made smaller in light, and sharpened by what that and the output take away, within the halo limits."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from benchmarks.common import photograph
from hypothesis import given
from hypothesis import strategies as st

from dustpan.core.curve import SRGB
from dustpan.core.errors import WrongUse
from dustpan.core.files import open_picture, save_picture
from dustpan.core.finish.output import Output, Use, filter_for, made_for, made_smaller, output_from_json, sharpened
from dustpan.core.jobs.one import State, Task, run
from dustpan.core.jobs.preview import preview
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.sharpen.halo_guard import local_range
from dustpan.core.sweep import Sweep

SCENE = photograph("coffee").astype(np.float32)
SMALL, PRINT = Output(300, Use.SCREEN), Output(300, Use.PRINT, 12, 0.05)


@given(st.integers(1, 5000), st.integers(1, 5000), st.integers(0, 6000))
def test_the_longest_side_is_what_was_wished_and_nothing_is_made_larger(h: int, w: int, longest: int) -> None:
    made = Output(longest).size((h, w))
    assert all(1 <= a <= b for a, b in zip(made, (h, w), strict=True))
    if 16 <= longest < max(h, w):
        assert max(made) == longest
    if longest == 0 or longest >= max(h, w):
        assert made == (h, w)


def test_light_is_kept_when_it_is_made_smaller() -> None:
    small = made_smaller(SCENE, Output(200).size(SCENE.shape[:2]), SRGB)
    assert SRGB.decode(small).mean() == pytest.approx(SRGB.decode(SCENE).mean(), rel=2e-3)
    checks = np.tile(np.float32([[0, 1], [1, 0]]), (50, 50))[..., None]
    assert made_smaller(checks, (50, 50), SRGB).mean() == pytest.approx(SRGB.encode(0.5), abs=1e-3)


def response(taps: np.ndarray, f: float) -> float:
    return float(np.real(taps.sum(0) @ np.exp(-2j * np.pi * f * (np.arange(len(taps)) - len(taps) // 2))))


@pytest.mark.parametrize(("reduced", "soft"), [(True, 0.0), (False, 0.5), (True, 0.5)])
def test_what_is_lost_is_brought_back_where_it_can_be(reduced: bool, soft: float) -> None:
    taps = filter_for(reduced, soft)
    assert response(taps, 0) == pytest.approx(1, abs=1e-5)
    for f in (0.1, 0.2, 0.25):
        left = (np.sinc(f) if reduced else 1) * np.exp(-((2 * np.pi * f * soft) ** 2) / 2)
        assert abs(left * response(taps, f) - 1) < abs(left - 1) + 1e-6
    assert all(0.3 < response(taps, f) < 3.1 for f in np.linspace(0, 0.5, 21))


@pytest.mark.parametrize(("output", "limit"), [(SMALL, 0.02), (PRINT, 0.08)])
def test_sharpening_stays_within_its_halo_limits_and_leaves_colours_alone(output: Output, limit: float) -> None:
    small = made_smaller(SCENE, output.size(SCENE.shape[:2]), SRGB)
    done = sharpened(small, output, True, None)
    own, out = (p @ np.float32([0.2126, 0.7152, 0.0722]) for p in (small, done))
    low, high = local_range(np.ascontiguousarray(own))
    over = np.maximum(out - high, low - out) - limit * (high - low)
    assert over.max() < 1e-5
    assert np.std(out) > np.std(own)
    assert np.ptp(done - small, axis=2).max() < 1e-5


def test_as_it_is_changes_nothing() -> None:
    picture = from_array(SCENE)
    assert made_for(picture, Output(), None) is picture
    assert not Output().changes
    assert Output().as_json() == {}
    assert sharpened(SCENE, Output(200), True, None) is SCENE


def test_a_file_is_written_at_its_size_with_its_facts(tmp_path: Path) -> None:
    source, target = tmp_path / "a.png", tmp_path / "b.tif"
    save_picture(from_array((255 * SCENE).astype(np.uint8)), source)
    task = Task(str(source), str(target), Sweep().as_json(), output=SMALL.as_json())
    assert run(task).state is State.DONE
    written = open_picture(target)
    assert max(written.size) == 300
    with Renderer(open_picture(source)) as r:
        plain, sharp = preview(r, Sweep(), SMALL, (200, 300), (120, 200))
    assert plain.shape == sharp.shape == (120, 200)
    assert (plain != sharp).any()


@pytest.mark.parametrize("raw", [{"longest": -1}, {"use": "poster"}, {"per_mm": 0}, {"spread": 2}, {"other": 1}])
def test_what_makes_no_sense_is_refused(raw: dict) -> None:
    with pytest.raises(WrongUse):
        output_from_json(raw)
