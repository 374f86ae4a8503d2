"""A result on just one region, without the rest of the tiles that it cuts: the quickest way to a place.

The region is cut into bands, so that all threads have as much to do; bytes are the same as those of tiles.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.cancel import Cancel
from dustpan.core.fact import FactKind
from dustpan.core.region import Region
from dustpan.core.render import tiles
from dustpan.core.render.by_place import KNOWN, Known, factor_on, sees_residue
from dustpan.core.render.layers import Layer, Layers, input_of
from dustpan.core.render.shop import Shop, results_of
from dustpan.core.render.tiling import TILE, bands, tile_region, tiles_of
from dustpan.core.stage import INPUT, Bound

INLINE = 40_000  # px: less is quicker on one thread
SAMPLE_SIZE, SAMPLE_AT = (TILE, 2 * TILE), (0.3, 0.7)  # a step's result is measured on whole tiles on the diagonal
Held = dict[str, tuple[NDArray, Region]]


@dataclass(frozen=True)
class Terms:
    """How a region is computed: called off by ``cancel``; as a draft; ``ended`` is called after every stage.

    ``seen`` : results of stages by key and region that several layers of one run ask for.
    """

    cancel: Cancel
    draft: bool = False
    ended: Callable[[], None] = lambda: None
    seen: dict[tuple[str, Region], NDArray] = field(default_factory=dict)


def render_at_once(shop: Shop, layers: Layers, region: Region, terms: Terms) -> NDArray[np.float32]:
    """The last layer's result on a region. Of an exact one, the tiles that lie wholly inside are kept."""
    if not layers:
        return shop.picture.pixels[region.slices()]
    layer = layers[-1]
    if _mostly_kept(shop, layer.after, region):
        tiles.ensure(shop, layers, tiles_of(region, shop.size), terms.cancel)
        return tiles.area(shop, layers, region, terms.cancel)
    mask = mask_at_once(shop, layers, region, terms)
    if mask is not None and not mask.any():
        base = render_at_once(shop, layers[:-1], region, terms)
        _keep(shop, layer.after, base, region, terms)
        return base
    last, held = _staged(shop, layers, region, terms)
    under, around = held[INPUT]
    if layer.shares:
        below = render_at_once(shop, layers[:-1], region, terms)
        cleaned, structure = (_from(held, name, region) for name in tiles.stages_of(layer))
        source = under[region.slices(around)]
        read = AtOnceRead(shop, terms)
        out = tiles.lay_shared(read, layers, region, below, source, cleaned, structure)
        _keep(shop, layer.after, out, region, terms)
        return out
    over, span = held[last.name]
    top = over[region.slices(span)]
    out = tiles.lay(layer, under[region.slices(around)], top, mask)
    _keep(shop, layer.after, out, region, terms, layer.key_of(last) if out is top else None)
    return out


def _from(held: Held, name: str | None, region: Region) -> NDArray[np.float32] | None:
    if name is None:
        return None
    pixels, have = held[name]
    return pixels[region.slices(have)]


def _staged(shop: Shop, layers: Layers, region: Region, terms: Terms) -> tuple[Bound, Held]:
    """The last stage of the last layer's step, and what its stages hold for a region."""
    layer = layers[-1]
    chain, begun = _what_is_left(shop, layer, region, terms)
    spans = spans_of(chain, region, shop.size)
    around = spans[0]
    blocks = sample_blocks(shop.size)
    # what is measured on a part of the input is read from it, where all of that is needed anyway
    covered = not terms.draft and all(block.inside(around) for block in blocks)
    begun_facts = None if covered else shop.begin_facts(layers, terms.cancel, terms.draft)
    held: Held = {INPUT: (render_at_once(shop, input_of(layers), around, terms), around)}
    wait_for_facts = begun_facts or shop.begin_facts(layers, terms.cancel, terms.draft)
    if begun is not None:
        tiles.ensure_stages(shop, layers, _up_to(layer, begun), tiles_of(around, shop.size), terms.cancel)
        held[begun.name] = tiles.stage_area(shop, layers, begun, around, terms.cancel), around
    _run_chain(shop, layers, chain, spans, held, wait_for_facts(), terms)
    last = chain[-1] if chain else begun
    assert last is not None
    return last, held


def spans_of(chain: Sequence[Bound], region: Region, size: tuple[int, int]) -> list[Region]:
    """What the input and each stage have to cover, so that the last one covers the region."""
    found = [region]
    for bound in reversed(chain):
        found.append(found[-1].grown(bound.reach).within(size))
    return found[::-1]


def _up_to(layer: Layer, last: Bound) -> tuple[Bound, ...]:
    chain = layer.what()
    return chain[: chain.index(last) + 1]


def _what_is_left(shop: Shop, layer: Layer, region: Region, terms: Terms) -> tuple[tuple[Bound, ...], Bound | None]:
    """The stages that have to run, and the slow one from whose tiles they go on, where these are there already."""
    slow = layer.slow
    if not _mostly_kept(shop, layer.key_of(slow), region):
        return layer.what(terms.draft), None
    chain = layer.what()
    return chain[chain.index(slow) + 1 :], slow


def mask_at_once(shop: Shop, layers: Layers, region: Region, terms: Terms) -> NDArray[np.float32] | None:
    """The last layer's mask on a region; None where it counts everywhere."""
    layer = layers[-1]
    chain = layer.where
    if not chain:
        return None
    spans = spans_of(chain, region, shop.size)
    facts = shop.begin_facts(layers, terms.cancel, terms.draft)()
    held: Held = {INPUT: (render_at_once(shop, input_of(layers), spans[0], terms), spans[0])}
    _run_chain(shop, layers, chain, spans, held, facts, terms)
    return held[chain[-1].name][0]


def _run_chain(
    shop: Shop,
    layers: Layers,
    chain: Sequence[Bound],
    spans: Sequence[Region],
    held: Held,
    facts: Mapping[FactKind, Any],
    terms: Terms,
) -> None:
    """Run the stages of a chain in turn and put their results, with what they cover, into ``held``."""
    layer = layers[-1]
    known: Known | None = facts.get(KNOWN)
    factor = None
    if known is not None and chain:  # here, for the threads that run stages cannot wait for others of them
        residue = sees_residue(layer, chain[0])
        factor = factor_on(AtOnceRead(shop, terms), input_of(layers), spans[0], known, residue), spans[0]
    shared = layer.step.kind.noise.shares is not None
    for bound, span in zip(chain, spans[1:], strict=True):
        terms.cancel.check()
        seen = layer.key_of(bound), span
        if seen in terms.seen:
            held[bound.name] = (terms.seen[seen], span)
            continue
        parts = bands(span, shop.threads if span.area > INLINE else 1)
        kept = [tiles.TileContext(shop, layers, bound, part, terms.cancel) for part in parts]
        contexts = [HeldContext(bound, facts, context.region, shop.size, held, context, factor) for context in kept]
        if len(contexts) == 1:
            result = bound.stage.run(contexts[0])
        else:
            results = results_of([shop.pool.submit(bound.stage.run, context) for context in contexts])
            result = np.concatenate(results, 0 if span.height >= span.width else 1)
        held[bound.name] = (result, span)
        if shared:
            terms.seen[seen] = result
        _keep(shop, layer.key_of(bound), result, span, terms)
        terms.ended()


@dataclass(frozen=True)
class AtOnceRead:
    """What `by_place.Read` promises, computed for just the region."""

    shop: Shop
    terms: Terms

    @property
    def size(self) -> tuple[int, int]:
        return self.shop.size

    def mask(self, layers: Layers, region: Region) -> NDArray[np.float32] | None:
        return mask_at_once(self.shop, layers, region, self.terms)

    def stage(self, layers: Layers, name: str, region: Region) -> NDArray[np.float32]:
        found = _from(_staged(self.shop, layers, region, self.terms)[1], name, region)
        assert found is not None
        return found

    def result(self, layers: Layers, region: Region) -> NDArray[np.float32]:
        return render_at_once(self.shop, layers, region, self.terms)


def place_at_once(shop: Shop, layers: Layers, region: Region, terms: Terms) -> NDArray[np.float32] | None:
    """How much stronger than its print the noise of a result is on a region, see `Context.by_place`."""
    known = shop.known(layers, terms.cancel, terms.draft)
    return None if known is None else factor_on(AtOnceRead(shop, terms), layers, region, known)


def _mostly_kept(shop: Shop, key: str, region: Region) -> bool:
    """Whether so many tiles are computed already that the rest is quicker than all of it anew."""
    places = tiles_of(region, shop.size)
    return 2 * sum(shop.cache.get((key, place)) is not None for place in places) > len(places)


def _keep(shop: Shop, key: str, pixels: NDArray, have: Region, terms: Terms, same: str | None = None) -> None:
    """Keep the tiles that lie wholly inside an exact result; ``same`` is a key under which the same ones are kept."""
    if terms.draft:
        return
    for place in tiles_of(have, shop.size):
        part = tile_region(place, shop.size)
        if part.inside(have):
            tile = shop.cache.get((same, place)) if same else None
            shop.cache.put((key, place), pixels[part.slices(have)].copy(order="K") if tile is None else tile)


def sample(shop: Shop, layers: Layers, cancel: Cancel) -> tuple[NDArray[np.float32], tuple[Region, ...]]:
    """Pixels to measure a result on: all of a small one, or two blocks of it, and where they are."""
    blocks = tuple(sample_blocks(shop.size))
    parts = [render_at_once(shop, layers, block, Terms(cancel)) for block in blocks]
    return np.concatenate(parts) if len(parts) > 1 else parts[0], blocks


def sample_blocks(size: tuple[int, int]) -> list[Region]:
    """What of a result is measured: two blocks of whole tiles; all of a small picture."""
    sides = list(zip(size, SAMPLE_SIZE, strict=True))
    if any(whole < side for whole, side in sides):
        return [Region(0, 0, *size)]
    corners = [[int(share * (whole - side)) // TILE * TILE for whole, side in sides] for share in SAMPLE_AT]
    return [Region(y, x, y + SAMPLE_SIZE[0], x + SAMPLE_SIZE[1]) for y, x in corners]


@dataclass(frozen=True)
class HeldContext:
    """What `stage.Context` promises to stages, from arrays at hand; stages before those that are run, from tiles."""

    bound: Bound
    facts: Mapping[FactKind, Any]
    region: Region
    size: tuple[int, int]
    held: Held
    tiles: tiles.TileContext
    factor: tuple[NDArray[np.float32], Region] | None = None

    @property
    def params(self) -> Any:
        return self.bound.params

    def get(self, stage: str, grow: int = 0) -> tuple[NDArray[np.float32], Region]:
        name = self.bound.resolve(stage, self.held)
        if name not in self.held:
            return self.tiles.get(stage, grow)
        area = self.region.grown(grow).within(self.size)
        pixels, have = self.held[name]
        return pixels[area.slices(have)], area

    def by_place(self, grow: int = 0) -> NDArray[np.float32] | None:
        if self.factor is None:
            return None
        planes, have = self.factor
        return planes[(slice(None), *self.region.grown(grow).within(self.size).slices(have))]

    def check(self) -> None:
        self.tiles.check()
