from __future__ import annotations

import gc

import numpy as np
import pytest

from dustpan.core.picture import Picture
from dustpan.core.region import Region
from dustpan.core.render.cache import Cache
from dustpan.core.render.renderer import Renderer
from dustpan.core.sweep import Sweep, make_step

BOTH = Sweep((make_step("noise", {"quality": "quick"}), make_step("edge-sharpen")))


def test_the_longest_unused_go_first() -> None:
    cache = Cache(limit=3 * 400)
    for n in range(3):
        cache.put((str(n), (0, 0)), np.zeros(100, np.float32))
    assert cache.get(("0", (0, 0))) is not None
    cache.put(("3", (0, 0)), np.zeros(100, np.float32))
    assert [cache.get((str(n), (0, 0))) is not None for n in range(4)] == [True, False, True, True]
    assert cache.held == 1200


def test_a_view_is_refused_for_it_keeps_more_alive_than_it_counts_for() -> None:
    large = np.zeros((1000, 1000), np.float32)
    with pytest.raises(ValueError, match="view"):
        Cache().put(("a", (0, 0)), large[:10, :10])
    Cache().put(("a", (0, 0)), large.reshape(10, -1))


@pytest.mark.slow
@pytest.mark.parametrize("limit", [3_000_000, 20_000_000])
def test_the_limit_holds_for_what_is_really_alive(picture: Picture, limit: int) -> None:
    """Every array that a tile looks into counts, not only the tile."""
    cache = Cache(limit)
    with Renderer(picture, cache=cache) as r:
        for region in (Region(0, 0, *picture.size), Region(20, 30, 260, 380)):
            r.at_once(BOTH, region)
            r.render(BOTH, region)
    gc.collect()
    alive = {}
    for tile in cache._items.values():
        owner = tile if tile.base is None else tile.base
        alive[id(owner)] = owner.nbytes
    assert 0 < sum(alive.values()) <= limit
    assert sum(alive.values()) == cache.held


def test_an_array_under_two_keys_counts_once() -> None:
    cache = Cache(limit=1000)
    tile = np.zeros(200, np.float32)
    cache.put(("a", (0, 0)), tile)
    cache.put(("b", (0, 0)), tile)
    assert cache.held == 800
    cache.put(("a", (0, 0)), tile)
    assert cache.held == 800
    cache.put(("c", (0, 0)), np.zeros(200, np.float32))  # both keys of the first have to go before it fits
    assert cache.held == 800
    assert [cache.get((k, (0, 0))) is None for k in "abc"] == [True, True, False]


def test_a_renderer_that_is_closed_lets_go_of_its_own_cache_and_of_no_shared_one(picture: Picture) -> None:
    sweep = Sweep((make_step("soften"),))
    shared = Cache()
    for given in (None, shared):
        with Renderer(picture, cache=given) as r:
            r.render(sweep)
            assert r.cache.held > 0
    assert shared.held > 0
    assert r.cache is shared
    with Renderer(picture) as own:
        own.render(sweep)
    assert own.cache.held == 0
