"""Which pixels are needed, in what order, and where they are kept.

A sweep is rendered layer by layer: for a wanted region the tiles of the first step's stages are computed, then those of
the next. Tiles sit on a lattice fixed in picture coordinates. Stages do not depend on how a picture is cut (tested for
every step), so missing tiles that lie together are computed in one go and then kept one by one; bytes are the same
whatever was asked for before, in whatever order, on however many threads.
"""

from __future__ import annotations

import os
import threading
from collections import OrderedDict
from collections.abc import Callable, Iterable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.blend import lay_over
from dustpan.core.errors import Cancelled, WrongUse
from dustpan.core.language import say
from dustpan.core.noise.measure import measure
from dustpan.core.picture import Picture
from dustpan.core.region import Region
from dustpan.core.step import INPUT, Fact, Stage
from dustpan.core.sweep import Step, Sweep

TILE = 128
RUN = 512 * 512  # px of a run of tiles that the window asks for at a time
LARGEST_RUN = 1024 * 1024  # px of a run in an export: the larger, the less is computed twice along its sides
SMALL = 600_000  # px: up to here one run a thread is quickest
SAMPLE_SIDE, SAMPLE_STEP, SAMPLE_AT = 512, 128, (0.3, 0.7)  # px: a step's result is measured on blocks on the diagonal
OUTPUT = "output"
DRAFT = "/draft"  # ends the id of a step kind that is another's draft

Place = tuple[int, int]
Progress = Callable[[int, int], None]


class Cancel:
    """A flag that long work reads; once set, `check` raises `Cancelled`."""

    def __init__(self) -> None:
        self._event = threading.Event()

    def set(self) -> None:
        self._event.set()

    @property
    def wanted(self) -> bool:
        return self._event.is_set()

    def check(self) -> None:
        if self._event.is_set():
            raise Cancelled


class Cache:
    """Tiles and facts by key, the longest unused dropped first once ``limit`` bytes are reached."""

    def __init__(self, limit: int = 1_500_000_000) -> None:
        self.limit = limit
        self._items: OrderedDict[tuple, NDArray] = OrderedDict()
        self._facts: OrderedDict[tuple, Any] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()

    def get(self, key: tuple) -> NDArray | None:
        with self._lock:
            if key not in self._items:
                return None
            self._items.move_to_end(key)
            return self._items[key]

    def put(self, key: tuple, value: NDArray) -> None:
        with self._lock:
            old = self._items.pop(key, None)
            if old is not None:
                self._bytes -= old.nbytes
            self._items[key] = value
            self._bytes += value.nbytes
            while self._bytes > self.limit and len(self._items) > 1:
                _, dropped = self._items.popitem(last=False)
                self._bytes -= dropped.nbytes

    def fact(self, key: tuple) -> Any:
        with self._lock:
            return self._facts.get(key)

    def keep_fact(self, key: tuple, value: Any) -> None:
        """Facts are small and dear: they are not dropped for tiles, only for newer facts."""
        with self._lock:
            self._facts[key] = value
            while len(self._facts) > 64:
                self._facts.popitem(last=False)


@dataclass(frozen=True)
class _Layer:
    """One acting step within a sweep, with the key of everything up to it."""

    step: Step
    index: int
    before: tuple
    after: tuple

    @property
    def drafty(self) -> bool:
        return self.step.kind.id.endswith(DRAFT)

    def stage_key(self, stage: Stage) -> tuple:
        return (
            self.before,
            self.step.kind.id,
            self.step.kind.version,
            stage.name,
            stage.key(self.step.params),
        )


def tile_region(place: Place, size: tuple[int, int]) -> Region:
    return Region(place[0] * TILE, place[1] * TILE, (place[0] + 1) * TILE, (place[1] + 1) * TILE).within(size)


def tiles_of(region: Region, size: tuple[int, int]) -> list[Place]:
    """The tiles that meet a region, in reading order."""
    r = region.within(size)
    if r.height <= 0 or r.width <= 0:
        return []
    ys = range(r.y0 // TILE, -(-r.y1 // TILE))
    xs = range(r.x0 // TILE, -(-r.x1 // TILE))
    return [(y, x) for y in ys for x in xs]


class Renderer:
    """Computes sweeps on one picture.

    Parameters
    ----------
    picture : the source.
    threads : how many tiles are computed at a time.
    cache : shared between renderers if wanted.
    """

    def __init__(self, picture: Picture, threads: int | None = None, cache: Cache | None = None) -> None:
        self.picture = picture
        self.size = picture.size
        self.cache = cache or Cache()
        self._stale: dict[tuple[Fact, str], Any] = {}  # the last facts about what a step left; good enough for drafts
        self.threads = threads or os.cpu_count() or 2
        self._pool = ThreadPoolExecutor(self.threads, thread_name_prefix="tile")

    def close(self) -> None:
        """Wait for running tiles and give the threads back."""
        self._pool.shutdown(wait=True, cancel_futures=True)

    def __enter__(self) -> Renderer:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    # -------------------------------------------------------------- what is asked for

    def render(
        self,
        sweep: Sweep,
        region: Region | None = None,
        cancel: Cancel | None = None,
        progress: Progress | None = None,
    ) -> NDArray[np.float32]:
        """The result of a sweep on a region (the whole picture when left out).

        Raises
        ------
        Cancelled : when ``cancel`` was set. WrongUse : when a step cannot work on this picture.
        """
        cancel = cancel or Cancel()
        region = region or Region(0, 0, *self.size)
        layers = self._layers(sweep)
        source = self.picture.pixels
        if not layers:
            return source[region.slices()].copy()
        out = np.empty((region.height, region.width, source.shape[2]), np.float32)
        places = tiles_of(region, self.size)
        # so much at a time as keeps the threads busy, and no more than stays in the cache from layer to layer
        done, at_a_time = 0, self.threads * self._run_size(len(places) * TILE * TILE)
        for wanted in run_groups(places, self.size, at_a_time):
            self._ensure(layers, wanted, cancel)
            for place in wanted:
                tile = self._tile(layers, place, cancel)
                part = tile_region(place, self.size)
                common = Region(
                    max(part.y0, region.y0),
                    max(part.x0, region.x0),
                    min(part.y1, region.y1),
                    min(part.x1, region.x1),
                )
                out[common.slices(region)] = tile[common.slices(part)]
            done += len(wanted)
            if progress:
                progress(done, len(places))
        return out

    def _run_size(self, area: int) -> int:
        """Pixels of a run when so many are wanted: all threads get an equal share, large areas several."""
        share = area // self.threads
        return min(share if area <= SMALL else max(share // 2, RUN), LARGEST_RUN)

    def tiles(
        self, sweep: Sweep, places: Iterable[Place], cancel: Cancel | None = None
    ) -> dict[Place, NDArray[np.float32]]:
        """Result tiles by place; computed together, so give those that lie together."""
        cancel, layers, wanted = cancel or Cancel(), self._layers(sweep), list(places)
        self._ensure(layers, wanted, cancel)
        return {place: self._tile(layers, place, cancel) for place in wanted}

    def peek(self, sweep: Sweep, region: Region) -> NDArray[np.float32] | None:
        """A region of a result if all of it is cached already; computes nothing."""
        layers = self._layers(sweep)
        part = region.within(self.size)
        if not layers:
            return self.picture.pixels[part.slices()]
        tiles = {p: self.cache.get((layers[-1].after, OUTPUT, p)) for p in tiles_of(part, self.size)}
        if not tiles or any(t is None for t in tiles.values()):
            return None
        return self._assemble(layers, part, Cancel())

    def quick(self, sweep: Sweep, places: Iterable[Place]) -> bool:
        """Whether all that is slow is cached for these tiles, so that no draft is needed."""
        slow = [layer for layer in self._layers(sweep) if layer.step.kind.draft]
        keys = [layer.stage_key(layer.step.kind.stages[0]) for layer in slow]
        return all(self.cache.get((key, place)) is not None for key in keys for place in places)

    def fact(self, fact: Fact, sweep: Sweep, index: int | None = None, cancel: Cancel | None = None) -> Any:
        """A fact about the input of the acting step number ``index``; about the sweep's result when left out."""
        layers = self._layers(sweep)
        before = layers if index is None else layers[:index]
        return self._fact(fact, before, cancel or Cancel())

    # -------------------------------------------------------------- layers

    def _layers(self, sweep: Sweep) -> list[_Layer]:
        layers: list[_Layer] = []
        key: tuple = (self.picture.key,)
        for step in sweep.active:
            if self.picture.kind not in step.kind.takes:
                raise WrongUse(
                    "{0} does not work on a picture of this kind ({1}).", step.name, say(self.picture.kind.value)
                )
            after = (*key, step.key)
            layers.append(_Layer(step, len(layers), key, after))
            key = after
        return layers

    def _fact(self, fact: Fact, before: list[_Layer], cancel: Cancel) -> Any:
        key = (fact, before[-1].after if before else (self.picture.key,))
        found = self.cache.fact(key)
        if found is None and any(layer.drafty for layer in before):
            found = self._stale.get((fact, before[-1].step.kind.id.removesuffix(DRAFT)))
            if found is not None:
                return found
        if found is None:
            found = measure(self._sample(before, cancel))
            self.cache.keep_fact(key, found)
        if before:
            self._stale[fact, before[-1].step.kind.id.removesuffix(DRAFT)] = found
        return found

    def _sample(self, layers: list[_Layer], cancel: Cancel) -> NDArray[np.float32]:
        """Pixels to measure a step's input on: all of the source, or two blocks of a result."""
        if not layers:
            return self.picture.pixels
        if min(self.size) < SAMPLE_SIDE:
            whole = Region(0, 0, *self.size)
            self._ensure(layers, tiles_of(whole, self.size), cancel)
            return self._assemble(layers, whole, cancel)
        found = []
        for share in SAMPLE_AT:
            y, x = (int(share * (n - SAMPLE_SIDE)) // SAMPLE_STEP * SAMPLE_STEP for n in self.size)
            block = Region(y, x, y + SAMPLE_SIDE, x + SAMPLE_SIDE)
            self._ensure(layers, tiles_of(block, self.size), cancel)
            found.append(self._assemble(layers, block, cancel))
        return np.concatenate(found)

    # -------------------------------------------------------------- tiles

    def _ensure(self, layers: list[_Layer], places: list[Place], cancel: Cancel) -> None:
        """Compute what is missing for these tiles of the last layer, earlier layers first."""
        if not layers:
            return
        *before, layer = layers
        missing = [p for p in places if self.cache.get((layer.after, OUTPUT, p)) is None]
        if not missing:
            return
        stages = [s for s in layer.step.kind.stages if s.needed(layer.step.params)]
        wanted: list[list[Place]] = [missing]
        for stage in reversed(stages):
            wanted.append(self._grown(wanted[-1], stage.reach))
        self._ensure(before, wanted.pop(), cancel)
        facts = {f: self._fact(f, before, cancel) for f in layer.step.kind.facts(layer.step.params)}
        for stage in stages:
            todo = [p for p in wanted.pop() if self.cache.get((layer.stage_key(stage), p)) is None]
            area = sum(r.height * r.width for r in (tile_region(p, self.size) for p in todo))
            jobs = run_groups(todo, self.size, self._run_size(area))
            work = [self._pool.submit(self._run_stage, layers, stage, job, facts, cancel) for job in jobs]
            try:
                for job in work:
                    job.result()
            except BaseException:
                for job in work:
                    job.cancel()
                raise
        for place in missing:
            cancel.check()
            self._finish(layers, stages[-1], place, cancel)

    def _grown(self, places: list[Place], reach: int) -> list[Place]:
        if reach == 0:
            return places
        found: dict[Place, None] = {}
        for place in places:
            for near in tiles_of(tile_region(place, self.size).grown(reach), self.size):
                found[near] = None
        return sorted(found)

    def _run_stage(
        self,
        layers: list[_Layer],
        stage: Stage,
        places: list[Place],
        facts: Mapping[Fact, Any],
        cancel: Cancel,
    ) -> None:
        cancel.check()
        layer = layers[-1]
        parts = [tile_region(p, self.size) for p in places]
        around = Region(
            min(p.y0 for p in parts),
            min(p.x0 for p in parts),
            max(p.y1 for p in parts),
            max(p.x1 for p in parts),
        )
        result = stage.run(_Context(self, layers, around, facts, cancel))
        for place, part in zip(places, parts, strict=True):
            tile = np.ascontiguousarray(result[part.slices(around)])
            tile.setflags(write=False)
            self.cache.put((layer.stage_key(stage), place), tile)

    def _finish(self, layers: list[_Layer], last: Stage, place: Place, cancel: Cancel) -> NDArray[np.float32]:
        """Lay the last stage over the step's input and keep the tile."""
        layer = layers[-1]
        top = self._stage_tile(layers, last, place, cancel)
        base = self._area(layers[:-1], tile_region(place, self.size), cancel)
        tile = lay_over(base, top, layer.step.blend, layer.step.opacity)
        tile.setflags(write=False)
        self.cache.put((layer.after, OUTPUT, place), tile)
        return tile

    def _stage_tile(self, layers: list[_Layer], stage: Stage, place: Place, cancel: Cancel) -> NDArray[np.float32]:
        """A stage's tile; computed on the spot when the cache has dropped it."""
        layer = layers[-1]
        key = (layer.stage_key(stage), place)
        tile = self.cache.get(key)
        if tile is None:
            facts = {f: self._fact(f, layers[:-1], cancel) for f in layer.step.kind.facts(layer.step.params)}
            region = tile_region(place, self.size)
            tile = stage.run(_Context(self, layers, region, facts, cancel))
            self.cache.put(key, tile)
        return tile

    def _tile(self, layers: list[_Layer], place: Place, cancel: Cancel) -> NDArray[np.float32]:
        if not layers:
            return self.picture.pixels[tile_region(place, self.size).slices()]
        tile = self.cache.get((layers[-1].after, OUTPUT, place))
        if tile is None:
            stages = [s for s in layers[-1].step.kind.stages if s.needed(layers[-1].step.params)]
            tile = self._finish(layers, stages[-1], place, cancel)
        return tile

    def _area(self, layers: list[_Layer], region: Region, cancel: Cancel) -> NDArray[np.float32]:
        """A region of a layer's result, without a copy where it comes from the source."""
        if not layers:
            return self.picture.pixels[region.slices()]
        return self._assemble(layers, region, cancel)

    def _assemble(self, layers: list[_Layer], region: Region, cancel: Cancel, stage: Stage | None = None) -> NDArray:
        out: NDArray | None = None
        for place in tiles_of(region, self.size):
            tile = self._stage_tile(layers, stage, place, cancel) if stage else self._tile(layers, place, cancel)
            part = tile_region(place, self.size)
            if out is None:
                out = np.empty((region.height, region.width, *tile.shape[2:]), np.float32)
            y0, x0 = max(part.y0, region.y0), max(part.x0, region.x0)
            y1, x1 = min(part.y1, region.y1), min(part.x1, region.x1)
            common = Region(y0, x0, y1, x1)
            out[common.slices(region)] = tile[common.slices(part)]
        assert out is not None
        return out


@dataclass(frozen=True)
class _Context:
    """What `Context` promises to stages."""

    renderer: Renderer
    layers: list[_Layer]
    region: Region
    facts: Mapping[Fact, Any]
    cancel: Cancel

    @property
    def params(self) -> Any:
        return self.layers[-1].step.params

    @property
    def size(self) -> tuple[int, int]:
        return self.renderer.size

    def get(self, stage: str, grow: int = 0) -> tuple[NDArray[np.float32], Region]:
        area = self.region.grown(grow).within(self.size)
        if stage == INPUT:
            return self.renderer._area(self.layers[:-1], area, self.cancel), area
        found = next(s for s in self.layers[-1].step.kind.stages if s.name == stage)
        return self.renderer._assemble(self.layers, area, self.cancel, found), area

    def check(self) -> None:
        self.cancel.check()


def run_groups(places: Iterable[Place], size: tuple[int, int], largest: int) -> list[list[Place]]:
    """Tiles in full rectangles of at most ``largest`` px, in reading order; a rectangle with holes is split.

    Parameters
    ----------
    places : tiles, in any order. size : the picture's (height, width).
    """
    wanted = sorted(set(places))
    if not wanted:
        return []
    y0, y1 = wanted[0][0], wanted[-1][0] + 1
    x0, x1 = min(x for _, x in wanted), max(x for _, x in wanted) + 1
    parts = [tile_region(p, size) for p in ((y0, x0), (y1 - 1, x1 - 1))]
    height, width = parts[1].y1 - parts[0].y0, parts[1].x1 - parts[0].x0
    full = len(wanted) == (y1 - y0) * (x1 - x0)
    if len(wanted) == 1 or (full and height * width <= largest):
        return [wanted]
    axis, middle = (0, parts[0].y0 + height / 2) if (y1 - y0 > 1 and height >= width) or x1 - x0 == 1 else (
        1, parts[0].x0 + width / 2)  # fmt: skip
    first, last = (y0, y1) if axis == 0 else (x0, x1)
    cut = min(max(round(middle / TILE), first + 1), last - 1)
    halves = [p for p in wanted if p[axis] < cut], [p for p in wanted if p[axis] >= cut]
    return [group for half in halves for group in run_groups(half, size, largest)]
