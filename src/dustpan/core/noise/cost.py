"""What each quality costs in time on this picture: measured on a piece of it, by the parts that a result is made of."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.noise.plans import PLANS, REACH_OF_FINISH, Plan, Quality, reach_of
from dustpan.core.noise.reduce import Work, finished, guided, refined
from dustpan.core.region import Region

PIECE = 256  # px
SHARED = 0.8  # of the work of two threads that gets done in the time of one


def costs(
    read: Callable[[Region], NDArray[np.float32]],
    size: tuple[int, int],
    noise: NoisePrint,
    threads: int,
    check: Callable[[], None] = lambda: None,
) -> dict[str, float]:
    """Seconds that the whole picture takes at each quality, once its print is known.

    The time of this thread is counted, so that other work going on does not show.

    Parameters
    ----------
    read : gives encoded values (h, w, C) of a region of the picture. size : its (height, width).
    noise : its print.
    threads : how many work at a time.
    check : called often; raises to cancel.
    """
    h, w = size
    work = Work((h, w), noise, check=check)
    share = h * w / (1 + SHARED * (threads - 1))
    if noise.trust == 0:
        return {q.value: 0.0 for q in Quality}
    return {q.value: share * _seconds_per_px(read, work, PLANS[q]) for q in Quality}


def _seconds_per_px(read: Callable[[Region], NDArray[np.float32]], work: Work, plan: Plan) -> float:
    h, w = work.size
    middle = Region((h - PIECE) // 2, (w - PIECE) // 2, (h + PIECE) // 2, (w + PIECE) // 2).within(work.size)
    have = middle.grown(plan.reach).within(work.size)
    piece = np.ascontiguousarray(read(have))
    planes = work.noise.stabiliser.stabilise(piece)
    rect = middle.grown(plan.reach - plan.guide_reach).within(work.size)
    began = time.thread_time()
    guide = guided(planes, have, rect, work, plan)
    total = (time.thread_time() - began) / rect.area
    for n, r in enumerate(plan.rounds, 1):
        inner = middle.grown(reach_of(plan.rounds[n:]) + REACH_OF_FINISH).within(work.size)
        began = time.thread_time()
        guide, rect = refined(planes, have, guide, rect, inner, work, (r,)), inner
        total += (time.thread_time() - began) / inner.area
    began = time.thread_time()
    finished(piece, planes, have, guide, rect, middle, work, plan.evened)
    return total + (time.thread_time() - began) / middle.area
