"""The part Brush: strokes, kept as points.

A stroke is a row of dabs. Each brings what is under it nearer to the stroke's opacity, by the flow, and never beyond;
so going over a place again within a stroke fills it up, and another stroke of that opacity adds nothing to it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import PLANE, f4, f8, i8, kernel
from dustpan.core.language import mark
from dustpan.core.params import PX, Params, Stroke, number, strokes
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.where.mask import How, Offer, PartKind
from dustpan.core.where.refine import reach_of as refine_reach
from dustpan.core.where.refine import refined

SPACING = 0.15  # of a dab's radius
LOOKED_EVERY = 256  # dabs between two looks at whether it was called off


class BrushParams(Params):
    """Strokes, and by how much they may be wrong where they should end at the subject's border."""

    strokes: tuple[Stroke, ...] = strokes(label="Strokes", help="What was painted and erased, in order.", deeper=True)
    follow: float = number(
        0, 0, 30, label="Follow edges", unit=PX, digits=0,
        help="Rough strokes end at the subject's border, up to so far from where they were painted; 0 is as painted.",
    )  # fmt: skip


@kernel(PLANE, i8, i8, f8, f8, f4, f4, f4, f4)
def _dab(layer, y0, x0, cy, cx, radius, soft, opacity, flow):
    """Bring a layer that begins at (y0, x0) nearer to the opacity under one dab."""
    h, w = layer.shape
    core = radius * (np.float32(1) - soft)
    rim = max(radius - core, np.float32(1))
    for y in range(max(0, int(cy - radius - y0) - 1), min(h, int(cy + radius - y0) + 2)):
        for x in range(max(0, int(cx - radius - x0) - 1), min(w, int(cx + radius - x0) + 2)):
            dy, dx = np.float32(y + y0 + 0.5 - cy), np.float32(x + x0 + 0.5 - cx)
            far = np.sqrt(dy * dy + dx * dx)
            t = min(max((radius + np.float32(0.5) - far) / rim, np.float32(0)), np.float32(1))
            full = opacity * t * t * (np.float32(3) - np.float32(2) * t)
            if full > layer[y, x]:
                layer[y, x] += flow * (full - layer[y, x])


Box = tuple[float, float, float, float]  # y and x of the first px, y and x behind the last


def _dabs(stroke: Stroke, box: Box) -> Iterator[tuple[float, float, float]]:
    """Middles (y, x) and radii along a stroke, evenly spaced; of dabs that may meet a box."""
    points, step = stroke.points, max(1.0, SPACING * stroke.size / 2)
    y, x, press = points[0]
    yield y, x, stroke.size / 2 * press
    gone = 0.0
    for (ay, ax, ap), (by, bx, bp) in pairwise(points):
        length = float(np.hypot(by - ay, bx - ax))
        first, last = _within((ay, ax), (by, bx), box)
        number = max(int(gone // step) + 1, int(np.ceil((gone + first * length) / step)))
        while length and number * step <= gone + last * length:
            t = (number * step - gone) / length
            yield ay + t * (by - ay), ax + t * (bx - ax), stroke.size / 2 * (ap + t * (bp - ap))
            number += 1
        gone += length


def _within(a: tuple[float, float], b: tuple[float, float], box: Box) -> tuple[float, float]:
    """From which share to which of its length a line lies in a box (Liang and Barsky, 1984); (1, 0) for nowhere."""
    first, last = 0.0, 1.0
    for start, end, low, high in zip(a, b, box[:2], box[2:], strict=True):
        way = end - start
        if way == 0:
            if not low <= start <= high:
                return 1.0, 0.0
            continue
        ends = sorted(((low - start) / way, (high - start) / way))
        first, last = max(first, ends[0]), min(last, ends[1])
    return (first, last) if first <= last else (1.0, 0.0)


def painted(
    done: Sequence[Stroke], y0: int, x0: int, height: int, width: int, check: Callable[[], None] = lambda: None
) -> NDArray[np.float32]:
    """(height, width) of strokes, for the part of a picture that begins at (y0, x0); ``check`` may raise to cancel."""
    out = np.zeros((height, width), np.float32)
    for stroke in done:
        check()
        if not _meets(stroke, y0, x0, height, width):
            continue
        layer = np.zeros_like(out)
        told = np.float32(stroke.soft), np.float32(stroke.opacity), np.float32(stroke.flow)
        reach = stroke.size / 2 + 2
        box = y0 - reach, x0 - reach, y0 + height + reach, x0 + width + reach
        for n, (y, x, radius) in enumerate(_dabs(stroke, box)):
            if n % LOOKED_EVERY == 0:
                check()
            _dab(layer, y0, x0, y, x, np.float32(max(radius, 0.5)), *told)
        out = np.minimum(out, 1 - layer) if stroke.erase else np.maximum(out, layer)
    return out


def _meets(stroke: Stroke, y0: int, x0: int, height: int, width: int) -> bool:
    reach = stroke.size / 2 + 2
    ys, xs = [p[0] for p in stroke.points], [p[1] for p in stroke.points]
    down = max(ys) + reach >= y0 and min(ys) - reach <= y0 + height
    return bool(ys) and down and max(xs) + reach >= x0 and min(xs) - reach <= x0 + width


def _paint(context: Context) -> NDArray[np.float32]:
    r = context.region
    return painted(context.params.strokes, r.y0, r.x0, r.height, r.width, context.check)


def _follow(context: Context) -> NDArray[np.float32]:
    wide = round(context.params.follow)
    rough, have = context.get("paint", refine_reach(wide))
    if not rough.any() or (rough == 1).all():
        return np.ascontiguousarray(rough[context.region.slices(have)])
    pixels, _ = context.get(INPUT, refine_reach(wide))
    return refined(pixels, np.ascontiguousarray(rough), wide, context.check)[context.region.slices(have)]


HELP = mark("Paint on the picture where it counts")

BRUSH = PartKind(
    "brush", mark("brush"), HELP, BrushParams,
    (
        Stage("paint", _paint, key=lambda p: tuple(s.key for s in p.strokes)),
        Stage("follow", _follow, reach=lambda p: refine_reach(round(p.follow)), needed=lambda p: round(p.follow) > 0),
    ),
    placed=True, tool="brush",
    offers=(
        Offer(mark("everywhere except brush"), mark("Paint the step away"), How.EXCEPT), Offer(mark("brush"), HELP),
    ),
)  # fmt: skip
