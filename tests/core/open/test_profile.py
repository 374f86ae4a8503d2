from __future__ import annotations

import numpy as np
import pytest

from dustpan.core.open.profile import line_across_edge, profile_along
from dustpan.core.region import Region


def test_the_profile_of_a_known_edge() -> None:
    plane = np.where(np.arange(80) < 40, 0.2, 0.8)[None].repeat(60, 0).astype(np.float32)

    def read(region: Region) -> np.ndarray:
        return plane[region.within(plane.shape).slices()]

    found = profile_along(read, read, ((30, 30), (50, 30)))
    place, before = found.at, found.before
    assert place[0] == -place[-1] == -10
    assert np.array_equal(before, found.after)
    assert before[place < -1] == pytest.approx(0.2)
    assert before[place > 1] == pytest.approx(0.8)
    assert before[place == 0] == pytest.approx(0.5, abs=0.01)
    for line in (None, ((3, 3), (4, 3)), ((-90, -90), (-70, -90))):
        assert len(profile_along(read, read, line).at) == 0


def test_a_line_lies_across_the_edge_that_is_there() -> None:
    pixels = np.where(np.arange(80) < 40, 0.2, 0.8)[None, :, None].repeat(60, 0).astype(np.float32)
    found = line_across_edge(pixels, Region(100, 200, 160, 280))
    assert found is not None
    (x0, y0), (x1, y1) = found
    assert (x0 + x1) / 2 == pytest.approx(240, abs=1)
    assert abs(y1 - y0) < 0.2 * abs(x1 - x0)
    assert line_across_edge(np.full((60, 80, 1), 0.5, np.float32), Region(0, 0, 60, 80)) is None
    assert line_across_edge(pixels[:5], Region(0, 0, 5, 80)) is None
