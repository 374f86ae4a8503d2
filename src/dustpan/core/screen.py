"""Pixels as a screen takes them: packed 32-bit words, and half sizes of them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.colour_profile import needs_conversion, to_screen
from dustpan.core.kernels import PLANES, i8, kernel, seen, u1, u4


def packed(pixels: NDArray[np.float32], icc: bytes | None) -> NDArray[np.uint32]:
    """Encoded pixels to packed opaque RGB32 words (h, w), the layout that Qt paints fastest."""
    out = np.empty(pixels.shape[:2], np.uint32)
    if needs_conversion(icc):
        _pack_bytes(to_screen(pixels, icc), out)
    else:
        _pack(np.ascontiguousarray(pixels, np.float32), out)
    return out


@kernel(seen(PLANES), u4[:, ::1])
def _pack(pixels, out):
    """Round encoded floats as an 8-bit export does, and pack them."""
    h, w, n = pixels.shape
    for y in range(h):
        for x in range(w):
            word = np.uint32(0xFF)
            for c in range(3):
                v = np.rint(pixels[y, x, min(c, n - 1)] * np.float32(255))
                word = (word << np.uint32(8)) | np.uint32(min(max(v, np.float32(0)), np.float32(255)))
            out[y, x] = word


@kernel(u1[:, :, ::1], u4[:, ::1])
def _pack_bytes(rgb, out):
    h, w = out.shape
    for y in range(h):
        for x in range(w):
            r, g, b = np.uint32(rgb[y, x, 0]), np.uint32(rgb[y, x, 1]), np.uint32(rgb[y, x, 2])
            out[y, x] = np.uint32(0xFF000000) | (r << np.uint32(16)) | (g << np.uint32(8)) | b


def halved(words: NDArray[np.uint32]) -> NDArray[np.uint32]:
    """Area average of 2 x 2; an odd last row or column stands for itself."""
    out = np.empty((-(-words.shape[0] // 2), -(-words.shape[1] // 2)), np.uint32)
    _halve(words, out)
    return out


@kernel(u4[:, ::1], u4[:, ::1])
def _halve(words, out):
    h, w = words.shape
    for y in range(out.shape[0]):
        a, b = words[2 * y], words[min(2 * y + 1, h - 1)]
        for x in range(out.shape[1]):
            i, j = 2 * x, min(2 * x + 1, w - 1)
            word = np.uint32(0xFF)
            for shift in (16, 8, 0):
                s = np.uint32(shift)
                total = ((a[i] >> s) & np.uint32(255)) + ((a[j] >> s) & np.uint32(255))
                total += ((b[i] >> s) & np.uint32(255)) + ((b[j] >> s) & np.uint32(255))
                word = (word << np.uint32(8)) | ((total + np.uint32(2)) >> np.uint32(2))
            out[y, x] = word


def reduced(pixels: NDArray[np.float32], factor: int) -> NDArray[np.float32]:
    """Means of ``factor`` x ``factor`` px of (h, w, C); what does not fill a square at the end is left out."""
    h, w, n = pixels.shape
    out = np.zeros((h // factor, w // factor, n), np.float32)
    _reduce(np.ascontiguousarray(pixels, np.float32), factor, out)
    return out


@kernel(seen(PLANES), i8, PLANES)
def _reduce(pixels, factor, out):
    h, w, n = out.shape
    share = np.float32(1 / (factor * factor))
    for y in range(h):
        for i in range(factor):
            row = pixels[y * factor + i]
            for x in range(w):
                for j in range(factor):
                    for c in range(n):
                        out[y, x, c] += row[x * factor + j, c] * share
