"""A result on just one region, without the rest of the tiles that it cuts: the quickest way to a place.

The region is cut into bands, so that all threads have as much to do; bytes are the same as those of tiles.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.fact import FactKind
from dustpan.core.region import Region
from dustpan.core.render import tiles
from dustpan.core.render.cache import Cancel
from dustpan.core.render.layers import Layer, Layers
from dustpan.core.render.shop import Shop, results_of
from dustpan.core.render.tiling import TILE, bands, tile_region, tiles_of
from dustpan.core.stage import INPUT, Bound

INLINE = 40_000  # px: less is quicker on one thread
SAMPLE_SIZE, SAMPLE_AT = (TILE, 2 * TILE), (0.3, 0.7)  # a step's result is measured on whole tiles on the diagonal
Held = dict[str, tuple[NDArray, Region]]


@dataclass(frozen=True)
class How:
    """How a region is computed: called off by ``cancel``; as a draft; ``ended`` is called after every stage."""

    cancel: Cancel
    draft: bool = False
    ended: Callable[[], None] = lambda: None


def render_at_once(shop: Shop, layers: Layers, region: Region, how: How) -> NDArray[np.float32]:
    """The last layer's result on a region. Of an exact one, the tiles that lie wholly inside are kept."""
    if not layers:
        return shop.picture.pixels[region.slices()]
    layer = layers[-1]
    if _mostly_kept(shop, layer.after, region):
        tiles.ensure(shop, layers, tiles_of(region, shop.size), how.cancel)
        return tiles.area(shop, layers, region, how.cancel)
    mask = mask_at_once(shop, layers, region, how)
    if mask is not None and not mask.any():
        base = render_at_once(shop, layers[:-1], region, how)
        _keep(shop, layer.after, base, region, how)
        return base
    chain, begun = _what_is_left(shop, layer, region, how)
    spans = spans_of(chain, region, shop.size)
    around = spans[0]
    wait_for_facts = shop.begin_facts(layers, how.cancel, how.draft)
    held: Held = {INPUT: (render_at_once(shop, layers[:-1], around, how), around)}
    if begun is not None:
        tiles.ensure_stages(shop, layers, _up_to(layer, begun), tiles_of(around, shop.size), how.cancel)
        held[begun.name] = tiles.stage_area(shop, layers, begun, around, how.cancel), around
    _run_chain(shop, layer, chain, spans, held, wait_for_facts(), how)
    last = chain[-1] if chain else begun
    assert last is not None
    (under, around), (over, span) = held[INPUT], held[last.name]
    top = over[region.slices(span)]
    out = tiles.lay(layer, under[region.slices(around)], top, mask)
    _keep(shop, layer.after, out, region, how, layer.key_of(last) if out is top else None)
    return out


def spans_of(chain: Sequence[Bound], region: Region, size: tuple[int, int]) -> list[Region]:
    """What the input and each stage have to cover, so that the last one covers the region."""
    found = [region]
    for bound in reversed(chain):
        found.append(found[-1].grown(bound.reach).within(size))
    return found[::-1]


def _up_to(layer: Layer, last: Bound) -> tuple[Bound, ...]:
    chain = layer.what()
    return chain[: chain.index(last) + 1]


def _what_is_left(shop: Shop, layer: Layer, region: Region, how: How) -> tuple[tuple[Bound, ...], Bound | None]:
    """The stages that have to run, and the slow one from whose tiles they go on, where these are there already."""
    slow = layer.slow
    if not _mostly_kept(shop, layer.key_of(slow), region):
        return layer.what(how.draft), None
    chain = layer.what()
    return chain[chain.index(slow) + 1 :], slow


def mask_at_once(shop: Shop, layers: Layers, region: Region, how: How) -> NDArray[np.float32] | None:
    """The last layer's mask on a region; None where it counts everywhere."""
    layer = layers[-1]
    chain = layer.where
    if not chain:
        return None
    spans = spans_of(chain, region, shop.size)
    facts = shop.begin_facts(layers, how.cancel, how.draft)()
    held: Held = {INPUT: (render_at_once(shop, layers[:-1], spans[0], how), spans[0])}
    _run_chain(shop, layer, chain, spans, held, facts, how)
    return held[chain[-1].name][0]


def _run_chain(
    shop: Shop,
    layer: Layer,
    chain: Sequence[Bound],
    spans: Sequence[Region],
    held: Held,
    facts: Mapping[FactKind, Any],
    how: How,
) -> None:
    """Run the stages of a chain in turn and put their results, with what they cover, into ``held``."""
    for bound, span in zip(chain, spans[1:], strict=True):
        parts = bands(span, shop.threads if span.area > INLINE else 1)
        contexts = [HeldContext(bound, facts, part, shop.size, held, how.cancel) for part in parts]
        if len(contexts) == 1:
            result = bound.stage.run(contexts[0])
        else:
            results = results_of([shop.pool.submit(bound.stage.run, context) for context in contexts])
            result = np.concatenate(results, 0 if span.height >= span.width else 1)
        held[bound.name] = (result, span)
        _keep(shop, layer.key_of(bound), result, span, how)
        how.ended()


def _mostly_kept(shop: Shop, key: str, region: Region) -> bool:
    """Whether so many tiles are computed already that the rest is quicker than all of it anew."""
    places = tiles_of(region, shop.size)
    return 2 * sum(shop.cache.get((key, place)) is not None for place in places) > len(places)


def _keep(shop: Shop, key: str, pixels: NDArray, have: Region, how: How, same: str | None = None) -> None:
    """Keep the tiles that lie wholly inside an exact result; ``same`` is a key under which the same ones are kept."""
    if how.draft:
        return
    for place in tiles_of(have, shop.size):
        part = tile_region(place, shop.size)
        if part.inside(have):
            tile = shop.cache.get((same, place)) if same else None
            shop.cache.put((key, place), pixels[part.slices(have)].copy(order="K") if tile is None else tile)


def sample(shop: Shop, layers: Layers, cancel: Cancel) -> NDArray[np.float32]:
    """Pixels to measure a result on: all of a small one, or two blocks of it."""
    how = How(cancel)
    sides = list(zip(shop.size, SAMPLE_SIZE, strict=True))
    if any(whole < side for whole, side in sides):
        return render_at_once(shop, layers, Region(0, 0, *shop.size), how)
    corners = [[int(share * (whole - side)) // TILE * TILE for whole, side in sides] for share in SAMPLE_AT]
    blocks = [Region(y, x, y + SAMPLE_SIZE[0], x + SAMPLE_SIZE[1]) for y, x in corners]
    return np.concatenate([render_at_once(shop, layers, block, how) for block in blocks])


@dataclass(frozen=True)
class HeldContext:
    """What `stage.Context` promises to stages, from arrays at hand."""

    bound: Bound
    facts: Mapping[FactKind, Any]
    region: Region
    size: tuple[int, int]
    held: Held
    cancel: Cancel

    @property
    def params(self) -> Any:
        return self.bound.params

    def get(self, stage: str, grow: int = 0) -> tuple[NDArray[np.float32], Region]:
        area = self.region.grown(grow).within(self.size)
        pixels, have = self.held[self.bound.resolve(stage, self.held)]
        return pixels[area.slices(have)], area

    def check(self) -> None:
        self.cancel.check()
