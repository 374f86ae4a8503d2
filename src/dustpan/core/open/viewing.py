"""How a picture is looked at: remembered for it, and never a change of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from numpy.typing import NDArray

from dustpan.core.finish.levels import Levels, automatic, levels_from_json
from dustpan.core.look import Look, LookKind, look_at
from dustpan.core.looks.brightened import BRIGHTENED
from dustpan.core.looks.exposure import EXPOSURE
from dustpan.core.picture import Kind, Picture

VIEWING = (BRIGHTENED, EXPOSURE)  # looks that are remembered for a picture
MOST_STOPS = 10.0  # EV of an exposure that is believed


@dataclass
class Viewing:
    """The look that is remembered (None for the picture as it is), and the levels that it is brightened with.

    ``linked`` : whether levels are the same for all channels.
    """

    look: Look | None = None
    levels: Levels | None = None
    linked: bool = True

    def look_of(self, kind: LookKind) -> Look | None:
        """A look of `VIEWING` at this picture; None for a brightened one whose levels are not known yet."""
        if self.look is not None and self.look.kind is kind:
            return self.look
        if kind is not BRIGHTENED:
            return look_at(kind)
        return None if self.levels is None else Look(kind, levels=self.levels)

    def take(self, look: Look) -> None:
        """Remember a look, where it is one that is remembered."""
        self.look = look if look.kind in VIEWING else None
        self.levels = look.levels or self.levels

    def as_json(self) -> dict[str, Any]:
        """What a sweep file keeps of it."""
        if self.look is None:
            return {}
        how = {"levels": self.look.levels.as_json()} if self.look.levels else {"setting": self.look.setting}
        return {"viewing": {"look": self.look.kind.id} | how}


def first_viewing(kept: object, picture: Picture, sample: Callable[[], NDArray]) -> Viewing:
    """What was remembered for a picture, or how pictures of its kind are looked at first.

    Parameters
    ----------
    kept : what a sweep file kept. sample : gives (h, w, C) encoded values that the sky is told from.
    """
    found = Viewing(linked=picture.kind.channels == 1 and picture.kind is not Kind.MOSAIC)
    if isinstance(kept, dict):
        found.levels = levels_from_json(kept.get("levels"))
        kind = next((k for k in VIEWING if k.id == kept.get("look")), None)
        setting = kept.get("setting", 0.0)
        if kind is EXPOSURE and isinstance(setting, int | float) and abs(setting) <= MOST_STOPS:
            found.look = Look(EXPOSURE, float(setting))
            return found
    elif picture.source.format == "FITS":
        kind = BRIGHTENED
    else:
        kind = EXPOSURE if picture.source.format == "OpenEXR" else None
    if kind is BRIGHTENED and found.levels is None:
        found.levels = automatic(sample(), found.linked)
    found.look = found.look_of(kind) if kind else None
    return found
