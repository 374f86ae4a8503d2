"""An open picture: its renderer, its sweep with history, both sides on screen, and what has been measured so far."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from threading import Lock
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour import luma
from dustpan.core.develop.half_size import camera_colours
from dustpan.core.develop.sensor_noise import SENSOR_NOISE
from dustpan.core.develop.white import temperature_of
from dustpan.core.errors import WrongUse
from dustpan.core.files import Opening, open_picture, opening_from_json
from dustpan.core.files.guard import GUARD
from dustpan.core.history import History
from dustpan.core.judge.probes import Probe, Role, probe_from_json
from dustpan.core.judge.verdict import Verdict
from dustpan.core.language import say
from dustpan.core.look import look_at
from dustpan.core.looks.channels import PICTURE
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.open.exact import CELL, Exact
from dustpan.core.open.facts import pixel_words
from dustpan.core.open.profile import Line, line_across_edge
from dustpan.core.open.pyramid import Pyramid
from dustpan.core.open.saved import SavedSweep
from dustpan.core.open.viewing import first_viewing
from dustpan.core.picture import Kind, Picture
from dustpan.core.region import Region
from dustpan.core.render.cache import Cache
from dustpan.core.render.renderer import Renderer
from dustpan.core.screen import packed, reduced
from dustpan.core.sweep import FRAMES, Step, Sweep, first_steps, save_sweep, suggested
from dustpan.core.text import name_of

EDGE_SEARCH = 320  # px: side of the square in the middle of the view in which an edge is looked for
EDGE_AT_PROBE = 64  # px, around the edge probe
LARGE_VIEW = 1_200_000  # px: of larger views the edge probe stands in
SMALL = 2.0  # megapixels


@dataclass(frozen=True)
class KeptState:
    """A remembered state of the sweep."""

    name: str
    sweep: Sweep


class Document:
    """One open picture.

    What is found about it in the background is kept here by whoever is told; only what stands under *pixels* computes,
    and is not for a thread that paints.

    Parameters
    ----------
    path : of the picture. cache : shared by all open pictures. check : see `open_picture`.

    Raises
    ------
    DustpanError : when the picture cannot be opened. A damaged sweep beside it is no reason: see ``warnings``.
    """

    def __init__(
        self,
        path: Path,
        cache: Cache,
        threads: int | None = None,
        opening: Opening | None = None,
        check: Callable[[], None] = lambda: None,
    ) -> None:
        self.path, self.saved = path, SavedSweep(path)
        own = self.saved.read()
        self.opening = opening or opening_from_json(own.extra.get("opening") if own else None)
        self.picture: Picture = open_picture(path, self.opening, check)
        self._let_go = GUARD.hold(path)  # nothing is written over it while it is open
        self.warnings = [*filter(None, [self.saved.warning]), *self.picture.notices]
        self.renderer = Renderer(self.picture, threads, cache)
        self._reduced: dict[int, Renderer] = {}
        self._reducing = Lock()
        untouched = own is not None and not own.steps and FRAMES in own.extra  # a stack that nobody has worked on
        if own is not None and untouched:
            own = replace(self.suggested, extra=own.extra)
        self.history = History(self.suggested if own is None else own)
        self.before = Pyramid(self.picture.size)
        self._fill_first()
        self.after = self.before.copy()
        side = max(CELL, self.before.step)
        self.exact = {other: Exact(self.picture.size, side) for other in (False, True)}
        if not self.picture.kind.of_sensor:
            self.exact[True].fill((Sweep(), look_at(PICTURE)))
        self.viewing = first_viewing(self.sweep.extra.get("viewing"), self.picture, self.sample)
        self.kept: list[KeptState] = []
        self.probes: tuple[Probe, ...] | None = self._saved_probes()
        self.probes_seen: Any = None  # for which wish the probes are on screen
        kept = self.sweep.steps if self.probes is not None else ()
        self.watched = {s.kind.id for s in kept if isinstance(s, Step)}  # steps for whose finds a probe was placed
        self.levels_at: dict[Probe, float] = {}  # luma 0..1 at probes, before anything is done
        self._edge_line: tuple[Region, Line | None] | None = None
        self.noise_print: NoisePrint | None = None
        self.costs: dict[str, float] | None = None  # seconds that the whole picture takes at each quality of Noise
        self.verdict: Verdict | None = None
        self.judged: Sweep | None = None  # the sweep that the verdict is of
        self.warned: tuple[Sweep, dict[int, str]] | None = None  # what steps make worse, and in which sweep
        # whether repairs were looked for; of a sweep of one's own they are not
        self.looked = self.saved.there and not untouched
        self.kept_safe: Sweep | None = None  # the unsaved sweep that was last kept against a crash

    def close(self) -> None:
        """Give back its threads, and let its file be written over."""
        self._let_go()
        for renderer in (self.renderer, *self._reduced.values()):
            renderer.close()

    # -------------------------------------------------------------- what is done to it

    @property
    def name(self) -> str:
        return name_of(self.path)

    @property
    def sweep(self) -> Sweep:
        return self.history.sweep

    @property
    def reference(self) -> Sweep:
        """What the sweep's result is compared with as the original."""
        return self.renderer.reference(self.sweep)

    @property
    def bare(self) -> Sweep:
        """The sweep that does nothing but make a picture of what the file holds."""
        steps = first_steps(self.picture.kind)
        if self.picture.kind is not Kind.BARE and self.picture.sensor and steps:
            kelvin, tint = temperature_of(self.picture.sensor, self.picture.sensor.balance)
            seen = steps[0].params.model_copy(update={"temperature": round(kelvin), "tint": round(tint)})
            steps = (replace(steps[0], params=seen), *steps[1:])
        return Sweep(steps)

    @property
    def suggested(self) -> Sweep:
        """What is done when nothing was asked for."""
        return Sweep((*self.bare.steps, *suggested().steps))

    def start_with(self, sweep: Sweep) -> None:
        """Begin anew with another sweep, as if it had been opened with it."""
        self.history = History(sweep)

    def kind_before(self, index: int) -> Kind:
        """The kind of picture that a step gets."""
        try:
            return self.renderer.kind(Sweep(self.sweep.steps[:index]))
        except WrongUse:
            return self.picture.kind

    def keep_state(self) -> KeptState:
        """Remember the sweep as it is now."""
        state = KeptState(f"{len(self.kept) + 1}: {self._state_words()}", self.sweep)
        self.kept.append(state)
        return state

    def _state_words(self) -> str:
        active = self.sweep.active
        return " · ".join(s.summary for s in active) if active else say("nothing applied")

    def save(self, path: Path | None = None) -> Path:
        """Write the sweep with its probes beside the picture, or elsewhere to be safe from a crash."""
        about: dict[str, Any] = {"picture": self.path.name}
        if self.probes is not None:
            about["probes"] = [p.as_json() for p in self.probes]
        if chosen := self.opening.as_json():
            about["opening"] = chosen
        about |= self.viewing.as_json()
        if path is not None:
            save_sweep(self.sweep, path, about)
            return path
        target = self.saved.write(self.sweep, about)
        self.history.mark_saved()
        return target

    # -------------------------------------------------------------- what is watched

    def _saved_probes(self) -> tuple[Probe, ...] | None:
        """Probes that the sweep file keeps, those inside the picture; None when it keeps none."""
        raw = self.sweep.extra.get("probes")
        if not isinstance(raw, list):
            return None
        h, w = self.picture.size
        found = (probe_from_json(r) for r in raw if isinstance(r, dict))
        return tuple(p for p in found if p and p.y < h and p.x < w)

    def watch(self, probes: tuple[Probe, ...] | None) -> None:
        """Watch other places; None lets Dustpan find them anew."""
        self.probes = probes
        if probes is None:
            self.watched.clear()
        self._edge_line = None

    def probe_levels(self) -> list[float]:
        """Luma 0..1 at the probes, as far as they were looked at."""
        return [self.levels_at[probe] for probe in self.probes or () if probe in self.levels_at]

    def pixel_words(self, y: int, x: int, other: Sweep) -> str:
        """The values of a pixel on the other side and in the result, as far as they are there; empty outside."""
        h, w = self.picture.size
        if not (0 <= y < h and 0 <= x < w):
            return ""
        found = [self.renderer.peek(s, Region(y, x, y + 1, x + 1)) for s in (other, self.sweep)]
        return pixel_words(self.picture, y, x, [p[0, 0] for p in found if p is not None])

    # -------------------------------------------------------------- pixels

    def _fill_first(self) -> None:
        """Show something at once: the picture, or of a sensor's samples the preview that came along."""
        if not self.picture.kind.of_sensor:
            self.before.fill(self.picture)
            return
        level, seen = 1 if len(self.before.levels) > 1 else 0, self.picture.preview
        if seen is not None:
            level = next((n for n, a in enumerate(self.before.levels) if a.shape[0] <= seen.shape[0]), level)
            h, w = self.before.levels[level].shape
            words = packed(cv2.resize(seen, (w, h), interpolation=cv2.INTER_AREA) / np.float32(255), None)
        else:
            level = max(1, level)
            small = self.reduced(level)
            words = small.for_screen(self.bare, small.render(self.bare))
        finest = 0 if self.picture.megapixels < SMALL else min(1, level)  # nobody sees large ones larger so soon
        self.before.put_reduced(level, Region(0, 0, *words.shape), words, finest)

    def reduced(self, level: int) -> Renderer:
        """Renders the picture at 1 / 2**level of its size, for large views; made once a level."""
        with self._reducing:
            if level not in self._reduced:
                p, factor = self.picture, 2**level
                mosaic = p.kind is Kind.MOSAIC and p.sensor is not None
                pixels = camera_colours(p.pixels, p.sensor, factor) if mosaic else reduced(p.pixels, factor)  # type: ignore[arg-type]
                planes = {n: reduced(plane[..., None], factor)[..., 0] for n, plane in p.planes.items() if not mosaic}
                self._reduced[level] = Renderer(p.reduced(pixels, planes), self.renderer.threads, self.renderer.cache)
            return self._reduced[level]

    def sample(self) -> NDArray[np.float32]:
        """(h, w, C) of what the result is compared with, reduced: what histograms and levels are told from."""
        if not self.picture.kind.of_sensor:
            return self.picture.pixels
        small = self.reduced(max(1, len(self.before.levels) // 2))
        before = Sweep(self.sweep.active[: self.sweep.changes_kind(self.picture.kind)]).scaled(0.5)
        try:
            return small.render(before)
        except WrongUse:  # an order that cannot work is told where the picture is shown
            return small.picture.pixels

    def sensor_floor(self) -> float:
        """Sigma of a sensor's noise in the dark, 1 being white; 0 while it is not known."""
        known = self.picture.kind.of_sensor and self.noise_print is not None
        found = self.renderer.fact(SENSOR_NOISE, Sweep()) if known else None
        return float(np.sqrt(found.read)) if found else 0.0

    def untouched(self, region: Region) -> NDArray[np.float32]:
        """A region of the picture before anything is done to it, developed where it has to be."""
        if not self.picture.kind.of_sensor:
            return self.picture.pixels[region.slices()]
        return self.renderer.at_once(self.reference, region)

    def luma_of(self, sweep: Sweep, region: Region) -> NDArray[np.float32]:
        """Luma of a region of a result as far as it is computed; of the input where it is not yet."""
        pixels = self.renderer.peek(sweep, region)
        if pixels is None:
            pixels = self.untouched(region.within(self.picture.size))
        return np.asarray(luma(pixels), np.float32)

    def edge_line(self, visible: Region) -> Line | None:
        """A line across the hardest edge in the middle of the view; across the edge probe's when the view is large.

        Looked for once a view, in the input, so that it stays while controls move.
        """
        known = self._edge_line
        if known is None or known[0] != visible:
            part = self._edge_part(visible.within(self.picture.size))
            known = (visible, line_across_edge(self.untouched(part), part) if part else None)
            self._edge_line = known
        return known[1]

    def _edge_part(self, view: Region) -> Region | None:
        y, x, side = (view.y0 + view.y1) // 2, (view.x0 + view.x1) // 2, EDGE_SEARCH
        if view.area > LARGE_VIEW:
            probe = next((p for p in self.probes or () if p.role is Role.EDGE), None)
            if probe is None:
                return None
            y, x, side = probe.y, probe.x, EDGE_AT_PROBE
        return Probe(Role.OWN, y, x).region(self.picture.size, side)
