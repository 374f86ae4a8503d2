"""*Keeper's desk*: brass instruments, rope, ribbed glass and an open log book on dark boards, by lamplight.

A scene of distance functions, marched ray by ray. Lengths are in cm: x to the right, y up, z towards the camera.
"""

from __future__ import annotations

import itertools
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.kernels import FAST, f8, i8, kernel, part
from dustpan.demo.materials import clouds, dial, paper, value_noise, wood

DESK, BRASS, ROPE, BOOK, COVER, CARD, WALL, GLASS, DARK = range(9)
EYE = (2.0, 42.0, 49.0)
TARGET = (-0.5, 1.0, -2.5)
FOV = 0.405  # half height of the picture at distance 1
LAMP = (-27.0, 30.0, 7.0)
FOCUS, APERTURE = 58.0, 0.0085


@part(FAST)
def _tube(px, py, pz, ax, ay, az, bx, by, bz, r):
    """Distance to a capped cylinder from a to b."""
    dx, dy, dz = bx - ax, by - ay, bz - az
    length = np.sqrt(dx * dx + dy * dy + dz * dz)
    dx, dy, dz = dx / length, dy / length, dz / length
    qx, qy, qz = px - ax, py - ay, pz - az
    t = qx * dx + qy * dy + qz * dz
    radial = np.sqrt(max((qx - t * dx) ** 2 + (qy - t * dy) ** 2 + (qz - t * dz) ** 2, 0.0)) - r
    cap = abs(t - length / 2) - length / 2
    outside = np.sqrt(max(radial, 0.0) ** 2 + max(cap, 0.0) ** 2)
    return outside + min(max(radial, cap), 0.0) - 0.06


@part(FAST)
def _spyglass(x, y, z):
    ax, az, bx, bz = -28.0, -2.5, 6.0, -13.0
    d = _tube(x, y, z, ax, 2.75, az, bx, 2.75, bz, 2.8)
    if d > 1.0:
        return d
    # along its axis: three tubes and their rings
    d = 1e9
    parts = ((0.0, 0.40, 2.4), (0.38, 0.72, 1.95), (0.70, 1.0, 1.55), (0.0, 0.035, 2.75), (0.375, 0.405, 2.6),
             (0.695, 0.725, 2.15), (0.955, 1.0, 1.95))  # fmt: skip
    for k in range(7):
        t0, t1, r = parts[k]
        d = min(d, _tube(x, y, z, ax + t0 * (bx - ax), 2.75, az + t0 * (bz - az), ax + t1 * (bx - ax), 2.75,
                         az + t1 * (bz - az), r))  # fmt: skip
    return d


@part(FAST)
def _coil(x, y, z):
    """Rope: three turns, each of three twisted strands."""
    cx, cz = 22.0, -10.5
    qx, qz = x - cx, z - cz
    reach = np.sqrt(qx * qx + qz * qz)
    if reach > 12 or y > 6:
        return max(reach - 11.0, y - 5.0)
    angle = np.arctan2(qz, qx)
    d = 1e9
    for k in range(4):
        ring = 7.6 - 0.35 * k + 0.5 * np.sin(angle + 1.7 * k)
        height = 1.0 + 1.05 * k + 0.22 * np.sin(2 * angle + k)
        if k == 3:
            ring, height = 4.6, 0.95
        a, b = reach - ring, y - height
        r = np.sqrt(a * a + b * b)
        around = np.arctan2(b, a)
        strand = np.cos(3 * around + 42 * angle * (ring / 7.6) + k)
        fine = np.cos(21 * around - 120 * angle)
        d = min(d, (r - 0.92 - 0.17 * strand - 0.018 * fine) * 0.6)
    return d


@part(FAST)
def _book_place(x, z):
    """Book coordinates: across both pages (-15..15) and down the page (0..20)."""
    c, s = np.cos(-0.16), np.sin(-0.16)
    qx, qz = x - 11.5, z - 9.0
    return c * qx - s * qz, s * qx + c * qz + 10.0


@part(FAST)
def _book_top(u):
    a = abs(u)
    return 0.5 + 1.35 * (1 - np.exp(-a / 1.6)) * (1 - 0.42 * (a / 15.0) ** 2)


@part(FAST)
def _book(x, y, z):
    u, v = _book_place(x, z)
    if abs(u) > 18 or v < -3 or v > 23 or y > 5:
        return max(max(abs(u) - 17, max(-2 - v, v - 22)), y - 4.0) * 0.8
    side = max(abs(u) - 15.0, abs(v - 10.0) - 10.0)
    return max(side, (y - _book_top(u)) * 0.8)


@part(FAST)
def _cover(x, y, z):
    u, v = _book_place(x, z)
    return max(max(abs(u) - 15.6, abs(v - 10.0) - 10.6), abs(y - 0.2) - 0.2)


@part(FAST)
def _compass(x, y, z):
    """Brass case with a sunken card."""
    qx, qz = x + 15.5, z - 12.5
    r = np.sqrt(qx * qx + qz * qz)
    if r > 9 or y > 6:
        return max(r - 8.0, y - 5.0)
    case = max(r - 6.2, abs(y - 1.5) - 1.5)
    rim = np.sqrt((r - 6.1) ** 2 + (y - 3.0) ** 2) - 0.42
    foot = np.sqrt((r - 6.2) ** 2 + (y - 0.35) ** 2) - 0.35
    inner = max(r - 5.7, 2.55 - y)
    knurl = 0.03 * np.cos(90 * np.arctan2(qz, qx)) if abs(y - 1.6) < 0.6 else 0.0
    return min(min(max(case + knurl, -inner), rim), foot) * 0.8


@part(FAST)
def _jar(x, y, z):
    """Ribbed glass jar, from outside."""
    qx, qz = x + 3.5, z + 21.0
    r = np.sqrt(qx * qx + qz * qz)
    if r > 8 or y > 16:
        return max(r - 7.0, y - 15.0)
    belly = 4.6 + 0.5 * np.sin(0.22 * y + 0.4)
    ribs = 0.16 * np.cos(26 * np.arctan2(qz, qx))
    body = max(r - belly - ribs, abs(y - 6.5) - 6.5)
    lip = np.sqrt((r - belly + 0.1) ** 2 + (y - 13.0) ** 2) - 0.45
    return min(body, lip) * 0.7


@part(FAST)
def _distance(x, y, z, glass):
    """Distance to the scene and the material there."""
    d, m = y, DESK
    w = z + 33.0
    if w < d:
        d, m = w, WALL
    k = _spyglass(x, y, z)
    if k < d:
        d, m = k, BRASS
    k = _compass(x, y, z)
    if k < d:
        d, m = k, BRASS
    k = _coil(x, y, z)
    if k < d:
        d, m = k, ROPE
    k = _book(x, y, z)
    if k < d:
        d, m = k, BOOK
    k = _cover(x, y, z)
    if k < d:
        d, m = k, COVER
    if glass:
        k = _jar(x, y, z)
        if k < d:
            d, m = k, GLASS
    return d, m


@part(FAST)
def _march(ox, oy, oz, dx, dy, dz, glass, far):
    t = 0.02
    for _ in range(140):
        d, m = _distance(ox + t * dx, oy + t * dy, oz + t * dz, glass)
        if d < 0.0008 * t + 0.0006:
            return t, m
        t += d
        if t > far:
            break
    return far, DARK


@part(FAST)
def _normal(x, y, z, glass):
    e = 0.004
    a, _ = _distance(x + e, y - e, z - e, glass)
    b, _ = _distance(x - e, y - e, z + e, glass)
    c, _ = _distance(x - e, y + e, z - e, glass)
    d, _ = _distance(x + e, y + e, z + e, glass)
    nx, ny, nz = a - b - c + d, -a - b + c + d, -a + b - c + d
    n = np.sqrt(nx * nx + ny * ny + nz * nz) + 1e-9
    return nx / n, ny / n, nz / n


@part(FAST)
def _lamp_seen(x, y, z):
    """How much of the lamp is seen from a place, 0 to 1: a soft shadow."""
    dx, dy, dz = LAMP[0] - x, LAMP[1] - y, LAMP[2] - z
    far = np.sqrt(dx * dx + dy * dy + dz * dz)
    dx, dy, dz = dx / far, dy / far, dz / far
    t, seen = 0.15, 1.0
    for _ in range(50):
        d, _ = _distance(x + t * dx, y + t * dy, z + t * dz, False)
        seen = min(seen, 9.0 * d / t)
        if seen < 0.004:
            return 0.0
        t += min(max(d, 0.08), 2.0)
        if t > far or y + t * dy > 9:
            break
    return seen * seen * (3 - 2 * seen)


@part(FAST)
def _open_sky(x, y, z, nx, ny, nz):
    """Ambient occlusion from four steps along the normal."""
    lost, size = 0.0, 1.0
    for k in range(1, 5):
        h = 0.28 * k * k
        d, _ = _distance(x + nx * h, y + ny * h, z + nz * h, True)
        lost += size * max(h - d, 0.0) / h
        size *= 0.62
    return max(1 - 0.52 * lost, 0.08)


@part(FAST)
def _room(dx, dy, dz):
    """What a mirror sees in the dark room: the lamp's shade, a pale window, the rest nearly black."""
    r, g, b = 0.020, 0.022, 0.028
    ll = np.sqrt(LAMP[0] ** 2 + LAMP[1] ** 2 + LAMP[2] ** 2)
    c = (dx * LAMP[0] + dy * LAMP[1] + dz * LAMP[2]) / ll
    shade = np.exp(-(((1 - c) / 0.055) ** 2))
    r, g, b = r + 5.2 * shade, g + 3.4 * shade, b + 1.7 * shade
    glow = max(c, 0.0) ** 6
    r, g, b = r + 1.5 * glow, g + 0.98 * glow, b + 0.5 * glow
    if dy > 0.1:
        pane = np.exp(-(((dx - 0.62) / 0.16) ** 4) - ((dy - 0.55) / 0.22) ** 4)
        r, g, b = r + 0.10 * pane, g + 0.16 * pane, b + 0.27 * pane
    if dy < 0:
        r, g, b = r + 0.10 * -dy, g + 0.055 * -dy, b + 0.028 * -dy
    return r, g, b


@part(FAST)
def _surface(m, x, y, z, out):
    """Colour and gloss of a material into ``out`` (red, green, blue, gloss, metal)."""
    out[4] = 0.0
    if m == DESK:
        out[0], out[1], out[2], out[3] = wood(x, z)
    elif m == WALL:
        t = 0.7 + 0.6 * (clouds(0.35 * x, 0.35 * y, 2.0, 5) - 0.45)
        out[0], out[1], out[2], out[3] = 0.16 * t, 0.17 * t, 0.18 * t, 0.0
    elif m == BRASS:
        qx, qz = x + 15.5, z - 12.5
        if y > 2.3 and qx * qx + qz * qz < 5.68 * 5.68:
            out[0], out[1], out[2] = dial(qx, qz, 5.68)
            out[3] = 0.35
            return
        wear = clouds(0.8 * x, 0.8 * y, 0.8 * z, 4)
        scratch = value_noise(1.1 * x, 17 * y, 13 * z)
        t = 0.80 + 0.35 * (wear - 0.45) + 0.10 * (scratch - 0.5)
        out[0], out[1], out[2], out[3], out[4] = 0.90 * t, 0.62 * t, 0.26 * t, 1.0, 1.0
    elif m == ROPE:
        t = 0.72 + 0.5 * (clouds(5 * x, 5 * y, 5 * z, 3) - 0.45) + 0.25 * (value_noise(14 * x, 14 * y, 14 * z) - 0.5)
        out[0], out[1], out[2], out[3] = 0.52 * t, 0.40 * t, 0.25 * t, 0.0
    elif m == BOOK:
        u, v = _book_place(x, z)
        if y < _book_top(u) - 0.12:
            t = 0.55 + 0.35 * value_noise(0.4 * x, 26 * y, 0.4 * z)
            out[0], out[1], out[2], out[3] = 0.72 * t, 0.63 * t, 0.47 * t, 0.0
        else:
            out[0], out[1], out[2] = paper(u + 15.0 if u < 0 else u, v)
            out[3] = 0.0
    elif m == COVER:
        t = 0.7 + 0.7 * (clouds(4 * x, y, 4 * z, 3) - 0.45)
        out[0], out[1], out[2], out[3] = 0.045 * t, 0.075 * t, 0.085 * t, 0.3
    else:
        out[0] = out[1] = out[2] = out[3] = 0.0


@part(FAST)
def _shade(m, x, y, z, vx, vy, vz, s, out):
    """Light that leaves a place towards the eye; (vx, vy, vz) points away from the eye. Result in out[0:3]."""
    nx, ny, nz = _normal(x, y, z, False)
    _surface(m, x, y, z, s)
    if m == DESK:
        e = 0.02
        ny_x = (wood(x + e, z)[3] - s[3]) * 0.05 / e * 0.2
        ny_z = (wood(x, z + e)[3] - s[3]) * 0.05 / e * 0.2
        nx, nz = nx - ny_x, nz - ny_z
    lx, ly, lz = LAMP[0] - x, LAMP[1] - y, LAMP[2] - z
    far = np.sqrt(lx * lx + ly * ly + lz * lz)
    lx, ly, lz = lx / far, ly / far, lz / far
    facing = max(nx * lx + ny * ly + nz * lz, 0.0)
    seen = _lamp_seen(x + 0.02 * nx, y + 0.02 * ny, z + 0.02 * nz) if facing > 0 else 0.0
    sky = _open_sky(x, y, z, nx, ny, nz)
    power = 3600.0 / (far * far) * facing * seen
    ambient = 0.05 * sky * (0.6 + 0.4 * ny)
    lr, lg, lb = 1.00 * power + 0.75 * ambient, 0.66 * power + 0.85 * ambient, 0.36 * power + 1.25 * ambient
    cos = -(vx * nx + vy * ny + vz * nz)
    rx, ry, rz = vx + 2 * cos * nx, vy + 2 * cos * ny, vz + 2 * cos * nz
    if s[4] > 0:
        er, eg, eb = _room(rx, ry, rz)
        k = 0.35 + 0.65 * sky * (0.35 + 0.65 * min(seen + 0.35, 1.0))
        out[0] = s[0] * (er * k + 0.30 * lr)
        out[1] = s[1] * (eg * k + 0.30 * lg)
        out[2] = s[2] * (eb * k + 0.30 * lb)
        return
    out[0], out[1], out[2] = s[0] * lr, s[1] * lg, s[2] * lb
    if s[3] > 0:
        fresnel = 0.04 + 0.96 * (1 - min(max(cos, 0.0), 1.0)) ** 5
        shine = max(rx * lx + ry * ly + rz * lz, 0.0)
        glint = (4.0 * shine**60 + 0.7 * shine**9) * seen * s[3] * (0.03 + 0.3 * fresnel)
        er, eg, eb = _room(rx, ry, rz)
        k = 0.35 * fresnel * sky * s[3]
        out[0] += 3.0 * glint + k * er
        out[1] += 2.0 * glint + k * eg
        out[2] += 1.1 * glint + k * eb


@part(FAST)
def _through_glass(x, y, z, dx, dy, dz, s, out):
    """The jar: bent view of what lies behind, its own reflection, a green edge."""
    nx, ny, nz = _normal(x, y, z, True)
    cos = max(-(dx * nx + dy * ny + dz * nz), 0.0)
    bend = 0.30 * (1 - 0.6 * cos)
    tx, ty, tz = dx - bend * nx, dy - bend * ny, dz - bend * nz
    n = np.sqrt(tx * tx + ty * ty + tz * tz)
    tx, ty, tz = tx / n, ty / n, tz / n
    t, m = _march(x + 0.1 * tx, y + 0.1 * ty, z + 0.1 * tz, tx, ty, tz, False, 140.0)
    if m != DARK:
        _shade(m, x + t * tx, y + t * ty, z + t * tz, tx, ty, tz, s, out)
    else:
        out[0] = out[1] = out[2] = 0.01
    thick = 0.60 + 0.34 * cos
    fresnel = 0.05 + 0.95 * (1 - cos) ** 5
    er, eg, eb = _room(dx + 2 * cos * nx, dy + 2 * cos * ny, dz + 2 * cos * nz)
    out[0] = out[0] * thick * 0.90 + fresnel * er + 0.010
    out[1] = out[1] * thick * 0.97 + fresnel * eg + 0.014
    out[2] = out[2] * thick * 0.93 + fresnel * eb + 0.013


@kernel(i8, i8, i8, i8, i8, f8[:, ::1], f8[:, :, ::1], f8[:, ::1], options=FAST)
def _rows(first, last, height, width, samples, camera, light, depth):
    """Render rows first..last-1 into ``light`` (linear) and ``depth`` (cm)."""
    s, out = np.zeros(5), np.zeros(3)
    side = int(np.sqrt(samples))
    for py in range(first, last):
        for px in range(width):
            r = g = b = far = 0.0
            for k in range(samples):
                jx = (k % side + 0.5) / side
                jy = (k // side + 0.5) / side
                u = (2 * (px + jx) - width) / height * FOV
                v = -(2 * (py + jy) - height) / height * FOV
                dx = camera[0, 0] + u * camera[1, 0] + v * camera[2, 0]
                dy = camera[0, 1] + u * camera[1, 1] + v * camera[2, 1]
                dz = camera[0, 2] + u * camera[1, 2] + v * camera[2, 2]
                n = np.sqrt(dx * dx + dy * dy + dz * dz)
                dx, dy, dz = dx / n, dy / n, dz / n
                t, m = _march(EYE[0], EYE[1], EYE[2], dx, dy, dz, True, 160.0)
                x, y, z = EYE[0] + t * dx, EYE[1] + t * dy, EYE[2] + t * dz
                if m == GLASS:
                    _through_glass(x, y, z, dx, dy, dz, s, out)
                elif m == DARK:
                    out[:] = 0.002
                else:
                    _shade(m, x, y, z, dx, dy, dz, s, out)
                r, g, b, far = r + out[0], g + out[1], b + out[2], far + t
            light[py, px, 0], light[py, px, 1], light[py, px, 2] = r / samples, g / samples, b / samples
            depth[py, px] = far / samples


def _camera() -> NDArray[np.float64]:
    """Rows: forward, right, up."""
    forward = np.array(TARGET) - np.array(EYE)
    forward /= np.linalg.norm(forward)
    right = np.cross(forward, [0.0, 1.0, 0.0])
    right /= np.linalg.norm(right)
    return np.stack([forward, right, np.cross(right, forward)])


def _defocus(light: NDArray, depth: NDArray) -> NDArray:
    """Depth of field: layers of growing blur, each gathered only from what is at least nearly as blurred itself."""
    blur = np.abs(1 / FOCUS - 1 / depth) * FOCUS * APERTURE * light.shape[0]
    out, steps = light.copy(), [0.0, 0.7, 1.2, 1.9, 2.9]
    weight_sharp = np.clip(blur / steps[1], 0, 1)
    for k in range(1, len(steps)):
        own = np.clip((blur - 0.6 * steps[k - 1]) / max(steps[k] - steps[k - 1], 1e-6), 0, 1) + 1e-4
        mass = ndi.gaussian_filter(own, steps[k])
        layer = np.stack([ndi.gaussian_filter(light[..., c] * own, steps[k]) / mass for c in range(3)], -1)
        share = weight_sharp if k == 1 else np.clip((blur - steps[k - 1]) / (steps[k] - steps[k - 1]), 0, 1)
        out += share[..., None] * (layer - out)
    return out


def render(height: int = 1200, width: int = 1800, samples: int = 4, threads: int = 2) -> NDArray[np.float32]:
    """The scene in linear light (H, W, 3), 1 being the brightest that the camera records."""
    light, depth = np.zeros((height, width, 3)), np.zeros((height, width))
    cuts = np.linspace(0, height, 8 * threads + 1).astype(int)
    camera = _camera()
    with ThreadPoolExecutor(threads) as pool:
        work = [
            pool.submit(_rows, int(a), int(b), height, width, samples, camera, light, depth)
            for a, b in itertools.pairwise(cuts)
        ]
        for job in work:
            job.result()
    light = _defocus(light, depth)
    y, x = np.mgrid[-1 : 1 : height * 1j, -1 : 1 : width * 1j]
    light *= (1 - 0.22 * (x * x + 0.7 * y * y))[..., None]
    shoulder = 0.35 * light
    return (shoulder * (1 + shoulder / 9) / (1 + shoulder)).astype(np.float32) * np.float32(1.9)
