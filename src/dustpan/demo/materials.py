"""Procedural textures: value noise, wood, paper with handwriting. All compiled, all functions of a place alone."""

from __future__ import annotations

import numpy as np

from dustpan.core.kernels import FAST, part


@part(FAST)
def hashed(ix, iy, iz):
    """A number from 0 to 1 for an integer place."""
    n = (ix * 374761393 + iy * 668265263 + iz * 1274126177) & 0x7FFFFFFF
    n = ((n ^ (n >> 13)) * 1103515245) & 0x7FFFFFFF
    n = ((n ^ (n >> 16)) * 747796405) & 0x7FFFFFFF
    return ((n ^ (n >> 15)) & 0xFFFFFF) / 16777216.0


@part(FAST)
def value_noise(x, y, z):
    """Smooth noise from 0 to 1 with features of size 1."""
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    ix, iy, iz = int(fx), int(fy), int(fz)
    u, v, w = x - fx, y - fy, z - fz
    u, v, w = u * u * (3 - 2 * u), v * v * (3 - 2 * v), w * w * (3 - 2 * w)
    total = 0.0
    for k in range(2):
        wz = w if k else 1 - w
        for j in range(2):
            wy = v if j else 1 - v
            a, b = hashed(ix, iy + j, iz + k), hashed(ix + 1, iy + j, iz + k)
            total += wz * wy * (a + (b - a) * u)
    return total


@part(FAST)
def clouds(x, y, z, octaves):
    """Sum of octaves of value noise, about 0 to 1."""
    total, size = 0.0, 0.5
    for _ in range(octaves):
        total += size * value_noise(x, y, z)
        x, y, z, size = 2.03 * x + 7.1, 2.03 * y + 3.7, 2.03 * z + 1.3, 0.5 * size
    return total


@part(FAST)
def wood(x, z):
    """Dark oiled boards along x: (red, green, blue, gloss)."""
    board = np.floor(z / 9.0)
    seam = abs(z / 9.0 - board - 0.5)
    shift = 40 * hashed(int(board), 3, 9)
    warp = 9.0 * clouds(0.035 * x + shift, 0.16 * z, board, 4)
    rings = 0.5 + 0.5 * np.sin(2.9 * (0.7 * z + warp) + shift)
    fibre = clouds(0.55 * x + shift, 9.0 * z, 2.0, 3)
    pores = value_noise(1.3 * x + shift, 22 * z, 5.0)
    tone = 0.36 + 0.22 * rings * rings + 0.42 * (fibre - 0.45) + 0.12 * hashed(int(board), 1, 1)
    if pores > 0.80:
        tone *= 0.68
    if seam > 0.493:
        tone *= 0.25
    tone = min(max(tone, 0.04), 1.2)
    return 0.34 * tone, 0.185 * tone, 0.095 * tone, 0.25 + 0.5 * fibre


@part(FAST)
def ink(u, v):
    """Handwriting on a page of 15 x 20: how dark the ink is, 0 to 1; u along the lines, v down the page."""
    if u < 1.2 or u > 13.6 or v < 1.6 or v > 18.6:
        return 0.0
    row = int(np.floor(v / 0.92))
    if row > 17 or (row == 9 and u > 6.0):
        return 0.0
    y = v - (row + 0.62) * 0.92
    word = int(np.floor(u / 1.55 + 0.45 * hashed(row, 2, 0)))
    inside = u / 1.55 + 0.45 * hashed(row, 2, 0) - word
    if inside > 0.70 + 0.28 * hashed(row, word, 4):
        return 0.0
    phase = 6.28 * hashed(row, word, 7)
    letter = int(np.floor(u * 4.2))
    tall = hashed(letter, row, 11)
    height = 0.05 + 0.13 * value_noise(3.1 * u, row, 6.0)
    if tall > 0.78:
        height = 0.30
    wave = height * np.sin(26.4 * u + phase + 2.6 * value_noise(2.3 * u, row, 3.0)) + 0.05 * np.sin(11 * u + 2 * phase)
    if tall < 0.13 and y > 0:
        wave *= 1.9
    slope = abs(26.4 * height * np.cos(26.4 * u + phase)) + 1.0
    reach = abs(y + wave) / np.sqrt(slope)
    press = 0.035 + 0.018 * value_noise(3 * u, row, 2.0)
    return min(max(1.6 - reach / press, 0.0), 1.0) * (0.75 + 0.25 * value_noise(9 * u, 9 * v, 1.0))


@part(FAST)
def paper(u, v):
    """A ruled, yellowed page: (red, green, blue)."""
    fibre = 0.95 + 0.08 * (clouds(7 * u, 7 * v, 0.0, 3) - 0.45)
    stain = 1 - 0.16 * max(clouds(0.22 * u, 0.22 * v, 8.0, 4) - 0.48, 0.0) * 4
    edge = 1 - 0.12 * np.exp(-2.0 * min(min(u, 15 - u), min(v, 20 - v)))
    tone = fibre * stain * edge
    r, g, b = 0.80 * tone, 0.72 * tone, 0.56 * tone
    rule = abs((v / 0.92) - np.floor(v / 0.92) - 0.98)
    if rule < 0.025 and 1.4 < v < 18.8:
        r, g, b = 0.78 * r, 0.83 * g, 0.95 * b
    if abs(u - 1.05) < 0.02:
        r, g, b = 0.95 * r, 0.62 * g, 0.6 * b
    k = ink(u, v)
    return r * (1 - 0.86 * k), g * (1 - 0.84 * k), b * (1 - 0.74 * k)


@part(FAST)
def dial(x, z, radius):
    """The card of a compass: (red, green, blue) at (x, z) from its centre."""
    r = np.sqrt(x * x + z * z) / radius
    angle = np.arctan2(z, x)
    tone = 0.92 + 0.06 * (clouds(2.5 * x, 2.5 * z, 4.0, 3) - 0.45)
    mark = 0.0
    turn = angle / 6.283185 * 72
    off = abs(turn - np.floor(turn + 0.5)) * r
    major = int(np.floor(turn + 0.5)) % 6 == 0
    if 0.86 < r < 0.95 and off < 0.16:
        mark = 0.9
    if major and 0.78 < r < 0.95 and off < 0.22:
        mark = 0.95
    if 0.955 < r < 0.975 or 0.60 < r < 0.612:
        mark = 0.8
    star = 0.58 * (0.30 + 0.70 * abs(np.cos(4 * angle)) ** 9)
    if r < star:
        mark = 0.75 if np.sin(8 * angle) > 0 else 0.25
    red, green, blue = 0.78 * tone, 0.73 * tone, 0.60 * tone
    a = angle - 0.6
    across, along = r * np.sin(a), r * np.cos(a)
    if abs(across) < 0.045 * (1 - abs(along) / 0.74) and abs(along) < 0.74:
        if along > 0:
            return 0.42, 0.05, 0.03
        return 0.10, 0.11, 0.13
    return red * (1 - mark), green * (1 - mark), blue * (1 - 0.94 * mark)
