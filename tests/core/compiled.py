"""Parts of kernels, called from Python as kernels call them."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from typing import Any

from numba import njit


@cache
def as_kernel(part: Callable[..., Any]) -> Callable[..., Any]:
    """A part of kernels as something that Python can call."""

    @njit
    def call(*args):
        return part(*args)

    return call
