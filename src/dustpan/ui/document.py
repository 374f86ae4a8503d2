"""An open picture: its renderer, its sweep with history, and what has been measured of it so far. No Qt here."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import count
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.colour import lab, luma
from dustpan.core.develop.half_size import camera_colours
from dustpan.core.develop.light import decoded
from dustpan.core.develop.sensor_noise import SENSOR_NOISE
from dustpan.core.develop.white import normal, temperature_of
from dustpan.core.errors import DustpanError, FileProblem, WrongUse, os_reason
from dustpan.core.files import Opening, open_picture, opening_from_json
from dustpan.core.files import exif as ex
from dustpan.core.files.guard import GUARD
from dustpan.core.finish.levels import Levels, automatic, levels_from_json
from dustpan.core.history import History
from dustpan.core.jobs.exact import CELL, Exact
from dustpan.core.judge.edges import REACH, find_edges
from dustpan.core.judge.probes import Probe, Role, probe_from_json
from dustpan.core.judge.verdict import Verdict
from dustpan.core.language import say
from dustpan.core.look import Look, LookKind, look_at
from dustpan.core.looks.brightened import BRIGHTENED
from dustpan.core.looks.channels import PICTURE
from dustpan.core.looks.exposure import EXPOSURE
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.picture import Kind, Picture
from dustpan.core.region import Region
from dustpan.core.render.cache import Cache
from dustpan.core.render.renderer import Renderer
from dustpan.core.screen import packed, reduced
from dustpan.core.sweep import Sweep, beside, first_steps, load_sweep, save_sweep, suggested
from dustpan.core.text import name_of, plain
from dustpan.ui.pyramid import Pyramid

EDGE_SEARCH = 320  # px: side of the square in the middle of the view in which an edge is looked for
LARGE_VIEW = 1_200_000  # px: of larger views the edge probe stands in
LIGHT_SEEN = 300_000  # samples that the light on a sensor is told from
SMALL = 2.0  # megapixels
PICKED = 4  # px around the place that white is picked at
DARKEST_PICKED, BRIGHTEST_PICKED = 2e-4, 0.98  # of the light that becomes white
VIEWING = (BRIGHTENED, EXPOSURE)  # looks that are remembered for a picture
Place = tuple[float, float]  # x, y


@dataclass(frozen=True)
class KeptState:
    """A remembered state of the sweep."""

    name: str
    sweep: Sweep


def _fingerprint(path: Path) -> str:
    """What a file holds, as a short name; empty for none."""
    try:
        return hashlib.blake2b(path.read_bytes(), digest_size=16).hexdigest()
    except OSError:
        return ""


class Document:
    """One open picture.

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
        self.path = path
        self.warnings: list[str] = []
        own = self._own_sweep()
        self.opening = opening or opening_from_json(own.extra.get("opening") if own else None)
        self.picture: Picture = open_picture(path, self.opening, check)
        self._let_go = GUARD.hold(path)  # nothing is written over it while it is open
        self.warnings += self.picture.notices
        self.renderer = Renderer(self.picture, threads, cache)
        self._reduced: dict[int, Renderer] = {}
        self.history = History(self.suggested if own is None else own)
        self.before = Pyramid(self.picture.size)
        self._fill_first()
        self.after = self.before.copy()
        side = max(CELL, self.before.step)
        self.exact = {other: Exact(self.picture.size, side) for other in (False, True)}
        if not self.picture.kind.of_sensor:
            self.exact[True].fill((Sweep(), look_at(PICTURE)))
        self._sampled: tuple[Any, NDArray[np.float32]] | None = None
        self._light: tuple[NDArray[np.float32], ...] | None = None
        self.levels: Levels | None = None  # that it is brightened with for viewing
        self.linked = self.picture.kind.channels == 1 and self.picture.kind is not Kind.MOSAIC
        self.look: Look | None = self._first_look()
        self.kept: list[KeptState] = []
        self.probes: tuple[Probe, ...] | None = self._saved_probes()
        self.probes_seen: Any = None  # for which wish the probes are on screen
        self._levels: dict[Probe, float] = {}
        self._edge_line: tuple[Region, tuple[Place, Place] | None] | None = None
        self.noise_print: NoisePrint | None = None
        self.costs: dict[str, float] | None = None  # seconds that the whole picture takes at each quality of Noise
        self.verdict: Verdict | None = None
        self.judged: Sweep | None = None  # the sweep that the verdict is of
        self.warned: tuple[Sweep, dict[int, str]] | None = None  # what steps make worse, and in which sweep
        self.looked = self.has_own_sweep  # whether repairs were looked for; of a sweep of one's own they are not
        self.kept_safe: Sweep | None = None  # the unsaved sweep that was last kept against a crash

    def _own_sweep(self) -> Sweep | None:
        """The sweep that was saved beside the picture; None without one that can be read."""
        path = beside(self.path)
        self.has_own_sweep = path.exists()
        self.unread = False  # whether there is a sweep that this Dustpan could not read, and must not write over
        self._on_disk = _fingerprint(path)
        if not self.has_own_sweep:
            return None
        try:
            return load_sweep(path)
        except DustpanError as error:
            self.unread = True
            self.warnings.append(say("{0} The suggested sweep is shown instead; the file was left as it is.", error))
            return None

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

    # -------------------------------------------------------------- how it is looked at

    def _first_look(self) -> Look | None:
        """The look that was remembered, or that pictures of this kind begin with."""
        raw = self.sweep.extra.get("viewing")
        if isinstance(raw, dict):
            self.levels = levels_from_json(raw.get("levels"))
            kept = next((k for k in VIEWING if k.id == raw.get("look")), None)
            setting = raw.get("setting", 0.0)
            if kept is EXPOSURE and isinstance(setting, int | float) and abs(setting) <= 10:
                return Look(EXPOSURE, float(setting))
            return self.look_of(kept) if kept else None
        if self.picture.source.format == "FITS":
            return self.look_of(BRIGHTENED)
        return look_at(EXPOSURE) if self.picture.source.format == "OpenEXR" else None

    def look_of(self, kind: LookKind) -> Look:
        """A look at this picture; brightened as it was last, or from its sky."""
        if kind is not BRIGHTENED:
            return look_at(kind)
        if self.levels is None:
            self.levels = automatic(self.sample(), self.linked)
        return Look(kind, levels=self.levels)

    def _viewing(self) -> dict[str, Any]:
        if self.look is None:
            return {}
        levels = {"levels": self.look.levels.as_json()} if self.look.levels else {"setting": self.look.setting}
        return {"viewing": {"look": self.look.kind.id} | levels}

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

    def kind_before(self, index: int) -> Kind:
        """The kind of picture that a step gets."""
        try:
            return self.renderer.kind(Sweep(self.sweep.steps[:index]))
        except WrongUse:
            return self.picture.kind

    def sample_seen(self) -> NDArray[np.float32]:
        """`sample`, kept as long as what is done before it stays the same."""
        before = self.sweep.changes_kind(self.picture.kind)
        key = self.sweep.active[:before]
        if self._sampled is None or self._sampled[0] != key:
            self._sampled = key, self.sample()
        return self._sampled[1]

    def sensor_light(self) -> tuple[NDArray[np.float32], ...]:
        """Light of samples spread over a sensor, by colour; nothing of other pictures."""
        if self._light is None:
            p = self.picture
            every = max(1, int(np.sqrt(p.megapixels * 1e6 / LIGHT_SEEN))) | 1  # odd: all of a pattern
            light = decoded(p.pixels[::every, ::every]) if p.kind.of_sensor else np.zeros((0, 0, 1), np.float32)
            if p.kind is Kind.MOSAIC and p.sensor:
                h, w = light.shape[:2]
                rows, columns = (np.arange(n) * every % of for n, of in zip((h, w), p.sensor.period, strict=True))
                site = np.asarray(p.sensor.pattern)[rows[:, None], columns]
                self._light = tuple(light[..., 0][site == c] for c in range(3))
            else:
                self._light = tuple(light[..., c].ravel() for c in range(light.shape[2])) if light.size else ()
        return self._light

    def sensor_floor(self) -> float:
        """Sigma of a sensor's noise in the dark, 1 being white; 0 while it is not known."""
        known = self.picture.kind.of_sensor and self.noise_print is not None
        found = self.renderer.fact(SENSOR_NOISE, Sweep()) if known else None
        return float(np.sqrt(found.read)) if found else 0.0

    def white_at(self, y: int, x: int) -> tuple[float, float]:
        """Temperature and tint that make this place neutral.

        Raises
        ------
        WrongUse : what is there is too dark or too bright to tell, or the picture is not of a sensor's colours.
        """
        sensor = self.picture.sensor
        if sensor is None or self.picture.kind is Kind.BARE:
            raise WrongUse("White is picked on pictures that are developed from a sensor's colours.")
        place = Region(y - PICKED, x - PICKED, y + PICKED + 1, x + PICKED + 1).within(self.picture.size)
        light = decoded(self.picture.pixels[place.slices()])
        if self.picture.kind is Kind.CAMERA:
            seen = [light[..., c].ravel() for c in range(3)]
        else:
            rows, columns = sensor.period
            ys, xs = np.arange(place.y0, place.y1), np.arange(place.x0, place.x1)
            site = np.asarray(sensor.pattern)[ys[:, None] % rows, xs % columns]
            seen = [light[..., 0][site == c] for c in range(3)]
        means = [float(s.mean()) if s.size else 0.0 for s in seen]
        if min(means) < DARKEST_PICKED or max(float(s.max(initial=0)) for s in seen) > BRIGHTEST_PICKED:
            raise WrongUse("What is there is too dark or too bright to tell its colour; pick another place.")
        return temperature_of(sensor, normal(1 / np.array(means)))

    @property
    def changed_on_disk(self) -> bool:
        """Whether there is a sweep beside the picture, and another one than was read or written last."""
        return _fingerprint(beside(self.path)) not in ("", self._on_disk)

    def set_old_sweep_aside(self) -> Path | None:
        """Give the sweep beside the picture another name; gives that, or None when there is none.

        Raises
        ------
        FileProblem : the folder does not allow it.
        """
        old = beside(self.path)
        if not old.exists():
            return None
        names = (old.with_name(f"{old.name}.old-{n}") for n in count(1))
        free = next(p for p in names if not os.path.lexists(p))
        try:
            os.rename(old, free)
        except OSError as error:
            raise FileProblem(old, "it could not be set aside: {0}; nothing was changed", os_reason(error)) from None
        self.unread, self._on_disk = False, ""
        return free

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

    def _saved_probes(self) -> tuple[Probe, ...] | None:
        """Probes that the sweep file keeps, those inside the picture; None when it keeps none."""
        raw = self.sweep.extra.get("probes")
        if not isinstance(raw, list):
            return None
        h, w = self.picture.size
        found = (probe_from_json(r) for r in raw if isinstance(r, dict))
        return tuple(p for p in found if p and p.y < h and p.x < w)

    def save(self, path: Path | None = None) -> Path:
        """Write the sweep with its probes beside the picture, or elsewhere to be safe from a crash."""
        target = path or beside(self.path)
        about: dict[str, Any] = {"picture": self.path.name}
        if self.probes is not None:
            about["probes"] = [p.as_json() for p in self.probes]
        if chosen := self.opening.as_json():
            about["opening"] = chosen
        about |= self._viewing()
        save_sweep(self.sweep, target, about)
        if path is None:
            self.history.mark_saved()
            self._on_disk = _fingerprint(target)
        return target

    def keep_state(self) -> KeptState:
        """Remember the sweep as it is now."""
        state = KeptState(f"{len(self.kept) + 1}: {self._state_words()}", self.sweep)
        self.kept.append(state)
        return state

    def _state_words(self) -> str:
        active = self.sweep.active
        return " · ".join(s.summary for s in active) if active else say("nothing applied")

    def exposure(self) -> str:
        """ISO, time, aperture and focal length in one line; empty without EXIF."""
        try:
            exif = ex.parse(self.picture.metadata.exif or b"")
        except ex.ExifError:
            return ""
        iso, seconds, f_number, focal = (exif.number(t) for t in (ex.ISO, ex.EXPOSURE, ex.F_NUMBER, ex.FOCAL))
        parts = []
        if iso:
            parts.append(f"ISO {iso:.0f}")
        if seconds:
            parts.append(f"1/{1 / seconds:.0f} s" if seconds < 0.4 else f"{seconds:.1f} s")
        if f_number:
            parts.append(f"f/{f_number:.1f}")
        if focal:
            parts.append(f"{focal:.0f} mm")
        return " · ".join(parts)

    def facts(self) -> str:
        """Size, depth and exposure facts in short lines."""
        h, w = self.picture.size
        kind = say("scene-linear") + " " if self.picture.scale else ""
        depth = self.picture.source.words or self.picture.depth.words
        lines = [f"{w} × {h} px · {kind}{depth} {self.picture.source.format}"]
        if exposure := self.exposure():
            lines.append(exposure)
        try:
            if model := ex.parse(self.picture.metadata.exif or b"").text(ex.MODEL):
                lines.append(plain(model))
        except ex.ExifError:
            pass
        return "\n".join(lines)

    def start_with(self, sweep: Sweep) -> None:
        """Begin anew with another sweep, as if it had been opened with it."""
        self.history = History(sweep)

    # -------------------------------------------------------------- pixels and lines

    def luma_of(self, sweep: Sweep, region: Region) -> NDArray[np.float32]:
        """Luma of a region of a result as far as it is computed; of the input where it is not yet."""
        pixels = self.renderer.peek(sweep, region)
        if pixels is None:
            pixels = self.untouched(region.within(self.picture.size))
        return np.asarray(luma(pixels), np.float32)

    def untouched(self, region: Region) -> NDArray[np.float32]:
        """A region of the picture before anything is done to it, developed where it has to be."""
        if not self.picture.kind.of_sensor:
            return self.picture.pixels[region.slices()]
        return self.renderer.at_once(self.reference, region)

    def watch(self, probes: tuple[Probe, ...] | None) -> None:
        """Watch other places; None lets Dustpan find them anew."""
        self.probes = probes
        self._edge_line = None

    def edge_line(self, visible: Region) -> tuple[Place, Place] | None:
        """A line across the hardest edge in the middle of the view; across the edge probe's when the view is large.

        Looked for once a view, in the input, so that it stays while controls move.
        """
        if self._edge_line is None or self._edge_line[0] != visible:
            self._edge_line = (visible, self._find_edge_line(visible.within(self.picture.size)))
        return self._edge_line[1]

    def _find_edge_line(self, view: Region) -> tuple[Place, Place] | None:
        y, x, side = (view.y0 + view.y1) // 2, (view.x0 + view.x1) // 2, EDGE_SEARCH
        if view.area > LARGE_VIEW:
            probe = next((p for p in self.probes or () if p.role is Role.EDGE), None)
            if probe is None:
                return None
            y, x, side = probe.y, probe.x, 64
        part = Probe(Role.OWN, y, x).region(self.picture.size, side)
        if min(part.height, part.width) < 8:
            return None
        plane = ndi.gaussian_filter(luma(self.untouched(part)), 1.5)
        edges = sorted(find_edges(plane, 20), key=lambda e: -e.height)
        if edges:
            at_y, at_x, dy, dx = edges[0].y, edges[0].x, edges[0].dy, edges[0].dx
        else:
            gy, gx = np.gradient(plane)
            slope = np.hypot(gy, gx)
            k = np.unravel_index(int(np.argmax(slope)), slope.shape)
            steepest = float(slope[k])
            if steepest < 2 / 255:
                return None
            at_y, at_x, dy, dx = float(k[0]), float(k[1]), float(gy[k]) / steepest, float(gx[k]) / steepest
        at_y, at_x = part.y0 + at_y + 0.5, part.x0 + at_x + 0.5
        return (at_x - REACH * dx, at_y - REACH * dy), (at_x + REACH * dx, at_y + REACH * dy)

    def probe_levels(self) -> list[float]:
        """Luma 0..1 at the probes."""
        for probe in self.probes or ():
            if probe not in self._levels:
                pixels = self.untouched(probe.region(self.picture.size, 32))
                self._levels[probe] = float(luma(pixels).mean())
        return [self._levels[probe] for probe in self.probes or ()]

    def pixel_words(self, y: int, x: int, other: Sweep) -> str:
        """The values of a pixel before and after: R G B of 255 and L a b, or, where the file has units, in those."""
        h, w = self.picture.size
        if not (0 <= y < h and 0 <= x < w):
            return ""
        found = [self.renderer.peek(s, Region(y, x, y + 1, x + 1)) for s in (other, self.sweep)]
        if self.picture.scale is not None:
            stored = (self.picture.as_stored(p[0, 0]) for p in found if p is not None)
            return f"{x}, {y}   " + " → ".join(" ".join(f"{float(c):.6g}" for c in s) for s in stored)
        values = [np.broadcast_to(p[0, 0], (3,)) for p in found if p is not None]
        rgb = " → ".join(" ".join(f"{255 * c:.0f}" for c in v) for v in values)
        labs = " → ".join(" ".join(f"{c:.0f}" for c in lab(v, self.picture.curve)) for v in values)
        return f"{x}, {y}   R G B {rgb}   L a b {labs}"

    def reduced(self, level: int) -> Renderer:
        """Renders the picture at 1 / 2**level of its size, for large views; made once a level."""
        if level not in self._reduced:
            p, factor = self.picture, 2**level
            mosaic = p.kind is Kind.MOSAIC and p.sensor is not None
            pixels = camera_colours(p.pixels, p.sensor, factor) if mosaic else reduced(p.pixels, factor)  # type: ignore[arg-type]
            small = p.reduced(pixels)
            self._reduced[level] = Renderer(small, self.renderer.threads, self.renderer.cache)
        return self._reduced[level]

    def close(self) -> None:
        self._let_go()
        for renderer in (self.renderer, *self._reduced.values()):
            renderer.close()
