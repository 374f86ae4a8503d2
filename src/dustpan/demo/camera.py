"""The simulated camera that the demo pictures are taken with: what it does to clean light, and what it writes.

Photons and read noise in linear light, white balance after it, clipping and the sRGB curve; for a JPEG also a colour
filter mosaic and its interpolation.
"""

from __future__ import annotations

import struct
from datetime import datetime

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi

from dustpan.core.colour import encode
from dustpan.core.files import exif as ex

BALANCE = np.array([2.0, 1.0, 1.6])
READ_NOISE = 3.0  # electrons
PHOTONS = 250.0  # at white


def expose(light: NDArray, seed: int) -> NDArray[np.float64]:
    """Linear light (H, W, 3) to noisy, white-balanced linear values, not yet clipped."""
    rng = np.random.default_rng(seed)
    electrons = rng.poisson(np.maximum(light, 0) / BALANCE * PHOTONS) + rng.normal(0, READ_NOISE, light.shape)
    return electrons / PHOTONS * BALANCE


def develop(raw: NDArray) -> NDArray[np.floating]:
    """Clip and encode."""
    return encode(np.clip(raw, 0, 1))


def mosaic_and_back(raw: NDArray) -> NDArray[np.float64]:
    """Keep one colour per pixel (RGGB) and interpolate the others along edges."""
    h, w, _ = raw.shape
    mosaic = np.empty((h, w))
    for y, x, c in ((0, 0, 0), (0, 1, 1), (1, 0, 1), (1, 1, 2)):
        mosaic[y::2, x::2] = raw[y::2, x::2, c]
    stored = np.clip(np.rint(mosaic * 40000 + 8192), 0, 65535).astype(np.uint16)  # a pedestal keeps the darkest noise
    return (cv2.cvtColor(stored, cv2.COLOR_BayerRGGB2RGB_EA).astype(float) - 8192) / 40000


def hand_held(light: NDArray, length: float = 6.0, angle: float = 25.0) -> NDArray[np.float64]:
    """Light (h, w, C) as it falls on a sensor that moves along a line of so many px, at so many degrees."""
    turn, around = np.radians(angle), int(np.ceil(length / 2)) + 1
    path = np.zeros((2 * around + 1, 2 * around + 1))
    for at in length * ((np.arange(256) + 0.5) / 256 - 0.5):
        y, x = around + at * np.sin(turn), around + at * np.cos(turn)
        i, j = int(y), int(x)
        path[i : i + 2, j : j + 2] += np.outer([i + 1 - y, y - i], [j + 1 - x, x - j]) / 256
    return np.stack([ndi.convolve(light[..., c], path, mode="nearest") for c in range(light.shape[2])], -1)


def exposure_facts(title: str, taken: datetime, iso: int, seconds: float, f_number: float, focal: float) -> ex.Exif:
    """Invented exposure facts of an invented camera."""
    order = "<"
    return ex.Exif(
        order,
        main={
            0x010E: ex.ascii_entry(title),
            ex.MAKE: ex.ascii_entry("Lanthorn"),
            ex.MODEL: ex.ascii_entry("Lanthorn N2"),
            ex.ORIENTATION: ex.Entry(3, 1, struct.pack("<H", 1)),
            0x8298: ex.ascii_entry("Tidewrack, a museum that does not exist"),
        },
        photo={
            ex.EXPOSURE: ex.rational_entry(seconds, order),
            ex.F_NUMBER: ex.rational_entry(f_number, order),
            ex.ISO: ex.Entry(3, 1, struct.pack("<H", iso)),
            ex.TAKEN: ex.ascii_entry(taken.strftime("%Y:%m:%d %H:%M:%S")),
            ex.FOCAL: ex.rational_entry(focal, order),
        },
    )
