"""Time of noise reduction on a picture of 1.5 megapixels, as a multiple of OpenCV's NL-means on the same picture.

The photographs of `benchmarks/noise.py` are smaller, so that what is done once per picture weighs more there. Here the
four are continued by their mirror images and laid side by side. All run in turn in one process, each ratio against the
NL-means just before; machines differ from minute to minute, so the lowest and the highest ratio are given as well.
"""

from __future__ import annotations

import time
from typing import Any

import numpy as np
from numpy.typing import NDArray

from benchmarks.common import (
    CASES,
    FOUR,
    answer_apart,
    apart,
    arguments,
    noisy_pair,
    photograph,
    psnr,
    publish,
    table,
)
from benchmarks.noise import dustpan, reference

HEIGHT, WIDTH = 1000, 1500  # px
QUALITIES = ("quick", "exact", "finest")
TRIES = 5


def large_picture() -> NDArray[np.float64]:
    """(HEIGHT, WIDTH, 3): the four photographs, each continued to a quarter of it."""
    quarters = []
    for name in FOUR:
        pixels = photograph(name)
        beyond = [(0, max(0, side // 2 - n)) for side, n in zip((HEIGHT, WIDTH), pixels.shape, strict=False)]
        quarters.append(np.pad(pixels, (*beyond, (0, 0)), mode="symmetric")[: HEIGHT // 2, : WIDTH // 2])
    return np.concatenate([np.concatenate(quarters[:2], 1), np.concatenate(quarters[2:], 1)])


def measure(kind: str) -> dict[str, Any]:
    """Per quality the PSNR, and the ratio of times of every try; and the seconds of NL-means."""
    import cv2

    cv2.setNumThreads(2)
    truth, noisy = noisy_pair(large_picture(), kind, 5)
    quality = {q: psnr(dustpan(noisy, q), truth) for q in QUALITIES}
    ratios: dict[str, list[float]] = {q: [] for q in QUALITIES}
    seconds = []
    for _ in range(TRIES):
        for q in QUALITIES:
            began = time.perf_counter()
            reference(noisy)
            middle = time.perf_counter()
            dustpan(noisy, q)
            seconds.append(middle - began)
            ratios[q].append((time.perf_counter() - middle) / seconds[-1])
    return {"psnr": quality, "ratio": ratios, "reference": float(np.median(seconds))}


def main() -> None:
    if answer_apart(measure):
        return
    options = arguments(__doc__, cases=CASES)
    rows = []
    for kind in options.cases:
        found = apart("benchmarks.noise_time", kind)
        for q in QUALITIES:
            tries = found["ratio"][q]
            rows.append(
                [kind, q, found["psnr"][q], float(np.median(tries)), min(tries), max(tries), found["reference"]]
            )
    head = ["case", "Dustpan", "PSNR, dB", "time × OpenCV NL-means", "lowest", "highest", "NL-means, s"]
    text = f"A picture of {WIDTH} × {HEIGHT} px, median of {TRIES} tries:\n\n{table(head, rows)}"
    publish("noise_time", "Noise reduction: time on a larger picture", text, options.write)


if __name__ == "__main__":
    main()
