"""What is done to a whole mask once its parts are put together."""

from __future__ import annotations

from enum import StrEnum

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.params import PX, Params, choice, number
from dustpan.core.smooth import gaussian, reach_of
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.where.refine import reach_of as refine_reach
from dustpan.core.where.refine import refined


class Joined(StrEnum):
    """How soft parts are put together."""

    PRODUCT = "product"
    EXTREMES = "extremes"


class Finish(Params):
    """Sizes in px of the picture; all off by default."""

    fill: float = number(0, 0, 200, label="Fill holes", unit=PX, digits=0, help="Holes up to so wide are closed.")
    drop: float = number(0, 0, 200, label="Drop crumbs", unit=PX, digits=0, help="Crumbs up to so wide are let go.")
    grow: float = number(0, -60, 60, label="Grow", unit=PX, digits=0, help="Moves the outline out, or in below 0.")
    smooth: float = number(0, 0, 60, label="Smooth", unit=PX, digits=0, help="Rounds the outline over so many px.")
    follow: float = number(
        0,
        0,
        30,
        label="Follow edges",
        unit=PX,
        digits=0,
        help="The outline moves to the subject's border, at most so far.",
    )
    feather: float = number(0, 0, 200, label="Feather", unit=PX, digits=0, help="Softens the whole over so many px.")
    joined: Joined = choice(
        Joined,
        Joined.PRODUCT,
        label="Joined by",
        help="Where soft parts meet: by products, or by the larger and the smaller.",
    )

    @property
    def acts(self) -> bool:
        """Whether anything is done after the parts are together."""
        return any(
            (round(self.fill), round(self.drop), round(self.grow), self.smooth, round(self.follow), self.feather)
        )


def softness(px: float) -> float:
    """The sigma of a feather over so many px."""
    return px / 2


def _disc(width: int) -> NDArray[np.uint8]:
    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (width, width)).astype(np.uint8)


def _without_crumbs(mask: NDArray[np.float32], width: int) -> NDArray[np.float32]:
    """Opened by a disc; what is left grows back within the mask, as far as the disc is wide."""
    odd = width | 1
    left = cv2.dilate(cv2.erode(mask, _disc(odd)), _disc(odd))
    three = np.ones((3, 3), np.uint8)
    for _ in range(odd):
        left = np.minimum(cv2.dilate(left, three), mask)
    return np.asarray(left, np.float32)


def _reach(p: Finish) -> int:
    reach = 2 * (round(p.fill) | 1) * bool(round(p.fill)) + 2 * (round(p.drop) | 1) * bool(round(p.drop))
    reach += abs(round(p.grow)) + reach_of(p.smooth / 2) + refine_reach(round(p.follow)) + reach_of(softness(p.feather))
    return reach + 2


def _run(context: Context) -> NDArray[np.float32]:
    p: Finish = context.params
    mask, have = context.get("where", _reach(p))
    mask = np.ascontiguousarray(mask)
    if fill := round(p.fill):
        mask = 1 - _without_crumbs(1 - mask, fill)
    if drop := round(p.drop):
        mask = _without_crumbs(mask, drop)
    context.check()
    if grow := round(p.grow):
        moved = (cv2.dilate if grow > 0 else cv2.erode)(mask, _disc(2 * abs(grow) + 1))
        mask = np.asarray(moved, np.float32)
    if p.smooth:
        mask = np.clip(2 * gaussian(np.ascontiguousarray(mask), p.smooth / 2) - 0.5, 0, 1)
    if follow := round(p.follow):
        pixels, _ = context.get(INPUT, _reach(p))
        mask = refined(pixels, np.ascontiguousarray(mask, np.float32), follow, context.check)
    if p.feather:
        mask = gaussian(np.ascontiguousarray(mask, np.float32), softness(p.feather))
    return np.ascontiguousarray(np.clip(mask, 0, 1)[context.region.slices(have)], np.float32)


CLEAN_UP = Stage("clean up", _run, reach=_reach)
