"""Which pixels are needed, in what order, and where they are kept.

A sweep is rendered layer by layer: for a wanted region the tiles of the first step's stages are computed, then those of
the next. Tiles sit on a lattice fixed in picture coordinates. Stages do not depend on how a picture is cut (tested for
every step), so missing tiles that lie together are computed in one go and then kept one by one; bytes are the same
whatever was asked for before, in whatever order, on however many threads.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from itertools import count
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.blend import lay_over
from dustpan.core.cache import Cache, Cancel
from dustpan.core.errors import WrongUse
from dustpan.core.facts import Facts, Left
from dustpan.core.language import say
from dustpan.core.picture import Picture
from dustpan.core.region import Region
from dustpan.core.step import INPUT, Fact, Stage
from dustpan.core.sweep import Step, Sweep
from dustpan.core.tiling import TILE, Place, bands, run_groups, tile_region, tiles_of

RUN = 512 * 512  # px of a run of tiles that the window asks for at a time
LARGEST_RUN = 1_500_000  # px of a run in an export: the larger, the less is computed twice along its sides
SMALL = 4_000_000  # px: up to here one run a thread is quickest
AT_ONCE = 2_000_000  # px: up to here a region is computed without tiles, cut so that all threads have as much to do
SLACK = 1.3  # a run may be so much larger than its share, for tiles can not be shared out evenly
INLINE = 40_000  # px: less is quicker on one thread
SAMPLE_SIZE, SAMPLE_AT = (TILE, 2 * TILE), (0.3, 0.7)  # a step's result is measured on whole tiles on the diagonal
OUTPUT = "output"

Progress = Callable[[int, int], None]


@dataclass(frozen=True)
class _Layer:
    """One acting step within a sweep, with the key of everything up to it."""

    step: Step
    index: int
    before: tuple
    after: tuple

    def stage_key(self, stage: Stage) -> tuple:
        return (
            self.before,
            self.step.kind.id,
            self.step.kind.version,
            stage.name,
            stage.key(self.step.params),
        )


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
        self.threads = threads or os.cpu_count() or 2
        self._pool = ThreadPoolExecutor(self.threads, thread_name_prefix="tile")
        self._facts = Facts(picture, self.cache, self.threads)

    def close(self) -> None:
        """Wait for what is running and give the threads back."""
        self._pool.shutdown(wait=True, cancel_futures=True)
        self._facts.close()

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
        if region.area <= AT_ONCE:
            stages = sum(len(layer.step.kind.stages_for(layer.step.params)) for layer in layers)
            ended = count(1)
            tell = (lambda: progress(min(next(ended), stages - 1), stages)) if progress else (lambda: None)
            result = self._at_once(layers, region, cancel, ended=tell)
            if progress:
                progress(stages, stages)
            return np.array(result)  # of its own: it may be a view of what is kept
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
        share = int(SLACK * area / self.threads)
        return min(share if area <= SMALL else max(share // 2, RUN), LARGEST_RUN)

    def tiles(
        self, sweep: Sweep, places: Iterable[Place], cancel: Cancel | None = None
    ) -> dict[Place, NDArray[np.float32]]:
        """Result tiles by place; computed together, so give those that lie together."""
        cancel, layers, wanted = cancel or Cancel(), self._layers(sweep), list(places)
        self._ensure(layers, wanted, cancel)
        return {place: self._tile(layers, place, cancel) for place in wanted}

    def at_once(
        self, sweep: Sweep, region: Region, cancel: Cancel | None = None, draft: bool = False
    ) -> NDArray[np.float32]:
        """The result on just this region, without the rest of the tiles that it cuts.

        The quickest way to a place of which nothing is computed yet. Of an exact result the tiles that lie wholly
        inside are kept for later. A draft takes the quick version of slow stages, and does not measure what a
        step leaves (see `Facts.begin`). Nothing of it is kept.
        """
        return self._at_once(self._layers(sweep), region.within(self.size), cancel or Cancel(), draft)

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

    def slow_done(self, sweep: Sweep, places: Sequence[Place]) -> bool:
        """Whether all slow stages are cached for these tiles."""
        kinds = [(layer, layer.step.kind.slow_stage) for layer in self._layers(sweep)]
        slow = [layer.stage_key(stage) for layer, stage in kinds if stage.draft]
        return all(self.cache.get((key, place)) is not None for key in slow for place in places)

    def quick(self, sweep: Sweep, places: Sequence[Place]) -> bool:
        """Whether all that takes time is cached for these tiles, facts as well, so that no draft is needed."""
        layers = self._layers(sweep)
        asked = [(f, layer.before) for layer in layers for f in layer.step.kind.facts(layer.step.params)]
        known = all(self.cache.fact(key) is not None for key in asked if not key[0].of_picture)
        return known and self.slow_done(sweep, places)

    def hold(self, sweep: Sweep, places: Sequence[Place]) -> None:
        """Make what is kept of these tiles the last to be dropped."""
        for layer in self._layers(sweep):
            keys = [(layer.stage_key(stage),) for stage in layer.step.kind.stages_for(layer.step.params)]
            for key in (*keys, (layer.after, OUTPUT)):
                for place in places:
                    self.cache.get((*key, place))

    def fact(self, fact: Fact, sweep: Sweep, index: int | None = None, cancel: Cancel | None = None) -> Any:
        """A fact about the input of the acting step number ``index``; about the sweep's result when left out."""
        layers = self._layers(sweep)
        before = layers if index is None else layers[:index]
        return self._begin_fact(fact, before, cancel or Cancel())()

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

    def _begin_facts(self, layers: list[_Layer], cancel: Cancel, draft: bool = False) -> dict[Fact, Callable[[], Any]]:
        """Those that the last layer asks for, as calls that wait for them, so that other work is done meanwhile."""
        step = layers[-1].step
        return {f: self._begin_fact(f, layers[:-1], cancel, draft) for f in step.kind.facts(step.params)}

    def _begin_fact(self, fact: Fact, before: list[_Layer], cancel: Cancel, draft: bool = False) -> Callable[[], Any]:
        if fact.of_picture or not before:
            return partial(self._facts.of_picture, fact, cancel)
        left = Left(before[-1].after, before[-1].step.kind.id)
        return self._facts.begin(left, partial(self._sample, before, cancel), cancel, draft)

    def _sample(self, layers: list[_Layer], cancel: Cancel) -> NDArray[np.float32]:
        """Pixels to measure a result on: all of a small one, or two blocks of it."""
        sides = list(zip(self.size, SAMPLE_SIZE, strict=True))
        if any(whole < side for whole, side in sides):
            return self._at_once(layers, Region(0, 0, *self.size), cancel)
        corners = [[int(share * (whole - side)) // TILE * TILE for whole, side in sides] for share in SAMPLE_AT]
        blocks = [Region(y, x, y + SAMPLE_SIZE[0], x + SAMPLE_SIZE[1]) for y, x in corners]
        return np.concatenate([self._at_once(layers, block, cancel) for block in blocks])

    # -------------------------------------------------------------- a region without its tiles

    def _at_once(
        self,
        layers: list[_Layer],
        region: Region,
        cancel: Cancel,
        draft: bool = False,
        ended: Callable[[], None] = lambda: None,
    ) -> NDArray[np.float32]:
        """``ended`` is called after every stage of every layer."""
        if not layers:
            return self.picture.pixels[region.slices()]
        *before, layer = layers
        if self._mostly_kept((layer.after, OUTPUT), region):
            self._ensure(layers, tiles_of(region, self.size), cancel)
            return self._assemble(layers, region, cancel)
        slow = layer.step.kind.slow_stage
        begun = self._mostly_kept((layer.stage_key(slow),), region)
        stages = layer.step.kind.stages_for(layer.step.params, draft and not begun)
        left = stages[stages.index(slow) + 1 :] if begun else stages
        spans = [region]
        for stage in reversed(left):
            spans.append(spans[-1].grown(stage.reach_with(layer.step.params)).within(self.size))
        around = spans.pop()
        facts_begun = self._begin_facts(layers, cancel, draft)
        held = {INPUT: (self._at_once(before, around, cancel, draft, ended), around)}
        if begun:
            self._ensure(layers, tiles_of(around, self.size), cancel, slow)
            held[slow.name] = self._assemble(layers, around, cancel, slow), around
        facts = _ready(facts_begun)
        for stage in left:
            span = spans.pop()
            parts = bands(span, self.threads if span.area > INLINE else 1)
            contexts = [_HeldContext(layer.step.params, facts, part, self.size, held, cancel) for part in parts]
            if len(contexts) == 1:
                held[stage.name] = (stage.run(contexts[0]), span)
            else:
                results = results_of([self._pool.submit(stage.run, context) for context in contexts])
                held[stage.name] = (np.concatenate(results, 0 if span.height >= span.width else 1), span)
            ended()
        (under, around), (over, span) = held[INPUT], held[stages[-1].name]
        base, top = under[region.slices(around)], over[region.slices(span)]
        out = lay_over(base, top, layer.step.blend, layer.step.opacity)
        if not draft:
            for stage in left:
                self._keep_whole_tiles((layer.stage_key(stage),), *held[stage.name])
            self._keep_whole_tiles((layer.after, OUTPUT), out, region)
        return out

    def _mostly_kept(self, key: tuple, region: Region) -> bool:
        """Whether so many tiles are computed already that the rest is quicker than all of it anew."""
        places = tiles_of(region, self.size)
        return 2 * sum(self.cache.get((*key, place)) is not None for place in places) > len(places)

    def _keep_whole_tiles(self, key: tuple, pixels: NDArray, have: Region) -> None:
        """Keep the tiles that lie wholly inside; without copying them where they are most of what is there."""
        parts = [(place, tile_region(place, self.size)) for place in tiles_of(have, self.size)]
        whole = [(place, part) for place, part in parts if part.inside(have)]
        mostly = 2 * sum(part.area for _, part in whole) > have.area
        if mostly:
            pixels.setflags(write=False)  # whoever is handed them cannot change what is kept
        for place, part in whole:
            tile = pixels[part.slices(have)]
            if not mostly:
                tile = tile.copy()
            tile.setflags(write=False)
            self.cache.put((*key, place), tile)

    # -------------------------------------------------------------- tiles

    def _ensure(self, layers: list[_Layer], places: list[Place], cancel: Cancel, upto: Stage | None = None) -> None:
        """Compute what is missing for these tiles of the last layer, or of one of its stages, earlier layers first."""
        if not layers:
            return
        *before, layer = layers
        stages = layer.step.kind.stages_for(layer.step.params)
        key: tuple = (layer.after, OUTPUT)
        if upto:
            stages, key = stages[: stages.index(upto) + 1], (layer.stage_key(upto),)
        wanted = missing = [p for p in places if self.cache.get((*key, p)) is None]
        if not missing:
            return
        planned: list[tuple[Stage, list[Place]]] = []
        for stage in reversed(stages):
            todo = [p for p in wanted if self.cache.get((layer.stage_key(stage), p)) is None]
            planned.append((stage, todo))
            wanted = self._grown(todo, stage.reach_with(layer.step.params))
        self._ensure(before, sorted({*wanted, *missing}), cancel)
        facts = _ready(self._begin_facts(layers, cancel))
        for stage, todo in reversed(planned):
            area = sum(r.height * r.width for r in (tile_region(p, self.size) for p in todo))
            jobs = run_groups(todo, self.size, self._run_size(area))
            work = [self._pool.submit(self._run_stage, layers, stage, job, facts, cancel) for job in jobs]
            results_of(work)
        for place in () if upto else missing:
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
            facts = _ready(self._begin_facts(layers, cancel))
            region = tile_region(place, self.size)
            tile = stage.run(_Context(self, layers, region, facts, cancel))
            self.cache.put(key, tile)
        return tile

    def _tile(self, layers: list[_Layer], place: Place, cancel: Cancel) -> NDArray[np.float32]:
        if not layers:
            return self.picture.pixels[tile_region(place, self.size).slices()]
        tile = self.cache.get((layers[-1].after, OUTPUT, place))
        if tile is None:
            stages = layers[-1].step.kind.stages_for(layers[-1].step.params)
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


@dataclass(frozen=True)
class _HeldContext:
    """What `Context` promises to stages, from arrays at hand."""

    params: Any
    facts: Mapping[Fact, Any]
    region: Region
    size: tuple[int, int]
    held: Mapping[str, tuple[NDArray, Region]]
    cancel: Cancel

    def get(self, stage: str, grow: int = 0) -> tuple[NDArray[np.float32], Region]:
        area = self.region.grown(grow).within(self.size)
        pixels, have = self.held[stage]
        return pixels[area.slices(have)], area

    def check(self) -> None:
        self.cancel.check()


def _ready(begun: Mapping[Fact, Callable[[], Any]]) -> dict[Fact, Any]:
    """Facts that were begun, waited for."""
    return {fact: found() for fact, found in begun.items()}


def results_of(work: Sequence[Future]) -> list[Any]:
    """The results of jobs; when one fails the others are called off."""
    try:
        return [job.result() for job in work]
    except BaseException:
        for job in work:
            job.cancel()
        raise
