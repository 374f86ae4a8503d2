"""All parts of masks that there are."""

from dustpan.core.where.mask import PartKind

PARTS: tuple[PartKind, ...] = ()
