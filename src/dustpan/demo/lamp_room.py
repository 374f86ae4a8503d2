"""*Lamp room*: the lightstation's lens and brass on its boards, rendered with too few samples."""

from __future__ import annotations

import numpy as np

from dustpan.demo import tracer
from dustpan.demo.tracer import BOARDS, BRASS, FLOOR, GLASS, LAMP, LIME, MATT, PILLAR, SPHERE, WALL, Render, Scene

# solid, material, x, y, z, radius, half height, and colour (or light) in red, green, blue; y is up
THINGS = np.array([
    (FLOOR, BOARDS, 0, 0, 0, 0, 0, 1, 1, 1),
    (WALL, LIME, 0, 0, -2.4, 0, 0, 0.62, 0.58, 0.50),
    (SPHERE, GLASS, -0.15, 0.55, 0.1, 0.55, 0, 0.98, 0.99, 0.97),
    (SPHERE, BRASS, 1.05, 0.34, 0.45, 0.34, 0, 0.86, 0.64, 0.28),
    (PILLAR, BRASS, -1.35, 0.45, -0.5, 0.16, 0.45, 0.86, 0.64, 0.28),
    (SPHERE, BRASS, -1.35, 1.02, -0.5, 0.17, 0, 0.86, 0.64, 0.28),
    (SPHERE, MATT, 0.62, 0.20, 1.15, 0.20, 0, 0.42, 0.06, 0.05),
    (PILLAR, MATT, 1.35, 0.55, -1.2, 0.30, 0.55, 0.06, 0.13, 0.22),
    (SPHERE, GLASS, -0.85, 0.16, 1.1, 0.16, 0, 0.75, 0.95, 0.80),
    (SPHERE, LAMP, -0.9, 2.5, 0.9, 0.11, 0, 62, 47, 30),
    (SPHERE, LAMP, 1.9, 1.7, -1.4, 0.07, 0, 56, 42, 27),
])  # fmt: skip
SCENE = Scene(THINGS, eye=(0.15, 1.25, 4.2), to=(0.0, 0.55, 0.0), zoom=1.55)


def render(height: int = 240, width: int = 360, samples: int = 12, seed: int = 1, threads: int = 2) -> Render:
    """Trace it; the same seed gives the same samples on any number of threads."""
    return tracer.render(SCENE, height, width, samples, seed, threads)
