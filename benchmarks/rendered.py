"""Renders with known truth: scenes of our own tracer, and made light with fireflies, lamps, glints and scratches."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.colour import luma
from dustpan.core.curve import SRGB, Scale
from dustpan.core.passes import ALBEDO, NORMAL, PLANES
from dustpan.core.paths import cache_folder
from dustpan.core.picture import Depth, Kind, Picture
from dustpan.demo import keepers_desk, tracer
from dustpan.demo.lamp_room import THINGS
from dustpan.demo.tracer import BOARDS, FLOOR, GLASS, LAMP, LIME, MATT, PAGE, PILLAR, SCRATCHED, SPHERE, WALL

HEIGHT, WIDTH = 220, 330
TRUTH, PASSES = 1024, 64  # samples
SAMPLES = (4, 16, 64)

DESK = np.array([
    (FLOOR, BOARDS, 0, 0, 0, 0, 0, 1, 1, 1),
    (WALL, LIME, 0, 0, -2.4, 0, 0, 0.62, 0.58, 0.50),
    (SPHERE, GLASS, -0.15, 0.45, 0.3, 0.45, 0, 0.98, 0.99, 0.97),
    (SPHERE, SCRATCHED, 1.0, 0.45, 0.2, 0.45, 0, 0.86, 0.64, 0.28),
    (PILLAR, SCRATCHED, -1.25, 0.6, -0.4, 0.3, 0.6, 0.86, 0.64, 0.28),
    (PILLAR, PAGE, 0.55, 0.01, 1.3, 0.55, 0.015, 1, 1, 1),
    (SPHERE, MATT, -0.75, 0.2, 1.1, 0.20, 0, 0.42, 0.06, 0.05),
])  # fmt: skip


def _lamps(*rows: tuple[float, ...]) -> NDArray[np.float64]:
    return np.array([(SPHERE, LAMP, *row[:3], row[3], 0, *row[4:]) for row in rows])


def scenes() -> dict[str, tracer.Scene]:
    """A room of two lamps, one of nine in strong blur of depth, and one whose lamp is behind a pillar."""
    chance = np.random.default_rng(4)
    nine = [
        (*(chance.uniform(-2.2, 2.2), chance.uniform(0.9, 2.4), chance.uniform(-2.0, 1.2)), 0.04, 90, 70, 45)
        for _ in range(9)
    ]
    behind = np.array([(PILLAR, MATT, 1.75, 1.2, -0.9, 0.45, 1.2, 0.7, 0.68, 0.65)])
    nine_lamps = np.concatenate([DESK, _lamps(*nine)])
    two = np.concatenate([DESK, THINGS[THINGS[:, 1] == LAMP]])
    one = np.concatenate([DESK, behind, _lamps((2.4, 1.6, -1.7, 0.16, 300, 240, 160))])
    lens = {"zoom": 1.4, "aperture": 0.06, "focus": 3.6}
    return {
        "two lamps": tracer.Scene(two, (0.15, 1.25, 4.2), (0, 0.5, 0), caustics=False),
        "nine lamps": tracer.Scene(nine_lamps, (-0.5, 1.1, 3.8), (0, 0.4, 0), **lens, caustics=False),
        "lamp behind": tracer.Scene(one, (0.2, 1.6, 4.0), (0, 0.4, 0), caustics=False),
    }


@dataclass(frozen=True)
class Case:
    """A scene: its truth in light, renders by samples and draw, passes of many first hits, and those of each render."""

    truth: NDArray[np.float32]
    renders: dict[tuple[int, int], tracer.Render]
    passes: tracer.Render


def traced(name: str, scene: tracer.Scene) -> Case:
    """Renders of a scene; kept in the cache folder, for the truth takes minutes."""
    folder = Path(cache_folder()) / "benchmark-renders"
    folder.mkdir(parents=True, exist_ok=True)

    def kept(samples: int, seed: int) -> tracer.Render:
        path = folder / f"{name.replace(' ', '-')}-{samples}-{seed}.npz"
        if not path.exists():
            found = tracer.render(scene, HEIGHT, WIDTH, samples, seed)
            np.savez(path, beauty=found.beauty, albedo=found.albedo, normal=found.normal)
        with np.load(path) as held:
            return tracer.Render(held["beauty"], held["albedo"], held["normal"])

    renders = {(n, draw): kept(n, 10 * n + draw) for n in SAMPLES for draw in (1, 2)}
    return Case(kept(TRUTH, 5).beauty, renders, kept(PASSES, 7))


def picture(light: NDArray, passes: tracer.Render | None = None) -> Picture:
    """As an OpenEXR file gives it: scene-linear, with the passes as planes."""
    light = np.asarray(light, np.float32)
    planes = {}
    if passes is not None:
        for name, values in ((ALBEDO, passes.albedo), (NORMAL, passes.normal)):
            planes |= {p: np.ascontiguousarray(values[..., k], np.float32) for k, p in enumerate(PLANES[name])}
    encoded = np.asarray(SRGB.encode(light), np.float32)
    return Picture(encoded, Kind.RGB, Depth.FLOAT, planes=planes, scale=Scale(), stored=light)


def tone_mapped(light: NDArray) -> NDArray[np.float64]:
    """Light as it is looked at, from 0 to 1: x / (1 + x), encoded."""
    positive = np.maximum(np.asarray(light, float), 0)
    return np.asarray(SRGB.encode(positive / (1 + positive)), float)


# ---------------------------------------------------------------- made light, with all that has to be told apart


@dataclass(frozen=True)
class Made:
    """Light with fireflies, and without; ``added`` : (h, w) how much they are; masks of highlights and scratches."""

    light: NDArray[np.float64]
    without: NDArray[np.float64]
    added: NDArray[np.float64]
    at: NDArray[np.intp]
    highlights: NDArray[np.bool_]
    scratches: NDArray[np.bool_]


def made(kind: str, seed: int, filtered: bool, noise: float, height: int = 360, width: int = 540) -> Made:
    """A scene with lamps, glints and scratches, noise by place, and some 750 fireflies, some of them in twos."""
    chance = np.random.default_rng(seed)
    light = _desk(height, width) if kind == "desk" else _surfaces(height, width, chance)
    light, highlights, scratches = _things(light, chance)
    place = np.clip(0.1 * noise * np.exp(36 * ndi.gaussian_filter(chance.normal(size=light.shape[:2]), 40)), 0.01, 0.6)
    grey = chance.gamma(1 / place**2) * place**2
    colour = 1 + 0.25 * place[..., None] * chance.normal(size=light.shape)
    without = np.maximum(light * grey[..., None] * colour, 0)
    added, at = _fireflies(without, chance, highlights | scratches, filtered)
    tint = np.exp(0.3 * chance.normal(size=light.shape))
    tint /= luma(tint)[..., None]
    return Made(without + added[..., None] * tint, without, added, at, highlights, scratches)


def _desk(height: int, width: int) -> NDArray[np.float64]:
    return np.maximum(keepers_desk.render(height, width, 4).astype(float), 1e-4)


def _surfaces(height: int, width: int, chance: np.random.Generator) -> NDArray[np.float64]:
    y, x = np.mgrid[:height, :width]
    fine = 1.2 * ndi.gaussian_filter(chance.normal(size=(height, width)), 1.2)
    grain = 1.5 * ndi.gaussian_filter(chance.normal(size=(height, width)), (0.6, 9))
    albedo = 0.35 * np.exp(np.where(x < width / 2, 0.35 * fine, 0.4 * grain))
    lit = 0.4 * np.exp(1.5 * np.sin(x / 90) + 1.2 * np.cos(y / 70 + x / 200))
    light = (albedo * lit)[..., None] * np.array([1, 0.85, 0.6])
    for _ in range(12):
        cy, cx, r = chance.uniform(20, height - 20), chance.uniform(20, width - 20), chance.uniform(8, 40)
        disc = np.clip(r - np.hypot(y - cy, x - cx) + 0.5, 0, 1)[..., None]
        light = light * (1 - disc) + disc * light * chance.uniform(0.2, 3) * chance.uniform(0.4, 1.6, 3)
    return np.maximum(light, 1e-4)


def _things(
    light: NDArray, chance: np.random.Generator
) -> tuple[NDArray[np.float64], NDArray[np.bool_], NDArray[np.bool_]]:
    """Lamps from three px across, glints from two, and lines of one px, in proportion to the light around."""
    h, w = light.shape[:2]
    y, x = np.mgrid[:h, :w]
    grey, light = ndi.median_filter(luma(light), 13), light.copy()
    highlights, scratches = np.zeros((h, w), bool), np.zeros((h, w), bool)
    for n in range(124):
        cy, cx, turn = chance.uniform(15, h - 15), chance.uniform(15, w - 15), chance.uniform(0, np.pi)
        u = (y - cy) * np.cos(turn) + (x - cx) * np.sin(turn)
        v = -(y - cy) * np.sin(turn) + (x - cx) * np.cos(turn)
        if n < 14:
            shape, most = np.clip(chance.uniform(1.5, 6) - np.hypot(u, v) + 0.5, 0, 1), chance.uniform(8, 80)
            highlights |= shape > 0.05
        elif n < 74:
            s = chance.uniform(0.9, 2.5)
            shape, most = np.exp(-0.5 * ((u / s) ** 2 + (v / (s * chance.uniform(1, 2.5))) ** 2)), chance.uniform(2, 30)
            highlights |= shape > 0.1
        else:
            ends = np.clip(chance.uniform(4, 30) - np.abs(u) + 0.5, 0, 1)
            shape, most = np.exp(-0.5 * (v / chance.uniform(0.35, 0.7)) ** 2) * ends, chance.uniform(0.5, 12)
            scratches |= shape > 0.3
        light += (shape * most * grey[int(cy), int(cx)])[..., None] * np.array([1, 0.9, 0.75])
    return light, highlights, scratches


def _fireflies(
    light: NDArray, chance: np.random.Generator, avoid: NDArray[np.bool_], filtered: bool, many: int = 750
) -> tuple[NDArray[np.float64], NDArray[np.intp]]:
    h, w = light.shape[:2]
    grey = ndi.median_filter(luma(light), 9)
    added, taken, at = np.zeros((h, w)), ndi.binary_dilation(avoid, np.ones((7, 7))), []
    while len(at) < many:
        y, x = (int(chance.integers(4, n - 4)) for n in (h, w))
        if taken[y - 3 : y + 4, x - 3 : x + 4].any():
            continue
        strength = min(4 * grey[y, x] * (chance.pareto(1.1) + 1), 3000.0)
        added[y, x] += strength
        if chance.random() < 0.15:
            dy, dx = [(0, 1), (1, 0), (1, 1), (1, -1)][chance.integers(4)]
            added[y + dy, x + dx] += strength * chance.uniform(0.3, 1)
        taken[y - 1 : y + 3, x - 2 : x + 3] = True
        at.append((y, x))
    return (ndi.gaussian_filter(added, 0.45, truncate=3) if filtered else added), np.array(at)
