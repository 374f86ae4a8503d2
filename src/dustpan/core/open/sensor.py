"""What is told from a sensor's samples before they become a picture: their light by colour, and what is white."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from dustpan.core.develop.light import decoded
from dustpan.core.develop.white import normal, temperature_of
from dustpan.core.errors import WrongUse
from dustpan.core.picture import Kind, Picture
from dustpan.core.region import Region

SEEN = 300_000  # samples that the light on a sensor is told from
PICKED = 4  # px around the place that white is picked at
DARKEST_PICKED, BRIGHTEST_PICKED = 2e-4, 0.98  # of the light that becomes white


def light_by_colour(picture: Picture) -> tuple[NDArray[np.float32], ...]:
    """Light of samples spread over a sensor, by colour; nothing of other pictures."""
    if not picture.kind.of_sensor:
        return ()
    every = max(1, int(np.sqrt(picture.megapixels * 1e6 / SEEN))) | 1  # odd: all of a pattern
    light = decoded(picture.pixels[::every, ::every])
    if picture.kind is Kind.MOSAIC and picture.sensor:
        rows, columns = (np.arange(n) * every for n in light.shape[:2])
        return _by_site(picture, light, rows, columns)
    return tuple(light[..., c].ravel() for c in range(light.shape[2]))


def white_at(picture: Picture, y: int, x: int) -> tuple[float, float]:
    """Temperature in kelvin and tint that make this place neutral.

    Raises
    ------
    WrongUse : what is there is too dark or too bright to tell, or the picture is not of a sensor's colours.
    """
    sensor = picture.sensor
    if sensor is None or picture.kind is Kind.BARE:
        raise WrongUse("White is picked on pictures that are developed from a sensor's colours.")
    place = Region(y - PICKED, x - PICKED, y + PICKED + 1, x + PICKED + 1).within(picture.size)
    light = decoded(picture.pixels[place.slices()])
    if picture.kind is Kind.CAMERA:
        seen = tuple(light[..., c].ravel() for c in range(3))
    else:
        seen = _by_site(picture, light, np.arange(place.y0, place.y1), np.arange(place.x0, place.x1))
    means = [float(s.mean()) if s.size else 0.0 for s in seen]
    if min(means) < DARKEST_PICKED or max(float(s.max(initial=0)) for s in seen) > BRIGHTEST_PICKED:
        raise WrongUse("What is there is too dark or too bright to tell its colour; pick another place.")
    return temperature_of(sensor, normal(1 / np.array(means)))


def _by_site(
    picture: Picture, light: NDArray[np.float32], rows: NDArray, columns: NDArray
) -> tuple[NDArray[np.float32], ...]:
    """Light (h, w, 1) of a mosaic at these rows and columns, by the colour of its filter."""
    assert picture.sensor is not None
    down, across = picture.sensor.period
    site = np.asarray(picture.sensor.pattern)[rows[:, None] % down, columns % across]
    return tuple(light[..., 0][site == c] for c in range(3))
