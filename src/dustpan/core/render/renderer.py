"""Computes sweeps on one picture: whole, by regions, by tiles, as drafts.

Bytes are the same whatever was asked for before, in whatever order, on however many threads.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from functools import partial
from itertools import count
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.cancel import Cancel
from dustpan.core.errors import WrongUse
from dustpan.core.fact import FactKind
from dustpan.core.picture import Kind, Picture
from dustpan.core.region import Region
from dustpan.core.render import tiles
from dustpan.core.render.at_once import Terms, mask_at_once, place_at_once, render_at_once, sample
from dustpan.core.render.cache import Cache
from dustpan.core.render.facts import opened
from dustpan.core.render.layers import Layers, layers_of, on_top_of, reference_of, repaired_of
from dustpan.core.render.shop import Shop
from dustpan.core.render.tiling import TILE, Place, run_groups, tile_region, tiles_of
from dustpan.core.screen import packed
from dustpan.core.sweep import Step, Sweep

AT_ONCE = 2_000_000  # px: up to here a region is computed without tiles

Progress = Callable[[int, int], None]


class Renderer:
    """Computes sweeps on one picture.

    Parameters
    ----------
    picture : the source.
    threads : how many tiles are computed at a time.
    cache : shared between renderers if wanted.

    Examples
    --------
    >>> from dustpan.core.picture import from_array
    >>> from dustpan.core.sweep import make_step
    >>> with Renderer(from_array(np.full((40, 60, 3), 0.25, np.float32))) as renderer:
    ...     lifted = renderer.render(Sweep((make_step("tone", {"push": 1}),)))
    >>> lifted.shape, bool(lifted.mean() > 0.3)
    ((40, 60, 3), True)
    """

    def __init__(self, picture: Picture, threads: int | None = None, cache: Cache | None = None) -> None:
        self.picture, self.size = picture, picture.size
        self._shop = Shop(picture, threads, cache, self._read, self._sample, self._place)
        self.threads = self._shop.threads

    @property
    def cache(self) -> Cache:
        return self._shop.cache

    def close(self) -> None:
        """Wait for what is running and give the threads back."""
        self._shop.close()

    def __enter__(self) -> Renderer:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    # -------------------------------------------------------------- pixels

    def reference(self, sweep: Sweep) -> Sweep:
        """What a sweep's result is compared with: the sweep up to its last change of the kind of picture."""
        return reference_of(self.picture, sweep)

    def repaired(self, sweep: Sweep) -> Sweep:
        """What a sweep's result is judged against: its reference, with the repairs of the sweep."""
        return repaired_of(self.picture, sweep)

    def result(self, sweep: Sweep, pixels: NDArray) -> Picture:
        """The picture that a sweep's whole result is."""
        layers = layers_of(self.picture, sweep)
        kind = layers[-1].kind if layers else self.picture.kind
        if self.picture.kind.of_sensor and not kind.of_sensor:
            return self.picture.developed(pixels, kind, self.profile(sweep))
        return self.picture.with_pixels(pixels, kind)

    def kind(self, sweep: Sweep) -> Kind:
        """The kind of picture that a sweep gives."""
        layers = layers_of(self.picture, sweep)
        return layers[-1].kind if layers else self.picture.kind

    def profile(self, sweep: Sweep) -> bytes | None:
        """The ICC profile of a sweep's result; that of the picture where no step gives another one."""
        given = (s.kind.profile(s.params) for s in reversed(sweep.active) if s.kind.profile and s.kind.gives)
        return next(given, self.picture.metadata.icc)

    def for_screen(self, sweep: Sweep, pixels: NDArray[np.float32]) -> NDArray[np.uint32]:
        """Values of a sweep's result as packed words for an sRGB screen."""
        return packed(self.picture.for_screen(pixels), self.profile(sweep))

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
        layers = layers_of(self.picture, sweep)
        if not layers:
            return self.picture.pixels[region.slices()].copy()
        if region.area <= AT_ONCE:
            return self._render_small(layers, region, cancel, progress)
        return self._render_by_tiles(layers, region, cancel, progress)

    def _render_small(
        self, layers: Layers, region: Region, cancel: Cancel, progress: Progress | None
    ) -> NDArray[np.float32]:
        stages = sum(len(layer.what()) + len(layer.where) for layer in layers)
        ended = count(1)
        tell = (lambda: progress(min(next(ended), stages - 1), stages)) if progress else (lambda: None)
        result = render_at_once(self._shop, layers, region, Terms(cancel, ended=tell))
        if progress:
            progress(stages, stages)
        return np.array(result)  # of its own: it may be a view of the source

    def _render_by_tiles(
        self, layers: Layers, region: Region, cancel: Cancel, progress: Progress | None
    ) -> NDArray[np.float32]:
        out: NDArray[np.float32] | None = None
        places = tiles_of(region, self.size)
        # so much at a time as keeps the threads busy, and no more than stays in the cache from layer to layer
        done, at_a_time = 0, self.threads * tiles.run_size(self._shop, len(places) * TILE * TILE)
        for wanted in run_groups(places, self.size, at_a_time):
            tiles.ensure(self._shop, layers, wanted, cancel)
            for place in wanted:
                tile, part = tiles.result_tile(self._shop, layers, place, cancel), tile_region(place, self.size)
                if out is None:
                    out = np.empty((region.height, region.width, tile.shape[2]), np.float32)
                common = part.common(region)
                out[common.slices(region)] = tile[common.slices(part)]
            done += len(wanted)
            if progress:
                progress(done, len(places))
        assert out is not None
        return out

    def tiles(
        self, sweep: Sweep, places: Iterable[Place], cancel: Cancel | None = None
    ) -> dict[Place, NDArray[np.float32]]:
        """Result tiles by place; computed together, so give those that lie together."""
        cancel, layers, wanted = cancel or Cancel(), layers_of(self.picture, sweep), list(places)
        tiles.ensure(self._shop, layers, wanted, cancel)
        return {place: tiles.result_tile(self._shop, layers, place, cancel) for place in wanted}

    def at_once(
        self, sweep: Sweep, region: Region, cancel: Cancel | None = None, draft: bool = False
    ) -> NDArray[np.float32]:
        """The result on just this region, without the rest of the tiles that it cuts; not to be written to.

        The quickest way to a place of which nothing is computed yet. Of an exact result the tiles that lie wholly
        inside are kept for later. A draft takes the quick version of slow stages, and does not measure what a
        step leaves (see `Facts.begin`). Nothing of it is kept.
        """
        layers = layers_of(self.picture, sweep)
        out = render_at_once(self._shop, layers, region.within(self.size), Terms(cancel or Cancel(), draft))
        out.setflags(write=False)
        return out

    def mask(
        self, sweep: Sweep, index: int, region: Region | None = None, cancel: Cancel | None = None, draft: bool = False
    ) -> NDArray[np.float32]:
        """Where a step counts: (h, w) from 0 to 1, whether the step does anything or not.

        Parameters
        ----------
        index : of the step in the sweep. draft : see `at_once`.
        """
        step = sweep.steps[index]
        if not isinstance(step, Step):
            raise WrongUse("{0} cannot be used here.", step.name)
        region = (region or Region(0, 0, *self.size)).within(self.size)
        before = layers_of(self.picture, sweep.first(index))
        where = step.where.resolved(dict(sweep.masks))
        layer = on_top_of(self.picture, before, replace(step, where=where))
        found = mask_at_once(self._shop, [*before, layer], region, Terms(cancel or Cancel(), draft))
        return np.ones((region.height, region.width), np.float32) if found is None else np.array(found)

    def settled(self, sweep: Sweep, cancel: Cancel | None = None) -> Sweep:
        """A sweep whose masks point at no place of the picture: picked colours instead of where to pick them."""
        for n, step in enumerate(sweep.steps):
            if isinstance(step, Step) and step.where.parts:
                read = partial(self.at_once, sweep.first(n), cancel=cancel)
                where = step.where.settled(read, self.size)
                sweep = sweep if where == step.where else sweep.changed(n, where=where)
        return sweep

    def peek(self, sweep: Sweep, region: Region) -> NDArray[np.float32] | None:
        """A region of a result if all of it is cached already; computes nothing."""
        layers = layers_of(self.picture, sweep)
        part = region.within(self.size)
        if not layers:
            return self.picture.pixels[part.slices()]
        found = [(p, self.cache.get((layers[-1].after, p))) for p in tiles_of(part, self.size)]
        known = [(place, tile) for place, tile in found if tile is not None]
        return tiles.joined(self._shop, part, known) if known and len(known) == len(found) else None

    # -------------------------------------------------------------- what is there already

    def slow_done(self, sweep: Sweep, places: Sequence[Place]) -> bool:
        """Whether all slow stages are cached for these tiles."""
        slow = [layer.key_of(layer.slow) for layer in layers_of(self.picture, sweep) if layer.slow.stage.draft]
        return all(self.cache.get((key, place)) is not None for key in slow for place in places)

    def hold(self, sweep: Sweep, places: Sequence[Place]) -> None:
        """Make what is kept of these tiles the last to be dropped."""
        for layer in layers_of(self.picture, sweep):
            for key in (*(layer.key_of(b) for b in (*layer.where, *layer.what())), layer.after):
                for place in places:
                    self.cache.get((key, place))

    # -------------------------------------------------------------- facts

    def fact(self, kind: FactKind, sweep: Sweep, index: int | None = None, cancel: Cancel | None = None) -> Any:
        """A fact about the input of the acting step number ``index``; about the sweep's result when left out."""
        layers = layers_of(self.picture, sweep)
        subject = self._shop.subject(layers if index is None else layers[:index])
        return opened(self._shop.facts.begin(kind, subject, cancel or Cancel())())

    def by_place(self, sweep: Sweep, region: Region, cancel: Cancel | None = None) -> NDArray[np.float32] | None:
        """How much stronger than its noise print the noise of a sweep's result is on a region.

        (1 or 2, h, w) factors of luminance and of colour; None where the print holds as it is.
        """
        return self._place(layers_of(self.picture, sweep), region.within(self.size), cancel or Cancel())

    def _read(self, layers: Layers, region: Region, cancel: Cancel) -> NDArray[np.float32]:
        if not layers:
            return self.picture.pixels[region.slices()]
        tiles.ensure(self._shop, layers, tiles_of(region, self.size), cancel)
        return tiles.area(self._shop, layers, region, cancel)

    def _place(self, layers: Layers, region: Region, cancel: Cancel) -> NDArray[np.float32] | None:
        return place_at_once(self._shop, layers, region, Terms(cancel))

    def _sample(self, layers: Layers, cancel: Cancel) -> tuple[NDArray[np.float32], tuple[Region, ...]]:
        return sample(self._shop, layers, cancel)
