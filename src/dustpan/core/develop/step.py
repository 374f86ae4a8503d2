"""The step Develop: from the samples of a sensor to a picture."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from dustpan.core.develop import demosaic
from dustpan.core.develop.carry import carried
from dustpan.core.develop.light import (
    Highlights,
    Primaries,
    Rendering,
    balanced_mosaic,
    decoded,
    linear_light,
    profile,
    recovered,
    rendered,
)
from dustpan.core.develop.sensor_noise import SENSOR, SENSOR_NOISE, SensorNoise
from dustpan.core.develop.white import COLDEST, MOST_TINT, WARMEST, factors
from dustpan.core.fact import Asked, Carry, FactKind
from dustpan.core.language import mark, say
from dustpan.core.noise.noise_print import NoisePrint
from dustpan.core.params import Params, choice, number
from dustpan.core.picture import Kind, Sensor
from dustpan.core.region import Region
from dustpan.core.stage import INPUT, Context, Stage
from dustpan.core.step import StepKind

NOISY, NOISIEST = 0.12, 0.35  # sigma over light at a sixteenth of white: no edges are told, and only means are taken


class White(StrEnum):
    """What is taken for neutral."""

    AS_SHOT = mark("as shot")
    SET = mark("set")


class Demosaic(StrEnum):
    """How three colours come into every place."""

    BY_NOISE = mark("by noise")
    SMOOTH = mark("smooth")
    LINEAR = mark("linear")
    BY_EDGES = mark("by edges")


class DevelopParams(Params):
    """White balance, push, highlights, demosaicing, primaries."""

    white: White = choice(
        White,
        White.AS_SHOT,
        label="White",
        help="What is neutral: as the camera saw it, or set by temperature and tint.",
    )
    temperature: float = number(
        5500, WARMEST, COLDEST, label="Temperature", unit="K", digits=0,
        help="The light that the picture was taken in; more makes it warmer. Moving it sets the white.",
    )  # fmt: skip
    tint: float = number(
        0,
        -MOST_TINT,
        MOST_TINT,
        label="Tint",
        unit="steps",
        digits=0,
        help="More takes out green, less takes out magenta.",
    )
    push: float = number(
        0, -5, 8, label="Push", unit="EV", help="Makes all of it brighter or darker, in stops of light."
    )
    highlights: Highlights = choice(
        Highlights,
        Highlights.CLIP,
        label="Highlights",
        help="Full samples become white, or are recovered from the colours that are not full and rolled off.",
    )
    demosaic: Demosaic = choice(
        Demosaic,
        Demosaic.BY_NOISE,
        label="Demosaic",
        help="By edges is sharper; where the sensor's noise is high it draws mazes, and linear is taken.",
        deeper=True,
    )
    primaries: Primaries = choice(
        Primaries, Primaries.SRGB, label="Primaries", help="The colours that the picture can hold.", deeper=True
    )


def develop(
    samples: NDArray[np.float32],
    have: Region,
    want: Region,
    sensor: Sensor,
    p: DevelopParams,
    way: Demosaic = Demosaic.LINEAR,
) -> NDArray[np.float32]:
    """Develop a part of a picture.

    Parameters
    ----------
    samples : (h, w, 1) encoded samples of a mosaic or a bare sensor, or (h, w, 3) of camera colours, that cover
        ``have``: ``want`` grown by `reach_of`, as far as there is a picture.
    way : how a mosaic is interpolated, see `way_of`.

    Returns
    -------
    (h, w, 3) encoded values of ``want``, 0 to 1; (h, w, 1) of a bare sensor.
    """
    return rendered(_balanced(samples, have, want, sensor, p, way), _rendering(sensor, p))


def developed_light(
    light: NDArray[np.float32], sensor: Sensor, p: DevelopParams, way: Demosaic = Demosaic.LINEAR
) -> NDArray[np.float32]:
    """The same of a whole picture of light (h, w, C), given before anything is clipped and encoded."""
    whole = Region(0, 0, *light.shape[:2])
    open_ended = p.model_copy(update={"highlights": Highlights.RECOVER})
    found = _interpolated(light, whole, whole, sensor, open_ended, way)
    return linear_light(found, _rendering(sensor, p))


def _rendering(sensor: Sensor, p: DevelopParams) -> Rendering:
    return Rendering(sensor.matrix, p.push, p.highlights, p.primaries)


def balance(sensor: Sensor, p: DevelopParams) -> NDArray[np.float32]:
    """The factors on the sensor's colours."""
    found = sensor.balance if p.white is White.AS_SHOT else factors(sensor, p.temperature, p.tint)
    return np.asarray(found, np.float32)


def _balanced(
    samples: NDArray[np.float32], have: Region, want: Region, sensor: Sensor, p: DevelopParams, way: Demosaic
) -> NDArray[np.float32]:
    found = _interpolated(decoded(samples), have, want, sensor, p, way)
    if found.shape[2] == 3 and p.highlights is Highlights.RECOVER:
        return recovered(found, balance(sensor, p))
    return found


def _interpolated(
    light: NDArray[np.float32], have: Region, want: Region, sensor: Sensor, p: DevelopParams, way: Demosaic
) -> NDArray[np.float32]:
    """Balanced colours in every place."""
    clip = p.highlights is Highlights.CLIP
    if light.shape[2] == 3:
        found = light[want.slices(have)] * balance(sensor, p)
        return np.minimum(found, np.float32(1)) if clip else found
    if sensor.period == (1, 1):
        return np.ascontiguousarray(light[want.slices(have)])
    rows, columns = sensor.period
    pattern = np.roll(np.asarray(sensor.pattern, np.intp), (-(have.y0 % rows), -(have.x0 % columns)), (0, 1))
    mosaic = balanced_mosaic(light[..., 0], np.ascontiguousarray(pattern), balance(sensor, p), clip)
    if way is Demosaic.BY_EDGES:
        return demosaic.by_edges(mosaic, have, want, sensor.pattern)
    return demosaic.linear(mosaic, have, want, sensor.pattern, smooth=way is Demosaic.SMOOTH)


def way_of(p: DevelopParams, noise: SensorNoise | None) -> Demosaic:
    """How a mosaic is interpolated: as was chosen, or as the sensor's noise allows."""
    if p.demosaic is not Demosaic.BY_NOISE:
        return p.demosaic
    if noise is None or noise.relative > NOISIEST:
        return Demosaic.SMOOTH
    return Demosaic.LINEAR if noise.relative > NOISY else Demosaic.BY_EDGES


def _run(context: Context) -> NDArray[np.float32]:
    sensor: Sensor = context.facts[SENSOR]
    way = way_of(context.params, context.facts.get(SENSOR_NOISE))
    samples, have = context.get(INPUT, demosaic.EDGE_REACH)
    if sensor.period != (1, 1) and way is not Demosaic.BY_EDGES:
        near = context.region.grown(demosaic.LINEAR_REACH).within(context.size)
        samples, have = samples[near.slices(have)], near
    return develop(samples, have, context.region, sensor, context.params, way)


def _print_after(asked: Asked, p: DevelopParams) -> NoisePrint | None:
    """The noise print of what is developed, from the sensor's."""
    sensor, noise = asked.needs[SENSOR], asked.needs[SENSOR_NOISE]
    if sensor is None or noise is None:
        return None
    way = way_of(p, noise)
    return carried(noise, sensor.pattern, lambda light: developed_light(light, sensor, p, way))


def _facts(p: DevelopParams) -> frozenset[FactKind]:
    return frozenset({SENSOR, SENSOR_NOISE}) if p.demosaic is Demosaic.BY_NOISE else frozenset({SENSOR})


def _unused(kind: Kind, p: DevelopParams) -> dict[str, str]:
    if kind is Kind.BARE:
        why = mark("Its sensor has no colour filter.")
        return dict.fromkeys(("white", "temperature", "tint", "demosaic", "primaries"), why)
    return {"demosaic": mark("The file holds all colours in every place already.")} if kind is Kind.CAMERA else {}


def _summary(p: DevelopParams) -> str:
    white = say("as shot") if p.white is White.AS_SHOT else f"{p.temperature:.0f} K"
    return f"{p.push:+.1f} EV · {white}" if p.push else white


DEVELOP = StepKind(
    id="develop",
    name="Develop",
    place=30,
    help="Makes a picture of the sensor's samples: white balance, push, highlights, three colours in every place.",
    params=DevelopParams,
    stages=(Stage("develop", _run, reach=demosaic.EDGE_REACH),),
    summary=_summary,
    unused=_unused,
    facts=_facts,
    takes=frozenset({Kind.MOSAIC, Kind.BARE, Kind.CAMERA}),
    gives={Kind.MOSAIC: Kind.RGB, Kind.CAMERA: Kind.RGB, Kind.BARE: Kind.MONO},
    profile=lambda p: profile(p.primaries),
    carries={"noise print": Carry((SENSOR, SENSOR_NOISE), frozenset({Kind.MOSAIC, Kind.BARE}), _print_after)},
    instrument="develop",
)
