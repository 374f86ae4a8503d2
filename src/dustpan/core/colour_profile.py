"""ICC profiles: from a picture's own colours to those of an sRGB screen (through littleCMS)."""

from __future__ import annotations

import hashlib
from functools import lru_cache

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import ImageCms

from dustpan.core.curve import LINEAR, SRGB, Curve, gamma

RAMP, SAME = 65, 2e-3  # greys that a profile's curve is measured on, and how far off light it may be to be linear
NO_OPTIMISE = 0x100  # littleCMS flag: without it 16-bit results are off by up to 3700/65535


@lru_cache(maxsize=1)
def srgb_profile() -> bytes:
    """An sRGB ICC profile."""
    return ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()


@lru_cache(maxsize=1)
def wide_gamut_profile() -> bytes:
    """A profile with wide RGB primaries (ITU-R BT.2020) and the sRGB curve, made here."""
    return _made(0.708, 0.292, 0.170, 0.797, 0.131, 0.046)


@lru_cache(maxsize=1)
def display_p3_profile() -> bytes:
    """A profile with the primaries of SMPTE EG 432-1 and the sRGB curve (Display P3), made here."""
    return _made(0.680, 0.320, 0.265, 0.690, 0.150, 0.060)


def _made(rx: float, ry: float, gx: float, gy: float, bx: float, by: float) -> bytes:
    """A profile with primaries at these chromaticities, the white of daylight (D65) and the sRGB curve."""
    curve = np.rint(SRGB.decode(np.linspace(0, 1, 1024)) * 65535).astype(np.uint16)
    primaries = (rx, ry, 1.0, gx, gy, 1.0, bx, by, 1.0)
    return imagecodecs.cms_profile("rgb", whitepoint=(0.3127, 0.3290, 1.0), primaries=primaries, transferfunction=curve)


@lru_cache(maxsize=1)
def linear_grey_profile() -> bytes:
    """A profile of one channel with values in proportion to light, made here."""
    return imagecodecs.cms_profile("gray", whitepoint=(0.3127, 0.3290, 1.0), gamma=1.0)


@lru_cache(maxsize=1)
def linear_profile() -> bytes:
    """A profile with sRGB's primaries and values in proportion to light, made here."""
    return imagecodecs.cms_profile(
        "rgb", whitepoint=(0.3127, 0.3290, 1.0), primaries=(0.64, 0.33, 1.0, 0.3, 0.6, 1.0, 0.15, 0.06, 1.0), gamma=1.0
    )


@lru_cache(maxsize=16)
def profile_curve(icc: bytes) -> Curve:
    """How the values that a profile describes relate to light: measured on a ramp of greys through it.

    Returns
    -------
    `LINEAR`, sRGB's curve, or the power law that comes nearest; sRGB's for a profile that cannot be used.
    """
    ramp = np.linspace(0, 1, RAMP)
    greys = np.repeat(ramp.astype(np.float32)[None, :, None], 3, 2)
    try:
        light = _transform(greys, icc, linear_profile())[0, :, 1].astype(float) / 65535
    except (ValueError, RuntimeError):
        return SRGB
    if np.abs(light - ramp).max() < SAME:
        return LINEAR
    inside = (ramp > 0.2) & (ramp < 0.95) & (light > 0)
    if not inside.any():
        return SRGB
    exponent = float(np.clip(np.median(np.log(light[inside]) / np.log(ramp[inside])), 1.2, 3.0))
    known = (SRGB, gamma(round(exponent, 2)))
    return min(known, key=lambda c: float(np.abs(c.decode(ramp) - light).max()))


def _transform(pixels: NDArray[np.float32], icc: bytes, target: bytes | None = None) -> NDArray[np.uint16]:
    space = icc[16:20]
    inside = np.clip(pixels, 0, 1)
    if space == b"GRAY":
        source, inside = "gray", inside[..., :1]
    elif space == b"RGB ":
        source, inside = "rgb", np.broadcast_to(inside, (*inside.shape[:-1], 3))
    else:
        raise ValueError("profile of another colour space")
    data = np.ascontiguousarray(np.rint(inside * np.float32(65535)).astype(np.uint16))
    if source == "gray":
        data = data[..., 0]
    return imagecodecs.cms_transform(
        data,
        icc,
        target or srgb_profile(),
        colorspace=source,
        outcolorspace="rgb",
        outdtype="uint16",
        intent=1,
        flags=NO_OPTIMISE,
    )


@lru_cache(maxsize=16)
def _is_screen(digest: bytes, icc: bytes) -> bool:
    """Whether a profile shows colours as sRGB does, so that no conversion is needed."""
    del digest
    ramp = np.linspace(0, 1, 6, dtype=np.float32)
    grid = np.stack(np.meshgrid(ramp, ramp, ramp), -1).reshape(1, -1, 3)
    if icc[16:20] == b"GRAY":
        grid = np.repeat(ramp[None, :, None], 3, 2)
    try:
        shown = _transform(grid, icc).astype(np.float32) / np.float32(65535)
    except (ValueError, RuntimeError):
        return True  # a profile that cannot be used is shown as sRGB
    return float(np.abs(shown - grid).max()) < 1.5 / 255


def needs_conversion(icc: bytes | None) -> bool:
    """Whether colours of this profile look different on an sRGB screen."""
    return icc is not None and len(icc) > 128 and not _is_screen(hashlib.blake2b(icc).digest(), icc)


def between_profiles(pixels: NDArray[np.float32], icc: bytes | None, target: bytes | None) -> NDArray[np.float32]:
    """Pixels (h, w, C) of one profile as those of another one; None is sRGB. As they are where both are one."""
    if icc == target or pixels.shape[2] != 3 or not (needs_conversion(icc) or needs_conversion(target)):
        return pixels
    try:
        moved = _transform(pixels, icc or srgb_profile(), target or srgb_profile())
    except (ValueError, RuntimeError):
        return pixels  # a profile that cannot be used counts as sRGB
    return moved.astype(np.float32) / np.float32(65535)


def to_screen(pixels: NDArray[np.float32], icc: bytes | None) -> NDArray[np.uint8]:
    """Encoded pixels (h, w, C) of a picture with this profile to 8-bit sRGB (h, w, 3).

    Without a profile, or with sRGB, the bytes are those of an 8-bit export.
    """
    if icc is not None and needs_conversion(icc):
        shown = _transform(pixels, icc)
        return ((shown.astype(np.uint32) * 255 + 32767) // 65535).astype(np.uint8)
    eight = np.clip(np.rint(pixels * np.float32(255)), 0, 255).astype(np.uint8)
    return np.repeat(eight, 3, 2) if eight.shape[2] == 1 else eight


def to_screen_fine(pixels: NDArray[np.float32], icc: bytes) -> NDArray[np.float32]:
    """Pixels (h, w, C) of a picture with this profile to sRGB (h, w, 3), in 65536 steps from 0 to 1."""
    return _transform(pixels, icc).astype(np.float32) / np.float32(65535)
