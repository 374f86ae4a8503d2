"""Small files of every format, made by other libraries than Dustpan's own writers where there are any."""

from __future__ import annotations

import io
import tempfile
from pathlib import Path

import imagecodecs
import numpy as np
import tifffile
from PIL import Image

from dustpan.core.colour_profile import wide_gamut_profile
from dustpan.core.files import exif as ex
from dustpan.demo.dng import Shot, dng

XMP = b'<x:xmpmeta xmlns:x="adobe:ns:meta/"><note xmlns="urn:tidewrack">lamp room</note></x:xmpmeta>'


def samples(height: int = 24, width: int = 36, channels: int = 3, dtype: type = np.uint8) -> np.ndarray:
    """A smooth ramp with some noise, so that lossy formats stay close."""
    y, x = np.mgrid[0:height, 0:width]
    rng = np.random.default_rng(11)
    planes = [(x / width + c * y / height) / (c + 1) for c in range(channels)]
    values = np.clip(np.stack(planes, -1) + 0.02 * rng.normal(size=(height, width, channels)), 0, 1)
    if np.issubdtype(dtype, np.floating):
        return (values * 2.5).astype(dtype)
    return np.rint(values * np.iinfo(dtype).max).astype(dtype)


def thumbnail() -> bytes:
    held = io.BytesIO()
    Image.fromarray(np.full((40, 60, 3), (250, 0, 0), np.uint8)).save(held, "JPEG")
    return held.getvalue()


def exif_block(orientation: int = 1, with_thumbnail: bool = True, order: str = "<") -> bytes:
    import struct

    exif = ex.Exif(
        order,
        main={
            ex.MAKE: ex.ascii_entry("Lanthorn"), ex.MODEL: ex.ascii_entry("Lanthorn N2"),
            ex.ORIENTATION: ex.Entry(3, 1, struct.pack(order + "H", orientation)),
        },
        photo={
            ex.ISO: ex.Entry(3, 1, struct.pack(order + "H", 12800)), ex.EXPOSURE: ex.rational_entry(1 / 15, order),
            ex.TAKEN: ex.ascii_entry("2026:10:31 22:14:05"), 0x9999: ex.Entry(7, 6, b"secret"),
        },
        gps={1: ex.ascii_entry("N"), 2: ex.Entry(5, 3, struct.pack(order + "6I", 54, 1, 11, 1, 5, 1))},
        thumbnail=thumbnail() if with_thumbnail else b"",
    )  # fmt: skip
    return ex.build(exif)


def jpeg(pixels: np.ndarray | None = None, **options: object) -> bytes:
    held = io.BytesIO()
    image = Image.fromarray(samples() if pixels is None else pixels)
    options.setdefault("exif", b"Exif\0\0" + exif_block())
    options.setdefault("icc_profile", wide_gamut_profile())
    image.save(held, "JPEG", quality=95, xmp=XMP, **options)
    return held.getvalue()


def webp(pixels: np.ndarray | None = None) -> bytes:
    held = io.BytesIO()
    image = Image.fromarray(samples() if pixels is None else pixels)
    exif = b"Exif\0\0" + exif_block()
    image.save(held, "WEBP", lossless=True, exact=True, exif=exif, icc_profile=wide_gamut_profile(), xmp=XMP)
    return held.getvalue()


def png(pixels: np.ndarray | None = None) -> bytes:
    held = io.BytesIO()
    image = Image.fromarray(samples() if pixels is None else pixels)
    image.save(held, "PNG", icc_profile=wide_gamut_profile(), exif=exif_block())
    return held.getvalue()


def tiff(pixels: np.ndarray | None = None, **options: object) -> bytes:
    held = io.BytesIO()
    pixels = samples(dtype=np.uint16) if pixels is None else pixels
    options.setdefault("photometric", "rgb" if pixels.ndim == 3 and pixels.shape[2] >= 3 else "minisblack")
    tifffile.imwrite(
        held, pixels, iccprofile=wide_gamut_profile(), extratags=[(700, 1, len(XMP), XMP, True)], **options
    )
    return held.getvalue()


def avif(pixels: np.ndarray | None = None) -> bytes:
    held = io.BytesIO()
    image = Image.fromarray(samples() if pixels is None else pixels)
    image.save(held, "AVIF", quality=95, exif=b"Exif\0\0" + exif_block(), icc_profile=wide_gamut_profile(), xmp=XMP)
    return held.getvalue()


def heic(pixels: np.ndarray | None = None) -> bytes:
    import pillow_heif

    held = io.BytesIO()
    found = pillow_heif.from_pillow(Image.fromarray(samples(64, 96) if pixels is None else pixels))
    found.save(held, quality=90, exif=b"Exif\0\0" + exif_block(), icc_profile=wide_gamut_profile())
    return held.getvalue()


def jpeg_xl(pixels: np.ndarray | None = None) -> bytes:
    return bytes(imagecodecs.jpegxl_encode(samples() if pixels is None else pixels, lossless=True))


def fits(pixels: np.ndarray | None = None, **header: object) -> bytes:
    from astropy.io import fits as astropy_fits

    held = io.BytesIO()
    pixels = samples(24, 60, 1, np.uint16) if pixels is None else pixels  # it fills a block
    planes = np.moveaxis(pixels, -1, 0) if pixels.ndim == 3 and pixels.shape[2] == 3 else pixels.squeeze()
    planes = planes.reshape(pixels.shape[:2]) if planes.ndim < 2 else planes
    astropy_fits.PrimaryHDU(planes, astropy_fits.Header(header)).writeto(held)
    return held.getvalue()


def exr(pixels: np.ndarray | None = None, dtype: type = np.float16, **more: np.ndarray) -> bytes:
    import OpenEXR

    pixels = samples(dtype=np.float32) if pixels is None else pixels.astype(np.float32)
    channels = {c: np.ascontiguousarray(pixels[..., n], dtype) for n, c in enumerate("RGB")}
    channels |= {name.replace("_", "."): plane for name, plane in more.items()}
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "made.exr"
        header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        OpenEXR.File(header, channels).write(str(path))
        return path.read_bytes()


def mosaic_dng(pixels: np.ndarray | None = None, shot: Shot | None = None) -> bytes:
    counts = np.rint(500 + 0.2 * samples(48, 64, 1, np.uint16)[..., 0]).astype(np.uint16) if pixels is None else pixels
    return dng(counts, shot or Shot(matrix=np.eye(3), neutral=(0.5, 1.0, 0.7), facts=ex.parse(exif_block())))


MAKERS = {
    "jpg": jpeg, "png": png, "tif": tiff, "webp": webp, "avif": avif, "jxl": jpeg_xl, "fits": fits, "exr": exr,
}  # fmt: skip
ONLY_READ = {"dng": mosaic_dng, "heic": heic}


def write(folder: Path, name: str, data: bytes) -> Path:
    path = folder / name
    path.write_bytes(data)
    return path
