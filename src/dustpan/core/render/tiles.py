"""A result tile by tile: what is missing for a place is computed, earlier layers first, and kept.

Tiles sit on a lattice fixed in picture coordinates. Stages do not depend on how a picture is cut (tested for every
step), so missing tiles that lie together are computed in one go and then kept one by one.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dustpan.core.blend import lay_over
from dustpan.core.cancel import Cancel
from dustpan.core.noise_of.shares import shared
from dustpan.core.region import Region
from dustpan.core.render.by_place import KNOWN, Read, factor_on, sees_residue, shares_of
from dustpan.core.render.layers import Layer, Layers, input_of
from dustpan.core.render.shop import Shop, results_of
from dustpan.core.render.tiling import TILE, Place, bounds, run_groups, tile_region, tiles_of
from dustpan.core.stage import INPUT, Bound

RUN = 512 * 512  # px of a run of tiles that the window asks for at a time
LARGEST_RUN = 1_500_000  # px of a run in an export: the larger, the less is computed twice along its sides
SMALL = 4_000_000  # px: up to here one run a thread is quickest
SLACK = 1.3  # a run may be so much larger than its share, for tiles can not be shared out evenly


def run_size(shop: Shop, area: int) -> int:
    """Pixels of a run when so many are wanted: all threads get an equal share, large areas several."""
    share = int(SLACK * area / shop.threads)
    return min(share if area <= SMALL else max(share // 2, RUN), LARGEST_RUN)


def ensure(shop: Shop, layers: Layers, places: Sequence[Place], cancel: Cancel) -> None:
    """Compute what is missing of the last layer's result for these tiles."""
    if not layers:
        return
    layer = layers[-1]
    missing = [p for p in places if shop.cache.get((layer.after, p)) is None]
    if not missing:
        return
    if layer.where:
        ensure_stages(shop, layers, layer.where, missing, cancel)
    acting = [p for p in missing if not _mask_is_empty(shop, layers, p, cancel)]
    ensure(shop, layers[:-1], missing, cancel)
    ensure_stages(shop, layers, layer.what(), acting, cancel)
    for n in range(layer.start, len(layers) - 1):  # what others of its run have taken out has to be known
        ensure_stages(shop, layers[: n + 1], layers[n].where, acting, cancel)
    for place in missing:
        cancel.check()
        _finish(shop, layers, place, cancel)


def ensure_stages(shop: Shop, layers: Layers, chain: Sequence[Bound], places: Sequence[Place], cancel: Cancel) -> None:
    """Compute what is missing of the last stage of a chain for these tiles, and of all that it reads."""
    layer = layers[-1]
    planned: list[tuple[Bound, list[Place]]] = []
    wanted = list(places)
    for bound in reversed(chain):
        todo = [p for p in wanted if shop.cache.get((layer.key_of(bound), p)) is None]
        planned.append((bound, todo))
        wanted = _grown(shop, todo, bound.reach)
    if not any(todo for _, todo in planned):
        return
    ensure(shop, input_of(layers), sorted({*wanted, *places}), cancel)
    shop.facts_of(layers, cancel)
    for bound, todo in reversed(planned):
        cancel.check()
        area = sum(tile_region(p, shop.size).area for p in todo)
        jobs = run_groups(todo, shop.size, run_size(shop, area))
        results_of([shop.pool.submit(_run, shop, layers, bound, job, cancel) for job in jobs])


def _grown(shop: Shop, places: list[Place], reach: int) -> list[Place]:
    if reach == 0:
        return places
    found: dict[Place, None] = {}
    for place in places:
        for near in tiles_of(tile_region(place, shop.size).grown(reach), shop.size):
            found[near] = None
    return sorted(found)


def _run(shop: Shop, layers: Layers, bound: Bound, places: list[Place], cancel: Cancel) -> None:
    """Compute one stage on tiles that lie together, and keep them."""
    cancel.check()
    parts = [tile_region(p, shop.size) for p in places]
    around = bounds(parts)
    result = bound.stage.run(TileContext(shop, layers, bound, around, cancel))
    for place, part in zip(places, parts, strict=True):
        shop.cache.put((layers[-1].key_of(bound), place), _own(result[part.slices(around)]))


def _own(part: NDArray) -> NDArray:
    """A tile that owns its memory."""
    tile = np.ascontiguousarray(part)
    return tile.copy() if tile.base is not None else tile


def _mask_is_empty(shop: Shop, layers: Layers, place: Place, cancel: Cancel) -> bool:
    where = layers[-1].where
    return bool(where) and not stage_tile(shop, layers, where[-1], place, cancel).any()


def _finish(shop: Shop, layers: Layers, place: Place, cancel: Cancel) -> NDArray[np.float32]:
    """Lay the step's result over its input and keep the tile."""
    layer = layers[-1]
    part = tile_region(place, shop.size)
    base = area(shop, layers[:-1], part, cancel)
    out = base
    if _mask_is_empty(shop, layers, place, cancel):
        pass
    elif layer.shares:
        read = TileRead(shop, cancel)
        cleaned, structure = (read.stage(layers, n, part) if n else None for n in stages_of(layer))
        source = area(shop, input_of(layers), part, cancel)
        out = lay_shared(read, layers, part, base, source, cleaned, structure)
    else:
        top = stage_tile(shop, layers, layer.what()[-1], place, cancel)
        mask = stage_tile(shop, layers, layer.where[-1], place, cancel) if layer.where else None
        out = lay(layer, base, top, mask)
    out = _own(out)
    shop.cache.put((layer.after, place), out)
    return out


def lay(layer: Layer, base: NDArray, top: NDArray, mask: NDArray | None) -> NDArray[np.float32]:
    """A step's result over its input; a step that gives another kind of picture replaces it."""
    if base.shape != top.shape or layer.step.kind.gives:
        return np.asarray(top, np.float32)
    return lay_over(base, top, layer.step.blend, layer.step.opacity, mask)


def stages_of(layer: Layer) -> tuple[str, str | None]:
    """The stages of a layer that takes out shares: its input without any noise, and what is given back."""
    shares, params = layer.step.kind.noise.shares, layer.step.params
    assert shares is not None
    return shares.cleaned(params), shares.structure(params)


def lay_shared(
    read: Read,
    layers: Layers,
    region: Region,
    below: NDArray[np.float32],
    source: NDArray[np.float32],
    cleaned: NDArray[np.float32] | None,
    structure: NDArray[np.float32] | None,
) -> NDArray[np.float32]:
    """The result of a layer that takes out its share after others of its run, see `noise_of.shares.shared`."""
    assert cleaned is not None
    *before, own = shares_of(read, layers, region, cleaned)
    shares = layers[-1].step.kind.noise.shares
    assert shares is not None
    back = None if structure is None else structure * np.float32(shares.give_back(layers[-1].step.params))
    return shared(below, source, cleaned, back, before, own)


@dataclass(frozen=True)
class TileRead:
    """What `by_place.Read` promises, from tiles."""

    shop: Shop
    cancel: Cancel

    @property
    def size(self) -> tuple[int, int]:
        return self.shop.size

    def mask(self, layers: Layers, region: Region) -> NDArray[np.float32] | None:
        where = layers[-1].where
        return stage_area(self.shop, layers, where[-1], region, self.cancel) if where else None

    def stage(self, layers: Layers, name: str, region: Region) -> NDArray[np.float32]:
        return stage_area(self.shop, layers, layers[-1].bound(name), region, self.cancel)

    def result(self, layers: Layers, region: Region) -> NDArray[np.float32]:
        return area(self.shop, layers, region, self.cancel)


def stage_tile(shop: Shop, layers: Layers, bound: Bound, place: Place, cancel: Cancel) -> NDArray[np.float32]:
    """A stage's tile; computed on the spot when the cache has dropped it."""
    key = (layers[-1].key_of(bound), place)
    tile = shop.cache.get(key)
    if tile is None:
        shop.facts_of(layers, cancel)
        region = tile_region(place, shop.size)
        tile = _own(bound.stage.run(TileContext(shop, layers, bound, region, cancel)))
        shop.cache.put(key, tile)
    return tile


def result_tile(shop: Shop, layers: Layers, place: Place, cancel: Cancel) -> NDArray[np.float32]:
    """A tile of the last layer's result; computed on the spot when the cache has dropped it."""
    if not layers:
        return shop.picture.pixels[tile_region(place, shop.size).slices()]
    tile = shop.cache.get((layers[-1].after, place))
    return _finish(shop, layers, place, cancel) if tile is None else tile


def area(shop: Shop, layers: Layers, region: Region, cancel: Cancel) -> NDArray[np.float32]:
    """A region of a result, without a copy where it comes from the source."""
    if not layers:
        return shop.picture.pixels[region.slices()]
    places = tiles_of(region, shop.size)
    return joined(shop, region, ((p, result_tile(shop, layers, p, cancel)) for p in places))


def stage_area(shop: Shop, layers: Layers, bound: Bound, region: Region, cancel: Cancel) -> NDArray[np.float32]:
    """A region of a stage's result."""
    places = tiles_of(region, shop.size)
    return joined(shop, region, ((p, stage_tile(shop, layers, bound, p, cancel)) for p in places))


def joined(shop: Shop, region: Region, tiles: Iterable[tuple[Place, NDArray]]) -> NDArray[np.float32]:
    """A region from the tiles that meet it."""
    out: NDArray | None = None
    for place, tile in tiles:
        part = tile_region(place, shop.size)
        if out is None:
            out = np.empty((region.height, region.width, *tile.shape[2:]), np.float32)
        common = part.common(region)
        out[common.slices(region)] = tile[common.slices(part)]
    assert out is not None
    return out


@dataclass(frozen=True)
class TileContext:
    """What `stage.Context` promises to stages, from tiles."""

    shop: Shop
    layers: Layers
    bound: Bound
    region: Region
    cancel: Cancel

    @property
    def params(self) -> object:
        return self.bound.params

    @property
    def facts(self) -> dict:
        return self.layers[-1].facts

    @property
    def size(self) -> tuple[int, int]:
        return self.shop.size

    def get(self, stage: str, grow: int = 0) -> tuple[NDArray[np.float32], Region]:
        around = self.region.grown(grow).within(self.size)
        if stage == INPUT:
            return area(self.shop, input_of(self.layers), around, self.cancel), around
        layer = self.layers[-1]
        names = {b.name: b for b in (*layer.what(), *layer.where)}
        found = names[self.bound.resolve(stage, names)]
        return stage_area(self.shop, self.layers, found, around, self.cancel), around

    def by_place(self, grow: int = 0) -> NDArray[np.float32] | None:
        known = self.facts.get(KNOWN)
        if known is None:
            return None
        around = self.region.grown(grow).within(self.size)
        residue = sees_residue(self.layers[-1], self.bound)
        return factor_on(TileRead(self.shop, self.cancel), input_of(self.layers), around, known, residue)

    def check(self) -> None:
        self.cancel.check()


assert TILE % 4 == 0  # stages look at blocks on lattices of 4 px
