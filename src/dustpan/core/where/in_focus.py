"""The part In focus: what is as sharp as the sharpest of the picture, whatever its contrast and its noise.

Every place is asked which blur explains the powers of its bands best. Natural pictures fall off as f^-2 in power, edges
too; a blur takes exp(-(sigma f)^2) of that; the noise adds what is known of it. The contrast is free at every place,
and within limits so is the noise, so that neither poses as sharpness. The evidence is summed along the picture's
structures and cut a little above the blur of its own sharpest places.

References
----------
[1] D. J. Field, "Relations between the statistics of natural images and the response properties of cortical cells",
    JOSA A 4(12), 1987.
[2] K. He, J. Sun, X. Tang, "Guided image filtering", ECCV 2010.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from itertools import pairwise
from threading import Lock

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.between import between
from dustpan.core.colour import luma
from dustpan.core.fact import Asked, FactKind, Scope
from dustpan.core.kernels import FAST, PLANE, ROW, i8, kernel
from dustpan.core.language import mark
from dustpan.core.noise.evened import even_noise, made_noise, quieter
from dustpan.core.noise.measure import NOISE_PRINT
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.params import Params, number
from dustpan.core.smooth import guided, shoulder
from dustpan.core.stage import Context, Stage
from dustpan.core.where.mask import PartKind

Plane = NDArray[np.float32]
SCALES, ENDS = np.array([0.45, 0.7, 1.0, 1.45, 2.1, 3.0]), 4.2  # px, of the Gaussians between which the bands lie
BLURS = np.array([0.0, 0.35, 0.55, 0.75, 1.0, 1.3, 1.7, 2.2, 2.9, 3.8, 5.0, 6.5])  # px, sigma
CONTRASTS = np.geomspace(3e-7, 3e-1, 32)
NOISE_OFF = np.array([0.85, 1.0, 1.18, 1.4])  # how wrong the print may be
WINDOWS = ((3.0, 1.0), (8.0, 0.5))  # px, and how much they count
EVERY, MIDDLE = 4, 2  # px between places that are asked, and to the first one
INDEPENDENT = 40.0  # samples of a band at most
LARGEST = 6_000_000  # px; larger pictures are halved first
SHARPEST = 0.2  # share of the evidence that is the picture's sharpest
LIMIT = 8.0  # of the log of the odds
RIM, GAPS = 3, 7  # places: windows that straddle a border read sharp; gaps that are closed
ALONG, EVEN = (3, 6), 1e-3  # places and evenness of the guided filters
TO_WEIGHT = 6.0  # log of the odds from not at all to fully


@dataclass(eq=False)
class Focus:
    """How sharp places are: (h, w, blurs) log-likelihoods every `EVERY` px, and the picture as small as that."""

    likelihood: Plane
    guide: Plane
    step: float  # px of the picture between places
    _made: dict[float, Plane] = field(default_factory=dict)
    _lock: Lock = field(default_factory=Lock)

    def weights(self, more: float) -> Plane:
        """(h, w) 0 to 1 at the places; in focus are blurs up to so many rungs above the sharpest."""
        with self._lock:
            if more not in self._made:
                if len(self._made) > 8:
                    self._made.clear()
                self._made[more] = _spread(_odds(self.likelihood, _sharpest(self.likelihood) + more), self.guide)
            return self._made[more]


class InFocusParams(Params):
    """How far from the sharpest places still counts."""

    more: float = number(
        1.8, 0.2, 8, label="Range", unit="rungs", digits=1,
        help="How much softer than the sharpest places still counts, in rungs of about a third more blur.",
    )  # fmt: skip
    soft: float = number(50, 5, 100, label="Softness", unit="%", digits=0, help="How gradually it fades.")


def _bands(plane: Plane) -> list[Plane]:
    soft = [cv2.GaussianBlur(plane, (0, 0), float(s), borderType=cv2.BORDER_REFLECT) for s in (*SCALES, ENDS)]
    return [a - b for a, b in pairwise(soft)]


def _model(spectrum: NDArray, halved: bool) -> tuple[NDArray, NDArray]:
    """(blurs, bands) powers of pictures of unit contrast, and (bands,) of the noise of unit sigma."""
    n = 128
    f = 2 * np.pi * np.fft.fftfreq(n)
    square = f[:, None] ** 2 + f[None] ** 2
    soft = [np.exp(-square * s * s / 2) for s in (*SCALES, ENDS)]
    bands = np.array([(a - b) ** 2 for a, b in pairwise(soft)])
    falls = np.where(square > 0, 1 / np.maximum(square, 1e-9), 0)
    models = np.array([(bands * falls * np.exp(-square * s * s)).sum((1, 2)) for s in BLURS]) / n**2
    at = np.minimum(np.abs(f) / np.pi * 8 * (0.5 if halved else 1), 7.0)
    low = np.minimum(at.astype(int), 6)
    part = at - low
    rows = spectrum[low] * (1 - part)[:, None] + spectrum[low + 1] * part[:, None]
    noise = rows[:, low] * (1 - part) + rows[:, low + 1] * part
    return models, (bands * noise).sum((1, 2)) / n**2 * (0.25 if halved else 1)


@kernel(PLANE, PLANE, ROW, i8, PLANE, options=FAST)
def _best(energy, inverse, offset, blurs, out):
    """For every place and blur the best of all contrasts and noises."""
    places, bands = energy.shape
    variants = len(offset) // blurs
    fit = np.empty(blurs, np.float32)
    for i in range(places):
        best = out[i]
        best[:] = np.float32(1e30)
        for v in range(variants):
            at = v * blurs
            for b in range(blurs):
                fit[b] = offset[at + b]
            for c in range(bands):
                e = energy[i, c]
                for b in range(blurs):
                    fit[b] += e * inverse[c, at + b]
            for b in range(blurs):
                best[b] = min(best[b], fit[b])
        for b in range(blurs):
            best[b] *= np.float32(-0.5)


def _likelihood(bands: list[Plane], models: NDArray, noise: NDArray, window: float) -> Plane:
    """(h, w, blurs) log-likelihood at every `EVERY`-th place."""
    blurred = [cv2.GaussianBlur(b * b, (0, 0), window, borderType=cv2.BORDER_REFLECT) for b in bands]
    rows, columns = (slice(min(MIDDLE, n - 1), None, EVERY) for n in bands[0].shape)
    energy = np.stack([b[rows, columns] for b in blurred], -1)
    samples = np.minimum(window**2 / (SCALES + 0.5) ** 2, INDEPENDENT)
    variance = CONTRASTS[:, None, None, None] * models + NOISE_OFF[:, None, None] * noise
    variance = variance.reshape(-1, models.shape[1])  # (contrast, noise, blur), the last running fastest
    offset = (samples * np.log(variance)).sum(-1).astype(np.float32)
    out = np.empty((energy.shape[0] * energy.shape[1], len(BLURS)), np.float32)
    flat = np.ascontiguousarray(energy.reshape(-1, len(SCALES)), np.float32)
    _best(flat, np.ascontiguousarray((samples / variance).T.astype(np.float32)), offset, len(BLURS), out)
    return out.reshape(*energy.shape[:2], len(BLURS))


def _log_sum(a: NDArray) -> NDArray:
    most = a.max(-1, keepdims=True)
    return np.asarray(np.log(np.exp(a - most).sum(-1)) + most[..., 0])


def _sharpest(likelihood: Plane) -> float:
    """The rung of the picture's own sharpest places, each counted by how sure it is."""
    share = np.exp(likelihood - _log_sum(likelihood)[..., None]).reshape(-1, len(BLURS))
    sure = np.maximum(np.log(len(BLURS)) + (share * np.log(share + 1e-12)).sum(-1), 0)
    held = np.cumsum((share * sure[:, None]).sum(0))
    return float(np.interp(SHARPEST, np.r_[0, held / max(held[-1], 1e-12)], np.arange(len(held) + 1) - 0.5))


def _odds(likelihood: Plane, cut: float) -> Plane:
    """Log of in focus against not; between two rungs both are asked."""
    k = int(np.clip(np.floor(cut), 0, len(BLURS) - 2))
    part = float(np.clip(cut - k, 0, 1))

    def at(k: int) -> NDArray:
        return np.clip(_log_sum(likelihood[..., : k + 1]) - _log_sum(likelihood[..., k + 1 :]), -LIMIT, LIMIT)

    return np.asarray((1 - part) * at(k) + part * at(min(k + 1, len(BLURS) - 2)), np.float32)


def _spread(odds: Plane, guide: Plane) -> Plane:
    """Weights from evidence that is summed along the picture's structures."""

    def disc(n: int) -> NDArray:
        return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (n, n))

    own = np.asarray(cv2.erode(cv2.morphologyEx(odds, cv2.MORPH_CLOSE, disc(GAPS)), disc(RIM)), np.float32)
    for radius in ALONG:
        own = guided(np.ascontiguousarray(own), guide, radius / 1.7, EVEN)
    return np.asarray(np.clip(0.5 + own / TO_WEIGHT, 0, 1), np.float32)


def _measure(asked: Asked) -> Focus:
    noise: NoisePrint = asked.needs[NOISE_PRINT]
    h, w = asked.size
    halved = h * w > LARGEST
    rows, colours, factors = [], [], []
    for strip, _, pixels in asked.strips():
        asked.check()
        if (factor := asked.by_place(strip)) is not None:
            factors.append(factor[0])
        pixels = np.ascontiguousarray(np.clip(pixels, 0, 1), np.float32)
        rows.append(np.asarray(luma(pixels), np.float32))
        colours.append(_small(pixels))
    plane, sigma = even_noise(np.concatenate(rows), noise)
    if factors:  # noise that was taken out in part comes back, so that all places are asked alike
        plane += sigma * np.sqrt(np.maximum(1 - np.concatenate(factors) ** 2, 0)) * made_noise(plane.shape, noise)
    sigma *= quieter(plane, np.asarray(noise.luma_spectrum, float).reshape(8, 8), sigma)
    if halved:
        half = max(w // 2, 1), max(h // 2, 1)
        plane = np.asarray(cv2.resize(plane, half, interpolation=cv2.INTER_AREA), np.float32)
    asked.check()
    return focus_of(plane, np.concatenate(colours), noise, sigma, halved, asked.check)


def _small(pixels: Plane) -> Plane:
    """A strip as a guide of a quarter of the size each way."""
    h, w = pixels.shape[:2]
    soft = cv2.GaussianBlur(pixels, (0, 0), 1.0, borderType=cv2.BORDER_REFLECT)
    size = max(-(-w // EVERY), 1), max(-(-h // EVERY), 1)
    small = cv2.resize(soft, size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], -1)
    return np.asarray(small, np.float32)


def focus_of(
    plane: Plane, guide: Plane, noise: NoisePrint, sigma: float, halved: bool, check: Callable[[], None] = lambda: None
) -> Focus:
    """How sharp places are.

    Parameters
    ----------
    plane : (h, w) luma of even noise. guide : (h', w', C) the picture, small. noise : its print. sigma : of the plane,
        before it was halved. check : called between the parts.
    """
    models, bands_of_noise = _model(np.asarray(noise.luma_spectrum, float).reshape(8, 8), halved)
    bands = _bands(plane)
    check()
    parts = []
    for window, counts in WINDOWS:
        parts.append(np.float32(counts) * _likelihood(bands, models, bands_of_noise * sigma**2, window))
        check()
    found = np.asarray(np.sum(parts, 0), np.float32)
    size = found.shape[1], found.shape[0]
    small = cv2.resize(guide, size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], -1)
    return Focus(found, np.ascontiguousarray(small, np.float32), EVERY * (2 if halved else 1))


FOCUS = FactKind("focus", _measure, scope=Scope.WHOLE, needs=(NOISE_PRINT,))


def _run(context: Context) -> NDArray[np.float32]:
    p: InFocusParams = context.params
    focus: Focus = context.facts[FOCUS]
    weights, r = focus.weights(p.more), context.region
    half = max(0.02, p.soft / 100)
    y, x = ((np.arange(*ends) + 0.5) / focus.step - 0.5 for ends in ((r.y0, r.y1), (r.x0, r.x1)))
    return shoulder(between(weights, y, x), 0.5 - half / 2, 0.5 + half / 2)


IN_FOCUS = PartKind(
    "in-focus", mark("in focus"), mark("What is as sharp as the sharpest, whatever its contrast"), InFocusParams,
    (Stage("in focus", _run),), facts=lambda p: frozenset({FOCUS}),
)  # fmt: skip
