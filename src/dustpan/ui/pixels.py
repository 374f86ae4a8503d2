"""Packed pixels as Qt paints them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QImage


def image_of(words: NDArray[np.uint32]) -> QImage:
    """Packed pixels as an image that shares their memory; hold the array as long as the image."""
    h, w = words.shape
    return QImage(words.data, w, h, words.strides[0], QImage.Format.Format_RGB32)  # type: ignore[call-overload]
