"""Defect maps keep what was found, in both formats, and are refused where they do not fit."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dustpan.core.defects.defect_map import DefectMap, load_map, save_map
from dustpan.core.errors import FileProblem, WrongUse
from dustpan.core.jobs.mapped import with_map
from dustpan.core.picture import from_array
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step

PLACES = ((5.0, 7.0), (0.0, 0.0), (59.0, 79.0))


@pytest.mark.slow
@given(st.lists(st.tuples(st.integers(0, 59), st.integers(0, 79)), max_size=30), st.sampled_from(["m.json", "m.fits"]))
def test_what_is_saved_is_read(tmp_path_factory: pytest.TempPathFactory, at: list[tuple[int, int]], name: str) -> None:
    found = DefectMap((60, 80), tuple((float(y), float(x)) for y, x in at))
    path = tmp_path_factory.mktemp("map") / name
    save_map(found, path)
    assert load_map(path) == found


@pytest.mark.parametrize("name", ["m.json", "m.fits"])
def test_the_places_are_filled_once_and_nothing_else(tmp_path: Path, name: str) -> None:
    path = tmp_path / name
    save_map(DefectMap((60, 80), PLACES), path)
    pixels = np.full((60, 80, 1), 0.3, np.float32) + np.linspace(0, 0.01, 80, dtype=np.float32)[None, :, None]
    for y, x in PLACES:
        pixels[int(y), int(x)] = 0.9
    picture = from_array(pixels)
    sweep = with_map(Sweep(), load_map(path), picture.size)
    assert with_map(sweep, load_map(path), picture.size) == sweep
    with Renderer(picture) as r:
        changed = np.argwhere((r.render(sweep) != pixels).any(-1))
        assert np.abs(r.render(sweep) - 0.305).max() < 0.03
    assert {tuple(map(float, p)) for p in changed} == set(PLACES)


def test_it_keeps_what_the_step_had(tmp_path: Path) -> None:
    own = make_step("hot-pixels", {"added": ((1.0, 2.0),), "sure": 9})
    sweep = with_map(Sweep((own,)), DefectMap((60, 80), PLACES), (60, 80))
    assert sweep.steps[0].params.added == ((1.0, 2.0), *PLACES)
    assert sweep.steps[0].params.sure == 9


def test_another_size_is_refused() -> None:
    with pytest.raises(WrongUse, match="80 × 60 px, and this one has 60 × 80"):
        with_map(Sweep(), DefectMap((60, 80), PLACES), (80, 60))


@pytest.mark.parametrize(
    "data",
    [
        b"", b"{", b"[]", b'{"defect_map": 2, "size": [4, 4], "pixels": []}', b"SIMPLE  = nothing",
        b'{"defect_map": 1, "size": [4, 4], "pixels": [[4, 0]]}', b'{"defect_map": 1, "size": [4, 4], "pixels": [[1]]}',
        b'{"defect_map": 1, "size": [4, 4], "pixels": [["a", "b"]]}', b"\xff\xfe\x00",
    ],
)  # fmt: skip
def test_what_is_no_map_is_refused_in_one_sentence(tmp_path: Path, data: bytes) -> None:
    path = tmp_path / "map.json"
    path.write_bytes(data)
    with pytest.raises(FileProblem, match="not a defect map"):
        load_map(path)
    with pytest.raises(FileProblem):
        load_map(tmp_path / "missing.json")
