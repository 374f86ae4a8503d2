"""All instruments by the names that steps give them (`StepKind.instrument`)."""

from collections.abc import Callable

from dustpan.ui.instruments.chart import Chart
from dustpan.ui.instruments.edge import EdgeInstrument
from dustpan.ui.instruments.noise import NoiseInstrument

INSTRUMENTS: dict[str, Callable[[], Chart]] = {"noise": NoiseInstrument, "edge": EdgeInstrument}
