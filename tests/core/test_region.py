from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dustpan.core.region import Region, fetch, mirrored
from dustpan.core.render.tiling import TILE, run_groups, tile_region

SIDES = st.integers(1, 40)


@given(st.integers(-90, 90), st.integers(1, 60), SIDES)
def test_mirrored_indices_are_those_of_symmetric_padding(first: int, count: int, length: int) -> None:
    padded = np.pad(np.arange(length), 200, mode="symmetric")
    assert np.array_equal(mirrored(first, first + count, length), padded[first + 200 : first + count + 200])


@given(SIDES, SIDES, st.integers(0, 30))
def test_fetch_beyond_the_edge_mirrors(height: int, width: int, margin: int) -> None:
    planes = np.random.default_rng(1).random((2, height, width))
    whole = Region(0, 0, height, width)
    padded = np.pad(planes, ((0, 0), (margin, margin), (margin, margin)), mode="symmetric")
    assert np.array_equal(fetch(planes, whole, whole.grown(margin), (height, width)), padded)


def test_regions_meet_and_slice() -> None:
    a = Region(2, 4, 10, 12)
    assert (a.height, a.width) == (8, 8)
    assert a.meets(Region(9, 11, 20, 20))
    assert not a.meets(Region(10, 4, 12, 12))
    assert a.aligned(4) == Region(0, 4, 12, 12)
    assert a.slices(Region(1, 1, 20, 20)) == (slice(1, 9), slice(3, 11))


@pytest.mark.parametrize("wanted", [Region(0, 4, 10, 12), Region(3, 4, 13, 12), Region(3, 4, 10, 17)])
def test_what_is_not_there_can_not_be_read(wanted: Region) -> None:
    have, planes = Region(2, 4, 12, 16), np.zeros((1, 10, 12))
    with pytest.raises(ValueError, match="inside"):
        wanted.slices(have)
    with pytest.raises(ValueError, match="wanted"):
        fetch(planes, have, wanted, (40, 40))
    with pytest.raises(ValueError, match="wanted"):
        fetch(planes[:, 1:], have, Region(3, 4, 10, 12), (40, 40))


@given(
    st.sets(st.tuples(st.integers(0, 7), st.integers(0, 6)), min_size=1),
    st.integers(TILE * TILE, 40 * TILE * TILE),
)
def test_runs_of_tiles_are_full_rectangles_that_hold_every_tile_once(places: set, largest: int) -> None:
    size = (8 * TILE - 90, 7 * TILE - 3)
    groups = run_groups(places, size, largest)
    assert sorted(p for g in groups for p in g) == sorted(places)
    for g in groups:
        ys, xs = {p[0] for p in g}, {p[1] for p in g}
        assert len(g) == len(ys) * len(xs) == (max(ys) - min(ys) + 1) * (max(xs) - min(xs) + 1)
        area = sum(r.height * r.width for r in (tile_region(p, size) for p in g))
        assert len(g) == 1 or area <= largest
