"""All parts of masks that there are, in the order in which they are offered."""

from dustpan.core.errors import WrongUse
from dustpan.core.where.brush import BRUSH
from dustpan.core.where.colours import COLOUR
from dustpan.core.where.edges import EDGES
from dustpan.core.where.in_focus import IN_FOCUS
from dustpan.core.where.mask import PartKind
from dustpan.core.where.others import GREY_PICTURE, KEPT
from dustpan.core.where.shapes import ELLIPSE, GRADIENT
from dustpan.core.where.stars import STARS
from dustpan.core.where.texture import TEXTURE
from dustpan.core.where.tones import TONES

PARTS: tuple[PartKind, ...] = (
    *(BRUSH, ELLIPSE, GRADIENT, TONES, COLOUR),
    *(EDGES, TEXTURE, IN_FOCUS, STARS, KEPT, GREY_PICTURE),
)


def part_kind(id: str) -> PartKind:
    """The part of that id; `WrongUse` lists the known ones otherwise."""
    found = next((k for k in PARTS if k.id == id), None)
    if found is None:
        raise WrongUse("There is no part “{0}” of a mask; the parts are {1}.", id, ", ".join(k.id for k in PARTS))
    return found
