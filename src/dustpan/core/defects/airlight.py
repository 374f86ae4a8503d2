"""The light of the air in a picture: how bright a veil of nothing but air would be, and of which colour.

Its brightness is the median of what is haziest and smooth. Its colour cannot be read there when that is sky, for a sky
has a colour of its own; but it can be where things are. Within a small patch of one surface, light and shade move every
pixel along one line (the surface's colour), and the same veil lies over all of them: the plane through that line and
black holds the air's colour as well. Patches of different surfaces lay different planes, and the air is where they
meet. How well they meet tells how far that is to be believed over what is haziest, drawn half way to neutral, since
most veils are nearly so.

References
----------
[1] K. He, J. Sun, X. Tang, "Single image haze removal using dark channel prior", CVPR 2009.
[2] M. Sulami, I. Glatzer, R. Fattal, M. Werman, "Automatic recovery of the atmospheric light in hazy images",
    ICCP 2014: the meeting planes.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

HAZY, BRIGHT = 0.99, 0.9  # quantiles: of the dark channel, and of the light there, that the airlight is as bright as
HAZIEST, AS_HAZY, HIGHER = 0.995, 0.7, 0.1  # quantile; how much roughness and a lower place count against it
PATCH, APART = 7, 4  # px of the side of a patch that shall be one surface, and between two of them
SURE, CONTRAST, ENOUGH = 0.2, 0.02, 100  # rad, of a plane that counts; light and shade in it, of its light; patches
ROUGHLY, ROUNDS = 0.02, 30  # rad: no surface is of one colour more exactly than that
MOST = 2.0  # times that a channel may have less than guessed
GUESSED = 0.044  # rad that what is haziest, half way to neutral, is off: 2.5 degrees


def box(plane: NDArray, radius: int) -> Plane:
    """The mean of a square of 2 radius + 1 px, mirrored at the borders."""
    return np.asarray(cv2.blur(plane, (2 * radius + 1, 2 * radius + 1), borderType=cv2.BORDER_REFLECT), np.float32)


def dark_channel(light: NDArray[np.float32], radius: int) -> Plane:
    """The least of all channels within a square, see [1]."""
    least = np.ascontiguousarray(light.min(2), np.float32)
    return np.asarray(cv2.erode(least, np.ones((2 * radius + 1,) * 2), borderType=cv2.BORDER_REFLECT), np.float32)


def rough(plane: Plane, window: int, around: int) -> Plane:
    """How much a plane (h, w) differs from its own mean over a window, as a share of its light."""
    off = np.abs(plane - box(plane, window // 2))
    return np.asarray(box(off, around // 2) / np.maximum(plane, 0.02), np.float32)


def airlight_of(light: NDArray[np.float32], radius: int) -> NDArray[np.float32]:
    """The light of the air.

    Parameters
    ----------
    light : (h, w, C) linear light of a reduced picture, its noise smoothed.
    radius : px of the squares of the dark channel.

    Returns
    -------
    (C,) linear light.
    """
    haziest = _haziest(light, radius)
    if len(haziest) != 3:
        return haziest
    colour = _colour_of(light, haziest)
    return np.asarray(colour / colour.mean() * haziest.mean(), np.float32)


def _haziest(light: NDArray[np.float32], radius: int) -> NDArray[np.float32]:
    """(C,) the median of what is haziest and smooth, higher up rather than lower down."""
    dark, grey = dark_channel(light, radius), np.ascontiguousarray(light.mean(2))
    down = np.arange(len(grey), dtype=np.float32)[:, None] / len(grey)
    score = dark * (1 - AS_HAZY * rough(grey, 7, 15) - HIGHER * down)
    # a wood without sky has no place that is all veil: no less bright than what is haziest
    air = np.median(light[score >= np.quantile(score, HAZIEST)], 0)
    bright = np.quantile(grey[dark >= np.quantile(dark, HAZY)], BRIGHT)
    return np.asarray(air * max(bright / max(float(air.mean()), 1e-6), 1), np.float32)


def planes_of(light: NDArray[np.float32]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The planes that patches of one surface lay through black.

    Returns
    -------
    normals : (N, 3) of length one. unsure : (N,) how much each may be tilted, rad.
    """
    mean = cv2.blur(light, (PATCH, PATCH))
    squares = np.stack([light[..., i] * light[..., j] for i in range(3) for j in range(3)], -1)
    centres = slice(PATCH // 2, -PATCH, APART)
    means = mean[centres, centres].reshape(-1, 3).astype(float)
    spread = np.concatenate([cv2.blur(squares[..., k : k + 3], (PATCH, PATCH)) for k in (0, 3, 6)], -1)
    spread = spread[centres, centres].reshape(-1, 3, 3) - means[:, :, None] * means[:, None]
    power, along = np.linalg.eigh(spread)
    normals = np.cross(means / np.maximum(np.linalg.norm(means, axis=1, keepdims=True), 1e-9), along[..., 2])
    tilt = np.maximum(np.linalg.norm(normals, axis=1), 1e-9)
    beside, most = np.maximum(power[:, 1], 0) + 1e-7, np.maximum(power[:, 2], 1e-12)
    unsure = np.sqrt(beside / most) / tilt / PATCH
    counts = (unsure < SURE) & (np.sqrt(most) > CONTRAST * means.mean(1))
    return normals[counts] / tilt[counts, None], unsure[counts]


def _colour_of(light: NDArray[np.float32], haziest: NDArray[np.float32]) -> NDArray[np.float64]:
    """(3,) of length one: where the planes meet, as far as they do, and a guess from what is haziest where not."""
    first = haziest / np.linalg.norm(haziest)
    guess = first + np.full(3, 3**-0.5)
    guess /= np.linalg.norm(guess)
    normals, unsure = planes_of(light)
    if len(normals) < ENOUGH:
        return np.asarray(guess, np.float64)
    variance = unsure**2 + ROUGHLY**2
    colour, weight = first.astype(float), np.ones(len(normals))
    for _ in range(ROUNDS):  # patches of several surfaces lie far off and lose their say
        weight = (1 + (normals @ colour) ** 2 / (4 * variance)) ** -2 / variance
        meeting = normals.T @ (normals * weight[:, None]) / weight.sum()
        misses, axes = np.linalg.eigh(meeting)
        colour = axes[:, 0] * np.sign(axes[:, 0].sum())
    known = meeting / max(misses[0], 1e-12) + np.eye(3) / GUESSED**2
    found = np.maximum(np.linalg.solve(known, guess / GUESSED**2), guess / MOST)
    return np.asarray(found / np.linalg.norm(found), np.float64)
