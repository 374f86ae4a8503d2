from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from dustpan.core.open.exact import CELL, Exact
from dustpan.core.region import Region

SIZE = (101, 167)


@st.composite
def regions(draw: st.DrawFn) -> Region:
    y, x = draw(st.integers(0, 100)), draw(st.integers(0, 166))
    return Region(y, x, draw(st.integers(y + 1, 120)), draw(st.integers(x + 1, 180)))


@given(st.lists(st.tuples(st.booleans(), regions()), max_size=8), regions())
def test_nothing_that_was_not_marked_counts_and_what_is_asked_is_covered(
    told: list[tuple[bool, Region]], asked: Region
) -> None:
    exact, truth = Exact(SIZE), np.zeros(SIZE, bool)
    for mark, region in told:
        (exact.mark if mark else exact.forget)(region)
        truth[region.within(SIZE).slices()] = mark
    missing = exact.missing(asked)
    inner = asked.within(SIZE)
    if missing is None:
        assert truth[inner.slices()].all()
        return
    assert missing.y0 % CELL == missing.x0 % CELL == 0
    outside = np.ones(SIZE, bool)
    outside[missing.slices()] = False
    assert truth[inner.slices()][outside[inner.slices()]].all()


def test_another_wish_begins_anew_and_the_same_goes_on() -> None:
    exact = Exact(SIZE)
    exact.begin("a")
    exact.mark(Region(0, 0, *SIZE))
    assert exact.complete
    exact.begin("a")
    assert exact.missing(Region(3, 3, 9, 9)) is None
    copy = exact.copy()
    exact.begin("b")
    assert exact.missing(Region(3, 3, 9, 9)) == Region(0, 0, 16, 16)
    assert copy.complete
    exact.fill("c")
    assert exact.complete
