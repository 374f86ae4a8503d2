"""A small path tracer for the renders of the demo museum: spheres, pillars, floor and wall in glass, brass, wood.

Light is followed from the eye; at every rough place one lamp is asked directly as well, and what glass sends on is left
to chance: fireflies come from there. First hits give albedo and normal, through glass what lies behind it.

References
----------
[1] J. T. Kajiya, "The rendering equation", SIGGRAPH 1986.
[2] E. Veach, L. Guibas, "Optimally combining sampling techniques for Monte Carlo rendering", SIGGRAPH 1995.
"""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from dustpan.core.kernels import f8, i8, kernel, part
from dustpan.demo.materials import clouds, paper, value_noise, wood

SPHERE, FLOOR, WALL, PILLAR = range(4)  # solids
MATT, BRASS, GLASS, LAMP, BOARDS, LIME, SCRATCHED, PAGE = range(8)  # what they are made of
FAR, NEAR = 1e9, 1e-4
BOUNCES = 7
INDEX = 1.5  # of glass
GLOSS = 160.0  # exponent of the lobe that brass sends light into
SOFT = 0.4  # px, sigma of the pixel filter, whose places are taken by chance


@dataclass(frozen=True)
class Scene:
    """What is rendered.

    Attributes
    ----------
    things : rows of solid, material, x, y, z, radius, half height, and colour (or light) in red, green, blue; y is up.
    eye, to, zoom : where from, what at, and how near.
    aperture, focus : radius of the lens, 0 for a pinhole, and how far away things are sharp.
    caustics : whether lamps shine through glass onto rough places: by chance alone, which takes very many samples.
    """

    things: NDArray[np.float64]
    eye: tuple[float, float, float]
    to: tuple[float, float, float]
    zoom: float = 1.5
    aperture: float = 0.0
    focus: float = 4.0
    caustics: bool = True


@dataclass(frozen=True)
class Render:
    """Passes (h, w, 3) in scene-linear light: the beauty pass, albedo and normal of the first rough hit."""

    beauty: NDArray[np.float32]
    albedo: NDArray[np.float32]
    normal: NDArray[np.float32]


@part()
def _chance(state):
    """A number from 0 to 1 (xorshift, Marsaglia 2003)."""
    x = state[0]
    x ^= x << np.uint64(13)
    x ^= x >> np.uint64(7)
    x ^= x << np.uint64(17)
    state[0] = x
    return (x >> np.uint64(11)) * (1.0 / 9007199254740992.0)


@part()
def _meets(things, k, o, d):
    """How far along a ray from ``o`` along ``d`` one solid is; FAR when it is missed."""
    kind = int(things[k, 0])
    if kind == FLOOR:
        t = (things[k, 3] - o[1]) / d[1] if abs(d[1]) > 1e-9 else FAR
        return t if t > NEAR else FAR
    if kind == WALL:
        t = (things[k, 4] - o[2]) / d[2] if abs(d[2]) > 1e-9 else FAR
        return t if t > NEAR else FAR
    x, y, z, r = o[0] - things[k, 2], o[1] - things[k, 3], o[2] - things[k, 4], things[k, 5]
    if kind == SPHERE:
        b, c = x * d[0] + y * d[1] + z * d[2], x * x + y * y + z * z - r * r
        q = b * b - c
        if q < 0:
            return FAR
        q = math.sqrt(q)
        near, far = -b - q, -b + q
        return near if near > NEAR else far if far > NEAR else FAR
    a, b, c = d[0] * d[0] + d[2] * d[2], x * d[0] + z * d[2], x * x + z * z - r * r
    q = b * b - a * c
    if q < 0 or a < 1e-12:
        return FAR
    t = (-b - math.sqrt(q)) / a
    if t > NEAR and abs(y + t * d[1]) < things[k, 6]:
        return t
    if d[1] < 0:  # its upper end
        t = (things[k, 6] - y) / d[1]
        if t > NEAR and (x + t * d[0]) ** 2 + (z + t * d[2]) ** 2 < r * r:
            return t
    return FAR


@part()
def _first(things, o, d, most):
    best, number = most, -1
    for k in range(len(things)):
        t = _meets(things, k, o, d)
        if t < best:
            best, number = t, k
    return best, number


@part()
def _normal(things, k, p):
    kind = int(things[k, 0])
    if kind == FLOOR:
        return 0.0, 1.0, 0.0
    if kind == WALL:
        return 0.0, 0.0, 1.0
    x, y, z, r = p[0] - things[k, 2], p[1] - things[k, 3], p[2] - things[k, 4], things[k, 5]
    if kind == SPHERE:
        return x / r, y / r, z / r
    if y > things[k, 6] - 1e-5:
        return 0.0, 1.0, 0.0
    return x / r, 0.0, z / r


@part()
def _colour(things, k, p):
    """Albedo at a place."""
    stuff = int(things[k, 1])
    if stuff == BOARDS:
        r, g, b, _ = wood(p[0] * 22, p[2] * 22)
        return 1.8 * r, 1.8 * g, 1.8 * b
    if stuff == LIME:
        f = 0.75 + 0.5 * clouds(6 * p[0], 6 * p[1], 0.3, 5)
        course = p[1] * 2.6
        row = math.floor(course)
        along = p[0] * 1.3 + 0.5 * (int(row) % 2)
        joint = min(course - row, along - math.floor(along))
        f *= 0.6 if joint < 0.035 else 1.0
        return f * things[k, 7], f * things[k, 8], f * things[k, 9]
    if stuff == SCRATCHED:  # fine scratches around the upright axis
        x, y, z = p[0] - things[k, 2], p[1] - things[k, 3], p[2] - things[k, 4]
        mark = value_noise(150 * y, 2.5 * math.atan2(z, x), 0.5)
        f = (0.9 - 0.3 * value_noise(6 * x, 6 * y, 6 * z)) * (0.45 if mark > 0.72 else 1.0)
        return f * things[k, 7], f * things[k, 8], f * things[k, 9]
    if stuff == PAGE:
        return paper(7.5 + 12 * (p[0] - things[k, 2]), 10 + 12 * (p[2] - things[k, 4]))
    if stuff == BRASS:
        f = 0.86 + 0.14 * clouds(30 * p[1], 2 * p[0], 2 * p[2], 3)
        return f * things[k, 7], f * things[k, 8], f * things[k, 9]
    return things[k, 7], things[k, 8], things[k, 9]


@part()
def _about(n, spread, turn):
    """The direction whose cosine to ``n`` is ``spread``, turned about it."""
    s = 1.0 if n[2] >= 0 else -1.0
    a = -1 / (s + n[2])
    b = n[0] * n[1] * a
    k = math.sqrt(max(0.0, 1 - spread * spread))
    u, v = k * math.cos(turn), k * math.sin(turn)
    return (
        u * (1 + s * n[0] * n[0] * a) + v * b + spread * n[0],
        u * s * b + v * (s + n[1] * n[1] * a) + spread * n[1],
        -u * s * n[0] - v * n[1] + spread * n[2],
    )


@part()
def _through_glass(d, n, cosine, inside, state):
    """Reflected or refracted, by chance as Fresnel's formulas say."""
    eta = INDEX if inside else 1 / INDEX
    left = 1 - eta * eta * (1 - cosine * cosine)
    share = 1.0
    if left > 0:
        out = math.sqrt(left)
        x, y = (INDEX, 1.0) if inside else (1.0, INDEX)
        one, two = (x * cosine - y * out) / (x * cosine + y * out), (x * out - y * cosine) / (x * out + y * cosine)
        share = 0.5 * (one * one + two * two)
    if _chance(state) < share:
        return d[0] + 2 * cosine * n[0], d[1] + 2 * cosine * n[1], d[2] + 2 * cosine * n[2], False
    f = eta * cosine - math.sqrt(left)
    return eta * d[0] + f * n[0], eta * d[1] + f * n[1], eta * d[2] + f * n[2], True


@part()
def _likely(stuff, n, mirror, w):
    """How likely a direction is to be taken at a rough place, over the sphere of directions: the reflected share."""
    if stuff in (BRASS, SCRATCHED):
        c = mirror[0] * w[0] + mirror[1] * w[1] + mirror[2] * w[2]
        return (GLOSS + 1) / (2 * math.pi) * c**GLOSS if c > 0 else 0.0
    return max(n[0] * w[0] + n[1] * w[1] + n[2] * w[2], 0.0) / math.pi


@part()
def _cap(things, k, o):
    """The share of the sphere of directions, over 2 pi, that a lamp covers; and where its middle is."""
    x, y, z = things[k, 2] - o[0], things[k, 3] - o[1], things[k, 4] - o[2]
    squared = x * x + y * y + z * z
    far = math.sqrt(squared)
    return 1 - math.sqrt(max(0.0, 1 - things[k, 5] ** 2 / squared)), (x / far, y / far, z / far)


@part()
def _from_lamp(things, lamps, o, n, stuff, mirror, state):
    """Light that one lamp, taken by chance, sends over a rough place, without the place's own colour.

    What finds the lamp by chance counts as well: both by how likely they are (balance heuristic, reference 2).
    """
    k = lamps[min(int(_chance(state) * len(lamps)), len(lamps) - 1)]
    cap, middle = _cap(things, k, o)
    w = _about(middle, 1 - _chance(state) * cap, 2 * math.pi * _chance(state))
    if n[0] * w[0] + n[1] * w[1] + n[2] * w[2] <= 0:
        return 0.0, 0.0, 0.0
    sent = _likely(stuff, n, mirror, w)
    if sent < 1e-9 or _first(things, o, w, FAR)[1] != k:
        return 0.0, 0.0, 0.0
    share = sent / (sent + 1 / (2 * math.pi * cap * len(lamps)))
    return share * things[k, 7], share * things[k, 8], share * things[k, 9]


@part()
def _path(things, lamps, caustics, o, d, state, first):
    """Light along a ray; ``first`` gets albedo and normal of the first rough hit added."""
    light0 = light1 = light2 = 0.0
    kept0 = kept1 = kept2 = 1.0
    through = False  # glass, after a rough place
    looked, likely = False, 0.0  # how likely the last direction was; 0 where nothing rough has sent it
    for _ in range(BOUNCES):
        t, k = _first(things, o, d, FAR)
        if k < 0:
            break
        stuff = int(things[k, 1])
        p = (o[0] + t * d[0], o[1] + t * d[1], o[2] + t * d[2])
        if stuff == LAMP:
            share = 0.0 if through and not caustics else 1.0
            if likely > 0:  # the lamps were asked as well
                share = likely / (likely + 1 / (2 * math.pi * _cap(things, k, o)[0] * len(lamps)))
            light0 += share * kept0 * things[k, 7]
            light1 += share * kept1 * things[k, 8]
            light2 += share * kept2 * things[k, 9]
            if not looked:
                for i in range(3):
                    first[i] += 1
            break
        n = _normal(things, k, p)
        cosine = -(n[0] * d[0] + n[1] * d[1] + n[2] * d[2])
        inside = cosine < 0
        if inside:
            n, cosine = (-n[0], -n[1], -n[2]), -cosine
        c = _colour(things, k, p)
        if stuff == GLASS:
            x, y, z, passed = _through_glass(d, n, cosine, inside, state)
            if passed:
                kept0, kept1, kept2 = kept0 * c[0], kept1 * c[1], kept2 * c[2]
            d, o = (x, y, z), (p[0] + NEAR * x, p[1] + NEAR * y, p[2] + NEAR * z)
            if likely > 0:  # no lamp was asked through it
                likely, through = 0.0, True
            continue
        if not looked:
            looked = True
            for i in range(3):
                first[i] += c[i]
                first[3 + i] += n[i]
        kept0, kept1, kept2 = kept0 * c[0], kept1 * c[1], kept2 * c[2]
        o = (p[0] + NEAR * n[0], p[1] + NEAR * n[1], p[2] + NEAR * n[2])
        mirror = (d[0] + 2 * cosine * n[0], d[1] + 2 * cosine * n[1], d[2] + 2 * cosine * n[2])
        r, g, b = _from_lamp(things, lamps, o, n, stuff, mirror, state)
        light0 += kept0 * r
        light1 += kept1 * g
        light2 += kept2 * b
        if stuff in (BRASS, SCRATCHED):
            d = _about(mirror, _chance(state) ** (1 / (GLOSS + 1)), 2 * math.pi * _chance(state))
            if d[0] * n[0] + d[1] * n[1] + d[2] * n[2] <= 0:
                break
        else:
            d = _about(n, math.sqrt(_chance(state)), 2 * math.pi * _chance(state))
        likely, through = _likely(stuff, n, mirror, d), False
    return light0, light1, light2


@kernel(f8[:, ::1], i8[::1], f8[::1], f8[:, ::1], i8, i8, i8, f8[:, :, ::1])
def _rows(things, lamps, lens, axes, top, samples, seed, out):
    h, w, _ = out.shape
    height, aperture, focus = axes[3, 0], lens[3], lens[4]
    state, first = np.zeros(1, np.uint64), np.zeros(6)
    for y in range(h):
        for x in range(w):
            state[0] = np.uint64((int(top + y) * w + x) * 2654435761 + seed * 40503 + 88172645463325252)
            for _ in range(12):
                _chance(state)
            first[:] = 0
            total0 = total1 = total2 = 0.0
            for _ in range(samples):
                off, turn = SOFT * math.sqrt(-2 * math.log(1 - _chance(state))), 2 * math.pi * _chance(state)
                u = (x + 0.5 + off * math.cos(turn) - 0.5 * w) / height
                v = (0.5 * height - top - y - 0.5 - off * math.sin(turn)) / height
                r, turn = aperture * math.sqrt(_chance(state)), 2 * math.pi * _chance(state)
                a, b = r * math.cos(turn), r * math.sin(turn)
                ox = lens[0] + a * axes[1, 0] + b * axes[2, 0]
                oy = lens[1] + a * axes[1, 1] + b * axes[2, 1]
                oz = lens[2] + a * axes[1, 2] + b * axes[2, 2]
                u, v = u - a / focus, v - b / focus  # what is in focus stays where it is
                dx = axes[0, 0] + u * axes[1, 0] + v * axes[2, 0]
                dy = axes[0, 1] + u * axes[1, 1] + v * axes[2, 1]
                dz = axes[0, 2] + u * axes[1, 2] + v * axes[2, 2]
                k = 1 / math.sqrt(dx * dx + dy * dy + dz * dz)
                found = _path(things, lamps, lens[5] > 0, (ox, oy, oz), (dx * k, dy * k, dz * k), state, first)
                total0, total1, total2 = total0 + found[0], total1 + found[1], total2 + found[2]
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = total0 / samples, total1 / samples, total2 / samples
            for i in range(6):
                out[y, x, 3 + i] = first[i] / samples


def render(
    scene: Scene, height: int = 240, width: int = 360, samples: int = 12, seed: int = 1, threads: int = 2
) -> Render:
    """Trace a scene; the same seed gives the same samples on any number of threads."""
    eye, to = np.array(scene.eye), np.array(scene.to)
    forward = (to - eye) / np.linalg.norm(to - eye)
    right = np.cross(forward, (0.0, 1.0, 0.0))
    right /= np.linalg.norm(right)
    axes = np.stack([scene.zoom * forward, right, np.cross(right, forward), np.full(3, float(height))])
    lens = np.array([*eye, scene.aperture, scene.focus / scene.zoom, float(scene.caustics)])
    lamps = np.flatnonzero(scene.things[:, 1] == LAMP)
    out = np.zeros((height, width, 9))
    bands = [slice(y, min(y + 16, height)) for y in range(0, height, 16)]
    with ThreadPoolExecutor(threads) as pool:
        list(pool.map(lambda b: _rows(scene.things, lamps, lens, axes, b.start, samples, seed, out[b]), bands))
    found = out.astype(np.float32)
    return Render(found[..., :3], found[..., 3:6], found[..., 6:9])
