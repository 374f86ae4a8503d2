"""Broad bands of lamps that flicker while a sensor is read row by row, proven by the ratio of the colours.

What lamps do to a row they do to all of it, and to each colour by another amount, as their phosphors fade at different
speeds; what is in the scene seldom changes colour and brightness in step, at one frequency, all across the picture. So
the change of the colours' ratios from row to row is taken where the scene is calm, by upright strips. A band is proven
when the strips agree at one frequency, in the ratios and in brightness, with one phase and about one strength. Where
only a part of that holds it is likely, and a person is asked.

References
----------
[1] M. Yoo, J. Im, J. Paik, "Flicker removal for CMOS wide dynamic range imaging based on alternating current component
    analysis", IEEE Trans. Consumer Electronics 60(3), 2014: the sinusoid along the rows.
[2] G. D. Finlayson, S. D. Hordley, M. S. Drew, "Removing shadows from images", ECCV 2002: light by ratios of colours.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from dustpan.core.curve import Curve

ROWS, STRIPS, WITHIN = 384, 12, 24  # of the reduced picture: rows, strips, columns of a strip
LAG = 10 / 384  # of the height, over which change is taken
DARK, CALM = 0.006, 0.08  # of white, below which no ratio is told; change from which on the scene is not calm
FEWEST, MOST, FINE = 1.5, 14.0, 0.125  # bands in the picture, and the steps between them
ALONE, BESIDE = 2.0, 90.0  # bands apart that are no neighbours, and the percentile of theirs that is compared with
TOLD, STRIPS_TOLD = 0.12, 5  # of the rows calm for a strip to count, and how many have to
PROVEN_BANDS = 2.25  # fewer can be a shadow
AGREE, AGREE_IN_LIGHT, EVEN, IN_STEP = 0.72, 0.7, 0.55, 15.0  # shares; degrees
OVER, SEEN = 2.0, 0.006  # times what is beside it; of the light
HARMONIC = 0.6  # how much strips have to agree in twice the frequency
WHITE = (0.94, 0.99)  # encoded, from where on light may have been clipped
SMALLEST, PATTERN = 96, 6  # px, of a picture and of the largest pattern of a sensor
Plane = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Flicker:
    """Bands along one direction.

    bands : in the picture. agreement : of strips, 0 to 1. proven : likely otherwise.
    gain : (height, colours) how much brighter a row is than it would be. curve : of the picture.
    """

    bands: float
    agreement: float
    proven: bool
    gain: Plane
    curve: Curve

    @property
    def strength(self) -> float:
        """The largest departure from 1."""
        return float(np.abs(self.gain - 1).max())


def _light(planes: list[tuple[Plane, Plane | None]], curve: Curve) -> Plane:
    """(rows, columns, colours) mean light of a reduced picture; of samples with a weight, weighted."""
    size = STRIPS * WITHIN, min(len(planes[0][0]), ROWS)
    small = []
    for samples, weight in planes:
        light = np.asarray(curve.decode(samples), np.float32)
        if weight is None:
            small.append(cv2.resize(light, size, interpolation=cv2.INTER_AREA))
        else:
            near = (cv2.blur(p, (PATTERN, PATTERN)) for p in (light * weight, weight))  # some of each colour everywhere
            total, of = (cv2.resize(p, size, interpolation=cv2.INTER_AREA) for p in near)
            small.append(total / np.maximum(of, 1e-6))
    return np.stack(small, -1)


def _changes(light: Plane) -> tuple[NDArray, NDArray]:
    """(rows, strips, 2 + colours) mean logarithmic change of two ratios and of each colour over the lag; weights."""
    lag = max(1, round(LAG * len(light)))
    logs = np.log(np.maximum(light, DARK / 2))
    both = np.concatenate([logs[..., :1] - logs[..., 1:2], logs[..., 2:3] - logs[..., 1:2], logs], -1)
    change = both[lag:] - both[:-lag]
    lit = light.min(-1) > DARK
    size = np.sqrt((change[..., :2] ** 2).sum(-1) + change[..., 2:].mean(-1) ** 2)
    weight = (lit[lag:] & lit[:-lag]) / (1 + (size / CALM) ** 4)
    weight = weight.reshape(len(change), STRIPS, WITHIN)
    total = (change.reshape(len(change), STRIPS, WITHIN, -1) * weight[..., None]).sum(2)
    weights = weight.sum(2)
    return total / (weights[..., None] + 1e-6), weights / (weights + 2)


def _waves(change: NDArray, weight: NDArray, bands: NDArray, rows: int) -> NDArray:
    """(bands, strips, k) complex strength of waves in what changed so."""
    n = len(change)
    lag = rows - n
    window = np.hanning(n)[:, None] * weight
    held = window.sum(0) + 1e-9
    calm = change - ((change * window[..., None]).sum(0) / held[:, None])
    t = (np.arange(n) + 0.5) / rows
    found = 2 * np.einsum("fn,nsk->fsk", np.exp(-2j * np.pi * bands[:, None] * t), calm * window[..., None])
    found /= (window.sum(0) + 0.05 * n)[:, None]
    return np.asarray(found / (np.exp(2j * np.pi * bands * lag / rows) - 1)[:, None, None])


def _agreement(waves: NDArray) -> NDArray:
    """Power of the mean of strips (second to last) over their mean power, summed over the last."""
    common = (np.abs(waves.mean(-2)) ** 2).sum(-1)
    return np.asarray(common / np.maximum((np.abs(waves) ** 2).sum(-1).mean(-1), 1e-20))


def prove(planes: list[tuple[Plane, Plane | None]], curve: Curve) -> Flicker | None:
    """Bands along the rows.

    Parameters
    ----------
    planes : red, green and blue (h, w) encoded, each perhaps with a weight (h, w) for samples that are of that colour.

    Returns
    -------
    Flicker that is proven or likely; None where there is none.
    """
    height = len(planes[0][0])
    if min(planes[0][0].shape) < SMALLEST or len(planes) != 3:
        return None
    light = _light(planes, curve)
    change, weight = _changes(light)
    rows, told = len(light), (np.hanning(len(change))[:, None] * weight).sum(0) > TOLD * len(change)
    if told.sum() < STRIPS_TOLD:
        return None
    change, weight = change[:, told], weight[:, told]
    bands = np.arange(FEWEST, MOST, FINE)
    waves = _waves(change, weight, bands, rows)
    slope = np.abs(np.exp(2j * np.pi * bands * (rows - len(change)) / rows) - 1) ** 2
    ratios, agreement = waves[..., :2], _agreement(waves[..., :2])
    power = (np.abs(ratios.mean(1)) ** 2).sum(-1)
    k = int(np.argmax(power * slope * agreement))
    beside = np.abs(bands - bands[k]) > ALONE
    over = float((power * slope)[k] / (np.percentile((power * slope)[beside], BESIDE) + 1e-12))
    brightness = waves[k, :, 2:].mean(-1)
    in_light = float(np.abs(brightness.mean()) ** 2 / max((np.abs(brightness) ** 2).mean(), 1e-20))
    of_strips = np.sqrt((np.abs(ratios[k]) ** 2).sum(-1))
    even = float(np.quantile(of_strips, 0.15) / (np.median(of_strips) + 1e-12))
    pair = ratios[k].mean(0)
    angle = abs(float(np.degrees(np.angle(brightness.mean() * np.conj(pair[np.argmax(np.abs(pair))])))))
    if agreement[k] < AGREE or in_light < AGREE_IN_LIGHT or power[k] ** 0.5 < SEEN:
        return None
    proven = bands[k] >= PROVEN_BANDS and even > EVEN and min(angle, 180 - angle) < IN_STEP and over > OVER
    at = _finer(change, weight, float(bands[k]), rows)
    return Flicker(at, float(agreement[k]), bool(proven), _gain(change, weight, at, rows, height), curve)


def _finer(change: NDArray, weight: NDArray, near: float, rows: int) -> float:
    """The number of bands at which strips have most in common, in ratios and in each colour."""
    bands = near + np.linspace(-1.5, 1.5, 49) * FINE
    common = (np.abs(_waves(change, weight, bands, rows).mean(1)) ** 2).sum(-1)
    return float(bands[np.argmax(common * bands**2)])


def _gain(change: NDArray, weight: NDArray, bands: float, rows: int, height: int) -> Plane:
    """(height, 3) of the wave, and of its double where strips agree in that."""
    both = _waves(change[..., 2:], weight, np.array([bands, 2 * bands]), rows)
    held = _agreement(both)
    y = (np.arange(height) + 0.5) / height
    logs = np.zeros((height, 3))
    for n, (strips, share) in enumerate(zip(both, held, strict=True), 1):
        if n > 1 and share < HARMONIC:
            continue
        certain = max(0.0, 1 - (1 - share) / (max(share, 1e-6) * strips.shape[0]))  # strips differ by chance as well
        mean = np.median(strips.real, 0) + 1j * np.median(strips.imag, 0)
        logs += certain * np.real(np.exp(2j * np.pi * n * bands * y)[:, None] * mean)
    return np.exp(logs).astype(np.float32)


def even_light(samples: Plane, gain: Plane, curve: Curve) -> Plane:
    """Encoded samples as they would be without a gain of the same shape; what may have been clipped is left."""
    at = np.clip((samples - WHITE[0]) / (WHITE[1] - WHITE[0]), 0, 1)
    own = gain + (1 - gain) * np.asarray(at, np.float32)
    return np.where(at == 1, samples, np.asarray(curve.encode(curve.decode(samples) / own), np.float32))
