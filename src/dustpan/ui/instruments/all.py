"""All instruments, by the names that steps and parts of masks give them (``instrument`` of their kinds)."""

from collections.abc import Callable

from dustpan.ui.instruments.blur import BlurInstrument
from dustpan.ui.instruments.chart import Chart
from dustpan.ui.instruments.develop import DevelopInstrument
from dustpan.ui.instruments.edge import EdgeInstrument
from dustpan.ui.instruments.hits import HitsInstrument
from dustpan.ui.instruments.noise import NoiseInstrument
from dustpan.ui.instruments.sizes import SizesInstrument
from dustpan.ui.instruments.spectrum import SpectrumInstrument, StepsInstrument
from dustpan.ui.instruments.tone import ToneInstrument
from dustpan.ui.instruments.tones_range import PartInstrument, TonesInstrument
from dustpan.ui.instruments.transmission import TransmissionInstrument
from dustpan.ui.instruments.wheel import WheelInstrument

INSTRUMENTS: dict[str, Callable[[], Chart]] = {
    "hits": HitsInstrument, "spectrum": SpectrumInstrument, "develop": DevelopInstrument, "noise": NoiseInstrument,
    "blur": BlurInstrument, "edge": EdgeInstrument, "tone": ToneInstrument, "steps": StepsInstrument,
    "wheel": WheelInstrument, "transmission": TransmissionInstrument, "sizes": SizesInstrument,
}  # fmt: skip
PART_INSTRUMENTS: dict[str, Callable[[], PartInstrument]] = {"tones": TonesInstrument}
