from __future__ import annotations

import numpy as np
import pytest

from dustpan.core.blend import Blend, lay_over


@pytest.fixture
def sides() -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(3)
    return rng.random((6, 5, 3)).astype(np.float32), rng.random((6, 5, 3)).astype(np.float32)


@pytest.mark.parametrize("blend", Blend)
def test_opacity_0_gives_the_very_samples_of_the_input(blend: Blend, sides: tuple) -> None:
    assert lay_over(*sides, blend, 0.0) is sides[0]


def test_normal_mixes_by_opacity(sides: tuple) -> None:
    base, top = sides
    assert np.array_equal(lay_over(base, top, Blend.NORMAL, 1.0), top)
    assert lay_over(base, top, Blend.NORMAL, 0.25) == pytest.approx(0.75 * base + 0.25 * top, abs=1e-6)


@pytest.mark.parametrize("blend", [b for b in Blend if b is not Blend.NORMAL])
def test_blends_stay_within_black_and_white_and_keep_what_lies_beyond(blend: Blend, sides: tuple) -> None:
    base, top = sides
    result = lay_over(base, top, blend, 1.0)
    assert np.isfinite(result).all()
    assert result.min() >= 0
    assert result.max() <= 1
    brighter = lay_over(base + 1, top, blend, 1.0)
    whites = lay_over(np.ones_like(base), top, blend, 1.0)
    assert brighter == pytest.approx(whites + base, abs=1e-5)


@pytest.mark.parametrize(
    ("blend", "top", "expected"),
    [
        (Blend.OVERLAY, 0.4, 0.16), (Blend.HARD_LIGHT, 0.4, 0.16), (Blend.HARD_LIGHT, 0.8, 0.68),
        (Blend.LINEAR_LIGHT, 0.6, 0.4), (Blend.VIVID_LIGHT, 0.75, 0.4), (Blend.SOFT_LIGHT, 0.4, 0.168),
    ],
)  # fmt: skip
def test_formulas_at_a_known_place(blend: Blend, top: float, expected: float) -> None:
    base, over = np.full((1, 1, 1), 0.2, np.float32), np.full((1, 1, 1), top, np.float32)
    assert float(lay_over(base, over, blend, 1.0)[0, 0, 0]) == pytest.approx(expected, abs=1e-6)


def test_mid_grey_changes_nothing_in_the_light_blends() -> None:
    base = np.linspace(0, 1, 12, dtype=np.float32).reshape(4, 3, 1)
    grey = np.full_like(base, 0.5)
    for blend in (Blend.SOFT_LIGHT, Blend.HARD_LIGHT, Blend.LINEAR_LIGHT, Blend.VIVID_LIGHT):
        assert lay_over(base, grey, blend, 1.0) == pytest.approx(base, abs=1e-6)
