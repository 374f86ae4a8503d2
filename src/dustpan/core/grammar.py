"""The text of steps as the command line takes them: ``ID[:name=value,…]``.

Where a step applies comes after spaces in the same text and is read here as well, once there are parts of masks.
"""

from __future__ import annotations

from dustpan.core.errors import WrongUse
from dustpan.core.params import parse_values
from dustpan.core.steps import step_kind
from dustpan.core.sweep import Step


def parse_step(text: str) -> Step:
    """A step from its text; what is not given takes its default.

    Raises
    ------
    WrongUse : an unknown step or parameter, or a value that is not allowed.
    """
    id, _, rest = text.partition(":")
    kind = step_kind(id.strip())
    return Step(kind, kind.make(parse_values(kind.params, _pairs(rest))))


def _pairs(text: str) -> list[tuple[str, str]]:
    found = []
    for part in filter(None, (p.strip() for p in text.split(","))):
        name, equals, value = (p.strip() for p in part.partition("="))
        if not equals or not value:
            raise WrongUse("“{0}” in --step must be name=value.", part)
        found.append((name, value))
    return found
