"""The noise of a sensor, told blindly from its samples: shot and read noise, one of each for all sites.

Variance is ``gain * x + read`` for a true sample x from black 0 to white 1, and samples know nothing of each other. In
patches of the mosaic the picture varies in some directions and hardly in others; in the latter there is noise alone.
They are found on one half of the flatter patches, and the variance is taken on the other half, so that looking for the
least has no bias; so at every brightness.

References
----------
[1] X. Liu, M. Tanaka, M. Okutomi, "Single-image noise level estimation for blind denoising", IEEE TIP 22(12), 2013:
    principal components of weakly textured patches.
[2] Foi et al., "Practical Poissonian-Gaussian noise modeling and fitting for single-image raw-data", IEEE TIP 2008.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage as ndi
from scipy.special import gammaincinv

from dustpan.core.curve import SRGB
from dustpan.core.fact import Asked, FactKind, Scope
from dustpan.core.picture import Kind, Sensor
from dustpan.core.region import Region

TILE = 252  # px: whole periods of 2, 4 and 6, and nearly whole patches
MOST_TILES = 36
ROUNDS = 4  # the stabiliser is made anew from what was found
LOWEST_SHARE = 0.19  # of the directions of a patch, taken for noise alone
FLATTER = 0.5  # share of the patches of a brightness that are looked at
GROUPS = 16  # brightnesses in which the flatter ones are chosen
UNCLIPPED = 0.85  # the brightest sample of a patch that is looked at
QUIET = 0.2  # quantile of the patches' power that is compared with that of pure noise
PER_BIN, BINS = 120, (4, 14)
FEWEST = 150  # patches
LEAN = 0.97  # of sigma: a little texture is in every direction; chosen on the photographs of `benchmarks.raw`
TOLERANCE, PULL, USUAL_READ = 0.05, 0.1, 9.0  # of log variance; read noise is pulled to three electrons
TOLD_FROM, TOLD_TO = 0.7, 2.5  # measured sigma over what the file says: texture can only add to it
REFERENCE = 1 / 16  # light at which noise is compared with it
MOST_COLOURS = 400


@dataclass(frozen=True, eq=False)
class SensorNoise:
    """What was found.

    Attributes
    ----------
    gain, read : variance is ``gain * x + read``. told : whether these are those that the file says, checked.
    doubt : the file says others, which do not fit its samples.
    colours : (n, colours) mean light of patches spread over the picture, by colour of the pattern.
    heavier : whether the lower half is brighter than the upper, and the right than the left.
    """

    gain: float
    read: float
    told: bool
    doubt: bool
    colours: NDArray[np.float64]
    heavier: tuple[bool, bool]

    @property
    def relative(self) -> float:
        """Sigma over light at a sixteenth of white."""
        return float(np.sqrt(self.gain * REFERENCE + self.read) / REFERENCE)

    def as_json(self) -> dict:
        return {"gain": self.gain, "read": self.read, "from_file": self.told, "file_does_not_fit": self.doubt}


def tiles_at(size: tuple[int, int]) -> list[Region]:
    """Where a sensor is measured: on tiles spread evenly, each beginning at a whole period; all of a small one."""
    h, w = size
    if h < TILE or w < TILE:
        return [Region(0, 0, h, w)]
    rows, columns = h // TILE, w // TILE
    step = max(1, int(np.ceil(np.sqrt(rows * columns / MOST_TILES))))
    places = [(y, x) for y in range(step // 2 % rows, rows, step) for x in range(step // 2 % columns, columns, step)]
    return [Region(y * TILE, x * TILE, (y + 1) * TILE, (x + 1) * TILE) for y, x in places]


@dataclass(frozen=True, eq=False)
class _Patches:
    """Patches of some tiles: samples (n, side²), which of two halves each is in, and how much its surroundings vary."""

    samples: NDArray[np.float64]
    half: NDArray[np.intp]
    ring: Callable[[Callable[[NDArray], NDArray]], NDArray]
    site: NDArray[np.intp]  # of each sample of a patch

    def means(self) -> NDArray[np.float64]:
        """(n, sites)."""
        count = np.bincount(self.site)
        onto = (self.site[:, None] == np.arange(len(count))).astype(float)
        return self.samples @ onto / count


def _patches(tiles: Sequence[NDArray], period: tuple[int, int]) -> _Patches:
    side = max(period) if max(period) > 4 else 8
    inner = np.arange(side)
    site = ((inner % period[0])[:, None] * period[1] + inner % period[1]).ravel()
    cut, halves, cells = [], [], []
    for tile in tiles:
        rows, columns = (n // side for n in tile.shape)
        if rows == 0 or columns == 0:
            continue
        whole = np.asarray(tile[: rows * side, : columns * side], float).reshape(rows, side, columns, side)
        flat = whole.transpose(0, 2, 1, 3).reshape(rows * columns, side * side)
        cut.append(flat)
        halves.append((np.add.outer(np.arange(rows), np.arange(columns)) % 2).ravel())
        onto = (site[:, None] == np.arange(site.max() + 1)).astype(float) / np.bincount(site)
        cells.append((flat @ onto).reshape(rows, columns, -1))
    around = np.ones((3, 3, 1)) / 8
    around[1, 1] = 0  # never the patch itself

    def ring(stabilised: Callable[[NDArray], NDArray]) -> NDArray:
        found = []
        for c in cells:
            z = stabilised(c)
            spread = ndi.convolve(z * z, around) - ndi.convolve(z, around) ** 2
            found.append(np.maximum(spread, 0).sum(2).ravel())
        return np.concatenate(found)

    if not cut:
        return _Patches(np.zeros((0, side * side)), np.zeros(0, np.intp), lambda f: np.zeros(0), site)
    return _Patches(np.concatenate(cut), np.concatenate(halves), ring, site)


def measure_blind(
    tiles: Sequence[NDArray], period: tuple[int, int], check: Callable[[], None] = lambda: None
) -> tuple[float, float] | None:
    """Gain and read noise from parts of a picture.

    Parameters
    ----------
    tiles : (h, w) light of samples, each beginning at a whole period of the pattern; 1 is white, below 0 is kept.

    Returns
    -------
    gain, read; None where there is too little to tell them from.
    """
    patches = _patches(tiles, period)
    level = np.maximum(patches.means(), 0)
    usable = patches.samples.max(1, initial=0) < UNCLIPPED
    if usable.sum() < FEWEST:
        return None
    a, b = 1e-3, 1e-5
    for _ in range(ROUNDS):
        check()
        a, b = _fitted_once(patches, level, usable, a, b)
    return a * LEAN**2, b * LEAN**2


def _fitted_once(
    patches: _Patches, level: NDArray, usable: NDArray[np.bool_], a: float, b: float
) -> tuple[float, float]:
    def stabilised(v: NDArray) -> NDArray:
        return 2 / a * np.sqrt(np.maximum(a * v + b + 0.375 * a * a, 0))

    z, ring = stabilised(patches.samples), patches.ring(stabilised)
    calm = np.zeros(len(z), bool)
    for group in np.array_split(np.argsort(level.mean(1), kind="stable"), GROUPS):
        calm[group[np.argsort(ring[group], kind="stable")[: int(np.ceil(FLATTER * len(group)))]]] = True
    calm &= usable
    dims = z.shape[1]
    lowest = max(3, round(LOWEST_SHARE * dims))
    sites = level.shape[1]
    onto = (patches.site[:, None] == np.arange(sites)).astype(float)
    found = []
    for half in (0, 1):
        one, two = calm & (patches.half == half), calm & (patches.half != half)
        if one.sum() < dims or two.sum() < 2:
            one = two = calm
        mean = z[one].mean(0)
        directions = np.linalg.eigh(np.cov(z[one].T))[1][:, :lowest]
        share = onto.T @ (directions**2).sum(1) / lowest
        noise = a * level[two] + b
        power = (((z[two] - mean) @ directions) ** 2).mean(1)
        found.append((power, (share * level[two] / noise).sum(1), (share / noise).sum(1), level[two].mean(1)))
    power, by_gain, by_read, brightness = (np.concatenate(v) for v in zip(*found, strict=True))
    bins = np.array_split(np.argsort(brightness, kind="stable"), int(np.clip(len(brightness) // PER_BIN, *BINS)))
    pure = 2 * float(gammaincinv(lowest / 2, QUIET)) / lowest  # the quantile of chi squared
    seen = np.array([np.quantile(power[g], QUIET) for g in bins]) / pure
    gains, reads = (np.array([v[g].mean() for g in bins]) for v in (by_gain, by_read))

    def misfit(q: NDArray) -> NDArray:
        model = np.exp(q[0]) * gains + np.exp(q[1]) * reads
        return np.r_[(np.log(model) - np.log(seen)) / TOLERANCE, PULL * (q[1] - 2 * q[0] - np.log(USUAL_READ))]

    from scipy.optimize import least_squares  # slow to import

    best = np.exp(least_squares(misfit, [np.log(a), np.log(b)], loss="soft_l1", bounds=(-25, 2)).x)
    return float(best[0]), float(best[1])


def _by_colour(means: NDArray, sensor: Sensor) -> NDArray[np.float64]:
    """(n, colours) of the means (n, sites) of patches; one sample of a site would be little more than noise."""
    site = np.asarray(sensor.pattern).ravel()
    onto = (site[:, None] == np.arange(site.max() + 1)).astype(float)
    return means @ onto / onto.sum(0)


def _fits(sensor: Sensor, measured: tuple[float, float], colours: NDArray) -> bool:
    """Whether what the file says of its noise can be true."""
    assert sensor.noise is not None
    x = np.clip(colours.mean(1), 0, 1)
    told, seen = (gain * x + read for gain, read in (sensor.noise, measured))
    ratio = float(np.sqrt(np.median(seen / np.maximum(told, 1e-12))))
    return TOLD_FROM < ratio < TOLD_TO


def _measure_asked(asked: Asked) -> SensorNoise | None:
    sensor = asked.sensor
    if sensor is None or asked.kind not in (Kind.MOSAIC, Kind.BARE):
        return None
    places = tiles_at(asked.size)
    tiles = []
    for place in places:
        asked.check()
        tiles.append(np.asarray(SRGB.decode(asked.read(place)[..., 0].astype(np.float64))))
    found = measure_blind(tiles, sensor.period, asked.check)
    colours = _by_colour(_patches(tiles, sensor.period).means(), sensor)
    if found is None and sensor.noise is None:
        return None
    fits = sensor.noise is not None and (found is None or _fits(sensor, found, colours))
    gain, read = sensor.noise if fits and sensor.noise else found or (0.0, 0.0)
    order = np.random.default_rng(0).permutation(len(colours))[:MOST_COLOURS]
    h, w = asked.size
    weights = [
        (float(t.mean()), 2 * p.y0 + p.height > h, 2 * p.x0 + p.width > w) for t, p in zip(tiles, places, strict=True)
    ]
    down, right = (sum(m if lies[k] else -m for m, *lies in weights) > 0 for k in (0, 1))
    return SensorNoise(gain, read, bool(fits), sensor.noise is not None and not fits, colours[order], (down, right))


SENSOR = FactKind("sensor", lambda asked: asked.sensor, scope=Scope.NOTHING)
SENSOR_NOISE = FactKind(
    "sensor noise", _measure_asked, scope=Scope.WHOLE, as_json=lambda found: found.as_json() if found else None
)
