"""All steps that there are. Importing this module registers them."""

from dustpan.core.noise import blacks, grain
from dustpan.core.noise import step as noise_step
from dustpan.core.sharpen import edge as edge_sharpen

ALL = (noise_step.NOISE, blacks.NEUTRAL_BLACKS, edge_sharpen.EDGE_SHARPEN, grain.GRAIN)
