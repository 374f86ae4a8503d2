from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from dustpan.core.errors import Cancelled
from dustpan.core.noise.cost import costs
from dustpan.core.noise.measure import measure
from dustpan.core.noise.reduce import Quality
from tests.scenes import desk, noisy_b, noisy_c

Noisy = Callable[[np.ndarray], tuple[np.ndarray, np.ndarray]]


@pytest.fixture(scope="module", params=[noisy_b, noisy_c])
def noisy(request: pytest.FixtureRequest) -> np.ndarray:
    """Larger than the piece that is timed and all that is read around it."""
    pixels: np.ndarray = request.param(desk(640, 720))[1]
    return pixels


def test_every_quality_costs_something_and_a_picture_without_noise_nothing(noisy: np.ndarray) -> None:
    found = costs(noisy, measure(noisy), 2)
    assert set(found) == {q.value for q in Quality}
    assert all(seconds > 0 and np.isfinite(seconds) for seconds in found.values())
    blank = np.full_like(noisy, 0.5)
    assert set(costs(blank, measure(blank), 2).values()) == {0.0}


def test_timing_can_be_called_off(noisy: np.ndarray) -> None:
    left = iter(range(20))

    def check() -> None:
        if next(left, None) is None:
            raise Cancelled

    with pytest.raises(Cancelled):
        costs(noisy, measure(noisy), 2, check)
