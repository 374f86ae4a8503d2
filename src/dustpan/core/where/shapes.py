"""Parts drawn as shapes: an ellipse with a soft rim, and a gradient between two lines."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from dustpan.core.language import mark
from dustpan.core.params import PX, Params, number, places
from dustpan.core.region import Region
from dustpan.core.smooth import shoulder
from dustpan.core.stage import Context, Stage
from dustpan.core.where.mask import PartKind

FAR = 100_000  # px


class EllipseParams(Params):
    """Where an ellipse lies, how large it is, and how soft its rim."""

    x: float = number(200, -FAR, FAR, label="Centre, across", unit=PX, digits=0, help="Its middle, from the left.")
    y: float = number(200, -FAR, FAR, label="Centre, down", unit=PX, digits=0, help="Its middle, from the top.")
    across: float = number(120, 1, FAR, label="Half width", unit=PX, digits=0, help="From its middle to its side.")
    down: float = number(90, 1, FAR, label="Half height", unit=PX, digits=0, help="From its middle to its top.")
    angle: float = number(0, -180, 180, label="Angle", unit="°", digits=0, help="By how much it is turned clockwise.")
    inner: float = number(
        70, 0, 100, label="Full up to", unit="%", digits=0,
        help="How far out the step acts fully, in percent of the way to the rim; beyond it fades.",
    )  # fmt: skip


def _grid(context: Context) -> tuple[NDArray, NDArray]:
    """The middles of the pixels of a region: rows (h, 1) and columns (1, w)."""
    r = context.region
    return np.arange(r.y0, r.y1)[:, None] + 0.5, np.arange(r.x0, r.x1)[None] + 0.5


def _ellipse(context: Context) -> NDArray[np.float32]:
    p: EllipseParams = context.params
    (y, x), turn = _grid(context), np.radians(p.angle)
    dy, dx = y - p.y, x - p.x
    u, v = dx * np.cos(turn) + dy * np.sin(turn), dy * np.cos(turn) - dx * np.sin(turn)
    out = np.sqrt((u / p.across) ** 2 + (v / p.down) ** 2)
    rim = max(1 - p.inner / 100, 0.5 / min(p.across, p.down))  # at least half a pixel
    return shoulder((1 - out) / rim, 0, 1)


class GradientParams(Params):
    """Two lines: the step acts fully up to the first and not at all beyond the second."""

    ends: tuple[tuple[float, float], ...] = places(
        label="Lines", help="A place on the line up to which the step acts fully, and one on that where it ends."
    )


def _gradient(context: Context) -> NDArray[np.float32]:
    p: GradientParams = context.params
    (y, x), (h, w) = _grid(context), context.size
    (y0, x0), (y1, x1) = p.ends[:2] if len(p.ends) > 1 else ((h * 0.35, w / 2), (h * 0.65, w / 2))
    along = (y1 - y0) ** 2 + (x1 - x0) ** 2
    t = ((y - y0) * (y1 - y0) + (x - x0) * (x1 - x0)) / max(along, 1e-6)
    return shoulder(np.broadcast_to(1 - t, (context.region.height, context.region.width)), 0, 1)


def _ellipse_in(seen: Region, kept: Sequence[str]) -> dict[str, Any]:
    """In the middle of what is seen."""
    y, x = (seen.y0 + seen.y1) / 2, (seen.x0 + seen.x1) / 2
    return {
        "y": round(y),
        "x": round(x),
        "across": max(2, round(seen.width / 5)),
        "down": max(2, round(seen.height / 5)),
    }


def _gradient_in(seen: Region, kept: Sequence[str]) -> dict[str, Any]:
    """Down over the middle third of what is seen."""
    y, x, sixth = (seen.y0 + seen.y1) / 2, (seen.x0 + seen.x1) / 2, seen.height / 6
    return {"ends": ((round(y - sixth, 1), round(x, 1)), (round(y + sixth, 1), round(x, 1)))}


ELLIPSE = PartKind(
    "ellipse", mark("ellipse"), mark("A round place, set by handles on the picture"), EllipseParams,
    (Stage("ellipse", _ellipse),), placed=True, tool="ellipse", begin=_ellipse_in,
)  # fmt: skip
GRADIENT = PartKind(
    "gradient", mark("gradient"), mark("From one line to another, such as down from a ceiling"), GradientParams,
    (Stage("gradient", _gradient),), placed=True, tool="gradient", begin=_gradient_in,
)  # fmt: skip
