from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from dustpan.core.errors import Cancelled
from dustpan.core.noise import cost
from dustpan.core.noise.cost import costs
from dustpan.core.noise.measure import measure
from dustpan.core.noise.plans import PLANS, Quality
from dustpan.core.region import Region
from tests.scenes import desk, noisy_b, noisy_c

Noisy = Callable[[np.ndarray], tuple[np.ndarray, np.ndarray]]


@pytest.fixture(scope="module", params=[noisy_b, noisy_c])
def noisy(request: pytest.FixtureRequest) -> np.ndarray:
    """Larger than the piece that is timed and all that is read around it."""
    pixels: np.ndarray = request.param(desk(640, 720))[1]
    return pixels


class Clock:
    """Stands still but where it is told to go on."""

    def __init__(self) -> None:
        self.now = 0.0

    def thread_time(self) -> float:
        return self.now


@pytest.mark.parametrize("threads", [1, 2, 4])
def test_the_cost_of_a_quality_is_that_of_its_parts(
    noisy: np.ndarray, monkeypatch: pytest.MonkeyPatch, threads: int
) -> None:
    """A guide that takes 1 µs/px, every round 3 µs/px and the end 2 µs/px, on a clock of the test's own."""
    clock = Clock()

    def taking(seconds: float, want: int) -> Callable:
        def work(*given: Any) -> np.ndarray:
            clock.now += seconds * given[want].area
            return np.zeros((3, given[want].height, given[want].width), np.float32)

        return work

    monkeypatch.setattr(cost, "time", clock)
    monkeypatch.setattr(cost, "guided", taking(1e-6, 2))
    monkeypatch.setattr(cost, "refined", taking(3e-6, 4))
    monkeypatch.setattr(cost, "finished", taking(2e-6, 5))
    found = costs(reading(noisy), noisy.shape[:2], measure(noisy), threads)
    share = noisy[..., 0].size / (1 + cost.SHARED * (threads - 1))
    for quality in Quality:
        rounds = len(PLANS[quality].rounds)
        assert found[quality.value] == pytest.approx(share * (1 + 3 * rounds + 2) * 1e-6)


def reading(pixels: np.ndarray) -> Callable[[Region], np.ndarray]:
    return lambda region: pixels[region.slices()]


def test_a_picture_without_noise_costs_nothing() -> None:
    blank = np.full((200, 200, 3), 0.5, np.float32)
    assert costs(reading(blank), blank.shape[:2], measure(blank), 2) == {q.value: 0.0 for q in Quality}


def test_timing_can_be_called_off(noisy: np.ndarray) -> None:
    left = iter(range(20))

    def check() -> None:
        if next(left, None) is None:
            raise Cancelled

    with pytest.raises(Cancelled):
        costs(reading(noisy), noisy.shape[:2], measure(noisy), 2, check)
