"""An open picture: its renderer, its sweep with history, and what has been measured of it so far."""

from __future__ import annotations

from pathlib import Path

from dustpan.core.errors import DustpanError
from dustpan.core.files import exif as ex
from dustpan.core.files import open_picture
from dustpan.core.history import History
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.picture import Picture
from dustpan.core.render import Cache, Renderer
from dustpan.core.sweep import Sweep, beside, load_sweep, save_sweep, suggested
from dustpan.core.verdict import Verdict
from dustpan.ui.display import Display


class Document:
    """One open picture.

    Parameters
    ----------
    path : of the picture. cache : shared by all open pictures.

    Raises
    ------
    DustpanError : when the picture cannot be opened. A damaged sweep beside it is no reason: see ``warnings``.
    """

    def __init__(self, path: Path, cache: Cache) -> None:
        self.path = path
        self.picture: Picture = open_picture(path)
        self.warnings = list(self.picture.notices)
        self.renderer = Renderer(self.picture, cache=cache)
        self.history = History(self._first_sweep())
        self.before = Display(self.picture.size)
        self.before.fill(self.picture.pixels, self.picture.metadata.icc)
        self.after = self.before.copy()
        self.shown: Sweep | None = None
        self.noise_print: NoisePrint | None = None
        self.verdict: Verdict | None = None

    def _first_sweep(self) -> Sweep:
        path = beside(self.path)
        if not path.exists():
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

    def save(self) -> Path:
        """Write the sweep beside the picture."""
        path = beside(self.path)
        save_sweep(self.sweep, path, {"picture": self.name})
        self.history.mark_saved()
        return path

    def facts(self) -> str:
        """Size, depth and exposure facts in short lines."""
        h, w = self.picture.size
        depth = "float" if self.picture.depth.value == "float" else f"{self.picture.depth.value} bit"
        lines = [f"{w} × {h} px · {depth} {self.picture.source.format}"]
        try:
            exif = ex.parse(self.picture.metadata.exif or b"")
        except ex.ExifError:
            return lines[0]
        iso, seconds, f_number, focal = (exif.number(t) for t in (ex.ISO, ex.EXPOSURE, ex.F_NUMBER, ex.FOCAL))
        parts = []
        if iso:
            parts.append(f"ISO {iso:.0f}")
        if seconds:
            parts.append(f"1/{1 / seconds:.0f}\u202fs" if seconds < 0.4 else f"{seconds:.1f}\u202fs")
        if f_number:
            parts.append(f"f/{f_number:.1f}")
        if focal:
            parts.append(f"{focal:.0f}\u202fmm")
        if parts:
            lines.append(" · ".join(parts))
        if model := exif.text(ex.MODEL):
            lines.append(model)
        return "\n".join(lines)

    def close(self) -> None:
        self.renderer.close()
