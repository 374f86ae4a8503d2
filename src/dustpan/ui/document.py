"""An open picture: its renderer, its sweep with history, and what has been measured of it so far."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF

from dustpan.core.colour import LUMA, lab
from dustpan.core.errors import DustpanError
from dustpan.core.files import exif as ex
from dustpan.core.files import open_picture
from dustpan.core.history import History
from dustpan.core.inspect import Look
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.picture import Picture
from dustpan.core.probes import Probe, Role, probe_from_json
from dustpan.core.region import Region
from dustpan.core.render import Cache, Renderer
from dustpan.core.sweep import Sweep, beside, load_sweep, save_sweep, suggested
from dustpan.core.verdict import REACH, Verdict, find_edges
from dustpan.ui.display import Display

EDGE_SEARCH = 1_200_000  # px: of larger views the edge probe stands in


@dataclass(frozen=True)
class KeptState:
    """A remembered state of the sweep."""

    name: str
    sweep: Sweep


class Document:
    """One open picture.

    Parameters
    ----------
    path : of the picture. cache : shared by all open pictures.

    Raises
    ------
    DustpanError : when the picture cannot be opened. A damaged sweep beside it is no reason: see ``warnings``.
    """

    def __init__(self, path: Path, cache: Cache, threads: int | None = None) -> None:
        self.path = path
        self.picture: Picture = open_picture(path)
        self.warnings = list(self.picture.notices)
        self.renderer = Renderer(self.picture, threads, cache)
        self.history = History(self._first_sweep())
        self.before = Display(self.picture.size)
        self.before.fill(self.picture.pixels, self.picture.metadata.icc)
        self.after = self.before.copy()
        self.shown: Sweep | None = None
        self.before_shows = (Sweep(), Look())  # which side and view the display called before holds completely
        self.kept: list[KeptState] = []
        self.probes: tuple[Probe, ...] | None = self._saved_probes()
        self.noise_print: NoisePrint | None = None
        self.verdict: Verdict | None = None
        self.judged: Sweep | None = None  # the sweep that the verdict is of

    def _first_sweep(self) -> Sweep:
        path = beside(self.path)
        self.has_own_sweep = path.exists()
        if not self.has_own_sweep:
            return suggested()
        try:
            return load_sweep(path)
        except DustpanError as error:
            self.warnings.append(f"{error} The suggested sweep is shown instead; the file was left as it is.")
            return suggested()

    @property
    def name(self) -> str:
        return self.path.name

    @property
    def sweep(self) -> Sweep:
        return self.history.sweep

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
        about: dict[str, Any] = {"picture": self.name}
        if self.probes is not None:
            about["probes"] = [p.as_json() for p in self.probes]
        save_sweep(self.sweep, target, about)
        if path is None:
            self.history.mark_saved()
        return target

    def keep_state(self) -> KeptState:
        """Remember the sweep as it is now."""
        state = KeptState(f"{len(self.kept) + 1}: {self._state_words()}", self.sweep)
        self.kept.append(state)
        return state

    def _state_words(self) -> str:
        active = self.sweep.active
        return " · ".join(s.kind.summary(s.params) for s in active) if active else "nothing applied"

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
        depth = "float" if self.picture.depth.value == "float" else f"{self.picture.depth.value} bit"
        lines = [f"{w} × {h} px · {depth} {self.picture.source.format}"]
        if exposure := self.exposure():
            lines.append(exposure)
        try:
            if model := ex.parse(self.picture.metadata.exif or b"").text(ex.MODEL):
                lines.append(model)
        except ex.ExifError:
            pass
        return "\n".join(lines)

    def start_with(self, sweep: Sweep) -> None:
        """Begin anew with another sweep, as if it had been opened with it."""
        self.history = History(sweep)

    # -------------------------------------------------------------- pixels and lines

    def _luma(self, display: Display, region: Region) -> NDArray[np.float32]:
        ys, xs = region.within(self.picture.size).slices()
        words = display.levels[0][ys, xs]
        weights = zip((16, 8, 0), LUMA, strict=True)
        shown = [
            ((words >> np.uint32(s)) & np.uint32(255)).astype(np.float32) * np.float32(w / 255) for s, w in weights
        ]
        return np.asarray(sum(shown), np.float32)

    def before_luma(self, region: Region) -> NDArray[np.float32]:
        """Luma 0..1 of what is shown on the other side, within the picture."""
        return self._luma(self.before, region)

    def after_luma(self, region: Region) -> NDArray[np.float32]:
        """Luma 0..1 of what is shown as the result, within the picture."""
        return self._luma(self.after, region)

    def edge_line(self, visible: Region) -> tuple[QPointF, QPointF] | None:
        """A line across the hardest edge in view; the probe's when the view is the whole picture or holds none."""
        part = visible.within(self.picture.size)
        if part.height * part.width <= EDGE_SEARCH:
            edges = sorted(find_edges(self.after_luma(part), 20), key=lambda e: -e.height)
            if edges:
                e = edges[0]
                y, x = part.y0 + e.y, part.x0 + e.x
                return QPointF(x - REACH * e.dx, y - REACH * e.dy), QPointF(x + REACH * e.dx, y + REACH * e.dy)
        for probe in self.probes or ():
            if probe.role is Role.EDGE:
                around = probe.region(self.picture.size, 64)
                return self.edge_line(around) if around != visible else None
        return None

    def probe_levels(self) -> list[float]:
        """Luma 0..1 at the probes."""
        return [float(self.before_luma(p.region(self.picture.size, 32)).mean()) for p in self.probes or ()]

    def pixel_words(self, y: int, x: int) -> str:
        """The values of a pixel before and after: R G B of 255 and L a b."""
        h, w = self.picture.size
        if not (0 <= y < h and 0 <= x < w):
            return ""
        both = [[int(d.levels[0][y, x] >> np.uint32(s)) & 255 for s in (16, 8, 0)] for d in (self.before, self.after)]
        labs = [lab(np.array(v, float) / 255) for v in both]
        rgb = " → ".join(" ".join(str(c) for c in v) for v in both)
        return f"{x}, {y}   R G B {rgb}   L a b " + " → ".join(" ".join(f"{c:.0f}" for c in v) for v in labs)

    def close(self) -> None:
        self.renderer.close()
