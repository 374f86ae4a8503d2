"""Three colours in every place: samples stay, flat things stay flat, cuts change nothing, edges are followed."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dustpan.core.colour import decode
from dustpan.core.develop.demosaic import EDGE_REACH, LINEAR_REACH, by_edges, linear
from dustpan.core.region import Region
from dustpan.demo.raw_camera import RGGB, SIX_BY_SIX
from tests.scenes import desk

PATTERNS = {"RGGB": RGGB, "GBRG": ((1, 2), (0, 1)), "six by six": SIX_BY_SIX}
WAYS = {
    "means": (lambda *a: linear(*a, smooth=True), LINEAR_REACH),
    "corrected": (linear, LINEAR_REACH),
    "by edges": (by_edges, EDGE_REACH),
}
EVERY_WAY = pytest.mark.parametrize("way", WAYS)
EVERY_PATTERN = pytest.mark.parametrize("pattern", PATTERNS.values(), ids=PATTERNS)


def sites(size: tuple[int, int], pattern: tuple) -> np.ndarray:
    p = np.asarray(pattern)
    return p[np.arange(size[0])[:, None] % p.shape[0], np.arange(size[1]) % p.shape[1]]


def mosaic_of(colours: np.ndarray, pattern: tuple) -> np.ndarray:
    site = sites(colours.shape[:2], pattern)
    return np.ascontiguousarray(np.take_along_axis(colours, site[..., None], 2)[..., 0], np.float32)


def whole(size: tuple[int, int]) -> Region:
    return Region(0, 0, *size)


@EVERY_WAY
@EVERY_PATTERN
def test_samples_that_were_there_are_kept(way: str, pattern: tuple) -> None:
    mosaic = np.random.default_rng(1).random((31, 38), np.float32)
    out = WAYS[way][0](mosaic, whole(mosaic.shape), whole(mosaic.shape), pattern)
    own = np.take_along_axis(out, sites(mosaic.shape, pattern)[..., None], 2)[..., 0]
    np.testing.assert_allclose(own, mosaic, atol=2e-6)


@EVERY_WAY
@EVERY_PATTERN
@settings(max_examples=20)
@given(colour=st.tuples(*[st.floats(0.01, 1)] * 3), height=st.integers(1, 30), width=st.integers(1, 30))
def test_one_colour_stays_one_colour(
    way: str, pattern: tuple, colour: tuple[float, float, float], height: int, width: int
) -> None:
    """As long as each colour is near; in the thinnest pictures one may be nowhere."""
    flat = np.broadcast_to(np.array(colour, np.float32), (height, width, 3))
    out = WAYS[way][0](mosaic_of(flat, pattern), whole((height, width)), whole((height, width)), pattern)
    assert np.isfinite(out).all()
    if min(height, width) >= (12 if pattern is SIX_BY_SIX else 4):
        np.testing.assert_allclose(out, flat, atol=1e-5)


@EVERY_WAY
@EVERY_PATTERN
@settings(max_examples=25)
@given(data=st.data())
def test_a_part_is_what_it_is_in_the_whole(way: str, pattern: tuple, data: st.DataObject) -> None:
    interpolate, reach = WAYS[way]
    h, w = data.draw(st.integers(3, 40)), data.draw(st.integers(3, 40))
    mosaic = np.random.default_rng(h * 50 + w).random((h, w), np.float32)
    y, x = data.draw(st.integers(0, h - 1)), data.draw(st.integers(0, w - 1))
    part = Region(y, x, data.draw(st.integers(y + 1, h)), data.draw(st.integers(x + 1, w)))
    have = part.grown(reach).within((h, w))
    all_of_it = interpolate(mosaic, whole((h, w)), whole((h, w)), pattern)
    alone = interpolate(np.ascontiguousarray(mosaic[have.slices()]), have, part, pattern)
    assert np.array_equal(alone, all_of_it[part.slices()])


def error(way: str, pattern: tuple) -> float:
    colours = decode(desk()[:160, :240]).astype(np.float32)
    out = WAYS[way][0](mosaic_of(colours, pattern), whole(colours.shape[:2]), whole(colours.shape[:2]), pattern)
    return float(np.sqrt(np.mean((out - colours)[6:-6, 6:-6] ** 2)))


def test_what_follows_edges_is_nearest_to_the_truth() -> None:
    assert error("by edges", RGGB) < error("corrected", RGGB) < error("means", RGGB)
    assert error("by edges", SIX_BY_SIX) < error("means", SIX_BY_SIX)


@EVERY_PATTERN
@pytest.mark.parametrize("way", ["means", "corrected"])
def test_linear_is_linear(way: str, pattern: tuple) -> None:
    one, two = np.random.default_rng(2).random((2, 30, 36), np.float32)
    a, b, both = (WAYS[way][0](m, whole((30, 36)), whole((30, 36)), pattern) for m in (one, two, one + two))
    np.testing.assert_allclose(both, a + b, atol=2e-5)
