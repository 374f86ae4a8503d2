"""All looks that there are, in the order in which they are offered."""

from dustpan.core.look import LookKind
from dustpan.core.looks.brightened import BRIGHTENED
from dustpan.core.looks.channels import BLUE, COLOUR, GREEN, LUMINANCE, PICTURE, RED
from dustpan.core.looks.exposure import EXPOSURE
from dustpan.core.looks.file_pass import FILE_PASS
from dustpan.core.looks.halos import HALOS
from dustpan.core.looks.lost import LOST_TEXTURE
from dustpan.core.looks.mask import MASK
from dustpan.core.looks.noise_map import NOISE_MAP
from dustpan.core.looks.removed import REMOVED
from dustpan.core.looks.shadows import SHADOWS

LOOKS: tuple[LookKind, ...] = (
    PICTURE, LUMINANCE, COLOUR, RED, GREEN, BLUE, SHADOWS, REMOVED, HALOS, LOST_TEXTURE, BRIGHTENED, EXPOSURE, MASK,
    NOISE_MAP, FILE_PASS,
)  # fmt: skip
