"""Writing frames of a telescope and renders with passes, as the programs that make them do."""

from __future__ import annotations

import io
import os
import tempfile
from collections.abc import Mapping
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from dustpan.core.files.atomic import write_atomically


def write_fits(path: Path, samples: NDArray, about: Mapping[str, object]) -> None:
    """A FITS file of one image (h, w), or of planes (3, h, w)."""
    from astropy.io import fits

    held = io.BytesIO()
    fits.PrimaryHDU(samples, fits.Header(about)).writeto(held)
    write_atomically(path, lambda file: file.write(held.getvalue()))


def write_exr(path: Path, beauty: NDArray[np.float32], passes: Mapping[str, NDArray[np.float32]]) -> None:
    """An OpenEXR file of halves: the beauty pass, and passes (h, w, 3) as layers; normals have axes for channels."""
    import OpenEXR

    channels = {c: np.ascontiguousarray(beauty[..., n], np.float16) for n, c in enumerate("RGB")}
    for name, pixels in passes.items():
        axes = "XYZ" if name == "normal" else "RGB"
        channels |= {f"{name}.{c}": np.ascontiguousarray(pixels[..., n], np.float16) for n, c in enumerate(axes)}
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    handle, made = tempfile.mkstemp(suffix=".exr")
    os.close(handle)
    try:
        OpenEXR.File(header, channels).write(made)
        content = Path(made).read_bytes()
    finally:
        os.unlink(made)
    write_atomically(path, lambda file: file.write(content))
