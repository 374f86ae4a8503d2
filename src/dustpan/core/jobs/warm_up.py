"""Compile what is compiled, before anybody waits for it."""

from __future__ import annotations

import importlib
import pkgutil

import dustpan
from dustpan.core.kernels import KERNELS, compile_kernel

# what a first picture needs, in the order in which it does
FIRST = (
    "core.screen",
    "core.noise.blocks",
    "core.noise.model",
    "core.noise.stabilise",
    "core.noise.sliding_dct",
    "core.noise.collaborative",
    "core.noise.matching",
    "core.noise.patches",
    "core.noise.groups",
    "core.noise.drift",
    "core.noise.mixing",
    "core.sharpen.edge",
    "core.sharpen.halo_guard",
)


def kernel_names(first: bool = False) -> list[str]:
    """The names of all kernels, those first that a first picture needs; or of these alone."""
    for module in pkgutil.walk_packages(dustpan.__path__, "dustpan."):
        if module.name.startswith(("dustpan.core.", "dustpan.demo.")):
            importlib.import_module(module.name)
    places = {name: FIRST.index(found) for name in KERNELS if (found := name.rpartition(".")[0]) in FIRST}
    order = sorted(places, key=lambda name: places[name])
    return order if first else [*order, *(name for name in KERNELS if name not in places)]


def warm_up() -> None:
    """Compile (or load) every kernel, in this process."""
    for name in kernel_names():
        compile_kernel(name)
