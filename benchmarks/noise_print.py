"""The noise print against the true noise, on the photographs with made noise."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from benchmarks.common import CASES, FOUR, OTHERS, arguments, case, photograph, publish, table
from dustpan.core.noise.measure import measure
from dustpan.core.noise.octaves import with_octaves

BINS = 24


def print_error(truth: NDArray, noisy: NDArray, estimate: NDArray, edges: NDArray) -> NDArray[np.float64]:
    """Relative errors (3, n) at the levels of the truth that count, NaN elsewhere.

    Levels count that hold over 0.5 % of the pixels and where under 2 % of the noisy values are clipped. The true sigma
    is that of the noise over all pixels of a level whose truth is flat.
    """
    out = np.full(estimate.shape, np.nan)
    flat = flat_pixels(truth)
    for c in range(3):
        bins = np.digitize(truth[..., c], edges) - 1
        error = noisy[..., c] - truth[..., c]
        for b in range(len(edges) - 1):
            here = (bins == b) & flat
            values = noisy[..., c][here]
            if here.sum() < 0.005 * here.size or np.mean((values <= 0) | (values >= 1)) > 0.02:
                continue
            out[c, b] = estimate[c, b] / error[here].std() - 1
    return out


def flat_pixels(truth: NDArray) -> NDArray[np.bool_]:
    """Pixels whose neighbourhood hardly changes, so that an interpolation between pixels adds no error of its own."""
    from scipy import ndimage as ndi

    luma = truth.mean(-1)
    spread = ndi.maximum_filter(luma, 5) - ndi.minimum_filter(luma, 5)
    return spread <= np.quantile(spread, 0.5)


def error_of(name: str, kind: str) -> float:
    """Mean over R, G, B of |estimated / true - 1|, in percent."""
    truth, noisy = case(name, kind)
    edges = np.linspace(0, 1, BINS + 1) ** 1.5
    found = measure(noisy)
    middle = (edges[1:] + edges[:-1]) / 2
    errors = print_error(truth, noisy, found.channel_sigma(middle), edges)
    known = np.abs(errors[np.isfinite(errors)])
    return float(100 * known.mean()) if known.size else float("nan")


def main() -> None:
    options = arguments(__doc__)
    parts = ["Mean over R, G, B of |estimated / true - 1| in percent, at the levels that count."]
    for group in (FOUR, OTHERS):
        rows = []
        for kind in CASES:
            errors = [error_of(n, kind) for n in group]
            rows.append([kind, *errors, float(np.mean(errors))])
        parts.append(table(["case", *group, "mean"], rows))
    rows = []
    for name in (*FOUR, *OTHERS):
        found = with_octaves(measure(photograph(name)), photograph(name))
        rows.append([name, 255 * found.strength, "yes" if found.clean else "no", found.sentence()])
    parts.append(
        "The clean photographs themselves:\n\n" + table(["photograph", "σ of 255", "left alone", "sentence"], rows)
    )
    publish("noise_print", "Noise print", "\n\n".join(parts), options.write)


if __name__ == "__main__":
    main()
