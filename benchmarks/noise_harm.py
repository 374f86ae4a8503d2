"""What noise reduction does to pictures that hardly need it: clean, well compressed, or with a noise of 1 or 2/255.

All photographs in scikit-image's wheel: some are texture all over, some have grain of their own, which is truth here.
For comparison, what a library does to them that is told how much noise was added.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path

import numpy as np
import skimage
from numpy.typing import NDArray
from scipy import ndimage as ndi

from benchmarks.common import arguments, jpeg, photograph, psnr, publish, table
from benchmarks.noise import dustpan

SMALLEST, LARGEST = 100, 700  # px
SOFT = 0.7  # px, the sigma of the blur that clumps noise
COLUMNS = ("clean", "JPEG 95", "JPEG 80", "1", "2", "1 grey", "2 grey", "1 soft", "2 soft", "2, JPEG 90", "library, 2")


def names() -> list[str]:
    """The photographs of the wheel that are large enough."""
    folder = Path(skimage.__file__).parent / "data"
    found = sorted(p.stem for p in folder.iterdir() if p.suffix in (".png", ".jpg", ".jpeg"))
    return [n for n in found if min(photograph(n).shape[:2]) >= SMALLEST]


def cases(truth: NDArray) -> Iterator[NDArray]:
    rng = np.random.default_rng(5)
    white = partial(rng.normal, 0, 1 / 255)
    yield truth
    yield jpeg(truth, 95)
    yield jpeg(truth, 80)
    for grain in (white(truth.shape), white(truth.shape[:2])[..., None], _soft(white(truth.shape))):
        yield truth + grain
        yield truth + 2 * grain
    yield jpeg(truth + 2 * white(truth.shape), 90)


def _soft(grain: NDArray) -> NDArray:
    """Clumped, as strong as before."""
    out = ndi.gaussian_filter(grain, (SOFT, SOFT, 0))
    return out * (grain.std() / out.std())


def _library(pixels: NDArray[np.float32]) -> NDArray[np.float32]:
    from skimage.restoration import denoise_wavelet

    return denoise_wavelet(pixels, sigma=2 / 255, convert2ycbcr=True, channel_axis=-1, rescale_sigma=True)


def change(clean: Callable[[NDArray[np.float32]], NDArray], given: NDArray, truth: NDArray) -> float:
    """By how many dB cleaning brings a picture nearer to the truth; 0 if it is left as it is."""
    pixels = (np.round(np.clip(given, 0, 1) * 65535) / 65535).astype(np.float32)
    cleaned = clean(pixels)
    return 0.0 if np.array_equal(cleaned, pixels) else psnr(cleaned, truth) - psnr(pixels, truth)


def main() -> None:
    options = arguments(__doc__)
    rows = []
    for name in names():
        truth = photograph(name)[:LARGEST, :LARGEST]
        given = list(cases(truth))
        ours = [change(partial(dustpan, quality="exact"), g, truth) for g in given]
        rows.append([name, *ours, change(_library, given[COLUMNS.index("2")], truth)])
    figures = np.array([row[1:] for row in rows])
    rows.append(["worst", *(float(v) for v in figures.min(0))])
    text = (
        "By how many dB cleaning brings each picture nearer to the truth, *exact* and blind; 0.00 where it is left "
        "alone. Noise is that of each channel, of 255; *grey*: the same in all channels; *soft*: clumped, in each "
        "channel. The library is scikit-image's wavelet shrinkage, told the sigma that was added.\n\n"
    )
    publish("noise_harm", "Pictures that hardly need it", text + table(["photograph", *COLUMNS], rows), options.write)


if __name__ == "__main__":
    main()
