"""*Catalogue card*: an old typed label on grey board, photographed badly and sent on as a much-compressed JPEG."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont
from scipy import ndimage as ndi

from dustpan.core.colour import decode

FONTS = Path(__file__).resolve().parent.parent / "ui" / "look" / "fonts"
LINES = (
    ("SemiBold", 54, "TIDEWRACK"),
    ("Regular", 25, "Museum in the old lightstation"),
    ("Regular", 14, ""),
    ("SemiBold", 30, "No. 1871–14   Storm glass"),
    ("Regular", 23, "Brass, cork, sealed tube. Height 31 cm."),
    ("Regular", 23, "Left on the stairs by the third keeper,"),
    ("Regular", 23, "who wrote: “It clouds before the wind turns.”"),
    ("Regular", 17, "Shelf 4, drawer b.  Do not shake.  Copied by hand from the wet ledger."),
)


def _card(height: int, width: int) -> NDArray[np.float64]:
    """The card's ink and paper as encoded values (height, width, 3), upright."""
    scale = 4
    image = Image.new("L", (width * scale, height * scale), 255)
    draw = ImageDraw.Draw(image)
    y = 0.16 * height
    for weight, size, text in LINES:
        px = size * height / 560
        font = ImageFont.truetype(str(FONTS / f"Inter-{weight}.otf"), round(px * scale))
        draw.text((0.10 * width * scale, y * scale), text, fill=0, font=font)
        y += 1.42 * px
    for edge in (0.045, 0.06):
        box = (edge * width, edge * width, width * (1 - edge), height - edge * width)
        draw.rectangle([v * scale for v in box], outline=0, width=round(1.6 * scale))
    ink = 1 - np.asarray(image.resize((width, height), Image.Resampling.BOX), float) / 255
    rng = np.random.default_rng(31)
    worn = np.clip(0.9 + 0.1 * ndi.gaussian_filter(rng.normal(size=ink.shape), 1.5) * 4, 0.55, 1)
    fibre = (
        ndi.gaussian_filter(rng.normal(size=ink.shape), (0.7, 2.2))
        + ndi.gaussian_filter(rng.normal(size=ink.shape), 9) * 5
    )
    stain = np.clip(ndi.gaussian_filter(rng.normal(size=ink.shape), 45) * 40 - 0.6, 0, 1)
    paper = np.array([0.80, 0.735, 0.60]) * (1 + 0.02 * fibre)[..., None]
    paper *= 1 - stain[..., None] * np.array([0.10, 0.18, 0.30])
    dark = np.array([0.17, 0.13, 0.16])
    return paper * (1 - (ink * worn)[..., None]) + dark * (ink * worn)[..., None]


def render(height: int = 800, width: int = 1200) -> NDArray[np.float32]:
    """The scene in linear light (height, width, 3), 1 being the brightest that the camera records."""
    card = _card(round(0.72 * height), round(0.80 * width))
    rng = np.random.default_rng(32)
    board = 0.20 + 0.012 * ndi.gaussian_filter(rng.normal(size=(height, width)), 1.2) * 3
    out = np.repeat(board[..., None], 3, 2) * np.array([1.0, 1.02, 1.03])
    y0, x0 = (height - card.shape[0]) // 2, (width - card.shape[1]) // 2
    mask = np.zeros((height, width))
    mask[y0 : y0 + card.shape[0], x0 : x0 + card.shape[1]] = 1
    laid = out.copy()
    laid[y0 : y0 + card.shape[0], x0 : x0 + card.shape[1]] = card
    turn = {"angle": 2.3, "reshape": False, "order": 1, "mode": "nearest"}
    laid, mask = ndi.rotate(laid, axes=(0, 1), **turn), np.clip(ndi.rotate(mask, **turn), 0, 1)
    shadow = ndi.gaussian_filter(ndi.shift(mask, (6, 9), order=1), 7)
    out = out * (1 - 0.6 * shadow)[..., None] * (1 - mask)[..., None] + laid * mask[..., None]
    light = ndi.gaussian_filter(decode(np.clip(out, 0, 1)), (0.8, 0.8, 0))
    y, x = np.mgrid[0:height, 0:width] / height
    return (light * (0.95 - 0.42 * np.hypot(y - 0.35, x - 0.5))[..., None]).astype(np.float32)
