"""What is done for a picture on screen, in the order in which people look.

First a draft of what is seen, then the same exactly, then the probes, the verdict, and the rest of the picture when
nothing else is wished. Where so much of the picture is seen that all of it would take long, the probes and the verdict
come before; the view is then reckoned from the reduced picture and compared with exact pixels at the places where the
verdict was measured, so that it can be said whether it looks the same.

What is found is told as events, and a new wish calls the old one off.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future
from concurrent.futures import TimeoutError as NotYet
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.cancel import Cancel
from dustpan.core.colour import luma
from dustpan.core.hits import Hits
from dustpan.core.jobs.events import (
    Done,
    Drafted,
    Found,
    Judged,
    Measured,
    Pixels,
    Placed,
    ProbeSeen,
    ProbeView,
    Progressed,
    ReducedPixels,
    Seen,
    Tell,
    Warned,
    Wished,
    Words,
)  # fmt: skip
from dustpan.core.jobs.find import found_by_steps
from dustpan.core.jobs.lanes import Lane
from dustpan.core.jobs.request import Request
from dustpan.core.judge.placing import place
from dustpan.core.judge.probe_figures import Figure, figures
from dustpan.core.judge.probes import Probe, with_found
from dustpan.core.judge.whole import cleaned, factor_of, full_print, judge_sweep, noise_print, windows
from dustpan.core.language import say
from dustpan.core.look import Look
from dustpan.core.open.document import Document
from dustpan.core.open.exact import Exact
from dustpan.core.region import Region
from dustpan.core.render.layers import layers_of
from dustpan.core.render.tiles import RUN
from dustpan.core.render.tiling import Place, bounds, run_groups, tile_region, tiles_of
from dustpan.core.screen import halved
from dustpan.core.sweep import Step, Sweep

GIVEN_WAY = 0.04  # s, to painting and to the next wish of who drags a control
STRIP = 1024  # px: side of the squares that a wide view is drafted in at full size
AT_A_TIME = 2  # runs of tiles between two looks at what is visible
TONE_SEEN = 32  # px that the brightness of a probe is told from
PROBE_SHOWN = 128  # px of the picture that a probe can show when enlarged
AT_ONCE_MOST = 1_500_000  # px: larger views are reckoned from the reduced picture
ALIKE, NEARLY_ALL = 1.0, 99.0  # steps of 255 that nobody sees, and for which percentage of the pixels that has to hold


class Show:
    """One request, worked off on the thread that calls `run`; judging goes on in a lane of its own."""

    def __init__(self, open: Document, request: Request, tell: Tell, cancel: Cancel, judging: Lane) -> None:
        self.open, self.request, self.cancel, self.judging = open, request, cancel, judging
        self._listener = tell
        self.renderer, self.size = open.renderer, open.renderer.size
        self.seen = {other: request.seen.get(other) or Exact(self.size) for other in (False, True)}
        self.found: dict[int, Hits] = {}  # by step number
        for other, exact in self.seen.items():
            exact.begin(request.what(other))

    def _tell(self, what: Callable[..., Wished], *found: Any) -> None:
        self._listener(what(self.open, self.request, *found))

    def run(self) -> None:
        """Do it all; raises `Cancelled` when a newer wish has come."""
        self.cancel.check()
        wide = self.request.visible.area > AT_ONCE_MOST
        self._develop_first(wide)
        self._measure()
        self._draft(wide)
        if wide:
            self._run_wide()
        else:
            self._run_close()

    def _run_close(self) -> None:
        """A view that is soon exact: it comes first, then what is told of it, then the rest of the picture."""
        self._see(False)
        self._tell(Seen, None)
        self._see_other(False)
        self.cancel.pause(GIVEN_WAY)
        self._find()
        self._probe()
        if self._only_looked_at:
            self._tell(Done)
            return
        self._judge()
        self._rest()
        self._tell(Done)
        self._warn()  # a few steps judged once more do not matter, nor does the little that was left

    def _run_wide(self) -> None:
        """A view that takes long: what is told of it comes first, then the view as it will look, then exact pixels."""
        self._find()
        self._probe()
        if not self._only_looked_at:
            self._judge()
        self._see_wide()
        self._see_other(True)
        if not self._only_looked_at:
            self._warn()
            self._rest()
        self._tell(Done)

    @property
    def _only_looked_at(self) -> bool:
        """Whether it is an aside, that is not judged and does not stay for long."""
        return self.request.aside is not None

    def _develop_first(self, wide: bool) -> None:
        """Of a sensor's samples that nothing is known of yet, what they become before they are cleaned."""
        if not (wide and self.open.picture.kind.of_sensor) or self.open.noise_print is not None:
            return
        if self.seen[False].missing(self._visible()) is not None:
            before = self.renderer.reference(self.request.sweep)
            self._tell_reduced(False, *self._reduced(False, draft=True, sweep=before))
            self._tell(Drafted)

    # -------------------------------------------------------------- what is known of the picture

    def _measure(self) -> None:
        found = full_print(self.renderer, self.cancel, self.request.sweep)  # another reference has another print
        if found is not self.open.noise_print:
            self.open.noise_print = found
            self._tell(Measured, found)

    def _judge(self) -> None:
        """On a thread of its own, so that the next request need not wait for it."""
        sweep = self.request.sweep
        if self.open.verdict is None or self.open.judged != sweep:
            found = self._elsewhere(lambda cancel: judge_sweep(self.renderer, sweep, cancel))
            self.open.verdict, self.open.judged = found, sweep
        self._tell(Judged, self.open.verdict)

    def _find(self) -> None:
        """By step number, what the steps have found in their inputs."""
        self.found = {n: hits for n, _, hits in found_by_steps(self.renderer, self.request.sweep, self.cancel)}
        if self.found:
            self._tell(Found, self.found)

    def _watch(self) -> None:
        """A probe on what was found by a step that was not there before; a person can move it or take it away."""
        for n, hits in self.found.items():
            step = self.request.sweep.steps[n]
            if isinstance(step, Step) and hits.watch and hits.any and step.kind.id not in self.open.watched:
                assert self.open.probes is not None
                self.open.watched.add(step.kind.id)
                self.open.probes = with_found(self.open.probes, *hits.watch)
                self._tell(Placed, self.open.probes)

    def _warn(self) -> None:
        """By step number, what a step makes worse; found by judging the sweep without it."""
        sweep, verdict = self.request.sweep, self.open.verdict
        assert verdict is not None
        if self.open.warned is None or self.open.warned[0] != sweep:
            acting = [n for n, step in enumerate(sweep.steps) if step.acts]
            layers = layers_of(self.open.picture, sweep)
            late = [n for n, layer in zip(acting, layers, strict=True) if layer.too_late]
            found = dict.fromkeys(late, say("no noise is left for it"))
            for n, step in enumerate(sweep.steps):
                if n in late:
                    continue
                if isinstance(step, Step) and step.acts and not step.kind.gives and not step.kind.finishing:
                    without = sweep.changed(n, on=False)
                    other = self._elsewhere(lambda cancel, s=without: judge_sweep(self.renderer, s, cancel))
                    if words := verdict.worsens(other):
                        found[n] = words
            self.open.warned = sweep, found
        self._tell(Warned, self.open.warned[1])

    def _elsewhere(self, work: Any) -> Any:
        """The result of work on the judging lane; a wish that is called off does not wait for its end."""
        result: Future = Future()

        def do(cancel: Cancel) -> None:
            try:
                result.set_result(work(cancel))
            except BaseException as error:
                result.set_exception(error)

        self.judging.add(do, self.cancel)
        while True:
            self.cancel.check()
            try:
                return result.result(0.005)
            except NotYet:
                continue

    # -------------------------------------------------------------- what is seen

    def _visible(self) -> Region:
        return self.request.visible.aligned(self.request.step).within(self.size)

    def _words(
        self, other: bool, region: Region, draft: bool = False, look: Look | None = None, sweep: Sweep | None = None
    ) -> NDArray[np.uint32]:
        """Packed pixels of a region of a side, computed without the rest of its tiles and seen through the look."""
        look, sweep = look or self.request.look, sweep or self.request.side(other)
        have = region.grown(look.reach).within(self.size)
        after = self.renderer.at_once(sweep, have, self.cancel, draft)
        return self._looked_at(look, region, have, after)

    def _looked_at(self, look: Look, region: Region, have: Region, after: NDArray) -> NDArray[np.uint32]:
        picture = self.open.picture
        before = self.renderer.at_once(self.renderer.reference(self.request.sweep), have, self.cancel)
        shown = look.view(
            before, after, self.open.noise_print, picture.curve, region, have, self.size, picture.source.layers
        )
        self.cancel.check()
        return self.renderer.for_screen(self.request.sweep, shown)

    def _draft(self, wide: bool) -> None:
        """What is seen done quickly where doing it exactly takes time, and the probes where it takes long."""
        region = self.seen[False].missing(self._visible())
        if region is None:
            return
        # a wide view is exact only after the probes and the verdict, so that even quick work is drafted first
        if not wide and self.renderer.slow_done(self.request.side(False), tiles_of(region, self.size)):
            return
        if wide:
            self._tell_reduced(False, *self._reduced(False, draft=True))
        else:
            self._tell(Pixels, False, region, self._words(False, region, draft=True), False)
        self._tell(Drafted)
        if self.open.probes_seen != self._probes_key():
            self._show_probes(draft=True)

    def _see(self, other: bool) -> None:
        """What is seen of a side, and no more, exactly."""
        region = self.seen[other].missing(self._visible())
        if region is not None:
            self._tell_exact(other, region, self._words(other, region))

    def _see_other(self, wide: bool) -> None:
        if not self.request.both or self.seen[True].missing(self._visible()) is None:
            return
        if wide:
            self._tell_reduced(True, *self._reduced(True))
        else:
            self._see(True)

    def _tell_exact(self, other: bool, region: Region, words: NDArray[np.uint32]) -> None:
        self._tell(Pixels, other, region, words, True)
        self.seen[other].mark(region)

    # -------------------------------------------------------------- a wide view, from the reduced picture

    def _reduced(
        self, other: bool, draft: bool = False, sweep: Sweep | None = None
    ) -> tuple[int, Region, NDArray[np.uint32]]:
        """Level, region and packed pixels of what is seen, reckoned at the size at which it is drawn."""
        request, picture = self.request, self.open.picture
        level = max(1, request.level)
        renderer = self.open.reduced(level)
        region = Region(*(v >> level for v in self._visible().aligned(2**level))).within(renderer.size)
        small = (sweep or request.side(other)).scaled(0.5**level)
        after = renderer.at_once(small, region, self.cancel, draft)
        before = renderer.at_once(renderer.reference(small), region, self.cancel)
        shown = request.look.view(
            before, after, self.open.noise_print, picture.curve, region, region, renderer.size, picture.source.layers
        )
        self.cancel.check()
        return level, region, renderer.for_screen(small, shown)

    def _tell_reduced(self, other: bool, level: int, region: Region, words: NDArray[np.uint32]) -> None:
        self._tell(ReducedPixels, other, level, region, words)
        self.seen[other].forget(Region(*(v << level for v in region)))

    def _see_wide(self) -> None:
        """The view from drafts at full size, and whether it looks as exact pixels would.

        What sets a draft apart from the exact result is finer than what can be seen at this size; where that is not so,
        the view stays a draft until its tiles are exact.
        """
        if self.seen[False].missing(self._visible()) is None:
            self._tell(Seen, None)
            return
        level = max(1, self.request.level)
        view = self._visible().aligned(2**level).within(self.size)
        small = self.open.reduced(level).size
        region = Region(*(v >> level for v in view)).within(small)
        words = np.empty((region.height, region.width), np.uint32)
        side = STRIP >> level << level
        for y in range(view.y0, view.y1, side):
            for x in range(view.x0, view.x1, side):
                part = Region(y, x, y + side, x + side).common(view)
                shown = self._halved(self._words(False, part, draft=True), level)
                place = Region(*(v >> level for v in part)).common(region)
                words[place.slices(region)] = shown[: place.height, : place.width]
        self._tell_reduced(False, level, region, words)
        apart = self._apart(level, region, words)
        if apart is not None:
            self._tell(Seen, apart)

    @staticmethod
    def _halved(words: NDArray[np.uint32], level: int) -> NDArray[np.uint32]:
        for _ in range(level):
            words = halved(words)
        return words

    def _apart(self, level: int, region: Region, words: NDArray[np.uint32]) -> float | None:
        """How many steps of 255 nearly all reckoned pixels are from exact ones, where the verdict was measured."""
        found = []
        for window in windows(self.size):
            small = Region(*(v >> level for v in window)).common(region)
            if small.height <= 0 or small.width <= 0:
                continue
            exact = self._halved(self._words(False, Region(*(v << level for v in small)).within(self.size)), level)
            mine = words[small.slices(region)]
            h, w = (min(a, b) for a, b in zip(mine.shape, exact.shape, strict=True))
            found.append(_steps_apart(mine[:h, :w], exact[:h, :w]))
        return float(np.percentile(np.concatenate(found), NEARLY_ALL)) if found else None

    # -------------------------------------------------------------- probes

    def _probes_key(self) -> tuple:
        return self.open.probes, self.request.sweep, self.request.other, self.request.look, self.request.aside

    def _probe(self) -> None:
        if self.open.probes is None:
            assert self.open.noise_print is not None
            renderer = self.renderer
            before = renderer.reference(self.request.sweep)
            whole = renderer.render if before.steps else renderer.at_once  # the latter copies nothing
            pixels = whole(before, Region(0, 0, *self.size), self.cancel)
            self.open.probes = place(pixels, self.open.noise_print, self.cancel.check, renderer.threads)
            self._tell(Placed, self.open.probes)
        self._watch()
        if self.open.probes_seen != self._probes_key():
            self._show_probes()
            self.open.probes_seen = self._probes_key()

    def _show_probes(self, draft: bool = False) -> None:
        for number, probe in enumerate(self.open.probes or ()):
            self.cancel.check()
            sides = self._drafted_probe(probe) if draft else self._exact_probe(probe)
            level = float(luma(self.open.untouched(probe.region(self.size, TONE_SEEN))).mean())
            self._tell(ProbeSeen, number, ProbeView(probe, *sides, level))

    def _drafted_probe(self, probe: Probe) -> tuple[Words, Words, tuple[Figure, ...]]:
        shown = probe.region(self.size)
        return self._words(True, shown, draft=True), self._words(False, shown, draft=True), ()

    def _exact_probe(self, probe: Probe) -> tuple[Words, Words, tuple[Figure, ...]]:
        """A probe with its figures; every side is computed once, on what is shown and read around it."""
        request, renderer, look = self.request, self.renderer, self.request.look
        noise = noise_print(renderer, self.cancel, request.sweep)
        shown = probe.region(self.size, PROBE_SHOWN)
        have = shown.grown(look.reach).within(self.size)
        reference, calm = renderer.reference(request.sweep), cleaned(renderer, request.sweep)
        found: dict[Sweep, NDArray[np.float32]] = {}
        for sweep in (reference, request.other, calm, request.sweep, request.side(False)):
            if sweep not in found:
                found[sweep] = renderer.at_once(sweep, have, self.cancel)
        before, after = (self._looked_at(look, shown, have, found[request.side(other)]) for other in (True, False))
        part = probe.region(self.size).slices(have)
        sides = [found[sweep][part] for sweep in (reference, request.sweep, calm)]
        factor = factor_of(noise, probe.region(self.size))
        return before, after, figures(probe, sides[0], sides[1], sides[2], noise, factor)

    # -------------------------------------------------------------- the rest

    def _rest(self) -> None:
        """All tiles that are not exact on screen yet, those nearest to what is seen first."""
        places = tiles_of(Region(0, 0, *self.size), self.size)
        left: dict[tuple[bool, tuple[Place, ...]], list[Place]] = {}
        for other in (False, True):
            todo = [p for p in places if self.seen[other].missing(tile_region(p, self.size)) is not None]
            left |= {(other, tuple(g)): g for g in run_groups(todo, self.size, RUN)}
        total = sum(len(g) for g in left.values())
        while left:
            self.cancel.check()
            nearest = sorted(left, key=lambda k: (_distance(k[1], self.request.visible), k[0]))[:AT_A_TIME]
            for other, key in nearest:
                self._tiles(other, left.pop((other, key)))
            self.renderer.hold(self.request.sweep, tiles_of(self.request.visible, self.size))  # the next begins there
            self._tell(Progressed, total - sum(len(g) for g in left.values()), total)
        self._tell(Seen, None)

    def _tiles(self, other: bool, places: list[Place]) -> None:
        look, sweep = self.request.look, self.request.side(other)
        for spot, tile in self.renderer.tiles(sweep, places, self.cancel).items():
            region = tile_region(spot, self.size)
            have = region.grown(look.reach).within(self.size)
            after = tile if look.reach == 0 else self.renderer.render(sweep, have, self.cancel)
            self._tell_exact(other, region, self._looked_at(look, region, have, after))


def _steps_apart(a: NDArray[np.uint32], b: NDArray[np.uint32]) -> NDArray[np.float32]:
    """The largest difference of the three channels of packed pixels, in steps of 255; flat."""
    parts = [((p[..., None] >> np.array([16, 8, 0], np.uint32)) & np.uint32(255)).astype(np.float32) for p in (a, b)]
    return np.asarray(np.abs(parts[0] - parts[1]).max(-1).ravel())


def _distance(places: tuple[Place, ...], visible: Region) -> float:
    """How far a run of tiles is from the middle of what is visible; visible ones come before all others."""
    around = bounds(tile_region(p, (1 << 30, 1 << 30)) for p in places)
    cy, cx = (visible.y0 + visible.y1) / 2, (visible.x0 + visible.x1) / 2
    d = max(abs((around.y0 + around.y1) / 2 - cy), abs((around.x0 + around.x1) / 2 - cx))
    return d if around.meets(visible) else d + 1e6
